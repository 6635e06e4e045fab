-- The grid that a part's timing is measured against, where the person chose it.
ALTER TABLE part ADD COLUMN grid TEXT;

-- The library of grooves. `origin` names one that ships with Vivida.
CREATE TABLE groove (
    id          INTEGER PRIMARY KEY AUTOINCREMENT,
    origin      TEXT UNIQUE,
    note        TEXT NOT NULL,
    groove      TEXT NOT NULL,
    favourite   INTEGER NOT NULL DEFAULT 0,
    deleted     INTEGER NOT NULL DEFAULT 0,
    revision    INTEGER NOT NULL DEFAULT 1
) STRICT;

-- Timings that parts and instruments of a song share; passes name them by id.
CREATE TABLE pocket (
    id          INTEGER PRIMARY KEY AUTOINCREMENT,
    song        INTEGER NOT NULL REFERENCES song (id) ON DELETE CASCADE,
    name        TEXT NOT NULL,
    settings    TEXT NOT NULL,
    deleted     INTEGER NOT NULL DEFAULT 0,
    revision    INTEGER NOT NULL DEFAULT 1
) STRICT;
CREATE INDEX pocket_of_song ON pocket (song, id);
