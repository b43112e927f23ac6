-- +goose Up
-- A job is in a state, as everything else is; what counts up with each change is a revision, a version is one of a model.
ALTER TABLE job RENAME COLUMN step TO state;
ALTER TABLE job RENAME COLUMN version TO revision;
ALTER TABLE house RENAME COLUMN version TO revision;
ALTER TABLE machine RENAME COLUMN version TO revision;
ALTER TABLE material RENAME COLUMN version TO revision;
ALTER TABLE recipe RENAME COLUMN version TO revision;
-- +goose StatementBegin
CREATE OR REPLACE FUNCTION keep_revision() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    INSERT INTO revision (of, of_id, n, data) VALUES (TG_TABLE_NAME, NEW.id, NEW.revision, to_jsonb(NEW)) ON CONFLICT DO NOTHING;
    RETURN NULL;
END $$;
-- +goose StatementEnd

-- +goose Down
ALTER TABLE job RENAME COLUMN state TO step;
ALTER TABLE job RENAME COLUMN revision TO version;
ALTER TABLE house RENAME COLUMN revision TO version;
ALTER TABLE machine RENAME COLUMN revision TO version;
ALTER TABLE material RENAME COLUMN revision TO version;
ALTER TABLE recipe RENAME COLUMN revision TO version;
-- +goose StatementBegin
CREATE OR REPLACE FUNCTION keep_revision() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    INSERT INTO revision (of, of_id, n, data) VALUES (TG_TABLE_NAME, NEW.id, NEW.version, to_jsonb(NEW)) ON CONFLICT DO NOTHING;
    RETURN NULL;
END $$;
-- +goose StatementEnd
