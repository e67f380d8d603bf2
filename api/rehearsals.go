package api

import (
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"slices"
	"strings"
	"time"

	"github.com/emersion/go-ical"

	"urbo/core/errand"
	"urbo/core/fault"
	"urbo/core/grant"
	"urbo/core/happening"
	"urbo/core/moment"
	"urbo/core/run"
	"urbo/service/errands"
	"urbo/wire"
)

var errDay = fault.New(fault.Invalid, "day")

// rehearsals registers what helps to trust errands before they press anything, and what the days were.
func (a *API) rehearsals() {
	all := a.house.Errands
	call(a, operation{"POST", "/errand-rehearse", "rehearse-errand",
		"What would have been made of an errand, kept or not, in the last days or the coming ones; nothing is sent",
		grant.Arrange, filtered, 0}, func(ctx context.Context,
		in *struct{ Body wire.RehearsalRequest }) (wire.Rehearsal,
		error) {
		text, id := in.Body.Text, ""
		if in.Body.Errand != "" {
			e, err := a.findErrand(ctx, grant.Arrange, in.Body.Errand)
			if err != nil {
				return wire.Rehearsal{}, err
			}
			if id = e.ID; text == "" {
				text = all.Text(e)
			}
		}
		if err := a.mayWrite(ctx, text); err != nil {
			return wire.Rehearsal{}, err
		}
		return as(a.rehearsalOf)(all.Rehearse(ctx, text, id, in.Body.Days, a.sight(ctx)))
	})
	call(a, operation{"POST", "/errands/{errand}/copy", "copy-errand", "Make the same errand for other devices",
		grant.Arrange, filtered, http.StatusCreated}, func(ctx context.Context, in *struct {
		ErrandIn
		Body wire.ErrandCopy
	}) ([]wire.Errand, error) {
		e, err := a.findErrand(ctx, grant.Arrange, in.Errand)
		if err != nil {
			return nil, err
		}
		for _, slug := range in.Body.To {
			if err := a.mayOn(ctx, grant.Arrange, slug); err != nil {
				return nil, err
			}
		}
		made, err := all.Copy(ctx, e.ID, in.Body.Of, in.Body.To, a.sight(ctx), asking(ctx))
		return list(made, a.errandOf(ctx)), err
	})
	call(a, operation{"GET", "/errand-habits", "list-habits", "What people do by hand at about the same time",
		grant.See,
		filtered, 0}, func(ctx context.Context, _ *nothing) ([]wire.Habit, error) {
		got, err := all.Habits(ctx, func(id string) bool { return a.sees(ctx, id) })
		return list(got, func(h errands.Habit) wire.Habit {
			return wire.Habit{Device: a.house.Library.Slug(h.Device), Control: h.Control, Value: h.Value,
				Says: h.Says(),
				On:   h.On, Of: h.Of, Text: h.Text}
		}), err
	})
	call(a, operation{"GET", "/errand-blind", "list-blind-spots",
		"Of which devices nobody knew what they were at when errands asked", grant.See, wholeHouse, 0},
		func(ctx context.Context, in *struct {
			Days int `query:"days" default:"14" minimum:"1" maximum:"90"`
		}) (wire.BlindSpots, error) {
			devices, of, err := all.Blind(ctx, in.Days)
			return wire.BlindSpots{Of: of, Days: in.Days, Devices: list(devices, func(b errands.Blind) wire.BlindSpot {
				return wire.BlindSpot(b)
			})}, err
		})
	call(a, operation{"POST", "/cues", "bring-cue",
		"Let a phrase, the call of a hook, a message or an event of a calendar come into the house", grant.Use,
		wholeHouse,
		http.StatusAccepted}, func(ctx context.Context, in *struct{ Body wire.NewCue }) (wire.NewCue, error) {
		b := in.Body
		return b, all.Bring(happening.Brought{Kind: b.Kind, Of: b.Of, Value: b.Value, Title: b.Title, At: b.At},
			asking(ctx))
	})
	a.days()
}

// days registers what the days were, and are to be.
func (a *API) days() {
	call(a, operation{"GET", "/day", "get-day", "What a day of the house was, and is to be", grant.See, filtered, 0},
		func(ctx context.Context, in *struct {
			Date string `query:"date" maxLength:"10" doc:"Such as 2026-12-05; left out for today"`
		}) (wire.Day, error) {
			now := a.house.Calendar.Now()
			d := a.house.Errands.Where().DateOf(now)
			if in.Date != "" {
				at, err := time.Parse(time.DateOnly, in.Date)
				if err != nil {
					return wire.Day{}, fmt.Errorf("%w %.20q: write it as 2026-12-05", errDay, in.Date)
				}
				d = moment.Date{Year: at.Year(), Month: at.Month(), Day: at.Day()}
			}
			day, err := a.house.Errands.Day(ctx, d)
			return a.dayOf(ctx, day, now), err
		})
	call(a, operation{"GET", "/then", "get-then", "What was believed and measured at a time of the last 90 days",
		grant.See, filtered, 0}, func(ctx context.Context, in *struct {
		At time.Time `query:"at" required:"true" doc:"On the calendar clock of the house"`
	}) (wire.Then, error) {
		facts, err := a.house.Errands.Then(ctx, in.At)
		return a.thenOf(ctx, in.At, facts), err
	})
	download(a, operation{"GET", "/errand-calendar", "export-coming-errands",
		"When errands are due by the clock, as a file for calendar programs (iCalendar)", grant.See, filtered, 0},
		func(*CalendarIn) string { return "ics" }, func(*CalendarIn) string { return "urbo-errands" },
		func(ctx context.Context, in *CalendarIn, out io.Writer) error {
			now := a.house.Calendar.Now()
			due := all(a.house.Errands.Between(now.AddDate(0, 0, in.Days), mostCalendar), func(d errands.Due) bool {
				return a.seesAll(ctx, a.aboutErrand(d.Errand.Doc.Errand))
			})
			return a.calendar(out, due, now)
		})
}

// mostCalendar is the most coming times of a calendar.
const mostCalendar = 2000

// CalendarIn asks for coming times.
type CalendarIn struct {
	Days int `query:"days" default:"30" minimum:"1" maximum:"366"`
}

// all are those of some things of which something is so.
func all[T any](of []T, is func(T) bool) []T {
	return slices.DeleteFunc(slices.Clone(of), func(t T) bool { return !is(t) })
}

// calendar writes coming times as iCalendar.
func (a *API) calendar(out io.Writer, due []errands.Due, now time.Time) error {
	c := ical.NewCalendar()
	c.Props.SetText(ical.PropVersion, "2.0")
	c.Props.SetText(ical.PropProductID, "-//Urbo//Errands//EN")
	for _, d := range due {
		e := ical.NewEvent()
		e.Props.SetText(ical.PropUID, d.Errand.ID+"-"+d.At.UTC().Format("20060102T150405")+"@"+a.house.ID)
		e.Props.SetDateTime(ical.PropDateTimeStamp, now.UTC())
		e.Props.SetDateTime(ical.PropDateTimeStart, d.At.UTC())
		e.Props.SetText(ical.PropSummary, d.Errand.Slug)
		e.Props.SetText(ical.PropDescription, a.house.Errands.Text(d.Errand))
		e.Props.SetText(ical.PropTransparency, "TRANSPARENT")
		c.Children = append(c.Children, e.Component)
	}
	if len(due) == 0 { // a calendar has to have something
		_, err := io.WriteString(out,
			"BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:-//Urbo//Errands//EN\r\nEND:VCALENDAR\r\n")
		return err
	}
	return ical.NewEncoder(out).Encode(c)
}

// rehearsalOf translates a rehearsal.
func (a *API) rehearsalOf(r errands.Rehearsal) wire.Rehearsal {
	w := wire.Rehearsal{From: r.From.In(a.house.Errands.Where().Zone), To: r.To.In(a.house.Errands.Where().Zone),
		Text: r.Text, Sum: r.Sum, Cues: []wire.Rehearsed{},
		More: len(r.All) >= errand.MostRehearsed, Faces: []string{}}
	for _, c := range r.When {
		if c.Sudden != nil && c.Sudden.Message != nil {
			w.Faces = append(w.Faces, c.Text(a.house.Targets.Name))
		}
	}
	for _, c := range r.All {
		one := wire.Rehearsed{At: c.At.In(a.house.Errands.Where().Zone), Cue: a.house.Errands.Cue(r, c), Did: c.Did,
			Reason:  c.Reason,
			Answers: list(a.house.Errands.Answers(c), answerOf), Asks: c.Asks, Does: []wire.RehearsedDid{}}
		for _, d := range c.Does {
			one.Does = append(one.Does, wire.RehearsedDid(d))
		}
		w.Cues = append(w.Cues, one)
	}
	return w
}

func answerOf(one happening.Answer) wire.CameAnswer {
	return wire.CameAnswer{Asked: one.Asked, Is: one.Is}
}

// dayOf is a day as the caller sees it.
func (a *API) dayOf(ctx context.Context, d errands.Day, now time.Time) wire.Day {
	w := wire.Day{Date: d.Date.String(), From: d.From, To: d.To, Now: now.In(d.From.Location()), Sun: []wire.DaySun{},
		Occasions: []wire.DayOccasion{}, Came: []wire.Came{}, Next: []wire.DueErrand{}}
	for _, s := range d.Sun {
		w.Sun = append(w.Sun, wire.DaySun{Event: string(s.Event), At: s.At})
	}
	seen := map[string]bool{} // by the id of an errand
	sees := func(id string) bool {
		if is, known := seen[id]; known {
			return is
		}
		one, err := a.house.Errands.Find(id)
		seen[id] = err == nil && a.seesAll(ctx, a.aboutErrand(one.Doc.Errand))
		if err != nil { // it was removed
			seen[id] = Caller(ctx).Grant.Where.House
		}
		return seen[id]
	}
	for _, c := range d.Came {
		if sees(c.ErrandID) {
			w.Came = append(w.Came, cameOf(c))
		}
	}
	for _, n := range d.Next {
		if sees(n.Errand.ID) {
			w.Next = append(w.Next, wire.DueErrand{At: n.At, Errand: n.Errand.Slug})
		}
	}
	for _, f := range d.Force {
		o, err := a.house.Occasions.Find(f.ID)
		if err != nil || a.mayAbout(ctx, grant.See, o.Doc.Targets()) != nil {
			continue
		}
		one := wire.DayOccasion{Name: o.Slug, From: f.From}
		if !f.To.IsZero() {
			one.To = &f.To
		}
		w.Occasions = append(w.Occasions, one)
	}
	return w
}

// thenOf is what was so at a time as the caller sees it.
func (a *API) thenOf(ctx context.Context, at time.Time, facts []errand.Fact) wire.Then {
	w := wire.Then{At: at, Devices: []wire.ThenDevice{}, Occasions: []string{}, Measurements: []wire.ThenValue{}}
	place := map[string]int{}
	for _, f := range facts {
		switch f.Kind {
		case errand.OfMeasurement:
			if Caller(ctx).Grant.May(grant.See, grant.Target{Measurement: f.Of}) == nil {
				w.Measurements = append(w.Measurements, wire.ThenValue{Name: f.Of, Value: f.Value, Since: f.At})
			}
		case errand.OfOccasion:
			o, err := a.house.Occasions.Find(f.Of)
			if err == nil && f.Value == errand.Begins && a.mayAbout(ctx, grant.See, o.Doc.Targets()) == nil {
				w.Occasions = append(w.Occasions, o.Slug)
			}
		case errand.OfControl:
			slug := a.house.Library.Slug(f.Of)
			if slug == "" || !a.sees(ctx, f.Of) {
				continue
			}
			i, known := place[f.Of]
			if !known {
				i, place[f.Of] = len(w.Devices), len(w.Devices)
				w.Devices = append(w.Devices, wire.ThenDevice{Device: slug, Name: a.house.Library.Name(f.Of),
					Room: a.house.Rooms.Name(a.house.Library.RoomOf(f.Of)), Controls: []wire.ThenValue{}})
			}
			w.Devices[i].Controls = append(w.Devices[i].Controls, wire.ThenValue{Name: f.Name, Value: f.Value,
				Since: f.At})
		}
	}
	slices.SortFunc(w.Devices, func(x, y wire.ThenDevice) int { return strings.Compare(x.Device, y.Device) })
	for _, d := range w.Devices {
		slices.SortFunc(d.Controls, func(x, y wire.ThenValue) int { return strings.Compare(x.Name, y.Name) })
	}
	slices.SortFunc(w.Measurements, func(x, y wire.ThenValue) int { return strings.Compare(x.Name, y.Name) })
	slices.Sort(w.Occasions)
	return w
}

// treeOf is an errand as its parts, with what things are called now.
func (a *API) treeOf(e errand.Errand) any {
	text, err := json.Marshal(e)
	if err != nil {
		return nil
	}
	var tree any
	if json.Unmarshal(text, &tree) != nil {
		return nil
	}
	a.rename(tree)
	return tree
}

// rename gives what is named in a tree the names of now.
func (a *API) rename(at any) {
	switch v := at.(type) {
	case []any:
		for _, inner := range v {
			a.rename(inner)
		}
	case map[string]any:
		kind, isKind := v["kind"].(string)
		id, isID := v["id"].(string)
		if _, was := v["was"]; was && isKind && isID {
			if now := a.house.Errands.Name(run.Target{Kind: run.Kind(kind), ID: id}); now != "" {
				v["was"] = now
			}
			return
		}
		for _, inner := range v {
			a.rename(inner)
		}
	}
}
