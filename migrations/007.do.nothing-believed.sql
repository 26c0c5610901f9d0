-- Histories are sealed with the bench's own key, and their length and last seal stand apart from their entries.
ALTER TABLE history
  ADD COLUMN IF NOT EXISTS kind ENUM('plain', 'here', 'elsewhere') NOT NULL DEFAULT 'plain'
    COMMENT 'sealed without a key (before there was one), by this bench, or taken over from another and only kept by this one',
  MODIFY what MEDIUMTEXT NOT NULL;

ALTER TABLE jobs
  ADD COLUMN IF NOT EXISTS history_count INT UNSIGNED NULL COMMENT 'entries of its history',
  ADD COLUMN IF NOT EXISTS history_seal VARCHAR(64) NULL COMMENT 'over their number and the last of their seals',
  MODIFY notes MEDIUMTEXT NOT NULL DEFAULT '' COMMENT '20,000 characters of up to four bytes';

-- What was done at the bench as a whole: that a job was deleted, or taken over.
CREATE TABLE IF NOT EXISTS bench_history (
  id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  at DATETIME(3) NOT NULL,
  who VARCHAR(100) NOT NULL,
  what MEDIUMTEXT NOT NULL,
  seal CHAR(64) NOT NULL
) ENGINE = InnoDB DEFAULT CHARSET = utf8mb4 COLLATE = utf8mb4_unicode_ci;

CREATE TRIGGER IF NOT EXISTS bench_history_is_not_changed BEFORE UPDATE ON bench_history FOR EACH ROW
  SIGNAL SQLSTATE '45000' SET MESSAGE_TEXT = 'history is not changed';
CREATE TRIGGER IF NOT EXISTS bench_history_is_not_deleted BEFORE DELETE ON bench_history FOR EACH ROW
  SIGNAL SQLSTATE '45000' SET MESSAGE_TEXT = 'history is not deleted';

CREATE TABLE IF NOT EXISTS bench (
  id TINYINT UNSIGNED NOT NULL PRIMARY KEY CHECK (id = 1),
  history_count INT UNSIGNED NOT NULL DEFAULT 0,
  history_seal VARCHAR(64) NULL
) ENGINE = InnoDB DEFAULT CHARSET = utf8mb4 COLLATE = utf8mb4_unicode_ci;
INSERT IGNORE INTO bench (id) VALUES (1);

-- What a plan and a sheet were made of, whole, so that another bench can make them again and see that they are the same.
ALTER TABLE goals
  ADD COLUMN IF NOT EXISTS tools LONGTEXT NULL COMMENT 'own kits, tools and rates that it was planned with' CHECK (tools IS NULL OR JSON_VALID(tools));
ALTER TABLE sheets
  ADD COLUMN IF NOT EXISTS made_of LONGTEXT NULL COMMENT 'goal, tools and steps; null on sheets from before this was kept' CHECK (made_of IS NULL OR JSON_VALID(made_of));
