package api_test

import (
	"net/http"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/board"
	"urbo/core/control"
	"urbo/wire"
)

func TestBoards_MakeThemselvesUntilSomebodyEditsThem(t *testing.T) {
	s := newSite(t)
	s.lit("lamp", "Dome", 1)
	var all []wire.BoardLine
	s.must("GET", "/api/boards", nil, &all)
	assert.Equal(t, []wire.BoardLine{{Slug: "home", Name: "Home", Automatic: true, Tiles: 1}}, all)
	var b wire.Board
	s.must("GET", "/api/boards/home", nil, &b)
	require.Len(t, b.Sections, 1)
	assert.Equal(t, "Dome", b.Sections[0].Title)
	tile := b.Sections[0].Tiles[0]
	assert.Equal(t, []any{board.Control, "lamp/power", "lamp"}, []any{tile.Kind, tile.Of, tile.Name})
	assert.Equal(t, []string{"off", "on"}, tile.Faces[0].Choices)

	// what is new stands on it by itself
	s.lit("second", "Dome", 2)
	s.must("GET", "/api/boards/home", nil, &b)
	assert.Len(t, b.Sections[0].Tiles, 2)

	// edited, it stays as it is, and two editors do not write over each other
	sections := []wire.SectionText{{Title: "Mine", Tiles: []wire.TileText{{ID: tile.ID, Kind: board.Control,
		Of: "lamp/power", Title: "Desk lamp", Size: board.Wide}, {Kind: board.Note, Text: "Hello"}}}}
	seen := b.Version
	s.must("PATCH", "/api/boards/home", wire.BoardChange{Sections: &sections, Version: &seen}, &b)
	assert.False(t, b.Automatic)
	status, detail := s.call("PATCH", "/api/boards/home", wire.BoardChange{Sections: &sections, Version: &seen}, nil)
	assert.Equal(t, http.StatusConflict, status)
	assert.Contains(t, detail, "look at it again")
	s.lit("third", "Dome", 3)
	s.must("GET", "/api/boards/home", nil, &b)
	require.Len(t, b.Sections[0].Tiles, 2)
	assert.Equal(t, "Desk lamp", b.Sections[0].Tiles[0].Title)

	// what is gone is said, and stays where it stood when the board is saved again
	s.must("DELETE", "/api/devices/lamp", nil, nil)
	s.must("GET", "/api/boards/home", nil, &b)
	assert.True(t, b.Sections[0].Tiles[0].Gone)
	s.must("PATCH", "/api/boards/home", wire.BoardChange{Sections: &sections}, &b)
	assert.True(t, b.Sections[0].Tiles[0].Gone)

	status, detail = s.call("DELETE", "/api/boards/home", nil, nil)
	assert.Equal(t, http.StatusConflict, status, detail)
	s.must("POST", "/api/boards", wire.NewBoard{Name: "All of it", Automatic: true}, &b)
	s.must("DELETE", "/api/boards/home", nil, nil)
}

func TestBoards_SayWhatIsWrong(t *testing.T) {
	s := newSite(t)
	s.lit("lamp", "Dome", 1)
	for said, tile := range map[string]wire.TileText{
		"unknown device \"lump\"":      {Kind: board.Control, Of: "lump/power"},
		"there are power":              {Kind: board.Control, Of: "lamp/volume"},
		"is about DEVICE/NAME":         {Kind: board.Key, Of: "lamp"},
		"unknown occasion \"evening\"": {Kind: board.Occasion, Of: "evening"},
		"a heading or note has a text": {Kind: board.Note},
		"is about one of occasion":     {Kind: board.Occasion, Text: "x"},
		"is about nothing":             {Kind: board.Note, Of: "lamp", Text: "x"},
	} {
		sections := []wire.SectionText{{Tiles: []wire.TileText{tile}}}
		status, detail := s.call("POST", "/api/boards", wire.NewBoard{Name: "Wrong", Sections: sections}, nil)
		assert.Contains(t, []int{http.StatusUnprocessableEntity, http.StatusNotFound}, status, detail)
		assert.Contains(t, detail, said)
	}
	many := []wire.SectionText{{Tiles: make([]wire.TileText, 500)}, {Tiles: make([]wire.TileText, 1)}}
	for _, m := range many {
		for i := range m.Tiles {
			m.Tiles[i] = wire.TileText{Kind: board.Note, Text: "x"}
		}
	}
	status, detail := s.call("POST", "/api/boards", wire.NewBoard{Name: "Many", Sections: many}, nil)
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	assert.Contains(t, detail, "make a second board")
	s.must("POST", "/api/boards", wire.NewBoard{Name: "Many", Sections: many[:1]}, nil)
}

func TestTiles_TakeOnlyWhatTheyOffer(t *testing.T) {
	s := newSite(t)
	s.lit("lamp", "Dome", 1)
	sections := []wire.SectionText{{Tiles: []wire.TileText{{ID: "t1", Kind: board.Control, Of: "lamp/power"},
		{ID: "t2", Kind: board.Note, Text: "x"}, {ID: "t3", Kind: board.Key, Of: "lamp/on"}}}}
	s.must("POST", "/api/boards", wire.NewBoard{Name: "Few", Sections: sections}, nil)
	on := []control.Want{{Control: "power", Value: "on"}}
	for tile, uses := range map[string][]wire.TileUse{
		"t1": {{Key: "on"}, {Do: "start"}, {Wants: []control.Want{{Control: "volume", Value: "2"}}}},
		"t2": {{Wants: on}, {Key: "on"}},
		"t3": {{Wants: on}, {Key: "off"}, {Tell: "on"}},
	} {
		for _, u := range uses {
			status, detail := s.call("POST", "/api/boards/few/tiles/"+tile+"/use", u, nil)
			assert.Equal(t, http.StatusUnprocessableEntity, status, "%s %+v", tile, u)
			assert.Contains(t, detail, "this tile does not do that")
		}
	}
	status, detail := s.call("POST", "/api/boards/few/tiles/t9/use", wire.TileUse{Wants: on}, nil)
	assert.Equal(t, http.StatusNotFound, status)
	assert.Contains(t, detail, "not on Few any more")
	var state wire.BoardState
	s.must("GET", "/api/boards/few/state", nil, &state)
	assert.NotContains(t, state.Tiles, "t2")
	require.Len(t, state.Tiles["t1"].Controls, 1)
}

func TestBoards_ALimitedCallerSeesAndArrangesTheirPartOnly(t *testing.T) {
	s := two(t)
	for _, slug := range []string{"projector", "shutter"} {
		s.must("POST", "/api/devices/"+slug+"/controls", []control.Control{{Name: "power", Kind: control.Power,
			Keys: map[string]string{"on": "on"}}}, nil)
	}
	tiles := func(of ...string) []wire.SectionText {
		section := wire.SectionText{}
		for _, o := range of {
			section.Tiles = append(section.Tiles, wire.TileText{Kind: board.Control, Of: o + "/power"})
		}
		return []wire.SectionText{section}
	}
	s.must("POST", "/api/boards", wire.NewBoard{Name: "Both", Sections: tiles("projector", "shutter")}, nil)
	s.must("POST", "/api/boards", wire.NewBoard{Name: "Dome", Sections: tiles("shutter")}, nil)
	v := s.signedIn(wire.NewPerson{Name: "Usher", Role: "resident", Where: wire.Where{Rooms: []string{"Lecture room"}}})
	var all []wire.BoardLine
	v.call("GET", "/api/boards", nil, &all)
	for _, b := range all {
		assert.Equal(t, 1, b.Tiles, b.Name)
		assert.NotEqual(t, "Dome", b.Name)
	}
	assert.Len(t, all, 2)
	_, there := v.call("GET", "/api/boards/dome", nil, nil)
	assert.Contains(t, there, `unknown board "dome"`)
	status, _ := v.call("PATCH", "/api/boards/both", wire.BoardChange{Name: new("Mine")}, nil)
	assert.Equal(t, http.StatusForbidden, status)
	status, _ = v.call("POST", "/api/boards", wire.NewBoard{Name: "Mine", Sections: tiles("projector")}, nil)
	assert.Equal(t, http.StatusCreated, status)
	status, _ = v.call("POST", "/api/boards", wire.NewBoard{Name: "Theirs", Sections: tiles("shutter")}, nil)
	assert.Equal(t, http.StatusNotFound, status, "what they do not see is not there")
	status, _ = v.call("POST", "/api/boards", wire.NewBoard{Name: "House", Automatic: true}, nil)
	assert.Equal(t, http.StatusForbidden, status)
}
