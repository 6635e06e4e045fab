-- What is being recorded, or was: raw, in pieces that come about once a second. `client` is who records while it goes
-- on, `touched` when its last piece came, in s since 1970. What was laid into the part is `kept`; others are offered again.
CREATE TABLE recording (
    id          INTEGER PRIMARY KEY AUTOINCREMENT,
    part        INTEGER NOT NULL REFERENCES part (id) ON DELETE CASCADE,
    client      TEXT NOT NULL,
    open        INTEGER NOT NULL DEFAULT 1,
    kept        INTEGER NOT NULL DEFAULT 0,
    touched     REAL NOT NULL,
    created     TEXT NOT NULL DEFAULT (datetime('now'))
) STRICT;
CREATE INDEX recording_of_part ON recording (part, id);
CREATE TABLE recording_piece (
    recording   INTEGER NOT NULL REFERENCES recording (id) ON DELETE CASCADE,
    number      INTEGER NOT NULL,
    piece       TEXT NOT NULL,
    PRIMARY KEY (recording, number)
) STRICT, WITHOUT ROWID;
