-- +goose Up
-- What a job is for, as its member says it: how warm it gets, whether it stays outdoors, which colour is wished.
ALTER TABLE job ADD COLUMN use jsonb NOT NULL DEFAULT '{}';

-- +goose Down
ALTER TABLE job DROP COLUMN use;
