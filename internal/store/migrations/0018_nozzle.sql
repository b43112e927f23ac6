-- +goose Up
-- Which nozzle lays a piece, counted from 1; 0 is the recipe's. A slice's pieces name theirs from now on, where it is another.
ALTER TABLE piece ADD COLUMN nozzle int NOT NULL DEFAULT 0 CHECK (nozzle BETWEEN 0 AND 2);

-- +goose Down
ALTER TABLE piece DROP COLUMN nozzle;
