-- +goose Up
-- How a piece stands is one value, of the piece and of each slice: a turn as a quaternion, a scale along each axis.
ALTER TABLE piece ADD COLUMN stand jsonb;
UPDATE slice SET pieces = (
    SELECT coalesce(jsonb_agg((p - 'scale' - 'tip') || jsonb_build_object('stand', jsonb_build_object(
        'turn', CASE p ->> 'tip'
            WHEN 'x' THEN '[0.707106781187, 0.707106781187, 0, 0]'::jsonb
            WHEN 'y' THEN '[0.707106781187, 0, 0.707106781187, 0]'::jsonb
            ELSE '[1, 0, 0, 0]'::jsonb END,
        'scale', jsonb_build_array(s, s, s))) ORDER BY n), '[]')
    FROM jsonb_array_elements(pieces) WITH ORDINALITY AS e (p, n), LATERAL (SELECT CASE WHEN coalesce((p ->> 'scale')::double precision, 0) = 0 THEN 1 ELSE (p ->> 'scale')::double precision END AS s) AS scaled);
UPDATE slice SET label = 'stood another way' WHERE label = 'laid over';

-- +goose Down
UPDATE slice SET label = 'laid over' WHERE label = 'stood another way';
UPDATE slice SET pieces = (
    SELECT coalesce(jsonb_agg((p - 'stand') || jsonb_build_object(
        'tip', CASE p -> 'stand' -> 'turn' WHEN '[0.707106781187, 0.707106781187, 0, 0]'::jsonb THEN 'x' WHEN '[0.707106781187, 0, 0.707106781187, 0]'::jsonb THEN 'y' ELSE '' END,
        'scale', p -> 'stand' -> 'scale' -> 0) ORDER BY n), '[]')
    FROM jsonb_array_elements(pieces) WITH ORDINALITY AS e (p, n));
ALTER TABLE piece DROP COLUMN stand;
