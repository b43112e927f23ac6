-- +goose Up
-- A piece sliced for a machine by the house's recipe and departures from it. Its
-- results are kept; what it was made from does not change.
CREATE TABLE slice (
    id         bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    piece_id   bigint NOT NULL REFERENCES piece,
    version    int NOT NULL,               -- of the piece
    machine_id bigint NOT NULL REFERENCES machine,
    label      text NOT NULL DEFAULT '',   -- what it tries, for an alternative
    base_id    bigint REFERENCES slice,    -- what it is an alternative to
    departures jsonb NOT NULL DEFAULT '[]',
    scale      double precision NOT NULL DEFAULT 1,
    tip        text NOT NULL DEFAULT '' CHECK (tip IN ('', 'x', 'y')), -- laid over about an axis
    chosen     boolean NOT NULL DEFAULT false,
    state      text NOT NULL DEFAULT 'queued' CHECK (state IN ('queued', 'running', 'done', 'failed', 'cancelled')),
    fraction   real NOT NULL DEFAULT 0,
    error      text NOT NULL DEFAULT '',
    queue_id   bigint NOT NULL DEFAULT 0,
    full_estimate jsonb,
    notes      text[] NOT NULL DEFAULT '{}',
    layers_id  bigint REFERENCES blob,
    gcode_id   bigint REFERENCES blob,
    plate_id   bigint REFERENCES blob,
    person_id  bigint REFERENCES person,
    at         timestamptz NOT NULL DEFAULT now()
);
CREATE INDEX slice_piece ON slice (piece_id, id);
-- +goose Down
DROP TABLE slice;
