-- What the page calls a change, so that one which arrives twice is made once.
ALTER TABLE step ADD COLUMN key TEXT;
CREATE INDEX step_of_key ON step (song, key) WHERE key IS NOT NULL;
