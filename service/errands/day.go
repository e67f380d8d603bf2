package errands

import (
	"context"
	"fmt"
	"regexp"
	"slices"
	"strings"
	"time"

	"urbo/core/errand"
	"urbo/core/fault"
	"urbo/core/grant"
	"urbo/core/happening"
	"urbo/core/moment"
	"urbo/core/run"
	"urbo/core/sun"
	"urbo/service/sequences"
)

// Day is what a day of the house was, and is to be.
type Day struct {
	Date     moment.Date
	From, To time.Time // its midnights
	Sun      []SunTime
	Came     []Came // cues that came
	Next     []Due  // and that are due by the clock
	Force    []Force
}

// SunTime is when the sun does something.
type SunTime struct {
	Event sun.Event
	At    time.Time
}

// Force is an occasion that was in force.
type Force struct {
	ID       string
	From, To time.Time // To is zero where it still is
}

// mostOfDay is the most cues of a day that are told of one errand, and that are due.
const mostOfDay = 200

// Day tells what a day was, and is to be.
func (e *Errands) Day(ctx context.Context, d moment.Date) (Day, error) {
	w, now := e.Where(), e.Calendar.Now()
	day := Day{Date: d, From: w.At(d, 0), To: w.At(d.Add(1), 0)}
	for _, event := range sun.Events {
		if at, is := w.On(d, moment.Point{Sun: event}); is {
			day.Sun = append(day.Sun, SunTime{event, at})
		}
	}
	slices.SortFunc(day.Sun, func(a, b SunTime) int { return a.At.Compare(b.At) })
	per := map[string]int{}
	err := e.History.ErrandsBetween(ctx, day.From, day.To, func(at time.Time, c happening.ErrandCame) {
		if per[c.ErrandID]++; per[c.ErrandID] <= mostOfDay {
			day.Came = append(day.Came, Came{at.In(w.Zone), c})
		}
	})
	if err != nil {
		return day, err
	}
	if day.Force, err = e.force(ctx, day.From, day.To); err != nil {
		return day, err
	}
	if day.To.After(now) {
		from := day.From
		if now.After(from) {
			from = now
		}
		day.Next = e.between(from, day.To)
	}
	return day, nil
}

// between lists when errands are due by the clock in a time.
func (e *Errands) between(from, to time.Time) (out []Due) {
	w := e.Where()
	for _, one := range e.List() {
		if one.Doc.Off || !one.Readable() {
			continue
		}
		at := from
		for range mostOfDay {
			next, is := one.Doc.Errand.Next(one.ID, at, w)
			if !is || !next.Before(to) {
				break
			}
			out, at = append(out, Due{one, next}), next
		}
	}
	return firstOf(out, len(out))
}

// Between lists when errands are due by the clock until a time, at most so many, the first one first.
func (e *Errands) Between(to time.Time, most int) []Due {
	all := e.between(e.Calendar.Now(), to)
	return all[:min(len(all), most)]
}

// force is which occasions were in force in a time.
func (e *Errands) force(ctx context.Context, from, to time.Time) (out []Force, err error) {
	before, err := e.History.Last(ctx, from)
	if err != nil {
		return nil, err
	}
	open := map[string]int{}
	begin := func(id string, at time.Time) {
		if _, is := open[id]; !is {
			open[id] = len(out)
			out = append(out, Force{ID: id, From: at})
		}
	}
	last := map[string]errand.Fact{}
	for _, f := range before {
		if was, is := last[f.Of]; f.Kind == errand.OfOccasion && (!is || !f.At.Before(was.At)) {
			last[f.Of] = f
		}
	}
	for id, f := range last {
		if f.Value == errand.Begins {
			begin(id, from)
		}
	}
	facts, err := e.History.Between(ctx, from, to, nil)
	for _, f := range facts {
		switch {
		case f.Kind != errand.OfOccasion:
		case f.Value == errand.Begins:
			begin(f.Of, f.At)
		default:
			if i, is := open[f.Of]; is {
				out[i].To = f.At
				delete(open, f.Of)
			}
		}
	}
	slices.SortFunc(out, func(a, b Force) int { return a.From.Compare(b.From) })
	return out, err
}

// Then is what was believed and measured at a time.
func (e *Errands) Then(ctx context.Context, at time.Time) (out []errand.Fact, err error) {
	facts, err := e.History.Last(ctx, at.Add(time.Millisecond))
	last := map[string]int{}
	for _, f := range facts {
		if f.Kind != errand.OfControl && f.Kind != errand.OfMeasurement && f.Kind != errand.OfOccasion {
			continue
		}
		key := f.Kind + " " + f.Of + "/" + f.Name
		if i, is := last[key]; is {
			if !f.At.Before(out[i].At) {
				out[i] = f
			}
			continue
		}
		last[key] = len(out)
		out = append(out, f)
	}
	return out, err
}

// Habit is a habit with the errand that it is offered as.
type Habit struct {
	errand.Habit
	Text string
}

// Habits counts what people do by hand at about the same time. Only devices that somebody sees count; nil is all.
func (e *Errands) Habits(ctx context.Context, sees func(id string) bool) (out []Habit, err error) {
	now := e.Calendar.Now()
	facts, err := e.History.Between(ctx, now.AddDate(0, 0, -errand.HabitDays), now, nil)
	if err != nil {
		return nil, err
	}
	if sees != nil {
		facts = slices.DeleteFunc(facts, func(f errand.Fact) bool {
			return (f.Kind == errand.OfControl || f.Kind == errand.OfKey) && !sees(f.Of)
		})
	}
	taken := map[string]bool{}
	for _, one := range e.List() {
		taken[one.Slug] = true
	}
	for _, h := range errand.Habits(facts, e.Where()) {
		device := e.Targets.Name(run.Target{Kind: run.Device, ID: h.Device})
		if device == "" {
			continue
		}
		name := e.free(device+"-"+h.Value, taken)
		text := h.Errand(name).Print(e.name)
		if _, err := e.read(text, "", nil); err != nil { // it cannot be done by itself
			continue
		}
		taken[name] = true
		out = append(out, Habit{h, text})
	}
	return out, nil
}

// free is a name that no errand has.
func (e *Errands) free(name string, taken map[string]bool) string {
	name = strings.Trim(strings.Map(func(r rune) rune {
		if r >= 'a' && r <= 'z' || r >= '0' && r <= '9' {
			return r
		}
		return '-'
	}, strings.ToLower(name)), "-")
	name = name[:min(len(name), 34)]
	out := name
	for n := 2; taken[out]; n++ {
		out = fmt.Sprintf("%s-%d", name, n)
	}
	return out
}

// Conflicts says, in words, what is odd about an errand beside the others.
func (e *Errands) Conflicts(sentence errand.Errand, id string) []string {
	all := e.List()
	others := make([]errand.Named, 0, len(all))
	for _, one := range all {
		if !one.Doc.Off && one.Readable() && len(others) < mostBeside {
			named := errand.Named{ID: one.ID, Errand: one.Doc.Errand}
			named.Name = one.Slug
			others = append(others, named)
		}
	}
	out := errand.Conflicts(errand.Named{ID: id, Errand: sentence}, others, e.paths, e.Calendar.Now(), e.Where())
	for _, c := range sentence.When {
		if c.Sudden == nil || c.Sudden.Phrase == "" || e.Understood == nil {
			continue
		}
		if words := e.Understood(c.Sudden.Phrase); words != "" {
			out = append(out, fmt.Sprintf("without this errand, %q means: %s. It will mean this errand instead",
				c.Sudden.Phrase, words))
		}
	}
	return out
}

// mostBeside is with how many errands one is compared.
const mostBeside = 500

// Blind is a device of which nobody knew what it was at when errands asked.
type Blind struct {
	Device  string // slug
	Skipped int    // cues that were skipped for this device alone
}

// Blind counts how many cues were skipped, in the last days, because it was not known what a device was at, of how
// many: a meter there would have decided them.
func (e *Errands) Blind(ctx context.Context, days int) (out []Blind, of int, err error) {
	now := e.Calendar.Now()
	count := map[string]int{}
	err = e.History.ErrandsBetween(ctx, now.AddDate(0, 0, -days), now.Add(time.Second), func(_ time.Time,
		c happening.ErrandCame) {
		if c.Did != "unknown" {
			return
		}
		of++
		about := map[string]bool{}
		for _, a := range c.Answers {
			if a.Is == "unknown" {
				about[a.About] = true
			}
		}
		if len(about) == 1 && !about[""] {
			for id := range about {
				count[id]++
			}
		}
	})
	for id, n := range count {
		if slug := e.Targets.Name(run.Target{Kind: run.Device, ID: id}); slug != "" {
			out = append(out, Blind{slug, n})
		}
	}
	slices.SortFunc(out, func(a, b Blind) int { return b.Skipped - a.Skipped })
	return out, of, err
}

// besides is how near the time of an errand on trial something done by hand is.
const besides = 15 * time.Minute

// Besides lists what people did by hand near a time with what an errand is about.
func (e *Errands) Besides(ctx context.Context, one Errand, at time.Time) ([]errand.Fact, error) {
	facts, err := e.History.Between(ctx, at.Add(-besides), at.Add(besides), nil)
	ids := e.Targets.AllDevices(run.Targets(append(slices.Clip(one.Doc.Errand.Do), one.Doc.Errand.After...)))
	return slices.DeleteFunc(facts, func(f errand.Fact) bool {
		return f.Kind != errand.OfControl || f.By != "person" && f.By != "handset" || !slices.Contains(ids, f.Of)
	}), err
}

// ofDevice finds the places in a sentence where a device is named.
func ofDevice(slug string) *regexp.Regexp {
	return regexp.MustCompile(`(^|[\s(,])` + regexp.QuoteMeta(slug) + "/")
}

// Copy makes the same errand for other devices: wherever it names one, the copy names another. Errors wrap ErrUnknown
// or ErrCopy, or are those of Add.
func (e *Errands) Copy(ctx context.Context, slug, of string, to []string, sight sequences.Sight, by grant.By) (
	out []Errand, err error) {
	one, err := e.Find(slug)
	if err != nil {
		return nil, err
	}
	text := e.Text(one)
	if !ofDevice(of).MatchString(text) {
		return nil, fmt.Errorf("%w: %s does not name %s", ErrCopy, one.Slug, of)
	}
	if len(to) == 0 || len(to) > mostCopies {
		return nil, fmt.Errorf("%w to %d devices: 1 to %d", ErrCopy, len(to), mostCopies)
	}
	taken := map[string]bool{}
	for _, o := range e.List() {
		taken[o.Slug] = true
	}
	texts := make([]string, len(to))
	for i, device := range to {
		name := e.free(one.Slug+"-"+device, taken)
		taken[name] = true
		anew := ofDevice(of).ReplaceAllString(text, "${1}"+strings.ReplaceAll(device, "$", "")+"/")
		texts[i] = called.ReplaceAllString(anew, "errand "+name)
		if _, err := e.read(texts[i], "", sight); err != nil { // all of them, or none
			return nil, fmt.Errorf("for %s: %w", device, err)
		}
	}
	for _, text := range texts {
		made, err := e.Add(ctx, text, sight, by)
		if err != nil {
			return out, err
		}
		out = append(out, made)
	}
	return out, nil
}

// ErrCopy is wrapped where an errand cannot be copied.
var ErrCopy = fault.New(fault.Invalid, "copy an errand")

// mostCopies is to how many devices one is copied at once.
const mostCopies = 50
