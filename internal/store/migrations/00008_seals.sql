-- +goose Up
-- What each row is sealed with: a digest of its content and, where rows follow one another, of the row before it.
-- seal.go says over what, and keeps the seals by triggers that it makes when the folder is opened.
CREATE TABLE seals (
  name TEXT PRIMARY KEY,             -- of the table
  expr TEXT NOT NULL                 -- what its seals are made by
);
ALTER TABLE kits             ADD COLUMN seal TEXT;
ALTER TABLE assets           ADD COLUMN seal TEXT;
ALTER TABLE revisions        ADD COLUMN seal TEXT;
ALTER TABLE preps            ADD COLUMN seal TEXT;
ALTER TABLE exports          ADD COLUMN seal TEXT;
ALTER TABLE people           ADD COLUMN seal TEXT;
ALTER TABLE uploads          ADD COLUMN seal TEXT;
ALTER TABLE targets          ADD COLUMN seal TEXT;
ALTER TABLE target_revisions ADD COLUMN seal TEXT;
ALTER TABLE added_pictures   ADD COLUMN seal TEXT;
-- Digests of the two large columns, so that the row can be checked without them.
ALTER TABLE exports ADD COLUMN packing_sum     TEXT NOT NULL DEFAULT '';
ALTER TABLE exports ADD COLUMN certificate_sum TEXT NOT NULL DEFAULT '';
UPDATE exports SET packing_sum = row_digest(packing), certificate_sum = row_digest(certificate);

-- How often anything of a kit changed that a page of it shows.
ALTER TABLE kits ADD COLUMN moved INTEGER NOT NULL DEFAULT 0;

-- +goose StatementBegin
CREATE TRIGGER moved_kit AFTER UPDATE OF name, target, removed, grid, slot_map ON kits BEGIN
  UPDATE kits SET moved = moved + 1 WHERE id = NEW.id;
END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER moved_by_asset AFTER UPDATE OF name, prep_at, removed, revision, changes ON assets BEGIN
  UPDATE kits SET moved = moved + 1 WHERE id = NEW.kit_id;
END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER moved_by_new_asset AFTER INSERT ON assets BEGIN
  UPDATE kits SET moved = moved + 1 WHERE id = NEW.kit_id;
END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER moved_by_revision AFTER INSERT ON revisions BEGIN
  UPDATE kits SET moved = moved + 1 WHERE id = (SELECT kit_id FROM assets WHERE id = NEW.asset_id);
END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER moved_by_picture AFTER INSERT ON added_pictures BEGIN
  UPDATE kits SET moved = moved + 1 WHERE id = (SELECT kit_id FROM assets WHERE id = NEW.asset_id);
END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER moved_by_export AFTER INSERT ON exports BEGIN
  UPDATE kits SET moved = moved + 1 WHERE id = (SELECT kit_id FROM assets WHERE id = NEW.asset_id);
END;
-- +goose StatementEnd

-- Sessions say whose they are, and end with the account. Those there were can't tell, so all sign in anew.
DROP TABLE sessions;
CREATE TABLE sessions (
  token   TEXT PRIMARY KEY,          -- SHA-256 of what the browser holds
  person  TEXT NOT NULL DEFAULT '',  -- who signed in by it, '' while nobody did
  opens   TEXT NOT NULL DEFAULT '',  -- digest of the passphrase as it was kept then: another one ends the session
  data    BLOB NOT NULL,
  expiry  INTEGER NOT NULL,          -- Unix seconds
  created TEXT NOT NULL,
  address TEXT NOT NULL DEFAULT '',  -- it was begun from
  agent   TEXT NOT NULL DEFAULT '',  -- what the browser calls itself
  seal    TEXT
);
-- Names as they are compared: one letter is one letter, however it is written.
ALTER TABLE people ADD COLUMN folded TEXT NOT NULL DEFAULT '';
UPDATE people SET folded = folded_name(name);
CREATE INDEX people_by_folded ON people(folded);
-- Who signed in, what was sent, and what was removed.
CREATE TABLE journal (
  id      INTEGER PRIMARY KEY,
  at      TEXT NOT NULL,
  person  TEXT NOT NULL,
  address TEXT NOT NULL,
  did     TEXT NOT NULL,             -- a word of journal.go
  what    TEXT NOT NULL,             -- to what, in words
  seal    TEXT
);
-- Tries to sign in that failed, so that a new start forgets none.
CREATE TABLE failed_tries (
  who   TEXT PRIMARY KEY,            -- digest of a name and an address
  times INTEGER NOT NULL,
  last  INTEGER NOT NULL             -- Unix milliseconds
);
CREATE INDEX added_pictures_by_sha ON added_pictures(sha);
CREATE INDEX revision_files_by_sha ON revision_files(sha);

-- Moments all have nine decimals, so that they sort as text.
UPDATE kits             SET created = even_stamp(created), removed = even_stamp(removed);
UPDATE assets           SET created = even_stamp(created), removed = even_stamp(removed);
UPDATE revisions        SET created = even_stamp(created);
UPDATE preps            SET created = even_stamp(created);
UPDATE exports          SET created = even_stamp(created);
UPDATE people           SET created = even_stamp(created);
UPDATE uploads          SET created = even_stamp(created);
UPDATE targets          SET removed = even_stamp(removed);
UPDATE target_revisions SET created = even_stamp(created);
UPDATE added_pictures   SET created = even_stamp(created);

-- +goose Down
DROP TABLE failed_tries;
DROP TABLE journal;
DROP TABLE seals;
