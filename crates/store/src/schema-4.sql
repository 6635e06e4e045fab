-- What a step holds in bytes, so that histories can be bounded.
ALTER TABLE step ADD COLUMN size INTEGER NOT NULL DEFAULT 0;
UPDATE step SET size = length(before) + length(after);
CREATE INDEX step_size ON step (song, id, size);

-- What each step touches: a deleted row that no step touches any more gives its space back.
CREATE TABLE touched (
    kind        TEXT NOT NULL,
    id          INTEGER NOT NULL,
    step        INTEGER NOT NULL REFERENCES step (id) ON DELETE CASCADE,
    PRIMARY KEY (kind, id, step)
) STRICT, WITHOUT ROWID;
CREATE INDEX touched_by_step ON touched (step);

-- Counts every change to a song or to anything of it.
ALTER TABLE song ADD COLUMN stamp INTEGER NOT NULL DEFAULT 1;

-- What the shelf shows of a song, as JSON, until something of it changes.
CREATE TABLE card (
    song        INTEGER PRIMARY KEY REFERENCES song (id) ON DELETE CASCADE,
    version     TEXT NOT NULL,
    card        TEXT NOT NULL
) STRICT;

-- Counts the changes of what holds for every song.
ALTER TABLE setting ADD COLUMN revision INTEGER NOT NULL DEFAULT 1;
