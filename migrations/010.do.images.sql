-- A route can be carried out on a disk image that lies on the server, or on a copy of it: the same queue and the same rules as on a stand-in.
ALTER TABLE surveys
  ADD COLUMN IF NOT EXISTS image VARCHAR(255) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin NULL COMMENT 'file in the server''s folder of images that it was read from';
ALTER TABLE rehearsals
  ADD COLUMN IF NOT EXISTS place ENUM('stand-in', 'copy', 'image') NOT NULL DEFAULT 'stand-in' COMMENT 'what the route is carried out on',
  ADD COLUMN IF NOT EXISTS image VARCHAR(255) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin NULL COMMENT 'that image, or the one that the copy is made of';
