-- The route becomes work: sheets that are ticked off, the survey taken afterwards, what was proved, and a history.
ALTER TABLE surveys
  ADD COLUMN IF NOT EXISTS purpose ENUM('found', 'left') NOT NULL DEFAULT 'found' COMMENT 'planned on, or taken after the work as proof',
  ADD KEY IF NOT EXISTS surveys_by_purpose (job_id, purpose, id);

CREATE TABLE IF NOT EXISTS sheets (
  id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  job_id BIGINT UNSIGNED NOT NULL,
  survey_id BIGINT UNSIGNED NOT NULL COMMENT 'the survey that its figures hold for; a later one makes it stale',
  origin LONGTEXT NOT NULL COMMENT 'the goal and route, or the drawing, that it was made of' CHECK (JSON_VALID(origin)),
  document LONGTEXT NOT NULL COMMENT 'the work sheet, whole; it never changes' CHECK (JSON_VALID(document)),
  items SMALLINT UNSIGNED NOT NULL COMMENT 'how many there are to tick',
  done SMALLINT UNSIGNED NOT NULL DEFAULT 0,
  failed VARCHAR(250) NULL COMMENT 'title of the item that failed',
  created_at DATETIME(3) NOT NULL DEFAULT UTC_TIMESTAMP(3),
  CONSTRAINT sheets_job FOREIGN KEY (job_id) REFERENCES jobs (id) ON DELETE CASCADE,
  CONSTRAINT sheets_survey FOREIGN KEY (survey_id) REFERENCES surveys (id) ON DELETE CASCADE,
  KEY sheets_of_job (job_id, id)
) ENGINE = InnoDB DEFAULT CHARSET = utf8mb4 COLLATE = utf8mb4_unicode_ci;

CREATE TABLE IF NOT EXISTS ticks (
  id CHAR(36) NOT NULL PRIMARY KEY COMMENT 'made where it was ticked, so that one sent twice is kept once',
  sheet_id BIGINT UNSIGNED NOT NULL,
  item VARCHAR(64) NOT NULL,
  outcome ENUM('done', 'failed', 'undone') NOT NULL,
  who VARCHAR(100) NOT NULL,
  at DATETIME(3) NOT NULL COMMENT 'by the clock of the device',
  note TEXT NOT NULL,
  seconds INT UNSIGNED NULL COMMENT 'measured',
  answers LONGTEXT NOT NULL CHECK (JSON_VALID(answers)),
  received_at DATETIME(3) NOT NULL DEFAULT UTC_TIMESTAMP(3),
  CONSTRAINT ticks_sheet FOREIGN KEY (sheet_id) REFERENCES sheets (id) ON DELETE CASCADE,
  KEY ticks_of_sheet (sheet_id, at)
) ENGINE = InnoDB DEFAULT CHARSET = utf8mb4 COLLATE = utf8mb4_unicode_ci;

CREATE TABLE IF NOT EXISTS proofs (
  id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  sheet_id BIGINT UNSIGNED NOT NULL,
  kind ENUM('layout', 'files') NOT NULL,
  survey_id BIGINT UNSIGNED NULL COMMENT 'of a layout: the survey taken afterwards',
  verdict ENUM('proved', 'open', 'lost') NOT NULL,
  document LONGTEXT NOT NULL CHECK (JSON_VALID(document)),
  created_at DATETIME(3) NOT NULL DEFAULT UTC_TIMESTAMP(3),
  CONSTRAINT proofs_sheet FOREIGN KEY (sheet_id) REFERENCES sheets (id) ON DELETE CASCADE,
  CONSTRAINT proofs_survey FOREIGN KEY (survey_id) REFERENCES surveys (id) ON DELETE CASCADE,
  KEY proofs_of_sheet (sheet_id, kind, id)
) ENGINE = InnoDB DEFAULT CHARSET = utf8mb4 COLLATE = utf8mb4_unicode_ci;

CREATE TABLE IF NOT EXISTS history (
  id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  job_id BIGINT UNSIGNED NOT NULL,
  at DATETIME(3) NOT NULL,
  who VARCHAR(100) NOT NULL COMMENT 'empty where nobody said',
  what TEXT NOT NULL,
  seal CHAR(64) NOT NULL COMMENT 'SHA-256 over the seal before it and this entry: a changed or missing entry shows',
  CONSTRAINT history_job FOREIGN KEY (job_id) REFERENCES jobs (id) ON DELETE CASCADE,
  KEY history_of_job (job_id, id)
) ENGINE = InnoDB DEFAULT CHARSET = utf8mb4 COLLATE = utf8mb4_unicode_ci;

-- Entries are added and never changed; only with their job do they go.
CREATE TRIGGER IF NOT EXISTS history_is_not_changed BEFORE UPDATE ON history FOR EACH ROW
  SIGNAL SQLSTATE '45000' SET MESSAGE_TEXT = 'history is not changed';
CREATE TRIGGER IF NOT EXISTS history_is_not_deleted BEFORE DELETE ON history FOR EACH ROW
  SIGNAL SQLSTATE '45000' SET MESSAGE_TEXT = 'history is not deleted';

ALTER TABLE jobs
  ADD COLUMN IF NOT EXISTS notes TEXT NOT NULL DEFAULT '',
  ADD COLUMN IF NOT EXISTS due DATE NULL,
  ADD COLUMN IF NOT EXISTS archived BOOLEAN NOT NULL DEFAULT FALSE,
  ADD COLUMN IF NOT EXISTS stage ENUM('survey', 'diagnosis', 'target', 'route', 'sheet', 'proof', 'done') NOT NULL DEFAULT 'survey'
    COMMENT 'the furthest stage that is not stale, but for changed tools and rates',
  ADD KEY IF NOT EXISTS jobs_by_change (archived, updated_at),
  ADD KEY IF NOT EXISTS jobs_by_due (archived, due),
  ADD KEY IF NOT EXISTS jobs_by_customer (archived, customer),
  ADD KEY IF NOT EXISTS jobs_by_stage (archived, stage, updated_at);

UPDATE jobs j
  LEFT JOIN goals g ON g.id = (SELECT MAX(id) FROM goals WHERE job_id = j.id)
  LEFT JOIN routes r ON r.id = (SELECT MAX(id) FROM routes WHERE goal_id = g.id)
   SET j.stage = CASE
     WHEN NOT EXISTS (SELECT 1 FROM surveys WHERE job_id = j.id) THEN 'survey'
     WHEN g.id IS NULL OR g.survey_id <> (SELECT MAX(id) FROM surveys WHERE job_id = j.id)
       OR g.disk_number <> j.disk_number OR g.partition_number <> j.partition_number THEN 'diagnosis'
     WHEN r.reached THEN 'route'
     ELSE 'target' END;
