-- A rehearsal that came with a job from another bench was not carried out here, and can't be checked here.
ALTER TABLE rehearsals
  ADD COLUMN IF NOT EXISTS elsewhere BOOLEAN NOT NULL DEFAULT FALSE COMMENT 'taken over with its job from another bench';
