-- +goose Up
-- The lines of history are events that all readers follow, browsers too: their numbers come in the order of commits.
ALTER TABLE history RENAME TO event;
ALTER INDEX history_job RENAME TO event_job;
ALTER INDEX history_person RENAME TO event_person;
ALTER TABLE event ADD COLUMN kind text NOT NULL DEFAULT 'job' CHECK (kind IN ('job', 'house', 'people')), -- what is not as it was
    ADD COLUMN lanes boolean NOT NULL DEFAULT false;                                                     -- and the order of runs
UPDATE event SET kind = 'house' WHERE job_id IS NULL;

-- +goose Down
ALTER TABLE event DROP COLUMN kind, DROP COLUMN lanes;
ALTER INDEX event_job RENAME TO history_job;
ALTER INDEX event_person RENAME TO history_person;
ALTER TABLE event RENAME TO history;
