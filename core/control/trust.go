package control

import (
	"math"
	"slices"
	"time"
)

// Source of what is believed of a control.
type Source string

// The sources. Assumed is the zero value: nobody has said or done anything yet.
const (
	Assumed   Source = ""
	BySending Source = "sent"   // Urbo pressed it
	ByHandset Source = "heard"  // a handset was heard
	Told      Source = "told"   // a person said so
	Sensed    Source = "sensed" // a sensor did
	ByLink    Source = "linked" // another device does that, over their cable
	ByItself  Source = "itself" // the device did: its timer ran out, a menu closed
)

// Word says how far what is believed of a control can be trusted.
type Word string

// The words.
const (
	Certain  Word = "certain"
	Believed Word = "believed"
	Doubtful Word = "doubtful"
)

// Trust is where what is believed of a control comes from, and what may have spoiled it since.
type Trust struct {
	Source  Source    `json:"source,omitempty"`
	At      time.Time `json:"at,omitzero"`       // of the last press, or when it was told
	Certain time.Time `json:"certain,omitzero"`  // last told, sensed, or set by a key that sets it
	Sets    int       `json:"sets,omitempty"`    // times in a row that it was set to the same value
	Value   int       `json:"value,omitempty"`   // the value that it was set to
	Run     int       `json:"run,omitempty"`     // steps in one direction, below 0 down
	Presses int       `json:"presses,omitempty"` // that went on from what it was, since Certain
	Deaf    bool      `json:"deaf,omitempty"`    // nobody was listening for a while since Certain
	Wrong   int       `json:"wrong,omitempty"`   // how often a sensor said otherwise
	Half    time.Time `json:"half,omitzero"`     // of the first of two presses that switch off
	Last    time.Time `json:"last,omitzero"`     // of the last step of Run
	// Below and Above are how many steps a dial is likely to be off by missed presses, on either side of what is
	// possible.
	Below float64 `json:"below,omitempty"`
	Above float64 `json:"above,omitempty"`
	Far   float64 `json:"far,omitempty"`   // the chance that it is off by more than that
	Cause string  `json:"cause,omitempty"` // id in the journal
}

const (
	// mostToggles and mostSteps are how many presses may go on from what is known before it is doubtful, of a control
	// with two values and with more: each may have been missed. A dial is off by steps, and has a width instead.
	mostToggles = 5
	mostSteps   = 3
	// fresh is how long what was told or set stays certain: then a handset that nobody heard may have been pressed.
	fresh = 10 * time.Minute
	// inHand is how long after its last press a handset may still be in somebody's hand, and atOnce how long what was
	// told or set is certain even then.
	inHand = 15 * time.Minute
	atOnce = 2 * time.Second
	// oneGo is how far apart the presses of one way to an end may be.
	oneGo = time.Minute
	// fewSteps is how many values a dial has of which being off by one is no matter.
	fewSteps = 9
	// mostOff is the chance to be off by more than its width with which a dial is still believed.
	mostOff = 0.05
	// sure is how many presses of a key that sets a value make it certain: one may have been missed.
	sure = 2
)

// trustAfter is the trust after a press that led from one belief to another. A press proves only what it surely did:
// where the device may not have listened, or was off, it confirms nothing.
func (s *Spec) trustAfter(b, after Belief, p Press) []Trust {
	out := slices.Clone(b.Trust)
	all := s.effectsOf(p)
	if p.Source == ByLink && s.fed && (p.Key == keyFed || p.Key == keyUnfed) {
		return s.trustFed(out, after, p)
	}
	proven, known := false, false // whether what power is at is certain: worked out where it matters
	powered := func() bool {
		if !known {
			proven, known = s.poweredFor(b, p), true
		}
		return proven
	}
	var own uint64 // controls that the key has an effect on
	for _, e := range all {
		own |= 1 << e.control
		t := &out[e.control]
		acts, idles := s.heeded(b, e, p)
		if acts {
			t.Source, t.At, t.Cause = p.Source, p.At, p.Cause
		}
		switch form := &s.controls[e.control]; {
		case !acts && form.RestMS > 0 && form.Kind == Dial: // it showed only, or that press was missed
			t.owe(form, p, e)
		case !acts && form.RestMS > 0:
			t.Presses, t.Sets = t.Presses+1, min(t.Sets, sure-1)
		case !acts:
			if !powered() { // the device may be on all the same
				t.Presses, t.Sets, t.Run, t.Far = max(t.Presses, 1), min(t.Sets, sure-1), 0, max(t.Far, missing)
			}
		case idles:
			t.Presses++
			t.Sets, t.Run = 0, 0
		default:
			s.trustEffect(t, e, b, p, e.while == anyPower && e.given == nil || powered())
		}
	}
	if s.power >= 0 && !out[s.power].Half.IsZero() && !s.halfOff(p) {
		out[s.power].Half = time.Time{}
	}
	for i := range out {
		c, t := &s.controls[i], &out[i]
		mine := own&(1<<i) != 0
		begins := own&(1<<max(s.power, 0)) != 0 || s.tied[i] >= 0 && own&(1<<s.tied[i]) != 0
		if c.Kind == Travel || !mine && !begins && c.Kind != Digits && len(c.Sequences) == 0 {
			continue
		}
		is := s.may(after, i, p.At)
		switch {
		case !c.exactly(is): // what it is set to next says nothing about what it was
			t.Presses, t.Sets = max(t.Presses, 1), 0
		case i != s.power && !mine && !slices.Equal(is, s.may(b, i, p.At)): // by being switched on
			t.set(is[0].From, p.At)
			t.Source, t.At, t.Cause = p.Source, p.At, p.Cause
		}
	}
	return out
}

// trustFed is the trust after what feeds a device was switched on or off: what it is at then depends on what that was.
func (s *Spec) trustFed(out []Trust, after Belief, p Press) []Trust {
	for i := range out {
		t := &out[i]
		if t.Sets, t.Run = min(t.Sets, 1), 0; s.controls[i].Kind == Power {
			t.Source, t.At, t.Certain, t.Sets, t.Presses, t.Cause = ByLink, p.At, p.At, 0, 0, p.Cause
		}
		if s.controls[i].Kind != Travel && !s.controls[i].exactly(s.may(after, i, p.At)) {
			t.Presses, t.Sets = max(t.Presses, 1), 0
		}
	}
	return out
}

// trustEffect is the trust in a control after a key that surely acted on it. proven says that this is certain itself.
func (s *Spec) trustEffect(t *Trust, e effect, b Belief, p Press, proven bool) {
	c := &s.controls[e.control]
	sets := e.op == OpSet || e.op == OpMove || e.op == OpOn && c.size() == 2
	value := e.arg
	if e.op == OpOn {
		value = 1
	}
	switch {
	case e.op == OpPart:
		s.trustSequence(t, e.control, b.Cases, p)
	case p.Outcome == Unknown:
		t.Presses++
		t.Sets, t.Run = 0, 0
	case e.op == OpOn && !sets: // it goes on in whatever it is on at
		if slices.ContainsFunc(b.Cases, func(k Case) bool { return k.Phase == Off }) {
			t.Presses++
			t.Sets = 0
		}
	case e.control == s.power && sets && value == 0 && c.AgainMS > 0 && !s.secondOff(t, p):
		t.Half = p.At // it asks for another: this alone is nothing
	case sets && p.Source == ByLink:
		if t.set(value, p.At); !proven {
			t.Presses++
		}
	case sets && t.Sets > 0 && t.Value == value && t.Presses == 0:
		if t.Half = (time.Time{}); proven {
			t.Sets++
		}
		t.Certain = p.At
	case sets:
		t.set(value, p.At)
	default:
		t.Presses++
		t.Sets = 0
		least, _ := steps(c, p.Held)
		if e.op == OpStep && e.arg*t.Run >= 0 && proven && p.At.Sub(t.Last) <= oneGo {
			t.Run += e.arg * least
		} else if t.Run = 0; e.op == OpStep {
			t.Run = e.arg * least
		}
		if c.Kind == Dial {
			t.Last = p.At
			t.owe(c, p, e)
		}
		if end := c.endAfter(t.Run); end >= 0 {
			held := t.Far > 0 // part of it was one press, which may have been missed
			if t.set(end, p.At); proven && !held {
				t.Sets = sure
			}
		}
	}
}

// missing is the part of presses that are missed: by a device, or by whoever listens to a handset.
const missing = 0.02

// owe notes by how many steps a dial may be off after one more press: what was sent may not have arrived, which leaves
// it on the near side; where a handset was heard, another press may not have been.
func (t *Trust) owe(c *Control, p Press, e effect) {
	heard := p.Source == ByHandset
	if least, _ := steps(c, p.Held); least > 1 || e.op == OpVague { // all of it may be missing
		t.Far += missing
		return
	}
	most := missing * math.Abs(float64(e.arg))
	if heard || e.arg > 0 {
		t.Below += most
	}
	if heard || e.arg < 0 {
		t.Above += most
	}
}

// secondOff says whether a press that switches off is the second of two that are needed.
func (s *Spec) secondOff(t *Trust, p Press) bool {
	return !t.Half.IsZero() && p.At.Sub(t.Half) <= less(s.again())
}

// halfOff says whether a press is one that switches off, so that what was asked once stays asked.
func (s *Spec) halfOff(p Press) bool {
	return p.Frame == nil && slices.ContainsFunc(s.effects[p.Key], func(e effect) bool {
		return e.control == s.power && e.op == OpSet && e.arg == 0
	})
}

// heeded says whether an effect acts in any case that is possible, and whether it does not in any.
func (s *Spec) heeded(b Belief, e effect, p Press) (acts, idles bool) {
	if p.Frame != nil {
		return true, false
	}
	for i := range b.Cases {
		c := &b.Cases[i]
		if p.Source == ByLink {
			follows := c.Phase != Unfed && c.Phase != Cooling && (e.control == s.power || c.Phase == On)
			acts, idles = acts || c.Phase != Unfed, idles || !follows
			continue
		}
		if c.bit() == 0 && c.Phase != Unfed && !p.At.Before(c.Until.From) { // it may listen by now
			acts = true
		}
		yes, no := s.acts(&e, c, p)
		acts, idles = acts || !no, idles || !yes
	}
	return acts, idles
}

// poweredFor says whether what power is at, and with that whether a key acts, is certain itself; and has been for as
// long as a device may ignore keys.
func (s *Spec) poweredFor(b Belief, p Press) bool {
	if s.power < 0 || p.Frame != nil {
		return true
	}
	c, t := &s.controls[s.power], b.Trust[s.power]
	ignores := max(more(ms(c.WarmUpMS)), more(ms(c.CoolDownMS)))
	return s.word(b, s.power, s.may(b, s.power, p.At), p.At) == Certain &&
		(ignores == 0 || t.Source == Told || p.At.Sub(t.Certain) > ignores)
}

// frameEffects are what a frame does, as effects.
func (s *Spec) frameEffects(frame map[string]string) (out []effect) {
	for _, i := range s.framed {
		if n, err := s.controls[i].index(frame[s.controls[i].Name]); err == nil {
			out = append(out, effect{control: i, op: OpSet, arg: n})
		} else {
			out = append(out, effect{control: i, op: OpVague})
		}
	}
	return out
}

func (t *Trust) set(value int, at time.Time) {
	t.Sets, t.Value, t.Certain, t.Presses, t.Run, t.Deaf = 1, value, at, 0, 0, false
	t.Half, t.Below, t.Above, t.Far = time.Time{}, 0, 0, 0
}

// spare is how many presses more than their number are made to be sure that an end is reached.
func spare(steps int) int { return max((steps+9)/10, 4) }

// endAfter is the end that a dial must have reached after so many steps in one direction, −1 where it need not have.
func (c *Control) endAfter(run int) int {
	n := c.size() - 1
	switch {
	case c.Kind != Dial || c.Ends == EndsRound:
	case run >= n+spare(n):
		return n
	case -run >= n+spare(n):
		return 0
	}
	return -1
}

// Deafened notes that nobody listened for a while: a handset may have been pressed.
func (s *Spec) Deafened(b Belief) Belief {
	out := Belief{Cases: b.Cases, Trust: make([]Trust, len(b.Trust)), Handset: b.Handset}
	copy(out.Trust, b.Trust)
	for i := range out.Trust {
		if out.Trust[i].Source != Assumed {
			out.Trust[i].Deaf = true
		}
	}
	return out
}

// Away is what is believed after a long while in which the house was not there: a handset may have been pressed. Where
// every key only sets a value that costs nothing, as the next press mends it: what was certain is believed.
func (s *Spec) Away(b Belief) Belief {
	out, rested := s.Deafened(b), s.Rested(b)
	for i := range out.Trust {
		if s.onlySet(i) {
			out.Trust[i] = rested.Trust[i]
		}
	}
	return out
}

// onlySet says whether all keys and frames that do anything to a control set it to a value.
func (s *Spec) onlySet(i int) bool {
	found := slices.Contains(s.framed, i)
	for key, all := range s.effects {
		for _, e := range all {
			if e.control != i {
				continue
			}
			if found = true; !s.Sets(key) {
				return false
			}
		}
	}
	return found
}

// Rested is what is believed after a short while in which nobody listened: what was certain is believed.
func (s *Spec) Rested(b Belief) Belief {
	out := Belief{Cases: b.Cases, Trust: slices.Clone(b.Trust), Handset: b.Handset}
	for i := range out.Trust {
		out.Trust[i].Sets = min(out.Trust[i].Sets, sure-1)
	}
	return out
}

// word says how far a control can be trusted that may be at some values.
func (s *Spec) word(b Belief, i int, may Ranges, now time.Time) Word {
	c, t := &s.controls[i], b.Trust[i]
	limit := mostToggles
	if c.Kind == Selector && c.size() > 2 || c.Kind == Dial {
		limit = mostSteps
	}
	wide := c.Kind == Dial && c.width() > 0
	switch {
	case t.Deaf, t.Source == Assumed, !wide && t.Presses > max(limit-t.Wrong, 0):
		return Doubtful
	case wide && c.off(t) > max(mostOff-float64(t.Wrong)*mostOff/mostSteps, 0):
		return Doubtful
	case c.exactly(may) && t.Presses == 0 && t.Sets >= sure &&
		now.Sub(t.Certain).Abs() <= fresh && !b.inUse(t, now) && s.settled(b, i, now):
		return Certain
	case !c.narrow(may):
		if _, chance := s.likely(b, i, may, now); chance > mostOff {
			return Doubtful
		}
	}
	return Believed
}

// settled says whether a control has come to where it was sent, also if only the last press of the way arrived.
func (s *Spec) settled(b Belief, i int, now time.Time) bool {
	c, t := &s.controls[i], b.Trust[i]
	if c.Kind != Travel || t.Source == Told || t.Source == Sensed {
		return true
	}
	return moving(b, i) == 0 && now.Sub(t.Certain) >= more(ms(c.DelayMS))+more(max(c.openTime(), c.closeTime()))
}

// inUse says whether somebody has a handset of the device in the hand: then what was not heard may have changed what is
// certain otherwise.
func (b Belief) inUse(t Trust, now time.Time) bool {
	return !b.Handset.IsZero() && now.Sub(b.Handset) <= inHand && now.Sub(t.Certain) > atOnce
}

// width is by how much a control may be off and still count as there: a dial by some steps, a travel by a part of its
// way.
func (c *Control) width() int {
	switch c.Kind {
	case Dial:
		if c.Hold != "" { // nobody holds a key to the moment
			return max((c.size()+3)/6, 1)
		}
		if c.size() < fewSteps || c.Ends == EndsRound { // each step is another value, or the ends are beside each other
			return 0
		}
		return max((c.size()-1)/20, 1)
	case Travel:
		if c.SlatsOf != "" {
			return withinSlats
		}
		return within
	case Power, Selector, Digits:
	}
	return 0
}

// exactly says whether what a control may be at is one value: of a travel one place, as near as such are known.
func (c *Control) exactly(may Ranges) bool {
	return c.narrow(may) && (c.Kind == Travel || may[0].From == may[0].To)
}

// narrow says whether what a control may be at is no more than its width around one value.
func (c *Control) narrow(may Ranges) bool {
	return len(may) == 1 && may[0].To-may[0].From <= 2*c.width()
}

// off is the chance that a dial is off by more than its width: each press that may have been missed was so by itself.
func (c *Control) off(t Trust) float64 {
	return t.Far + beyond(t.Below, c.width()) + beyond(t.Above, c.width())
}

// beyond is the chance that more than so many of many rare things have happened: the tail of a Poisson distribution.
func beyond(expected float64, most int) float64 {
	term, sum := math.Exp(-expected), 0.0
	for k := range most + 1 {
		if k > 0 {
			term *= expected / float64(k)
		}
		sum += term
	}
	return max(1-sum, 0)
}
