-- +goose Up
-- The revision in force; NULL for the newest. A revision that was looked at and not
-- taken, or gone back from, stays where it is.
ALTER TABLE assets ADD COLUMN revision INTEGER;
-- The module of the kit's pieces in metres, 0 for none.
ALTER TABLE kits ADD COLUMN grid REAL NOT NULL DEFAULT 0;

-- +goose Down
ALTER TABLE kits DROP COLUMN grid;
ALTER TABLE assets DROP COLUMN revision;
