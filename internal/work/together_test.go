package work

import (
	"bufio"
	"fmt"
	"io"
	"math"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jobshelf/core/shape/solid"
	"jobshelf/core/shop/job"
	"jobshelf/internal/desk/decide"
	"jobshelf/internal/desk/floor"
	"jobshelf/internal/desk/plates"
)

// boxOf are the corners around what a program lays down, read by lines that know no more of G-code than
// where it goes and whether filament comes.
func boxOf(t *testing.T, program string, keep func(x, y float64) bool) (minX, minY, maxX, maxY, filament float64) {
	minX, minY, maxX, maxY = math.Inf(1), math.Inf(1), math.Inf(-1), math.Inf(-1)
	x, y, e, relative := 0.0, 0.0, 0.0, false
	for in := bufio.NewScanner(strings.NewReader(program)); in.Scan(); {
		words := strings.Fields(strings.SplitN(in.Text(), ";", 2)[0])
		if len(words) == 0 {
			continue
		}
		switch words[0] {
		case "M83":
			relative = true
		case "M82":
			relative = false
		case "G92":
			e = 0
		case "G0", "G1":
			was, moved := e, false
			for _, w := range words[1:] {
				var v float64
				_, err := fmt.Sscan(w[1:], &v)
				require.NoError(t, err, w)
				switch w[0] {
				case 'X':
					x, moved = v, true
				case 'Y':
					y, moved = v, true
				case 'E':
					if e = v; relative {
						e = was + v
					}
				}
			}
			if e > was && moved && keep(x, y) {
				minX, minY, maxX, maxY = math.Min(minX, x), math.Min(minY, y), math.Max(maxX, x), math.Max(maxY, y)
				filament += e - was
			}
		}
	}
	return
}

// Two jobs are sliced, put on one plate, and sliced as one: the program lays every copy where the plate says,
// takes as much filament as both, less time by what it saves, and names nobody; each job's share is of its
// own copies. Taken apart, both are as they were; what is too much for a plate is refused, and says so.
func TestTwoJobsAreSlicedAsOne(t *testing.T) {
	h := open(t)
	w := h.worker()
	defer func() { assert.NoError(t, w.Stop(ctx)) }()
	machine := int64(0)
	approved := func(file []byte, name string) int64 {
		id := h.handIn(file, name)
		h.until("checked", h.over(id))
		if machine == 0 {
			for _, r := range h.view(id).Ladder {
				if r.Takes && r.Shape == "rectangle" {
					machine = r.MachineID
				}
			}
		}
		require.NoError(t, decide.Approve(ctx, h.desk, h.cato, id, 0, decide.Yes{MachineID: machine}))
		h.until("sliced", func() bool { return h.view(id).State == job.Approved })
		return id
	}
	host := approved(stl(t, solid.Box(40, 30, 4)), "hosts-secret.stl")
	guest := approved(stl(t, solid.Box(20, 20, 8)), "guests-secret.stl")
	var bed [3]float64
	for _, r := range h.view(host).Ladder {
		if r.MachineID == machine {
			bed = r.VolumeMM
		}
	}
	wide := approved(stl(t, solid.Box(bed[0]-20, bed[1]-30, 2)), "wide.stl")
	was := map[int64]floor.RunView{}
	for _, id := range []int64{host, guest, wide} {
		was[id] = h.view(id).Runs[0]
	}
	beside, err := floor.BesideRun(ctx, h.desk, was[host].ID)
	require.NoError(t, err)
	require.Len(t, beside.Could, 3, "each plate of the wide one")
	could := map[int64]floor.Could{}
	for _, c := range beside.Could {
		could[c.JobID] = c
	}
	require.Empty(t, could[guest].Against)
	assert.Contains(t, could[wide].Against, "no room")
	require.NoError(t, plates.PutTogether(ctx, h.desk, h.cato, was[host].ID, was[guest].ID))
	h.until("put together", func() bool { return len(h.view(guest).Runs) == 1 && h.view(guest).Runs[0].ID == was[host].ID })

	r, err := h.store.Run(ctx, was[host].ID)
	require.NoError(t, err)
	require.Len(t, r.Shares, 2)
	d, err := plates.RunProgram(ctx, h.desk, h.cato, r.ID)
	require.NoError(t, err)
	raw, err := io.ReadAll(d)
	require.NoError(t, err)
	program := string(raw)
	assert.NotContains(t, program, "secret")
	assert.NotContains(t, program, h.cato.Name)
	assert.Contains(t, program, fmt.Sprint("job: ", guest))
	p, err := h.store.Plate(ctx, *r.PlateID)
	require.NoError(t, err)
	require.Len(t, p.Spots, 4)
	s, err := h.store.Slice(ctx, p.SliceID)
	require.NoError(t, err)
	for _, at := range p.Spots {
		wide, deep := 40.0, 30.0
		if s.Pieces[at.Piece].PieceID == h.view(guest).PieceSet[0].ID {
			wide, deep = 20, 20
		}
		if math.Mod(at.TurnDeg+360, 180) == 90 {
			wide, deep = deep, wide
		}
		near := func(x, y float64) bool { return math.Abs(x-at.XMM) < wide/2+2 && math.Abs(y-at.YMM) < deep/2+2 }
		minX, minY, maxX, maxY, _ := boxOf(t, program, near)
		assert.InDeltaSlice(t, []float64{at.XMM - wide/2, at.YMM - deep/2, at.XMM + wide/2, at.YMM + deep/2}, []float64{minX, minY, maxX, maxY}, 0.5, "by half a line")
	}
	assert.InDelta(t, r.Grams, was[host].Grams+was[guest].Grams, 0.05*r.Grams)
	seconds := was[host].Seconds + was[guest].Seconds
	assert.InDelta(t, r.Seconds, seconds-could[guest].SavesS, 0.1*seconds)
	assert.Less(t, r.Seconds, seconds)
	assert.InDelta(t, r.Seconds, r.Shares[0].Seconds+r.Shares[1].Seconds, 1e-6)
	assert.InDelta(t, r.Grams, r.Shares[0].Grams+r.Shares[1].Grams, 1e-6)
	assert.InDelta(t, was[guest].Grams, r.Of(guest).Grams, 0.05*was[guest].Grams)
	assert.Equal(t, was[guest].Price, h.view(guest).Runs[0].Price)

	// What does not go on a plate stays where it is.
	require.NoError(t, plates.PutTogether(ctx, h.desk, h.cato, was[wide].ID, r.ID))
	h.until("refused", func() bool {
		b, err := floor.BesideRun(ctx, h.desk, was[wide].ID)
		require.NoError(t, err)
		return len(b.Made) == 1 && b.Made[0].Error != ""
	})
	b, err := floor.BesideRun(ctx, h.desk, was[wide].ID)
	require.NoError(t, err)
	assert.Contains(t, b.Made[0].Error, "plate")
	assert.Len(t, h.view(wide).Runs, 2)
	require.NoError(t, plates.TakeOut(ctx, h.desk, h.cato, r.ID, host))
	for _, id := range []int64{host, guest} {
		v := h.view(id).Runs[0]
		assert.InDelta(t, was[id].Seconds, v.Seconds, 0)
		assert.Equal(t, was[id].Price, v.Price)
	}
}
