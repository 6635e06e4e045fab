-- Songs as they came in. Nothing changes `original`.
CREATE TABLE song (
    id          INTEGER PRIMARY KEY AUTOINCREMENT,
    name        TEXT NOT NULL,
    file_name   TEXT NOT NULL,
    original    BLOB NOT NULL,
    is_demo     INTEGER NOT NULL DEFAULT 0,
    deleted     INTEGER NOT NULL DEFAULT 0,
    revision    INTEGER NOT NULL DEFAULT 1,
    created     TEXT NOT NULL DEFAULT (datetime('now'))
) STRICT;

-- What the person made of each part. `position` is the part's place in the file.
CREATE TABLE part (
    id          INTEGER PRIMARY KEY AUTOINCREMENT,
    song        INTEGER NOT NULL REFERENCES song (id) ON DELETE CASCADE,
    position    INTEGER NOT NULL,
    drums       INTEGER NOT NULL,
    recipe      TEXT NOT NULL DEFAULT '{"passes":[]}',
    variation   INTEGER NOT NULL DEFAULT 1,
    revision    INTEGER NOT NULL DEFAULT 1,
    UNIQUE (song, position)
) STRICT;

-- Every change is one step: what it changed, before and after. A song's own steps are its
-- workspace's history; steps without a song are the shelf's.
CREATE TABLE step (
    id          INTEGER PRIMARY KEY AUTOINCREMENT,
    song        INTEGER REFERENCES song (id) ON DELETE CASCADE,
    label       TEXT NOT NULL,
    before      TEXT NOT NULL,
    after       TEXT NOT NULL,
    undone      INTEGER NOT NULL DEFAULT 0,
    created     TEXT NOT NULL DEFAULT (datetime('now'))
) STRICT;
CREATE INDEX step_of_song ON step (song, undone, id);

-- How a screen was left (loop, mutes, zoom): kept, but no step.
CREATE TABLE view (
    name        TEXT PRIMARY KEY,
    value       TEXT NOT NULL
) STRICT, WITHOUT ROWID;
