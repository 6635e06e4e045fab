-- Kits: which notes are which drum. `origin` names one that ships with Vivida.
CREATE TABLE kit (
    id          INTEGER PRIMARY KEY AUTOINCREMENT,
    origin      TEXT UNIQUE,
    kit         TEXT NOT NULL,
    deleted     INTEGER NOT NULL DEFAULT 0,
    revision    INTEGER NOT NULL DEFAULT 1
) STRICT;

-- The kit that a part is read by; nothing where that is the General MIDI map. A kit that was deleted is kept for
-- as long as a part has it.
ALTER TABLE part ADD COLUMN kit INTEGER;
CREATE INDEX part_by_kit ON part (kit, song);
