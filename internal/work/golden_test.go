package work

import (
	"bytes"
	"crypto/sha256"
	"fmt"
	"io"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"gotest.tools/v3/golden"

	"jobshelf/core/judge/slicing"
	"jobshelf/core/print/orient"
	"jobshelf/core/print/recipe"
	"jobshelf/core/shape/mesh"
	"jobshelf/core/shape/modelfile"
	"jobshelf/core/shape/solid"
	"jobshelf/core/shape/units"
	"jobshelf/internal/desk"
	"jobshelf/internal/desk/decide"
	"jobshelf/internal/desk/intake"
	"jobshelf/internal/desk/plates"
	"jobshelf/internal/told"
)

// What comes of files at a worker's hands is as it was: what the job shows after the check,
// after mending by all steps, and in another unit; what a slice came to; every file that is
// kept, byte by byte. Other tests say what is right; this one says that nothing moved.
func TestWorkComesOutAsItDid(t *testing.T) {
	h := open(t)
	w := h.worker()
	defer func() { require.NoError(t, w.Stop(ctx)) }()
	set := func(f *modelfile.File) []byte {
		var b bytes.Buffer
		require.NoError(t, modelfile.Write3MF(&b, f))
		return b.Bytes()
	}
	box, leg := solid.Box(20, 12, 5), solid.Cylinder(3, 30, 9)
	program := "M104 S205\nM140 S60\nG28\nG90\nM83\n" + strings.Repeat("G1 Z0.25 F900\nG1 X20 Y20 F6000\nG1 X60 E2 F1800\nG1 Y60 E2\nG91\nG1 Z0.25\nG90\n", 9)
	var book told.Book
	kept := func(what string, d desk.Download, err error) {
		if err != nil {
			book.Line("    %s: %v", what, err)
			return
		}
		b, err := io.ReadAll(d)
		require.NoError(t, err)
		book.Line("    %s: %s %q, %d bytes %.8x", what, d.Type, d.Name, len(b), sha256.Sum256(b))
	}
	tell := func(what string, job int64) decide.JobView {
		h.until(what, h.over(job))
		v := h.view(job)
		book.Line("%s", what)
		v.Ladder = nil // the shop's, from what is told below
		book.Tell(fmt.Sprint(job), v)
		for _, p := range v.PieceSet {
			piece, err := h.store.Piece(ctx, p.ID)
			require.NoError(t, err)
			book.Tell(fmt.Sprint("piece ", p.ID), piece.Verdict)
			evidence, err := intake.Evidence(ctx, h.desk, h.cato, p.ID, 0)
			book.Tell(fmt.Sprint("evidence ", p.ID), []any{evidence, fmt.Sprint(err)})
			d, err := intake.Picture(ctx, h.desk, h.cato, p.ID, 0)
			kept("picture", d, err)
			d, err = intake.Surface(ctx, h.desk, h.cato, p.ID, 0)
			kept("surface", d, err)
			d, err = intake.ModelFile(ctx, h.desk, h.cato, p.ID, 0)
			kept("file", d, err)
		}
		return v
	}
	files := []struct {
		name string
		file []byte
	}{
		{"box.stl", stl(t, box)}, {"inch.stl", stl(t, box.Transformed(1/25.4, mesh.Vec3{X: 3}))}, {"nothing.stl", nil}, {"prose.txt", []byte("Dear all")},
		{"program.gcode", []byte(program)}, {"broken.gcode", []byte("G1 X--1\n")},
		{"set.3mf", set(&modelfile.File{Unit: units.Inch, Models: []modelfile.Model{{Name: "seat", Mesh: box.Transformed(1/25.4, mesh.Vec3{}), Places: []mesh.Vec3{{}, {X: 4}}}, {Name: "leg", Mesh: leg.Transformed(1/25.4, mesh.Vec3{})}}})},
		{"spoiled.stl", stl(t, solid.Spoil(box, 3))}, {"spoiled two.stl", stl(t, solid.Spoil(leg, 11))}, {"spoiled three.3mf", set(&modelfile.File{Models: []modelfile.Model{{Mesh: solid.Spoil(solid.Torus(8, 2, 9, 6), 21)}}})},
	}
	for _, f := range files {
		job := h.handIn(f.file, f.name)
		v := tell(f.name, job)
		if p := v.PieceSet[0]; len(p.Mend) > 0 {
			var steps []string
			for _, s := range p.Mend {
				steps = append(steps, string(s))
			}
			require.NoError(t, intake.Repair(ctx, h.desk, h.cato, p.ID, v.Revision, steps))
			v = tell(f.name+", mended", job)
		}
		if p := v.PieceSet[0]; p.Surface.Triangles > 0 {
			require.NoError(t, intake.ChangePiece(ctx, h.desk, h.cato, p.ID, intake.PieceChange{Revision: v.Revision, Unit: new("cm")}))
			tell(f.name+", in centimetres", job)
			require.NoError(t, intake.ChangePiece(ctx, h.desk, h.cato, p.ID, intake.PieceChange{Revision: h.view(job).Revision, Unit: new("")}))
			tell(f.name+", as it came", job)
		}
	}
	for k, o := range []plates.SliceOrder{
		{MachineID: 1}, {MachineID: 2, Stand: &orient.Stand{Turn: orient.Quat{1, 1}, Scale: [3]float64{0.5, 0.5, 0.5}}}, {MachineID: 3, Overrides: []recipe.Override{{Key: "bed_adhesion", Value: "raft", Why: "a test"}, {Key: "pause_mm", Value: "2", Why: "a test"}}},
		{MachineID: 4, Stand: new(orient.Sized(90))}, {MachineID: 4, SupportMarks: []slicing.SupportMark{{CornersMM: [][3]float64{{-20, -20, 0}, {20, -20, 0}, {-20, 20, 0}, {20, 20, 9}}, PutIn: true, Why: "a test"}}},
	} {
		id, err := plates.OrderSlice(ctx, h.desk, h.cato, int64(1+k/4*7), o)
		require.NoError(t, err)
		h.until("it is sliced", func() bool {
			s, err := h.store.Slice(ctx, id)
			require.NoError(t, err)
			return s.State == "done" || s.State == "failed"
		})
		all, err := plates.Slices(ctx, h.desk, h.cato, int64(1+k/4*7))
		require.NoError(t, err)
		book.Line("slice %d", id)
		book.Tell("", all[len(all)-1])
		d, err := plates.Layers(ctx, h.desk, h.cato, id, 1)
		kept("layers", d, err)
		d, err = plates.Program(ctx, h.desk, h.cato, id, 1)
		kept("program", d, err)
		d, err = plates.Standing(ctx, h.desk, h.cato, id, 1)
		kept("plate", d, err)
	}
	golden.Assert(t, book.String(), "work.txt")
}
