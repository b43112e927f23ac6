// Package desktest is the house in which the desk's tests are made. Only tests use it.
package desktest

import (
	"bytes"
	"context"
	"fmt"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"jobshelf/core/judge/slicing"
	"jobshelf/core/judge/verdict"
	"jobshelf/core/print/estimate"
	"jobshelf/core/print/recipe"
	"jobshelf/core/shape/modelfile"
	"jobshelf/core/shape/solid"
	"jobshelf/core/shape/units"
	"jobshelf/core/shop/option"
	"jobshelf/core/shop/price"
	"jobshelf/internal/demo"
	"jobshelf/internal/desk"
	"jobshelf/internal/desk/decide"
	"jobshelf/internal/desk/floor"
	"jobshelf/internal/desk/intake"
	"jobshelf/internal/desk/plates"
	"jobshelf/internal/pgtest"
	"jobshelf/internal/store"
)

var ctx = context.Background()

// Queue notes what it is asked for; nobody works on it.
type Queue struct {
	mu        sync.Mutex
	Last      int64
	Cancelled []int64
}

func (q *Queue) add() (int64, error) {
	q.mu.Lock()
	defer q.mu.Unlock()
	q.Last++
	return q.Last, nil
}

// Check does as the queue does.
func (q *Queue) Check(context.Context, *store.Tx, int64, int) (int64, error) { return q.add() }

// Slice does as the queue does.
func (q *Queue) Slice(context.Context, *store.Tx, int64, desk.Waits) (int64, error) {
	return q.add()
}

// Try does nothing.
func (q *Queue) Try(context.Context, *store.Tx, int64) error { return nil }

// Propose does nothing.
func (q *Queue) Propose(context.Context, *store.Tx) error { return nil }

// Cancel does as the queue does.
func (q *Queue) Cancel(_ context.Context, _ *store.Tx, id int64) error {
	q.mu.Lock()
	defer q.mu.Unlock()
	q.Cancelled = append(q.Cancelled, id)
	return nil
}

// House is the demo house at noon of a Tuesday, with its people.
type House struct {
	T           testing.TB
	Store       *store.Store
	Desk        *desk.Desk
	Queue       *Queue
	Cato, Owner desk.Actor
	Other       desk.Actor       // another member
	Found       *verdict.Verdict // what a check finds of a box
	Machines    []store.Machine
}

// Open makes one.
func Open(t testing.TB) *House {
	t.Helper()
	h := &House{T: t, Store: pgtest.New(t), Queue: &Queue{Last: 100}}
	_, err := demo.SetUp(ctx, h.Store)
	require.NoError(t, err)
	noon := time.Date(2026, 11, 24, 11, 0, 0, 0, time.UTC)
	h.Desk = &desk.Desk{Store: h.Store, Queue: h.Queue, Now: func() time.Time { return noon }}
	who := func(login string, role desk.Role) desk.Actor {
		p, err := h.Store.PersonByLogin(ctx, login)
		require.NoError(t, err)
		return desk.Actor{ID: p.ID, Name: p.Name, Role: role}
	}
	h.Cato = who("cato", desk.Coordinator)
	for _, p := range demo.People() {
		switch {
		case desk.Role(p.Role) != desk.Member || h.Other.ID != 0:
		case h.Owner.ID == 0:
			h.Owner = who(p.Login, desk.Member)
		default:
			h.Other = who(p.Login, desk.Member)
		}
	}
	choices, _, err := desk.Choices(ctx, h.Store.Q, recipe.Everyday)
	require.NoError(t, err)
	h.Found, err = verdict.Judge(ctx, verdict.Subject{Mesh: solid.Box(20, 20, 10), Unit: units.Millimetre, Format: modelfile.STLBinary}, choices, nil)
	require.NoError(t, err)
	option.SetPrices(h.Found, choices, demo.StartCents)
	h.Machines, err = h.Store.Machines(ctx)
	require.NoError(t, err)
	return h
}

// Arrived hands a job of one piece in for a member.
func (h *House) Arrived() (job, piece int64) {
	return h.HandedIn(h.Owner, "box.stl", 1)
}

// HandedIn hands one in of so many copies for somebody, from a file of that name.
func (h *House) HandedIn(who desk.Actor, name string, copies int) (job, piece int64) {
	h.T.Helper()
	var file bytes.Buffer
	require.NoError(h.T, modelfile.WriteSTL(&file, solid.Box(20, 20, 10), ""))
	id, _, err := intake.Upload(ctx, h.Desk, who, name, &file)
	require.NoError(h.T, err)
	job, err = intake.NewJob(ctx, h.Desk, who, intake.HandIn{Purpose: recipe.Everyday, NeededBy: "2026-12-01", Pieces: []intake.HandInPiece{{UploadID: id, Copies: copies}}})
	require.NoError(h.T, err)
	pieces, err := h.Store.Pieces(ctx, job)
	require.NoError(h.T, err)
	return job, pieces[0].ID
}

// Checked ends the present round of a job's check.
func (h *House) Checked(job int64) {
	h.T.Helper()
	t, err := h.Store.TaskOf(ctx, job)
	require.NoError(h.T, err)
	require.True(h.T, h.Record(job, t.Round))
}

// Record says that a round of a check is over.
func (h *House) Record(job int64, round int) bool {
	pieces, err := h.Store.Pieces(ctx, job)
	require.NoError(h.T, err)
	in, err := intake.InputOf(ctx, h.Desk, job)
	require.NoError(h.T, err)
	p := pieces[0]
	ok, err := intake.RecordCheck(ctx, h.Desk, job, round, []intake.Checked{{Piece: p, Judgement: store.Judgement{Verdict: h.Found, By: in.By}}}, func(*store.Tx) error { return nil })
	require.NoError(h.T, err)
	return ok
}

// ToDecide is a job that waits for its decision.
func (h *House) ToDecide() (job, piece int64) {
	job, piece = h.Arrived()
	h.Checked(job)
	return job, piece
}

// Sliced orders a slice for a machine, and ends it.
func (h *House) Sliced(piece, machine int64, seconds float64, overrides ...recipe.Override) int64 {
	h.T.Helper()
	id, err := plates.OrderSlice(ctx, h.Desk, h.Cato, piece, plates.SliceOrder{MachineID: machine, Overrides: overrides})
	require.NoError(h.T, err)
	require.NoError(h.T, h.EndSlice(id, seconds))
	return id
}

// EndSlice says that a slice is done, all on one plate with a program that nobody could obey.
func (h *House) EndSlice(id int64, seconds float64) error { return h.EndOn(id, seconds, 1) }

// EndOn says so of one on several plates, each as long as the first says.
func (h *House) EndOn(id int64, seconds float64, many int) error {
	s, err := h.Store.Slice(ctx, id)
	require.NoError(h.T, err)
	if in, err := plates.InputOf(ctx, h.Desk, id); err == nil {
		s.Made = in.Made
	}
	return h.end(s, seconds, many)
}

// EndAs says so of one that was made by what it says.
func (h *House) EndAs(s store.Slice, seconds float64) error { return h.end(s, seconds, 1) }

func (h *House) end(s store.Slice, seconds float64, many int) error {
	one := &estimate.Full{Seconds: seconds, Layers: 50, ByKind: map[string]float64{}}
	s.State, s.Full = "done", &price.Full{Full: *one}
	if many > 1 {
		s.Full = &price.Full{Full: *estimate.Together([]*estimate.Full{one}, []int{many}), Plates: many, Each: slices.Repeat([]float64{seconds}, many)}
	}
	program, err := h.Store.PutBlob(ctx, strings.NewReader(fmt.Sprintf("; slice %d", s.ID)))
	require.NoError(h.T, err)
	var made []store.Plate
	for n := range many {
		made = append(made, store.Plate{N: n + 1, Full: &price.Full{Full: *one}, Spots: []slicing.Spot{}, LayersID: &program.ID, GCodeID: &program.ID, StandingID: &program.ID})
	}
	for i, p := range s.Pieces {
		for n := range p.Copies {
			at := slicing.Spot{Piece: i, Copy: n + 1, OutlineMM: [][2]float64{{-10, -10}, {10, -10}, {10, 10}, {-10, 10}}}
			if len(p.Which) > 0 {
				at.Copy = p.Which[n]
			}
			made[n%many].Spots = append(made[n%many].Spots, at)
		}
	}
	return plates.EndSlice(ctx, h.Desk, s, made, func(*store.Tx) error { return nil })
}

// Approved says yes to a job on a machine, and slices it.
func (h *House) Approved(job, machine int64) {
	h.T.Helper()
	require.NoError(h.T, decide.Approve(ctx, h.Desk, h.Cato, job, 0, decide.Yes{MachineID: machine}))
	h.SlicedForYes(job)
}

// SlicedForYes ends the slice that a yes waits for, if one does.
func (h *House) SlicedForYes(job int64) {
	h.T.Helper()
	j, err := h.Store.Job(ctx, job)
	require.NoError(h.T, err)
	if j.State == "being sliced" {
		require.NoError(h.T, h.EndSlice(j.Yes.SliceID, j.Yes.Seconds/1.25))
	}
}

// Job shows a job.
func (h *House) Job(id int64) decide.JobView {
	h.T.Helper()
	v, err := decide.Job(ctx, h.Desk, h.Cato, id)
	require.NoError(h.T, err)
	return v
}

// At brings a job to a state.
func (h *House) At(state string) (job, piece int64) {
	h.T.Helper()
	job, piece = h.Arrived()
	if state == "arrived" {
		return job, piece
	}
	h.Checked(job)
	switch state {
	case "to decide":
		return job, piece
	case "sent back":
		require.NoError(h.T, decide.SendBack(ctx, h.Desk, h.Cato, job, 0, "It leans."))
		return job, piece
	}
	// On the machine where nobody waits before it.
	require.NoError(h.T, decide.Approve(ctx, h.Desk, h.Cato, job, 0, decide.Yes{MachineID: h.EmptyLane()}))
	switch state {
	case "being sliced":
		return job, piece
	case "withdrawn":
		require.NoError(h.T, decide.Withdraw(ctx, h.Desk, h.Cato, job, 0, ""))
		return job, piece
	}
	h.SlicedForYes(job)
	for h.Job(job).State != state {
		require.NoError(h.T, demo.ByHand(ctx, h.Desk, h.Cato, job))
	}
	return job, piece
}

// EmptyLane is a machine in service where nobody waits.
func (h *House) EmptyLane() int64 {
	h.T.Helper()
	f, err := floor.Floor(ctx, h.Desk)
	require.NoError(h.T, err)
	for _, l := range f.Lanes {
		if l.InService && len(l.Runs) == 0 && l.Process == "material extrusion" {
			return l.MachineID
		}
	}
	for _, l := range f.Lanes {
		if l.InService && len(l.Runs) == 0 {
			return l.MachineID
		}
	}
	h.T.Fatal("no lane is empty")
	return 0
}
