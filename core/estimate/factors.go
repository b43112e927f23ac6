package estimate

// Factors are what the quick estimate cannot count from sections and columns alone.
type Factors struct {
	// Ways in a layer beside the one to it, retracted: for each figure after the first,
	// each hole, each bend, for how much longer the outline is than a circle's, and for each
	// piece that the shells cut off within.
	Figures, Holes, Bends, Ragged, Arms float64
	Lifted                              float64 // the share of them that is lifted
	Near                                float64 // their length, as a share of a tour's
	Loops, Pieces                       float64 // ways within, by shell and outline, and by piece of cap
	CapChord, FillChord                 float64 // lines of fillings, as shares of a chord
	// Support: the rim of a column as a share of the grid's; lines along the rim of a
	// lattice; the middle of a strip as a share of half its rim; a lattice's lines as a
	// share of the chord; how long the sides of an outline are, mm; the way to a layer of a column as a
	// share of a tour's; ways within, with its rim and with its rows, and the share of them
	// that is retracted.
	Rim, RimLaid, Strip, Chord, Facet, WaysFar, WaysRim, WaysRows, WaysBack float64
}
