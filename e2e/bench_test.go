package e2e

import (
	"fmt"
	"io"
	"math"
	"os"
	"strconv"
	"strings"
	"testing"

	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jobshelf/core/shape/solid"
	"jobshelf/internal/browser"
	"jobshelf/internal/desk/decide"
	"jobshelf/internal/desk/plates"
)

// A job of twenty tags and a post: the post is stood another way by a key, on a face that is
// clicked, made smaller, laid by the second nozzle; ten changes are taken back, and after a reload
// done again. A tag is pinned and the others are laid round it; after a reload it is all there. The
// yes is to that, and the program of its run holds every copy where it was shown, each by its nozzle.
func TestTheBenchKeepsEverything(t *testing.T) {
	server := serve(t, house(t))
	c := signIn(t, server.base, "cato")
	type piece = map[string]any
	var pieces []piece
	for name, copies := range map[string]int{"tag.stl": 20, "post.stl": 1} {
		m := solid.Box(14, 9, 1)
		if name == "post.stl" {
			m = solid.Box(9, 7, 5)
		}
		data, err := os.ReadFile(file(t, name, m))
		require.NoError(t, err)
		var up struct {
			UploadID string `json:"upload_id"`
		}
		c.post("/uploads?name="+name, data, &up)
		pieces = append(pieces, piece{"upload_id": up.UploadID, "copies": copies})
	}
	var made struct{ ID int64 }
	c.post("/jobs", map[string]any{"purpose": "everyday", "pieces": pieces}, &made)
	job := c.until(made.ID, over)
	of := func(v decide.JobView, name string) *decide.PieceView {
		for i := range v.PieceSet {
			if v.PieceSet[i].Name == name {
				return &v.PieceSet[i]
			}
		}
		t.Fatalf("no piece %s", name)
		return nil
	}
	p, ok := atTheDesk(t, server.base)
	open := func(name string) {
		t.Helper()
		ok(p.Go(fmt.Sprintf("/bench/%d", made.ID)))
		ok(p.Wait(`document.querySelectorAll('.left .tabs button').length === 2 && document.querySelector('.view[data-state=shown]')`))
		ok(p.Do(fmt.Sprintf(`[...document.querySelectorAll('.left .tabs button')].find((b) => b.innerText === %q).click()`, name)))
		ok(p.Wait(`document.querySelector('.view[data-state=shown]')`))
	}
	open("post.stl")
	ok(openPanel(p, "Orientation"))
	at := func(undo, redo int) {
		t.Helper()
		ok(p.Wait(fmt.Sprintf(`document.querySelector('.stand[data-undo="%d"][data-redo="%d"]') && !document.querySelector('.stand [role=status]')`, undo, redo)))
	}
	line := func(text string) {
		t.Helper()
		ok(p.Type(".stand .line input", text))
		ok(p.Key(kb.Enter))
		ok(p.Wait(`document.querySelector('.stand .line input').value === ''`))
		ok(p.Do(`document.activeElement.blur()`))
	}
	at(0, 0)
	ok(p.Key("n"))
	at(1, 0)
	ok(p.Key("d"))
	ok(p.Wait(`document.querySelector('canvas.picking')`))
	ok(p.Click(".view canvas"))
	n := 2
	for _, text := range []string{"90 % because it is a sample", "x 30", "y 20", "mirror", "z 6 mm because the slot is 6", "as it came because it does not", "x 90", "nozzle 2"} {
		at(n, 0)
		line(text)
		n++
	}
	at(10, 0)
	after := *of(c.until(made.ID, over), "post.stl")
	require.Equal(t, 2, after.Nozzle)
	require.True(t, after.Orientation.Fixed)
	for k := range 10 {
		ok(p.Key(kb.Backspace))
		at(9-k, k+1)
	}
	before := of(c.until(made.ID, over), "post.stl")
	require.Zero(t, before.Nozzle)
	require.Equal(t, of(job, "post.stl").Orientation, before.Orientation)
	open("post.stl")
	ok(openPanel(p, "Orientation"))
	for k := range 10 {
		at(k, 10-k)
		ok(p.Key(kb.Backspace, shift))
	}
	at(10, 0)
	again := of(c.until(made.ID, over), "post.stl")
	require.Equal(t, after.Orientation, again.Orientation)
	require.Equal(t, 2, again.Nozzle)

	// On the machine of two nozzles it is sliced; a tag is pinned, the others are laid round it.
	open("tag.stl")
	sliced := func(many int) {
		t.Helper()
		ok(p.Wait(fmt.Sprintf(`document.querySelectorAll('.variants li').length === %d && !document.querySelector('.run.small') && document.querySelector('.strip')`, many)))
	}
	require.Equal(t, "Fairlead", words(p, t, `document.querySelector('.answer strong').innerText`), "no other has a second nozzle")
	had, err := browser.Eval[int](p, `document.querySelectorAll('.variants li').length`)
	ok(err)
	if had == 0 {
		ok(p.Key("l"))
	}
	sliced(1)
	ok(p.Key("q"))
	ok(p.Wait(`document.querySelector('.plate [aria-pressed=true]')`))
	for range 3 {
		ok(p.Key(kb.ArrowUp, shift))
	}
	ok(p.Wait(`document.querySelector('.plate .tidy:not(:disabled)')`))
	ok(p.Click(".plate .tidy"))
	ok(openPanel(p, "Layers"))
	sliced(2)
	open("tag.stl")
	sliced(2)
	ok(p.Wait(`document.querySelector('.variants li:last-child')?.innerText.includes('1 pinned')`))
	ok(p.Do(`document.querySelector('.variants li:last-child .link').click()`))
	ok(p.Wait(`document.querySelector('.variants li:last-child .counts')`))
	var all []plates.SliceView
	c.get(fmt.Sprintf("/pieces/%d/slices", of(job, "tag.stl").ID), &all)
	s := all[len(all)-1]
	require.True(t, s.Chosen)
	require.Len(t, s.Pins, 1)
	moved := 0
	for _, was := range all {
		for _, at := range was.Plates[0].Spots {
			if was.Of == "" && len(was.Pins) == 0 && at.PieceID == of(job, "tag.stl").ID && at.Copy == s.Pins[0].Copy {
				assert.InDelta(t, at.YMM+3, s.Pins[0].YMM, 0.05, "to a tenth of a millimetre")
				moved++
			}
		}
	}
	assert.Equal(t, 1, moved)
	require.Len(t, s.Plates, 1)
	require.Len(t, s.Plates[0].Spots, 21)

	ok(p.Wait(`[...document.querySelectorAll('.foot button')].some((b) => b.innerText.includes('Yes') && !b.disabled)`))
	ok(p.Key("y"))
	v := c.until(made.ID, func(v decide.JobView) bool { return v.State == "approved" })
	require.Len(t, v.Runs, 1)
	r, err := c.http.Get(fmt.Sprintf("%s/runs/%d/gcode", c.base, v.Runs[0].ID))
	require.NoError(t, err)
	defer r.Body.Close()
	program, err := io.ReadAll(r.Body)
	require.NoError(t, err)
	laid := laidBy(t, string(program), &s.Plates[0])
	for k, spot := range s.Plates[0].Spots {
		nozzle := 0
		if spot.PieceID == again.ID {
			nozzle = 1
		}
		assert.Greater(t, laid[k][nozzle], 5., "copy %d of piece %d, mm of filament", spot.Copy, spot.PieceID)
		assert.Zero(t, laid[k][1-nozzle], "copy %d of piece %d by the other nozzle", spot.Copy, spot.PieceID)
	}
}

const shift = 8 // as chromedp counts it

func words(p *browser.Page, t *testing.T, expression string) string {
	t.Helper()
	s, err := browser.Eval[string](p, expression)
	require.NoError(t, err)
	return s
}

// laidBy is how much filament a program feeds over each copy on a plate, as far as the tags reach, by
// nozzle, read by nothing of ours.
func laidBy(t *testing.T, program string, on *plates.PlateView) [][2]float64 {
	t.Helper()
	out := make([][2]float64, len(on.Spots))
	at, nozzle := map[byte]float64{}, 0
	for _, line := range strings.Split(program, "\n") {
		words := strings.Fields(strings.Split(line, ";")[0])
		if len(words) == 0 {
			continue
		}
		if words[0] == "T0" || words[0] == "T1" {
			nozzle = int(words[0][1] - '0')
		}
		if words[0] != "G0" && words[0] != "G1" {
			continue
		}
		fed, moved := 0., false
		for _, w := range words[1:] {
			value, err := strconv.ParseFloat(w[1:], 64)
			require.NoError(t, err, "%s", line)
			if w[0] == 'E' {
				fed = value
				continue
			}
			at[w[0]] = value
			moved = moved || w[0] == 'X' || w[0] == 'Y'
		}
		for k, s := range on.Spots {
			if moved && fed > 0 && math.Abs(at['X']-s.XMM) < 7.1 && math.Abs(at['Y']-s.YMM) < 4.6 {
				out[k][nozzle] += fed
			}
		}
	}
	return out
}
