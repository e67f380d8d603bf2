package api

import (
	"context"
	"fmt"
	"net/http"
	"slices"

	"urbo/core/board"
	"urbo/core/grant"
	"urbo/core/happening"
	"urbo/service/boards"
	"urbo/service/feed"
	"urbo/wire"
)

// A guest has no route but their boards: what stands on them, what that is at, and what their tiles offer.

// isGuest says whether the caller came by a guest link.
func isGuest(ctx context.Context) bool { return Caller(ctx).Role == grant.Guest }

// hasBoard says whether a guest has a board.
func hasBoard(ctx context.Context, one boards.Board) bool {
	return slices.Contains(Caller(ctx).Grant.Where.Boards, one.ID)
}

// through is a guest who uses a tile of a board: that reaches the devices of the board, which were approved when it was
// saved, and no others.
func (a *API) through(ctx context.Context, page board.Board) context.Context {
	if !isGuest(ctx) {
		return ctx
	}
	c := Caller(ctx)
	c.Grant = grant.Grant{Rights: []grant.Right{grant.See, grant.Use},
		Where: grant.Where{Devices: a.house.Boards.Devices(page)}}
	return context.WithValue(ctx, callerKey{}, c)
}

// forGuest leaves out of a tile what leads elsewhere.
func forGuest(t wire.Tile) wire.Tile {
	t.Of, t.Device, t.Room = "", "", ""
	return t
}

// answerToGuest leaves out of an answer what is about more than the tile.
func answerToGuest(w wire.TileAnswer) wire.TileAnswer {
	if w.Run != nil {
		w.Run = &wire.Run{Name: w.Run.Name, Began: w.Run.Began, Phase: w.Run.Phase, Log: []wire.RunStep{}}
	}
	return w
}

// listenGuest tells a guest that something on their boards may be another: no more than that.
func (a *API) listenGuest(ctx context.Context, w http.ResponseWriter, g grant.Grant) error {
	hears := func(h happening.Happening) bool { return a.concernsBoards(g.Where.Boards, h) }
	return a.house.Feed.Listen(ctx, "", hears, func(_ feed.Item, more bool) error {
		if _, err := fmt.Fprint(w, "event: tiles\ndata: {}\n\n"); err != nil || more {
			return err
		}
		return http.NewResponseController(w).Flush()
	})
}

// concernsBoards says whether any of some boards may show something else after something happened.
func (a *API) concernsBoards(ids []string, h happening.Happening) bool {
	var about []string
	switch w := h.What.(type) {
	case happening.Believed:
		about = []string{w.DeviceID}
	case happening.DeviceChanged, happening.DeviceRemoved:
		device, _ := h.About()
		about = []string{device}
	case happening.OccasionDiffers:
		about = w.Devices
	case happening.OccasionInForce:
		about = w.Devices
	case happening.RunChanged:
		about = w.Devices
	case happening.BoardChanged:
		return slices.Contains(ids, w.BoardID)
	case happening.Measured:
	default:
		return false
	}
	for _, id := range ids {
		one, err := a.house.Boards.Find(id)
		if err != nil {
			continue
		}
		page := a.house.Boards.Page(one)
		if w, is := h.What.(happening.Measured); is {
			for _, t := range page.Targets() {
				if t.ID == w.Measurement {
					return true
				}
			}
			continue
		}
		devices := a.house.Boards.Devices(page)
		if slices.ContainsFunc(about, func(d string) bool { return slices.Contains(devices, d) }) {
			return true
		}
	}
	return false
}
