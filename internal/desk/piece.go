package desk

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"jobshelf/core/shape/mesh/repair"
	"jobshelf/core/shape/modelfile"
	"jobshelf/core/shape/units"
	"jobshelf/internal/store"
)

// PieceChange is what can be set of a piece while its job is being weighed.
// Fields left out stay as they are.
type PieceChange struct {
	Version int     `json:"version" minimum:"1" doc:"The version of the job that was seen"`
	Unit    *string `json:"unit,omitempty" enum:",mm,cm,m,in,ft,µm" doc:"The unit it is in; empty: as the file says"`
	Copies  *int    `json:"copies,omitempty" minimum:"1" maximum:"999"`
	Current *int    `json:"current,omitempty" minimum:"1" doc:"The version of the model that counts"`
}

// ChangePiece sets unit, copies or the version that counts, and has the job
// checked again.
func (d *Desk) ChangePiece(ctx context.Context, a Actor, id int64, in PieceChange) error {
	return d.onPiece(ctx, a, id, in.Version, func(tx *store.Tx, p *store.Piece) (string, error) {
		var what []string
		if in.Unit != nil && units.Length(*in.Unit) != p.Unit {
			p.Unit = units.Length(*in.Unit)
			if p.Unit == "" {
				what = append(what, "Unit of "+p.Name+" left to the file")
			} else {
				what = append(what, fmt.Sprintf("%s is in %s", p.Name, p.Unit))
			}
		}
		if in.Copies != nil && *in.Copies != p.Copies {
			p.Copies = *in.Copies
			what = append(what, fmt.Sprintf("%d copies of %s", p.Copies, p.Name))
		}
		if in.Current != nil && *in.Current != p.Current {
			if _, err := tx.Version(ctx, p.ID, *in.Current); err != nil {
				return "", err
			}
			p.Current = *in.Current
			if p.Current == 1 {
				what = append(what, p.Name+" counts as it came")
			} else {
				what = append(what, fmt.Sprintf("%s counts as version %d", p.Name, p.Current))
			}
		}
		return strings.Join(what, ", "), nil
	})
}

// Repair makes a new version of a piece, from the file as it came, by the given
// steps, and lets it count. The work is done by the check that this queues.
func (d *Desk) Repair(ctx context.Context, a Actor, id int64, version int, steps []string) error {
	for i, s := range steps {
		if !slices.Contains(repair.Steps, repair.Step(s)) {
			return invalid(fmt.Sprintf("steps[%d]", i), "There is no repair %q.", s)
		}
	}
	if len(steps) == 0 {
		return invalid("steps", "Choose at least one step.")
	}
	return d.onPiece(ctx, a, id, version, func(tx *store.Tx, p *store.Piece) (string, error) {
		if p.Verdict == nil || p.Verdict.Format == modelfile.GCode {
			return "", conflict("%s is no model that can be repaired.", p.Name)
		}
		n, err := tx.AddVersion(ctx, p.ID, steps)
		p.Current = n
		return fmt.Sprintf("Repair of %s asked for: %s", p.Name, strings.Join(steps, ", ")), err
	})
}

// onPiece changes a piece of a job that is being weighed and has it checked
// again. An empty account of what was done leaves all as it is.
func (d *Desk) onPiece(ctx context.Context, a Actor, id int64, version int, change func(*store.Tx, *store.Piece) (string, error)) error {
	return d.Store.InTx(ctx, func(tx *store.Tx) error {
		p, err := tx.Piece(ctx, id)
		if err != nil {
			return err
		}
		j, err := lockFor(ctx, tx, a, p.JobID, version)
		if err != nil {
			return err
		}
		if p, err = tx.Piece(ctx, id); err != nil { // as it is under the lock
			return err
		}
		if j.Step != "arrived" && j.Step != "to decide" {
			return conflict("Job %d is %s already; its pieces are settled.", j.ID, j.Step)
		}
		what, err := change(tx, &p)
		if err != nil || what == "" {
			return err
		}
		if err := tx.SetPiece(ctx, p); err != nil {
			return err
		}
		if err := tx.SetStep(ctx, j.ID, j.Step, ""); err != nil { // its version counts up
			return err
		}
		return d.recheck(ctx, tx, j, a, what, "")
	})
}

// Version finds a version of a piece that the actor may see; n 0 is the current
// one.
func (d *Desk) Version(ctx context.Context, a Actor, piece int64, n int) (store.Piece, store.Version, error) {
	p, err := d.Piece(ctx, a, piece)
	if err != nil {
		return p, store.Version{}, err
	}
	if n == 0 {
		n = p.Current
	}
	v, err := d.Store.Version(ctx, piece, n)
	return p, v, err
}
