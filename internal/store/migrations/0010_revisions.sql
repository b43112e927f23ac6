-- +goose Up
-- Every version of what the house makes with stays as it was: immutable rows, written by the database itself with each change.
CREATE TABLE revision (
    of    text NOT NULL CHECK (of IN ('house', 'machine', 'material', 'recipe')),
    of_id bigint NOT NULL,
    n     int NOT NULL,
    data  jsonb NOT NULL,
    at    timestamptz NOT NULL DEFAULT now(),
    PRIMARY KEY (of, of_id, n)
);
-- +goose StatementBegin
CREATE FUNCTION keep_revision() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    INSERT INTO revision (of, of_id, n, data) VALUES (TG_TABLE_NAME, NEW.id, NEW.version, to_jsonb(NEW)) ON CONFLICT DO NOTHING;
    RETURN NULL;
END $$;
CREATE FUNCTION refuse_change() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    RAISE EXCEPTION 'a revision never changes';
END $$;
-- +goose StatementEnd
CREATE TRIGGER house_revision AFTER INSERT OR UPDATE ON house FOR EACH ROW EXECUTE FUNCTION keep_revision();
CREATE TRIGGER machine_revision AFTER INSERT OR UPDATE ON machine FOR EACH ROW EXECUTE FUNCTION keep_revision();
CREATE TRIGGER material_revision AFTER INSERT OR UPDATE ON material FOR EACH ROW EXECUTE FUNCTION keep_revision();
CREATE TRIGGER recipe_revision AFTER INSERT OR UPDATE ON recipe FOR EACH ROW EXECUTE FUNCTION keep_revision();
CREATE TRIGGER revision_stays BEFORE UPDATE OR DELETE ON revision FOR EACH ROW EXECUTE FUNCTION refuse_change();
INSERT INTO revision (of, of_id, n, data) SELECT 'house', id, version, to_jsonb(h) FROM house h;
INSERT INTO revision (of, of_id, n, data) SELECT 'machine', id, version, to_jsonb(m) FROM machine m;
INSERT INTO revision (of, of_id, n, data) SELECT 'material', id, version, to_jsonb(m) FROM material m;
INSERT INTO revision (of, of_id, n, data) SELECT 'recipe', id, version, to_jsonb(r) FROM recipe r;
ALTER TABLE slice ADD COLUMN made jsonb NOT NULL DEFAULT '{}'; -- the facets it was made by; of one from before, nothing is known

-- +goose Down
ALTER TABLE slice DROP COLUMN made;
DROP TRIGGER house_revision ON house;
DROP TRIGGER machine_revision ON machine;
DROP TRIGGER material_revision ON material;
DROP TRIGGER recipe_revision ON recipe;
DROP TABLE revision;
DROP FUNCTION keep_revision;
DROP FUNCTION refuse_change;
