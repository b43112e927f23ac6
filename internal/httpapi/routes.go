package httpapi

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"mime"
	"net/http"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/adapters/humachi"

	"jobshelf/core/judge/finding"
	"jobshelf/core/judge/printability"
	"jobshelf/core/judge/rule"
	"jobshelf/core/print/recipe"
	"jobshelf/core/shape/units"
	"jobshelf/core/shop/wear"
	"jobshelf/internal/desk"
	"jobshelf/internal/desk/decide"
	"jobshelf/internal/desk/finishing"
	"jobshelf/internal/desk/floor"
	"jobshelf/internal/desk/house"
	"jobshelf/internal/desk/intake"
	"jobshelf/internal/desk/people"
	"jobshelf/internal/desk/plates"
	"jobshelf/internal/desk/runs"
	"jobshelf/internal/desk/stores"
	"jobshelf/internal/device"
	"jobshelf/internal/label"
)

// route is one operation: who may do it at least, and what does it.
type route struct {
	least     desk.Role
	operation huma.Operation
	add       adder
}

// adder registers an operation.
type adder func(s *Server, least desk.Role, o huma.Operation)

// on is a line of the table: its id, method and path, and what it is, in words.
func on(least desk.Role, id, where, summary string, add adder) route {
	method, path, _ := strings.Cut(where, " ")
	return route{least, huma.Operation{OperationID: id, Method: method, Path: path, Summary: summary}, add}
}

func (s *Server) routes() {
	for _, r := range table {
		r.add(s, r.least, r.operation)
	}
	s.events()
}

// table is all operations but the stream of events. Each calls one use case.
var table = []route{
	on(anyone, "sign-in", "POST /session", "Sign in", signingIn),
	on(desk.Member, "who", "GET /session", "Who is signed in", gives(func(_ context.Context, _ *desk.Desk, a desk.Actor, _ *none) (desk.Actor, error) { return a, nil })),
	on(desk.Member, "sign-out", "DELETE /session", "Sign out", signingOut),
	on(desk.Member, "set-password", "PUT /session/password", "Change the own password", passwordChange),
	on(desk.Coordinator, "people", "GET /people", "Everybody of the house", gives(func(ctx context.Context, d *desk.Desk, _ desk.Actor, _ *none) ([]people.PersonView, error) {
		return people.People(ctx, d)
	})),

	on(desk.Member, "house", "GET /house", "Machines, materials, recipes, prices and hours",
		gives(func(ctx context.Context, d *desk.Desk, a desk.Actor, _ *none) (house.HouseView, error) {
			v, err := house.Read(ctx, d)
			if !a.Role.AtLeast(desk.Coordinator) {
				v.HideLines()
			}
			return v, err
		})),
	on(desk.Member, "settings", "GET /settings", "What can be set of recipes, machines and materials, in plain words",
		gives(func(context.Context, *desk.Desk, desk.Actor, *none) (house.Settings, error) {
			return house.AllSettings(), nil
		})),
	on(desk.Coordinator, "workers", "GET /workers", "The processes that work in the house now",
		gives(func(ctx context.Context, d *desk.Desk, _ desk.Actor, _ *none) ([]house.WorkerView, error) {
			return house.Workers(ctx, d)
		})),
	on(desk.Steward, "set-house", "PUT /house", "Change name, hours and fees", does(func(ctx context.Context, d *desk.Desk, a desk.Actor, in *body[house.House]) error {
		return house.SetHouse(ctx, d, a, in.Body)
	})),
	on(desk.Coordinator, "rules", "GET /rules", "What the house asks of jobs", gives(func(ctx context.Context, d *desk.Desk, _ desk.Actor, _ *struct{}) (house.RulesView, error) {
		return house.Rules(ctx, d)
	})),
	on(desk.Coordinator, "rule-versions", "GET /rules/{id}/versions", "All versions of a rule, the latest first",
		gives(func(ctx context.Context, d *desk.Desk, _ desk.Actor, in *ByID) ([]house.RuleView, error) {
			return house.RuleVersions(ctx, d, in.ID)
		})),
	on(desk.Steward, "add-rule", "POST /rules", "Make a rule", makes(func(ctx context.Context, d *desk.Desk, a desk.Actor, in *body[ruleWritten]) (created, error) {
		id, err := house.SetRule(ctx, d, a, 0, 0, in.Body.Data)
		return created{id}, err
	})),
	on(desk.Steward, "set-rule", "PUT /rules/{id}", "Write the next version of a rule", does(func(ctx context.Context, d *desk.Desk, a desk.Actor, in *byID[ruleWritten]) error {
		_, err := house.SetRule(ctx, d, a, in.ID, in.Body.Version, in.Body.Data)
		return err
	})),
	on(desk.Steward, "take-rule-away", "DELETE /rules/{id}", "Let a rule count no more", does(func(ctx context.Context, d *desk.Desk, a desk.Actor, in *ruleSeen) error {
		return house.TakeRuleAway(ctx, d, a, in.ID, in.Version)
	})),
	on(desk.Coordinator, "try-rule", "POST /rules/try", "Hold a rule against jobs of the past, before it counts",
		gives(func(ctx context.Context, d *desk.Desk, _ desk.Actor, in *body[ruleWritten]) (house.RuleTried, error) {
			return house.TryRule(ctx, d, in.Body.Data)
		})),
	on(desk.Member, "ended", "GET /ended", "Jobs that were sent back or withdrawn; with words, all that ever ended",
		gives(func(ctx context.Context, d *desk.Desk, a desk.Actor, in *searching) ([]decide.EndedSlip, error) {
			return decide.Ended(ctx, d, a, in.Search)
		})),
	on(desk.Coordinator, "routine", "GET /routine", "Jobs that can be said yes to together, and what would happen",
		gives(func(ctx context.Context, d *desk.Desk, _ desk.Actor, _ *none) (decide.RoutineView, error) {
			return decide.Routine(ctx, d)
		})),
	on(desk.Coordinator, "approve-together", "POST /routine", "Say yes to several jobs as they were listed: to all, or to none",
		does(func(ctx context.Context, d *desk.Desk, a desk.Actor, in *body[yesTogether]) error {
			return decide.ApproveTogether(ctx, d, a, in.Body.Jobs)
		})),
	on(desk.Coordinator, "letters", "GET /letters", "What members are told, by occasion",
		gives(func(ctx context.Context, d *desk.Desk, _ desk.Actor, _ *none) ([]house.TemplateView, error) {
			return house.Letters(ctx, d)
		})),
	on(desk.Steward, "set-letter", "PUT /letters", "Say something else to members on an occasion",
		does(func(ctx context.Context, d *desk.Desk, a desk.Actor, in *body[letterWritten]) error {
			return house.SetLetter(ctx, d, a, in.Body.Kind, in.Body.Text)
		})),
	on(desk.Steward, "set-group", "PUT /people/{id}/group", "Say which group somebody belongs to, of whom rules may ask",
		does(func(ctx context.Context, d *desk.Desk, a desk.Actor, in *byID[groupGiven]) error {
			return people.SetGroup(ctx, d, a, in.ID, in.Body.Group)
		})),
	on(desk.Coordinator, "ask", "POST /jobs/{id}/ask", "Ask a job's member something",
		does(func(ctx context.Context, d *desk.Desk, a desk.Actor, in *byID[saying]) error {
			return decide.Ask(ctx, d, a, in.ID, in.Body.Revision, in.Body.Text)
		})),
	on(desk.Member, "reply", "POST /jobs/{id}/reply", "Answer what was asked",
		does(func(ctx context.Context, d *desk.Desk, a desk.Actor, in *byID[saying]) error {
			return decide.Reply(ctx, d, a, in.ID, in.Body.Revision, in.Body.Text)
		})),
	on(desk.Coordinator, "answer", "POST /jobs/{id}/answer", "Say why something that was found may be as it is",
		does(func(ctx context.Context, d *desk.Desk, a desk.Actor, in *byID[answering]) error {
			return decide.Answer(ctx, d, a, in.ID, in.Body.Revision, in.Body.Key, in.Body.Reason)
		})),
	on(desk.Steward, "set-machine", "PUT /machines/{id}", "Change a machine", does(func(ctx context.Context, d *desk.Desk, a desk.Actor, in *byID[house.MachineView]) error {
		in.Body.ID = in.ID
		return house.SetMachine(ctx, d, a, in.Body)
	})),
	on(desk.Member, "bed", "GET /machines/{id}/bed", "Where a machine's bed is worn", gives(func(ctx context.Context, d *desk.Desk, _ desk.Actor, in *ByID) (floor.BedView, error) {
		return floor.Bed(ctx, d, in.ID)
	})),
	on(desk.Coordinator, "turn-bed", "POST /machines/{id}/bed/turn", "A machine's bed was turned", does(func(ctx context.Context, d *desk.Desk, a desk.Actor, in *byID[turningBed]) error {
		return floor.TurnBed(ctx, d, a, in.ID, in.Body.Revision, in.Body.Quarters)
	})),
	on(desk.Coordinator, "renew-bed", "POST /machines/{id}/bed/renew", "A machine has a new bed", does(func(ctx context.Context, d *desk.Desk, a desk.Actor, in *byID[seenBed]) error {
		return floor.RenewBed(ctx, d, a, in.ID, in.Body.Revision)
	})),
	on(desk.Steward, "set-material", "PUT /materials/{id}", "Change a material", does(func(ctx context.Context, d *desk.Desk, a desk.Actor, in *byID[house.MaterialView]) error {
		in.Body.ID = in.ID
		return house.SetMaterial(ctx, d, a, in.Body)
	})),
	on(desk.Steward, "set-recipe", "PUT /recipes/{id}", "Change a recipe", does(func(ctx context.Context, d *desk.Desk, a desk.Actor, in *byID[house.RecipeView]) error {
		in.Body.ID = in.ID
		return house.SetRecipe(ctx, d, a, in.Body)
	})),

	on(desk.Member, "shelf", "GET /jobs", "The open jobs: all for a coordinator, a member's own",
		steadily(whole, func(ctx context.Context, d *desk.Desk, a desk.Actor, _ *Tagged) (decide.ShelfView, error) {
			return decide.Shelf(ctx, d, a)
		})),
	on(desk.Member, "hand-in", "POST /jobs", "Make a job of uploaded files", makes(func(ctx context.Context, d *desk.Desk, a desk.Actor, in *body[intake.HandIn]) (created, error) {
		id, err := intake.NewJob(ctx, d, a, in.Body)
		return created{id}, err
	})),
	on(desk.Member, "job", "GET /jobs/{id}", "One job with its ladder and history",
		steadily(func(in *taggedID) string { return fmt.Sprint(in.ID) }, func(ctx context.Context, d *desk.Desk, a desk.Actor, in *taggedID) (decide.JobView, error) {
			return decide.Job(ctx, d, a, in.ID)
		})),
	on(desk.Coordinator, "approve", "POST /jobs/{id}/approve", "Queue a job on a machine", does(func(ctx context.Context, d *desk.Desk, a desk.Actor, in *byID[approval]) error {
		return decide.Approve(ctx, d, a, in.ID, in.Body.Revision, decide.Yes{MachineID: in.Body.MachineID, Conditions: in.Body.Conditions, MorePercent: in.Body.MorePercent})
	})),
	on(desk.Coordinator, "send-back", "POST /jobs/{id}/send-back", "Say no, with a reason",
		does(func(ctx context.Context, d *desk.Desk, a desk.Actor, in *byID[sendingBack]) error {
			return decide.SendBack(ctx, d, a, in.ID, in.Body.Revision, in.Body.Reason)
		})),
	on(desk.Coordinator, "advance", "POST /jobs/{id}/advance", "Started, finished, ready, fetched: one step on",
		does(func(ctx context.Context, d *desk.Desk, a desk.Actor, in *byID[struct {
			Versioned
			Place string `json:"place,omitempty" maxLength:"60" doc:"Where it lies, when it is ready"`
		}]) error {
			return decide.Advance(ctx, d, a, in.ID, in.Body.Revision, in.Body.Place)
		})),
	on(desk.Coordinator, "take-back", "POST /jobs/{id}/take-back", "Take a yes back while nothing has been started",
		does(func(ctx context.Context, d *desk.Desk, a desk.Actor, in *byID[Versioned]) error {
			return decide.TakeBack(ctx, d, a, in.ID, in.Body.Revision)
		})),
	on(desk.Member, "withdraw", "POST /jobs/{id}/withdraw", "It is not wanted any more; while nothing has been started",
		does(func(ctx context.Context, d *desk.Desk, a desk.Actor, in *byID[sendingBack]) error {
			return decide.Withdraw(ctx, d, a, in.ID, in.Body.Revision, in.Body.Reason)
		})),
	on(desk.Coordinator, "machines-now", "GET /machines", "What each machine does now",
		gives(func(ctx context.Context, d *desk.Desk, _ desk.Actor, _ *none) ([]runs.MachineBrief, error) {
			return runs.All(ctx, d)
		})),
	on(desk.Coordinator, "machine-now", "GET /machines/{id}", "A machine, opened: what is on it, what comes next, how warm it is and was",
		gives(func(ctx context.Context, d *desk.Desk, _ desk.Actor, in *ByID) (runs.MachineNow, error) {
			return runs.Machine(ctx, d, in.ID)
		})),
	on(desk.Coordinator, "camera", "GET /machines/{id}/camera", "A picture of its bed, as its camera has it now", seeing),
	on(desk.Coordinator, "clear-bed", "POST /machines/{id}/cleared", "Somebody has looked: its bed is clear", does(func(ctx context.Context, d *desk.Desk, a desk.Actor, in *ByID) error {
		return runs.Clear(ctx, d, a, in.ID)
	})),
	on(desk.Coordinator, "warm", "POST /machines/{id}/warm", "Warm it ahead with nothing on it, or turn its heat off", does(func(ctx context.Context, d *desk.Desk, a desk.Actor, in *byID[struct {
		For string `json:"for" enum:"what comes next,other filament,nothing"`
	}]) error {
		return runs.Warm(ctx, d, a, in.ID, in.Body.For)
	})),
	on(desk.Coordinator, "load", "POST /machines/{id}/loaded", "Other filament is in a nozzle", does(func(ctx context.Context, d *desk.Desk, a desk.Actor, in *byID[runs.Filament]) error {
		return runs.Load(ctx, d, a, in.ID, in.Body)
	})),
	on(desk.Coordinator, "finishing", "GET /finishing", "Parts after the machine: what is done with them, and where they wait to be fetched",
		gives(func(ctx context.Context, d *desk.Desk, _ desk.Actor, _ *none) ([]finishing.PartView, error) {
			return finishing.All(ctx, d)
		})),
	on(desk.Coordinator, "tell-steps", "POST /steps", "Finishing steps begin, have ended, or were not done: one, or several of a kind in one bath",
		does(func(ctx context.Context, d *desk.Desk, a desk.Actor, in *struct {
			Body struct {
				Steps []int64 `json:"steps" minItems:"1" maxItems:"60"`
				What  string  `json:"what" enum:"begins,ends,was not done"`
				Place string  `json:"place,omitempty" maxLength:"60" doc:"Where the parts lie then, of the last step"`
			}
		}) error {
			return finishing.Tell(ctx, d, a, in.Body.Steps, in.Body.What, in.Body.Place)
		})),
	on(desk.Coordinator, "put-at", "POST /jobs/{id}/place", "Where a job's parts lie", does(func(ctx context.Context, d *desk.Desk, a desk.Actor, in *byID[struct {
		Place string `json:"place" maxLength:"60"`
	}]) error {
		return finishing.Place(ctx, d, a, in.ID, in.Body.Place)
	})),
	on(desk.Coordinator, "label", "GET /jobs/{id}/label", "The label of a job's parts, to be printed", labelled),
	on(desk.Coordinator, "fetch-by", "POST /fetched", "Hand a job over to who brings its code, and charge it",
		gives(func(ctx context.Context, d *desk.Desk, a desk.Actor, in *struct {
			Body struct {
				Code string `json:"code" minLength:"1" maxLength:"40"`
			}
		}) (finishing.Fetched, error) {
			return finishing.FetchBy(ctx, d, a, in.Body.Code)
		})),
	on(desk.Coordinator, "looked", "POST /house/looked", "Of a house that was restored from a copy: all machines were looked at",
		does(func(ctx context.Context, d *desk.Desk, a desk.Actor, _ *none) error {
			return house.Looked(ctx, d, a)
		})),
	on(desk.Coordinator, "house-finishing", "GET /house/finishing", "How the house finishes parts, and how long they wait",
		gives(func(ctx context.Context, d *desk.Desk, _ desk.Actor, _ *none) (finishing.HouseFinishing, error) {
			return finishing.House(ctx, d)
		})),
	on(desk.Steward, "set-house-finishing", "PUT /house/finishing", "Write how the house finishes parts, and how long they wait",
		does(func(ctx context.Context, d *desk.Desk, a desk.Actor, in *struct{ Body finishing.HouseFinishing }) error {
			return finishing.SetHouse(ctx, d, a, in.Body)
		})),
	on(desk.Coordinator, "accounts", "GET /accounts", "What members owe", gives(func(ctx context.Context, d *desk.Desk, _ desk.Actor, _ *none) ([]finishing.Account, error) {
		return finishing.Accounts(ctx, d)
	})),
	on(desk.Member, "account", "GET /accounts/{id}", "What a member owes, and why", gives(func(ctx context.Context, d *desk.Desk, a desk.Actor, in *ByID) (finishing.Account, error) {
		return finishing.AccountOf(ctx, d, a, in.ID)
	})),
	on(desk.Steward, "correct-account", "POST /accounts/{id}/corrected", "A member owes more, or less, with a reason", does(func(ctx context.Context, d *desk.Desk, a desk.Actor, in *byID[struct {
		JobID int64       `json:"job_id,omitempty" doc:"What it is of; 0: of no job"`
		Cents units.Cents `json:"cents" minimum:"-100000000" maximum:"100000000" doc:"So much more; less below 0"`
		Why   string      `json:"why" maxLength:"400"`
	}]) error {
		return finishing.Correct(ctx, d, a, in.ID, in.Body.JobID, in.Body.Cents, in.Body.Why)
	})),
	on(desk.Coordinator, "pay", "POST /accounts/{id}/paid", "A member has paid", does(func(ctx context.Context, d *desk.Desk, a desk.Actor, in *byID[struct {
		Cents units.Cents `json:"cents" minimum:"1" maximum:"100000000"`
	}]) error {
		return finishing.Pay(ctx, d, a, in.ID, in.Body.Cents)
	})),
	on(desk.Coordinator, "stores", "GET /spools", "What filament there is, and what of it is promised",
		gives(func(ctx context.Context, d *desk.Desk, _ desk.Actor, _ *none) (stores.StoresView, error) {
			return stores.Look(ctx, d)
		})),
	on(desk.Coordinator, "receive-spools", "POST /spools", "Spools have come", makes(func(ctx context.Context, d *desk.Desk, a desk.Actor, in *struct{ Body stores.Delivery }) ([]int64, error) {
		return stores.Receive(ctx, d, a, in.Body)
	})),
	on(desk.Coordinator, "spool-lines", "GET /spools/{id}/lines", "The books of a spool, the newest line first",
		gives(func(ctx context.Context, d *desk.Desk, _ desk.Actor, in *ByID) ([]stores.SpoolLine, error) {
			return stores.Lines(ctx, d, in.ID)
		})),
	on(desk.Coordinator, "turn-spool", "POST /spools/{id}/told", "Something has happened to a spool", does(func(ctx context.Context, d *desk.Desk, a desk.Actor, in *byID[struct {
		Versioned
		What string `json:"what" enum:"is opened,begins to dry,is dry,is unloaded,runs out,is retired"`
	}]) error {
		return stores.Turn(ctx, d, a, in.ID, in.Body.Revision, in.Body.What)
	})),
	on(desk.Coordinator, "weigh-spool", "POST /spools/{id}/weighed", "What a spool weighs, with its reel", does(func(ctx context.Context, d *desk.Desk, a desk.Actor, in *byID[struct {
		Versioned
		Grams float64 `json:"grams" minimum:"0" maximum:"30000" doc:"As the scale says"`
		Reel  float64 `json:"reel_grams,omitempty" minimum:"0" maximum:"5000" doc:"What the empty reel weighs; 0: as was known"`
	}]) error {
		return stores.Weigh(ctx, d, a, in.ID, in.Body.Revision, in.Body.Grams, in.Body.Reel)
	})),
	on(desk.Coordinator, "correct-spool", "POST /spools/{id}/corrected", "More or less is on a spool than the books have", does(func(ctx context.Context, d *desk.Desk, a desk.Actor, in *byID[struct {
		Versioned
		Grams float64 `json:"grams" minimum:"-20000" maximum:"20000" doc:"So much more; less below 0"`
		Why   string  `json:"why" maxLength:"400"`
	}]) error {
		return stores.Correct(ctx, d, a, in.ID, in.Body.Revision, in.Body.Grams, in.Body.Why)
	})),
	on(desk.Coordinator, "put-spool", "POST /spools/{id}/place", "Where a spool is kept", does(func(ctx context.Context, d *desk.Desk, a desk.Actor, in *byID[struct {
		Versioned
		Place string `json:"place" maxLength:"60"`
	}]) error {
		return stores.Put(ctx, d, a, in.ID, in.Body.Revision, in.Body.Place)
	})),
	on(desk.Coordinator, "add-part", "POST /wear-parts", "Count what a part of a machine does", makes(func(ctx context.Context, d *desk.Desk, a desk.Actor, in *struct{ Body stores.NewPart }) (int64, error) {
		return stores.AddPart(ctx, d, a, in.Body)
	})),
	on(desk.Coordinator, "set-part", "PUT /wear-parts/{id}", "What a part is, and what it is good for", does(func(ctx context.Context, d *desk.Desk, a desk.Actor, in *byID[struct {
		Versioned
		wear.Part
	}]) error {
		return stores.SetPart(ctx, d, a, in.ID, in.Body.Revision, in.Body.Part)
	})),
	on(desk.Coordinator, "renew-part", "POST /wear-parts/{id}/renew", "A part is new: its count begins anew", does(func(ctx context.Context, d *desk.Desk, a desk.Actor, in *byID[Versioned]) error {
		return stores.RenewPart(ctx, d, a, in.ID, in.Body.Revision)
	})),
	on(desk.Coordinator, "remove-part", "POST /wear-parts/{id}/remove", "A part is counted no longer", does(func(ctx context.Context, d *desk.Desk, a desk.Actor, in *byID[Versioned]) error {
		return stores.RemovePart(ctx, d, a, in.ID, in.Body.Revision)
	})),
	on(desk.Coordinator, "check-run", "POST /runs/{id}/check", "Yes to each point of its checklist", does(func(ctx context.Context, d *desk.Desk, a desk.Actor, in *byID[struct {
		Points []string `json:"points" maxItems:"40" doc:"The keys of those that are so"`
	}]) error {
		return runs.Check(ctx, d, a, in.ID, in.Body.Points)
	})),
	on(desk.Coordinator, "uncheck-run", "POST /runs/{id}/uncheck", "Something of its checklist is not so any more", does(func(ctx context.Context, d *desk.Desk, a desk.Actor, in *ByID) error {
		return runs.Uncheck(ctx, d, a, in.ID)
	})),
	on(desk.Coordinator, "start-run", "POST /runs/{id}/start", "Send its program and start it, or say that it was started; who says so is to see its first layers",
		does(func(ctx context.Context, d *desk.Desk, a desk.Actor, in *ByID) error {
			return runs.Start(ctx, d, a, in.ID)
		})),
	on(desk.Coordinator, "tell-run", "POST /runs/{id}/tell", "What a machine without a line does", does(func(ctx context.Context, d *desk.Desk, a desk.Actor, in *byID[struct {
		What string `json:"what" enum:"it lays its first line,it pauses,it goes on,it goes on with its first layers,it cools while it waits,it warms again,it comes to its end"`
	}]) error {
		return runs.Tell(ctx, d, a, in.ID, in.Body.What)
	})),
	on(desk.Coordinator, "see-run", "POST /runs/{id}/seen", "Its first layers are good", does(func(ctx context.Context, d *desk.Desk, a desk.Actor, in *ByID) error {
		return runs.See(ctx, d, a, in.ID)
	})),
	on(desk.Coordinator, "want-run", "POST /runs/{id}/want", "Ask its machine to pause, to go on, or to stop", does(func(ctx context.Context, d *desk.Desk, a desk.Actor, in *byID[struct {
		What   string `json:"what" enum:"pause,go on,stop"`
		Reason string `json:"reason,omitempty" maxLength:"1000"`
	}]) error {
		return runs.Want(ctx, d, a, in.ID, in.Body.What, in.Body.Reason)
	})),
	on(desk.Coordinator, "run-failed", "POST /runs/{id}/failed", "It did not come out: another is planned, first in its lane", does(func(ctx context.Context, d *desk.Desk, a desk.Actor, in *byID[struct {
		Reason string `json:"reason" maxLength:"1000"`
	}]) error {
		return runs.Fail(ctx, d, a, in.ID, in.Body.Reason)
	})),
	on(desk.Coordinator, "take-off", "POST /runs/{id}/off", "It is off the machine; of copies that came out bad another run is planned", does(func(ctx context.Context, d *desk.Desk, a desk.Actor, in *byID[struct {
		Bad    []int  `json:"bad" maxItems:"1000" doc:"Which copies, counted from 0 as they lie on the plate"`
		Reason string `json:"reason,omitempty" maxLength:"1000"`
	}]) error {
		return runs.TakeOff(ctx, d, a, in.ID, in.Body.Bad, in.Body.Reason)
	})),
	on(desk.Coordinator, "unsay-run", "POST /runs/{id}/unsay", "The last step of it was said by mistake", does(func(ctx context.Context, d *desk.Desk, a desk.Actor, in *ByID) error {
		return runs.Unsay(ctx, d, a, in.ID)
	})),
	on(desk.Coordinator, "put-back", "POST /runs/{id}/back", "It was said by mistake to be off the machine", does(func(ctx context.Context, d *desk.Desk, a desk.Actor, in *ByID) error {
		return runs.PutBack(ctx, d, a, in.ID)
	})),
	on(desk.Member, "check-again", "POST /jobs/{id}/check", "Check a job again", does(func(ctx context.Context, d *desk.Desk, a desk.Actor, in *ByID) error {
		return intake.Retry(ctx, d, a, in.ID)
	})),
	on(desk.Member, "cancel-check", "DELETE /jobs/{id}/check", "Stop a check", does(func(ctx context.Context, d *desk.Desk, a desk.Actor, in *ByID) error {
		return intake.CancelCheck(ctx, d, a, in.ID)
	})),

	on(desk.Member, "upload", "POST /uploads", "Send one file, as it is", uploading),
	on(desk.Member, "storage", "GET /storage", "How much room the files take, and how much there is",
		gives(func(ctx context.Context, d *desk.Desk, a desk.Actor, _ *none) (intake.StorageView, error) {
			return intake.Storage(ctx, d, a)
		})),
	on(desk.Member, "piece-picture", "GET /pieces/{id}/picture", "The part's picture, PNG", ofPiece(intake.Picture)),
	on(desk.Member, "piece-view", "GET /pieces/{id}/view", "The part's surface for the 3D view (see docs/view-format.md)", ofPiece(intake.Surface)),
	on(desk.Member, "piece-file", "GET /pieces/{id}/file", "A version's file: version=1 is the file as it came", ofPiece(intake.ModelFile)),
	on(desk.Member, "piece-evidence", "GET /pieces/{id}/evidence", "Lines and faces of the findings, mm",
		gives(func(ctx context.Context, d *desk.Desk, a desk.Actor, in *ofVersion) ([]finding.Evidence, error) {
			return intake.Evidence(ctx, d, a, in.ID, in.Version)
		})),
	on(desk.Member, "change-piece", "PUT /pieces/{id}", "Say a piece's unit, its copies, or which version counts",
		does(func(ctx context.Context, d *desk.Desk, a desk.Actor, in *byID[intake.PieceChange]) error {
			return intake.ChangePiece(ctx, d, a, in.ID, in.Body)
		})),
	on(desk.Member, "undo-piece", "POST /pieces/{id}/undo", "Take the last change of a piece back",
		does(func(ctx context.Context, d *desk.Desk, a desk.Actor, in *byID[Versioned]) error {
			return intake.UndoPiece(ctx, d, a, in.ID, in.Body.Revision)
		})),
	on(desk.Member, "redo-piece", "POST /pieces/{id}/redo", "Do what was taken back again",
		does(func(ctx context.Context, d *desk.Desk, a desk.Actor, in *byID[Versioned]) error {
			return intake.RedoPiece(ctx, d, a, in.ID, in.Body.Revision)
		})),
	on(desk.Member, "turn-pieces", "POST /jobs/{id}/turn", "Turn pieces of a job, together",
		does(func(ctx context.Context, d *desk.Desk, a desk.Actor, in *byID[turning]) error {
			return intake.TurnPieces(ctx, d, a, in.ID, in.Body.Revision, in.Body.Turns)
		})),
	on(desk.Member, "replace-file", "POST /pieces/{id}/file", "Put another file in the place of a piece's",
		does(func(ctx context.Context, d *desk.Desk, a desk.Actor, in *byID[replacing]) error {
			return intake.ReplaceFile(ctx, d, a, in.ID, in.Body.Revision, in.Body.UploadID)
		})),
	on(desk.Member, "say-use", "PUT /jobs/{id}/use", "Say what a job is for",
		does(func(ctx context.Context, d *desk.Desk, a desk.Actor, in *byID[useSaid]) error {
			return intake.SayUse(ctx, d, a, in.ID, in.Body.Revision, in.Body.Use)
		})),
	on(desk.Coordinator, "repair-all", "POST /jobs/{id}/repair", "Make mended versions of all pieces that call for it",
		does(func(ctx context.Context, d *desk.Desk, a desk.Actor, in *byID[Versioned]) error {
			return intake.RepairAll(ctx, d, a, in.ID, in.Body.Revision)
		})),
	on(desk.Coordinator, "repair-piece", "POST /pieces/{id}/repair", "Make a mended version", does(func(ctx context.Context, d *desk.Desk, a desk.Actor, in *byID[mending]) error {
		return intake.Repair(ctx, d, a, in.ID, in.Body.Revision, in.Body.Steps)
	})),

	on(desk.Coordinator, "order-slice", "POST /pieces/{id}/slices", "Slice a piece for a machine",
		makes(func(ctx context.Context, d *desk.Desk, a desk.Actor, in *byID[plates.SliceOrder]) (created, error) {
			id, err := plates.OrderSlice(ctx, d, a, in.ID, in.Body)
			return created{id}, err
		})),
	on(desk.Member, "slices", "GET /pieces/{id}/slices", "A piece's slices", gives(func(ctx context.Context, d *desk.Desk, a desk.Actor, in *ByID) ([]plates.SliceView, error) {
		return plates.Slices(ctx, d, a, in.ID)
	})),
	on(desk.Coordinator, "cancel-slice", "DELETE /slices/{id}", "Stop a slice", does(func(ctx context.Context, d *desk.Desk, a desk.Actor, in *ByID) error {
		return plates.CancelSlice(ctx, d, a, in.ID)
	})),
	on(desk.Coordinator, "name-slice", "PUT /slices/{id}", "Call a slice something",
		does(func(ctx context.Context, d *desk.Desk, a desk.Actor, in *byID[sliceName]) error {
			return plates.NameSlice(ctx, d, a, in.ID, in.Body.Name)
		})),
	on(desk.Coordinator, "remove-slice", "POST /slices/{id}/remove", "Take a slice away that does not count",
		does(func(ctx context.Context, d *desk.Desk, a desk.Actor, in *ByID) error {
			return plates.RemoveSlice(ctx, d, a, in.ID)
		})),
	on(desk.Coordinator, "choose-slice", "POST /slices/{id}/choose", "Let a slice count", does(func(ctx context.Context, d *desk.Desk, a desk.Actor, in *ByID) error {
		return decide.ChooseSlice(ctx, d, a, in.ID)
	})),
	on(desk.Coordinator, "slice-again", "POST /slices/{id}/again", "Try a slice once more that failed or was set aside",
		does(func(ctx context.Context, d *desk.Desk, a desk.Actor, in *ByID) error {
			return plates.AgainSlice(ctx, d, a, in.ID)
		})),
	on(desk.Coordinator, "savings", "POST /slices/{id}/savings", "Slice what would save time against it",
		makes(func(ctx context.Context, d *desk.Desk, a desk.Actor, in *ByID) (ordered, error) {
			ids, err := plates.Savings(ctx, d, a, in.ID)
			return ordered{ids}, err
		})),
	on(desk.Member, "slice-layers", "GET /slices/{id}/layers", "The layers of a plate (see docs/view-format.md)", ofPlate(plates.Layers)),
	on(desk.Member, "slice-gcode", "GET /slices/{id}/gcode", "The G-code of a plate", ofPlate(plates.Program)),
	on(desk.Member, "slice-plate", "GET /slices/{id}/plate", "The parts as they stand on a plate, 3MF", ofPlate(plates.Standing)),

	on(desk.Coordinator, "floor", "GET /floor", "Machines, their lanes and the opening hours",
		steadily(whole, func(ctx context.Context, d *desk.Desk, _ desk.Actor, _ *Tagged) (floor.FloorView, error) {
			return floor.Floor(ctx, d)
		})),
	on(desk.Coordinator, "move-run", "POST /runs/{id}/move", "Put a run at a place of its lane, or its job on another machine: a yes to what it takes there",
		does(func(ctx context.Context, d *desk.Desk, a desk.Actor, in *byID[moving]) error {
			return decide.Move(ctx, d, a, in.ID, in.Body.MachineID, in.Body.Place, in.Body.Dearer)
		})),
	on(desk.Coordinator, "beside", "GET /runs/{id}/beside", "What could lie on one plate with a run that waits", gives(func(ctx context.Context, d *desk.Desk, _ desk.Actor, in *ByID) (floor.Beside, error) {
		return floor.BesideRun(ctx, d, in.ID)
	})),
	on(desk.Coordinator, "put-together", "POST /runs/{id}/beside", "Have what another run is of lie on the plate of this one",
		does(func(ctx context.Context, d *desk.Desk, a desk.Actor, in *byID[puttingTogether]) error {
			return plates.PutTogether(ctx, d, a, in.ID, in.Body.RunID)
		})),
	on(desk.Coordinator, "take-out", "POST /runs/{id}/take-out", "Let what is a job's lie on a plate of its own again",
		does(func(ctx context.Context, d *desk.Desk, a desk.Actor, in *byID[takingOut]) error {
			return plates.TakeOut(ctx, d, a, in.ID, in.Body.JobID)
		})),
	on(desk.Coordinator, "run-gcode", "GET /runs/{id}/gcode", "The program that a run holds", download(func(ctx context.Context, d *desk.Desk, a desk.Actor, in *ByID) (desk.Download, error) {
		return plates.RunProgram(ctx, d, a, in.ID)
	})),
}

// What operations take and give, besides the views of the use cases.
type (
	none        struct{}
	body[T any] struct{ Body T }
	// ByID is a path with the number of a thing.
	ByID struct {
		ID int64 `path:"id"`
	}
	// byID is one with a body.
	byID[T any] struct {
		ByID
		Body T
	}
	// taggedID is one for an answer that is kept.
	taggedID struct {
		Tagged
		ByID
	}
	// ofVersion is a path with the number of a piece, and which version of it.
	ofVersion struct {
		ByID
		Version int `query:"version" minimum:"0" doc:"0 or left out: the current one"`
	}
	// plateOf is a path with the number of a slice, and which of its plates.
	plateOf struct {
		ByID
		Plate int `query:"plate" minimum:"0" doc:"Counted from 1; 0 or left out: the first"`
	}
	// Versioned is a change to a job as it was seen.
	Versioned struct {
		Revision int `json:"revision" minimum:"1" doc:"The revision of the job that was seen"`
	}
	approval struct {
		Versioned
		MachineID   int64             `json:"machine_id,omitempty" doc:"0 or left out: the proposed machine"`
		Conditions  []recipe.Override `json:"conditions,omitempty" maxItems:"20" doc:"Settings that are to be otherwise than the recipe has them; it is sliced by them first"`
		MorePercent float64           `json:"more_percent,omitempty" minimum:"0" maximum:"900" doc:"By how much what it takes on conditions may be over what it takes without, for the yes to hold"`
	}
	yesTogether struct {
		Jobs []decide.RoutineYes `json:"jobs" minItems:"1" maxItems:"100"`
	}
	letterWritten struct {
		Kind string `json:"kind" maxLength:"40"`
		Text string `json:"text" maxLength:"4000" doc:"Empty: as it was at first"`
	}
	groupGiven struct {
		Group string `json:"group" maxLength:"60" doc:"Empty: none"`
	}
	sendingBack struct {
		Versioned
		Reason string `json:"reason" maxLength:"2000"`
	}
	sliceName struct {
		Name string `json:"name" maxLength:"60"`
	}
	seenBed struct {
		Revision int `json:"revision" minimum:"0" doc:"Of the bed that was seen; 0: nothing has lain on it"`
	}
	turningBed struct {
		Revision int `json:"revision" minimum:"0" doc:"Of the bed that was seen"`
		Quarters int `json:"quarters" minimum:"1" maximum:"3" doc:"To the left"`
	}
	turning struct {
		Versioned
		Turns []intake.PieceTurn `json:"turns" minItems:"1" maxItems:"200" doc:"How pieces are to stand"`
	}
	replacing struct {
		Versioned
		UploadID string `json:"upload_id" minLength:"1" maxLength:"60"`
	}
	useSaid struct {
		Versioned
		Use printability.Use `json:"use"`
	}
	ruleWritten struct {
		Version int       `json:"version,omitempty" minimum:"0" doc:"The version that was seen; none of a new one"`
		Data    rule.Rule `json:"data"`
	}
	ruleSeen struct {
		ByID
		Version int `query:"version" minimum:"1" required:"true" doc:"The version that was seen"`
	}
	searching struct {
		Search string `query:"search" maxLength:"200" doc:"Words, each of which is in the job's title, member, wish, files or number"`
	}
	saying struct {
		Versioned
		Text string `json:"text" minLength:"1" maxLength:"1000"`
	}
	answering struct {
		Versioned
		Key    string `json:"key" minLength:"1" maxLength:"40" doc:"Of the finding"`
		Reason string `json:"reason,omitempty" maxLength:"300" doc:"Why it may be so; empty: the answer is taken back"`
	}
	mending struct {
		Versioned
		Steps []string `json:"steps" minItems:"1" maxItems:"20"`
	}
	moving struct {
		MachineID int64 `json:"machine_id"`
		Place     int   `json:"place" minimum:"0" maximum:"10000" doc:"Among the queued runs, from 0"`
		Dearer    bool  `json:"dearer,omitempty" doc:"On another machine it may cost more than was said yes to"`
	}
	puttingTogether struct {
		RunID int64 `json:"run_id" doc:"What is to lie beside"`
	}
	takingOut struct {
		JobID int64 `json:"job_id"`
	}
	created struct {
		ID int64 `json:"id"`
	}
	ordered struct {
		IDs []int64 `json:"ids"`
	}
	signIn struct {
		Login    string `json:"login" minLength:"1" maxLength:"100"`
		Password string `json:"password" minLength:"1" maxLength:"200"`
	}
	newPassword struct {
		Old string `json:"old" minLength:"1" maxLength:"200"`
		New string `json:"new" minLength:"1" maxLength:"200"`
	}
	arrived struct {
		UploadID string `json:"upload_id"`
		Size     int64  `json:"size"`
	}
	uploadInput struct {
		Name string `query:"name" maxLength:"300" anytext:"it is cleaned" doc:"The file's name"`
		request
	}
)

// whole is the key of an answer that depends on nothing but who asks.
func whole(*Tagged) string { return "" }

// does is an operation that answers nothing but that it is done.
func does[I any](f func(context.Context, *desk.Desk, desk.Actor, *I) error) adder {
	return func(s *Server, least desk.Role, o huma.Operation) {
		register(s, least, o, func(ctx context.Context, in *I) (*none, error) { return nil, f(ctx, s.Desk, actorOf(ctx), in) })
	}
}

// gives is one that shows something.
func gives[I, O any](f func(context.Context, *desk.Desk, desk.Actor, *I) (O, error)) adder {
	return func(s *Server, least desk.Role, o huma.Operation) {
		register(s, least, o, func(ctx context.Context, in *I) (*body[O], error) {
			v, err := f(ctx, s.Desk, actorOf(ctx), in)
			return &body[O]{v}, err
		})
	}
}

// makes is one that makes something, and tells its number.
func makes[I, O any](f func(context.Context, *desk.Desk, desk.Actor, *I) (O, error)) adder {
	return func(s *Server, least desk.Role, o huma.Operation) {
		o.DefaultStatus = http.StatusCreated
		gives(f)(s, least, o)
	}
}

// steadily is one that shows something, whose answers are kept and tagged.
func steadily[I any, P interface {
	*I
	tag() string
}, O any](key func(P) string, f func(context.Context, *desk.Desk, desk.Actor, P) (O, error)) adder {
	return func(s *Server, least desk.Role, o huma.Operation) {
		steadyAnswer(s, least, o, key, func(ctx context.Context, in P) (O, error) { return f(ctx, s.Desk, actorOf(ctx), in) })
	}
}

// request hands the raw request to a handler that needs it.
type request struct {
	r *http.Request
	w http.ResponseWriter
}

// Resolve is huma's hook before the handler.
func (q *request) Resolve(ctx huma.Context) []error {
	q.r, q.w = humachi.Unwrap(ctx)
	return nil
}

func signingIn(s *Server, least desk.Role, o huma.Operation) {
	register(s, least, o, func(ctx context.Context, in *struct {
		request
		Body signIn
	}) (*body[desk.Actor], error) {
		lasts(ctx) // a try after many wrong ones waits
		a, err := s.signIn(ctx, in.r, in.w, in.Body.Login, in.Body.Password)
		if errors.Is(err, people.ErrSignIn) {
			return nil, huma.Error401Unauthorized(s.says(ctx, "wrong login or password"))
		}
		if err != nil {
			return nil, err
		}
		if err := s.sessions.RenewToken(ctx); err != nil { // no fixation
			return nil, err
		}
		s.sessions.Put(ctx, personKey, a.ID)
		s.sessions.Put(ctx, seenKey, time.Now().Unix())
		return &body[desk.Actor]{a}, nil
	})
}

func signingOut(s *Server, least desk.Role, o huma.Operation) {
	register(s, least, o, func(ctx context.Context, _ *none) (*none, error) {
		session := s.sessionOf(ctx)
		// It must not be cut off by the end that it brings about itself.
		if err := s.sessions.Destroy(context.WithoutCancel(ctx)); err != nil {
			return nil, err
		}
		s.live.end(session)
		return nil, nil
	})
}

func passwordChange(s *Server, least desk.Role, o huma.Operation) {
	register(s, least, o, func(ctx context.Context, in *body[newPassword]) (*none, error) {
		return nil, people.ChangePassword(ctx, s.Desk, actorOf(ctx), in.Body.Old, in.Body.New, s.sessionOf(ctx))
	})
}

func uploading(s *Server, least desk.Role, o huma.Operation) {
	o.BodyReadTimeout = -1 // large files over slow lines
	o.DefaultStatus = http.StatusCreated
	register(s, least, o, func(ctx context.Context, in *uploadInput) (*body[arrived], error) {
		// The server's own time limits are for small requests.
		lasts(ctx)
		line := http.NewResponseController(in.w)
		stop := context.AfterFunc(ctx, func() { _ = line.SetReadDeadline(time.Unix(1, 0)) }) // a read that waits ends
		defer stop()
		file := &steady{body: in.r.Body, now: time.Now, begun: time.Now(), read: func(t time.Time) error {
			err := line.SetReadDeadline(t)
			if ctx.Err() != nil { // looked at last: the end's own deadline may just have been set over
				return ctx.Err()
			}
			return err
		}}
		id, size, err := intake.Upload(ctx, s.Desk, actorOf(ctx), in.Name, file)
		return &body[arrived]{arrived{id, size}}, err
	})
	s.api.OpenAPI().Paths[o.Path].Post.RequestBody = &huma.RequestBody{Required: true,
		Content: map[string]*huma.MediaType{"application/octet-stream": {}}}
}

// ofPiece is a download of something of a piece's version.
func ofPiece(open func(context.Context, *desk.Desk, desk.Actor, int64, int) (desk.Download, error)) adder {
	return download(func(ctx context.Context, d *desk.Desk, a desk.Actor, in *ofVersion) (desk.Download, error) {
		return open(ctx, d, a, in.ID, in.Version)
	})
}

// ofPlate is a download of something of a slice's plate.
func ofPlate(open func(context.Context, *desk.Desk, desk.Actor, int64, int) (desk.Download, error)) adder {
	return download(func(ctx context.Context, d *desk.Desk, a desk.Actor, in *plateOf) (desk.Download, error) {
		return open(ctx, d, a, in.ID, in.Plate)
	})
}

// download opens something and sends it.
func download[I any](open func(context.Context, *desk.Desk, desk.Actor, *I) (desk.Download, error)) adder {
	return func(s *Server, least desk.Role, o huma.Operation) {
		o.Responses = map[string]*huma.Response{"200": {Description: o.Summary, Content: map[string]*huma.MediaType{"application/octet-stream": {}}}}
		register(s, least, o, func(ctx context.Context, in *I) (*huma.StreamResponse, error) {
			d, err := open(ctx, s.Desk, actorOf(ctx), in)
			if err != nil {
				return nil, err
			}
			lasts(ctx)
			return &huma.StreamResponse{Body: func(c huma.Context) { s.send(c, d) }}, nil
		})
	}
}

// seeing fetches what a machine's camera sees, from where the steward has said that it is.
func seeing(s *Server, least desk.Role, o huma.Operation) {
	o.Responses = map[string]*huma.Response{"200": {Description: o.Summary, Content: map[string]*huma.MediaType{"image/png": {}, "image/jpeg": {}}}}
	register(s, least, o, func(ctx context.Context, in *ByID) (*huma.StreamResponse, error) {
		address, err := runs.CameraOf(ctx, s.Desk, in.ID)
		if err != nil {
			return nil, err
		}
		b, kind, err := device.Picture(ctx, address)
		if err != nil {
			return nil, huma.Error502BadGateway(s.says(ctx, "no picture"), err)
		}
		return &huma.StreamResponse{Body: func(c huma.Context) {
			s.send(c, desk.Download{Reader: bytes.NewReader(b), Bytes: int64(len(b)), Type: kind})
		}}, nil
	})
}

func labelled(s *Server, least desk.Role, o huma.Operation) {
	o.Responses = map[string]*huma.Response{"200": {Description: o.Summary, Content: map[string]*huma.MediaType{"application/pdf": {}}}}
	register(s, least, o, func(ctx context.Context, in *ByID) (*huma.StreamResponse, error) {
		l, err := finishing.LabelOf(ctx, s.Desk, in.ID)
		if err != nil {
			return nil, err
		}
		var b bytes.Buffer
		if err := label.Label(l).Write(&b); err != nil {
			return nil, err
		}
		return &huma.StreamResponse{Body: func(c huma.Context) {
			s.send(c, desk.Download{Reader: &b, Bytes: int64(b.Len()), Type: "application/pdf"})
		}}, nil
	})
}

// send sends a file.
func (s *Server) send(c huma.Context, d desk.Download) {
	c.SetHeader("Content-Type", d.Type)
	c.SetHeader("Content-Length", fmt.Sprint(d.Bytes))
	if d.Keep > 0 {
		c.SetHeader("Cache-Control", fmt.Sprintf("private, max-age=%.0f", d.Keep.Seconds()))
	}
	if d.Name != "" {
		c.SetHeader("Content-Disposition", mime.FormatMediaType("attachment", map[string]string{"filename": d.Name}))
	}
	if _, err := io.Copy(c.BodyWriter(), d); err != nil {
		s.Log.Error("download broke off", "err", err)
	}
}
