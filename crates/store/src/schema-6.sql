-- The files that a song came in as: the newest is its own, former ones are kept for as long as undo leads to them.
-- `ids` are the ids of the hits of each part, as JSON, where they are not the numbers of its note-ons.
CREATE TABLE file (
    id          INTEGER PRIMARY KEY AUTOINCREMENT,
    song        INTEGER NOT NULL REFERENCES song (id) ON DELETE CASCADE,
    name        TEXT NOT NULL,
    bytes       BLOB NOT NULL,
    ids         TEXT
) STRICT;
CREATE INDEX file_of_song ON file (song, id);
INSERT INTO file (song, name, bytes) SELECT id, file_name, original FROM song ORDER BY id;
ALTER TABLE song ADD COLUMN file INTEGER;
UPDATE song SET file = (SELECT id FROM file WHERE file.song = song.id);
ALTER TABLE song DROP COLUMN original;
ALTER TABLE song DROP COLUMN file_name;

-- Counts the changes of a take's own Written.
ALTER TABLE take ADD COLUMN written INTEGER NOT NULL DEFAULT 0;

-- Songs that were treated together. `state` is running, done, cancelled, interrupted or undone; of a song waiting, done,
-- failed, left or undone. `report` says what was done to it, as JSON.
CREATE TABLE batch (
    id          INTEGER PRIMARY KEY AUTOINCREMENT,
    label       TEXT NOT NULL,
    state       TEXT NOT NULL,
    created     TEXT NOT NULL DEFAULT (datetime('now'))
) STRICT;
CREATE TABLE batch_song (
    batch       INTEGER NOT NULL REFERENCES batch (id) ON DELETE CASCADE,
    place       INTEGER NOT NULL,
    song        INTEGER NOT NULL,
    name        TEXT NOT NULL,
    state       TEXT NOT NULL,
    report      TEXT,
    PRIMARY KEY (batch, place)
) STRICT, WITHOUT ROWID;

-- The batch that a step is of.
ALTER TABLE step ADD COLUMN batch INTEGER;
