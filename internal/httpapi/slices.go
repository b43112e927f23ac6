package httpapi

import (
	"context"
	"io"
	"net/http"
	"path"
	"strings"

	"jobshelf/core/print/naming"
	"jobshelf/core/print/recipe"
	"jobshelf/internal/desk"
	"jobshelf/internal/store"
)

type ordered struct {
	IDs []int64 `json:"ids"`
}

func (s *Server) sliceRoutes() {
	register(s, desk.Member, op("settings", "GET", "/settings", "What a recipe can set, in plain words"), func(context.Context, *none) (*body[[]recipe.Setting], error) {
		return ok(recipe.Settings(), nil)
	})
	order := op("order-slice", "POST", "/pieces/{id}/slices", "Slice a piece for a machine")
	order.DefaultStatus = http.StatusCreated
	register(s, desk.Coordinator, order, func(ctx context.Context, in *struct {
		ByID
		Body desk.SliceOrder
	}) (*body[created], error) {
		id, err := s.Desk.OrderSlice(ctx, actorOf(ctx), in.ID, in.Body)
		return ok(created{id}, err)
	})
	register(s, desk.Member, op("slices", "GET", "/pieces/{id}/slices", "A piece's slices"), func(ctx context.Context, in *ByID) (*body[[]desk.SliceView], error) {
		return ok(s.Desk.Slices(ctx, actorOf(ctx), in.ID))
	})
	register(s, desk.Coordinator, op("cancel-slice", "DELETE", "/slices/{id}", "Stop a slice"), func(ctx context.Context, in *ByID) (*none, error) {
		return nil, s.Desk.CancelSlice(ctx, actorOf(ctx), in.ID)
	})
	register(s, desk.Coordinator, op("choose-slice", "POST", "/slices/{id}/choose", "Let a slice count"), func(ctx context.Context, in *ByID) (*none, error) {
		return nil, s.Desk.ChooseSlice(ctx, actorOf(ctx), in.ID)
	})
	register(s, desk.Coordinator, op("slice-again", "POST", "/slices/{id}/again", "Try a slice once more that failed or was set aside"), func(ctx context.Context, in *ByID) (*none, error) {
		return nil, s.Desk.AgainSlice(ctx, actorOf(ctx), in.ID)
	})
	save := op("savings", "POST", "/slices/{id}/savings", "Slice what would save time against it")
	save.DefaultStatus = http.StatusCreated
	register(s, desk.Coordinator, save, func(ctx context.Context, in *ByID) (*body[ordered], error) {
		ids, err := s.Desk.Savings(ctx, actorOf(ctx), in.ID)
		return ok(ordered{ids}, err)
	})
	s.download("slice-layers", "/slices/{id}/layers", "Its layers (see docs/view-format.md)", s.sliceOf, func(ctx context.Context, x sliceAt) (io.Reader, header, error) {
		r, size, err := s.stored(ctx, x.LayersID)
		return r, header{contentType: "application/octet-stream", size: size, cache: "private, max-age=86400"}, err
	})
	s.download("slice-gcode", "/slices/{id}/gcode", "Its G-code", s.sliceOf, func(ctx context.Context, x sliceAt) (io.Reader, header, error) {
		r, size, err := s.stored(ctx, x.GCodeID)
		name := ""
		if err == nil && x.Full != nil {
			name, err = s.programName(ctx, x, ".gcode")
		}
		return r, header{contentType: "text/plain; charset=utf-8", size: size, name: name}, err
	})
	s.download("slice-plate", "/slices/{id}/plate", "The part as it stands on the plate, 3MF", s.sliceOf, func(ctx context.Context, x sliceAt) (io.Reader, header, error) {
		r, size, err := s.stored(ctx, x.PlateID)
		name := ""
		if err == nil && x.Full != nil {
			name, err = s.programName(ctx, x, ".3mf")
		}
		return r, header{contentType: "model/3mf", size: size, name: name}, err
	})
}

type sliceAt struct {
	store.Slice
	piece store.Piece
}

func (s *Server) sliceOf(ctx context.Context, id int64) (sliceAt, error) {
	x, p, err := s.Desk.SliceFor(ctx, actorOf(ctx), id)
	return sliceAt{x, p}, err
}

func (s *Server) stored(ctx context.Context, id *int64) (io.Reader, int64, error) {
	if id == nil {
		return nil, 0, store.ErrNotFound
	}
	b, err := s.Desk.Store.Blob(ctx, *id)
	return s.Desk.Store.BlobReader(ctx, *id), b.Size, err
}

// programName is what the house calls the file.
func (s *Server) programName(ctx context.Context, x sliceAt, ending string) (string, error) {
	in, err := s.Desk.SliceInput(ctx, x.ID)
	if err != nil {
		return "", err
	}
	part := strings.TrimSuffix(x.piece.Name, path.Ext(x.piece.Name))
	pieces, err := s.Desk.Store.Pieces(ctx, in.Job.ID)
	if err != nil {
		return "", err
	}
	title := in.Job.Title
	if len(pieces) > 1 { // one name for each
		title = part
	}
	return naming.FileName(in.FilePattern, naming.FileFacts{Job: in.Job.ID, Member: in.Job.MemberName, Title: title, Part: part,
		Seconds: x.Full.WholeSeconds(), Grams: x.Full.Grams(), Machine: in.Machine.Name, Material: in.Spools.Of(1).Name,
		Recipe: in.Recipe.Name, Layers: x.Full.Layers, Ending: ending})
}
