-- +goose Up
-- Who works in the house: each process says so for as long as it lives.
CREATE TABLE worker (
    name      text PRIMARY KEY,
    queues    text[] NOT NULL,
    cores     int NOT NULL,
    memory_mb int NOT NULL, -- 0: without end
    version   text NOT NULL,
    since     timestamptz NOT NULL DEFAULT now(),
    seen_at   timestamptz NOT NULL DEFAULT now()
);
-- Why a check or slice that is queued still waits, where that is not its turn.
ALTER TABLE slice ADD COLUMN waits text NOT NULL DEFAULT '';

-- +goose Down
ALTER TABLE slice DROP COLUMN waits;
DROP TABLE worker;
