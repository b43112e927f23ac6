-- +goose Up
-- States have the names of core/shop, and a job may have several runs: one that failed, and its successor.
ALTER TABLE job DROP CONSTRAINT job_step_check;
UPDATE job SET step = 'in production' WHERE step = 'on the floor';
ALTER TABLE job ADD CONSTRAINT job_step_check CHECK (step IN ('arrived', 'to decide', 'approved', 'in production', 'finishing', 'pick-up', 'fetched', 'sent back'));
ALTER TABLE run DROP CONSTRAINT run_state_check, DROP CONSTRAINT run_job_id_key;
DROP INDEX run_lane;
UPDATE run SET state = CASE state WHEN 'queued' THEN 'planned' WHEN 'finished' THEN 'off the machine' ELSE state END;
ALTER TABLE run ADD CONSTRAINT run_state_check CHECK (state IN ('planned', 'printing', 'off the machine', 'failed')),
    ADD COLUMN reason text NOT NULL DEFAULT '', -- why it failed
    ADD COLUMN after_id bigint REFERENCES run;  -- the one that failed before it
CREATE INDEX run_lane ON run (machine_id, position) WHERE state IN ('planned', 'printing');
CREATE UNIQUE INDEX run_job ON run (job_id) WHERE state <> 'failed';
CREATE INDEX run_after ON run (after_id);

-- +goose Down
-- A failed run is forgotten: older programs know one run of a job.
UPDATE run SET after_id = NULL;
DELETE FROM run WHERE state = 'failed';
DROP INDEX run_lane, run_job, run_after;
ALTER TABLE run DROP CONSTRAINT run_state_check, DROP COLUMN reason, DROP COLUMN after_id;
UPDATE run SET state = CASE state WHEN 'planned' THEN 'queued' WHEN 'off the machine' THEN 'finished' ELSE state END;
ALTER TABLE run ADD CONSTRAINT run_state_check CHECK (state IN ('queued', 'printing', 'finished')), ADD CONSTRAINT run_job_id_key UNIQUE (job_id);
CREATE INDEX run_lane ON run (machine_id, position) WHERE state <> 'finished';
ALTER TABLE job DROP CONSTRAINT job_step_check;
UPDATE job SET step = 'on the floor' WHERE step = 'in production';
ALTER TABLE job ADD CONSTRAINT job_step_check CHECK (step IN ('arrived', 'to decide', 'approved', 'on the floor', 'finishing', 'pick-up', 'fetched', 'sent back'));
