-- +goose Up
-- Settings, kinds of lines and choices have the trade's names.
ALTER TABLE slice RENAME COLUMN departures TO overrides;
CREATE TEMPORARY TABLE renamed (was text PRIMARY KEY, is_now text NOT NULL UNIQUE) ON COMMIT DROP;
INSERT INTO renamed VALUES ('hold', 'bed_adhesion'), ('cap_mm_per_s', 'top_bottom_mm_per_s'), ('cap_mm_per_s2', 'top_bottom_mm_per_s2'), ('least_layer_s', 'min_layer_time_s'),
    ('support_roof', 'support_interface_layers'), ('support_roof_percent', 'support_interface_percent'), ('support_drop_mm', 'support_vertical_gap_mm'), ('support_gap_mm', 'support_horizontal_gap_mm'),
    ('grams_hold', 'grams_adhesion'), ('cap', 'top and bottom'), ('first-layer hold', 'bed adhesion'), ('rear', 'at the back'), ('aligned', 'in one line'), ('nearest', 'closest');
UPDATE recipe SET data = (SELECT jsonb_object_agg(coalesce(n.is_now, d.k), CASE WHEN d.k = 'seam' THEN coalesce(to_jsonb(s.is_now), d.v) ELSE d.v END)
    FROM jsonb_each(data) AS d(k, v) LEFT JOIN renamed n ON n.was = d.k LEFT JOIN renamed s ON to_jsonb(s.was) = d.v);
UPDATE slice SET overrides = (SELECT jsonb_agg(o.v
        || jsonb_build_object('key', coalesce(n.is_now, o.v ->> 'key'))
        || CASE WHEN o.v ->> 'key' = 'seam' THEN jsonb_build_object('value', coalesce(s.is_now, o.v ->> 'value')) || CASE WHEN o.v ? 'was' THEN jsonb_build_object('was', coalesce(w.is_now, o.v ->> 'was')) ELSE '{}' END ELSE '{}' END
        ORDER BY o.i)
    FROM jsonb_array_elements(overrides) WITH ORDINALITY AS o(v, i) LEFT JOIN renamed n ON n.was = o.v ->> 'key' LEFT JOIN renamed s ON s.was = o.v ->> 'value' LEFT JOIN renamed w ON w.was = o.v ->> 'was')
    WHERE overrides <> '[]';
UPDATE slice SET full_estimate = (full_estimate - 'grams_hold')
        || jsonb_build_object('grams_adhesion', full_estimate -> 'grams_hold')
        || CASE WHEN jsonb_typeof(full_estimate -> 'seconds_by_kind') = 'object' THEN jsonb_build_object('seconds_by_kind',
            (SELECT coalesce(jsonb_object_agg(coalesce(n.is_now, d.k), d.v), '{}') FROM jsonb_each(full_estimate -> 'seconds_by_kind') AS d(k, v) LEFT JOIN renamed n ON n.was = d.k)) ELSE '{}' END
        || CASE WHEN jsonb_typeof(full_estimate -> 'nozzles') = 'array' THEN jsonb_build_object('nozzles',
            (SELECT coalesce(jsonb_agg((o.v - 'grams_hold') || jsonb_build_object('grams_adhesion', o.v -> 'grams_hold') ORDER BY o.i), '[]') FROM jsonb_array_elements(full_estimate -> 'nozzles') WITH ORDINALITY AS o(v, i))) ELSE '{}' END
    WHERE full_estimate ? 'grams_hold';

-- +goose Down
ALTER TABLE slice RENAME COLUMN overrides TO departures;
CREATE TEMPORARY TABLE renamed (is_now text PRIMARY KEY, was text NOT NULL UNIQUE) ON COMMIT DROP;
INSERT INTO renamed VALUES ('hold', 'bed_adhesion'), ('cap_mm_per_s', 'top_bottom_mm_per_s'), ('cap_mm_per_s2', 'top_bottom_mm_per_s2'), ('least_layer_s', 'min_layer_time_s'),
    ('support_roof', 'support_interface_layers'), ('support_roof_percent', 'support_interface_percent'), ('support_drop_mm', 'support_vertical_gap_mm'), ('support_gap_mm', 'support_horizontal_gap_mm'),
    ('grams_hold', 'grams_adhesion'), ('cap', 'top and bottom'), ('first-layer hold', 'bed adhesion'), ('rear', 'at the back'), ('aligned', 'in one line'), ('nearest', 'closest');
UPDATE recipe SET data = (SELECT jsonb_object_agg(coalesce(n.is_now, d.k), CASE WHEN d.k = 'seam' THEN coalesce(to_jsonb(s.is_now), d.v) ELSE d.v END)
    FROM jsonb_each(data) AS d(k, v) LEFT JOIN renamed n ON n.was = d.k LEFT JOIN renamed s ON to_jsonb(s.was) = d.v);
UPDATE slice SET departures = (SELECT jsonb_agg(o.v
        || jsonb_build_object('key', coalesce(n.is_now, o.v ->> 'key'))
        || CASE WHEN o.v ->> 'key' = 'seam' THEN jsonb_build_object('value', coalesce(s.is_now, o.v ->> 'value')) || CASE WHEN o.v ? 'was' THEN jsonb_build_object('was', coalesce(w.is_now, o.v ->> 'was')) ELSE '{}' END ELSE '{}' END
        ORDER BY o.i)
    FROM jsonb_array_elements(departures) WITH ORDINALITY AS o(v, i) LEFT JOIN renamed n ON n.was = o.v ->> 'key' LEFT JOIN renamed s ON s.was = o.v ->> 'value' LEFT JOIN renamed w ON w.was = o.v ->> 'was')
    WHERE departures <> '[]';
UPDATE slice SET full_estimate = (full_estimate - 'grams_adhesion')
        || jsonb_build_object('grams_hold', full_estimate -> 'grams_adhesion')
        || CASE WHEN jsonb_typeof(full_estimate -> 'seconds_by_kind') = 'object' THEN jsonb_build_object('seconds_by_kind',
            (SELECT coalesce(jsonb_object_agg(coalesce(n.is_now, d.k), d.v), '{}') FROM jsonb_each(full_estimate -> 'seconds_by_kind') AS d(k, v) LEFT JOIN renamed n ON n.was = d.k)) ELSE '{}' END
        || CASE WHEN jsonb_typeof(full_estimate -> 'nozzles') = 'array' THEN jsonb_build_object('nozzles',
            (SELECT coalesce(jsonb_agg((o.v - 'grams_adhesion') || jsonb_build_object('grams_hold', o.v -> 'grams_adhesion') ORDER BY o.i), '[]') FROM jsonb_array_elements(full_estimate -> 'nozzles') WITH ORDINALITY AS o(v, i))) ELSE '{}' END
    WHERE full_estimate ? 'grams_adhesion';
