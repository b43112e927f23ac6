-- +goose Up
-- What was done is a code with its parameters; lines from before keep their words.
ALTER TABLE history ADD COLUMN says jsonb NOT NULL DEFAULT '{"code": ""}', ADD COLUMN because jsonb NOT NULL DEFAULT '{"code": ""}';

-- +goose Down
UPDATE history SET what = says ->> 'code', why = because ->> 'code' WHERE what = '';
ALTER TABLE history DROP COLUMN says, DROP COLUMN because;
