-- +goose Up
-- What the slots of a kit's assets are called in the project that receives them: JSON of a list of
-- slots.MapLine.
ALTER TABLE kits ADD COLUMN slot_map TEXT NOT NULL DEFAULT '[]';
-- Pictures that were added to an asset's materials, besides those its source came with.
CREATE TABLE added_pictures (
	asset_id INTEGER NOT NULL REFERENCES assets (id),
	sha      TEXT NOT NULL,
	name     TEXT NOT NULL,
	size     INTEGER NOT NULL,
	created  TEXT NOT NULL,
	signed   TEXT NOT NULL DEFAULT '',
	PRIMARY KEY (asset_id, sha)
);

-- +goose Down
DROP TABLE added_pictures;
ALTER TABLE kits DROP COLUMN slot_map;
