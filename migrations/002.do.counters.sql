-- The next number of a job comes from a row of its own: jobs added at once wait for each other there, where
-- reading the greatest number under a lock made them deadlock.
CREATE TABLE IF NOT EXISTS counters (
  name VARCHAR(64) NOT NULL PRIMARY KEY,
  last INT UNSIGNED NOT NULL COMMENT 'the last number that was given'
) ENGINE = InnoDB DEFAULT CHARSET = utf8mb4 COLLATE = utf8mb4_unicode_ci;

INSERT IGNORE INTO counters (name, last) SELECT 'job', COALESCE(MAX(number), 2600) FROM jobs;
