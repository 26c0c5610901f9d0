CREATE TABLE IF NOT EXISTS jobs (
  id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  number INT UNSIGNED NOT NULL UNIQUE COMMENT 'what the workshop calls the job',
  customer VARCHAR(200) NOT NULL,
  machine VARCHAR(200) NOT NULL,
  version INT UNSIGNED NOT NULL DEFAULT 1 COMMENT 'grows with every save; a save made on an older one is refused',
  disk_number SMALLINT UNSIGNED NULL COMMENT 'the target, once a survey is there',
  partition_number INT UNSIGNED NULL,
  target_name VARCHAR(250) NULL COMMENT 'taken from the survey for the list of jobs',
  target_size BIGINT UNSIGNED NULL COMMENT 'bytes',
  target_used BIGINT UNSIGNED NULL COMMENT 'bytes; null where it is not known',
  created_at DATETIME(3) NOT NULL DEFAULT UTC_TIMESTAMP(3),
  updated_at DATETIME(3) NOT NULL DEFAULT UTC_TIMESTAMP(3)
) ENGINE = InnoDB DEFAULT CHARSET = utf8mb4 COLLATE = utf8mb4_unicode_ci;

CREATE TABLE IF NOT EXISTS surveys (
  id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  job_id BIGINT UNSIGNED NOT NULL,
  source ENUM('document', 'image') NOT NULL,
  taken_at DATETIME(3) NOT NULL,
  machine_name VARCHAR(200) NOT NULL,
  disk_count SMALLINT UNSIGNED NOT NULL,
  partition_count SMALLINT UNSIGNED NOT NULL,
  document LONGTEXT NOT NULL COMMENT 'the survey document, whole' CHECK (JSON_VALID(document)),
  created_at DATETIME(3) NOT NULL DEFAULT UTC_TIMESTAMP(3),
  CONSTRAINT surveys_job FOREIGN KEY (job_id) REFERENCES jobs (id) ON DELETE CASCADE,
  KEY surveys_of_job (job_id, id)
) ENGINE = InnoDB DEFAULT CHARSET = utf8mb4 COLLATE = utf8mb4_unicode_ci;

CREATE TABLE IF NOT EXISTS goals (
  id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  job_id BIGINT UNSIGNED NOT NULL,
  survey_id BIGINT UNSIGNED NOT NULL COMMENT 'the survey it was asked on; a later one makes it stale',
  disk_number SMALLINT UNSIGNED NOT NULL,
  partition_number INT UNSIGNED NOT NULL,
  size_bytes BIGINT UNSIGNED NOT NULL COMMENT 'the new total',
  keep_free_percent DECIMAL(5, 2) NOT NULL DEFAULT 0,
  created_at DATETIME(3) NOT NULL DEFAULT UTC_TIMESTAMP(3),
  CONSTRAINT goals_job FOREIGN KEY (job_id) REFERENCES jobs (id) ON DELETE CASCADE,
  CONSTRAINT goals_survey FOREIGN KEY (survey_id) REFERENCES surveys (id) ON DELETE CASCADE,
  KEY goals_of_job (job_id, id)
) ENGINE = InnoDB DEFAULT CHARSET = utf8mb4 COLLATE = utf8mb4_unicode_ci;

CREATE TABLE IF NOT EXISTS routes (
  id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  goal_id BIGINT UNSIGNED NOT NULL,
  reached BOOLEAN NOT NULL,
  kit VARCHAR(64) NULL COMMENT 'null where the goal is out of reach',
  title VARCHAR(500) NULL,
  bytes_copied BIGINT UNSIGNED NULL,
  exposed_bytes BIGINT UNSIGNED NULL,
  steps SMALLINT UNSIGNED NULL,
  document LONGTEXT NOT NULL COMMENT 'the planner''s answer, whole' CHECK (JSON_VALID(document)),
  created_at DATETIME(3) NOT NULL DEFAULT UTC_TIMESTAMP(3),
  CONSTRAINT routes_goal FOREIGN KEY (goal_id) REFERENCES goals (id) ON DELETE CASCADE,
  KEY routes_of_goal (goal_id, id)
) ENGINE = InnoDB DEFAULT CHARSET = utf8mb4 COLLATE = utf8mb4_unicode_ci;

CREATE TABLE IF NOT EXISTS markers (
  name VARCHAR(64) NOT NULL PRIMARY KEY COMMENT 'what was done once, e.g. demo-data',
  done_at DATETIME(3) NOT NULL DEFAULT UTC_TIMESTAMP(3)
) ENGINE = InnoDB DEFAULT CHARSET = utf8mb4 COLLATE = utf8mb4_unicode_ci;
