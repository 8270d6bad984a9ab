-- +goose Up
CREATE TABLE kits (
  id      INTEGER PRIMARY KEY,
  name    TEXT NOT NULL,
  target  TEXT NOT NULL,             -- JSON of target.Target
  created TEXT NOT NULL
);
CREATE TABLE assets (
  id       INTEGER PRIMARY KEY,
  kit_id   INTEGER NOT NULL REFERENCES kits(id) ON DELETE CASCADE,
  name     TEXT NOT NULL,
  prep_at  INTEGER NOT NULL DEFAULT 0, -- seq of the prep in force
  removed  TEXT,                       -- when it was taken out of the kit
  created  TEXT NOT NULL
);
CREATE INDEX assets_by_kit ON assets(kit_id);
CREATE TABLE revisions (
  id       INTEGER PRIMARY KEY,
  asset_id INTEGER NOT NULL REFERENCES assets(id) ON DELETE CASCADE,
  number   INTEGER NOT NULL,
  main     TEXT NOT NULL,            -- name of the mesh file in the set
  created  TEXT NOT NULL,
  UNIQUE (asset_id, number)
);
CREATE TABLE revision_files (
  revision_id INTEGER NOT NULL REFERENCES revisions(id) ON DELETE CASCADE,
  name TEXT NOT NULL,
  sha  TEXT NOT NULL,
  size INTEGER NOT NULL,
  PRIMARY KEY (revision_id, name)
);
-- Every change to a prep is a row; undo and redo move assets.prep_at along them.
CREATE TABLE preps (
  asset_id INTEGER NOT NULL REFERENCES assets(id) ON DELETE CASCADE,
  seq      INTEGER NOT NULL,
  prep     TEXT NOT NULL,            -- JSON of prep.Prep
  label    TEXT NOT NULL,            -- what was decided, in words
  created  TEXT NOT NULL,
  PRIMARY KEY (asset_id, seq)
);
CREATE TABLE exports (
  id          INTEGER PRIMARY KEY,
  asset_id    INTEGER NOT NULL REFERENCES assets(id) ON DELETE CASCADE,
  revision    INTEGER NOT NULL,
  seq         INTEGER NOT NULL,
  prep        TEXT NOT NULL,
  target      TEXT NOT NULL,
  format      TEXT NOT NULL,
  name        TEXT NOT NULL,         -- of the file to download
  sha         TEXT NOT NULL,
  size        INTEGER NOT NULL,
  packing     TEXT NOT NULL,         -- JSON: files and changes
  certificate TEXT NOT NULL,         -- JSON of arrival.Certificate
  created     TEXT NOT NULL
);
CREATE INDEX exports_by_asset ON exports(asset_id);

-- +goose Down
DROP TABLE exports;
DROP TABLE preps;
DROP TABLE revision_files;
DROP TABLE revisions;
DROP TABLE assets;
DROP TABLE kits;
