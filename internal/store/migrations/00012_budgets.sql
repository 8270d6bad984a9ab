-- +goose Up
-- What all assets of a kit may cost together.
CREATE TABLE budgets (
  kit_id  INTEGER NOT NULL UNIQUE REFERENCES kits(id),
  body    TEXT NOT NULL,             -- JSON of work.KitBudget
  created TEXT NOT NULL,
  signed  TEXT NOT NULL DEFAULT '',
  seal    TEXT
);

-- +goose Down
DROP TABLE budgets;
