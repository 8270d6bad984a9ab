-- +goose Up
-- Ways to send that have a name, of a kit. One of them may be what new assets of the kit begin with.
CREATE TABLE presets (
  id       INTEGER PRIMARY KEY,
  kit_id   INTEGER NOT NULL REFERENCES kits(id),
  name     TEXT NOT NULL,
  folded   TEXT NOT NULL,             -- the name as it is compared
  body     TEXT NOT NULL,             -- JSON of the decisions of Export
  standard INTEGER NOT NULL DEFAULT 0,
  created  TEXT NOT NULL,
  signed   TEXT NOT NULL DEFAULT '',
  seal     TEXT,
  UNIQUE (kit_id, folded)
);
-- What readers of another make say of an export.
CREATE TABLE opinions (
  export_id INTEGER NOT NULL REFERENCES exports(id),
  reader    TEXT NOT NULL,            -- with its version
  body      TEXT NOT NULL,            -- JSON of deliver.Figures
  created   TEXT NOT NULL,
  signed    TEXT NOT NULL DEFAULT '',
  seal      TEXT,
  PRIMARY KEY (export_id, reader)
);
-- Exports that were written into a kit's outbox: what is in their files now, and what was there before.
CREATE TABLE placings (
  id        INTEGER PRIMARY KEY,
  kit_id    INTEGER NOT NULL REFERENCES kits(id),
  export_id INTEGER NOT NULL REFERENCES exports(id),
  folder    TEXT NOT NULL,            -- of this machine
  files     TEXT NOT NULL,            -- JSON of a list of store.Placed
  state     TEXT NOT NULL,            -- "begun", "done" or "undone"
  created   TEXT NOT NULL,
  signed    TEXT NOT NULL DEFAULT '',
  seal      TEXT
);
CREATE INDEX placings_by_export ON placings(export_id);
CREATE INDEX placings_by_kit ON placings(kit_id);

-- +goose Down
DROP TABLE placings;
DROP TABLE opinions;
DROP TABLE presets;
