-- Routes run on stand-in disks: a queue that servers take from, what each run is told to do, and what came of it.
CREATE TABLE IF NOT EXISTS rehearsals (
  id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  job_id BIGINT UNSIGNED NOT NULL,
  survey_id BIGINT UNSIGNED NOT NULL COMMENT 'the stand-in was made from it; a later one makes the rehearsal stale',
  goal_id BIGINT UNSIGNED NOT NULL COMMENT 'its route was found for it; another one makes the rehearsal stale',
  chosen SMALLINT UNSIGNED NOT NULL COMMENT 'place of the route in the answer',
  disk_number SMALLINT UNSIGNED NOT NULL,
  route LONGTEXT NOT NULL COMMENT 'the route, whole' CHECK (JSON_VALID(route)),
  made_of LONGTEXT NOT NULL COMMENT 'what a work sheet of the route is made of' CHECK (JSON_VALID(made_of)),
  state ENUM('waiting', 'running', 'paused', 'cut', 'stepped-back', 'ended', 'cancelled', 'failed') NOT NULL DEFAULT 'waiting',
  next ENUM('forward', 'back', 'cancel') NOT NULL DEFAULT 'forward' COMMENT 'what whoever takes it does',
  wish ENUM('pause', 'cut', 'cancel') NULL COMMENT 'what the one that runs it is to do',
  pace ENUM('fast', 'drive') NOT NULL DEFAULT 'fast',
  after_cut BOOLEAN NOT NULL DEFAULT FALSE COMMENT 'it did not stop by itself the last time',
  holder CHAR(36) NULL COMMENT 'the server that runs it',
  seen_at DATETIME(3) NULL COMMENT 'when that server last said so',
  progress LONGTEXT NOT NULL DEFAULT '{}' CHECK (JSON_VALID(progress)),
  room BIGINT UNSIGNED NOT NULL DEFAULT 0 COMMENT 'bytes that its files take',
  problem TEXT NULL COMMENT 'why it failed or could not begin, in a sentence',
  verdict ENUM('proved', 'differs') NULL,
  proof LONGTEXT NULL CHECK (proof IS NULL OR JSON_VALID(proof)),
  who VARCHAR(100) NOT NULL,
  created_at DATETIME(3) NOT NULL DEFAULT UTC_TIMESTAMP(3),
  changed_at DATETIME(3) NOT NULL DEFAULT UTC_TIMESTAMP(3),
  CONSTRAINT rehearsals_job FOREIGN KEY (job_id) REFERENCES jobs (id) ON DELETE CASCADE,
  CONSTRAINT rehearsals_survey FOREIGN KEY (survey_id) REFERENCES surveys (id) ON DELETE CASCADE,
  KEY rehearsals_of_job (job_id, id),
  KEY rehearsals_to_take (state, id)
) ENGINE = InnoDB DEFAULT CHARSET = utf8mb4 COLLATE = utf8mb4_unicode_ci;

-- Locked by whoever takes one from the queue.
INSERT IGNORE INTO counters (name, last) VALUES ('rehearsals', 0);
