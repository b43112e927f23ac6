// Package event is what is done in the house: one struct for each kind, with what it was done
// to. Readers (histories, browsers, later messages and reports) tell kinds apart by their type;
// what a person reads is made from the same fields by the catalogue of package finding.
package event

import (
	"encoding/json"
	"fmt"
	"reflect"
	"strconv"

	"jobshelf/core/shape/problem"
)

// Event is one of the kinds.
type Event interface {
	// Kind is its name, and the code of its text. The fields are the text's parameters, in order.
	Kind() string
}

// Of jobs.
type (
	// HandedIn is a job made of files.
	HandedIn struct {
		Files string `json:"files"`
	}
	// Checked is a check that has ended; Unread one that could not read a file.
	Checked struct{}
	Unread  struct{}
	// CheckedAgain is a round that a change in the house has asked for, CheckAsked one that somebody has.
	CheckedAgain   struct{}
	CheckAsked     struct{}
	CheckCancelled struct{}
	CheckSetAside  struct{}
	// Approved is a yes whose plates are sliced, or that its slice has kept to.
	Approved struct {
		Machine string `json:"machine"`
	}
	// ApprovedUpTo is a yes that waits for its slice.
	ApprovedUpTo struct {
		Machine string  `json:"machine"`
		Minutes float64 `json:"minutes" digits:"0"`
		Grams   float64 `json:"grams" digits:"1"`
		Money   float64 `json:"money" digits:"2"`
	}
	// ApprovedIf is a yes on conditions, which waits for the slice that keeps them.
	ApprovedIf struct {
		Machine    string  `json:"machine"`
		Conditions string  `json:"conditions"`
		Minutes    float64 `json:"minutes" digits:"0"`
		Grams      float64 `json:"grams" digits:"1"`
		Money      float64 `json:"money" digits:"2"`
	}
	// ForWarmth to ForColour are what somebody said it is for, ForAnything that it is for nothing in particular.
	ForWarmth struct {
		WarmC float64 `json:"warm_c" digits:"0"`
	}
	ForOutdoors struct{}
	ForBending  struct{}
	ForLoad     struct{}
	ForFitting  struct{}
	ForColour   struct {
		Colour string `json:"colour"`
	}
	ForAnything struct{}
	// FindingAnswered is that somebody said why something that was found, or a rule, may be as it is.
	FindingAnswered struct {
		Check string `json:"check"`
	}
	AnswerTakenBack struct {
		Check string `json:"check"`
	}
	// RuleWritten and RuleTakenAway are of the house's rules.
	RuleWritten struct {
		Rule    string `json:"rule"`
		Version int    `json:"version"`
	}
	RuleTakenAway struct {
		Rule string `json:"rule"`
	}
	// LetterWritten is that the house tells members something in other words.
	LetterWritten struct {
		Letter string `json:"letter"`
	}
	// Asked is a question to a job's member, Replied what was said to it.
	Asked struct {
		Text string `json:"text"`
	}
	Replied struct {
		Text string `json:"text"`
	}
	YesNotKept   struct{}
	YesTakenBack struct{}
	Withdrawn    struct{}
	SentBack     struct{}
	// Started, CameOff and Failed are of the job's run that is next.
	Started      struct{}
	CameOff      struct{}
	Failed       struct{}
	ReadyToFetch struct{}
	Fetched      struct{}
	NotFetched   struct{}
	LeftBehind   struct{}
	// StepTold is of a finishing step: that it begins, has ended, or was not done.
	StepTold struct {
		Step string `json:"step"`
		What string `json:"what"`
	}
	PutAt struct {
		Place string `json:"place"`
	}
	MovedInItsLane struct{}
	// RunReady to RunBackOn are of a run of the job, as its machine tells, or somebody at it.
	RunReady    struct{}
	RunNotReady struct{}
	RunSent     struct{}
	RunNotSent  struct{}
	RunLays     struct{}
	RunSeen     struct{}
	RunPaused   struct{}
	RunGoesOn   struct{}
	RunCools    struct{}
	RunRewarms  struct{}
	RunLost     struct{}
	RunFound    struct{}
	RunEnded    struct{}
	RunStopped  struct{}
	RunMistaken struct{}
	RunBackOn   struct{}
	RunWanted   struct {
		What string `json:"what"`
	}
	SlicedAgain    struct{}
	NotSlicedAgain struct{}
	// Warmed and HeatTurnedOff are of a machine that nothing is on.
	Warmed struct {
		Machine string `json:"machine"`
		For     string `json:"for"`
	}
	HeatTurnedOff struct {
		Machine string `json:"machine"`
	}
	BedCleared struct {
		Machine string `json:"machine"`
	}
	Loaded struct {
		Machine  string `json:"machine"`
		Nozzle   int    `json:"nozzle"`
		Filament string `json:"filament"`
	}
	// ToLieTogether, LieTogether, NotTogether and LiesAlone are of parts of several jobs on one plate. None
	// says whose: a member reads it.
	ToLieTogether struct {
		Machine string `json:"machine"`
	}
	LieTogether struct {
		Machine string `json:"machine"`
	}
	NotTogether struct {
		Machine string `json:"machine"`
	}
	LiesAlone struct {
		Machine string `json:"machine"`
	}
	RepairAskedFor struct {
		Piece string `json:"piece"`
		Steps string `json:"steps"`
	}
	Repaired struct {
		Piece string `json:"piece"`
	}
	UnitLeft struct {
		Piece string `json:"piece"`
	}
	UnitSaid struct {
		Piece string `json:"piece"`
		Unit  string `json:"unit"`
	}
	CopiesSaid struct {
		Copies int    `json:"copies"`
		Piece  string `json:"piece"`
	}
	StandsAsBest struct {
		Piece string `json:"piece"`
	}
	NozzleSaid struct {
		Piece  string `json:"piece"`
		Nozzle int    `json:"nozzle"`
	}
	PieceUndone struct {
		Piece string `json:"piece"`
	}
	PieceRedone struct {
		Piece string `json:"piece"`
	}
	PieceLeftOut struct {
		Piece string `json:"piece"`
	}
	PieceBack struct {
		Piece string `json:"piece"`
	}
	FileReplaced struct {
		Piece string `json:"piece"`
		By    string `json:"by"`
	}
	LoadSaid struct {
		Piece string `json:"piece"`
	}
	LoadNone struct {
		Piece string `json:"piece"`
	}
	NozzleOfRecipe struct {
		Piece string `json:"piece"`
	}
	Turned struct {
		Piece string `json:"piece"`
	}
	Mirrored struct {
		Piece string `json:"piece"`
	}
	Sized struct {
		Piece    string  `json:"piece"`
		XPercent float64 `json:"x_percent" digits:"1"`
		YPercent float64 `json:"y_percent" digits:"1"`
		ZPercent float64 `json:"z_percent" digits:"1"`
		Why      string  `json:"why"`
	}
	CountsAsItCame struct {
		Piece string `json:"piece"`
	}
	CountsMended struct {
		Piece   string `json:"piece"`
		Version int    `json:"version"`
	}
)

// Of slices.
type (
	SliceOrdered struct {
		Slice   int64  `json:"slice"`
		Of      string `json:"of"`
		Machine string `json:"machine"`
	}
	SliceAgain     struct{ OfSlice }
	SliceCancelled struct{ OfSlice }
	SliceRemoved   struct{ OfSlice }
	SliceNamed     struct {
		OfSlice
		Name string `json:"name"`
	}
	SliceChosen   struct{ OfSlice }
	SliceDone     struct{ OfSlice }
	SliceFailed   struct{ OfSlice }
	SliceSetAside struct{ OfSlice }
	// OfSlice is which slice, and of what.
	OfSlice struct {
		Slice int64  `json:"slice"`
		Of    string `json:"of"`
	}
)

// Of the house and its people.
type (
	HouseChanged struct{}
	BedTurned    struct {
		Machine string `json:"machine"`
		Degrees int    `json:"degrees"`
	}
	BedRenewed struct {
		Machine string `json:"machine"`
	}
	MachineChanged struct {
		Name string `json:"name"`
	}
	MaterialChanged struct {
		Name string `json:"name"`
	}
	RecipeChanged struct {
		Name string `json:"name"`
	}
	HouseOpened struct {
		Name string `json:"name"`
	}
	PersonAdded struct {
		Name string `json:"name"`
		Role string `json:"role"`
	}
	PasswordSet struct {
		Name string `json:"name"`
	}
	RoleGiven struct {
		Name string `json:"name"`
		Role string `json:"role"`
	}
	AccountClosed struct {
		Name string `json:"name"`
	}
	// GroupGiven is which group somebody belongs to, of whom rules may ask; none is empty.
	GroupGiven struct {
		Name  string `json:"name"`
		Group string `json:"group"`
	}
	OwnPasswordChanged struct{}
	// MachinesLookedAt is of a house that was restored from a copy.
	MachinesLookedAt struct{}
	// SpoolReceived to SpoolPut are of a spool of filament.
	SpoolReceived struct {
		Spool    int64   `json:"spool"`
		Filament string  `json:"filament"`
		Grams    float64 `json:"grams" digits:"0"`
	}
	SpoolTold struct {
		Spool    int64  `json:"spool"`
		Filament string `json:"filament"`
		What     string `json:"what"`
	}
	SpoolWeighed struct {
		Spool    int64   `json:"spool"`
		Filament string  `json:"filament"`
		Grams    float64 `json:"grams" digits:"1"`
		More     float64 `json:"more" digits:"1"`
	}
	SpoolCorrected struct {
		Spool    int64   `json:"spool"`
		Filament string  `json:"filament"`
		More     float64 `json:"more" digits:"1"`
		Why      string  `json:"why"`
	}
	// Charged is a line of a member's account that somebody wrote; less below 0.
	Charged struct {
		Member string  `json:"member"`
		What   string  `json:"what"`
		Money  float64 `json:"money" digits:"2"`
	}
	SpoolPut struct {
		Spool    int64  `json:"spool"`
		Filament string `json:"filament"`
		Place    string `json:"place"`
	}
	// PartTold is of a part of a machine that wears out, and what it had done by then.
	PartTold struct {
		Machine string  `json:"machine"`
		Part    string  `json:"part"`
		What    string  `json:"what"`
		Hours   float64 `json:"hours" digits:"0"`
		Grams   float64 `json:"grams" digits:"0"`
	}
)

// Several are things done at once.
type Several struct{ Events []Event }

func (HandedIn) Kind() string           { return "handed in" }
func (Checked) Kind() string            { return "checked" }
func (Unread) Kind() string             { return "could not be read" }
func (CheckedAgain) Kind() string       { return "checked again" }
func (CheckAsked) Kind() string         { return "check asked for again" }
func (CheckCancelled) Kind() string     { return "check cancelled" }
func (CheckSetAside) Kind() string      { return "check set aside" }
func (Approved) Kind() string           { return "approved" }
func (ApprovedUpTo) Kind() string       { return "approved up to" }
func (GroupGiven) Kind() string         { return "group given" }
func (ApprovedIf) Kind() string         { return "approved if" }
func (LetterWritten) Kind() string      { return "letter written" }
func (ForWarmth) Kind() string          { return "for warmth" }
func (ForOutdoors) Kind() string        { return "for outdoors" }
func (ForBending) Kind() string         { return "for bending" }
func (ForLoad) Kind() string            { return "for load" }
func (ForFitting) Kind() string         { return "for fitting" }
func (ForColour) Kind() string          { return "for a colour" }
func (ForAnything) Kind() string        { return "for anything" }
func (FindingAnswered) Kind() string    { return "finding answered" }
func (AnswerTakenBack) Kind() string    { return "answer taken back" }
func (RuleWritten) Kind() string        { return "rule written" }
func (RuleTakenAway) Kind() string      { return "rule taken away" }
func (Asked) Kind() string              { return "asked" }
func (Replied) Kind() string            { return "replied" }
func (YesNotKept) Kind() string         { return "yes not kept" }
func (YesTakenBack) Kind() string       { return "yes taken back" }
func (Withdrawn) Kind() string          { return "withdrawn" }
func (SentBack) Kind() string           { return "sent back" }
func (Started) Kind() string            { return "started" }
func (RunReady) Kind() string           { return "run ready" }
func (RunNotReady) Kind() string        { return "run not ready" }
func (RunSent) Kind() string            { return "run sent" }
func (RunNotSent) Kind() string         { return "run not sent" }
func (RunLays) Kind() string            { return "run lays" }
func (RunSeen) Kind() string            { return "run seen" }
func (RunPaused) Kind() string          { return "run paused" }
func (RunGoesOn) Kind() string          { return "run goes on" }
func (RunCools) Kind() string           { return "run cools" }
func (RunRewarms) Kind() string         { return "run rewarms" }
func (RunLost) Kind() string            { return "run lost" }
func (RunFound) Kind() string           { return "run found" }
func (RunEnded) Kind() string           { return "run ended" }
func (RunStopped) Kind() string         { return "run stopped" }
func (RunMistaken) Kind() string        { return "run mistaken" }
func (RunBackOn) Kind() string          { return "run back on" }
func (RunWanted) Kind() string          { return "run wanted" }
func (SlicedAgain) Kind() string        { return "sliced again for bad copies" }
func (NotSlicedAgain) Kind() string     { return "not sliced again" }
func (Warmed) Kind() string             { return "machine warmed" }
func (HeatTurnedOff) Kind() string      { return "heat turned off" }
func (BedCleared) Kind() string         { return "bed cleared" }
func (Loaded) Kind() string             { return "filament loaded" }
func (CameOff) Kind() string            { return "came off" }
func (Failed) Kind() string             { return "run failed" }
func (ReadyToFetch) Kind() string       { return "ready to be fetched" }
func (NotFetched) Kind() string         { return "not fetched" }
func (LeftBehind) Kind() string         { return "left behind" }
func (StepTold) Kind() string           { return "step told" }
func (PutAt) Kind() string              { return "put at" }
func (Charged) Kind() string            { return "charged" }
func (Fetched) Kind() string            { return "fetched" }
func (MovedInItsLane) Kind() string     { return "moved in its lane" }
func (ToLieTogether) Kind() string      { return "to lie together" }
func (LieTogether) Kind() string        { return "lie together" }
func (NotTogether) Kind() string        { return "not together" }
func (LiesAlone) Kind() string          { return "lies alone" }
func (RepairAskedFor) Kind() string     { return "repair asked for" }
func (Repaired) Kind() string           { return "repaired" }
func (UnitLeft) Kind() string           { return "unit left to the file" }
func (UnitSaid) Kind() string           { return "unit is" }
func (CopiesSaid) Kind() string         { return "copies are" }
func (StandsAsBest) Kind() string       { return "stands as it prints best" }
func (NozzleSaid) Kind() string         { return "nozzle said" }
func (PieceUndone) Kind() string        { return "piece undone" }
func (PieceRedone) Kind() string        { return "piece redone" }
func (PieceLeftOut) Kind() string       { return "piece left out" }
func (PieceBack) Kind() string          { return "piece put back" }
func (FileReplaced) Kind() string       { return "file replaced" }
func (LoadSaid) Kind() string           { return "load said" }
func (LoadNone) Kind() string           { return "load forgotten" }
func (NozzleOfRecipe) Kind() string     { return "nozzle of the recipe" }
func (Turned) Kind() string             { return "turned by hand" }
func (Mirrored) Kind() string           { return "mirrored" }
func (Sized) Kind() string              { return "sized" }
func (CountsAsItCame) Kind() string     { return "counts as it came" }
func (CountsMended) Kind() string       { return "counts as a version" }
func (SliceOrdered) Kind() string       { return "slice ordered" }
func (SliceAgain) Kind() string         { return "slice again" }
func (SliceRemoved) Kind() string       { return "slice removed" }
func (SliceNamed) Kind() string         { return "slice named" }
func (SliceCancelled) Kind() string     { return "slice cancelled" }
func (SliceChosen) Kind() string        { return "slice chosen" }
func (SliceDone) Kind() string          { return "slice done" }
func (SliceFailed) Kind() string        { return "slice failed" }
func (SliceSetAside) Kind() string      { return "slice set aside" }
func (HouseChanged) Kind() string       { return "house changed" }
func (BedTurned) Kind() string          { return "bed turned" }
func (BedRenewed) Kind() string         { return "bed renewed" }
func (MachineChanged) Kind() string     { return "machine changed" }
func (MaterialChanged) Kind() string    { return "material changed" }
func (RecipeChanged) Kind() string      { return "recipe changed" }
func (HouseOpened) Kind() string        { return "house opened" }
func (PersonAdded) Kind() string        { return "person added" }
func (PasswordSet) Kind() string        { return "password set" }
func (RoleGiven) Kind() string          { return "role given" }
func (AccountClosed) Kind() string      { return "account closed" }
func (OwnPasswordChanged) Kind() string { return "own password changed" }
func (MachinesLookedAt) Kind() string   { return "machines looked at" }
func (SpoolReceived) Kind() string      { return "spool received" }
func (SpoolTold) Kind() string          { return "spool told" }
func (SpoolWeighed) Kind() string       { return "spool weighed" }
func (SpoolCorrected) Kind() string     { return "spool corrected" }
func (SpoolPut) Kind() string           { return "spool put" }
func (PartTold) Kind() string           { return "part told" }
func (Several) Kind() string            { return "several" }

// Kinds are all of them, as they are before anything is in them.
var Kinds = []Event{
	HandedIn{}, Checked{}, Unread{}, CheckedAgain{}, CheckAsked{}, CheckCancelled{}, CheckSetAside{}, Approved{}, ApprovedUpTo{}, ApprovedIf{}, LetterWritten{}, GroupGiven{}, ForWarmth{}, ForOutdoors{}, ForBending{}, ForLoad{}, ForFitting{}, ForColour{}, ForAnything{}, Asked{}, Replied{}, FindingAnswered{}, AnswerTakenBack{}, RuleWritten{}, RuleTakenAway{}, YesNotKept{}, YesTakenBack{}, Withdrawn{},
	SentBack{}, RunReady{}, RunNotReady{}, RunSent{}, RunNotSent{}, RunLays{}, RunSeen{}, RunPaused{}, RunGoesOn{}, RunCools{}, RunRewarms{}, RunLost{}, RunFound{}, RunEnded{}, RunStopped{}, RunMistaken{}, RunBackOn{}, RunWanted{}, SlicedAgain{}, NotSlicedAgain{}, Warmed{}, HeatTurnedOff{}, BedCleared{}, Loaded{},
	Started{}, CameOff{}, Failed{}, ReadyToFetch{}, Fetched{}, NotFetched{}, LeftBehind{}, StepTold{}, PutAt{}, Charged{}, MovedInItsLane{}, ToLieTogether{}, LieTogether{}, NotTogether{}, LiesAlone{}, RepairAskedFor{}, Repaired{}, UnitLeft{}, UnitSaid{}, CopiesSaid{}, CountsAsItCame{},
	StandsAsBest{}, NozzleSaid{}, NozzleOfRecipe{}, LoadSaid{}, LoadNone{}, PieceLeftOut{}, PieceBack{}, FileReplaced{}, PieceUndone{}, PieceRedone{}, Turned{}, Mirrored{}, Sized{},
	CountsMended{}, SliceOrdered{}, SliceAgain{}, SliceCancelled{}, SliceRemoved{}, SliceNamed{}, SliceChosen{}, SliceDone{}, SliceFailed{}, SliceSetAside{}, HouseChanged{}, BedTurned{}, BedRenewed{}, MachineChanged{}, MaterialChanged{},
	RecipeChanged{}, HouseOpened{}, PersonAdded{}, PasswordSet{}, RoleGiven{}, AccountClosed{}, OwnPasswordChanged{}, Several{},
	MachinesLookedAt{}, SpoolReceived{}, SpoolTold{}, SpoolWeighed{}, SpoolCorrected{}, SpoolPut{}, PartTold{},
}

var types = map[string]reflect.Type{}

func init() {
	for _, e := range Kinds {
		types[e.Kind()] = reflect.TypeOf(e)
	}
}

// Phrase is what an event says: the code of its kind, with its fields.
func Phrase(e Event) problem.Phrase {
	if s, ok := e.(Several); ok {
		all := make([]problem.Phrase, len(s.Events))
		for i := range s.Events {
			all[i] = Phrase(s.Events[i])
		}
		return problem.Say(e.Kind(), all)
	}
	return problem.Say(e.Kind(), params(reflect.ValueOf(e))...)
}

func params(v reflect.Value) (out []any) {
	for i := range v.NumField() {
		f := v.Type().Field(i)
		switch {
		case f.Anonymous:
			out = append(out, params(v.Field(i))...)
		case f.Tag.Get("digits") != "":
			n, _ := strconv.Atoi(f.Tag.Get("digits"))
			out = append(out, problem.Fixed(v.Field(i).Float(), n))
		case v.Field(i).Kind() == reflect.Int64:
			out = append(out, int(v.Field(i).Int()))
		default:
			out = append(out, v.Field(i).Interface())
		}
	}
	return out
}

// All is several events as one; one is itself.
func All(events []Event) Event {
	if len(events) == 1 {
		return events[0]
	}
	return Several{events}
}

// kept is an event as it is stored within Several.
type kept struct {
	Kind string          `json:"kind"`
	Data json.RawMessage `json:"data"`
}

// MarshalJSON keeps each with its kind.
func (s Several) MarshalJSON() ([]byte, error) {
	out := make([]kept, len(s.Events))
	for i, e := range s.Events {
		raw, err := json.Marshal(e)
		if err != nil {
			return nil, err
		}
		out[i] = kept{e.Kind(), raw}
	}
	return json.Marshal(out)
}

// UnmarshalJSON undoes it.
func (s *Several) UnmarshalJSON(b []byte) error {
	var all []kept
	if err := json.Unmarshal(b, &all); err != nil {
		return err
	}
	s.Events = make([]Event, len(all))
	for i, k := range all {
		e, err := Read(k.Kind, k.Data)
		if err != nil {
			return err
		}
		s.Events[i] = e
	}
	return nil
}

// Read is an event from its kind and its stored fields.
func Read(kind string, data []byte) (Event, error) {
	t, ok := types[kind]
	if !ok {
		return nil, fmt.Errorf("there is no event %q", kind)
	}
	v := reflect.New(t)
	if err := json.Unmarshal(data, v.Interface()); err != nil {
		return nil, fmt.Errorf("event %q: %w", kind, err)
	}
	return v.Elem().Interface().(Event), nil //nolint:forcetypeassert // types are of Kinds
}

// What happens to a part that wears out.
const (
	PartCounted = "is counted"
	PartChanged = "is good for something else"
	PartRenewed = "is new"
	PartLeft    = "is counted no longer"
)
