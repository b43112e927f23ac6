package httpapi

import (
	"context"
	"net/http"

	"jobshelf/internal/desk"
	"jobshelf/internal/desk/house"
	"jobshelf/internal/desk/plates"
)

type ordered struct {
	IDs []int64 `json:"ids"`
}

func (s *Server) sliceRoutes() {
	register(s, desk.Member, op("settings", "GET", "/settings", "What can be set of recipes, machines and materials, in plain words"), func(context.Context, *none) (*body[house.Settings], error) {
		return ok(house.AllSettings(), nil)
	})
	order := op("order-slice", "POST", "/pieces/{id}/slices", "Slice a piece for a machine")
	order.DefaultStatus = http.StatusCreated
	register(s, desk.Coordinator, order, func(ctx context.Context, in *struct {
		ByID
		Body plates.SliceOrder
	}) (*body[created], error) {
		id, err := plates.OrderSlice(ctx, s.Desk, actorOf(ctx), in.ID, in.Body)
		return ok(created{id}, err)
	})
	register(s, desk.Member, op("slices", "GET", "/pieces/{id}/slices", "A piece's slices"), func(ctx context.Context, in *ByID) (*body[[]plates.SliceView], error) {
		return ok(plates.Slices(ctx, s.Desk, actorOf(ctx), in.ID))
	})
	register(s, desk.Coordinator, op("cancel-slice", "DELETE", "/slices/{id}", "Stop a slice"), func(ctx context.Context, in *ByID) (*none, error) {
		return nil, plates.CancelSlice(ctx, s.Desk, actorOf(ctx), in.ID)
	})
	register(s, desk.Coordinator, op("choose-slice", "POST", "/slices/{id}/choose", "Let a slice count"), func(ctx context.Context, in *ByID) (*none, error) {
		return nil, plates.ChooseSlice(ctx, s.Desk, actorOf(ctx), in.ID)
	})
	register(s, desk.Coordinator, op("slice-again", "POST", "/slices/{id}/again", "Try a slice once more that failed or was set aside"), func(ctx context.Context, in *ByID) (*none, error) {
		return nil, plates.AgainSlice(ctx, s.Desk, actorOf(ctx), in.ID)
	})
	save := op("savings", "POST", "/slices/{id}/savings", "Slice what would save time against it")
	save.DefaultStatus = http.StatusCreated
	register(s, desk.Coordinator, save, func(ctx context.Context, in *ByID) (*body[ordered], error) {
		ids, err := plates.Savings(ctx, s.Desk, actorOf(ctx), in.ID)
		return ok(ordered{ids}, err)
	})
	s.ofSlice("slice-layers", "/slices/{id}/layers", "Its layers (see docs/view-format.md)", plates.Layers)
	s.ofSlice("slice-gcode", "/slices/{id}/gcode", "Its G-code", plates.Program)
	s.ofSlice("slice-plate", "/slices/{id}/plate", "The part as it stands on the plate, 3MF", plates.Standing)
}
