package decide

import (
	"context"
	"strings"
	"time"

	"jobshelf/internal/desk"
)

// EndedSlip is a job that was sent back, withdrawn or fetched.
type EndedSlip struct {
	ID      int64     `json:"id"`
	Title   string    `json:"title"`
	Member  string    `json:"member"`
	Purpose string    `json:"purpose"`
	State   string    `json:"state" enum:"sent back,withdrawn,fetched"`
	Reason  string    `json:"reason,omitempty" doc:"What its member was told, or has said"`
	At      time.Time `json:"at" doc:"When that was"`
}

// mostEnded bounds a list of them; mostWords what is searched for.
const (
	mostEnded = 60
	mostWords = 12
)

// Ended lists the jobs the actor may see that were sent back or withdrawn, the latest first; with words it searches all
// that ever ended for them.
func Ended(ctx context.Context, d *desk.Desk, a desk.Actor, search string) ([]EndedSlip, error) {
	member := a.ID
	if a.Role.AtLeast(desk.Coordinator) {
		member = 0
	}
	words := strings.Fields(strings.ToValidUTF8(strings.ReplaceAll(search, "\x00", " "), " "))
	rows, err := d.Store.EndedJobs(ctx, member, words[:min(len(words), mostWords)], mostEnded)
	out := []EndedSlip{}
	for _, r := range rows {
		out = append(out, EndedSlip{r.ID, r.Title, r.MemberName, r.Purpose, r.State, r.Reason, r.EndedAt})
	}
	return out, err
}
