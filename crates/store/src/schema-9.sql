-- One row. No revision at or below `floor` is ever given out again: it rises when a backup is restored (`restore.rs`).
-- `highest` is the highest revision among rows that are gone for good. `backups` counts the backups that were taken; in a backup it is that backup's own number, and `kind` is
-- why it was taken.
CREATE TABLE shelf (
    floor       INTEGER NOT NULL DEFAULT 0,
    highest     INTEGER NOT NULL DEFAULT 0,
    backups     INTEGER NOT NULL DEFAULT 0,
    kind        TEXT
) STRICT;
INSERT INTO shelf DEFAULT VALUES;

-- How many messages, readings of clocks and points of the course a piece has; nothing in those of former versions.
ALTER TABLE recording_piece ADD COLUMN messages INTEGER;
ALTER TABLE recording_piece ADD COLUMN clock INTEGER;
ALTER TABLE recording_piece ADD COLUMN course INTEGER;
