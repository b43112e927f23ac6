-- +goose Up
-- What came out when a model in an orientation was tried on a machine, by a sum over all that goes into it, and how often that was worked out.
CREATE TABLE tried (
    sum text PRIMARY KEY,
    row jsonb NOT NULL,
    times int NOT NULL DEFAULT 1,
    at timestamptz NOT NULL DEFAULT now()
);
CREATE INDEX tried_at ON tried (at);
-- What it is worth to be finished an hour sooner: price is weighed against time by it.
ALTER TABLE house ADD COLUMN sooner_cents int NOT NULL DEFAULT 100 CHECK (sooner_cents BETWEEN 0 AND 100000);

-- +goose Down
ALTER TABLE house DROP COLUMN sooner_cents;
DROP TABLE tried;
