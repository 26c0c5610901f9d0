-- A survey may also be written by hand.
ALTER TABLE surveys MODIFY source ENUM('document', 'image', 'hand') NOT NULL;
