-- +goose Up
-- How often what is decided for an asset was changed: by a decision, undo, redo, or
-- another revision put in force. A page sends the count it showed, so that a change
-- made on a page that is out of date is noticed. The number of a prep can't tell: it
-- comes again after an undo.
ALTER TABLE assets ADD COLUMN changes INTEGER NOT NULL DEFAULT 0;

-- +goose Down
ALTER TABLE assets DROP COLUMN changes;
