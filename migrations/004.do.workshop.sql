-- What a goal asks beyond its size, the workshop's own tools, kits and rates, and the route that was chosen.
ALTER TABLE goals
  ADD COLUMN IF NOT EXISTS options LONGTEXT NULL COMMENT 'kits, donors, permissions and the like, as JSON' CHECK (options IS NULL OR JSON_VALID(options)),
  ADD COLUMN IF NOT EXISTS tools_print CHAR(64) NULL COMMENT 'SHA-256 of the tools and rates it was planned with; others make it stale';

ALTER TABLE routes
  ADD COLUMN IF NOT EXISTS chosen SMALLINT UNSIGNED NOT NULL DEFAULT 0 COMMENT 'place of the chosen route in the answer';

CREATE TABLE IF NOT EXISTS workshop (
  id TINYINT UNSIGNED NOT NULL PRIMARY KEY CHECK (id = 1),
  version INT UNSIGNED NOT NULL COMMENT 'grows with every save; a save made on an older one is refused',
  document LONGTEXT NOT NULL COMMENT 'own tools, kits and rates' CHECK (JSON_VALID(document)),
  updated_at DATETIME(3) NOT NULL DEFAULT UTC_TIMESTAMP(3)
) ENGINE = InnoDB DEFAULT CHARSET = utf8mb4 COLLATE = utf8mb4_unicode_ci;

INSERT IGNORE INTO workshop (id, version, document) VALUES (1, 1, '{}');
