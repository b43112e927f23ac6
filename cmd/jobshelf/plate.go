package main

import (
	"context"
	"errors"
	"fmt"
	"io"
	"math"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"

	"jobshelf/core/judge/finding"
	"jobshelf/core/judge/slicing"
	"jobshelf/core/judge/verdict"
	"jobshelf/core/print/estimate"
	"jobshelf/core/print/layout"
	"jobshelf/core/print/machine"
	"jobshelf/core/print/plate"
	"jobshelf/core/shape/mesh"
	"jobshelf/core/shape/units"
	"jobshelf/core/shop/price"
	"jobshelf/internal/demo"
)

// plated is what `plate --json` prints.
type plated struct {
	Plates     []platedOne `json:"plates"`
	LeftOut    []leftOut   `json:"left_out"`
	Seconds    float64     `json:"seconds"` // of all plates, with warm-ups
	Grams      float64     `json:"grams"`
	PriceCents units.Cents `json:"price_cents"`
	made       []*slicing.Plate
	times      []int
}

type platedOne struct {
	Placements []placement `json:"placements"`
	Used       float64     `json:"used"` // area of the outlines, of that of the plate
	Program    string      `json:"program"`
	Standing   string      `json:"standing"` // the parts as they lie, 3MF
}

type placement struct {
	File      string       `json:"file"`
	Copy      int          `json:"copy"`
	XMM       float64      `json:"x_mm"`
	YMM       float64      `json:"y_mm"`
	TurnDeg   float64      `json:"turn_deg"`
	OutlineMM [][2]float64 `json:"outline_mm"`
}

type leftOut struct {
	File string `json:"file"`
	Why  string `json:"why"`
}

// mostCopies bounds what is laid in one go.
const mostCopies = 5000

// plateFiles lays files, each so many times, on as many plates of a machine as they need, and writes
// a program and a 3MF for each into a directory. Exit code 0: all lies; 1: something is left out;
// 2: unreadable, or wrong words.
func plateFiles(ctx context.Context, args []string, out, _ io.Writer) (int, error) {
	var onMachine, byRecipe, dir, spacing, orientation, seed, budget string
	var asJSON bool
	files, err := split(args, map[string]*string{"machine": &onMachine, "recipe": &byRecipe, "o": &dir, "spacing": &spacing, "orientation": &orientation, "seed": &seed, "budget": &budget}, map[string]*bool{"json": &asJSON})
	if err != nil || len(files) == 0 || onMachine == "" || dir == "" {
		return 2, errUsage
	}
	asIs, err := isAsIs(orientation)
	if err != nil {
		return 2, err
	}
	c, err := chooseOne(onMachine, byRecipe)
	if err != nil {
		return 2, err
	}
	o := slicing.Order{Machine: c.Machine, Recipe: *c.Recipe, Loaded: c.Loaded}
	if spacing != "" {
		mm, err := strconv.ParseFloat(spacing, 64)
		if err != nil || !(mm >= 0 && mm <= 100) {
			return 2, fmt.Errorf("a spacing is 0 to 100 mm, not %q", spacing)
		}
		o.SpacingMM = &mm
	}
	if seed != "" {
		if o.Seed, err = strconv.ParseUint(seed, 10, 64); err != nil {
			return 2, fmt.Errorf("a seed is a whole number from 0 on, not %q", seed)
		}
	}
	if budget != "" {
		ms, err := strconv.Atoi(budget)
		if err != nil || ms < 1 || ms > 600_000 {
			return 2, fmt.Errorf("a budget is 1 to 600000 ms, not %q", budget)
		}
		o.Effort = max(1, ms*layout.DefaultEffort/layout.DefaultMS)
	}
	answer := plated{Plates: []platedOne{}, LeftOut: []leftOut{}}
	if err := answer.gather(ctx, &o, c, files, !asIs); err != nil {
		return 2, err
	}
	if len(o.Pieces) > 0 {
		if err := os.MkdirAll(dir, 0o755); err != nil {
			return 2, err
		}
		err := slicing.Make(ctx, o, nil, func(p *slicing.Plate) error { return answer.keep(ctx, p, dir) })
		var no *slicing.Refusal
		if errors.As(err, &no) {
			return 1, errors.New(finding.Speak("en").Say(no.Phrase))
		}
		if err != nil {
			return 1, err
		}
		var fulls []*estimate.Full
		for _, p := range answer.made {
			fulls = append(fulls, p.Full)
		}
		all := price.OfPlates(estimate.Together(fulls, answer.times), len(answer.Plates), c.Machine, demo.StartCents)
		answer.Seconds, answer.Grams, answer.PriceCents = all.WholeSeconds(), all.Grams(), all.Cents
	}
	code := min(1, len(answer.LeftOut))
	if asJSON {
		return code, writeJSON(out, answer)
	}
	for i, p := range answer.Plates {
		fmt.Fprintf(out, "Plate %d: %d, %.0f %% of it, %s\n", i+1, len(p.Placements), 100*p.Used, p.Program)
	}
	for _, l := range answer.LeftOut {
		fmt.Fprintf(out, "%s is left out: %s\n", l.File, l.Why)
	}
	fmt.Fprintf(out, "%.0f min, %.1f g, %.2f %s\n", answer.Seconds/60, answer.Grams, float64(answer.PriceCents)/100, demo.House().Currency)
	return code, nil
}

// gather reads the files, turns each the way it prints best if that is asked for, and leaves out what
// the machine does not take.
func (a *plated) gather(ctx context.Context, o *slicing.Order, c verdict.Choice, files []string, turn bool) error {
	all := 0
	for _, name := range files {
		copies := 1
		if at := strings.LastIndex(name, ":"); at > 0 {
			if k, err := strconv.Atoi(name[at+1:]); err == nil {
				name, copies = name[:at], k
			}
		}
		if all += copies; copies < 1 || all > mostCopies {
			return fmt.Errorf("%s: from 1 to %d copies are laid in one go", name, mostCopies)
		}
		file, _, err := readFile(ctx, name)
		if err != nil {
			return fmt.Errorf("%s: %w", name, err)
		}
		m := file.Joined().Transformed(units.Meant("", file.Unit).MM(), mesh.Vec3{})
		if turn {
			stand, err := verdict.Best(ctx, m, []verdict.Choice{c})
			if err != nil {
				return err
			}
			m = stand.Of(m)
		}
		if fit := plate.FitOf(m, 1, c.Machine.Volume); !fit.Fits {
			a.LeftOut = append(a.LeftOut, leftOut{name, fmt.Sprintf("it is too large for %s by %.1f, %.1f and %.1f mm", c.Machine.Name, fit.OverMM[0], fit.OverMM[1], fit.OverMM[2])})
			continue
		}
		o.Pieces = append(o.Pieces, slicing.Piece{Name: name, Mesh: m, MMPerUnit: 1, Copies: copies})
	}
	return nil
}

// keep writes a plate's program and its parts, and tells where they lie.
func (a *plated) keep(ctx context.Context, p *slicing.Plate, dir string) error {
	one := platedOne{Program: filepath.Join(dir, fmt.Sprintf("plate-%d.gcode", p.N)), Standing: filepath.Join(dir, fmt.Sprintf("plate-%d.3mf", p.N))}
	area := 0.0
	for i, s := range p.Spots {
		l := placement{p.Order.Pieces[s.Piece].Name, s.Copy, s.XMM, s.YMM, s.TurnDeg, nil}
		outline := p.Outline(i)
		area += outline.Area()
		for _, q := range outline {
			l.OutlineMM = append(l.OutlineMM, [2]float64{float64(q.X) / 1000, float64(q.Y) / 1000})
		}
		one.Placements = append(one.Placements, l)
	}
	v := p.Order.Machine.Volume
	usable := v.XMM * v.YMM
	if v.Shape == machine.Round {
		usable *= math.Pi / 4
	}
	one.Used = area / usable
	if p.Like > 0 { // all but the copies' numbers is as on an earlier one
		a.times[slices.IndexFunc(a.made, func(e *slicing.Plate) bool { return e.N == p.Like })]++
		if err := copyFile(a.Plates[p.Like-1].Program, one.Program); err != nil {
			return err
		}
	} else {
		if err := writeProgram(ctx, one.Program, fmt.Sprintf("plate %d", p.N), p); err != nil {
			return err
		}
		a.made, a.times = append(a.made, p), append(a.times, 1)
	}
	f, err := os.Create(one.Standing)
	if err != nil {
		return err
	}
	a.Plates = append(a.Plates, one)
	return errors.Join(p.WritePlate(f), f.Close())
}

func copyFile(from, to string) error {
	raw, err := os.ReadFile(from)
	if err != nil {
		return err
	}
	return os.WriteFile(to, raw, 0o644) //nolint:gosec // a program is for everybody
}
