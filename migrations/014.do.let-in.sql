-- What was let in from where, so that it ends together; and the wrong tries that a person is told of.
ALTER TABLE devices
  ADD COLUMN IF NOT EXISTS person_id INT UNSIGNED NULL COMMENT 'who signed in on it first; null on devices from before this was noted',
  ADD COLUMN IF NOT EXISTS let_in_by INT UNSIGNED NULL COMMENT 'device that showed the address with which this one signed in',
  ADD COLUMN IF NOT EXISTS let_in_session INT UNSIGNED NULL COMMENT 'session that made that address',
  ADD KEY IF NOT EXISTS devices_of_person (person_id),
  ADD KEY IF NOT EXISTS devices_let_in (let_in_by),
  ADD KEY IF NOT EXISTS devices_of_session (let_in_session);

ALTER TABLE invitations
  ADD COLUMN IF NOT EXISTS session_id INT UNSIGNED NULL COMMENT 'of an address for a device: the session that made it, and with which it ends';

ALTER TABLE access_tokens
  ADD COLUMN IF NOT EXISTS device_id INT UNSIGNED NULL COMMENT 'device that it was made on; null on tokens from before this was noted',
  ADD KEY IF NOT EXISTS access_tokens_of_device (device_id);

CREATE TABLE IF NOT EXISTS tries_at_people (
  person_id INT UNSIGNED NOT NULL,
  place VARCHAR(160) NOT NULL COMMENT 'device and address that the wrong tries came from',
  count INT UNSIGNED NOT NULL,
  last_at DATETIME(3) NOT NULL,
  PRIMARY KEY (person_id, place),
  CONSTRAINT tries_at_people_person FOREIGN KEY (person_id) REFERENCES people (id) ON DELETE CASCADE
) ENGINE = InnoDB DEFAULT CHARSET = utf8mb4 COLLATE = utf8mb4_unicode_ci;
