package main

import (
	"context"
	"errors"
	"fmt"
	"io"
	"math"
	"os"
	"path/filepath"
	"strings"

	"jobshelf/core/judge/finding"
	"jobshelf/core/judge/slicing"
	"jobshelf/core/print/recipe"
	"jobshelf/core/shape/units"
	"jobshelf/core/shop/price"
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
	var overrides []recipe.Override
	for _, s := range set {
		key, value, ok := strings.Cut(s, "=")
		if !ok {
			return 2, fmt.Errorf("--set wants key=value, not %q", s)
		}
		overrides = append(overrides, recipe.Override{Key: key, Value: value})
	}
	english := finding.Speak("en")
	r, err := c.Recipe.Apply(overrides)
	var wrong *recipe.WrongOverride
	if errors.As(err, &wrong) {
		return 2, errors.New(english.Say(wrong.Phrase))
	}
	for _, p := range r.Validate(c.Machine, c.Loaded) {
		return 2, fmt.Errorf("%s: %s", p.Field, english.Say(p.Phrase))
	}
	file, whole, err := readFile(ctx, files[0])
	if err != nil {
		return 2, err
	}
	mm := units.Meant("", file.Unit).MM()
	made, err := slicing.One(ctx, slicing.Order{Pieces: []slicing.Piece{{Name: filepath.Base(files[0]), Mesh: whole, MMPerUnit: mm}}, Machine: c.Machine, Recipe: r, Loaded: c.Loaded}, nil)
	if err != nil {
		return 1, err
	}
	full := price.OfFull(made.Full, c.Machine, demo.StartCents)
	if to != "" {
		if err := writeProgram(ctx, to, files[0], made); err != nil {
			return 1, err
		}
	}
	for _, n := range made.Print.Notes {
		fmt.Fprintln(errOut, n)
	}
	for _, x := range made.Overhangs {
		fmt.Fprintf(errOut, "At %.0f, %.0f mm, %.1f to %.1f mm up, %.1f mm²: %s\n", (x.Min[0]+x.Max[0])/2, (x.Min[1]+x.Max[1])/2, x.Min[2], x.Max[2], x.AreaMM2, x.Why)
	}
	if asJSON {
		full.ByLayer = nil
		return 0, writeJSON(out, full)
	}
	busy := int(math.Round(full.WholeSeconds()))
	fmt.Fprintf(out, "%d h %02d min %02d s, of it %.0f s warm-up, %d layers, %.2f g (support %.2f g, bed adhesion %.2f g), %.2f m, %.2f %s\n",
		busy/3600, busy/60%60, busy%60, full.WarmUpSeconds, full.Layers, full.Grams(), full.GramsSupport, full.GramsAdhesion,
		full.FilamentMM/1000, float64(full.Cents)/100, demo.House().Currency)
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

func writeProgram(ctx context.Context, to, from string, made *slicing.Plate) error {
	f, err := os.CreateTemp(filepath.Dir(to), ".jobshelf-*")
	if err != nil {
		return err
	}
	err = made.WriteProgram(ctx, f, [][2]string{{"part", filepath.Base(from)}})
	if err = errors.Join(err, f.Chmod(0o644), f.Close()); err == nil {
		err = os.Rename(f.Name(), to)
	}
	if err != nil {
		os.Remove(f.Name())
	}
	return err
}
