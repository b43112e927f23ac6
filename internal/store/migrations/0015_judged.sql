-- +goose Up
ALTER TABLE version ADD COLUMN judged_by jsonb NOT NULL DEFAULT '{}'; -- the revisions its verdict was given by; of one from before, nothing is known

-- +goose Down
ALTER TABLE version DROP COLUMN judged_by;
