// Package slicing makes pieces ready for a machine: stands them, lays every copy on plates,
// makes their lines, times them, and writes a program for each plate. The desk and the command
// line both make their slices here.
package slicing

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"math"
	"slices"

	"jobshelf/core/judge/finding"
	"jobshelf/core/judge/programcheck"
	"jobshelf/core/print/bed"
	"jobshelf/core/print/estimate"
	"jobshelf/core/print/gcode"
	"jobshelf/core/print/layout"
	"jobshelf/core/print/machine"
	"jobshelf/core/print/orient"
	"jobshelf/core/print/plate"
	"jobshelf/core/print/post"
	"jobshelf/core/print/recipe"
	"jobshelf/core/print/toolpath"
	"jobshelf/core/shape/mesh"
	"jobshelf/core/shape/modelfile"
	"jobshelf/core/shape/polygon"
	"jobshelf/core/shape/problem"
	"jobshelf/core/shape/units"
)

// Revision counts up whenever the same order comes out otherwise than before, so that what was
// sliced by an older program is seen to be stale. A test holds it to the golden files.
const Revision = 6

// Order is what is to be sliced, and how.
type Order struct {
	Pieces  []Piece
	Machine *machine.Machine
	Recipe  recipe.Recipe
	Loaded  machine.Loaded
	// SpacingMM is wanted between what is laid of two copies, what holds them down among it; nil: the
	// usual. Seed and Effort are the layout's.
	SpacingMM *float64
	Seed      uint64
	Effort    int
	// Wear is where the machine's bed is worn; nil: nobody knows.
	Wear *bed.Wear
	// OnePlate refuses what needs several.
	OnePlate bool
}

// Piece is a part, of which some copies are wanted.
type Piece struct {
	Name         string
	Mesh         *mesh.Mesh
	MMPerUnit    float64
	Stand        orient.Stand // how it stands, but for turns about the vertical that fit best
	SupportMarks []SupportMark
	Regions      []Region
	Nozzle       int // lays it, counted from 1; 0: the recipe's
	Copies       int // 0 is one
	Pins         []Pin
}

// Pin is a copy that is to lie where somebody put it, whatever the layout would do.
type Pin struct {
	Copy    int     `json:"copy" minimum:"1" maximum:"99999"`
	Plate   int     `json:"plate" minimum:"1" maximum:"1000" doc:"Counted from 1"`
	XMM     float64 `json:"x_mm" doc:"Of the middle of its box on the plate"`
	YMM     float64 `json:"y_mm"`
	TurnDeg float64 `json:"turn_deg" minimum:"-360" maximum:"360" doc:"About the vertical, from how the piece stands"`
}

// SupportMark is a place where support is put in or kept out by hand: the corners of a
// box, in the part's own coordinates in mm, before it is scaled and laid over.
type SupportMark struct {
	CornersMM [][3]float64 `json:"corners_mm" minItems:"4" maxItems:"8"`
	PutIn     bool         `json:"put_in" doc:"Put support in; else keep it out"`
	Why       string       `json:"why" minLength:"1" maxLength:"300"`
	Who       string       `json:"who,omitempty" maxLength:"120"`
}

// Region is a place that is filled otherwise than the rest of a part, as an extra shell where an
// old one broke: the corners of a box, in the part's own coordinates in mm, before it is scaled
// and laid over. What is nil is as in the rest.
type Region struct {
	CornersMM     [][3]float64 `json:"corners_mm" minItems:"4" maxItems:"8"`
	Shells        *int         `json:"shells,omitempty" minimum:"1" maximum:"20" doc:"Outline passes in it"`
	InfillPercent *float64     `json:"infill_percent,omitempty" minimum:"0" maximum:"100" doc:"How full it is, %"`
	Why           string       `json:"why" minLength:"1" maxLength:"300"`
	Who           string       `json:"who,omitempty" maxLength:"120"`
}

// Overhang is overhangs, with the corners of a box around it in the part's own
// coordinates, as a SupportMark takes them.
type Overhang struct {
	toolpath.Overhang
	CornersMM [][3]float64 `json:"corners_mm"`
}

// Plate is a plate of an order, sliced.
type Plate struct {
	Order     *Order
	N         int // counted from 1
	Spots     []Spot
	Print     *toolpath.Print
	Full      *estimate.Full // its shares are those of Spots
	Overhangs []Overhang     // in the parts' own coordinates; of each part once
	// Like is the number of an earlier plate on which as many copies lie in the same way: all
	// but the copies' numbers is the same. 0: there is none.
	Like int

	stood []stood // by what spots lie of
}

// Spot is where a copy lies on a plate.
type Spot struct {
	Piece   int     `json:"piece" doc:"Which of the order's, counted from 0"`
	Copy    int     `json:"copy" doc:"Counted from 1"`
	XMM     float64 `json:"x_mm" doc:"Of the middle of its box on the plate"`
	YMM     float64 `json:"y_mm"`
	TurnDeg float64 `json:"turn_deg" doc:"About the vertical, from how the piece stands"`
	// OutlineMM is the shadow of a copy that lies in the middle of its own box, of the first spot of
	// each piece and turn; simplified.
	OutlineMM [][2]float64 `json:"outline_mm,omitempty"`

	by polygon.Point
	of int // which of what stood
}

// stood is a piece as it stands in the middle of the plate, turned about the vertical.
type stood struct {
	piece    int
	turnDeg  float64
	mesh     *mesh.Mesh // in mm
	standing plate.Standing
}

// Refusal is why a part cannot be sliced so, for who ordered it.
type Refusal struct{ problem.Phrase }

func refuse(code string, params ...any) *Refusal { return &Refusal{problem.Say(code, params...)} }

// Error says it in English, for logs and the command line.
func (r *Refusal) Error() string { return finding.Speak("en").Say(r.Phrase) }

// Make slices an order: each piece once, then plate by plate, as many as its copies need. keep
// is given each before the next is made, which takes its lines apart; what keep returns ends it.
// progress (nil is fine) is told a share from 0 to 1. Errors are ctx's, keep's or a *Refusal.
func Make(ctx context.Context, o Order, progress func(float64), keep func(*Plate) error) error {
	if progress == nil {
		progress = func(float64) {}
	}
	for n := range o.Pieces {
		own := o.Recipe.OnNozzle(o.Pieces[n].Nozzle)
		if bad := own.Validate(o.Machine, o.Loaded); len(bad) > 0 {
			return &Refusal{bad[0].Phrase}
		}
	}
	m := maker{o: &o, opts: toolpath.Options{Machine: o.Machine}}
	const sliced = 0.7 // of the whole, pieces being sliced
	for k := range o.Pieces {
		if err := m.slice(ctx, k, 0, func(f float64) { progress(sliced * (float64(k) + f) / float64(len(o.Pieces))) }); err != nil {
			return err
		}
	}
	plates, err := m.layOut(ctx)
	if err != nil {
		return err
	}
	if o.OnePlate && len(plates) > 1 {
		return refuse("more than one plate")
	}
	for n := range plates {
		p, err := m.plate(ctx, plates, n)
		if err == nil {
			err = keep(p)
		}
		if err != nil {
			return err
		}
		progress(sliced + (1-sliced)*float64(n+1)/float64(len(plates)))
	}
	return ctx.Err()
}

// One slices an order that lies on one plate. Errors are as of Make.
func One(ctx context.Context, o Order, progress func(float64)) (*Plate, error) {
	var out *Plate
	o.OnePlate = true
	err := Make(ctx, o, progress, func(p *Plate) error {
		out = p
		return nil
	})
	if err != nil {
		return nil, err
	}
	return out, nil
}

// maker makes the plates of an order.
type maker struct {
	o      *Order
	opts   toolpath.Options
	parts  []*toolpath.Part // of what stands
	onWorn []bool           // by plate: something lies where the bed is worn
	stood  []stood          // of each piece one as it fits best, then those that the layout turned
}

// slice slices a piece, standing in the middle of the plate, turned about the vertical by so much
// more than as it fits best.
func (k *maker) slice(ctx context.Context, n int, moreDeg float64, progress func(float64)) error {
	o, p := k.o, &k.o.Pieces[n]
	m := p.Stand.Of(p.Mesh)
	fit := plate.FitOf(m, p.MMPerUnit, o.Machine.Volume)
	if !fit.Fits {
		return refuse("too large to slice", o.Machine.Name, problem.Fixed(fit.OverMM[0], 1), problem.Fixed(fit.OverMM[1], 1), problem.Fixed(fit.OverMM[2], 1))
	}
	s := stood{piece: n, turnDeg: math.Mod(fit.TurnDeg+moreDeg, 360)}
	s.standing = plate.StandingOf(m, p.MMPerUnit, s.turnDeg, o.Machine.Volume)
	s.mesh = s.standing.Mesh(m)
	opts := k.opts
	for i := range p.SupportMarks {
		opts.SupportMarks = append(opts.SupportMarks, p.SupportMarks[i].on(p.Stand, p.MMPerUnit, s.standing))
	}
	for i := range p.Regions {
		opts.Regions = append(opts.Regions, p.Regions[i].on(p.Stand, p.MMPerUnit, s.standing))
	}
	opts.PieceNozzle = p.Nozzle
	part, err := toolpath.SlicePart(ctx, s.mesh, mesh.TopologyOf(s.mesh), 1, o.Recipe, opts, progress)
	if ctx.Err() != nil {
		return ctx.Err()
	}
	if err != nil {
		return refuse("cannot be sliced", err.Error())
	}
	k.parts, k.stood = append(k.parts, part), append(k.stood, s)
	return nil
}

// turnsDeg are turns about the vertical that the layout may try, where they save a plate.
var turnsDeg = []float64{90, 180, 270, 45, 135, 30, 60, 120, 150}

// at is where a copy lies: which of what stands, and how far it is moved.
type at struct {
	layout.Spot
	of int
}

// layOut says which copies lie where, plate by plate, and slices what it turned.
func (k *maker) layOut(ctx context.Context) ([][]at, error) {
	r := k.o.Recipe.WithDefaults()
	items := make([]layout.Item, len(k.o.Pieces))
	high, highest, supported, nozzles, several := 0.0, 0.0, false, map[int]bool{}, len(items) > 1 || k.o.Pieces[0].Copies > 1 || len(k.o.Pieces[0].Pins) > 0
	var worn []polygon.Path
	wear := k.o.Wear
	if wear.Of(k.o.Machine.Volume) {
		worn = wear.Worn(3600 * k.o.Machine.WornHours)
	} else {
		wear = nil
	}
	several = several || len(worn) > 0
	for n := range k.o.Pieces {
		items[n] = layout.Item{Box: k.parts[n].Bounds(), Copies: max(1, k.o.Pieces[n].Copies)}
		if several {
			items[n].Outline, items[n].TurnsDeg = k.outline(n), turnsDeg
		}
		items[n].Pinned = k.pinned(n)
		own := k.o.Recipe.OnNozzle(k.o.Pieces[n].Nozzle).WithDefaults()
		z := k.stood[n].mesh.Bounds().Max.Z
		nozzles[own.PieceNozzle], highest = true, math.Max(highest, z)
		if own.SupportNozzle != own.PieceNozzle && k.parts[n].HasSupport() {
			supported, high = true, math.Max(high, z)
		}
	}
	tower := 0.0
	if len(nozzles) > 1 { // nozzles change up to where only one still lays anything
		high, supported = highest, true
	}
	if supported {
		tower = toolpath.TowerRoomMM(&r, k.o.Machine.FilamentMM, high)
	}
	spacing := -1.0
	if k.o.SpacingMM != nil {
		spacing = *k.o.SpacingMM
	}
	ask := layout.Ask{Volume: k.o.Machine.Volume, ApartUM: layout.Apart(&r, spacing), MarginUM: layout.Margin(&r),
		FreeUM: polygon.UM(tower), Seed: k.o.Seed, Effort: k.o.Effort}
	if rim := k.o.Machine.Volume.XMM / 2; tower > 0 && several && k.o.Machine.Volume.Shape == machine.Round {
		side := toolpath.TowerSideMM(&r, k.o.Machine.FilamentMM, high)
		x := math.Sqrt(math.Max(0, rim*rim-side*side/4)) - tower
		ask.KeepOut = []polygon.Path{{polygon.At(x, -rim), polygon.At(2*rim, -rim), polygon.At(2*rim, rim), polygon.At(x, rim)}}
	}
	free := ask
	free.KeepOut = append(slices.Clone(ask.KeepOut), worn...)
	plates, err := layout.Lay(ctx, items, free)
	if len(worn) > 0 && err == nil && slices.ContainsFunc(plates, func(p []layout.Spot) bool {
		return layout.OnKept(items, k.o.Machine.Volume, slices.DeleteFunc(slices.Clone(p), func(s layout.Spot) bool { return s.Copy < len(items[s.Item].Pinned) }), worn)
	}) { // there is no room beside what is worn: nothing is won by a plate for each
		plates, err = layout.Lay(ctx, items, ask)
	}
	var bad *layout.Collision
	if errors.As(err, &bad) {
		a, b := &k.o.Pieces[bad.A.Item], &k.o.Pieces[bad.B.Item]
		return nil, refuse("pinned on each other", a.Name, a.copyOf(bad.A.Copy), b.Name, b.copyOf(bad.B.Copy), problem.Fixed(bad.OverlapMM2, 1))
	}
	if err != nil {
		return nil, err
	}
	for n := range items {
		for i, pin := range items[n].Pinned {
			if !layout.Holds(items, k.o.Machine.Volume, layout.Spot{Item: n, TurnDeg: pin.TurnDeg, By: pin.By}) {
				return nil, refuse("pinned off the plate", k.o.Pieces[n].Name, k.o.Pieces[n].copyOf(i), k.o.Machine.Name)
			}
		}
	}
	for n := range plates {
		if wear != nil && tower == 0 {
			k.spread(items, plates[n], n, ask)
		}
		k.onWorn = append(k.onWorn, layout.OnKept(items, k.o.Machine.Volume, plates[n], worn))
	}
	out := make([][]at, len(plates))
	for n, spots := range plates {
		for _, s := range spots {
			of := s.Item
			if s.TurnDeg != 0 {
				turned := math.Mod(k.stood[s.Item].turnDeg+s.TurnDeg, 360)
				of = slices.IndexFunc(k.stood, func(x stood) bool { return x.piece == s.Item && x.turnDeg == turned })
				if of < 0 {
					of = len(k.stood)
					if err := k.slice(ctx, s.Item, s.TurnDeg, nil); err != nil {
						return nil, err
					}
				}
			}
			s.Copy = k.o.Pieces[s.Item].copyOf(s.Copy) - 1
			out[n] = append(out[n], at{s, of})
		}
	}
	return out, nil
}

// spread moves a plate to where least has lain on the bed, where the house wants that and nobody has
// pinned a copy.
func (k *maker) spread(items []layout.Item, spots []layout.Spot, plate int, ask layout.Ask) {
	if !k.o.Machine.SpreadWear || slices.ContainsFunc(items, func(it layout.Item) bool {
		return slices.ContainsFunc(it.Pinned, func(p layout.Pin) bool { return p.Plate == plate })
	}) {
		return
	}
	for n := range items { // by their shadows, though one by itself lies by its box
		if items[n].Outline == nil {
			items[n].Outline = k.outline(n)
		}
	}
	outlines := make([]polygon.Path, len(spots))
	for i, s := range spots {
		outlines[i] = layout.Of(items, k.o.Machine.Volume, s)
	}
	by := k.o.Wear.Least(outlines, 3600*k.o.Machine.WornHours, layout.Room(outlines, k.o.Machine.Volume, ask.MarginUM))
	for i := range spots {
		spots[i].By.X, spots[i].By.Y = spots[i].By.X+by.X, spots[i].By.Y+by.Y
	}
}

// pinned are the pins of a piece as the layout knows them.
func (k *maker) pinned(n int) (out []layout.Pin) {
	p := &k.o.Pieces[n]
	for _, pin := range p.Pins {
		if pin.Copy > max(1, p.Copies) {
			continue
		}
		more := math.Mod(pin.TurnDeg-k.stood[n].turnDeg+720, 360)
		m := p.Stand.Of(p.Mesh)
		b := plate.StandingOf(m, p.MMPerUnit, math.Mod(k.stood[n].turnDeg+more, 360), k.o.Machine.Volume).Mesh(m).Bounds()
		out = append(out, layout.Pin{Plate: pin.Plate - 1, TurnDeg: more, By: polygon.At(pin.XMM-(b.Min.X+b.Max.X)/2, pin.YMM-(b.Min.Y+b.Max.Y)/2)})
	}
	return out
}

// copyOf is which copy, counted from 1, the layout's n-th is: those that are pinned come first there.
func (p *Piece) copyOf(n int) int {
	var pinned []int
	for _, pin := range p.Pins {
		if pin.Copy <= max(1, p.Copies) {
			pinned = append(pinned, pin.Copy)
		}
	}
	if n < len(pinned) {
		return pinned[n]
	}
	n -= len(pinned)
	for c := 1; ; c++ {
		if !slices.Contains(pinned, c) {
			if n == 0 {
				return c
			}
			n--
		}
	}
}

// outline is the shadow of a piece, grown by as much as its support stands out of it.
func (k *maker) outline(n int) polygon.Path {
	shadow := plate.Shadow(k.stood[n].mesh)
	b, own := k.parts[n].Bounds(), polygon.Bounds(shadow)
	out := max(own.MinX-b.MinX, own.MinY-b.MinY, b.MaxX-own.MaxX, b.MaxY-own.MaxY)
	const hairUM = 20
	if len(shadow) < 3 || out <= hairUM {
		return shadow
	}
	var poly polygon.Scratch
	grown := poly.Offset([]polygon.Path{shadow}, float64(out), polygon.Offsets{})
	if len(grown) != 1 {
		return polygon.Hull(slices.Concat(grown...))
	}
	return grown[0]
}

// plate makes one of the plates.
func (k *maker) plate(ctx context.Context, plates [][]at, n int) (*Plate, error) {
	o := k.o
	p := &Plate{Order: o, N: n + 1, stood: k.stood}
	places := make([]toolpath.Place, len(plates[n]))
	for i, at := range plates[n] {
		places[i] = toolpath.Place{Part: at.of, By: at.By}
		box := k.stood[at.of].mesh.Bounds()
		p.Spots = append(p.Spots, Spot{Piece: at.Item, Copy: at.Copy + 1, XMM: (box.Min.X+box.Max.X)/2 + float64(at.By.X)/1000, YMM: (box.Min.Y+box.Max.Y)/2 + float64(at.By.Y)/1000,
			TurnDeg: k.stood[at.of].turnDeg, by: at.By, of: at.of})
		if !slices.ContainsFunc(p.Spots[:i], func(s Spot) bool { return s.of == at.of }) {
			p.Spots[i].OutlineMM = k.stood[at.of].drawn()
		}
	}
	for j := range n {
		if slices.EqualFunc(plates[j], plates[n], func(a, b at) bool { return a.of == b.of && a.By == b.By }) {
			p.Like = j + 1
			return p, ctx.Err()
		}
	}
	parts, which := onlyUsed(k.parts, places)
	var err error
	p.Print, err = toolpath.Lay(ctx, parts, places, o.Recipe, k.opts)
	if ctx.Err() != nil {
		return nil, ctx.Err()
	}
	if err != nil {
		return nil, refuse("cannot be sliced", err.Error())
	}
	if k.onWorn[n] {
		p.Print.Notes = append(p.Print.Notes, "Something lies where the bed is worn: it has no other place on it.")
	}
	p.Full = estimate.FullOf(p.Print, o.Recipe, o.Machine, o.Loaded)
	for _, x := range p.Print.Overhangs {
		s := &k.stood[which[x.Part]]
		// Of a piece that lies in several turns those of one are told.
		if first := slices.IndexFunc(which, func(of int) bool { return k.stood[of].piece == s.piece }); first != x.Part {
			continue
		}
		x.Part = s.piece
		piece := &o.Pieces[s.piece]
		p.Overhangs = append(p.Overhangs, Overhang{x, corners(x, p.Print.RaftMM, piece.Stand, piece.MMPerUnit, s.standing)})
	}
	return p, ctx.Err()
}

// drawn is the shadow about the middle of its box, as it is drawn.
func (s *stood) drawn() [][2]float64 {
	const nearUM = 100
	o := polygon.Simplify(plate.Shadow(s.mesh), nearUM, nil)
	b := polygon.Bounds(o)
	out := make([][2]float64, len(o))
	for i, p := range o {
		out[i] = [2]float64{float64(2*p.X-b.MinX-b.MaxX) / 2000, float64(2*p.Y-b.MinY-b.MaxY) / 2000}
	}
	return out
}

// onlyUsed are the parts that lie on a plate, whose places then count among them, and which
// of all each is.
func onlyUsed(all []*toolpath.Part, places []toolpath.Place) (parts []*toolpath.Part, at []int) {
	for i := range places {
		k := slices.Index(at, places[i].Part)
		if k < 0 {
			k = len(at)
			at, parts = append(at, places[i].Part), append(parts, all[places[i].Part])
		}
		places[i].Part = k
	}
	return parts, at
}

// on is a mark as it comes to stand: the shadow of its box, and its heights.
func (x *SupportMark) on(s orient.Stand, mmPerUnit float64, st plate.Standing) toolpath.SupportMark {
	out := toolpath.SupportMark{Force: x.PutIn, Reason: x.Why}
	if x.Who != "" {
		out.Reason += " (" + x.Who + ")"
	}
	var shadow polygon.Path
	if shadow, out.FromMM, out.ToMM = standing(x.CornersMM, s, mmPerUnit, st); len(shadow) >= 3 {
		out.Paths = []polygon.Path{shadow}
	}
	return out
}

// on is a region as it comes to stand.
func (x *Region) on(s orient.Stand, mmPerUnit float64, st plate.Standing) toolpath.Region {
	out := toolpath.Region{Shells: x.Shells, InfillPercent: x.InfillPercent}
	out.Path, out.FromMM, out.ToMM = standing(x.CornersMM, s, mmPerUnit, st)
	return out
}

// boardMM is further than any plate reaches: what is marked beyond it is all the same.
const boardMM = 1e5

func onBoard(mm float64) float64 { return math.Max(-boardMM, math.Min(boardMM, mm)) }

// standing is what the corners of a box in a part's own coordinates cover once the part stands:
// their shadow, and their heights.
func standing(cornersMM [][3]float64, s orient.Stand, mmPerUnit float64, st plate.Standing) (shadow polygon.Path, fromMM, toMM float64) {
	fromMM, toMM = math.Inf(1), math.Inf(-1)
	var all []polygon.Point
	for _, c := range cornersMM {
		p := st.To(s.To(mesh.Vec3{X: c[0], Y: c[1], Z: c[2]}.Scale(1 / mmPerUnit)))
		all = append(all, polygon.At(onBoard(p.X), onBoard(p.Y)))
		fromMM, toMM = math.Min(fromMM, p.Z), math.Max(toMM, p.Z)
	}
	return polygon.Hull(all), fromMM, toMM
}

// aroundMM is how much wider than overhangs a region's box is.
const aroundMM = 0.5

func corners(r toolpath.Overhang, raftMM float64, s orient.Stand, mmPerUnit float64, st plate.Standing) [][3]float64 {
	var out [][3]float64
	for k := range 8 {
		p := mesh.Vec3{X: r.Min[0] - aroundMM, Y: r.Min[1] - aroundMM, Z: r.Min[2] - raftMM}
		if k&1 != 0 {
			p.X = r.Max[0] + aroundMM
		}
		if k&2 != 0 {
			p.Y = r.Max[1] + aroundMM
		}
		if k&4 != 0 {
			p.Z = r.Max[2] - raftMM
		}
		q := s.From(st.From(p)).Scale(mmPerUnit)
		out = append(out, [3]float64{q.X, q.Y, q.Z})
	}
	return out
}

// WriteProgram writes the program, and holds it against the judge of foreign
// programs while it is written: hotter than machine or material, off the machine,
// a command that may not be, warm at its end, and the error is a *Refusal. Then
// nobody may keep what was written. facts go to its top, before what is known of
// the slice.
func (p *Plate) WriteProgram(ctx context.Context, w io.Writer, facts [][2]string) error {
	read, copied := io.Pipe()
	judged := make(chan error, 1)
	go func() {
		err := p.judge(ctx, read)
		_, _ = io.Copy(io.Discard, read) // so that the writer never waits for a judge that is through
		judged <- err
	}()
	err := p.write(io.MultiWriter(w, copied), facts)
	_ = copied.Close() // of a pipe: never fails
	if no := <-judged; err == nil {
		err = no
	}
	return err
}

// judge reads our own program as if it were foreign.
func (p *Plate) judge(ctx context.Context, in io.Reader) error {
	o := p.Order
	s, err := gcode.Read(ctx, in, 0, nil)
	if err == nil {
		on := *o.Machine
		on.InService = true // where it stands does not matter here
		if bad := finding.Stopping(programcheck.Check(s, []programcheck.Target{{Machine: &on, Loaded: o.Loaded}}, 0, 0)); len(bad) > 0 {
			err = errors.New(bad[0].Text)
		}
	}
	if err != nil && ctx.Err() == nil {
		return refuse("program may not run", o.Machine.Name, err.Error())
	}
	return err
}

func (p *Plate) write(w io.Writer, facts [][2]string) error {
	o := p.Order
	settings, err := json.Marshal(o.Recipe.WithDefaults())
	if err != nil {
		return fmt.Errorf("settings: %w", err)
	}
	facts = append(append([][2]string{}, facts...), [][2]string{{"machine", o.Machine.Name}, {"recipe", o.Recipe.Name}, {"material", o.Loaded.Of(int(p.Print.FirstNozzle()) + 1).Name},
		{"time", fmt.Sprintf("%.0f s, of it %.0f s warm-up", p.Full.WholeSeconds(), p.Full.WarmUpSeconds)},
		{"filament", fmt.Sprintf("%.2f g, %.3f m", p.Full.Grams(), p.Full.FilamentMM/1000)}}...)
	if len(p.Full.Nozzles) > 1 {
		for _, n := range p.Full.Nozzles {
			facts = append(facts, [2]string{fmt.Sprintf("nozzle %d", n.Nozzle), fmt.Sprintf("%s, %.2f g", n.Material, n.Grams)})
		}
	}
	facts = append(facts, [2]string{"layers", fmt.Sprint(p.Full.Layers)}, [2]string{"made by", "Job Shelf"}, [2]string{"settings", string(settings)})
	return post.Write(w, p.Print, post.Job{Machine: o.Machine, Recipe: o.Recipe, Loaded: o.Loaded, Cooling: p.Full.Cooling,
		Seconds: p.Full.WholeSeconds(), Grams: p.Full.Grams(), Facts: facts})
}

// Outline is the shadow of a copy on the plate, as plate.Shadow gives it.
func (p *Plate) Outline(spot int) polygon.Path {
	s := p.Spots[spot]
	out := slices.Clone(plate.Shadow(p.stood[s.of].mesh))
	for i := range out {
		out[i].X += s.by.X
		out[i].Y += s.by.Y
	}
	return out
}

// WritePlate writes the parts as they lie on the plate, as 3MF.
func (p *Plate) WritePlate(w io.Writer) error {
	f := &modelfile.File{Unit: units.Millimetre}
	for k, s := range p.stood {
		m := modelfile.Model{Name: p.Order.Pieces[s.piece].Name, Mesh: s.mesh}
		for _, at := range p.Spots {
			if at.of == k {
				m.Places = append(m.Places, mesh.Vec3{X: float64(at.by.X) / 1000, Y: float64(at.by.Y) / 1000})
			}
		}
		if len(m.Places) > 0 {
			f.Models = append(f.Models, m)
		}
	}
	return modelfile.Write3MF(w, f)
}
