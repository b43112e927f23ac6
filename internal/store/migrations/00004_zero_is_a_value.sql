-- +goose Up
-- Until now 0 was as good as left out in these settings; from now on it is a value.
UPDATE recipe SET data = data - ARRAY(
    SELECT k FROM unnest(ARRAY['support_gap_mm', 'support_drop_mm', 'support_roof', 'change_purge_mm']) AS k WHERE data -> k = '0');
-- +goose Down
SELECT 1; -- nothing to take back: what is left out means the same
