package errand

import (
	"cmp"
	"fmt"
	"slices"
	"time"

	"urbo/core/control"
	"urbo/core/moment"
	"urbo/core/run"
)

// MostRehearsed is the most cues that one rehearsal tells.
const MostRehearsed = 2000

// Devices is what a rehearsal asks of the devices of a house.
type Devices interface {
	// Set is what setting controls of a device comes to, where its controls may be at some values, by their names.
	Set(device string, wants []control.Want, at map[string][]string, now time.Time) Outcome
	// Press is what presses of a key come to.
	Press(device, key string, times int, at map[string][]string, now time.Time) Outcome
	// Occasion is what an occasion sets.
	Occasion(id string) []run.Wanted
}

// Outcome is what something comes to that is set or pressed.
type Outcome struct {
	Values  map[string]string // what controls are at then
	Presses int
	Takes   time.Duration
	Asks    string // the control that people would be asked for; "" is none
	Wrong   string // why it cannot be; "" where it can
}

// Script is what is rehearsed: an errand, and what happens meanwhile.
type Script struct {
	Errand   Errand
	ID       string
	From, To time.Time
	Where    moment.Where
	Before   []Fact // what was before
	Facts    []Fact // what happens from From on, in order
	Paths    Paths
	Devices  Devices
	Sequence run.Find
	Name     func(run.Target) string
	Taken    func(Key) bool // keys that any errand asks to be pressed twice, thrice or held
	Level    Level          // how far its level was at the beginning
}

// Rehearsed is a cue that came in a rehearsal, and what would have been made of it.
type Rehearsed struct {
	At      time.Time
	Cue     int // its number; ByClock where it is any that is planned
	How     How
	Act     Act // of a level
	Did     string
	Reason  string
	Answers []Leaf
	Does    []Done
	Asks    string // the control that people would have been asked for, as DEVICE/CONTROL; "" is none
}

// Done is a step that would have been done.
type Done struct {
	Says    string
	Presses int
	Wrong   string
}

// Rehearse runs an errand against what happened, or may, with nothing sent: its own plans are folded onto a copy of
// what was believed.
func Rehearse(s Script) []Rehearsed {
	r := &rehearsal{Script: s, memory: NewMemory(s.Paths), at: s.From}
	for _, f := range s.Before {
		r.memory.Recall(f)
	}
	for _, c := range []*run.Cond{s.Errand.Only, s.Errand.While} {
		if c != nil {
			for _, t := range c.Tests() {
				r.memory.Watch(t, r.memory.Reading(t))
			}
		}
	}
	r.course = Course{Bookmark: s.From, Level: s.Level}
	r.course.Stand(s.Errand, r.memory, s.From)
	r.play()
	return r.out
}

type rehearsal struct {
	Script
	at     time.Time
	memory *Memory
	course Course
	taps   Taps
	out    []Rehearsed

	playing *playing
	queued  []*playing
	holds   []holding
}

// playing is a run of the rehearsal.
type playing struct {
	program run.Program
	state   run.State
	of      int       // its place in out
	due     time.Time // when its step is done; zero while it waits
	waits   *Course   // for something to happen
}

// holding is a control that is set for a time.
type holding struct {
	path, device, control string
	value, back           string
	since                 time.Duration // how long it lasts from its cue on
	until                 time.Time     // zero is until its level ends
	of                    int
}

func (r *rehearsal) now(at time.Time) Now { return Now{At: at, Where: r.Where, Clock: true} }

// play goes through the time.
func (r *rehearsal) play() {
	r.tick(r.From)
	for i := 0; len(r.out) < MostRehearsed; {
		at, what := r.next(), -1
		if i < len(r.Facts) {
			if heard := knownAt(r.Facts[i]); at.IsZero() || heard.Before(at) {
				at, what = heard, i
			}
		}
		if at.IsZero() || at.After(r.To) {
			return
		}
		if at.Before(r.at) { // it is known late
			at = r.at
		}
		r.at = at
		if what >= 0 {
			i++
			r.fact(r.Facts[what], at)
		}
		r.tick(at)
	}
}

// readLate is how long after its end a press is known.
const readLate = 250 * time.Millisecond

// knownAt is when somebody knows of a fact.
func knownAt(f Fact) time.Time {
	if _, ended, is := f.Pressing(); is {
		return ended.Add(readLate)
	}
	return f.At
}

// next is when something is due; zero is never.
func (r *rehearsal) next() (soon time.Time) {
	soon = sooner(r.course.Soon(r.Errand, r.memory, r.now(r.at)), r.taps.Soon())
	if p := r.playing; p != nil {
		soon = sooner(soon, p.due)
		if p.due.IsZero() {
			soon = sooner(soon, p.state.Until)
		}
		if p.waits != nil {
			soon = sooner(soon, p.waits.Soon(p.happening(), r.memory, r.now(r.at)))
		}
	}
	for _, h := range r.holds {
		if !h.until.IsZero() {
			soon = sooner(soon, h.until)
		}
	}
	return soon
}

// fact lets something happen.
func (r *rehearsal) fact(f Fact, at time.Time) {
	n := r.memory.Take(f)
	if f.Kind == OfControl {
		r.overruled(f)
		if f.By == "person" && slices.ContainsFunc(run.Targets(r.Errand.Do), func(t run.Target) bool {
			return slices.ContainsFunc(r.Paths(t, f.Name), func(p string) bool { return p == f.path() })
		}) {
			r.course.Level = r.course.Level.Yield()
		}
	}
	began, ended, is := f.Pressing()
	k := Key{Device: f.Of, Key: f.Name}
	switch {
	case !is:
		r.hear(n, at)
	case r.Taken == nil || !r.Taken(k):
		n.Pressed = &k
		r.hear(n, at)
	default:
		for _, k := range r.taps.Press(k, began, ended, at) {
			r.hear(News{Pressed: &k}, at)
		}
	}
}

// overruled ends holds of what is at something else now.
func (r *rehearsal) overruled(f Fact) {
	r.holds = slices.DeleteFunc(r.holds, func(h holding) bool {
		return h.path == f.path() && f.Value != "" && f.Value != h.value
	})
}

func (r *rehearsal) hear(n News, at time.Time) {
	reached, _ := r.course.Hear(r.Errand, n, r.memory, r.now(at))
	for _, one := range reached {
		r.reached(one, at)
	}
	if r.Errand.While != nil {
		r.course.Look()
	}
	if p := r.playing; p != nil && p.waits != nil {
		all, _ := p.waits.Hear(p.happening(), n, r.memory, r.now(at))
		r.happened(p, all, at)
	}
}

// happening is the errand that a step waits for.
func (p *playing) happening() Errand {
	return Errand{When: []Cue{{Sudden: p.program[p.state.At].Wait.Happens}}}
}

func (r *rehearsal) happened(p *playing, all []Reached, at time.Time) {
	for _, one := range all {
		if one.How == Came {
			p.waits = nil
			r.event(p, run.Event{What: run.Due, At: at})
			return
		}
	}
}

// tick does what is due.
func (r *rehearsal) tick(at time.Time) {
	for _, k := range r.taps.Settle(at) {
		r.hear(News{Pressed: &k}, at)
	}
	for i := 0; i < len(r.holds); i++ {
		if h := r.holds[i]; !h.until.IsZero() && !h.until.After(at) {
			r.holds = slices.Delete(r.holds, i, i+1)
			i--
			r.fold(h.device, map[string]string{h.control: h.back}, at)
		}
	}
	r.steps(at)
	reached, _ := r.course.Tick(r.Errand, r.ID, r.memory, r.now(at))
	for _, one := range reached {
		r.reached(one, at)
	}
	r.level(at)
	r.steps(at)
}

// steps goes on with the run.
func (r *rehearsal) steps(at time.Time) {
	for range run.MaxOps {
		p := r.playing
		switch {
		case p == nil:
			return
		case !p.due.IsZero() && !p.due.After(at):
			p.due = time.Time{}
			r.event(p, run.Event{What: run.Due, At: at})
		case p.due.IsZero() && p.state.Phase == run.Waiting && p.until() != nil && r.judge(*p.until(), at) == run.Yes:
			r.event(p, run.Event{What: run.Due, At: at})
		case p.due.IsZero() && !p.state.Until.IsZero() && !p.state.Until.After(at):
			r.event(p, run.Event{What: run.LimitOver, At: at})
		default:
			if p.waits != nil {
				all, _ := p.waits.Tick(p.happening(), "", r.memory, r.now(at))
				r.happened(p, all, at)
			}
			return
		}
	}
}

// until is what a step waits for; nil is nothing.
func (p *playing) until() *run.Cond {
	if p.state.At >= len(p.program) || p.program[p.state.At].Wait == nil {
		return nil
	}
	return p.program[p.state.At].Wait.Until
}

func (r *rehearsal) judge(c run.Cond, at time.Time) run.Truth {
	is, _ := Judge(c, r.memory, r.now(at))
	return is
}

// reached lets a cue come, or says why it does not.
func (r *rehearsal) reached(one Reached, at time.Time) {
	came := Rehearsed{At: at, Cue: one.Cue, How: one.How}
	if one.How != Came {
		came.Did = map[How]string{TooLate: "missed", NotSure: "unknown", NotSo: "skipped", TooMany: "busy"}[one.How]
		r.out = append(r.out, came)
		return
	}
	is := run.Yes
	if r.Errand.Only != nil {
		is, came.Answers = Judge(*r.Errand.Only, r.memory, r.now(at))
	}
	if is == run.Unknown && r.Errand.Rules.Unknown == "run" {
		is = run.Yes
	}
	switch is {
	case run.Unknown:
		came.Did = "unknown"
		r.out = append(r.out, came)
	case run.No:
		came.Did = "skipped"
		r.out = append(r.out, came)
	default:
		r.begin(came, r.Errand.Do, at)
	}
}

// level judges the condition of an errand with while.
func (r *rehearsal) level(at time.Time) {
	act, leaves := r.course.Turn(r.Errand, r.memory, r.now(at), time.Time{})
	came := Rehearsed{At: at, Cue: ByClock, Act: act, Answers: leaves}
	switch act {
	case Begin:
		steps := r.Errand.Do
		if r.Errand.Back {
			steps = Held(steps)
		}
		r.begin(came, steps, at)
	case End:
		r.playing, r.queued = nil, nil
		came.Did = "ended"
		if r.Errand.Back {
			for _, h := range r.holds {
				r.fold(h.device, map[string]string{h.control: h.back}, at)
				came.Does = append(came.Does, Done{Says: h.path + " back to " + h.back})
			}
			r.holds = nil
		}
		r.out = append(r.out, came)
		if len(r.Errand.After) > 0 {
			r.start(len(r.out)-1, r.Errand.After, at)
		}
	}
}

// begin begins the steps of the errand, as its rule for being busy says.
func (r *rehearsal) begin(came Rehearsed, steps []run.Step, at time.Time) {
	came.Did = "ran"
	of := len(r.out)
	switch rule := r.Errand.Rules.Busy; {
	case rule == "stretch" && r.stretch(at):
		came.Did = "stretched"
	case r.playing == nil:
	case rule == "start over":
		r.playing, r.queued = nil, nil
	case rule == "follow" && len(r.queued) < 8:
		if program, err := run.Compile(r.ID, steps, r.Sequence, r.Name); err == nil {
			r.queued = append(r.queued, &playing{program: program, of: of})
		}
	default:
		came.Did = "busy"
	}
	r.out = append(r.out, came)
	if came.Did == "ran" {
		r.memory.Take(Fact{At: at, Kind: OfErrand, Of: r.ID, Value: "ran"})
	}
	if came.Did == "ran" && r.playing == nil {
		r.start(of, steps, at)
	}
}

// stretch lets what is held last longer.
func (r *rehearsal) stretch(at time.Time) (any bool) {
	for i, h := range r.holds {
		if !h.until.IsZero() && h.since > 0 {
			r.holds[i].until, any = at.Add(h.since), true
		}
	}
	return any
}

func (r *rehearsal) start(of int, steps []run.Step, at time.Time) {
	program, err := run.Compile(r.ID, steps, r.Sequence, r.Name)
	if err != nil {
		r.out[of].Did, r.out[of].Reason = "failed", err.Error()
		return
	}
	r.playing = &playing{program: program, of: of, state: run.State{Phase: run.Queued}}
	r.event(r.playing, run.Event{What: run.Turn, At: at})
}

// event lets something happen to the run, and does what comes of that.
func (r *rehearsal) event(p *playing, e run.Event) {
	state, act := p.program.Next(p.state, e)
	p.state = state
	switch act {
	case run.Begin:
		r.do(p, p.program[state.At], e.At)
	case run.Judge:
		switch r.judge(p.program[state.At].Branch.Cond, e.At) {
		case run.Yes:
			r.event(p, run.Event{What: run.Due, At: e.At})
		case run.No:
			r.event(p, run.Event{What: run.NotSo, At: e.At})
		default:
			r.doubt(p, "", "a condition is not known: "+p.program[state.At].Says, e.At)
		}
	case run.Sleep:
		if wait := p.program[state.At].Wait; wait != nil && wait.Happens != nil {
			p.waits = &Course{Bookmark: e.At}
		}
	case run.Finish:
		if state.End == run.Failed {
			began := r.out[p.of]
			r.out = append(r.out, Rehearsed{At: e.At, Cue: began.Cue, How: Came, Act: began.Act, Did: "failed",
				Reason: state.Reason})
		}
		if r.playing == p {
			r.playing = nil
			if len(r.queued) > 0 {
				next := r.queued[0]
				r.queued, r.playing = r.queued[1:], next
				next.state = run.State{Phase: run.Queued}
				r.event(next, run.Event{What: run.Turn, At: e.At})
			}
		}
	}
}

// usualAsk is for how long people are asked.
const usualAsk = 30 * time.Minute

// doubt is a step that needs to know what something is at: people would be asked, and nobody answers.
func (r *rehearsal) doubt(p *playing, path, reason string, at time.Time) {
	came := &r.out[p.of]
	came.Asks, came.Reason = cmp.Or(came.Asks, path), cmp.Or(came.Reason, reason)
	limit := cmp.Or(r.Errand.Rules.AskFor, usualAsk)
	if r.Errand.Rules.Doubtful == "skip" {
		limit = time.Nanosecond
	}
	r.event(p, run.Event{What: run.Doubt, Reason: path, Limit: limit, At: at})
}

// do does a step.
func (r *rehearsal) do(p *playing, op run.Op, at time.Time) {
	done := Done{Says: op.Says}
	takes := time.Duration(0)
	finish := func() {
		r.out[p.of].Does = append(r.out[p.of].Does, done)
		if done.Wrong != "" {
			r.event(p, run.Event{What: run.Trouble, Reason: done.Wrong, At: at})
			return
		}
		p.due = at.Add(takes)
	}
	switch {
	case op.Set != nil:
		out, asks := r.set(*op.Set, p.of, at)
		if asks != "" {
			r.doubt(p, asks, "it would ask what "+asks+" is at", at)
			return
		}
		done.Presses, done.Wrong, takes = out.Presses, out.Wrong, out.Takes
	case op.Press != nil:
		out := r.Devices.Press(op.Press.On.ID, op.Press.Key, max(op.Press.Times, 1), r.memory.Device(op.Press.On.ID),
			at)
		r.fold(op.Press.On.ID, out.Values, at)
		done.Presses, done.Wrong, takes = out.Presses, out.Wrong, out.Takes
	case op.Wait != nil && op.Wait.Point != nil:
		until, is := time.Time{}, false
		for n := -2; n < ahead && !is; n++ {
			until, is = r.Where.On(r.Where.DateOf(at).Add(n), *op.Wait.Point)
			is = is && until.After(at)
		}
		if !is {
			done.Wrong = run.PointText(*op.Wait.Point) + " does not come"
			finish()
			return
		}
		r.event(p, run.Event{What: run.Later, Limit: until.Sub(at), At: at})
		return
	case op.Start != nil:
		r.news(Fact{At: at, Kind: OfOccasion, Of: op.Start.On.ID, Value: Begins, By: "errand"}, at)
		out, _ := r.set(run.Set{Changes: r.Devices.Occasion(op.Start.On.ID), Eased: true}, p.of, at)
		done.Presses = out.Presses
	case op.End != nil:
		r.news(Fact{At: at, Kind: OfOccasion, Of: op.End.ID, Value: Ends, By: "errand"}, at)
	case op.Mark != "":
		r.news(Fact{At: at, Kind: OfMarker, Of: op.Mark, Value: Set}, at)
	case op.Unmark != "":
		r.news(Fact{At: at, Kind: OfMarker, Of: op.Unmark, Value: Unset}, at)
	}
	finish()
}

// news takes a fact of its own.
func (r *rehearsal) news(f Fact, at time.Time) { r.hear(r.memory.Take(f), at) }

// set sets controls on the copy of what is believed.
func (r *rehearsal) set(s run.Set, of int, at time.Time) (sum Outcome, asks string) {
	wants := map[string][]control.Want{}
	var order []string
	for _, c := range s.Changes {
		for _, path := range r.Paths(c.On, c.Control) {
			device, name := split(path)
			if wants[device] == nil {
				order = append(order, device)
			}
			wants[device] = append(wants[device], control.Want{Control: name, Value: c.Value})
		}
	}
	outs := map[string]Outcome{}
	for _, device := range order {
		out := r.Devices.Set(device, wants[device], r.memory.Device(device), at)
		if out.Asks != "" && !s.Eased && r.Errand.Rules.Doubtful != "press" {
			return sum, r.Name(run.Target{Kind: run.Device, ID: device}) + "/" + out.Asks
		}
		if s.Hold > 0 && s.Then == "" {
			for _, w := range wants[device] {
				if may := r.memory.Device(device)[w.Control]; len(may) != 1 && !s.Eased {
					return sum, r.Name(run.Target{Kind: run.Device, ID: device}) + "/" + w.Control
				}
			}
		}
		outs[device] = out
	}
	for _, device := range order {
		out := outs[device]
		sum.Presses += out.Presses
		sum.Takes = max(sum.Takes, out.Takes)
		sum.Wrong = cmp.Or(sum.Wrong, out.Wrong)
		before := r.memory.Device(device)
		if out.Wrong == "" {
			r.fold(device, out.Values, at)
		}
		if s.Hold > 0 || s.Until != nil {
			r.hold(s, device, wants[device], before, of, at)
		}
	}
	return sum, ""
}

// hold remembers what goes back.
func (r *rehearsal) hold(s run.Set, device string, wants []control.Want, before map[string][]string, of int,
	at time.Time) {
	length, fixed := s.Hold, false
	if s.Until != nil {
		fixed = true
		for n := -2; n < ahead; n++ {
			if until, is := r.Where.On(r.Where.DateOf(at).Add(n), *s.Until); is && until.After(at) {
				length = until.Sub(at)
				break
			}
		}
	}
	for _, w := range wants {
		h := holding{path: device + "/" + w.Control, device: device, control: w.Control, value: w.Value, back: s.Then,
			since: length, until: at.Add(length), of: of}
		if may := before[w.Control]; h.back == "" && len(may) == 1 {
			h.back = may[0]
		}
		if fixed {
			h.since = 0
		}
		if length >= run.MaxHold {
			h.until = time.Time{} // until its level ends
		}
		for i, older := range r.holds { // one want back for all
			if older.path == h.path {
				h.back = older.back
				r.holds = slices.Delete(r.holds, i, i+1)
				break
			}
		}
		r.holds = append(r.holds, h)
	}
}

// fold lets controls of a device be at values, by the errand.
func (r *rehearsal) fold(device string, values map[string]string, at time.Time) {
	names := make([]string, 0, len(values))
	for name := range values {
		names = append(names, name)
	}
	slices.Sort(names)
	for _, name := range names {
		f := Fact{At: at, Kind: OfControl, Of: device, Name: name, Value: values[name], By: "errand"}
		if now := r.memory.Device(device)[name]; len(now) == 1 && now[0] == f.Value {
			continue
		}
		r.news(f, at)
	}
}

// split parts ID/CONTROL.
func split(path string) (device, name string) {
	for i := range len(path) {
		if path[i] == '/' {
			return path[:i], path[i+1:]
		}
	}
	return path, ""
}

// Device is what the controls of a device may be at, by their names.
func (m *Memory) Device(id string) map[string][]string {
	out := map[string][]string{}
	for path := range m.things {
		if device, name := split(path); device == id && name != "" {
			out[name] = m.reading([]string{path})
		}
	}
	return out
}

// Held are steps of which all that they set for good is held, as long as possible.
func Held(steps []run.Step) []run.Step {
	out := slices.Clone(steps)
	for i, s := range out {
		switch {
		case s.Set != nil && s.Set.Hold == 0 && s.Set.Until == nil:
			set := *s.Set
			set.Hold = run.MaxHold
			out[i].Set = &set
		case s.If != nil:
			out[i].If = &run.Choice{Cond: s.If.Cond, Do: Held(s.If.Do), Else: Held(s.If.Else)}
		}
	}
	return out
}

// Sum is what a rehearsal comes to, in words: of the past, or of what is to come.
func Sum(all []Rehearsed, coming bool) string {
	ran, asked, unknown, skipped, other := 0, 0, 0, 0, 0
	for _, r := range all {
		switch {
		case r.Asks != "":
			asked++
			ran++
		case r.Did == "ran", r.Did == "stretched":
			ran++
		case r.Did == "unknown":
			unknown++
		case r.Did == "skipped":
			skipped++
		case r.Did != "ended":
			other++
		}
	}
	say := func(past, next string) string {
		if coming {
			return next
		}
		return past
	}
	if len(all) == 0 {
		return say("it would not have come", "it would not come")
	}
	text := say("it would have run ", "it would run ") + times(ran)
	for _, part := range []struct {
		n    int
		text string
	}{{asked, say("it would have asked", "it would ask")},
		{skipped, say("its condition would not have been so", "its condition would not be so")},
		{unknown, say("something would not have been known", "something would not be known")},
		{other, say("it would not have run for another reason", "it would not run for another reason")}} {
		if part.n > 0 {
			text += "; " + times(part.n) + " " + part.text
		}
	}
	return text
}

// times is how often, in words.
func times(n int) string {
	switch n {
	case 0:
		return "never"
	case 1:
		return "once"
	case 2:
		return "twice"
	}
	return fmt.Sprintf("%d times", n)
}
