package main

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"

	"jobshelf/core/estimate"
	"jobshelf/core/gcode"
	"jobshelf/core/mesh"
	"jobshelf/core/plate"
	"jobshelf/core/recipe"
	"jobshelf/core/toolpath"
	"jobshelf/core/verdict"
	"jobshelf/internal/demo"
)

// slice makes G-code of a model and prints the full estimate.
func slice(ctx context.Context, args []string, out, errOut io.Writer) (int, error) {
	var onMachine, byRecipe, to string
	var asJSON bool
	var set []string
	args, set = taken(args, "set")
	files, err := split(args, map[string]*string{"machine": &onMachine, "recipe": &byRecipe, "o": &to}, map[string]*bool{"json": &asJSON})
	if err != nil || len(files) != 1 || onMachine == "" {
		return 2, errUsage
	}
	choices, err := choose(onMachine, byRecipe)
	if err != nil {
		return 2, err
	}
	c := choices[0]
	if c.Recipe == nil {
		return 2, fmt.Errorf("the house has no recipe for %s", c.Machine.Name)
	}
	var departures []recipe.Departure
	for _, s := range set {
		key, value, ok := strings.Cut(s, "=")
		if !ok {
			return 2, fmt.Errorf("--set wants key=value, not %q", s)
		}
		departures = append(departures, recipe.Departure{Key: key, Value: value})
	}
	r, err := c.Recipe.Apply(departures)
	if err != nil {
		return 2, err
	}
	for _, p := range r.Validate(c.Machine, c.Material) {
		return 2, fmt.Errorf("%s: %s", p.Field, p.Text)
	}
	file, whole, err := readFile(ctx, files[0])
	if err != nil {
		return 2, err
	}
	mm := 1.0
	if file.Unit != "" {
		mm = file.Unit.MM()
	}
	p, full, err := slicePart(ctx, whole, mm, c, r)
	if err != nil {
		return 1, err
	}
	if to != "" {
		if err := writeProgram(to, files[0], p, full, c, r); err != nil {
			return 1, err
		}
	}
	for _, n := range p.Notes {
		fmt.Fprintln(errOut, n)
	}
	if asJSON {
		full.ByLayer = nil
		return 0, writeJSON(out, full)
	}
	fmt.Fprintf(out, "%d h %02d min %02d s and %.0f s warm-up, %d layers, %.2f g (support %.2f g, hold %.2f g), %.2f m, %.2f %s\n",
		int(full.Seconds)/3600, int(full.Seconds)/60%60, int(full.Seconds)%60, full.WarmUpSeconds, full.Layers, full.Grams(), full.GramsSupport, full.GramsHold,
		full.FilamentMM/1000, float64(full.PriceCents)/100, demo.House().Currency)
	return 0, nil
}

// taken takes all of a repeated flag's values out of args.
func taken(args []string, name string) (rest, values []string) {
	for i := 0; i < len(args); i++ {
		flag := strings.TrimLeft(args[i], "-")
		switch {
		case flag == name && args[i] != flag && i+1 < len(args):
			i++
			values = append(values, args[i])
		case strings.HasPrefix(flag, name+"=") && args[i] != flag:
			values = append(values, flag[len(name)+1:])
		default:
			rest = append(rest, args[i])
		}
	}
	return rest, values
}

// slicePart stands a part on a machine, as it fits, and slices and times it.
func slicePart(ctx context.Context, m *mesh.Mesh, mm float64, c verdict.Choice, r recipe.Recipe) (*toolpath.Print, *estimate.Full, error) {
	fit := plate.FitOf(m, mm, c.Machine.Volume)
	if !fit.Fits {
		return nil, nil, fmt.Errorf("it does not fit %s: X +%.1f, Y +%.1f, Z +%.1f mm", c.Machine.Name, fit.OverMM[0], fit.OverMM[1], fit.OverMM[2])
	}
	stood := plate.Stand(m, mm, fit.TurnDeg, c.Machine.Volume)
	p, err := toolpath.Slice(ctx, stood, mesh.TopologyOf(stood), 1, r, toolpath.Options{Room: c.Machine.Volume}, nil)
	if err != nil {
		return nil, nil, err
	}
	return p, estimate.FullOf(p, r, c.Machine, c.Material, demo.StartCents), nil
}

func writeProgram(to, from string, p *toolpath.Print, full *estimate.Full, c verdict.Choice, r recipe.Recipe) error {
	f, err := os.CreateTemp(filepath.Dir(to), ".jobshelf-*")
	if err != nil {
		return err
	}
	err = gcode.Write(f, p, gcode.Job{Machine: c.Machine, Recipe: r, Material: c.Material, Slow: full.Slow, Facts: facts(filepath.Base(from), full, c, r)})
	if err = errors.Join(err, f.Chmod(0o644), f.Close()); err == nil {
		err = os.Rename(f.Name(), to)
	}
	if err != nil {
		os.Remove(f.Name())
	}
	return err
}

func facts(part string, full *estimate.Full, c verdict.Choice, r recipe.Recipe) [][2]string {
	settings, _ := json.Marshal(r.WithDefaults()) // plain numbers and texts
	return [][2]string{{"part", part}, {"machine", c.Machine.Name}, {"recipe", r.Name}, {"material", c.Material.Name},
		{"time", fmt.Sprintf("%.0f s and %.0f s warm-up", full.Seconds, full.WarmUpSeconds)},
		{"filament", fmt.Sprintf("%.2f g, %.3f m", full.Grams(), full.FilamentMM/1000)}, {"layers", fmt.Sprint(full.Layers)},
		{"made by", "Job Shelf"}, {"settings", string(settings)}}
}
