-- +goose Up
-- Which life of the house this is. A copy that is restored elsewhere is another one: nothing is said to a machine before somebody has looked at them all.
CREATE TABLE epoch (
    id          int PRIMARY KEY DEFAULT 1 CHECK (id = 1),
    n           bigint NOT NULL DEFAULT 1,
    place       text NOT NULL DEFAULT '',      -- the cluster and the database in it; empty: not noticed yet
    restored_at timestamptz,                   -- it was noticed to be elsewhere
    looked_at   timestamptz DEFAULT now(),     -- somebody has looked since; null: nobody has
    looked_id   bigint REFERENCES person
);
INSERT INTO epoch DEFAULT VALUES;

-- +goose Down
DROP TABLE epoch;
