package standin

import (
	"fmt"
	"maps"
	"slices"
	"strings"
)

// faults are what can be made to go wrong, by name.
var faults = map[string]struct {
	does  string
	begin func(*Printer)
}{
	"heater":    {"the nozzle's heater does not warm any more: it shuts itself down", func(p *Printer) { p.nozzles[p.nozzle].broken = true }},
	"bed":       {"the bed's heater does not warm any more: it shuts itself down", func(p *Printer) { p.bed.broken = true }},
	"filament":  {"the filament is out: it pauses and says so", func(p *Printer) { p.runOut() }},
	"power":     {"the power is away for a moment: it starts anew, files are kept", func(p *Printer) { p.SwitchOn() }},
	"stall":     {"it answers nothing any more, and moves on", func(p *Printer) { p.mute = true }},
	"slow":      {"it answers half a second late", func(p *Printer) { p.lateS = 0.5 }},
	"garbage":   {"bytes of a bad line stand between its answers", func(p *Printer) { p.garbles = true }},
	"resends":   {"it asks for each line once more", func(p *Printer) { p.resends = true }},
	"knocked":   {"the part is knocked off the bed: only the camera shows it", func(p *Printer) { p.camera.knock() }},
	"uncleared": {"the last part was left on the bed: only the camera shows it", func(p *Printer) { p.camera.leave() }},
}

// Faults are the names of what can go wrong, with what each does.
func Faults() []string {
	var out []string
	for _, name := range slices.Sorted(maps.Keys(faults)) {
		out = append(out, name+": "+faults[name].does)
	}
	return out
}

// Fail makes something go wrong.
func (p *Printer) Fail(name string) error {
	f, ok := faults[name]
	if !ok {
		return fmt.Errorf("no fault %q; there is %s", name, strings.Join(slices.Sorted(maps.Keys(faults)), ", "))
	}
	f.begin(p)
	return nil
}

func (p *Printer) runOut() {
	if p.printing != nil {
		p.paused = true
	}
	p.waitFor("out_of_filament")
}
