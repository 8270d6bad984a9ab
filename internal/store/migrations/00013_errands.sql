-- +goose Up
-- Long work that changes a kit, from when it was asked for until it ended, so that a new start goes on with it.
CREATE TABLE errands (
  job     TEXT PRIMARY KEY,
  kit_id  INTEGER NOT NULL REFERENCES kits(id),
  body    TEXT NOT NULL,             -- JSON of work.errand
  person  TEXT NOT NULL,             -- who asked for it
  address TEXT NOT NULL,             -- from where
  tries   INTEGER NOT NULL DEFAULT 0, -- how many starts went on with it
  created TEXT NOT NULL,
  seal    TEXT
);

-- +goose Down
DROP TABLE errands;
