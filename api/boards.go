package api

import (
	"cmp"
	"context"
	"fmt"
	"net/http"
	"slices"
	"strings"
	"time"

	"urbo/core/board"
	"urbo/core/control"
	"urbo/core/device"
	"urbo/core/fault"
	"urbo/core/grant"
	"urbo/core/happening"
	"urbo/core/plain"
	"urbo/core/run"
	"urbo/service"
	"urbo/service/boards"
	"urbo/service/errands"
	"urbo/service/occasions"
	"urbo/service/questions"
	"urbo/wire"
)

// errUse is wrapped where a tile does not offer what somebody wants of it.
var errUse = fault.New(fault.Invalid, "this tile does not do that")

// BoardIn names a board in a path.
type BoardIn struct {
	Board string `path:"board" maxLength:"40"`
}

// QuestionIn names a question in a path.
type QuestionIn struct {
	Question string `path:"question" maxLength:"40"`
}

// boards registers boards. Tiles about what the caller does not see are left out; to change a board, one has to have
// the right on all that it is about.
func (a *API) boards() {
	all := a.house.Boards
	call(a, operation{"GET", "/boards", "list-boards", "Pages of tiles", grant.See, theirBoards, 0},
		func(ctx context.Context, _ *nothing) ([]wire.BoardLine, error) {
			out := []wire.BoardLine{}
			for _, one := range all.List() {
				if isGuest(ctx) && !hasBoard(ctx, one) {
					continue
				}
				n := 0
				for _, s := range all.Page(one).Sections {
					for _, t := range s.Tiles {
						if a.seesTile(ctx, t) {
							n++
						}
					}
				}
				if n > 0 || Caller(ctx).Grant.Where.House {
					out = append(out, wire.BoardLine{Slug: one.Slug, Name: one.Name, Automatic: one.Doc.Automatic,
						Tiles: n})
				}
			}
			return out, nil
		})
	call(a, operation{"GET", "/boards/{board}", "get-board", "One board", grant.See, theirBoards, 0},
		func(ctx context.Context, in *BoardIn) (wire.Board, error) {
			return as(a.boardOf(ctx))(a.findBoard(ctx, in.Board))
		})
	call(a, operation{"GET", "/boards/{board}/state", "get-board-state", "What the tiles of a board are at", grant.See,
		theirBoards, 0}, func(ctx context.Context, in *BoardIn) (wire.BoardState, error) {
		return as(a.boardState(ctx))(a.findBoard(ctx, in.Board))
	})
	call(a, operation{"POST", "/boards", "add-board", "Add a board", grant.Arrange, filtered, http.StatusCreated},
		func(ctx context.Context, in *struct{ Body wire.NewBoard }) (wire.Board, error) {
			sections := sectionsOf(in.Body.Sections)
			c := boards.Change{May: a.mayPlace(ctx), Sight: a.sight(ctx)}
			if c.Sections = &sections; in.Body.Automatic {
				c.Sections, c.Automatic = nil, &in.Body.Automatic
				if err := Caller(ctx).Grant.May(grant.Arrange); err != nil { // it shows the whole house
					return wire.Board{}, err
				}
			}
			return as(a.boardOf(ctx))(all.Add(ctx, in.Body.Slug, in.Body.Name, c, asking(ctx)))
		})
	call(a, operation{"PATCH", "/boards/{board}", "change-board",
		"Change what is given, unless somebody else changed the version that was seen", grant.Arrange, filtered, 0},
		func(ctx context.Context, in *struct {
			BoardIn
			Body wire.BoardChange
		}) (wire.Board, error) {
			if err := a.mayArrange(ctx, in.Board); err != nil {
				return wire.Board{}, err
			}
			b := in.Body
			c := boards.Change{Slug: b.Slug, Name: b.Name, Automatic: b.Automatic, Version: b.Version,
				May: a.mayPlace(ctx), Sight: a.sight(ctx)}
			if b.Sections != nil {
				sections := sectionsOf(*b.Sections)
				c.Sections = &sections
			}
			return as(a.boardOf(ctx))(all.Alter(ctx, in.Board, c, asking(ctx)))
		})
	remove(a, operation{method: "DELETE", path: "/boards/{board}", id: "remove-board",
		summary: "Remove a board; what stands on it stays", right: grant.Arrange, where: filtered},
		func(ctx context.Context, in *BoardIn) error {
			if err := a.mayArrange(ctx, in.Board); err != nil {
				return err
			}
			return all.Remove(ctx, in.Board, asking(ctx))
		})
	call(a, operation{"POST", "/boards/{board}/tiles/{tile}/use", "use-tile",
		"Do what a tile offers, and wait for what comes of it", grant.Use, theirBoards, 0},
		func(ctx context.Context, in *struct {
			BoardIn
			Tile string `path:"tile" maxLength:"120"`
			Body wire.TileUse
		}) (wire.TileAnswer, error) {
			one, err := a.findBoard(ctx, in.Board)
			if err != nil {
				return wire.TileAnswer{}, err
			}
			t, there := all.Page(one).Tile(in.Tile)
			if !there || !a.seesTile(ctx, t) {
				return wire.TileAnswer{}, fmt.Errorf("%w: it is not on %s any more", boards.ErrTile, one.Name)
			}
			w, err := a.useTile(a.through(ctx, all.Page(one)), t, in.Body)
			if isGuest(ctx) {
				w = answerToGuest(w)
			}
			return w, err
		})
	a.questions()
}

// questions registers what is asked of people.
func (a *API) questions() {
	call(a, operation{"GET", "/questions", "list-questions", "What is asked of people now", grant.See, filtered, 0},
		func(ctx context.Context, _ *nothing) ([]wire.OpenQuestion, error) {
			out := []wire.OpenQuestion{}
			for _, q := range a.house.Questions.List() {
				if a.mayAbout(ctx, grant.Use, []run.Target{q.On}) == nil {
					out = append(out, questionOf(q))
				}
			}
			return out, nil
		})
	call(a, operation{"POST", "/questions/{question}/answer", "answer-question",
		"Say what it is; what asked goes on. The first answer counts", grant.Use, filtered, 0},
		func(ctx context.Context, in *struct {
			QuestionIn
			Body wire.QuestionAnswer
		}) (wire.OpenQuestion, error) {
			q, err := a.house.Questions.One(in.Question)
			if q.ID == "" || a.mayAbout(ctx, grant.See, []run.Target{q.On}) != nil {
				return wire.OpenQuestion{}, cmp.Or(err, error(errOutOfReach))
			}
			if err == nil {
				err = a.mayAbout(ctx, grant.Use, []run.Target{q.On})
			}
			if err != nil {
				return wire.OpenQuestion{}, err
			}
			return as(questionOf)(a.house.Questions.Answer(in.Question, in.Body.Value, asking(ctx)))
		})
}

func questionOf(q questions.Question) wire.OpenQuestion {
	return wire.OpenQuestion{ID: q.ID, Text: q.Text, Choices: listed(q.Choices), Unit: q.Unit,
		For: q.For, By: q.By.String(), Until: q.Until}
}

func sectionsOf(in []wire.SectionText) []boards.Text {
	out := []boards.Text{}
	for _, s := range in {
		one := boards.Text{Title: s.Title}
		for _, t := range s.Tiles {
			one.Tiles = append(one.Tiles, boards.TileText(t))
		}
		out = append(out, one)
	}
	return out
}

// findBoard finds a board of which the caller sees something. One of which they see nothing is as unknown as one that
// is not there.
func (a *API) findBoard(ctx context.Context, slug string) (boards.Board, error) {
	one, err := a.house.Boards.Find(slug)
	switch {
	case Caller(ctx).Grant.Where.House:
		return one, err
	case isGuest(ctx):
		if err == nil && hasBoard(ctx, one) {
			return one, nil
		}
	case err == nil:
		for _, s := range a.house.Boards.Page(one).Sections {
			if slices.ContainsFunc(s.Tiles, func(t board.Tile) bool { return t.On.ID != "" && a.seesTile(ctx, t) }) {
				return one, nil
			}
		}
	}
	return boards.Board{}, fmt.Errorf("%w %.60q", boards.ErrUnknown, slug)
}

// seesTile says whether the caller sees what a tile is about.
func (a *API) seesTile(ctx context.Context, t board.Tile) bool {
	switch who := Caller(ctx).Grant; {
	case who.Where.House, t.On.ID == "", isGuest(ctx): // a guest's boards show all that stands on them
		return true
	case t.On.Kind == run.Measurement:
		return who.May(grant.See, grant.Target{Measurement: t.On.ID}) == nil
	}
	return slices.ContainsFunc(a.house.Boards.DevicesOf(t.On), func(id string) bool { return a.sees(ctx, id) })
}

// mayArrange says whether the caller may change a board.
func (a *API) mayArrange(ctx context.Context, slug string) error {
	one, err := a.findBoard(ctx, slug)
	if err != nil {
		return err
	}
	return a.mayReach(ctx, grant.Arrange, a.house.Boards.Page(one).Targets())
}

// mayPlace says whether the caller may put tiles about things onto a board: whoever does has to be allowed to use them.
func (a *API) mayPlace(ctx context.Context) func([]run.Target) error {
	return func(about []run.Target) error {
		return cmp.Or(a.mayReach(ctx, grant.Use, about), a.mayReach(ctx, grant.Arrange, about))
	}
}

// mayReach says whether the caller has a right on all that tiles are about.
func (a *API) mayReach(ctx context.Context, r grant.Right, about []run.Target) error {
	who := Caller(ctx).Grant
	if who.Where.House {
		return who.May(r)
	}
	var all []grant.Target
	for _, t := range about {
		if t.Kind == run.Measurement {
			all = append(all, grant.Target{Measurement: t.ID})
		}
		for _, id := range a.house.Boards.DevicesOf(t) {
			all = append(all, a.target(id))
		}
	}
	return who.May(r, all...)
}

// boardOf translates a board for the caller.
func (a *API) boardOf(ctx context.Context) func(boards.Board) wire.Board {
	return func(one boards.Board) wire.Board {
		page := a.house.Boards.Page(one)
		w := wire.Board{Slug: one.Slug, Name: one.Name, Automatic: one.Doc.Automatic, Version: page.Version,
			Sections: []wire.BoardSection{}}
		if !one.Readable() {
			w.Error = "what stood on it cannot be read: make it anew"
		}
		for _, s := range page.Sections {
			section := wire.BoardSection{Title: s.Title, Tiles: []wire.Tile{}}
			for _, t := range s.Tiles {
				switch {
				case !a.seesTile(ctx, t):
				case isGuest(ctx):
					section.Tiles = append(section.Tiles, forGuest(a.tileOf(t)))
				default:
					section.Tiles = append(section.Tiles, a.tileOf(t))
				}
			}
			if len(section.Tiles) > 0 || len(s.Tiles) == 0 {
				w.Sections = append(w.Sections, section)
			}
		}
		return w
	}
}

// tileOf translates a tile.
func (a *API) tileOf(t board.Tile) wire.Tile {
	is := a.house.TileOf(t)
	w := wire.Tile{ID: t.ID, Kind: t.Kind, Title: t.Title, Name: a.nameOf(t), Size: t.Size, Text: t.Text,
		Faces: list(is.Forms, faceOf(is.Fixed)),
		Keys:  listed(is.Keys), Whole: is.Whole, Idle: is.Idle, Gone: is.Gone}
	if t.On.ID != "" {
		w.Of = a.house.Boards.Of(t)
	}
	if t.On.Kind == run.Device {
		w.Device = a.house.Library.Slug(t.On.ID)
		if r, err := a.house.Rooms.Find(a.house.Library.RoomOf(t.On.ID)); err == nil {
			w.Room = r.Name
		}
	}
	return w
}

// nameOf is what a tile is called where nobody gave it a title.
func (a *API) nameOf(t board.Tile) string {
	name := t.On.Was
	switch t.On.Kind {
	case run.Device:
		name = cmp.Or(a.house.Library.Name(t.On.ID), name)
	case run.Group:
		if g, err := a.house.Groups.Find(t.On.ID); err == nil {
			name = g.Name
		}
	case run.Room:
		if r, err := a.house.Rooms.Find(t.On.ID); err == nil {
			name = r.Name
		}
	case run.Occasion:
		if o, err := a.house.Occasions.Find(t.On.ID); err == nil {
			name = o.Name
		}
	case run.Sequence:
		if s, err := a.house.Sequences.Find(t.On.ID); err == nil {
			name = s.Name
		}
	case run.Errand:
		if e, err := a.house.Errands.Find(t.On.ID); err == nil {
			name = plain.Label(e.Slug)
		}
	case run.Reins:
		name = "Reins"
	case run.Measurement:
		name = plain.Label(strings.ReplaceAll(t.On.ID, "/", " "))
		name = strings.ToUpper(name[:1]) + name[1:]
	}
	if of := plain.Label(t.Name); t.Kind.Named() && !slices.Contains([]string{"power", "position"}, of) &&
		!strings.Contains(strings.ToLower(name), of) {
		name += " " + of
	}
	return name
}

func faceOf(fixed bool) func(c control.Control) wire.Face {
	return func(c control.Control) wire.Face { return faceOfOne(c, fixed) }
}

func faceOfOne(c control.Control, fixed bool) wire.Face {
	w := wire.Face{Control: c.Name, Kind: c.Kind, Choices: listed(c.Choices()), Unit: c.Unit,
		Stop: c.Stop, Fixed: fixed, Favourites: c.Favourites}
	if w.Step = c.Step; c.Kind == control.Dial && c.Step == 0 {
		w.Step = 1
	}
	if c.Least != nil {
		w.Least = *c.Least
	}
	if c.Most != nil {
		w.Most = *c.Most
	}
	return w
}

// boardState is what the tiles of a board are at, of what the caller sees.
func (a *API) boardState(ctx context.Context) func(boards.Board) wire.BoardState {
	return func(one boards.Board) wire.BoardState {
		out := wire.BoardState{Tiles: map[string]wire.TileState{}, Questions: []wire.OpenQuestion{}}
		page := a.house.Boards.Page(one)
		for _, s := range page.Sections {
			for _, t := range s.Tiles {
				if !a.seesTile(ctx, t) {
					continue
				}
				if w, is := a.tileState(t); is {
					out.Tiles[t.ID] = w
				}
			}
		}
		about := a.house.Boards.Devices(page)
		for _, q := range a.house.Questions.List() {
			here := slices.ContainsFunc(a.house.Boards.DevicesOf(q.On), func(id string) bool {
				return slices.Contains(about, id)
			})
			if here && a.mayAbout(ctx, grant.Use, []run.Target{q.On}) == nil {
				out.Questions = append(out.Questions, questionOf(q))
			}
		}
		return out
	}
}

// tileState is what a tile is at; false where that is nothing.
func (a *API) tileState(t board.Tile) (w wire.TileState, is bool) {
	switch t.Kind {
	case board.Occasion:
		o, err := a.house.Occasions.Find(t.On.ID)
		if err != nil {
			return w, false
		}
		s := a.house.Occasions.StateOf(o)
		if w.InForce, w.Differs = s.Force != nil, len(s.Differs); s.Starting {
			w.Run = s.Force.Run
		}
		return w, true
	case board.Sequence:
		for _, r := range a.house.Runs.List() {
			if r.Of == t.On.ID && r.State.Phase != run.Ended {
				w.Run = r.ID
			}
		}
		return w, true
	case board.Errand:
		e, err := a.house.Errands.Find(t.On.ID)
		if err != nil {
			return w, false
		}
		w.Errand = a.tileErrand(e)
		for _, r := range a.house.Runs.List() {
			if r.Of == t.On.ID && r.State.Phase != run.Ended {
				w.Run = r.ID
			}
		}
		return w, true
	case board.Measurement:
		m, err := a.house.Measure.Get(t.On.ID)
		if err != nil {
			return w, false
		}
		g := gauge(m)
		w.Gauge = &g
		return w, true
	case board.Control, board.Device, board.Key, board.Question, board.Heading, board.Note:
	}
	for _, c := range a.house.TileOf(t).Controls {
		one := wire.TileControl{Control: c.Control, Value: c.Value, About: c.About, Near: c.Near, Word: c.Word,
			Phase: c.Phase, Until: wire.Time(c.Until), Moving: c.Moving, Beside: a.beside(c)}
		if c.Value == "" {
			one.May = c.May
		}
		w.Controls = append(w.Controls, one)
	}
	return w, len(w.Controls) > 0
}

// beside is what is measured of a control, or beside it.
func (a *API) beside(c service.TileControl) (out []wire.Gauge) {
	d, err := a.house.Library.ByID(c.Device)
	if err != nil {
		return nil
	}
	for _, s := range d.Sensors {
		if m, err := a.house.Measure.Get(s.Measurement); err == nil && s.Control == c.Control {
			out = append(out, gauge(m))
		}
	}
	return out
}

// useTile does what a tile offers.
func (a *API) useTile(ctx context.Context, t board.Tile, u wire.TileUse) (wire.TileAnswer, error) {
	was := t
	t, err := a.house.TileNow(t)
	if err != nil {
		return wire.TileAnswer{}, err
	}
	if was.On.Kind == run.Reins { // what is wanted of the reins is wanted of whoever has them
		for i := range u.Wants {
			if u.Wants[i].Control == was.Name {
				u.Wants[i].Control = t.Name
			}
		}
	}
	no := func(offers string) (wire.TileAnswer, error) {
		return wire.TileAnswer{}, fmt.Errorf("%w: it %s", errUse, offers)
	}
	if err := a.mayAbout(ctx, grant.Use, []run.Target{t.On}); err != nil && t.Kind != board.Occasion &&
		t.Kind != board.Sequence && t.Kind != board.Errand {
		return wire.TileAnswer{}, err
	}
	switch t.Kind {
	case board.Control, board.Device:
		return a.useControls(ctx, t, u)
	case board.Key:
		if len(u.Wants) > 0 || u.Do != "" || u.Tell != "" || u.Key != "" && u.Key != t.Name {
			return no("presses " + t.Name)
		}
		return a.pressTile(ctx, t, t.Name, u.HoldMS)
	case board.Occasion:
		what := occasions.What(cmp.Or(u.Do, string(occasions.Start)))
		if len(u.Wants) > 0 || u.Key != "" || u.Tell != "" || what == "undo" {
			return no("starts and ends an occasion, and puts it right")
		}
		r, err := a.house.Occasions.Do(ctx, t.On.ID, what, asking(ctx), a.mayUse(ctx))
		if err != nil {
			return wire.TileAnswer{}, err
		}
		done, err := a.occasionDone(ctx, r, t.On.ID)
		return wire.TileAnswer{Done: r.ID == "", Run: done.Run}, err
	case board.Sequence:
		if len(u.Wants) > 0 || u.Key != "" || u.Tell != "" || u.Do != "" && u.Do != "start" {
			return no("runs a sequence")
		}
		s, err := a.findSequence(ctx, grant.Use, t.On.ID)
		if err != nil {
			return wire.TileAnswer{}, err
		}
		r, err := a.house.RunSequence(s.Slug, false, asking(ctx), "")
		if err != nil {
			return wire.TileAnswer{}, err
		}
		w := a.runOf(ctx)(r)
		return wire.TileAnswer{Run: &w}, nil
	case board.Errand:
		return a.useErrand(ctx, t, u)
	case board.Measurement, board.Question, board.Heading, board.Note:
	}
	return no("only shows something")
}

// useErrand runs an errand through a tile, or switches it.
func (a *API) useErrand(ctx context.Context, t board.Tile, u wire.TileUse) (wire.TileAnswer, error) {
	do := cmp.Or(u.Do, "start")
	if len(u.Wants) > 0 || u.Key != "" || u.Tell != "" || do != "start" && do != "on" && do != "off" {
		return wire.TileAnswer{}, fmt.Errorf("%w: it runs an errand, and switches it on and off", errUse)
	}
	right := grant.Arrange
	if do == "start" {
		right = grant.Use
	}
	e, err := a.findErrand(ctx, right, t.On.ID)
	if err != nil {
		return wire.TileAnswer{}, err
	}
	if do == "start" {
		came, err := a.house.Errands.Do(ctx, e.ID, asking(ctx))
		return wire.TileAnswer{Done: came.Did == "ran" || came.Did == "stretched", Reason: came.Reason}, err
	}
	_, err = a.house.Errands.Switch(ctx, e.ID, do == "on", asking(ctx))
	return wire.TileAnswer{Done: err == nil}, err
}

// tileErrand is what an errand on a board is at.
func (a *API) tileErrand(e errands.Errand) *wire.TileErrand {
	w := &wire.TileErrand{On: !e.Doc.Off, Trial: e.Doc.Trial}
	w.Holding, _ = a.house.Errands.Holding(e.ID)
	if at, is := a.house.Errands.NextOf(e); is {
		w.Next = &at
	}
	if last, is := a.house.Errands.Last(e.ID); is {
		w.Did, w.At = last.Did, &last.At
	}
	return w
}

// useControls sets controls through a tile, tells what they are at, presses a key of its device, or takes back what was
// set last.
func (a *API) useControls(ctx context.Context, t board.Tile, u wire.TileUse) (wire.TileAnswer, error) {
	no := func(offers string) (wire.TileAnswer, error) {
		return wire.TileAnswer{}, fmt.Errorf("%w: it %s", errUse, offers)
	}
	one := t.Kind == board.Control
	slug := a.house.Library.Slug(t.On.ID)
	switch {
	case u.Key != "" && len(u.Wants) > 0:
		return no("sets something, or presses a key, not both")
	case u.Key != "" && one && !a.stops(t, u.Key):
		return no("sets " + t.Name)
	case u.Key != "":
		return a.pressTile(ctx, t, u.Key, u.HoldMS)
	case u.Do == "undo" && t.On.Kind == run.Device:
		r, err := a.house.Setting.Undo(ctx, t.On.ID, asking(ctx))
		return tileAnswer(setAnswer(r)), err
	case u.Do != "":
		return no("sets controls")
	case one && slices.ContainsFunc(u.Wants, func(w control.Want) bool { return w.Control != t.Name }):
		return no("sets " + t.Name)
	}
	if u.Tell != "" {
		if t.On.Kind != run.Device || !one {
			return no("is about several things: say what one of them is at, on its own page")
		}
		if _, err := a.house.Beliefs.Tell(slug, t.Name, u.Tell, asking(ctx)); err != nil {
			return wire.TileAnswer{}, err
		}
	}
	switch {
	case len(u.Wants) == 0:
		return wire.TileAnswer{Done: u.Tell != ""}, nil
	case t.On.Kind == run.Device:
		r, err := a.setDevice(ctx, slug, wire.SetRequest{Wants: u.Wants, Ask: u.Ask})
		return tileAnswer(r), err
	}
	all, err := a.setAll(ctx, t.On, wire.SetRequest{Wants: u.Wants})
	out := wire.TileAnswer{Done: all.Done}
	for _, d := range all.Devices {
		r := tileAnswer(d.Answer)
		out.Presses += r.Presses
		if said := cmp.Or(d.Error, r.Reason); said != "" && out.Reason == "" {
			out.Reason = d.Device + ": " + said
		}
	}
	return out, err
}

// stops says whether a key stops what a tile moves.
func (a *API) stops(t board.Tile, key string) bool {
	return t.On.Kind == run.Device && slices.ContainsFunc(a.house.TileOf(t).Forms, func(c control.Control) bool {
		return c.Kind == control.Travel && c.Stop == key
	})
}

// tileAnswer is what came of a setting in short.
func tileAnswer(r wire.SetAnswer) wire.TileAnswer {
	out := wire.TileAnswer{Done: r.Done, Reason: r.Reason, Asks: r.Asks}
	for _, p := range r.Presses {
		out.Presses += p.Times
	}
	if !r.Done && out.Reason == "" && len(r.Helps) > 0 {
		out.Reason = r.Helps[0].Text
	}
	return out
}

// pressTile presses a key through a tile.
func (a *API) pressTile(ctx context.Context, t board.Tile, key string, holdMS int) (wire.TileAnswer, error) {
	o, err := a.order(ctx, device.Ref{Device: a.house.Library.Slug(t.On.ID), Key: key})
	if err != nil {
		return wire.TileAnswer{}, err
	}
	o.Hold = time.Duration(holdMS) * time.Millisecond
	if err := a.house.Setting.Clear(ctx, o.Device.ID); err != nil {
		return wire.TileAnswer{}, err
	}
	r, err := a.house.Transmit.Press(ctx, o)
	out := wire.TileAnswer{Done: err == nil && r.Outcome == happening.Sent, Presses: max(r.Times, 1)}
	if !out.Done {
		out.Reason = r.Reason
	}
	return out, err
}
