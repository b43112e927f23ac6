-- +goose Up
-- The house's filament: spools, and the books of what is on them. A line of the books is never changed: what is left on a spool, and what is promised of
-- it, is the sum of its lines.
CREATE TABLE spool (
    id          bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    material_id bigint NOT NULL REFERENCES material,
    colour      text NOT NULL DEFAULT '',     -- as it is shown
    colour_name text NOT NULL DEFAULT '',
    lot         text NOT NULL DEFAULT '',
    place       text NOT NULL DEFAULT '',     -- where it is kept
    reel_mg     bigint NOT NULL,              -- that the empty reel weighs
    full_mg     bigint NOT NULL,              -- that was on it when it came
    state       text NOT NULL CHECK (state IN ('sealed', 'open', 'drying', 'loaded', 'empty', 'retired')),
    machine_id  bigint REFERENCES machine,    -- it is loaded on
    nozzle      int NOT NULL DEFAULT 0,       -- counted from 1
    received_at timestamptz NOT NULL,
    opened_at   timestamptz,
    dried_at    timestamptz,                  -- it came out of drying, or the drying that is under way began
    loaded_at   timestamptz,
    revision    int NOT NULL DEFAULT 1,
    CHECK ((state = 'loaded') = (machine_id IS NOT NULL))
);
CREATE UNIQUE INDEX spool_loaded ON spool (machine_id, nozzle) WHERE state = 'loaded';
CREATE TABLE gram (
    id        bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    at        timestamptz NOT NULL,
    person_id bigint REFERENCES person,       -- null: a machine, or the house itself
    spool_id  bigint REFERENCES spool,        -- null: none is chosen, or none is known
    run_id    bigint REFERENCES run,
    nozzle    int NOT NULL DEFAULT 0,
    material  text NOT NULL,
    kind      text NOT NULL CHECK (kind IN ('received', 'reserved', 'released', 'used', 'weighed', 'lost', 'corrected', 'written off')),
    left_mg   bigint NOT NULL,
    held_mg   bigint NOT NULL,
    why       jsonb NOT NULL DEFAULT '{}'
);
CREATE INDEX gram_spool ON gram (spool_id, id);
CREATE INDEX gram_run ON gram (run_id);
ALTER TABLE run ADD COLUMN holds boolean NOT NULL DEFAULT false; -- something is promised to it in the books
CREATE INDEX run_holds ON run (id) WHERE holds;
-- +goose StatementBegin
CREATE FUNCTION only_added() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    RAISE EXCEPTION 'lines of % are only added', TG_TABLE_NAME USING ERRCODE = 'integrity_constraint_violation';
END $$;
-- +goose StatementEnd
CREATE TRIGGER gram_only_added BEFORE UPDATE OR DELETE ON gram FOR EACH ROW EXECUTE FUNCTION only_added();

-- +goose Down
DROP INDEX run_holds;
ALTER TABLE run DROP COLUMN holds;
DROP TABLE gram, spool;
DROP FUNCTION only_added;
