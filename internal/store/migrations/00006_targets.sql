-- +goose Up
-- Targets of the house's own, with all their revisions. A kit keeps the revision it uses in
-- full, so that nothing here is needed to open it.
CREATE TABLE targets (
	id      TEXT PRIMARY KEY,
	removed TEXT
);
CREATE TABLE target_revisions (
	target  TEXT NOT NULL REFERENCES targets (id),
	number  INTEGER NOT NULL,
	body    TEXT NOT NULL,             -- JSON of target.Target
	created TEXT NOT NULL,
	signed  TEXT NOT NULL DEFAULT '',
	PRIMARY KEY (target, number)
);

-- +goose Down
DROP TABLE target_revisions;
DROP TABLE targets;
