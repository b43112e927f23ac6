-- +goose Up
CREATE TABLE house (
    id          int PRIMARY KEY CHECK (id = 1),
    name        text NOT NULL,
    locale      text NOT NULL,
    currency    text NOT NULL,
    time_zone   text NOT NULL,
    week        jsonb NOT NULL,
    attendance_min int NOT NULL,
    start_cents bigint NOT NULL,
    longest_run_min int NOT NULL,
    version     int NOT NULL DEFAULT 1
);

CREATE TABLE person (
    id            bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    login         text NOT NULL UNIQUE,
    name          text NOT NULL,
    role          text NOT NULL CHECK (role IN ('member', 'coordinator', 'steward')),
    password_hash text NOT NULL
);

CREATE TABLE sessions ( -- laid out as the session library wants it
    token  text PRIMARY KEY,
    data   bytea NOT NULL,
    expiry timestamptz NOT NULL
);
CREATE INDEX sessions_expiry ON sessions (expiry);

-- Files, in chunks, kept once by their content. A blob without a hash is still
-- arriving; old ones of those are swept.
CREATE TABLE blob (
    id         bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    sha256     bytea UNIQUE,
    size       bigint NOT NULL DEFAULT 0,
    created_at timestamptz NOT NULL DEFAULT now()
);
CREATE TABLE blob_chunk (
    blob_id bigint NOT NULL REFERENCES blob ON DELETE CASCADE,
    n       int NOT NULL,
    bytes   bytea NOT NULL,
    PRIMARY KEY (blob_id, n)
);
ALTER TABLE blob_chunk ALTER COLUMN bytes SET STORAGE EXTERNAL; -- compressing meshes costs more than it saves

CREATE TABLE upload (
    id         text PRIMARY KEY,
    blob_id    bigint NOT NULL REFERENCES blob,
    name       text NOT NULL,
    person_id  bigint NOT NULL REFERENCES person,
    created_at timestamptz NOT NULL DEFAULT now()
);

CREATE TABLE machine (
    id       bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    name     text NOT NULL UNIQUE,
    data     jsonb NOT NULL,
    version  int NOT NULL DEFAULT 1
);
CREATE TABLE material (
    id       bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    name     text NOT NULL UNIQUE,
    data     jsonb NOT NULL,
    version  int NOT NULL DEFAULT 1
);
CREATE TABLE recipe (
    id          bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    machine_id  bigint NOT NULL REFERENCES machine,
    material_id bigint NOT NULL REFERENCES material,
    purpose     text NOT NULL,
    data        jsonb NOT NULL,
    version     int NOT NULL DEFAULT 1,
    UNIQUE (machine_id, purpose)
);

CREATE TABLE job (
    id         bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    title      text NOT NULL,
    member_id  bigint NOT NULL REFERENCES person,
    purpose    text NOT NULL,
    wish       text NOT NULL DEFAULT '',
    needed_by  date,
    step       text NOT NULL CHECK (step IN ('arrived', 'to decide', 'approved', 'on the floor', 'finishing', 'pick-up', 'fetched', 'sent back')),
    reason     text NOT NULL DEFAULT '',
    created_at timestamptz NOT NULL DEFAULT now(),
    version    int NOT NULL DEFAULT 1
);
CREATE INDEX job_open ON job (step) WHERE step NOT IN ('fetched', 'sent back');
CREATE INDEX job_member ON job (member_id);

CREATE TABLE piece (
    id       bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    job_id   bigint NOT NULL REFERENCES job,
    position int NOT NULL,
    name     text NOT NULL,
    copies   int NOT NULL CHECK (copies BETWEEN 1 AND 99999),
    part     int NOT NULL DEFAULT -1,  -- which of the file's models; -1 until the file has been read
    unit     text NOT NULL DEFAULT '', -- what the member or the desk says it is in; '' leaves it to the file
    current  int NOT NULL DEFAULT 1,   -- the version that counts
    UNIQUE (job_id, position)
);
-- A piece as it came (1) and as it was mended (2 and on). Nothing here is ever
-- deleted or overwritten but the judgement, which is renewed by every check.
CREATE TABLE version (
    piece_id bigint NOT NULL REFERENCES piece,
    n        int NOT NULL,
    blob_id  bigint REFERENCES blob,   -- null until the repair is made
    steps    text[] NOT NULL DEFAULT '{}', -- asked for
    log      jsonb NOT NULL DEFAULT '[]',  -- made
    at       timestamptz NOT NULL DEFAULT now(),
    verdict  jsonb,                    -- null until checked
    evidence jsonb,                    -- lines and faces of the findings
    problem  text NOT NULL DEFAULT '', -- why it could not be read
    picture  bytea,
    view_id  bigint REFERENCES blob,
    PRIMARY KEY (piece_id, n)
);
-- The check of a job: one row, renewed by every retry.
CREATE TABLE task (
    id        bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    job_id    bigint NOT NULL UNIQUE REFERENCES job,
    state     text NOT NULL CHECK (state IN ('queued', 'running', 'done', 'failed', 'cancelled')),
    doing     text NOT NULL DEFAULT '',
    fraction  real NOT NULL DEFAULT 0,
    error     text NOT NULL DEFAULT '',
    round     int NOT NULL DEFAULT 1,
    queue_id  bigint NOT NULL DEFAULT 0
);

CREATE TABLE run (
    id         bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    job_id     bigint NOT NULL UNIQUE REFERENCES job,
    machine_id bigint NOT NULL REFERENCES machine,
    position   int NOT NULL,
    recipe     text NOT NULL,
    material   text NOT NULL,
    colour     text NOT NULL,
    seconds    double precision NOT NULL CHECK (seconds > 0), -- with warm-up
    grams      double precision NOT NULL,
    price_cents bigint NOT NULL,
    state      text NOT NULL CHECK (state IN ('queued', 'printing', 'finished')),
    started_at timestamptz
);
CREATE INDEX run_lane ON run (machine_id, position) WHERE state <> 'finished';

CREATE TABLE history (
    id        bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    job_id    bigint REFERENCES job, -- null: a change in the house
    at        timestamptz NOT NULL DEFAULT now(),
    person_id bigint REFERENCES person, -- null: the program
    what      text NOT NULL,
    why       text NOT NULL DEFAULT ''
);
CREATE INDEX history_job ON history (job_id, id);

-- +goose Down
DROP TABLE history, run, task, version, piece, job, recipe, material, machine, upload, blob_chunk, blob, sessions, person, house;
