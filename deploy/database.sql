-- Databases and accounts of Gentle Tide in a MariaDB of yours. Put two passwords of your own in before you carry it out.
CREATE DATABASE IF NOT EXISTS gentle_tide CHARACTER SET utf8mb4 COLLATE utf8mb4_unicode_ci;
-- What backups are restored into to see whether they can be.
CREATE DATABASE IF NOT EXISTS gentle_tide_scratch CHARACTER SET utf8mb4 COLLATE utf8mb4_unicode_ci;

-- What the server works with: rows, nothing else.
CREATE USER IF NOT EXISTS 'gentle_tide'@'127.0.0.1' IDENTIFIED BY 'CHANGE ME';
GRANT SELECT, INSERT, UPDATE, DELETE ON gentle_tide.* TO 'gentle_tide'@'127.0.0.1';

-- What migrates and makes backups.
CREATE USER IF NOT EXISTS 'gentle_tide_keeper'@'127.0.0.1' IDENTIFIED BY 'CHANGE ME TOO';
GRANT ALL ON gentle_tide.* TO 'gentle_tide_keeper'@'127.0.0.1';
GRANT ALL ON gentle_tide_scratch.* TO 'gentle_tide_keeper'@'127.0.0.1';

-- What a backup is tried with before it is restored: it sees nothing else.
CREATE USER IF NOT EXISTS 'gentle_tide_scratch'@'127.0.0.1' IDENTIFIED BY 'CHANGE ME AS WELL';
GRANT ALL ON gentle_tide_scratch.* TO 'gentle_tide_scratch'@'127.0.0.1';
