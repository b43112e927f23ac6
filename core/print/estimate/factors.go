package estimate

// Factors are what the quick estimate cannot count from sections and columns alone.
type Factors struct {
	// Ways in a layer beside the one to it, retracted: for each figure after the first,
	// each hole, each bend, for how much longer the outline is than a circle's, for each
	// piece that the shells cut off within, and for each tip.
	Figures, Holes, Bends, Ragged, Arms, Tips float64
	Lifted                                    float64 // the share of them that is lifted
	Near                                      float64 // their length, as a share of a tour's
	Loops, Pieces                             float64 // ways within, by shell and outline, and by piece of solid
	SolidChord, FillChord                     float64 // lines of fillings, as shares of a chord
	// Support: the rim of a column as a share of the grid's; lines along the rim of a
	// lattice; the middle of a strip as a share of half its rim; how long the sides of an
	// outline are, mm; the way to a layer of a column as a share of a tour's; ways within,
	// with how ragged it is, for a lattice, and with how much longer than a disc's its rim
	// is, in pitches; and the share of them that is retracted.
	Rim, RimLaid, Strip, Facet, WaysFar, WaysRim, WaysRoomy, WaysRows, WaysBack float64
}
