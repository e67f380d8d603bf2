package board_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/board"
	"urbo/core/control"
	"urbo/core/run"
)

func thing(slug, room string, controls ...control.Control) board.Thing {
	return board.Thing{On: run.Target{Kind: run.Device, ID: slug, Was: slug}, Room: room, Controls: controls}
}

func of(kind control.Kind, name string) control.Control {
	return control.Control{Kind: kind, Name: name}
}

func TestAutomatic_ShowsWhatCanBeSwitchedFirst(t *testing.T) {
	remote := thing("remote", "warm")
	pump := thing("pump", "warm", of(control.Power, "power"), of(control.Dial, "target"))
	remote.Keys, pump.Whole = 12, true
	got := board.Automatic(board.House{
		Rooms: []board.Room{{ID: "lecture", Name: "Lecture room"}, {ID: "attic", Name: "Attic"},
			{ID: "warm", Name: "Warm room"}},
		Occasions: []run.Target{{Kind: run.Occasion, ID: "o1", Was: "talk"}},
		Things: []board.Thing{thing("lamp", ""), remote, pump,
			thing("screen", "lecture", of(control.Travel, "position")),
			thing("amplifier", "lecture", of(control.Power, "power"), of(control.Selector, "input"),
				of(control.Dial, "volume"), of(control.Dial, "bass")),
			thing("door", "lecture", of(control.Selector, "door")),
			thing("fan", "gone", of(control.Power, "power"), of(control.Power, "lamp"))}})
	var order []string
	for _, s := range got.Sections {
		ids := []string{}
		for _, t := range s.Tiles {
			ids = append(ids, t.ID)
		}
		order = append(order, s.Title+": "+strings.Join(ids, " "))
	}
	assert.Equal(t, []string{": o1", "Lecture room: amplifier.power screen.position amplifier.volume door.door",
		"Warm room: pump remote", "Elsewhere: fan.power fan.lamp"}, order, "an empty room has no section")
	assert.True(t, got.Automatic)
	require.NoError(t, got.Check())
	tile, there := got.Tile("amplifier.volume")
	assert.True(t, there)
	assert.Equal(t, board.Control, tile.Kind)
	assert.Len(t, got.Targets(), 7, "each once")
}

func TestAutomatic_IsBounded(t *testing.T) {
	var h board.House
	for i := range board.MaxTiles + 50 {
		room := fmt.Sprint(i % 100)
		h.Things = append(h.Things, thing(fmt.Sprint("lamp-", i), room, of(control.Power, "power")))
		if i < 100 {
			h.Rooms = append(h.Rooms, board.Room{ID: room, Name: room})
		}
	}
	got := board.Automatic(h)
	require.NoError(t, got.Check())
	assert.Len(t, got.Sections, board.MaxSections)
}

func TestCheck_SaysWhatIsWrong(t *testing.T) {
	lamp := run.Target{Kind: run.Device, ID: "d1", Was: "lamp"}
	good := board.Tile{ID: "t1", Kind: board.Control, On: lamp, Name: "power"}
	with := func(change func(*board.Tile)) board.Board {
		tile := good
		change(&tile)
		return board.Board{Sections: []board.Section{{Tiles: []board.Tile{tile}}}}
	}
	require.NoError(t, with(func(*board.Tile) {}).Check())
	for said, b := range map[string]board.Board{
		"kind \"lever\"":           with(func(t *board.Tile) { t.Kind = "lever" }),
		"size \"huge\"":            with(func(t *board.Tile) { t.Size = "huge" }),
		"is about one of occasion": with(func(t *board.Tile) { t.Kind, t.Name = board.Occasion, "" }),
		"names one, such as":       with(func(t *board.Tile) { t.Name = "" }),
		"has a text":               with(func(t *board.Tile) { t.Text = "x" }),
		"1 to 120 characters":      with(func(t *board.Tile) { t.ID = "" }),
		"the most is 80":           with(func(t *board.Tile) { t.Title = strings.Repeat("é", 81) }),
		"not plain text":           with(func(t *board.Tile) { t.Title = "a\x1b[2J" }),
		"two tiles have the id":    {Sections: []board.Section{{Tiles: []board.Tile{good, good}}}},
		"61 sections":              {Sections: make([]board.Section, board.MaxSections+1)},
	} {
		assert.ErrorContains(t, b.Check(), said)
		assert.ErrorIs(t, b.Check(), board.ErrBoard)
	}
}
