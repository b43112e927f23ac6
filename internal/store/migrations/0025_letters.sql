-- +goose Up
-- What a member was told about a job, when something was decided; house.letters are the house's own templates, by kind.
CREATE TABLE letter (
    id          bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    job_id      bigint NOT NULL REFERENCES job,
    kind        text NOT NULL,
    text        text NOT NULL,
    person_id   bigint REFERENCES person,
    at          timestamptz NOT NULL
);
CREATE INDEX letter_job ON letter (job_id, id);
ALTER TABLE house ADD COLUMN letters jsonb NOT NULL DEFAULT '{}';

-- +goose Down
DROP TABLE letter;
ALTER TABLE house DROP COLUMN letters;
