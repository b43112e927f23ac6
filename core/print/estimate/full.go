package estimate

import (
	"math"
	"slices"

	"jobshelf/core/print/machine"
	"jobshelf/core/print/motion"
	"jobshelf/core/print/post"
	"jobshelf/core/print/recipe"
	"jobshelf/core/print/toolpath"
)

// Full is the estimate from the real toolpath; it is the number that is promised.
type Full struct {
	Seconds       float64            `json:"seconds" doc:"Printing, warm-up left out, s"`
	WarmUpSeconds float64            `json:"warm_up_seconds" doc:"Heating and homing, as the start block has them"`
	HomingSeconds float64            `json:"homing_seconds" doc:"Homing, which may be while it warms"`
	ByKind        map[string]float64 `json:"seconds_by_kind" doc:"Lines by what they are for, travel, retraction, and waiting for a layer to cool"`
	Layers        int                `json:"layers"`
	GramsModel    float64            `json:"grams_model"`
	GramsSupport  float64            `json:"grams_support"`
	GramsAdhesion float64            `json:"grams_adhesion"`
	GramsPurge    float64            `json:"grams_purge"`
	Nozzles       []NozzleUse        `json:"nozzles" doc:"What each nozzle lays, those in use"`
	Changes       int                `json:"nozzle_changes"`
	FilamentMM    float64            `json:"filament_mm"`
	PausesS       []float64          `json:"pauses_seconds,omitempty" doc:"When it waits for somebody, s after its start, warm-up among it; of several plates those of the first"`
	Box           [2][3]float64      `json:"bbox_mm" doc:"Around the middle of all lines: least and greatest"`
	ByLayer       []LayerTime        `json:"by_layer,omitempty"`
	Shares        []Share            `json:"shares,omitempty" doc:"What each copy on the plate takes; together the whole of it"`
	// Uses are what the nozzles lay, in the order of Nozzles.
	Uses []Use `json:"-"`
	// Cooling is how each layer is given time to cool.
	Cooling []post.Cooling `json:"-"`
}

// NozzleUse is what a nozzle lays.
type NozzleUse struct {
	Nozzle        int     `json:"nozzle" doc:"Counted from 1"`
	Material      string  `json:"material"`
	Grams         float64 `json:"grams" doc:"All of it"`
	GramsModel    float64 `json:"grams_model"`
	GramsSupport  float64 `json:"grams_support"`
	GramsAdhesion float64 `json:"grams_adhesion"`
	GramsPurge    float64 `json:"grams_purge"`
	FilamentMM    float64 `json:"filament_mm"`
}

// Share is what of a plate is a copy's: its own lines and the ways to them, and of what is
// common (warm-up, bed adhesion, purge tower, changes, waiting) as much as it has of the rest.
type Share struct {
	Seconds float64 `json:"seconds" doc:"With its share of the warm-up"`
	Grams   float64 `json:"grams"`
}

// Grams is all filament together.
func (f *Full) Grams() float64 { return f.GramsModel + f.GramsSupport + f.GramsAdhesion + f.GramsPurge }

// WholeSeconds is how long the machine is busy, its warm-up among it: the time that is
// told everywhere.
func (f *Full) WholeSeconds() float64 { return f.Seconds + f.WarmUpSeconds }

// LayerTime is one layer of the height strip.
type LayerTime struct {
	TopMM   float64 `json:"top_mm"`
	Seconds float64 `json:"seconds"`
	Grams   float64 `json:"grams"`
	Support float64 `json:"support_grams"`
}

// The words of what is no line.
const (
	travelWord  = "travel"
	retractWord = "retraction"
	coolWord    = "cooling"
	changeWord  = "nozzle change"
	againWord   = "warming up again"
)

// slowest is the share of its speed below which a layer is not printed; the rest
// of its least time is waited.
const slowest = 0.2

// shortOf is how much of its least time a layer may be short of.
const shortOf = 0.005

// FullOf times a print on a machine. A layer that would take less than the
// recipe's least time is slowed down, and what is left then is waited for.
func FullOf(p *toolpath.Print, r recipe.Recipe, m *machine.Machine, loaded machine.Loaded) *Full {
	r = r.WithDefaults()
	t := passOver(p, r, m, loaded, nil)
	cooling := make([]post.Cooling, len(p.Layers))
	any := false
	for i := range cooling {
		laid := t.laid[i]
		rest := t.f.ByLayer[i].Seconds - laid
		cooling[i].Share = 1
		if want := r.MinLayerTimeS - rest; laid > 0 && want > laid {
			cooling[i].Share = math.Max(slowest, laid/want)
			any = true
		}
	}
	if any {
		t = passOver(p, r, m, loaded, cooling)
	}
	again := false
	for i := range cooling {
		short := r.MinLayerTimeS - t.f.ByLayer[i].Seconds
		if cooling[i].Share == 1 || short < shortOf*r.MinLayerTimeS {
			continue
		}
		switch { // it spends less of its time speeding up than it did
		case cooling[i].Share > slowest:
			cooling[i].Share = math.Max(slowest, cooling[i].Share*t.laid[i]/(t.laid[i]+short))
			again = true
		case i+1 < len(cooling): // nothing comes after the last
			cooling[i].WaitS = math.Round(100*short) / 100
			again = true
		}
	}
	if again {
		t = passOver(p, r, m, loaded, cooling)
	}
	f := t.f
	f.Cooling = cooling
	if len(f.ByLayer) > 0 && p.FirstNozzle() > 0 { // machines begin with their first nozzle; nothing cools meanwhile
		f.ByKind[changeWord] += m.ChangeS
		f.ByLayer[0].Seconds += m.ChangeS
	}
	heats := r.Heats(m, loaded, p.Nozzles()...)
	for i := range f.ByLayer {
		if slices.Contains(t.pauses, i) {
			f.PausesS = append(f.PausesS, f.Seconds)
		}
		f.Seconds += f.ByLayer[i].Seconds
	}
	hottest := 0.0
	for _, n := range f.Nozzles {
		hottest = math.Max(hottest, math.Max(heats.At(n.Nozzle, true), heats.At(n.Nozzle, false)))
	}
	f.HomingSeconds = m.WarmUp.HomingS
	f.WarmUpSeconds = m.WarmUpSeconds(hottest, heats.Bed())
	for i := range f.PausesS {
		f.PausesS[i] += f.WarmUpSeconds
	}
	for _, n := range f.Nozzles {
		f.Uses = append(f.Uses, Use{loaded.Of(n.Nozzle), n.Grams})
	}
	f.Shares = t.shares()
	return f
}

// Together is several plates as one figure: of each as many as its number says. By layer and by
// copy they have none together.
func Together(plates []*Full, times []int) *Full {
	out := &Full{ByKind: map[string]float64{}, Nozzles: []NozzleUse{}}
	for i, p := range plates {
		n := float64(times[i])
		out.Seconds += n * p.Seconds
		out.WarmUpSeconds += n * p.WarmUpSeconds
		out.HomingSeconds += n * p.HomingSeconds
		out.Layers = max(out.Layers, p.Layers)
		out.GramsModel += n * p.GramsModel
		out.GramsSupport += n * p.GramsSupport
		out.GramsAdhesion += n * p.GramsAdhesion
		out.GramsPurge += n * p.GramsPurge
		out.Changes += times[i] * p.Changes
		out.FilamentMM += n * p.FilamentMM
		for kind, s := range p.ByKind {
			out.ByKind[kind] += n * s
		}
		for k, u := range p.Nozzles {
			at := slices.IndexFunc(out.Nozzles, func(o NozzleUse) bool { return o.Nozzle == u.Nozzle })
			if at < 0 {
				at = len(out.Nozzles)
				out.Nozzles, out.Uses = append(out.Nozzles, NozzleUse{Nozzle: u.Nozzle, Material: u.Material}), append(out.Uses, Use{Material: p.Uses[k].Material})
			}
			o := &out.Nozzles[at]
			o.Grams, o.GramsModel, o.GramsSupport = o.Grams+n*u.Grams, o.GramsModel+n*u.GramsModel, o.GramsSupport+n*u.GramsSupport
			o.GramsAdhesion, o.GramsPurge, o.FilamentMM = o.GramsAdhesion+n*u.GramsAdhesion, o.GramsPurge+n*u.GramsPurge, o.FilamentMM+n*u.FilamentMM
			out.Uses[at].Grams += n * u.Grams
		}
		if i == 0 {
			out.Box, out.PausesS = p.Box, p.PausesS
		}
		for k := range 3 {
			out.Box[0][k], out.Box[1][k] = math.Min(out.Box[0][k], p.Box[0][k]), math.Max(out.Box[1][k], p.Box[1][k])
		}
	}
	return out
}

// shares gives each copy its own and, by that, its part of what is common. Copies that lay
// nothing share alike.
func (a *account) shares() []Share {
	own := a.own[1:]
	var sum Share
	for _, x := range own {
		sum.Seconds, sum.Grams = sum.Seconds+x.Seconds, sum.Grams+x.Grams
	}
	out := make([]Share, len(own))
	part := func(of, sum, whole float64) float64 {
		if sum <= 0 {
			return whole / float64(len(own))
		}
		return whole * of / sum
	}
	for k, x := range own {
		out[k] = Share{part(x.Seconds, sum.Seconds, a.f.WholeSeconds()), part(x.Grams, sum.Grams, a.f.Grams())}
	}
	return out
}

// heatAgain is how long nozzles that are still wanted, and the bed where it was
// turned off, take to warm up after a pause before a layer.
func heatAgain(p *toolpath.Print, layer int, m *machine.Machine, heats recipe.Heats) float64 {
	hottest, bed := 0.0, 0.0
	for i := layer; i < len(p.Layers); i++ {
		for l := range p.Layers[i].Each {
			hottest = math.Max(hottest, heats.At(int(l.Nozzle)+1, layer == 0))
		}
	}
	if m.IdleOffS <= 0 {
		bed = heats.Bed()
	}
	return m.HeatUpSeconds(hottest, bed)
}

// account is what all steps of a print come to, as they are played through the planner.
type account struct {
	pauses  []int // layers before which somebody is waited for
	f       *Full
	laid    []float64 // by layer: time spent laying
	planner *motion.Planner
	byKind  [128]float64
	used    [8]NozzleUse
	own     []Share    // by place; the first is the plate's
	grams   [8]float64 // of a mm of each nozzle's filament
	at      [3]float64
}

// Ways beside the kinds of lines, in a move's tag.
const travels, retracts = 100, 101

// passOver plays all steps through the planner.
func passOver(p *toolpath.Print, r recipe.Recipe, m *machine.Machine, loaded machine.Loaded, cooling []post.Cooling) *account {
	n := len(p.Layers)
	inf := math.Inf(1)
	a := &account{laid: make([]float64, n), own: make([]Share, 1+max(1, len(p.Places))),
		f: &Full{Layers: n, ByKind: map[string]float64{}, ByLayer: make([]LayerTime, n), Box: [2][3]float64{{inf, inf, inf}, {-inf, -inf, -inf}}}}
	for i := range p.Layers {
		a.f.ByLayer[i].TopMM = p.Layers[i].TopMM
	}
	a.planner = motion.New(m.Motion.Limits(), func(tag int64, s float64) {
		kind, layer, place := tag&127, tag>>7&(1<<32-1), tag>>39
		a.own[place].Seconds += s
		a.byKind[kind] += s
		a.f.ByLayer[layer].Seconds += s
		if kind < travels {
			a.laid[layer] += s
		}
	})
	for k := range a.used {
		a.used[k] = NozzleUse{Nozzle: k + 1, Material: loaded.Of(k + 1).Name}
		a.grams[k] = loaded.Of(k+1).Grams(m.FilamentMM, 1)
	}
	heats := r.Heats(m, loaded, p.Nozzles()...)
	post.Steps(p, r, m, cooling, func(s post.Step) bool {
		switch s.Kind {
		case post.Change:
			a.f.Changes++
			a.stands(s.Layer, changeWord, m.ChangeS)
		case post.Wait:
			a.stands(s.Layer, coolWord, s.S)
		case post.Pause: // the wait is as long as somebody needs; what follows it is known
			a.pauses = append(a.pauses, s.Layer)
			a.stands(s.Layer, againWord, heatAgain(p, s.Layer, m, heats))
		default:
			a.moves(s)
		}
		return true
	})
	a.planner.Flush()
	a.sum()
	return a
}

// stands is time in a layer in which nothing moves.
func (a *account) stands(layer int, word string, seconds float64) {
	a.planner.Flush()
	a.f.ByKind[word] += seconds
	a.f.ByLayer[layer].Seconds += seconds
}

// moves is a step that moves the nozzle or the filament.
func (a *account) moves(s post.Step) {
	where := int64(s.Place)<<39 | int64(s.Layer)<<7
	tag := where | travels
	switch s.Kind {
	case post.Lay:
		tag = where | int64(s.For)
		a.lays(s)
	case post.Retract, post.Restore:
		tag = where | retracts
	case post.Prime:
		g, n := s.EMM*a.grams[s.Nozzle&7], &a.used[s.Nozzle&7]
		n.FilamentMM += s.EMM
		n.Grams += g
		n.GramsPurge += g
		a.f.FilamentMM += s.EMM
		tag = where | retracts
	}
	a.planner.Add(motion.Move{DX: s.X - a.at[0], DY: s.Y - a.at[1], DZ: s.Z - a.at[2], EMM: s.EMM, MMPerS: s.MMPerS, AccelMMPerS2: s.MMPerS2, Tag: tag})
	a.at = [3]float64{s.X, s.Y, s.Z}
}

// lays books what a line takes, and how far it reaches.
func (a *account) lays(s post.Step) {
	f := a.f
	g, n := s.EMM*a.grams[s.Nozzle&7], &a.used[s.Nozzle&7]
	n.FilamentMM += s.EMM
	n.Grams += g
	switch s.For {
	case toolpath.Support:
		n.GramsSupport += g
		f.ByLayer[s.Layer].Support += g
	case toolpath.Adhesion:
		n.GramsAdhesion += g
	case toolpath.Purge:
		n.GramsPurge += g
	default:
		n.GramsModel += g
	}
	f.ByLayer[s.Layer].Grams += g
	a.own[s.Place].Grams += g
	f.FilamentMM += s.EMM
	for _, q := range [2][3]float64{a.at, {s.X, s.Y, s.Z}} {
		for k := range q {
			f.Box[0][k], f.Box[1][k] = math.Min(f.Box[0][k], q[k]), math.Max(f.Box[1][k], q[k])
		}
	}
}

// sum gathers times by kind and grams by nozzle.
func (a *account) sum() {
	f := a.f
	for k := range toolpath.Kinds {
		if a.byKind[k] > 0 {
			f.ByKind[toolpath.Kind(k).String()] = a.byKind[k]
		}
	}
	for _, n := range a.used {
		if n.FilamentMM == 0 {
			continue
		}
		f.Nozzles = append(f.Nozzles, n)
		f.GramsModel, f.GramsSupport = f.GramsModel+n.GramsModel, f.GramsSupport+n.GramsSupport
		f.GramsAdhesion, f.GramsPurge = f.GramsAdhesion+n.GramsAdhesion, f.GramsPurge+n.GramsPurge
	}
	f.ByKind[travelWord], f.ByKind[retractWord] = a.byKind[travels], a.byKind[retracts]
}
