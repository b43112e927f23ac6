-- +goose Up
-- Sessions are kept under a hash of their token, name whose they are, and stay as
-- ended until they would have expired: a request that ends later cannot bring one
-- back. Those from before are signed out.
DELETE FROM sessions;
ALTER TABLE sessions ADD COLUMN person_id bigint, ADD COLUMN ended_at timestamptz;
CREATE INDEX sessions_person ON sessions (person_id) WHERE ended_at IS NULL;
ALTER TABLE person ADD COLUMN closed_at timestamptz;

-- What servers of the house share and nobody else may know.
CREATE TABLE secret (
    name  text PRIMARY KEY,
    value bytea NOT NULL
);

-- How often a check or slice was begun. What fails or kills its worker that often is
-- set aside.
ALTER TABLE task ADD COLUMN tries int NOT NULL DEFAULT 0;
ALTER TABLE task DROP CONSTRAINT task_state_check;
ALTER TABLE task ADD CONSTRAINT task_state_check CHECK (state IN ('queued', 'running', 'done', 'failed', 'cancelled', 'set aside'));
ALTER TABLE slice ADD COLUMN tries int NOT NULL DEFAULT 0;
ALTER TABLE slice DROP CONSTRAINT slice_state_check;
ALTER TABLE slice ADD CONSTRAINT slice_state_check CHECK (state IN ('queued', 'running', 'done', 'failed', 'cancelled', 'set aside'));

-- Every judgement has a number of its own, so that what was read of one can be kept.
CREATE SEQUENCE judgement;
ALTER TABLE version ADD COLUMN judgement bigint NOT NULL DEFAULT 0;
UPDATE version SET judgement = nextval('judgement') WHERE verdict IS NOT NULL;

CREATE INDEX upload_blob ON upload (blob_id);
CREATE INDEX upload_person ON upload (person_id);
CREATE INDEX version_blob ON version (blob_id);
CREATE INDEX version_view ON version (view_id);
CREATE INDEX slice_machine ON slice (machine_id);
CREATE INDEX slice_base ON slice (base_id);
CREATE INDEX slice_person ON slice (person_id);
CREATE INDEX slice_layers ON slice (layers_id);
CREATE INDEX slice_gcode ON slice (gcode_id);
CREATE INDEX slice_plate ON slice (plate_id);
CREATE INDEX slice_chosen ON slice (piece_id) WHERE chosen;
CREATE INDEX history_person ON history (person_id);
CREATE INDEX recipe_material ON recipe (material_id);
CREATE INDEX run_machine ON run (machine_id);
CREATE INDEX blob_created ON blob (created_at);

-- +goose Down
DROP INDEX blob_created, run_machine, recipe_material, history_person, slice_chosen, slice_plate, slice_gcode, slice_layers, slice_person, slice_base, slice_machine,
    version_view, version_blob, upload_person, upload_blob;
ALTER TABLE version DROP COLUMN judgement;
DROP SEQUENCE judgement;
UPDATE slice SET state = 'failed' WHERE state = 'set aside';
ALTER TABLE slice DROP CONSTRAINT slice_state_check;
ALTER TABLE slice ADD CONSTRAINT slice_state_check CHECK (state IN ('queued', 'running', 'done', 'failed', 'cancelled'));
ALTER TABLE slice DROP COLUMN tries;
UPDATE task SET state = 'failed' WHERE state = 'set aside';
ALTER TABLE task DROP CONSTRAINT task_state_check;
ALTER TABLE task ADD CONSTRAINT task_state_check CHECK (state IN ('queued', 'running', 'done', 'failed', 'cancelled'));
ALTER TABLE task DROP COLUMN tries;
DROP TABLE secret;
ALTER TABLE person DROP COLUMN closed_at;
DROP INDEX sessions_person;
ALTER TABLE sessions DROP COLUMN ended_at, DROP COLUMN person_id;
