package errands

import (
	"context"
	"fmt"
	"slices"
	"time"

	"urbo/core/control"
	"urbo/core/errand"
	"urbo/core/fault"
	"urbo/core/happening"
	"urbo/core/run"
	"urbo/service/sequences"
)

// ErrRehearsal is wrapped where a time cannot be rehearsed.
var ErrRehearsal = fault.New(fault.Invalid, "rehearsal")

// MostDays is the longest time of a rehearsal, in days.
const MostDays = 90

const day = 24 * time.Hour

// Beliefs knows what the keys of devices do.
type Beliefs interface {
	Spec(id string) (*control.Spec, error)
}

// Rehearsal is what would have been made of the cues of an errand in a time.
type Rehearsal struct {
	From, To time.Time
	Text     string // of the errand
	Sum      string // in words
	All      []errand.Rehearsed
	errand.Errand
}

// Cue is a cue of a rehearsal as it is written.
func (e *Errands) Cue(r Rehearsal, one errand.Rehearsed) string {
	switch {
	case one.Act != errand.Stay:
		return "while " + r.While.Text(e.name)
	case one.Cue == errand.ByClock || one.Cue >= len(r.When):
		return "at " + one.At.In(e.Where().Zone).Format("2006-01-02 15:04")
	}
	return r.When[one.Cue].Text(e.name)
}

// Answers are the questions of a cue of a rehearsal, in words.
func (e *Errands) Answers(one errand.Rehearsed) []happening.Answer { return e.answers(one.Answers) }

// Rehearse runs an errand, kept or not, against the last days, or, where days is below 0, against the coming ones,
// with nothing sent. Errors are those of Check, or wrap ErrRehearsal.
func (e *Errands) Rehearse(ctx context.Context, text, id string, days int, sight sequences.Sight) (Rehearsal, error) {
	if days == 0 || days > MostDays || days < -MostDays {
		return Rehearsal{}, fmt.Errorf("%w of %d days: the last 1 to %d, or as many to come", ErrRehearsal, max(days,
			-days),
			MostDays)
	}
	sentence, err := e.read(text, id, sight)
	if err != nil {
		return Rehearsal{}, err
	}
	if id == "" {
		id = newOne
	}
	now := e.Calendar.Now()
	r := Rehearsal{From: now.Add(-time.Duration(days) * day), To: now, Text: sentence.Print(e.name), Errand: sentence}
	if days < 0 {
		r.From, r.To = now, now.Add(time.Duration(-days)*day)
	}
	s := errand.Script{Errand: sentence, ID: id, From: r.From, To: r.To, Where: e.Where(), Paths: e.paths,
		Devices: devices{e}, Sequence: e.steps, Name: e.name, Taken: e.takes(sentence)}
	if s.Before, err = e.History.Last(ctx, r.From); err != nil {
		return r, err
	}
	if days > 0 {
		if s.Facts, err = e.past(ctx, r.From, r.To, sentence, id); err != nil {
			return r, err
		}
	}
	r.All = errand.Rehearse(s)
	r.Sum = errand.Sum(r.All, days < 0)
	return r, nil
}

// past is what happened in a time, as far as it concerns an errand.
func (e *Errands) past(ctx context.Context, from, to time.Time, sentence errand.Errand, id string) ([]errand.Fact,
	error) {
	var measurements []string
	for _, t := range sentence.Targets() {
		if t.Kind == run.Measurement {
			measurements = append(measurements, t.ID)
		}
	}
	facts, err := e.History.Between(ctx, from, to, measurements)
	if err != nil {
		return nil, err
	}
	err = e.History.ErrandsBetween(ctx, from, to, func(at time.Time, c happening.ErrandCame) {
		if c.ErrandID != id {
			facts = append(facts, errand.Fact{At: at, Kind: errand.OfErrand, Of: c.ErrandID, Value: c.Did})
		}
	})
	slices.SortStableFunc(facts, func(a, b errand.Fact) int { return a.At.Compare(b.At) })
	return facts, err
}

// takes says which keys are asked to be pressed twice, thrice or held: by errands that are kept, and by one more.
func (e *Errands) takes(sentence errand.Errand) func(errand.Key) bool {
	e.concerned("")
	own := map[errand.Key]bool{}
	for _, c := range sentence.When {
		if c.Sudden != nil && c.Sudden.Pressed != nil && c.Sudden.Pressed.How != "" {
			own[errand.Key{Device: c.Sudden.Pressed.On.ID, Key: c.Sudden.Pressed.Key}] = true
		}
	}
	return func(k errand.Key) bool { return own[k] || e.waitsFor(k) }
}

// devices says what plans come to, for rehearsals.
type devices struct{ *Errands }

// Set is what setting controls of a device comes to.
func (d devices) Set(id string, wants []control.Want, at map[string][]string, now time.Time) errand.Outcome {
	spec, b, err := d.believed(id, at, now)
	if err != nil {
		return errand.Outcome{Wrong: err.Error()}
	}
	p, err := spec.Plan(b, control.Request{Wants: wants, Asked: true}, now)
	if err != nil {
		return errand.Outcome{Wrong: err.Error()}
	}
	out := errand.Outcome{Presses: p.Presses(), Takes: p.Takes}
	if !p.Sure {
		for _, h := range p.Helps {
			if h.Kind == control.HelpTell {
				out.Asks = h.Control
				break
			}
		}
	}
	over := now
	for _, s := range p.Steps {
		over = over.Add(s.Wait)
		for range max(s.Times, 1) {
			b = spec.After(b, control.Press{Key: s.Key, Frame: s.Frame, At: over, Held: s.Hold, Outcome: control.Sent,
				Source: control.BySending})
			over = over.Add(max(s.Gap, s.Hold+100*time.Millisecond))
		}
	}
	out.Values = values(spec, b, now.Add(p.Takes))
	for _, w := range wants { // where the plan is not sure, that is what it means to do
		if _, steps := spec.Steps(w); !steps {
			out.Values[w.Control] = w.Value
		}
	}
	return out
}

// Press is what presses of a key come to.
func (d devices) Press(id, key string, times int, at map[string][]string, now time.Time) errand.Outcome {
	spec, b, err := d.believed(id, at, now)
	if err != nil { // it has no controls, and nothing follows from its keys
		return errand.Outcome{Presses: times}
	}
	for n := range times {
		b = spec.After(b, control.Press{Key: key, At: now.Add(time.Duration(n) * 200 * time.Millisecond),
			Outcome: control.Sent, Source: control.BySending})
	}
	return errand.Outcome{Presses: times, Values: values(spec, b, now.Add(time.Second))}
}

// Occasion is what an occasion sets.
func (d devices) Occasion(id string) (out []run.Wanted) {
	one, err := d.Occasions.Find(id)
	if err != nil {
		return nil
	}
	for _, s := range one.Doc.Wants {
		out = append(out, s.Changes...)
	}
	return out
}

// believed is what is believed of a device whose controls may be at some values.
func (d devices) believed(id string, at map[string][]string, now time.Time) (*control.Spec, control.Belief, error) {
	spec, err := d.Beliefs.Spec(id)
	if err != nil {
		return nil, control.Belief{}, err
	}
	b := spec.Nothing()
	for _, c := range spec.Controls() { // power comes first: other controls may follow from it
		if may := at[c.Name]; len(may) == 1 {
			if told, _, err := spec.Tell(b, c.Name, may[0], control.Told, now); err == nil {
				b = told
			}
		}
	}
	return spec, b, nil
}

// values are what controls surely are at.
func values(spec *control.Spec, b control.Belief, now time.Time) map[string]string {
	out := map[string]string{}
	for _, st := range spec.States(b, now) {
		if st.Value != "" && st.Moving == 0 {
			out[st.Control] = st.Value
		}
	}
	return out
}
