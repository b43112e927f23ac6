-- +goose Up
-- Where a machine's bed is worn: how long runs lay where, since it was last renewed.
CREATE TABLE bed (
    machine_id bigint PRIMARY KEY REFERENCES machine ON DELETE CASCADE,
    since timestamptz NOT NULL,
    runs int NOT NULL DEFAULT 0,
    wear jsonb NOT NULL,
    revision int NOT NULL DEFAULT 1
);

-- +goose Down
DROP TABLE bed;
