-- A proof reads what is moved, or everything in use; whoever begins a run on an image says which.
ALTER TABLE rehearsals
  ADD COLUMN IF NOT EXISTS extent ENUM('quick', 'whole') NOT NULL DEFAULT 'quick' COMMENT 'what is read for the proof of a run on an image; of a stand-in everything is';
