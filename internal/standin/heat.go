package standin

import "math"

// roomC is how warm it is around the machine, °C.
const roomC = 20

// heater warms as what loses heat to the room does: dT/dt = rate − loss·(T − room) while it is on.
type heater struct {
	c, to   float64 // °C; to 0: off
	rate    float64 // °C/s from cold
	loss    float64 // 1/s
	on      bool
	broken  bool // it does not warm any more
	mostC   float64
	stuckS  float64 // how long it was on without getting warmer
	lowestC float64
}

// pass lets time pass, step by step; false where step says so.
func (h *heater) pass(s float64) bool {
	if h.to <= 0 { // it cools by the formula, however long
		h.on, h.c = false, roomC+(h.c-roomC)*math.Exp(-h.loss*s)
		h.stuckS, h.lowestC = 0, h.c
		return true
	}
	for ; s > leapS; s -= leapS {
		if !h.step(leapS) {
			return false
		}
	}
	return h.step(s)
}

// step moves on by a small step of time; false where it is on, does not get warmer, and has to be shut down (thermal runaway).
func (h *heater) step(s float64) bool {
	switch {
	case h.c < h.to-0.2:
		h.on = true
	case h.c >= h.to:
		h.on = false
	}
	power := 0.0
	if h.on && !h.broken {
		power = h.rate
	}
	h.c += s * (power - h.loss*(h.c-roomC))
	if h.c >= h.to-runawayC {
		h.stuckS, h.lowestC = 0, h.c
		return true
	}
	if h.c > h.lowestC+runawayRiseC {
		h.stuckS, h.lowestC = 0, h.c
	}
	h.stuckS += s
	return h.stuckS < runawayS
}

// A heater that is on and far below where it should be has to rise by so much in so long (common practice, no source).
const (
	runawayC     = 10.0
	runawayRiseC = 2.0
	runawayS     = 40.0
)

func (h *heater) there() bool { return h.to <= 0 || h.c >= h.to-1 }
