-- +goose Up
-- Which nozzle lays a piece, counted from 1; 0 is the recipe's. A slice's pieces name theirs from now on, where it is another.
ALTER TABLE piece ADD COLUMN nozzle int NOT NULL DEFAULT 0 CHECK (nozzle BETWEEN 0 AND 2);
-- How a piece was before each change, the latest last, and after each that was taken back.
ALTER TABLE piece ADD COLUMN done jsonb NOT NULL DEFAULT '[]';
ALTER TABLE piece ADD COLUMN undone jsonb NOT NULL DEFAULT '[]';

-- +goose Down
ALTER TABLE piece DROP COLUMN undone;
ALTER TABLE piece DROP COLUMN done;
ALTER TABLE piece DROP COLUMN nozzle;
