-- Sections that the person has set, as JSON; until then they are the file's markers.
ALTER TABLE song ADD COLUMN sections TEXT;

-- A part may now be there twice, be muted and have a name and velocity layers of its own; what the
-- person makes of it belongs to its takes.
ALTER TABLE part RENAME TO part_before;
CREATE TABLE part (
    id          INTEGER PRIMARY KEY AUTOINCREMENT,
    song        INTEGER NOT NULL REFERENCES song (id) ON DELETE CASCADE,
    position    INTEGER NOT NULL,
    name        TEXT,
    drums       INTEGER NOT NULL,
    muted       INTEGER NOT NULL DEFAULT 0,
    layers      TEXT,
    take        INTEGER,
    deleted     INTEGER NOT NULL DEFAULT 0,
    revision    INTEGER NOT NULL DEFAULT 1
) STRICT;
CREATE INDEX part_of_song ON part (song, position, id);
INSERT INTO part (id, song, position, drums, revision) SELECT id, song, position, drums, revision FROM part_before;

-- Kept versions of a part. `hits` is the Written of a printed take, as JSON; a take without hits is
-- written as the file has it.
CREATE TABLE take (
    id          INTEGER PRIMARY KEY AUTOINCREMENT,
    part        INTEGER NOT NULL REFERENCES part (id) ON DELETE CASCADE,
    name        TEXT NOT NULL,
    hits        TEXT,
    recipe      TEXT NOT NULL DEFAULT '{"passes":[]}',
    variation   INTEGER NOT NULL DEFAULT 1,
    deleted     INTEGER NOT NULL DEFAULT 0,
    created     TEXT NOT NULL DEFAULT (datetime('now'))
) STRICT;
CREATE INDEX take_of_part ON take (part, id);
INSERT INTO take (part, name, recipe, variation) SELECT id, 'As it came', recipe, variation FROM part_before;
UPDATE part SET take = (SELECT id FROM take WHERE take.part = part.id);
DROP TABLE part_before;

-- The library of recipes.
CREATE TABLE recipe (
    id          INTEGER PRIMARY KEY AUTOINCREMENT,
    name        TEXT NOT NULL,
    note        TEXT NOT NULL,
    recipe      TEXT NOT NULL,
    deleted     INTEGER NOT NULL DEFAULT 0,
    revision    INTEGER NOT NULL DEFAULT 1
) STRICT;

-- What holds for every song, as JSON: the velocity layers of the person's own kit.
CREATE TABLE setting (
    name        TEXT PRIMARY KEY,
    value       TEXT NOT NULL
) STRICT, WITHOUT ROWID;
