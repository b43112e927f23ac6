-- +goose Up
-- What is done with parts after the machine, where they wait for whom, and what members owe.
ALTER TABLE house
    ADD COLUMN finishing jsonb NOT NULL DEFAULT '[]',            -- the house's list of steps
    ADD COLUMN fetch_days int NOT NULL DEFAULT 0,                -- after so many it is said that a job was not fetched, and after as many again it is the house's; 0: never
    ADD COLUMN own_failures boolean NOT NULL DEFAULT false;      -- a failed run of a program that a member sliced is the member's
CREATE TABLE step (
    id        bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    job_id    bigint NOT NULL REFERENCES job,
    n         int NOT NULL,
    kind      text NOT NULL,
    how       text NOT NULL DEFAULT '',
    hands_min double precision NOT NULL,
    wait_min  double precision NOT NULL,
    cents     bigint NOT NULL,
    state     text NOT NULL CHECK (state IN ('to do', 'under way', 'done')),
    begun_at  timestamptz,
    ends_at   timestamptz,                                       -- by itself
    done_at   timestamptz,
    person_id bigint REFERENCES person,                          -- who said so last
    bath      bigint,                                            -- the first step of those that lie in one bath
    UNIQUE (job_id, n)
);
CREATE TABLE pickup (
    job_id      bigint PRIMARY KEY REFERENCES job,
    code        text NOT NULL DEFAULT '',                        -- by which it is fetched
    place       text NOT NULL DEFAULT '',                        -- where it lies
    ready_at    timestamptz,
    reminded_at timestamptz
);
CREATE UNIQUE INDEX pickup_code ON pickup (code) WHERE code <> '';
CREATE TABLE charge (
    id        bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    at        timestamptz NOT NULL,
    person_id bigint REFERENCES person,                          -- who wrote it; null: the house itself
    member_id bigint NOT NULL REFERENCES person,
    job_id    bigint REFERENCES job,
    kind      text NOT NULL CHECK (kind IN ('charged', 'corrected', 'paid')),
    cents     bigint NOT NULL,
    why       jsonb NOT NULL DEFAULT '{}'
);
CREATE INDEX charge_member ON charge (member_id, id);
CREATE INDEX charge_job ON charge (job_id);
CREATE TRIGGER charge_only_added BEFORE UPDATE OR DELETE ON charge FOR EACH ROW EXECUTE FUNCTION only_added();
ALTER TABLE job DROP CONSTRAINT job_step_check;
ALTER TABLE job ADD CONSTRAINT job_step_check CHECK (state IN ('arrived', 'to decide', 'being sliced', 'approved', 'in production', 'finishing', 'pick-up', 'fetched', 'left behind',
    'sent back', 'withdrawn'));

-- +goose Down
UPDATE job SET state = 'fetched' WHERE state = 'left behind';
ALTER TABLE job DROP CONSTRAINT job_step_check;
ALTER TABLE job ADD CONSTRAINT job_step_check CHECK (state IN ('arrived', 'to decide', 'being sliced', 'approved', 'in production', 'finishing', 'pick-up', 'fetched',
    'sent back', 'withdrawn'));
DROP TABLE charge, pickup, step;
ALTER TABLE house DROP COLUMN finishing, DROP COLUMN fetch_days, DROP COLUMN own_failures;
