-- +goose Up
-- A run goes through the states of core/shop/run, and what it needs on the way is kept with it. Machines on a line have one owner at a time, by a lease
-- with a number that counts up; what they said last is kept for whoever looks.
ALTER TABLE run DROP CONSTRAINT run_state_check;
DROP INDEX run_lane, run_plate;
ALTER TABLE run
    ADD COLUMN since timestamptz NOT NULL DEFAULT now(),      -- it came to its state
    ADD COLUMN checked jsonb,                                 -- who said yes to which points of its checklist
    ADD COLUMN wants text NOT NULL DEFAULT '',                -- what somebody has asked of its machine: pause, go on, stop
    ADD COLUMN wanted_by bigint REFERENCES person,
    ADD COLUMN why jsonb NOT NULL DEFAULT '{}',               -- it waits, is lost or could not be sent
    ADD COLUMN watcher_id bigint REFERENCES person,           -- who is to see its first layers
    ADD COLUMN seen_id bigint REFERENCES person,              -- who has
    ADD COLUMN layer int NOT NULL DEFAULT 0,                  -- that is laid, from 1
    ADD COLUMN done_share double precision NOT NULL DEFAULT 0, -- of its time without the warm-up
    ADD COLUMN heats jsonb NOT NULL DEFAULT '[]',             -- what was heated how much when it paused
    ADD COLUMN bad int[] NOT NULL DEFAULT '{}',               -- which of its plate's copies came out bad, counted from 0
    ADD COLUMN cleared_at timestamptz,                        -- somebody said that the bed is clear
    ADD COLUMN cleared_id bigint REFERENCES person,
    ADD CONSTRAINT run_state_check CHECK (state IN ('planned', 'ready', 'sending', 'heating', 'first layers', 'printing', 'paused', 'paused cold', 'lost', 'cooling',
        'off the machine', 'stopped', 'failed', 'cancelled'));
UPDATE run SET since = coalesce(started_at, now());
UPDATE run SET cleared_at = now() WHERE state IN ('off the machine', 'failed');
CREATE INDEX run_lane ON run (machine_id, position) WHERE state NOT IN ('off the machine', 'stopped', 'failed', 'cancelled');
CREATE UNIQUE INDEX run_plate ON run (plate_id) WHERE state NOT IN ('stopped', 'failed', 'cancelled');
CREATE UNIQUE INDEX run_one ON run (machine_id) WHERE state IN ('sending', 'heating', 'first layers', 'printing', 'paused', 'paused cold', 'lost', 'cooling');
CREATE INDEX run_to_clear ON run (machine_id) WHERE cleared_at IS NULL AND state IN ('off the machine', 'stopped', 'failed');
ALTER TABLE slice ADD COLUMN run_id bigint REFERENCES run; -- what it makes the program of: the copies that came out bad
CREATE TABLE device (
    machine_id  bigint PRIMARY KEY REFERENCES machine,
    owner       text NOT NULL DEFAULT '',
    fence       bigint NOT NULL DEFAULT 0,
    until       timestamptz NOT NULL DEFAULT '-infinity',
    said        jsonb NOT NULL DEFAULT '{}',
    wants       jsonb, -- what somebody has asked to be warm with nothing on it, or off
    at          timestamptz NOT NULL DEFAULT now()
);

-- +goose Down
DROP TABLE device;
DELETE FROM plate p USING slice s WHERE s.id = p.slice_id AND s.run_id IS NOT NULL AND NOT EXISTS (SELECT FROM run r WHERE r.plate_id = p.id);
DELETE FROM slice s WHERE run_id IS NOT NULL AND NOT EXISTS (SELECT FROM plate p WHERE p.slice_id = s.id);
ALTER TABLE slice DROP COLUMN run_id;
DROP INDEX run_lane, run_plate, run_one, run_to_clear;
ALTER TABLE run DROP CONSTRAINT run_state_check;
UPDATE run SET state = CASE state WHEN 'ready' THEN 'planned' WHEN 'stopped' THEN 'failed'
    WHEN 'planned' THEN state WHEN 'off the machine' THEN state WHEN 'failed' THEN state WHEN 'cancelled' THEN state ELSE 'printing' END;
ALTER TABLE run ADD CONSTRAINT run_state_check CHECK (state IN ('planned', 'printing', 'off the machine', 'failed', 'cancelled')),
    DROP COLUMN since, DROP COLUMN checked, DROP COLUMN wants, DROP COLUMN wanted_by, DROP COLUMN why, DROP COLUMN watcher_id, DROP COLUMN seen_id, DROP COLUMN layer,
    DROP COLUMN done_share, DROP COLUMN heats, DROP COLUMN bad, DROP COLUMN cleared_at, DROP COLUMN cleared_id;
CREATE INDEX run_lane ON run (machine_id, position) WHERE state IN ('planned', 'printing');
CREATE UNIQUE INDEX run_plate ON run (plate_id) WHERE state NOT IN ('failed', 'cancelled');
