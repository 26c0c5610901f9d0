-- Who works here, what they sign in with, and where they are signed in. Secrets are kept as hashes only.
CREATE TABLE IF NOT EXISTS people (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  name VARCHAR(100) NOT NULL UNIQUE COMMENT 'as the history calls them',
  role ENUM('owner', 'technician', 'reader') NOT NULL,
  passphrase VARCHAR(255) NULL COMMENT 'hash; signs in anywhere',
  pin VARCHAR(255) NULL COMMENT 'hash; signs in on devices that somebody signed in on before',
  version INT UNSIGNED NOT NULL DEFAULT 1 COMMENT 'grows with every change of name and role; one made on an older one is refused',
  left_at DATETIME(3) NULL COMMENT 'since when they work here no more',
  created_at DATETIME(3) NOT NULL DEFAULT UTC_TIMESTAMP(3)
) ENGINE = InnoDB DEFAULT CHARSET = utf8mb4 COLLATE = utf8mb4_unicode_ci;

CREATE TABLE IF NOT EXISTS devices (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  token CHAR(64) NOT NULL UNIQUE COMMENT 'SHA-256 of what the device keeps',
  name VARCHAR(100) NOT NULL COMMENT 'what its browser says that it is',
  address VARCHAR(45) NOT NULL COMMENT 'where it was seen last',
  created_at DATETIME(3) NOT NULL DEFAULT UTC_TIMESTAMP(3),
  seen_at DATETIME(3) NOT NULL DEFAULT UTC_TIMESTAMP(3),
  ended_at DATETIME(3) NULL COMMENT 'since when it is not known any more, as if it had never been'
) ENGINE = InnoDB DEFAULT CHARSET = utf8mb4 COLLATE = utf8mb4_unicode_ci;

CREATE TABLE IF NOT EXISTS sessions (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  token CHAR(64) NOT NULL UNIQUE COMMENT 'SHA-256 of the cookie',
  person_id INT UNSIGNED NOT NULL,
  device_id INT UNSIGNED NOT NULL,
  created_at DATETIME(3) NOT NULL DEFAULT UTC_TIMESTAMP(3),
  seen_at DATETIME(3) NOT NULL DEFAULT UTC_TIMESTAMP(3),
  ends_at DATETIME(3) NOT NULL COMMENT 'whatever is done in it',
  ended_at DATETIME(3) NULL,
  CONSTRAINT sessions_person FOREIGN KEY (person_id) REFERENCES people (id) ON DELETE CASCADE,
  CONSTRAINT sessions_device FOREIGN KEY (device_id) REFERENCES devices (id) ON DELETE CASCADE,
  KEY sessions_by_end (ends_at)
) ENGINE = InnoDB DEFAULT CHARSET = utf8mb4 COLLATE = utf8mb4_unicode_ci;

CREATE TABLE IF NOT EXISTS invitations (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  token CHAR(64) NOT NULL UNIQUE COMMENT 'SHA-256 of what stands in the address',
  kind ENUM('owner', 'person', 'device') NOT NULL COMMENT 'the first owner; somebody who chooses what to sign in with; one more device of somebody',
  person_id INT UNSIGNED NULL COMMENT 'null for the first owner, who is not there yet',
  created_at DATETIME(3) NOT NULL DEFAULT UTC_TIMESTAMP(3),
  ends_at DATETIME(3) NOT NULL,
  used_at DATETIME(3) NULL,
  CONSTRAINT invitations_person FOREIGN KEY (person_id) REFERENCES people (id) ON DELETE CASCADE
) ENGINE = InnoDB DEFAULT CHARSET = utf8mb4 COLLATE = utf8mb4_unicode_ci;

CREATE TABLE IF NOT EXISTS access_tokens (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  token CHAR(64) NOT NULL UNIQUE COMMENT 'SHA-256 of what the program sends',
  person_id INT UNSIGNED NOT NULL COMMENT 'who answers for it; it may do no more than they',
  name VARCHAR(100) NOT NULL,
  scopes LONGTEXT NOT NULL CHECK (JSON_VALID(scopes)),
  created_at DATETIME(3) NOT NULL DEFAULT UTC_TIMESTAMP(3),
  seen_at DATETIME(3) NULL,
  ends_at DATETIME(3) NOT NULL,
  ended_at DATETIME(3) NULL,
  CONSTRAINT access_tokens_person FOREIGN KEY (person_id) REFERENCES people (id) ON DELETE CASCADE
) ENGINE = InnoDB DEFAULT CHARSET = utf8mb4 COLLATE = utf8mb4_unicode_ci;

-- Wrong tries to sign in, by who was tried from where.
CREATE TABLE IF NOT EXISTS wrong_tries (
  source VARCHAR(160) NOT NULL PRIMARY KEY,
  count INT UNSIGNED NOT NULL,
  last_at DATETIME(3) NOT NULL,
  waits_until DATETIME(3) NOT NULL,
  KEY wrong_tries_by_age (last_at)
) ENGINE = InnoDB DEFAULT CHARSET = utf8mb4 COLLATE = utf8mb4_unicode_ci;
