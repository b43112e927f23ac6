-- +goose Up
-- An event is of a kind, with its fields; what is said of it is made from them. Those from before keep their words alone.
ALTER TABLE event ADD COLUMN name text NOT NULL DEFAULT '', ADD COLUMN data jsonb NOT NULL DEFAULT '{}';

-- +goose Down
ALTER TABLE event DROP COLUMN name, DROP COLUMN data;
