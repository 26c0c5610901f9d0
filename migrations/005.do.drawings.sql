-- A technician's own steps. Every state that a drawing was in is kept, so that it can be taken back in any window.
CREATE TABLE IF NOT EXISTS drawings (
  id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  job_id BIGINT UNSIGNED NOT NULL,
  survey_id BIGINT UNSIGNED NOT NULL COMMENT 'the survey it was drawn on; a later one makes it stale',
  name VARCHAR(200) NOT NULL,
  position INT UNSIGNED NOT NULL COMMENT 'which of its states is the present one, counted from 0',
  edition INT UNSIGNED NOT NULL DEFAULT 1 COMMENT 'grows with every save; a save made on an older one is refused',
  told LONGTEXT NOT NULL COMMENT 'keys of the advice that is not to be given again' CHECK (JSON_VALID(told)),
  created_at DATETIME(3) NOT NULL DEFAULT UTC_TIMESTAMP(3),
  updated_at DATETIME(3) NOT NULL DEFAULT UTC_TIMESTAMP(3),
  CONSTRAINT drawings_job FOREIGN KEY (job_id) REFERENCES jobs (id) ON DELETE CASCADE,
  CONSTRAINT drawings_survey FOREIGN KEY (survey_id) REFERENCES surveys (id) ON DELETE CASCADE,
  KEY drawings_of_job (job_id, id)
) ENGINE = InnoDB DEFAULT CHARSET = utf8mb4 COLLATE = utf8mb4_unicode_ci;

CREATE TABLE IF NOT EXISTS drawing_states (
  drawing_id BIGINT UNSIGNED NOT NULL,
  place INT UNSIGNED NOT NULL COMMENT 'counted from 0',
  document LONGTEXT NOT NULL COMMENT 'kit and steps' CHECK (JSON_VALID(document)),
  PRIMARY KEY (drawing_id, place),
  CONSTRAINT drawing_states_drawing FOREIGN KEY (drawing_id) REFERENCES drawings (id) ON DELETE CASCADE
) ENGINE = InnoDB DEFAULT CHARSET = utf8mb4 COLLATE = utf8mb4_unicode_ci;
