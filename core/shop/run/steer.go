package run

import (
	"time"

	"jobshelf/core/shape/problem"
)

// Act is what is to be done at a machine on a line.
type Act string

// The acts. Each may be done twice.
const (
	Nothing Act = ""
	Send    Act = "send its program and start it"
	Halt    Act = "pause it"
	Resume  Act = "let it go on"
	End     Act = "end it, all heat off"
	HeatOff Act = "turn all heat off"
	Reheat  Act = "heat what was heated"
)

// What somebody can ask of a machine.
const (
	WantsPause = "pause"
	WantsGoOn  = "go on"
	WantsStop  = "stop"
)

// Machine is what is known of a machine on a line, now.
type Machine struct {
	Heard    bool          // it can be heard
	Shut     bool          // its line stays shut: opening it would reset it
	Fault    string        // it has shut itself down, in its words
	Started  bool          // it has started anew since the line was opened
	Prints   bool          // it is in a file
	Ours     bool          // which is the run's
	Lays     bool          // of which it has laid something
	Moves    bool          // of which it has read more than when it paused
	Waits    string        // it waits for somebody, in its words
	Still    time.Duration // it has read nothing more of its file
	Finished bool          // a file has come to its end since the run's was started, or the line was opened
	Hot      bool          // something is to be warm
	Warm     bool          // all is as warm as it is to be
}

// Now is what is known of a run.
type Now struct {
	State    string
	Wants    string
	Reheats  bool          // it was paused cold and warms again
	Unseen   bool          // its first layers were not seen
	Alone    bool          // it paused because nobody came to see them
	Since    time.Duration // it is in its state
	Patience time.Duration // the house's: how long something hot waits for somebody
	// CoolsItself: the machine turns its heat off by itself if nobody comes; of one that does not nothing waits hot.
	CoolsItself bool
}

// NotSeen is why a run pauses whose first layers nobody has said to be good.
const NotSeen = "first layers not seen"

// standsStill is after how long a machine that reads no more of its file is taken to wait for somebody: not each says that it
// was paused. Nothing that is laid takes as long by itself (common practice, no source). Where it goes on, so does the run.
const standsStill = 5 * time.Minute

// Step is what to do at the machine, and then, what that or what was heard makes of the run.
type Step struct {
	Act   Act
	Event string // empty: nothing
	Why   problem.Phrase
}

// Steer is the next step of what is on a machine. It is asked again after each, and when something has changed: whoever
// asks first after a break finds out from the machine and the run alone where they are.
func Steer(n Now, m Machine) Step {
	if n.State == Cooling {
		if m.Heard && !m.Shut && m.Hot {
			return Step{Act: HeatOff}
		}
		return Step{}
	}
	if s, settled := away(n, m); settled {
		return s
	}
	switch {
	case n.Wants == WantsStop:
		return Step{Act: End, Event: Stops}
	case n.State == Sending:
		if m.Prints && m.Ours && m.Lays || m.Prints && m.Ours && m.Moves {
			return Step{Event: Warms} // it was started before the break
		}
		if m.Prints && !m.Ours {
			return Step{Event: NotSent, Why: problem.Say("prints another file")}
		}
		return Step{Act: Send, Event: Warms}
	case m.Finished && n.State != Paused && n.State != PausedCold:
		return Step{Event: Ends}
	case !m.Prints:
		return gone(n, "prints nothing any more")
	case !m.Ours:
		return gone(n, "prints another file")
	}
	return on(n, m)
}

// away is what a machine that cannot be heard, or has lost what it did, makes of a run.
func away(n Now, m Machine) (Step, bool) {
	switch {
	case m.Shut:
		return gone(n, "line stays shut"), true
	case m.Fault != "":
		if n.State == Sending {
			return Step{Event: NotSent, Why: problem.Say("machine stands still", m.Fault)}, true
		}
		return Step{Event: Fails, Why: problem.Say("machine stands still", m.Fault)}, true
	case !m.Heard:
		return gone(n, "not heard"), true
	case m.Started && n.State != Sending:
		return Step{Event: Fails, Why: problem.Say("machine started anew")}, true
	}
	return Step{}, false
}

// gone is a run of which nothing is known any more.
func gone(n Now, why string) Step {
	if n.State == Lost || n.State == Sending && why == "not heard" && n.Since < n.Patience {
		return Step{}
	}
	return Step{Event: Loses, Why: problem.Say(why)}
}

// on is the step of a run that its machine is in.
func on(n Now, m Machine) Step {
	switch n.State {
	case Lost:
		switch {
		case m.Waits != "":
			return Step{Event: Found(Paused), Why: problem.Say("machine waits", m.Waits)}
		case !m.Lays:
			return Step{Event: Found(Heating)}
		case n.Unseen:
			return Step{Event: Found(First)}
		}
		return Step{Event: Found(Printing)}
	case Paused:
		return paused(n, m)
	case PausedCold:
		if n.Wants == WantsGoOn {
			return Step{Act: Reheat, Event: Rewarms}
		}
		if m.Hot { // of a cold pause nothing is warm
			return Step{Act: HeatOff}
		}
		return Step{}
	}
	if n.State == Heating && !n.Reheats && m.Lays {
		return Step{Event: Lays}
	}
	if n.Wants == WantsPause {
		return Step{Act: Halt, Event: Pauses}
	}
	if m.Waits != "" {
		return Step{Event: Pauses, Why: problem.Say("machine waits", m.Waits)}
	}
	switch {
	case n.State == Heating && n.Reheats:
		if m.Warm {
			return Step{Act: Resume, Event: Lays}
		}
	case n.State == First && n.Since > n.Patience:
		return Step{Act: Halt, Event: Pauses, Why: problem.Say(NotSeen)}
	case n.State != Heating && m.Still > standsStill:
		return Step{Event: Pauses, Why: problem.Say("machine stands")}
	}
	return Step{}
}

// paused is the step of a run that waits: whoever comes finds it warm for the house's minutes, where it cools by itself
// should nobody be left who could turn it off.
func paused(n Now, m Machine) Step {
	onward := GoesOn
	if n.Unseen {
		onward = SeesOn
	}
	switch {
	case n.Wants == WantsGoOn:
		return Step{Act: Resume, Event: onward}
	case m.Moves && m.Waits == "":
		return Step{Event: onward} // somebody has let it go on at the machine
	case !n.CoolsItself, n.Alone, n.Since > n.Patience:
		return Step{Act: HeatOff, Event: Cools}
	}
	return Step{}
}

// Ahead is what to do at a machine that nothing is on: what somebody has warmed cools when nobody comes.
func Ahead(hotFor, patience time.Duration, m Machine) Act {
	if m.Heard && m.Fault == "" && m.Hot && !m.Prints && hotFor > patience {
		return HeatOff
	}
	return Nothing
}
