-- +goose Up
-- What is to be made in the background for an asset, so that a new start goes on with it. What somebody stopped stays
-- stopped until it is asked for again.
CREATE TABLE makings (
  asset_id INTEGER PRIMARY KEY REFERENCES assets(id) ON DELETE CASCADE,
  wanted   TEXT NOT NULL,            -- names what is made
  person   TEXT NOT NULL,            -- who asked for it first
  bytes    INTEGER NOT NULL,         -- of memory it is thought to take
  stopped  INTEGER NOT NULL DEFAULT 0
);

-- +goose Down
DROP TABLE makings;
