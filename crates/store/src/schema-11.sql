-- The lines that a part's timing is measured against, where the person chose them: a grid for all, or JSON.
ALTER TABLE part RENAME COLUMN grid TO lines;
