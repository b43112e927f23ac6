-- +goose Up
-- Parts of machines that wear out, and what they have done since they were new.
CREATE TABLE wear_part (
    id           bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    machine_id   bigint NOT NULL REFERENCES machine ON DELETE CASCADE,
    name         text NOT NULL,
    nozzle       int NOT NULL DEFAULT 0,
    limit_hours  double precision NOT NULL DEFAULT 0 CHECK (limit_hours >= 0),
    limit_grams  double precision NOT NULL DEFAULT 0 CHECK (limit_grams >= 0),
    seconds      double precision NOT NULL DEFAULT 0 CHECK (seconds >= 0),
    mg           bigint NOT NULL DEFAULT 0 CHECK (mg >= 0),
    runs         int NOT NULL DEFAULT 0,
    since        timestamptz NOT NULL,
    revision     int NOT NULL DEFAULT 1
);
CREATE INDEX wear_part_machine ON wear_part (machine_id);
-- What a run did to its machine is counted once, though it may be put back on it by mistake.
ALTER TABLE run ADD COLUMN worn boolean NOT NULL DEFAULT false;
UPDATE run SET worn = true WHERE state IN ('off the machine', 'stopped', 'failed');

-- +goose Down
ALTER TABLE run DROP COLUMN worn;
DROP TABLE wear_part;
