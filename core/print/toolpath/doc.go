// Package toolpath turns a part into the lines that a machine lays, layer by
// layer: shells along the outlines, solid layers that close top and bottom, infill,
// bridges, support and what holds the first layer down, in an order that saves
// travel.
//
// Plane figures are whole micrometres (package polygon), everything else mm and
// s. The part stands as it is given, its lowest point on the plate, in the
// plate's own coordinates. Slice works on all cores; the result is the same
// whatever their number. It writes no file and knows no clock.
//
// A line of width w in a layer of height h has the section of a stadium,
// (w-h)·h + π(h/2)²; lines side by side are spaced that area over h apart, so
// that they leave no gap and need no more room than there is.
package toolpath

import (
	"math"

	"jobshelf/core/shape/polygon"
)

// Kind says what a line is for.
type Kind uint8

// The kinds, in the order of the words in Kinds.
const (
	Outer Kind = iota
	Inner
	TopBottom
	Infill
	Bridge
	Support
	Adhesion
	Purge
	kinds
)

// Kinds are their words.
var Kinds = [kinds]string{"outer shell", "inner shell", "top and bottom", "infill", "bridge", "support", "bed adhesion", "purge"}

func (k Kind) String() string { return Kinds[k] }

// Line is one line laid without a break.
type Line struct {
	Kind    Kind
	Nozzle  uint8 // counted from 0
	Closed  bool  // the last point joins the first
	Points  polygon.Path
	WidthMM float64
	// Widths is the width at each point where it varies, else nil, µm.
	Widths []float64
}

// LengthMM is the way along the line.
func (l *Line) LengthMM() float64 {
	s := 0.0
	for i := 1; i < len(l.Points); i++ {
		s += dist(l.Points[i-1], l.Points[i])
	}
	if l.Closed && len(l.Points) > 1 {
		s += dist(l.Points[len(l.Points)-1], l.Points[0])
	}
	return s / 1000
}

// VolumeMM3 is what the line lays down in a layer of height h.
func (l *Line) VolumeMM3(h float64) float64 {
	if l.Widths == nil {
		return l.LengthMM() * LineArea(l.WidthMM, h)
	}
	v := 0.0
	n := len(l.Points)
	last := n - 1
	if l.Closed {
		last = n
	}
	for i := range last {
		j := (i + 1) % n
		v += dist(l.Points[i], l.Points[j]) / 1000 * LineArea((l.Widths[i]+l.Widths[j])/2000, h)
	}
	return v
}

func dist(a, b polygon.Point) float64 { return math.Hypot(float64(b.X-a.X), float64(b.Y-a.Y)) }

// LineArea is the section of a line of width w and height h, mm²: a stadium; a
// line narrower than it is high is taken as an ellipse.
func LineArea(w, h float64) float64 {
	if w < h {
		return math.Pi * w * h / 4
	}
	return (w-h)*h + math.Pi*h*h/4
}

// Spacing is how far apart lines of width w lie, mm.
func Spacing(w, h float64) float64 { return LineArea(w, h) / h }

// Layer is one layer. Print.Laid gives its lines in the order they are laid.
type Layer struct {
	TopMM, HeightMM float64
	// Lines are the plate's own; with one copy on it, all there are, in their order.
	Lines []Line
	// Outlines are the part's, for travel and for pictures; empty below the part.
	Outlines []polygon.Path
	// Parts are what of each part lies here, where there are several copies.
	Parts []PartLayer

	between     bool  // of a part that ends between the layers of a higher one
	first, then uint8 // the nozzles in use, where there are several copies
}

// Print is a plate's layers, from the plate up.
type Print struct {
	Layers []Layer
	// Places are where copies lie, where there are several.
	Places []Place
	// RaftMM is how far the part stands above the plate on a raft.
	RaftMM    float64
	Notes     []string   // what somebody should know, in plain words
	Overhangs []Overhang // overhangs, and what is done about it, from below, by part

	boxes []polygon.Box // of the places
	route []int         // over the places
}

// Overhang is a part of the surface that hangs further than support begins at.
type Overhang struct {
	// Min and Max bound it, in mm as the part stands, on its raft where it has one.
	Min     [3]float64 `json:"min_mm"`
	Max     [3]float64 `json:"max_mm"`
	AreaMM2 float64    `json:"area_mm2" doc:"Seen from below"`
	Carried bool       `json:"carried" doc:"Support stands under it"`
	Why     string     `json:"why"`
	Part    int        `json:"part,omitempty" doc:"Which of the plate's, counted from 0"`
}

// SupportMark is a region in which support is kept out or put in by hand.
type SupportMark struct {
	Paths  []polygon.Path
	FromMM float64 // heights of the part it is for
	ToMM   float64
	Force  bool // put in; else keep out
	Reason string
}

// Region is a place in a part that is filled otherwise than the rest of it; of several over each
// other the last counts.
type Region struct {
	Path          polygon.Path // seen from above, convex
	FromMM        float64      // heights of the part
	ToMM          float64
	Shells        *int // nil: as the rest
	InfillPercent *float64
}

// FirstNozzle is the one that a print begins with, counted from 0.
func (p *Print) FirstNozzle() uint8 {
	for i := range p.Layers {
		for _, l := range p.Laid(i) {
			return l.Nozzle
		}
	}
	return 0
}

// Nozzles are those that lay something, counted from 1, rising.
func (p *Print) Nozzles() (out []int) {
	var used [256]bool
	for i := range p.Layers {
		for l := range p.Layers[i].Each {
			used[l.Nozzle] = true
		}
	}
	for n, is := range used {
		if is {
			out = append(out, n+1)
		}
	}
	return out
}
