-- +goose Up
-- Heat goes off at the end of every program: no recipe keeps the bed warm any more,
-- and blocks of the house that named what is left of it say 0.
UPDATE recipe SET data = data - 'bed_after_end';
UPDATE slice SET departures = coalesce((SELECT jsonb_agg(d ORDER BY n) FROM jsonb_array_elements(departures) WITH ORDINALITY AS x(d, n) WHERE d ->> 'key' <> 'bed_after_end'), '[]')
    WHERE departures @> '[{"key": "bed_after_end"}]';
UPDATE machine SET data = jsonb_set(data, '{dialect}', replace((data -> 'dialect')::text, '{bed_after_c}', '0')::jsonb) WHERE (data -> 'dialect')::text LIKE '%{bed\_after\_c}%';
-- +goose Down
SELECT 1; -- nothing to take back: the bed was off unless somebody said otherwise
