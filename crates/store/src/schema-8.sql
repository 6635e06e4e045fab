-- The recorded loop that a part is, as JSON: its file by its hash, where it lies in the song; nothing for any other part.
ALTER TABLE part ADD COLUMN audio TEXT;
