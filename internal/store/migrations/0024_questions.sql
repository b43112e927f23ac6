-- +goose Up
-- What the desk asks a member about a job, and what is said to that; one at a time waits for an answer.
CREATE TABLE question (
    id          bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    job_id      bigint NOT NULL REFERENCES job,
    asked       text NOT NULL,
    asked_by    bigint NOT NULL REFERENCES person,
    asked_at    timestamptz NOT NULL,
    reply       text,
    replied_by  bigint REFERENCES person,
    replied_at  timestamptz
);
CREATE INDEX question_job ON question (job_id, id);
CREATE UNIQUE INDEX question_open ON question (job_id) WHERE reply IS NULL;

-- +goose Down
DROP TABLE question;
