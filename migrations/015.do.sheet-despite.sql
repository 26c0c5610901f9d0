-- Goal or route were changed after a sheet was made, and somebody said that it is worked from all the same.
ALTER TABLE sheets
  ADD COLUMN IF NOT EXISTS despite VARCHAR(100) NULL COMMENT 'what the sheet was held against when that was said; anything else waits for another word';
