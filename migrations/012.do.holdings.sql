-- What fills the volumes of a survey, what was found that can go, and what of that was chosen.
CREATE TABLE IF NOT EXISTS holdings (
  survey_id BIGINT UNSIGNED NOT NULL PRIMARY KEY,
  document LONGTEXT NOT NULL COMMENT 'the holdings document, whole' CHECK (JSON_VALID(document)),
  found LONGTEXT NOT NULL COMMENT 'what it comes to, worked out when it was kept' CHECK (JSON_VALID(found)),
  choices LONGTEXT NOT NULL DEFAULT '[]' COMMENT 'what goes and what moves, volume by volume' CHECK (JSON_VALID(choices)),
  taken_at DATETIME(3) NOT NULL,
  created_at DATETIME(3) NOT NULL DEFAULT UTC_TIMESTAMP(3),
  CONSTRAINT holdings_survey FOREIGN KEY (survey_id) REFERENCES surveys (id) ON DELETE CASCADE
) ENGINE = InnoDB DEFAULT CHARSET = utf8mb4 COLLATE = utf8mb4_unicode_ci;

-- How full every volume was at every survey, whatever job it belongs to: a machine is known by its disk's GUID and serial number.
CREATE TABLE IF NOT EXISTS fillings (
  survey_id BIGINT UNSIGNED NOT NULL,
  disk_number SMALLINT UNSIGNED NOT NULL,
  partition_number INT UNSIGNED NOT NULL,
  disk_id VARCHAR(64) NOT NULL COMMENT 'GUID or signature, in capitals',
  serial VARCHAR(200) NOT NULL COMMENT 'empty where the survey does not tell it',
  partition_key VARCHAR(64) NOT NULL COMMENT 'GUID in capitals, or @ and the byte where it starts',
  taken_at DATETIME(3) NOT NULL,
  size_bytes BIGINT UNSIGNED NOT NULL,
  used_bytes BIGINT UNSIGNED NOT NULL,
  PRIMARY KEY (survey_id, disk_number, partition_number),
  CONSTRAINT fillings_survey FOREIGN KEY (survey_id) REFERENCES surveys (id) ON DELETE CASCADE,
  KEY fillings_of_disk (disk_id, taken_at)
) ENGINE = InnoDB DEFAULT CHARSET = utf8mb4 COLLATE = utf8mb4_unicode_ci;

INSERT IGNORE INTO fillings
  (survey_id, disk_number, partition_number, disk_id, serial, partition_key, taken_at, size_bytes, used_bytes)
SELECT s.id, p.disk_number, p.partition_number, UPPER(p.disk_id), COALESCE(p.serial, ''),
       COALESCE(UPPER(NULLIF(p.id, '')), CONCAT('@', p.first * p.sector_size)), s.taken_at, p.size_bytes, p.used_bytes
  FROM surveys s,
       JSON_TABLE(s.document, '$.disks[*]' COLUMNS (
         disk_number INT PATH '$.number',
         disk_id VARCHAR(64) PATH '$.id',
         serial VARCHAR(200) PATH '$.serial',
         sector_size BIGINT PATH '$.sectorSize',
         NESTED PATH '$.partitions[*]' COLUMNS (
           partition_number INT PATH '$.number',
           id VARCHAR(64) PATH '$.id',
           first BIGINT PATH '$.first',
           size_bytes BIGINT PATH '$.volume.size',
           used_bytes BIGINT PATH '$.volume.used'
         )
       )) p
 WHERE p.disk_id <> '' AND p.partition_number IS NOT NULL AND p.used_bytes IS NOT NULL;

-- The machine that a job is about, by its disk: the GUID and the serial number of the disk that holds the target, else of the first one that tells both.
ALTER TABLE jobs
  ADD COLUMN IF NOT EXISTS machine_key VARCHAR(270) NULL COMMENT 'GUID, a space, and serial number; null where they are not known',
  ADD KEY IF NOT EXISTS jobs_of_machine (machine_key, id);

UPDATE jobs j SET machine_key = (
  SELECT CONCAT(f.disk_id, ' ', f.serial) FROM fillings f JOIN surveys s ON s.id = f.survey_id
   WHERE s.job_id = j.id AND s.purpose = 'found' AND f.serial <> ''
   ORDER BY s.id DESC, f.disk_number <=> j.disk_number DESC, f.disk_number LIMIT 1
);
