-- +goose Up
-- Support by hand and what a slice found to hang; how files are named (empty: the
-- program's own pattern).
ALTER TABLE slice ADD COLUMN marks jsonb NOT NULL DEFAULT '[]';
ALTER TABLE slice ADD COLUMN regions jsonb NOT NULL DEFAULT '[]';
ALTER TABLE house ADD COLUMN file_pattern text NOT NULL DEFAULT '';
-- +goose Down
ALTER TABLE house DROP COLUMN file_pattern;
ALTER TABLE slice DROP COLUMN regions;
ALTER TABLE slice DROP COLUMN marks;
