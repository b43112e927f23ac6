package main

import (
	"context"
	"fmt"
	"io"
	"math"
	"strconv"
	"strings"

	"jobshelf/core/judge/finding"
	"jobshelf/core/print/estimate"
	"jobshelf/core/print/orient"
	"jobshelf/core/print/toolpath"
	"jobshelf/core/shape/mesh"
	"jobshelf/core/shape/polygon"
	"jobshelf/core/shape/section"
	"jobshelf/core/shape/units"
	"jobshelf/internal/demo"
)

// oriented is what `orient --json` prints.
type oriented struct {
	Candidates []orientedWay `json:"candidates"`
}

type orientedWay struct {
	Quaternion       orient.Quat `json:"quaternion"` // w, x, y, z: turns the file's coordinates into the plate's
	Best             bool        `json:"best"`
	Reason           string      `json:"reason"`
	OverhangMM2      float64     `json:"overhang_mm2"`
	SupportMM3       float64     `json:"support_mm3"`
	SupportOnPartMM2 float64     `json:"support_on_part_mm2"`
	ContactMM2       float64     `json:"contact_mm2"`
	StepsMM2         float64     `json:"steps_mm2"`
	HeightMM         float64     `json:"height_mm"`
	TipDeg           float64     `json:"tip_deg"`
	Seconds          float64     `json:"seconds"`
	Grams            float64     `json:"grams"`
	Strength         float64     `json:"strength"` // the least area of a layer, mm²
	AlongLoad        *float64    `json:"along_load,omitempty"`
}

// orientFile tells which ways up a part prints best, on a machine of the demo house. Exit code 0:
// there are; 1: the part is too large for the machine in all of them; 2: unreadable, or wrong words.
func orientFile(ctx context.Context, args []string, out, _ io.Writer) (int, error) {
	var onMachine, byRecipe, load string
	var asJSON bool
	files, err := split(args, map[string]*string{"machine": &onMachine, "recipe": &byRecipe, "load": &load}, map[string]*bool{"json": &asJSON})
	if err != nil || len(files) != 1 {
		return 2, errUsage
	}
	c, err := chooseOne(onMachine, byRecipe)
	if err != nil {
		return 2, err
	}
	file, _, err := readFile(ctx, files[0])
	if err != nil {
		return 2, err
	}
	r := c.Recipe.WithDefaults()
	whole := file.Joined()
	m := whole.Transformed(units.Meant("", file.Unit).MM(), mesh.Vec3{})
	ask := orient.Ask{OverhangDeg: r.SupportDeg, By: orient.LayingOf(&r), Rates: orient.CommonRates}
	if load != "" {
		if ask.Load, err = direction(load); err != nil {
			return 2, err
		}
		ask.Rates.AcrossLoad = orient.PulledCents
	}
	found, err := orient.Candidates(ctx, m, ask)
	if err != nil {
		return 1, err
	}
	words := finding.Speak(demo.House().Locale)
	answer := oriented{Candidates: []orientedWay{}}
	fits := false
	for i, o := range found {
		turned := orient.Turned(m, o.Turn)
		s, err := section.NewStack(ctx, turned, mesh.TopologyOf(turned), toolpath.LayeringOf(&r, c.Machine), 1, nil)
		if err != nil {
			return 1, err
		}
		q := estimate.QuickOf(s, c.Recipe, c.Machine, c.Loaded)
		w := orientedWay{Quaternion: o.Turn, Best: i == 0, Reason: words.Say(o.Reason()), OverhangMM2: o.OverhangMM2, SupportMM3: o.SupportMM3,
			SupportOnPartMM2: o.TouchedMM2, ContactMM2: o.ContactMM2, StepsMM2: o.StepsMM2, HeightMM: o.HeightMM, TipDeg: o.TipDeg,
			Seconds: q.WholeSeconds(), Grams: q.Grams, Strength: o.StrengthMM2}
		if ask.Load != nil {
			w.AlongLoad = &o.AlongLoad
		}
		answer.Candidates = append(answer.Candidates, w)
		shadow := make([]polygon.Point, len(turned.Vertices))
		for k, v := range turned.Vertices {
			shadow[k] = polygon.At(v.X, v.Y)
		}
		fits = fits || c.Machine.Volume.FitIn(polygon.Hull(shadow), o.HeightMM).Fits
	}
	if asJSON {
		err = writeJSON(out, answer)
	} else {
		for _, w := range answer.Candidates {
			fmt.Fprintf(out, "%s; %.0f min, %.1f g, turned by (%.4f, %.4f, %.4f, %.4f)\n", w.Reason, w.Seconds/60, w.Grams, w.Quaternion[0], w.Quaternion[1], w.Quaternion[2], w.Quaternion[3])
		}
	}
	if err == nil && !fits {
		return 1, fmt.Errorf("it is too large for %s in all of them", c.Machine.Name)
	}
	return 0, err
}

// direction reads X,Y,Z, of any length but none.
func direction(text string) (*mesh.Vec3, error) {
	var v [3]float64
	words := strings.Split(text, ",")
	for i := range v {
		var err error
		if len(words) == 3 {
			v[i], err = strconv.ParseFloat(strings.TrimSpace(words[i]), 64)
		}
		if len(words) != 3 || err != nil || math.IsNaN(v[i]) || math.IsInf(v[i], 0) {
			return nil, fmt.Errorf("a load is a direction like 0,0,1, not %q", text)
		}
	}
	d := mesh.Vec3{X: v[0], Y: v[1], Z: v[2]}
	if n := d.Len(); n > 0 {
		d = d.Scale(1 / n)
		return &d, nil
	}
	return nil, fmt.Errorf("a load is a direction like 0,0,1; %q points nowhere", text)
}
