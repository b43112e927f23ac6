-- +goose Up
-- A slice is of a job on a machine: of all its models, with their copies, on as many plates as they need. Each plate has its program,
-- and a run has the program of the plate that it is of.
ALTER TABLE slice ADD COLUMN job_id bigint REFERENCES job, ADD COLUMN pieces jsonb NOT NULL DEFAULT '[]';
UPDATE slice s SET job_id = p.job_id,
        pieces = jsonb_build_array(jsonb_build_object('piece_id', s.piece_id, 'version', s.version, 'unit', p.unit, 'copies', 1, 'scale', s.scale, 'tip', s.tip, 'support_marks', s.marks))
    FROM piece p WHERE p.id = s.piece_id;
-- What counted for one piece of several counts for none of the job.
UPDATE slice s SET chosen = false WHERE chosen AND EXISTS (SELECT FROM slice o WHERE o.job_id = s.job_id AND o.chosen AND o.id <> s.id);
CREATE TABLE plate (
    id            bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    slice_id      bigint NOT NULL REFERENCES slice,
    n             int NOT NULL,                  -- counted from 1
    alike         int,                           -- the number of the plate on which all lies in the same way; then the rest is that one's
    spots         jsonb NOT NULL,                -- which copy of which piece lies where
    full_estimate jsonb,
    layers_id     bigint REFERENCES blob,
    gcode_id      bigint REFERENCES blob,
    standing_id   bigint REFERENCES blob,
    UNIQUE (slice_id, n)
);
INSERT INTO plate (slice_id, n, spots, full_estimate, layers_id, gcode_id, standing_id)
    SELECT id, 1, '[{"piece": 0, "copy": 1, "x_mm": 0, "y_mm": 0, "turn_deg": 0}]', full_estimate, layers_id, gcode_id, plate_id FROM slice WHERE state = 'done';
DROP INDEX slice_piece, slice_layers, slice_gcode, slice_plate, slice_chosen;
ALTER TABLE slice ALTER COLUMN job_id SET NOT NULL, DROP COLUMN piece_id, DROP COLUMN version, DROP COLUMN scale, DROP COLUMN tip, DROP COLUMN marks,
    DROP COLUMN layers_id, DROP COLUMN gcode_id, DROP COLUMN plate_id;
CREATE INDEX slice_job ON slice (job_id, id);
CREATE INDEX plate_layers ON plate (layers_id);
CREATE INDEX plate_gcode ON plate (gcode_id);
CREATE INDEX plate_standing ON plate (standing_id);

ALTER TABLE job DROP CONSTRAINT job_step_check;
ALTER TABLE job ADD CONSTRAINT job_step_check CHECK (step IN ('arrived', 'to decide', 'being sliced', 'approved', 'in production', 'finishing', 'pick-up', 'fetched', 'sent back', 'withdrawn')),
    ADD COLUMN yes jsonb; -- what was said yes to: the machine, the slice, and no more than so much time, filament and money
DROP INDEX job_open;
CREATE INDEX job_open ON job (step) WHERE step NOT IN ('fetched', 'sent back', 'withdrawn');
ALTER TABLE run DROP CONSTRAINT run_state_check;
DROP INDEX run_job;
ALTER TABLE run ADD CONSTRAINT run_state_check CHECK (state IN ('planned', 'printing', 'off the machine', 'failed', 'cancelled')),
    ADD COLUMN plate_id bigint REFERENCES plate,  -- null: a program sliced elsewhere, or a run from before
    ADD COLUMN gcode_id bigint REFERENCES blob;   -- the program; null: to be sliced before the start
CREATE INDEX run_job ON run (job_id);
CREATE UNIQUE INDEX run_plate ON run (plate_id) WHERE state NOT IN ('failed', 'cancelled');
CREATE INDEX run_gcode ON run (gcode_id);
-- A run of one program that was sliced elsewhere is of that.
UPDATE run r SET gcode_id = v.blob_id FROM piece p JOIN version v ON v.piece_id = p.id AND v.n = p.current
    WHERE p.job_id = r.job_id AND p.copies = 1 AND v.verdict ->> 'format' = 'gcode' AND (SELECT count(*) FROM piece o WHERE o.job_id = r.job_id) = 1;

-- +goose Down
-- An older program knows slices of one copy of one piece, and one run of a job.
UPDATE run SET after_id = NULL WHERE after_id IN (SELECT id FROM run WHERE state = 'cancelled');
DELETE FROM run WHERE state = 'cancelled';
DELETE FROM run r WHERE state <> 'failed' AND EXISTS (SELECT FROM run o WHERE o.job_id = r.job_id AND o.state <> 'failed' AND o.id < r.id) AND NOT EXISTS (SELECT FROM run o WHERE o.after_id = r.id);
DROP INDEX run_job, run_plate, run_gcode;
ALTER TABLE run DROP CONSTRAINT run_state_check, DROP COLUMN plate_id, DROP COLUMN gcode_id;
ALTER TABLE run ADD CONSTRAINT run_state_check CHECK (state IN ('planned', 'printing', 'off the machine', 'failed'));
CREATE UNIQUE INDEX run_job ON run (job_id) WHERE state <> 'failed';
DROP INDEX job_open;
UPDATE job SET step = CASE step WHEN 'being sliced' THEN 'to decide' ELSE 'sent back' END WHERE step IN ('being sliced', 'withdrawn');
ALTER TABLE job DROP CONSTRAINT job_step_check, DROP COLUMN yes;
ALTER TABLE job ADD CONSTRAINT job_step_check CHECK (step IN ('arrived', 'to decide', 'approved', 'in production', 'finishing', 'pick-up', 'fetched', 'sent back'));
CREATE INDEX job_open ON job (step) WHERE step NOT IN ('fetched', 'sent back');
DROP INDEX slice_job;
ALTER TABLE slice ADD COLUMN piece_id bigint REFERENCES piece, ADD COLUMN version int, ADD COLUMN scale double precision NOT NULL DEFAULT 1,
    ADD COLUMN tip text NOT NULL DEFAULT '' CHECK (tip IN ('', 'x', 'y')), ADD COLUMN marks jsonb NOT NULL DEFAULT '[]',
    ADD COLUMN layers_id bigint REFERENCES blob, ADD COLUMN gcode_id bigint REFERENCES blob, ADD COLUMN plate_id bigint REFERENCES blob;
UPDATE slice SET base_id = NULL WHERE base_id IN (SELECT id FROM slice WHERE jsonb_array_length(pieces) <> 1 OR (pieces -> 0 ->> 'copies')::int <> 1);
DELETE FROM plate p USING slice s WHERE s.id = p.slice_id AND (jsonb_array_length(pieces) <> 1 OR (pieces -> 0 ->> 'copies')::int <> 1);
DELETE FROM slice WHERE jsonb_array_length(pieces) <> 1 OR (pieces -> 0 ->> 'copies')::int <> 1;
UPDATE slice s SET piece_id = (pieces -> 0 ->> 'piece_id')::bigint, version = (pieces -> 0 ->> 'version')::int, scale = (pieces -> 0 ->> 'scale')::double precision,
    tip = pieces -> 0 ->> 'tip', marks = pieces -> 0 -> 'support_marks';
UPDATE slice s SET layers_id = p.layers_id, gcode_id = p.gcode_id, plate_id = p.standing_id FROM plate p WHERE p.slice_id = s.id AND p.n = 1;
DROP TABLE plate;
ALTER TABLE slice ALTER COLUMN piece_id SET NOT NULL, ALTER COLUMN version SET NOT NULL, DROP COLUMN job_id, DROP COLUMN pieces;
CREATE INDEX slice_piece ON slice (piece_id, id);
CREATE INDEX slice_layers ON slice (layers_id);
CREATE INDEX slice_gcode ON slice (gcode_id);
CREATE INDEX slice_plate ON slice (plate_id);
CREATE INDEX slice_chosen ON slice (piece_id) WHERE chosen;
