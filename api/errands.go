package api

import (
	"cmp"
	"context"
	"fmt"
	"net/http"
	"strings"
	"time"

	"urbo/core/errand"
	"urbo/core/grant"
	"urbo/core/run"
	"urbo/service/errands"
	"urbo/wire"
)

// ErrandIn names an errand in a path.
type ErrandIn struct {
	Errand string `path:"errand" maxLength:"40"`
}

// mostNext is the most coming times that are listed, and mostOffered the most names that are offered.
const mostNext, mostOffered = 200, 60

// errands registers errands. To see one, one has to see a device of it; to run or change it, to have the right on all.
func (a *API) errands() {
	all := a.house.Errands
	call(a, operation{"GET", "/errands", "list-errands", "What the house does by itself", grant.See, filtered, 0},
		func(ctx context.Context, _ *nothing) ([]wire.Errand, error) {
			out := []wire.Errand{}
			for _, e := range all.List() {
				if a.mayAbout(ctx, grant.See, a.aboutErrand(e.Doc.Errand)) == nil {
					out = append(out, a.errandOf(ctx)(e))
				}
			}
			return out, nil
		})
	call(a, operation{"GET", "/errands/{errand}", "get-errand", "One errand", grant.See, filtered, 0},
		func(ctx context.Context, in *ErrandIn) (wire.Errand, error) {
			return as(a.errandOf(ctx))(a.findErrand(ctx, grant.See, in.Errand))
		})
	call(a, operation{"POST", "/errands", "add-errand", "Add an errand", grant.Arrange, filtered, http.StatusCreated},
		func(ctx context.Context, in *struct{ Body wire.NewErrand }) (wire.Errand, error) {
			if err := a.mayWrite(ctx, in.Body.Text); err != nil {
				return wire.Errand{}, err
			}
			return as(a.errandOf(ctx))(all.Add(ctx, in.Body.Text, a.sight(ctx), asking(ctx)))
		})
	call(a, operation{"PATCH", "/errands/{errand}", "change-errand",
		"Write an errand anew, unless somebody else changed " +
			"the version that was seen, or switch it on or off",
		grant.Arrange, filtered, 0}, func(ctx context.Context, in *struct {
		ErrandIn
		Body wire.ErrandChange
	}) (wire.Errand, error) {
		e, err := a.findErrand(ctx, grant.Arrange, in.Errand)
		if err == nil && in.Body.Text != nil {
			if err = a.mayWrite(ctx, *in.Body.Text); err == nil {
				e, err = all.Change(ctx, e.ID, *in.Body.Text, in.Body.Version, a.sight(ctx), asking(ctx))
			}
		}
		if err == nil && in.Body.On != nil {
			e, err = all.Switch(ctx, e.ID, *in.Body.On, asking(ctx))
		}
		if err == nil && in.Body.Trial != nil {
			e, err = all.Try(ctx, e.ID, *in.Body.Trial, asking(ctx))
		}
		return as(a.errandOf(ctx))(e, err)
	})
	remove(a, operation{method: "DELETE", path: "/errands/{errand}", id: "remove-errand",
		summary: "Remove an errand", right: grant.Arrange, where: filtered},
		func(ctx context.Context, in *ErrandIn) error {
			e, err := a.findErrand(ctx, grant.Arrange, in.Errand)
			if err != nil {
				return err
			}
			return all.Remove(ctx, e.ID, asking(ctx))
		})
	call(a, operation{"POST", "/errands/{errand}/run", "run-errand", "Do what an errand does, now", grant.Use, filtered,
		http.StatusCreated}, func(ctx context.Context, in *ErrandIn) (wire.Came, error) {
		e, err := a.findErrand(ctx, grant.Use, in.Errand)
		if err != nil {
			return wire.Came{}, err
		}
		return as(cameOf)(all.Do(ctx, e.ID, asking(ctx)))
	})
	call(a, operation{"GET", "/errands/{errand}/came", "list-errand-cues",
		"The last cues of an errand that came, the newest first, and what was made of each", grant.See,
		filtered, 0}, func(ctx context.Context, in *struct {
		ErrandIn
		Count int `query:"count" default:"50" minimum:"1" maximum:"1000"`
	}) ([]wire.Came, error) {
		e, err := a.findErrand(ctx, grant.See, in.Errand)
		if err == nil && !a.seesAll(ctx, a.aboutErrand(e.Doc.Errand)) {
			err = fmt.Errorf("%w: it is about more than you see", grant.ErrRefused)
		}
		if err != nil {
			return nil, err
		}
		came, err := all.Came(ctx, e.ID, in.Count)
		out := list(came, cameOf)
		for i, c := range came {
			if c.Did == "trial" && err == nil {
				out[i].Beside, err = a.byHand(ctx, e, c.At)
			}
		}
		return out, err
	})
	a.errandTools()
	a.rehearsals()
}

// byHand is what people did by hand when an errand on trial came, in words.
func (a *API) byHand(ctx context.Context, e errands.Errand, at time.Time) (out []string, err error) {
	facts, err := a.house.Errands.Besides(ctx, e, at)
	for _, f := range facts {
		out = append(out, fmt.Sprintf("%s %s/%s became %s, by %s",
			f.At.In(a.house.Errands.Where().Zone).Format("15:04:05"),
			a.house.Library.Slug(f.Of), f.Name, cmp.Or(f.Value, "unknown"), f.By))
	}
	return out, err
}

// errandTools registers what helps to write errands, and what concerns all of them.
func (a *API) errandTools() {
	all := a.house.Errands
	call(a, operation{"POST", "/errand-check", "check-errand", "How an errand is understood; nothing is kept",
		grant.Arrange, filtered, 0}, func(ctx context.Context, in *struct{ Body wire.NewErrand }) (
		wire.ErrandUnderstood, error) {
		sentence, text, err := all.Check(in.Body.Text, a.sight(ctx))
		if err != nil {
			return wire.ErrandUnderstood{}, err
		}
		id := ""
		if same, err := all.Find(sentence.Name); err == nil {
			id = same.ID
		}
		out := wire.ErrandUnderstood{Text: text, Next: []time.Time{}, Odd: all.Conflicts(sentence, id),
			Tree: a.treeOf(sentence)}
		if out.Odd == nil {
			out.Odd = []string{}
		}
		at, w := a.house.Calendar.Now(), all.Where()
		for range 5 {
			next, is := sentence.Next("", at, w)
			if !is {
				break
			}
			out.Next, at = append(out.Next, next), next
		}
		return out, nil
	})
	call(a, operation{"POST", "/errand-complete", "complete-errand", "What may stand at the end of an errand",
		grant.Arrange, filtered, 0}, func(ctx context.Context, in *struct{ Body wire.NewErrand }) (wire.ErrandOffers,
		error) {
		return a.offers(ctx, in.Body.Text), nil
	})
	call(a, operation{"GET", "/errand-next", "list-coming-errands", "When errands are due next by the clock", grant.See,
		filtered, 0}, func(ctx context.Context, in *struct {
		Count int `query:"count" default:"10" minimum:"1" maximum:"200"`
	}) ([]wire.DueErrand, error) {
		out := []wire.DueErrand{}
		for _, d := range all.Next(mostNext) {
			if a.mayAbout(ctx, grant.See, a.aboutErrand(d.Errand.Doc.Errand)) == nil && len(out) < in.Count {
				out = append(out, wire.DueErrand{At: d.At, Errand: d.Errand.Slug})
			}
		}
		return out, nil
	})
	call(a, operation{"GET", "/quiet", "get-quiet", "Until when no errand begins anything", grant.See, anywhere, 0},
		func(context.Context, *nothing) (wire.Quiet, error) { return a.quietNow(), nil })
	call(a, operation{"PUT", "/quiet", "put-quiet", "Let no errand begin anything for a time",
		grant.Arrange, wholeHouse, 0}, func(ctx context.Context, in *struct{ Body wire.QuietRequest }) (wire.Quiet,
		error) {
		err := all.Quiet(ctx, time.Duration(in.Body.ForMS)*time.Millisecond, asking(ctx))
		return a.quietNow(), err
	})
}

func (a *API) quietNow() wire.Quiet {
	until := a.house.Errands.QuietUntil()
	if until.IsZero() {
		return wire.Quiet{}
	}
	return wire.Quiet{Until: &until}
}

// mayWrite says whether the caller may let the house do by itself what a sentence says: all that it is about has to be
// theirs to arrange.
func (a *API) mayWrite(ctx context.Context, text string) error {
	sentence, _, err := a.house.Errands.Check(text, a.sight(ctx))
	if err != nil {
		return nil //nolint:nilerr // whoever keeps it says why not
	}
	return a.mayAbout(ctx, grant.Arrange, a.aboutErrand(sentence))
}

// aboutErrand is what an errand is about, with what it starts and runs.
func (a *API) aboutErrand(e errand.Errand) []run.Target { return a.house.Reached(e.Targets()) }

// findErrand finds an errand that the caller has a right on. One of which they see nothing is as unknown as one that is
// not there.
func (a *API) findErrand(ctx context.Context, r grant.Right, name string) (errands.Errand, error) {
	e, err := a.house.Errands.Find(name)
	if err != nil && Caller(ctx).Grant.Where.House {
		return e, err
	}
	if err != nil || a.mayAbout(ctx, grant.See, a.aboutErrand(e.Doc.Errand)) != nil {
		return e, fmt.Errorf("%w %.60q", errands.ErrUnknown, name)
	}
	return e, a.mayAbout(ctx, r, a.aboutErrand(e.Doc.Errand))
}

// errandOf translates an errand for the caller.
func (a *API) errandOf(ctx context.Context) func(errands.Errand) wire.Errand {
	return func(e errands.Errand) wire.Errand {
		all := a.house.Errands
		w := wire.Errand{Name: e.Slug, On: !e.Doc.Off, Trial: e.Doc.Trial, Version: e.Doc.Version, Gone: all.Gone(e)}
		w.Holding, _ = all.Holding(e.ID)
		if !e.Readable() {
			w.Error = "it cannot be read: write it anew"
		}
		if at, is := all.NextOf(e); is {
			w.Next = &at
		}
		if !a.seesAll(ctx, a.aboutErrand(e.Doc.Errand)) {
			w.Gone = []string{}
			return w
		}
		w.Text = all.Text(e)
		if came, is := all.Last(e.ID); is {
			last := cameOf(came)
			w.Last = &last
		}
		return w
	}
}

func cameOf(c errands.Came) wire.Came {
	w := wire.Came{At: c.At, Errand: c.Errand, Cue: c.Cue, Did: c.Did, Answers: []wire.CameAnswer{}, Reason: c.Reason,
		Run: c.Run}
	for _, one := range c.Answers {
		w.Answers = append(w.Answers, answerOf(one))
	}
	return w
}

// offers is what may stand at the end of an errand, with the names of what the caller sees.
func (a *API) offers(ctx context.Context, text string) wire.ErrandOffers {
	got := a.house.Errands.Complete(text, a.sight(ctx))
	out := wire.ErrandOffers{Typed: got.Typed, Offers: []wire.ErrandOffer{}, Wanted: []string{}}
	for _, o := range got.All {
		names := a.namesOf(ctx, o)
		switch {
		case o.Word != "":
			out.Offers = append(out.Offers, wire.ErrandOffer{Text: o.Word, Kind: "word"})
		case names == nil:
			out.Wanted = append(out.Wanted, o.Kind)
		}
		for _, name := range names {
			if strings.HasPrefix(name, got.Typed) && len(out.Offers) < mostOffered {
				out.Offers = append(out.Offers, wire.ErrandOffer{Text: name, Kind: o.Kind})
			}
		}
	}
	return out
}

// namesOf are the names of what is meant by an offer; nil where it has none.
func (a *API) namesOf(ctx context.Context, o run.Offer) (out []string) {
	switch o.Kind {
	case "control", "key", "device":
		for _, l := range a.lines(ctx, "") {
			d, err := a.house.Library.ByID(l.ID)
			if err != nil {
				continue
			}
			switch o.Kind {
			case "device":
				out = append(out, d.Slug)
			case "key":
				for _, k := range d.Keys {
					out = append(out, d.Slug+"/"+k.Name)
				}
			default:
				for _, c := range d.Controls {
					out = append(out, d.Slug+"/"+c.Name)
				}
			}
		}
	case "measurement":
		for _, m := range a.house.Measure.List() {
			if Caller(ctx).Grant.May(grant.See, grant.Target{Measurement: m.Name}) == nil {
				out = append(out, m.Name)
			}
		}
	case "occasion":
		for _, one := range a.house.Occasions.List() {
			if a.mayAbout(ctx, grant.See, one.Doc.Targets()) == nil {
				out = append(out, one.Slug)
			}
		}
	case "sequence":
		for _, one := range a.house.Sequences.List() {
			if a.mayAbout(ctx, grant.See, a.aboutSequence(one)) == nil {
				out = append(out, one.Slug)
			}
		}
	case "errand":
		for _, one := range a.house.Errands.List() {
			if a.mayAbout(ctx, grant.See, a.aboutErrand(one.Doc.Errand)) == nil {
				out = append(out, one.Slug)
			}
		}
	case "value":
		out = a.valuesOf(ctx, o.Of)
	}
	return out
}

// valuesOf are the values by name of a control that the caller sees.
func (a *API) valuesOf(ctx context.Context, path string) []string {
	slug, name, _ := strings.Cut(path, "/")
	id, err := a.house.Library.ID(slug)
	if err != nil || !a.sees(ctx, id) {
		return nil
	}
	d, err := a.house.Library.ByID(id)
	if err != nil {
		return nil
	}
	for _, c := range d.Controls {
		if c.Name == name {
			return c.Choices()
		}
	}
	return nil
}
