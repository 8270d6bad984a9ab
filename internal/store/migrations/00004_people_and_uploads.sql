-- +goose Up
-- Those who may sign in where others on the network can reach the server.
CREATE TABLE people (
  name    TEXT PRIMARY KEY COLLATE NOCASE,
  phrase  TEXT NOT NULL,             -- Argon2id of the passphrase, with its parameters and salt
  created TEXT NOT NULL
);
CREATE TABLE sessions (
  token  TEXT PRIMARY KEY,           -- SHA-256 of what the browser holds
  data   BLOB NOT NULL,
  expiry INTEGER NOT NULL            -- Unix seconds
);
-- What uploads brought, so that a page that waits for one can be told what became of it
-- after the server was started anew.
CREATE TABLE uploads (
  job     TEXT PRIMARY KEY,
  kit_id  INTEGER NOT NULL REFERENCES kits(id) ON DELETE CASCADE,
  files   TEXT NOT NULL,             -- JSON of its mesh files: name, sha, size
  created TEXT NOT NULL
);
-- Who made a change; '' on an installation without sign-in.
ALTER TABLE kits      ADD COLUMN signed TEXT NOT NULL DEFAULT '';
ALTER TABLE assets    ADD COLUMN signed TEXT NOT NULL DEFAULT '';
ALTER TABLE revisions ADD COLUMN signed TEXT NOT NULL DEFAULT '';
ALTER TABLE preps     ADD COLUMN signed TEXT NOT NULL DEFAULT '';
ALTER TABLE exports   ADD COLUMN signed TEXT NOT NULL DEFAULT '';

-- +goose Down
ALTER TABLE exports   DROP COLUMN signed;
ALTER TABLE preps     DROP COLUMN signed;
ALTER TABLE revisions DROP COLUMN signed;
ALTER TABLE assets    DROP COLUMN signed;
ALTER TABLE kits      DROP COLUMN signed;
DROP TABLE uploads;
DROP TABLE sessions;
DROP TABLE people;
