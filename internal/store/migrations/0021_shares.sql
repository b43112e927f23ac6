-- +goose Up
-- A run is of a plate, and a plate may hold parts of several jobs: what of a run is a job's, at the price that was said yes to, and on which plate
-- of its own slice it would lie alone. A slice that puts such plates together is of no one job.
CREATE TABLE share (
    run_id      bigint NOT NULL REFERENCES run,
    n           int NOT NULL, -- the first is the one that the others were put beside
    job_id      bigint NOT NULL REFERENCES job,
    plate_id    bigint REFERENCES plate, -- null: a program sliced elsewhere, or a run from before there were plates
    seconds     double precision NOT NULL,
    grams       double precision NOT NULL,
    price_cents bigint NOT NULL,
    PRIMARY KEY (run_id, n),
    UNIQUE (run_id, job_id)
);
INSERT INTO share (run_id, n, job_id, plate_id, seconds, grams, price_cents) SELECT id, 1, job_id, plate_id, seconds, grams, price_cents FROM run;
CREATE INDEX share_job ON share (job_id);
CREATE INDEX share_plate ON share (plate_id);
DROP INDEX run_job;
ALTER TABLE run DROP COLUMN job_id, DROP COLUMN price_cents;
ALTER TABLE slice ALTER COLUMN job_id DROP NOT NULL,
    ADD COLUMN joins bigint[] NOT NULL DEFAULT '{}', -- the plates that it puts together; then job_id is null
    ADD CONSTRAINT slice_of CHECK ((job_id IS NULL) = (cardinality(joins) > 0));
CREATE INDEX slice_joins ON slice USING gin (joins) WHERE job_id IS NULL;

-- +goose Down
-- An older program knows one job of a run: each gets its own again, with the plate that it would lie on alone.
ALTER TABLE run ADD COLUMN job_id bigint REFERENCES job, ADD COLUMN price_cents bigint;
UPDATE run r SET job_id = s.job_id, price_cents = s.price_cents FROM share s WHERE s.run_id = r.id AND s.n = 1;
UPDATE run r SET plate_id = s.plate_id, gcode_id = p.gcode_id, seconds = s.seconds, grams = s.grams FROM share s JOIN plate p ON p.id = s.plate_id
    WHERE s.run_id = r.id AND s.n = 1 AND EXISTS (SELECT FROM share o WHERE o.run_id = r.id AND o.n > 1);
INSERT INTO run (job_id, machine_id, position, recipe, material, colour, seconds, grams, price_cents, state, started_at, reason, plate_id, gcode_id)
    SELECT s.job_id, r.machine_id, r.position, r.recipe, r.material, r.colour, s.seconds, s.grams, s.price_cents, r.state, r.started_at, r.reason, s.plate_id, p.gcode_id
    FROM share s JOIN run r ON r.id = s.run_id LEFT JOIN plate p ON p.id = s.plate_id WHERE s.n > 1;
UPDATE run SET after_id = NULL WHERE after_id IN (SELECT id FROM run WHERE job_id IS NULL);
DELETE FROM run WHERE job_id IS NULL;
ALTER TABLE run ALTER COLUMN job_id SET NOT NULL, ALTER COLUMN price_cents SET NOT NULL;
CREATE INDEX run_job ON run (job_id);
DROP TABLE share;
DELETE FROM plate p USING slice s WHERE s.id = p.slice_id AND s.job_id IS NULL;
DELETE FROM slice WHERE job_id IS NULL;
DROP INDEX slice_joins;
ALTER TABLE slice DROP CONSTRAINT slice_of, DROP COLUMN joins, ALTER COLUMN job_id SET NOT NULL;
