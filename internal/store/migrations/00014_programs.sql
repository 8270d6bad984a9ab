-- +goose Up
-- Which program brought the database to which version, so that an older one can say which is needed.
CREATE TABLE programs (
  version INTEGER PRIMARY KEY, -- of the database
  program TEXT NOT NULL,       -- as it names itself
  at      TEXT NOT NULL
);

-- +goose Down
DROP TABLE programs;
