-- +goose Up
-- What the house asks of jobs: each change of a rule is a version of its own, and the latest counts, unless it was taken away.
CREATE SEQUENCE rule_id;
CREATE TABLE rule (
    id        bigint NOT NULL,
    n         int NOT NULL,
    data      jsonb NOT NULL,
    counts    boolean NOT NULL,
    at        timestamptz NOT NULL,
    person_id bigint REFERENCES person, -- null: the program
    PRIMARY KEY (id, n)
);
-- What somebody said to what was found on a job; key is of what was said, so that something else has to be answered anew.
CREATE TABLE answer (
    job_id    bigint NOT NULL REFERENCES job,
    key       text NOT NULL,
    reason    text NOT NULL,
    person_id bigint NOT NULL REFERENCES person,
    at        timestamptz NOT NULL,
    PRIMARY KEY (job_id, key)
);
-- What was decided, with what was known then and by which versions of the rules it was judged: nothing that comes later changes it.
CREATE TABLE decision (
    id         bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    job_id     bigint NOT NULL REFERENCES job,
    at         timestamptz NOT NULL,
    person_id  bigint REFERENCES person,
    what       text NOT NULL,
    machine_id bigint REFERENCES machine,
    known      jsonb NOT NULL,
    rules      jsonb NOT NULL,
    answers    jsonb NOT NULL
);
CREATE INDEX decision_job ON decision (job_id, id);
-- Of whom rules may ask: a course, a club.
ALTER TABLE person ADD COLUMN club text NOT NULL DEFAULT '';

-- +goose Down
ALTER TABLE person DROP COLUMN club;
DROP TABLE decision;
DROP TABLE answer;
DROP TABLE rule;
DROP SEQUENCE rule_id;
