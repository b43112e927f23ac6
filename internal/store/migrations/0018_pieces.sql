-- +goose Up
-- Which nozzle lays a piece, counted from 1; 0 is the recipe's. A slice's pieces name theirs from now on, where it is another.
ALTER TABLE piece ADD COLUMN nozzle int NOT NULL DEFAULT 0 CHECK (nozzle BETWEEN 0 AND 2);
-- How a piece was before each change, the latest last, and after each that was taken back.
ALTER TABLE piece ADD COLUMN done jsonb NOT NULL DEFAULT '[]';
ALTER TABLE piece ADD COLUMN undone jsonb NOT NULL DEFAULT '[]';
-- Along which of the model's directions it is pulled in use, if it matters.
ALTER TABLE piece ADD COLUMN load jsonb;
-- A piece may be left out of its job, and come back.
ALTER TABLE piece ADD COLUMN left_out boolean NOT NULL DEFAULT false;
-- The version that a mended one was made from; null: a file as it was handed in, the first or one that took its place.
ALTER TABLE version ADD COLUMN origin int;
UPDATE version SET origin = 1 WHERE n > 1;

-- +goose Down
ALTER TABLE version DROP COLUMN origin;
ALTER TABLE piece DROP COLUMN left_out;
ALTER TABLE piece DROP COLUMN load;
ALTER TABLE piece DROP COLUMN undone;
ALTER TABLE piece DROP COLUMN done;
ALTER TABLE piece DROP COLUMN nozzle;
