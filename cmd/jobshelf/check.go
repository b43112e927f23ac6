package main

import (
	"bufio"
	"cmp"
	"context"
	"encoding/json"
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
	"jobshelf/core/judge/printability"
	"jobshelf/core/judge/verdict"
	"jobshelf/core/print/gcode"
	"jobshelf/core/print/naming"
	"jobshelf/core/print/recipe"
	"jobshelf/core/shape/mesh"
	"jobshelf/core/shape/modelfile"
	"jobshelf/core/shape/section"
	"jobshelf/core/shape/solid"
	"jobshelf/core/shop/option"
	"jobshelf/internal/demo"
)

// split parses flags that may stand before, between and after file names.
func split(args []string, values map[string]*string, switches map[string]*bool) ([]string, error) {
	var files []string
	for i := 0; i < len(args); i++ {
		name, value, inline := strings.Cut(strings.TrimPrefix(strings.TrimPrefix(args[i], "-"), "-"), "=")
		switch {
		case args[i] == "-" || !strings.HasPrefix(args[i], "-"):
			files = append(files, args[i])
		case switches[name] != nil && !inline:
			*switches[name] = true
		case values[name] != nil && inline:
			*values[name] = value
		case values[name] != nil && i+1 < len(args):
			i++
			*values[name] = args[i]
		default:
			return nil, errUsage
		}
	}
	return files, nil
}

// checked is one file's answer, as documented in docs/check-json.md.
type checked struct {
	File string `json:"file"`
	*verdict.Verdict
	Models []modelEntry `json:"models,omitempty"`
	Error  *unreadable  `json:"error,omitempty"`
}

// modelEntry is one of several models in a file.
type modelEntry struct {
	Copies int `json:"copies"`
	*verdict.Verdict
}

type unreadable struct {
	What     string `json:"what"`
	Do       string `json:"do,omitempty"`
	Byte     *int64 `json:"byte,omitempty"`
	Line     int    `json:"line,omitempty"`
	Triangle int64  `json:"triangle,omitempty"`
}

func check(ctx context.Context, args []string, out, _ io.Writer) (int, error) {
	var onMachine, byRecipe, orientation, isFor string
	var asJSON bool
	files, err := split(args, map[string]*string{"machine": &onMachine, "recipe": &byRecipe, "orientation": &orientation, "for": &isFor}, map[string]*bool{"json": &asJSON})
	if err != nil || len(files) == 0 {
		return 2, errUsage
	}
	asIs, err := isAsIs(orientation)
	if err != nil {
		return 2, err
	}
	use, err := useOf(isFor)
	if err != nil {
		return 2, err
	}
	choices, err := choose(onMachine, byRecipe)
	if err != nil {
		return 2, err
	}
	code := 0
	answers := make([]checked, 0, len(files))
	for _, f := range files {
		a := checked{File: f}
		if err := a.judge(ctx, f, choices, asIs); err != nil {
			if ctx.Err() != nil {
				return 1, ctx.Err()
			}
			a.Error = refusalOf(err)
			code = 2
		} else {
			a.Findings = append(a.Findings, uses(use, a.Verdict, choices)...)
			if a.Verdict.Stops() {
				code = max(code, 1)
			}
		}
		answers = append(answers, a)
		if !asJSON {
			say(out, a)
		}
	}
	if !asJSON {
		return code, nil
	}
	if len(answers) == 1 {
		return code, writeJSON(out, answers[0])
	}
	return code, writeJSON(out, answers)
}

// isAsIs reads what is said about the orientation; best where nothing is.
func isAsIs(said string) (bool, error) {
	if said != "" && said != "best" && said != "as-is" {
		return false, fmt.Errorf("an orientation is best or as-is, not %q", said)
	}
	return said == "as-is", nil
}

// useOf reads what a part is for: words and values between commas.
func useOf(said string) (u printability.Use, err error) {
	for _, word := range strings.FieldsFunc(said, func(r rune) bool { return r == ',' }) {
		key, value, given := strings.Cut(strings.TrimSpace(word), "=")
		switch {
		case key == "outdoors" && !given:
			u.Outdoors = true
		case key == "bends" && !given:
			u.Flexible = true
		case key == "load" && !given:
			u.Load = true
		case key == "fits" && !given:
			u.Fits = true
		case key == "colour" && given:
			u.Colour = value
		case key == "warm" && given:
			if u.WarmC, err = strconv.ParseFloat(value, 64); err != nil || len(u.Check()) > 0 {
				return u, fmt.Errorf("%q is no warmth from 0 to 300 °C", value)
			}
		default:
			return u, fmt.Errorf("a part is for warm=°C, outdoors, bends, load, fits or colour=NAME, not %q", word)
		}
	}
	return u, nil
}

// uses holds what a part is for against the first machine that is estimated for it.
func uses(u printability.Use, v *verdict.Verdict, choices []verdict.Choice) []finding.Finding {
	var made []printability.Made
	for i := range v.Machines {
		c := &choices[i]
		if v.Machines[i].Quick == nil || c.Recipe == nil {
			continue
		}
		m := printability.Made{Machine: c.Machine.Name, Material: c.Loaded.Of(1), Colour: c.Machine.ColourName, InfillPercent: c.Recipe.WithDefaults().InfillPercent}
		if v.Orientation != nil {
			m.LongestMM, m.Sized = slices.Max(v.Orientation.SizeMM[:]), !v.Stands().SameSize()
		}
		made = append(made, m)
	}
	if u.None() || len(made) == 0 {
		return nil
	}
	return printability.Uses(u, made[0], made[1:])
}

// choose picks machines and recipes of the demo house by name. A recipe may be
// named by its own name or by its purpose.
func choose(onMachine, byRecipe string) ([]verdict.Choice, error) {
	purpose := recipe.Everyday
	if byRecipe != "" {
		purpose = ""
		for _, r := range demo.Recipes() {
			if strings.EqualFold(r.Name, byRecipe) || strings.EqualFold(string(r.Purpose), byRecipe) {
				purpose = r.Purpose
				if strings.EqualFold(r.Name, byRecipe) && onMachine == "" {
					onMachine = r.Machine
				}
			}
		}
		if purpose == "" {
			return nil, fmt.Errorf("there is no recipe %q; there are quick look, everyday and working part", byRecipe)
		}
	}
	all := demo.Choices(purpose)
	if onMachine == "" {
		return all, nil
	}
	var names []string
	for _, c := range all {
		if strings.EqualFold(c.Machine.Name, onMachine) {
			return []verdict.Choice{c}, nil
		}
		names = append(names, c.Machine.Name)
	}
	return nil, fmt.Errorf("there is no machine %q; there are %s", onMachine, strings.Join(names, ", "))
}

// chooseOne picks one machine, the first unless one is named, for which there is a recipe.
func chooseOne(onMachine, byRecipe string) (verdict.Choice, error) {
	choices, err := choose(onMachine, byRecipe)
	if err != nil {
		return verdict.Choice{}, err
	}
	if c := choices[0]; c.Recipe == nil || c.Loaded == nil {
		return c, fmt.Errorf("%s has no recipe for that", c.Machine.Name)
	}
	return choices[0], nil
}

// judge reads a file of any format and judges what it holds.
func (a *checked) judge(ctx context.Context, name string, choices []verdict.Choice, asIs bool) error {
	f, format, size, err := openModel(name)
	if err != nil {
		return err
	}
	defer f.Close()
	if format == modelfile.GCode {
		s, err := gcode.Read(ctx, f, size, nil, verdict.MachinesOf(choices)...)
		if err == nil {
			a.Verdict = verdict.JudgeProgram(s, choices, 60*float64(demo.House().LongestRunMin))
			option.SetPrices(a.Verdict, choices, demo.StartCents)
		}
		return err
	}
	file, err := modelfile.Read(ctx, f, size, modelfile.Limits{}, nil)
	if err != nil {
		return err
	}
	var parts []option.Part
	var boxes []verdict.Box
	var machines []option.Machine
	for _, c := range choices {
		machines = append(machines, option.Machine{Name: c.Machine.Name, Volume: c.Machine.Volume})
	}
	for i, m := range file.Models {
		subject := verdict.SubjectOf(file, i)
		subject.AsIs = asIs
		v, err := verdict.Judge(ctx, subject, choices, nil)
		if err != nil {
			return err
		}
		option.SetPrices(v, choices, demo.StartCents)
		parts = append(parts, option.Part{Verdict: v, Copies: m.Copies()})
		boxes = append(boxes, placedBox(v, m.Places))
		a.Models = append(a.Models, modelEntry{m.Copies(), v})
	}
	a.Verdict = option.Together(file.Format, parts, boxes, machines)
	if len(a.Models) == 1 && a.Models[0].Copies == 1 {
		a.Models = nil // it would say the same again
	}
	return nil
}

// placedBox is the box around all copies of a model.
func placedBox(v *verdict.Verdict, places []mesh.Vec3) verdict.Box {
	mm := v.Unit.MM()
	var out verdict.Box
	for i, p := range places {
		for k, d := range [3]float64{p.X * mm, p.Y * mm, p.Z * mm} {
			lo, hi := v.BoxMM.Min[k]+d, v.BoxMM.Max[k]+d
			if i == 0 {
				out.Min[k], out.Max[k] = lo, hi
			}
			out.Min[k], out.Max[k] = min(out.Min[k], lo), max(out.Max[k], hi)
		}
	}
	return out
}

// openModel opens a file and tells its format from its first bytes.
func openModel(name string) (*os.File, modelfile.Format, int64, error) {
	f, err := os.Open(name)
	if err != nil {
		return nil, "", 0, err
	}
	info, err := f.Stat()
	if err != nil {
		return nil, "", 0, errors.Join(err, f.Close())
	}
	if !info.Mode().IsRegular() {
		return nil, "", 0, errors.Join(fmt.Errorf("%s is no file", name), f.Close())
	}
	head := make([]byte, modelfile.SniffBytes)
	n, err := io.ReadFull(f, head)
	if err != nil && !errors.Is(err, io.EOF) && !errors.Is(err, io.ErrUnexpectedEOF) {
		return nil, "", 0, errors.Join(err, f.Close())
	}
	if _, err := f.Seek(0, io.SeekStart); err != nil {
		return nil, "", 0, errors.Join(err, f.Close())
	}
	format, err := modelfile.Detect(head[:n], info.Size())
	if err != nil {
		return nil, "", 0, errors.Join(err, f.Close())
	}
	return f, format, info.Size(), nil
}

// readFile reads all models of a file, in one mesh where they stand.
func readFile(ctx context.Context, name string) (*modelfile.File, *mesh.Mesh, error) {
	f, _, size, err := openModel(name)
	if err != nil {
		return nil, nil, err
	}
	defer f.Close()
	file, err := modelfile.Read(ctx, f, size, modelfile.Limits{}, nil)
	if err != nil {
		return nil, nil, err
	}
	return file, file.Joined(), nil
}

func refusalOf(err error) *unreadable {
	var program *gcode.Error
	if errors.As(err, &program) {
		return &unreadable{What: program.What.English(), Do: program.Do.English(), Line: program.Line}
	}
	var e *modelfile.Error
	if !errors.As(err, &e) {
		return &unreadable{What: err.Error()}
	}
	u := &unreadable{What: e.What.English(), Do: e.Do.English(), Line: e.Line, Triangle: e.Triangle}
	if e.Byte >= 0 {
		u.Byte = &e.Byte
	}
	return u
}

func writeJSON(out io.Writer, v any) error {
	e := json.NewEncoder(out)
	e.SetEscapeHTML(false)
	e.SetIndent("", "  ")
	return e.Encode(v)
}

func say(out io.Writer, a checked) {
	fmt.Fprintln(out, a.File)
	if a.Error != nil {
		where := ""
		if a.Error.Line > 0 {
			where = fmt.Sprintf(" (line %d)", a.Error.Line)
		} else if a.Error.Byte != nil && *a.Error.Byte > 0 {
			where = fmt.Sprintf(" (byte %d)", *a.Error.Byte)
		}
		fmt.Fprintf(out, "  cannot be read: %s%s. %s\n", a.Error.What, where, a.Error.Do)
		return
	}
	b := a.BoxMM
	if p := a.Program; p != nil {
		fmt.Fprintf(out, "  G-code of %d lines, %d layers of %g mm, %d h %02d min, %.2f m of filament, nozzle up to %.0f °C\n", p.Lines, p.Layers, p.LayerMM,
			int(p.Seconds)/3600, int(p.Seconds)/60%60, p.FilamentMM/1000, p.NozzleMaxC)
	} else {
		fmt.Fprintf(out, "  %s, %d triangles, %d bodies, %.2f × %.2f × %.2f mm, %.2f cm³\n", a.Format, a.Triangles, a.BodyCount,
			b.Max[0]-b.Min[0], b.Max[1]-b.Min[1], b.Max[2]-b.Min[2], a.VolumeMM3/1000)
	}
	if len(a.Models) > 1 {
		for _, m := range a.Models {
			fmt.Fprintf(out, "    %d × %s: %d triangles, %.2f cm³\n", m.Copies, cmp.Or(m.Name, "without a name"), m.Triangles, m.VolumeMM3/1000)
		}
	}
	for _, g := range []finding.Grade{finding.StopsIt, finding.Decide, finding.WorthKnowing} {
		for _, f := range a.Findings {
			if f.Grade == g {
				fmt.Fprintf(out, "  %s: %s\n", g, f.Text)
			}
		}
	}
	if o := a.Orientation; o != nil && o.Why.Code != "" {
		fmt.Fprintf(out, "  turned as it prints best: %s\n", finding.Speak(demo.House().Locale).Say(o.Why))
	}
	for _, m := range a.Machines {
		switch {
		case !m.Fits:
			would := ""
			if m.ScaleToFit < 1 { // a program cannot be scaled
				would = fmt.Sprintf("; would at %.1f %%", 100*m.ScaleToFit)
			}
			fmt.Fprintf(out, "  %-9s does not fit: X +%.1f, Y +%.1f, Z +%.1f mm%s\n", m.Name, m.OverMM[0], m.OverMM[1], m.OverMM[2], would)
		case m.Quick == nil:
			fmt.Fprintf(out, "  %-9s fits\n", m.Name)
		default:
			q := m.Quick
			minutes := naming.Minutes(q.WholeSeconds())
			fmt.Fprintf(out, "  %-9s fits: about %d h %02d min, of it %d min warm-up, %.1f g, %.2f m, %d layers, %.2f %s\n", m.Name,
				minutes/60, minutes%60, naming.Minutes(q.WarmUpSeconds), q.Grams, q.FilamentMM/1000, q.Layers, float64(q.Cents)/100, demo.House().Currency)
		}
	}
}

// plane is one line of `sections --json`.
type plane struct {
	ZMM         float64 `json:"z_mm"`
	AreaMM2     float64 `json:"area_mm2"`
	PerimeterMM float64 `json:"perimeter_mm"`
	Loops       int     `json:"loops"`
}

func sections(ctx context.Context, args []string, out, _ io.Writer) (int, error) {
	var layer, at string
	var asJSON bool
	files, err := split(args, map[string]*string{"layer": &layer, "at": &at}, map[string]*bool{"json": &asJSON})
	if err != nil || len(files) != 1 || (layer == "") == (at == "") {
		return 2, errUsage
	}
	_, whole, err := readFile(ctx, files[0])
	if err != nil {
		return 2, err
	}
	zs, back, err := heights(whole, layer, at)
	if err != nil {
		return 2, err
	}
	cut, err := section.Planes(ctx, whole, mesh.TopologyOf(whole), zs, 1)
	if err != nil {
		return 1, err
	}
	planes := make([]plane, len(cut))
	for i, k := range back {
		l := &cut[k]
		planes[i] = plane{l.ZMM, l.AreaMM2(), l.PerimeterMM(), len(l.Loops)}
	}
	if asJSON {
		return 0, writeJSON(out, planes)
	}
	w := bufio.NewWriter(out)
	fmt.Fprintf(w, "%12s %14s %14s %6s\n", "z mm", "area mm²", "outline mm", "loops")
	for _, p := range planes {
		fmt.Fprintf(w, "%12.4f %14.4f %14.4f %6d\n", p.ZMM, p.AreaMM2, p.PerimeterMM, p.Loops)
	}
	return 0, w.Flush()
}

// maxPlanes bounds how many sections are asked for at a time.
const maxPlanes = 1_000_000

// heights gives the planes in rising order, and for each one asked for its place
// among them. With a layer height they lie in the middle of each layer.
func heights(m *mesh.Mesh, layer, at string) (zs []float64, back []int, err error) {
	if at != "" {
		var asked []float64
		for _, f := range strings.Split(at, ",") {
			z, err := strconv.ParseFloat(strings.TrimSpace(f), 64)
			if err != nil || z-z != 0 {
				return nil, nil, fmt.Errorf("%q is no height", f)
			}
			asked = append(asked, z)
		}
		return sorted(asked)
	}
	h, err := strconv.ParseFloat(layer, 64)
	if err != nil || !(h > 0) {
		return nil, nil, fmt.Errorf("%q is no layer height", layer)
	}
	b := m.Bounds()
	tall := b.Max.Z - b.Min.Z
	if tall/h > maxPlanes {
		return nil, nil, fmt.Errorf("%g mm layers would be %.0f planes; the limit is %d", h, tall/h, maxPlanes)
	}
	// A rest of less than a thousandth of a layer is rounding.
	for i := range int(math.Ceil(tall/h - 1e-3)) {
		bottom := float64(i) * h
		zs, back = append(zs, b.Min.Z+section.PlaneMM(bottom, h, tall)), append(back, i)
	}
	return zs, back, nil
}

// sorted puts heights in rising order and tells where each went.
func sorted(asked []float64) (zs []float64, back []int, err error) {
	order := make([]int, len(asked))
	for i := range order {
		order[i] = i
	}
	slices.SortStableFunc(order, func(a, b int) int { return cmp.Compare(asked[a], asked[b]) })
	zs, back = make([]float64, len(asked)), make([]int, len(asked))
	for k, i := range order {
		zs[k], back[i] = asked[i], k
	}
	return zs, back, nil
}

func parts(_ context.Context, args []string, out, _ io.Writer) (int, error) {
	if len(args) != 1 {
		return 2, errUsage
	}
	if err := os.MkdirAll(args[0], 0o755); err != nil {
		return 1, err
	}
	for _, p := range solid.Parts() {
		name := filepath.Join(args[0], p.Name+".stl")
		f, err := os.Create(name)
		if err != nil {
			return 1, err
		}
		err = errors.Join(modelfile.WriteSTL(f, p.Mesh, "Ropewalk Commons, "+p.Name), f.Close())
		if err != nil {
			return 1, err
		}
		fmt.Fprintln(out, name)
	}
	return 0, nil
}
