package scenery

import (
	"context"

	"urbo/core/board"
	"urbo/core/grant"
	"urbo/service"
	"urbo/service/boards"
)

// arrangeBoards makes the observatory's boards: that by room is the one which made itself.
func arrangeBoards(ctx context.Context, house *service.House, by grant.By) error {
	name, slug := "Observatory", "observatory"
	if _, err := house.Boards.Alter(ctx, "home", boards.Change{Name: &name, Slug: &slug}, by); err != nil {
		return err
	}
	for _, b := range []struct {
		name     string
		sections []boards.Text
	}{{"Public night", publicNight()}, {"Dome", dome(false)}} {
		if _, err := house.Boards.Add(ctx, "", b.name, boards.Change{Sections: &b.sections}, by); err != nil {
			return err
		}
	}
	return nil
}

func tile(kind board.Kind, of string) boards.TileText { return boards.TileText{Kind: kind, Of: of} }

// publicNight is for whoever gives a talk.
func publicNight() []boards.Text {
	return []boards.Text{
		{Tiles: []boards.TileText{tile(board.Occasion, "public-talk"), tile(board.Occasion, "observing-run"),
			tile(board.Occasion, "closed-up")}},
		{Title: "Lecture room", Tiles: []boards.TileText{tile(board.Device, "projector"),
			tile(board.Control, "amplifier/power"), tile(board.Control, "amplifier/volume"),
			tile(board.Control, "amplifier/input"), tile(board.Key, "amplifier/mute"),
			tile(board.Control, "screen/position"),
			{Kind: board.Note, Text: "Volume 22 is enough for forty people."}}},
		{Title: "Outside", Tiles: []boards.TileText{tile(board.Control, "boardwalk/power"),
			tile(board.Control, "boardwalk/colour"), tile(board.Sequence, "fanfare")}},
	}
}

// dome is for whoever observes; with what dries it by itself, where that is there.
func dome(dries bool) []boards.Text {
	damp := []boards.TileText{tile(board.Measurement, "dome/humidity")}
	if dries {
		damp = append(damp, tile(board.Errand, "dry"))
	}
	return []boards.Text{
		{Title: "Dome", Tiles: append([]boards.TileText{tile(board.Control, "dew/power"), tile(board.Device, "mixer"),
			tile(board.Control, "shutter/position")}, damp...)},
		{Title: "Outside", Tiles: []boards.TileText{tile(board.Control, "boardwalk/brightness"),
			tile(board.Device, "door")}},
	}
}
