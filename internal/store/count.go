package store

import "context"

// Count is how many of something there are.
type Count struct {
	Of    string // what
	Label string // of which kind; empty: of all
	N     float64
}

// Counts are those that whoever runs the server watches: jobs and runs by state, machines that are driven, what waits in the
// queues and for how long, and how large the database is.
func (q Q) Counts(ctx context.Context) ([]Count, error) {
	return all[Count](ctx, q, `SELECT 'jobs', state, count(*)::float8 FROM job GROUP BY 2
		UNION ALL SELECT 'runs', state, count(*) FROM run GROUP BY 2
		UNION ALL SELECT 'machines_driven', '', count(*) FROM device WHERE until > now()
		UNION ALL SELECT 'queue_waiting', queue, count(*) FROM river_job WHERE state IN ('available', 'retryable', 'scheduled') GROUP BY 2
		UNION ALL SELECT 'queue_running', queue, count(*) FROM river_job WHERE state = 'running' GROUP BY 2
		UNION ALL SELECT 'queue_oldest_seconds', queue, extract(epoch FROM now() - min(scheduled_at)) FROM river_job WHERE state = 'available' GROUP BY 2
		UNION ALL SELECT 'set_aside', '', count(*) FROM task WHERE state = 'set aside'
		UNION ALL SELECT 'database_bytes', '', pg_database_size(current_database())
		UNION ALL SELECT 'last_event', '', coalesce(max(id), 0) FROM event
		UNION ALL SELECT 'to_be_looked_at', '', count(*) FROM epoch WHERE looked_at IS NULL
		ORDER BY 1, 2`)
}
