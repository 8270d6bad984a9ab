-- +goose Up
-- What was decided for many assets of a kit at once, so that it is undone as one.
CREATE TABLE rounds (
  id      INTEGER PRIMARY KEY,
  kit_id  INTEGER NOT NULL REFERENCES kits(id),
  title   TEXT NOT NULL,
  steps   TEXT NOT NULL,             -- JSON of a list of store.RoundStep
  undone  INTEGER NOT NULL DEFAULT 0,
  created TEXT NOT NULL,
  signed  TEXT NOT NULL DEFAULT '',
  seal    TEXT
);
CREATE INDEX rounds_by_kit ON rounds(kit_id);

-- +goose Down
DROP TABLE rounds;
