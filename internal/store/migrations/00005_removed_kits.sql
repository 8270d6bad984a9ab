-- +goose Up
-- When a kit was taken off the first page; it can be put back.
ALTER TABLE kits ADD COLUMN removed TEXT;

-- +goose Down
ALTER TABLE kits DROP COLUMN removed;
