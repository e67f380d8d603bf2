package control_test

import (
	"encoding/json"
	"flag"
	"fmt"
	"math"
	"math/rand/v2"
	"runtime"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/control"
)

var stories = flag.Int("stories", 100_000, "how many random stories are told")

// story is a random device, what is believed of it, and everything that happened.
type story struct {
	quiet  bool
	random *rand.Rand
	thing  *thing
	spec   *control.Spec
	belief control.Belief
	now    time.Time
	log    []string

	books   map[string]ledger // of trust, as base is
	base    control.Belief    // before the presses
	based   time.Time         // when that was so
	presses []control.Press
	late    []control.Press // that will be told of later
}

func (s *story) note(format string, args ...any) {
	if s.quiet {
		return
	}
	s.log = append(s.log, fmt.Sprintf("%7.2f ", s.now.Sub(epoch).Seconds())+fmt.Sprintf(format, args...))
}

var epoch = time.Date(2026, 3, 1, 20, 0, 0, 0, time.UTC)

// fold is what is believed after the presses that are known, in their order.
func (s *story) fold() {
	slices.SortStableFunc(s.presses, func(a, b control.Press) int { return a.At.Compare(b.At) })
	s.belief = s.base
	for _, p := range s.presses {
		s.belief = s.spec.After(s.belief, p)
	}
}

// know takes a press that is the last so far.
func (s *story) know(p control.Press) {
	s.presses = append(s.presses, p)
	s.belief = s.spec.After(s.belief, p)
}

// said begins anew from what is certain.
func (s *story) said(b control.Belief) {
	s.base, s.belief, s.presses, s.late, s.based = b, b, nil, nil, s.now
}

// tell is one story; what went wrong, or "". What happened is written down only where something did.
func tell(seed uint64, mutate func(*control.Spec, *rand.Rand)) (trouble string) {
	if tellIt(seed, true, mutate) == "" {
		return ""
	}
	return tellIt(seed, false, mutate)
}

func tellIt(seed uint64, quiet bool, mutate func(*control.Spec, *rand.Rand)) (trouble string) {
	r := rand.New(rand.NewPCG(seed, 1))
	s := &story{quiet: quiet, random: r, thing: newThing(r), now: epoch}
	spec, err := control.Compile(s.thing.keys, s.thing.forms)
	if err != nil {
		return fmt.Sprintf("seed %d: %v", seed, err)
	}
	if mutate != nil {
		mutate(spec, r)
	}
	s.spec = spec
	s.books = map[string]ledger{}
	s.said(spec.Nothing())
	for range 30 {
		if what := s.step(); what != "" {
			forms, _ := json.Marshal(s.thing.forms)
			return fmt.Sprintf("seed %d: %s\n%s\nforms %s", seed, what, strings.Join(s.log, "\n"), forms)
		}
	}
	return ""
}

// step is one thing that happens, and a look at what is believed then.
func (s *story) step() string {
	r := s.random
	s.now = s.now.Add(time.Duration(float64(pick(r, 500*time.Millisecond, 2*time.Second, 5*time.Second, 30*time.Second,
		4*time.Minute)) *
		(0.5 + r.Float64())))
	switch n := r.IntN(20); {
	case n < 8:
		s.handset()
	case n < 13:
		s.send()
	case n < 14 && len(s.late) > 0:
		s.note("the news of %d presses comes late", len(s.late))
		s.presses = append(s.presses, s.late...)
		s.late = nil
		s.fold()
	case n < 15 && len(s.late) == 0 && r.IntN(6) == 0:
		s.mains()
	case n < 15 && len(s.late) == 0 && (s.thing.linked || s.thing.isFed):
		s.other()
	case n < 16 && len(s.late) == 0:
		if what := s.told(); what != "" {
			return what
		}
	default:
		if len(s.late) == 0 {
			if what := s.plan(); what != "" {
				return what
			}
		}
	}
	if len(s.late) > 0 { // what is not known yet cannot be believed
		return ""
	}
	return s.check()
}

// key is one of the device's, likelier one that was pressed lately.
func (s *story) key() string {
	if n := len(s.presses); n > 0 && s.random.IntN(2) == 0 && s.presses[n-1].Frame == nil &&
		s.presses[n-1].Source != control.ByLink {
		return s.presses[n-1].Key
	}
	return pick(s.random, s.thing.keys...)
}

// press completes a press with a key of the device, or a frame.
func (s *story) press(p control.Press) control.Press {
	if s.thing.display != nil && s.random.IntN(3) > 0 {
		p.Frame = s.thing.shown()
	} else {
		p.Key = s.key()
	}
	return p
}

func (s *story) handset() {
	p := s.press(control.Press{At: s.now, Outcome: control.Sent, Source: control.ByHandset})
	if s.thing.holdable(p.Key) {
		p.Held = pick(s.random, 0, 0, 480*time.Millisecond, 1500*time.Millisecond, 2*time.Second)
	}
	s.thing.obey(p)
	if s.random.IntN(10) == 0 {
		s.note("handset %s %v, heard late", p.Key, p.Frame)
		s.late = append(s.late, p)
	} else {
		s.note("handset %s %v %s", p.Key, p.Frame, p.Held)
		s.know(p)
	}
	s.now = s.now.Add(p.Held)
}

func (s *story) send() {
	p := s.press(control.Press{At: s.now, Source: control.BySending,
		Outcome: pick(s.random, control.Sent, control.Sent, control.Failed, control.Unknown)})
	reaches := p.Outcome == control.Sent || p.Outcome == control.Unknown && s.random.IntN(2) == 0
	if reaches {
		s.thing.obey(p)
	}
	s.note("send %s %v: %s, reaches %t", p.Key, p.Frame, p.Outcome, reaches)
	s.know(p)
}

// other is what another device does: what feeds this one, or is linked with it.
func (s *story) other() {
	p := control.Press{At: s.now, Source: control.ByLink, Outcome: control.Sent}
	if s.thing.linked && (!s.thing.isFed || s.random.IntN(2) == 0) {
		p.Key = s.spec.Leads()[0].Key
		s.thing.link(s.now)
	} else {
		on := s.random.IntN(3) > 0
		p.Key = control.FedKey(on)
		s.thing.feed(on, s.now)
	}
	s.note("link %s", p.Key)
	s.know(p)
}

// mains fail, and somebody says so.
func (s *story) mains() {
	s.thing.fail(s.now)
	s.note("the mains fail")
	s.books = s.ledgers()
	for name, l := range s.books {
		l.sets, l.run = min(l.sets, 1), 0
		s.books[name] = l
	}
	if s.thing.hasPower {
		s.books["power"] = ledger{known: true, since: s.now}
	}
	s.said(s.spec.Failed(s.belief, s.now))
}

// told lets a person say what something truly is.
func (s *story) told() string {
	c := pick(s.random, s.thing.forms.Controls...)
	s.thing.tick(s.now)
	if c.Kind == control.Travel && s.thing.dir != 0 || s.thing.typed != "" || !s.thing.asked.IsZero() ||
		len(s.thing.way) > 0 || s.thing.lost {
		return "" // a person does not tell what is changing
	}
	value := s.thing.truth(c.Name, s.now)
	b, fits, err := s.spec.Tell(s.belief, c.Name, value, control.Told, s.now)
	s.note("told %s is %s", c.Name, value)
	s.books = s.ledgers()
	s.books[c.Name] = ledger{known: true, since: s.now, set: value, sets: 2}
	if err != nil || !fits {
		return fmt.Sprintf("what is true of %s does not fit: %v", c.Name, err)
	}
	for _, st := range s.spec.States(b, s.now) {
		if st.Control == c.Name && place(st.Value) != place(value) {
			return fmt.Sprintf("%s was told to be %s, and is believed to be %s", c.Name, value, st.Text())
		}
	}
	s.said(b)
	return ""
}

// check says which true value is not among the possible ones.
func (s *story) check() string {
	books := s.ledgers()
	if !s.thing.quirky && s.plain() {
		return "power was known, every press of it too, and now it is not"
	}
	for _, st := range s.spec.States(s.belief, s.now) {
		value := s.thing.truth(st.Control, s.now)
		if !s.among(value, st) {
			return fmt.Sprintf("%s is %s, and believed to be %s", st.Control, value, st.Text())
		}
		form := s.thing.form(st.Control)
		if s.thing.quirky { // what its keys did to what was said is not counted here
			continue
		}
		if len(form.Sequences) > 0 && st.Word != control.Certain {
			continue // how far keys of a menu led is not counted here, but none makes it certain
		}
		if most := books[st.Control].most(form, st, s.now, s.thing.hasPower); rank(st.Word) > rank(most) {
			return fmt.Sprintf("%s is %s, and may be %s at most: %+v", st.Control, st.Word, most, books[st.Control])
		} else if plain := !s.thing.hasPower && form.Kind == control.Selector && len(form.Sequences) == 0; plain &&
			st.Word == control.Doubtful &&
			most != control.Doubtful { // every press counts there
			return fmt.Sprintf("%s is %s, and not %s: %+v", st.Control, st.Word, most, books[st.Control])
		}
	}
	return ""
}

// plain says whether power was known, all presses since were sent half a minute apart, and it is not known any more.
func (s *story) plain() bool {
	if !s.thing.hasPower || s.spec.States(s.base, s.based)[0].Value == "" {
		return false
	}
	last := s.based
	for _, p := range s.presses {
		if p.Outcome == control.Unknown || p.At.Sub(last) < 30*time.Second {
			return false
		}
		last = p.At
	}
	return s.now.Sub(last) > 30*time.Second && s.spec.States(s.belief, s.now)[0].Value == ""
}

// among says whether a value is one of those that are told of a control.
func (s *story) among(value string, st control.State) bool {
	for _, m := range st.May {
		if m == "…" || m == value {
			return true
		}
		from, to, isRange := strings.Cut(m, " to ")
		x, lo, hi := place(value), place(from), place(to)
		if !isRange {
			hi = lo
		}
		slack := 0.0
		if st.Kind == control.Travel {
			slack = 1
			if st.Control == "slats" {
				slack = 2
			}
			if st.Value != "" {
				slack = 8
				if st.Control == "slats" {
					slack = 21
				}
			}
		} else if !isRange {
			continue
		}
		if lo-slack <= x && x <= hi+slack {
			return true
		}
	}
	return false
}

func place(text string) (x float64) {
	switch text {
	case "closed":
		return 0
	case "open":
		return 100
	}
	_, _ = fmt.Sscan(strings.TrimSuffix(text, "%"), &x)
	return x
}

// plan asks for something, and does it where it is sure.
func (s *story) plan() string {
	r := s.random
	var wants []control.Want
	for _, i := range r.Perm(len(s.thing.forms.Controls))[:1+r.IntN(min(2, len(s.thing.forms.Controls)))] {
		c := s.thing.forms.Controls[i]
		wants = append(wants, control.Want{Control: c.Name, Value: s.anyValue(c)})
	}
	asked := r.IntN(2) == 0
	p, err := s.spec.Plan(s.belief, control.Request{Wants: wants, Asked: asked, Holds: s.thing.holds}, s.now)
	s.note("plan %v, asked %t: %+v %v", wants, asked, p, err)
	if err != nil {
		return ""
	}
	if !p.Sure && len(p.Helps) == 0 {
		return "it is not sure, and says no help"
	}
	if !s.thing.quirky && !p.Sure && len(wants) == 1 && s.reachable(wants[0]) {
		return "it could be sure, and is not"
	}
	if what := s.leftOut(wants, asked, p); what != "" && !s.thing.quirky {
		return what
	}
	if !p.Sure {
		return ""
	}
	level, on := s.thing.level, !s.thing.hasPower || s.thing.mode > 0 && !s.now.Before(s.thing.ready) &&
		len(p.Steps) == 1
	var done []control.Press
	began, at := s.now, s.now
	for _, step := range p.Steps {
		at = at.Add(step.Wait)
		for n := range step.Times {
			if n > 0 {
				at = at.Add(step.Gap)
			}
			press := control.Press{Key: step.Key, Frame: step.Frame, At: at, Held: step.Hold,
				Outcome: control.Sent, Source: control.BySending}
			s.thing.obey(press)
			done = append(done, press)
		}
		at = at.Add(step.Hold)
	}
	if at.After(s.now.Add(p.Takes)) {
		return "the plan takes longer than it says"
	}
	s.now = s.now.Add(p.Takes)
	for _, p := range done {
		s.know(p)
	}
	about := slices.ContainsFunc(s.spec.States(s.belief, s.now), func(st control.State) bool { return st.About })
	for _, w := range wants {
		if steps, ok := strings.CutPrefix(w.Value, "+"); ok {
			if on && !s.thing.quirky && s.thing.level != s.thing.stepped(level, steps) {
				return fmt.Sprintf("the plan was sure, and %s went from %d to %d", w.Control, level, s.thing.level)
			}
			continue
		}
		if truth := s.thing.truth(w.Control, s.now); place(truth) != place(w.Value) || truth != w.Value &&
			place(w.Value) == 0 {
			if w.Control == "shutter" && near(place(truth), place(w.Value)) {
				continue
			}
			if w.Control == "slats" && math.Abs(place(truth)-place(w.Value)) <= 22 {
				continue
			}
			if w.Control == "glow" && math.Abs(place(truth)-place(w.Value)) <= float64(max((s.thing.glows+3)/6, 1)) {
				continue
			}
			if s.thing.ranOut.After(began) {
				continue // its own timer ran out meanwhile, of which nobody knew when it began
			}
			if w.Control == "volume" && about && math.Abs(place(truth)-place(w.Value)) <= s.thing.width() {
				continue
			}
			return fmt.Sprintf("the plan was sure, and %s is %s", w.Control, truth)
		}
	}
	return ""
}

// near says whether a place on the way is as near as motors are exact; ends are exact.
func near(truth, want float64) bool {
	if want == 0 || want == 100 {
		return truth == want
	}
	return truth-want <= 8 && want-truth <= 8
}

func (s *story) anyValue(c control.Control) string {
	r := s.random
	switch c.Name {
	case "power":
		if len(c.Values) > 0 {
			return pick(r, c.Values...)
		}
		return pick(r, "off", "on")
	case "volume":
		if r.IntN(4) == 0 {
			return fmt.Sprint("+", 1+r.IntN(3))
		}
		return fmt.Sprint(r.IntN(s.thing.levels))
	case "mute", "lamp", "menu":
		return pick(r, "off", "on")
	case "nap":
		return pick(r, "off", "a", "b")
	case "glow":
		return fmt.Sprint(r.IntN(s.thing.glows))
	case "source":
		return pick(r, c.Values...)
	case "channel":
		return fmt.Sprint(r.IntN(s.thing.most + 1))
	}
	return pick(r, "0%", "100%", "50%", "30%")
}

// leftOut says where a plan presses what its rules leave out: what is certain unless a person asks, and keys that go on
// from where something is believed to be at what is wanted already.
func (s *story) leftOut(wants []control.Want, asked bool, p control.Plan) string {
	if len(wants) != 1 {
		return ""
	}
	w := wants[0]
	c := s.thing.form(w.Control)
	if strings.HasPrefix(w.Value, "+") {
		return ""
	}
	for _, st := range s.spec.States(s.belief, s.now) {
		if st.Control != w.Control || place(st.Value) != place(w.Value) || st.Value == "" || s.thing.typed != "" {
			continue
		}
		is := st.Value == w.Value || c.Kind == control.Travel
		switch {
		case !is, c.Kind == control.Travel && st.Moving != 0:
		case c.Kind != control.Power && s.unsurePower():
		case !asked && st.Word == control.Certain && p.Presses() > 0 && st.Phase != control.Warming &&
			s.thing.asked.IsZero():
			return fmt.Sprintf("%s is certain, and pressed", w.Control)
		case c.Kind == control.Selector && c.Round != "" && len(c.Keys) == 0 && p.Presses() > 0 && !s.unmutedBy(c):
			return fmt.Sprintf("%s is believed so, and its key that goes round is pressed", w.Control)
		case asked && c.Kind == control.Selector && (c.Keys[w.Value] != "" || c.Sequences[w.Value] != nil) &&
			p.Presses() == 0:
			return fmt.Sprintf("a person asks for %s, and nothing is pressed", w.Control)
		}
	}
	return ""
}

// reachable says whether there is a way to a value from all that is possible, as far as the forms and what is known of
// power tell: no plan may miss it.
func (s *story) reachable(w control.Want) bool {
	c := s.thing.form(w.Control)
	if strings.HasPrefix(w.Value, "+") {
		return false
	}
	var power, it control.State
	for _, st := range s.spec.States(s.belief, s.now) {
		if st.Kind == control.Power {
			power = st
		}
		if st.Control == w.Control {
			it = st
		}
	}
	if s.thing.display != nil && c.Name != "mute" { // frames carry it
		return true
	}
	on := c.Kind == control.Power || !s.thing.hasPower || c.While == control.WhileAny || power.Value != ""
	if on && (c.Sequences[w.Value] != nil || c.Keys[w.Value] != "" && c.Kind != control.Digits ||
		c.Kind == control.Digits && c.Keys == nil) {
		return true
	}
	switch {
	case !on:
		return false
	case c.Kind == control.Dial && c.Up != "" && c.Ends != control.EndsRound, c.Kind == control.Travel && c.Open != "":
		return true
	// what its one key does next is not known even at an end: it may have been stopped there
	case c.Kind == control.Travel:
		return false
	}
	return it.Value != "" && (power.Phase == control.On || c.OnStart != control.StartUnknown)
}

func (s *story) unmutedBy(c *control.Control) bool { return c.Name == "mute" && s.thing.unmutes }

// unsurePower says whether the device may have to be switched on first.
func (s *story) unsurePower() bool {
	for _, st := range s.spec.States(s.belief, s.now) {
		if st.Kind == control.Power && (st.Phase != control.On || st.Value == "") {
			return true
		}
	}
	return false
}

// tellAll tells stories until one goes wrong.
func tellAll(n int, mutate func(*control.Spec, *rand.Rand)) string {
	var next atomic.Uint64
	var once sync.Once
	var group sync.WaitGroup
	trouble := ""
	for range runtime.NumCPU() {
		group.Go(func() {
			for {
				seed := next.Add(1)
				if seed > uint64(n) {
					return
				}
				if what := tell(seed, mutate); what != "" {
					once.Do(func() { trouble = what })
					next.Store(uint64(n))
					return
				}
			}
		})
	}
	group.Wait()
	return trouble
}

func TestStories_TheTrueValueIsPossibleAndASurePlanEndsRight(t *testing.T) {
	require.Empty(t, tellAll(*stories, nil))
}

func TestTell_WhatContradictsReplaces(t *testing.T) {
	spec, err := control.Compile([]string{"on", "off"}, control.Forms{Controls: []control.Control{{Name: "power",
		Kind: control.Power, Keys: map[string]string{"on": "on", "off": "off"}}}})
	require.NoError(t, err)
	b := spec.After(spec.Nothing(), control.Press{Key: "on", At: epoch, Outcome: control.Sent})
	b, fits, err := spec.Tell(b, "power", "off", control.Sensed, epoch.Add(time.Second))
	require.NoError(t, err)
	assert.False(t, fits)
	st := spec.States(b, epoch.Add(time.Minute))[0]
	assert.Equal(t, "off", st.Value)
	assert.Equal(t, 1, st.Wrong)
}
