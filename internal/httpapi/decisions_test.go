package httpapi_test

import (
	"fmt"
	"net/http"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jobshelf/core/judge/finding"
	"jobshelf/core/judge/rule"
	"jobshelf/core/shop/job"
	"jobshelf/internal/demo"
	"jobshelf/internal/desk"
	"jobshelf/internal/desk/decide"
	"jobshelf/internal/desk/desktest"
	"jobshelf/internal/desk/house"
	"jobshelf/internal/httpapi"
)

// Every decision by everybody in every state of a job: it is made, once, as one event, by who may and where it can be;
// else it is refused for the right reason, and the job is as it was.
func TestEveryDecisionByEverybodyInEveryState(t *testing.T) {
	t.Parallel()
	d := desktest.Open(t)
	h := &home{t: t, desk: d.Desk, jar: map[string]*http.Cookie{}}
	h.serve(httpapi.Config{})
	login := func(a desk.Actor) string {
		p, err := d.Store.PersonByID(ctx, a.ID)
		require.NoError(t, err)
		return p.Login
	}
	owner, other := login(d.Owner), login(d.Other)
	steward := ""
	for _, p := range demo.People() {
		if desk.Role(p.Role) == desk.Steward {
			steward = p.Login
		}
	}
	boss := d.Cato
	boss.Role = desk.Steward
	rules := map[rule.Waiver]string{rule.ByDesk: "Look at it", rule.BySteward: "Ask the steward"}
	raise := func() { // not before a job is where it is to be: they would hold it on its way there
		for w, name := range rules {
			_, err := house.SetRule(ctx, d.Desk, boss, 0, 0, rule.Rule{Name: name, When: rule.Condition{Fact: "copies", Op: rule.Over, Number: 0}, Grade: finding.Decide, Says: "It is so.", Waives: w})
			require.NoError(t, err)
		}
	}
	lower := func() {
		v, err := house.Rules(ctx, d.Desk)
		require.NoError(t, err)
		for _, r := range v.Rules {
			require.NoError(t, house.TakeRuleAway(ctx, d.Desk, boss, r.ID, r.Version))
		}
	}
	key := func(v decide.JobView, name string) string {
		k := slices.IndexFunc(v.Findings, func(f decide.JobFinding) bool { return f.Rule == name })
		if k < 0 {
			return "0123456789abcdef"
		}
		return v.Findings[k].Key
	}
	answered := func(id int64) {
		v := d.Job(id)
		for _, f := range v.Findings {
			if f.Key != "" && v.State == job.ToDecide {
				require.NoError(t, decide.Answer(ctx, d.Desk, boss, id, 0, f.Key, "So it is."))
			}
		}
	}
	asked := func(id int64) {
		if job.Weighed(d.Job(id).State) {
			require.NoError(t, decide.Ask(ctx, d.Desk, d.Cato, id, 0, "Which end is up?"))
		}
	}
	type body = map[string]any
	everybody := []string{"", other, owner, "cato", steward}
	deskOnly, bosses, whose := []string{"cato", steward}, []string{steward}, []string{owner, "cato", steward}
	for _, c := range []struct {
		name, path string
		does       func(v decide.JobView) body
		before     func(id int64)
		by, in     []string
		event      string
	}{
		{"approve", "/jobs/%d/approve", func(decide.JobView) body { return body{"machine_id": d.Machines[0].ID} }, answered, deskOnly, []string{job.ToDecide}, "approved up to"},
		{"approve on conditions", "/jobs/%d/approve", func(decide.JobView) body {
			return body{"machine_id": d.Machines[0].ID, "more_percent": 50, "conditions": []body{{"key": "infill_percent", "value": "35", "why": "It is pulled."}}}
		}, answered, deskOnly, []string{job.ToDecide}, "approved if"},
		{"approve together", "/routine", func(v decide.JobView) body {
			return body{"jobs": []body{{"id": v.ID, "revision": v.Revision, "machine_id": d.Machines[0].ID, "price_cents": 1_000_000}}}
		}, answered, deskOnly, []string{job.ToDecide}, "approved up to"},
		{"ask", "/jobs/%d/ask", func(decide.JobView) body { return body{"text": "Which end is up?"} }, nil, deskOnly, []string{job.Arrived, job.ToDecide}, "asked"},
		{"reply", "/jobs/%d/reply", func(decide.JobView) body { return body{"text": "This one."} }, asked, whose, []string{job.Arrived, job.ToDecide}, "replied"},
		{"send back", "/jobs/%d/send-back", func(decide.JobView) body { return body{"reason": "It leans."} }, nil, deskOnly, []string{job.Arrived, job.ToDecide}, "sent back"},
		{"waive", "/jobs/%d/answer", func(v decide.JobView) body { return body{"key": key(v, rules[rule.ByDesk]), "reason": "So it is."} }, nil, deskOnly, []string{job.ToDecide}, "finding answered"},
		{"waive what is the steward's", "/jobs/%d/answer", func(v decide.JobView) body { return body{"key": key(v, rules[rule.BySteward]), "reason": "So it is."} }, nil, bosses, []string{job.ToDecide}, "finding answered"},
		{"take back", "/jobs/%d/take-back", func(decide.JobView) body { return body{} }, nil, deskOnly, []string{job.BeingSliced, job.Approved}, "yes taken back"},
		{"withdraw", "/jobs/%d/withdraw", func(decide.JobView) body { return body{"reason": "not wanted"} }, nil, whose, []string{job.Arrived, job.ToDecide, job.BeingSliced, job.Approved}, "withdrawn"},
	} {
		for _, state := range append(slices.Clone(job.Shelves), job.Fetched, job.SentBack, job.Withdrawn) {
			var id int64
			for _, who := range everybody {
				at := fmt.Sprintf("%s, %s, by %q", c.name, state, who)
				if id == 0 {
					id, _ = d.At(state)
					raise()
					if c.before != nil {
						c.before(id)
					}
				}
				v := d.Job(id)
				require.Equal(t, state, v.State, at)
				told := h.count(fmt.Sprintf(`SELECT count(*) FROM event WHERE job_id = %d`, id))
				send := c.does(v)
				if c.path != "/routine" {
					send["revision"] = v.Revision
				}
				h.signIn(who)
				path := c.path
				if path != "/routine" {
					path = fmt.Sprintf(c.path, id)
				}
				a := h.call("POST", path, send)
				may, can := slices.Contains(c.by, who), slices.Contains(c.in, state)
				memberMay := slices.Contains(c.by, owner)
				want := 409
				switch {
				case who == "":
					want = 401
				case may && can:
					want = 204
				case who == owner && !memberMay, who == other && !memberMay:
					want = 403
				case who == other:
					want = 404
				}
				require.Equal(t, want, a.code, "%s: %s", at, a.body)
				now := d.Job(id)
				if want != 204 {
					assert.Equal(t, v.Revision, now.Revision, at)
					assert.Equal(t, v.State, now.State, at)
					assert.Equal(t, told, h.count(fmt.Sprintf(`SELECT count(*) FROM event WHERE job_id = %d`, id)), at)
					continue
				}
				assert.Greater(t, now.Revision, v.Revision, at)
				assert.Equal(t, 1, h.count(fmt.Sprintf(`SELECT count(*) FROM (SELECT name FROM event WHERE job_id = %d ORDER BY id OFFSET %d) e WHERE name = '%s'`, id, told, c.event)), at)
				lower()
				offTheFloor(t, d, id)
				id = 0
			}
			if id != 0 {
				lower()
				offTheFloor(t, d, id)
			}
		}
	}
}

// offTheFloor takes a job off the floor.
func offTheFloor(t *testing.T, d *desktest.House, id int64) {
	t.Helper()
	for v := d.Job(id); v.May.Withdraw || v.May.Next != ""; v = d.Job(id) {
		if v.May.Withdraw {
			require.NoError(t, decide.Withdraw(ctx, d.Desk, d.Cato, id, 0, ""))
			return
		}
		require.NoError(t, demo.ByHand(ctx, d.Desk, d.Cato, id))
	}
}
