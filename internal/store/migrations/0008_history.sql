-- +goose Up
-- What was done is a code with its parameters; lines from before keep their words.
ALTER TABLE history ADD COLUMN says jsonb NOT NULL DEFAULT '{"code": ""}', ADD COLUMN because jsonb NOT NULL DEFAULT '{"code": ""}';

-- +goose Down
-- An older program has no catalogue: it is told the code with its parameters, and what people wrote as they wrote it.
UPDATE history SET
    what = concat_ws(' ', nullif(says ->> 'code', 'told'), (SELECT string_agg(p #>> '{}', ', ') FROM jsonb_array_elements(coalesce(says -> 'params', '[]')) p)),
    why = concat_ws(' ', nullif(because ->> 'code', 'told'), (SELECT string_agg(p #>> '{}', ', ') FROM jsonb_array_elements(coalesce(because -> 'params', '[]')) p))
    WHERE what = '' AND says ->> 'code' <> '';
ALTER TABLE history DROP COLUMN says, DROP COLUMN because;
