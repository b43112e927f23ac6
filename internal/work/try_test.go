package work

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jobshelf/core/print/orient"
	"jobshelf/core/shape/mesh"
	"jobshelf/core/shape/solid"
	"jobshelf/internal/desk"
	rooms "jobshelf/internal/desk/house"
	"jobshelf/internal/desk/intake"
	"jobshelf/internal/desk/plates"
)

// What a job would take in every orientation on every machine is worked out behind the check, each
// once, whoever hands the same file in; it is another where the machine is, and only there. A row is
// taken by turning: the ladder then has its figures, and how it stood is among the others.
func TestEveryOrientationIsTriedOnce(t *testing.T) {
	h := open(t)
	w, err := Start(ctx, h.store, h.desk, Options{Log: quiet})
	require.NoError(t, err)
	defer w.Stop(ctx)
	whole := func(job int64) func() bool {
		return func() bool {
			v := h.view(job)
			return v.Check.State == "done" && v.Ways.Of > 0 && v.Ways.Tried == v.Ways.Of
		}
	}
	counted := func() (rows, most int) {
		require.NoError(t, h.store.Pool.QueryRow(ctx, `SELECT count(*), max(times) FROM tried`).Scan(&rows, &most))
		return rows, most
	}
	job := h.handIn(stl(t, solid.Bollard()), "bollard.stl")
	h.until("tried", whole(job))
	v := h.view(job)
	ways, machines := len(v.PieceSet[0].Orientation.Ways), len(v.Ladder)
	assert.Len(t, v.Ways.Rows, (ways-1)*machines)
	rows, most := counted()
	assert.Equal(t, ways*machines, rows, "that in which it stands, from the check, too")
	assert.Equal(t, 1, most, "how it came was held against it in the check, on one machine")

	var row *struct {
		Name    string
		Seconds float64
		Price   int64
	}
	for _, r := range v.Ways.Rows {
		assert.NotEmpty(t, r.Way)
		require.Len(t, r.Turns, 1)
		if r.Takes && row == nil {
			row = &struct {
				Name    string
				Seconds float64
				Price   int64
			}{r.Name, r.Seconds, int64(r.Price)}
			require.NoError(t, intake.TurnPieces(ctx, h.desk, h.cato, job, v.Revision, []intake.PieceTurn{{PieceID: r.Turns[0].PieceID, Turn: r.Turns[0].Turn}}))
		}
	}
	require.NotNil(t, row)
	h.until("checked again", whole(job))
	for _, r := range h.view(job).Ladder {
		if r.Name == row.Name && !r.Full {
			assert.InDelta(t, row.Seconds, r.Seconds, 1e-6)
			assert.EqualValues(t, row.Price, r.Price)
		}
	}
	rows, _ = counted()
	assert.Equal(t, ways*machines, rows, "nothing new")

	twin := h.handIn(stl(t, solid.Bollard()), "again.stl")
	h.until("its twin", whole(twin))
	all, err := rooms.Read(ctx, h.desk)
	require.NoError(t, err)
	one := all.Machines[0]
	one.Data.Motion.SpeedMMPerS /= 2
	before, _ := counted()
	require.NoError(t, rooms.SetMachine(ctx, h.desk, desk.Actor{ID: 1, Role: desk.Steward}, one))
	h.until("judged again", func() bool { n, _ := counted(); return whole(job)() && whole(twin)() && n > before })
	after, _ := counted()
	assert.Zero(t, (after-before)%ways, "of that machine alone: %d more", after-before)

	// What is refused leaves all as it is.
	now := h.view(job)
	for _, bad := range [][]intake.PieceTurn{
		{{PieceID: now.PieceID, Turn: orient.Upright(mesh.Vec3{X: 1})}, {PieceID: 999, Turn: orient.AsItCame}},
		{{PieceID: h.view(twin).PieceID, Turn: orient.AsItCame}},
		{{PieceID: now.PieceID, Turn: orient.Quat{3, 0, 0, 0.1}}, {PieceID: now.PieceID, Turn: orient.Quat{}}, {PieceID: -1}},
	} {
		assert.Error(t, intake.TurnPieces(ctx, h.desk, h.cato, job, now.Revision, bad))
	}
	assert.Error(t, intake.TurnPieces(ctx, h.desk, h.cato, job, now.Revision+1, []intake.PieceTurn{{PieceID: now.PieceID}}))
	assert.Equal(t, now.Revision, h.view(job).Revision)
	assert.Equal(t, now.PieceSet[0].Orientation.Stand, h.view(job).PieceSet[0].Orientation.Stand)
	require.NoError(t, plates.ProposeAll(ctx, h.desk), "nothing is missing")
}
