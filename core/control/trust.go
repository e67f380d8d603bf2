package control

import (
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
	Cause   string    `json:"cause,omitempty"`   // id in the journal
}

const (
	// mostToggles and mostSteps are how many presses may go on from what is known before it is doubtful: each may have
	// been missed.
	mostToggles = 5
	mostSteps   = 3
	// fresh is how long what was told or set stays certain: then a handset that nobody heard may have been pressed.
	fresh = 10 * time.Minute
	// sure is how many presses of a key that sets a value make it certain: one may have been missed.
	sure = 2
)

// trustAfter is the trust after a press.
func (s *Spec) trustAfter(b Belief, p Press) []Trust {
	out := slices.Clone(b.Trust)
	all := s.effects[p.Key]
	if p.Frame != nil {
		all = s.frameEffects(p.Frame)
	}
	for _, e := range all {
		t := &out[e.control]
		t.Source, t.At, t.Cause = p.Source, p.At, p.Cause
		c := &s.controls[e.control]
		sets := e.op == OpSet || e.op == OpMove
		switch {
		case e.op == OpPart:
			s.trustSequence(t, e.control, b.Cases, p)
		case p.Outcome == Unknown:
			t.Presses++
			t.Sets, t.Run = 0, 0
		case sets && t.Sets > 0 && t.Value == e.arg && t.Presses == 0:
			t.Sets++
			t.Certain = p.At
		case sets:
			t.set(e.arg, p.At)
		default:
			t.Presses++
			least, _ := steps(c, p.Held)
			if e.op == OpStep && e.arg*t.Run >= 0 {
				t.Run += e.arg * least
			} else {
				t.Run = 0
			}
			if end := c.endAfter(t.Run); end >= 0 {
				t.set(end, p.At)
				if least == 1 { // else it is one press, which may have been missed
					t.Sets = sure
				}
			}
		}
	}
	return out
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
	out := Belief{Cases: b.Cases, Trust: make([]Trust, len(b.Trust))}
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
	out := Belief{Cases: b.Cases, Trust: slices.Clone(b.Trust)}
	for i := range out.Trust {
		out.Trust[i].Sets = min(out.Trust[i].Sets, sure-1)
	}
	return out
}

// word says how far a control can be trusted that may be at so many values.
func (s *Spec) word(i int, t Trust, values int, now time.Time) Word {
	limit := mostToggles
	if c := &s.controls[i]; c.Kind == Dial || c.Kind == Selector && c.size() > 2 {
		limit = mostSteps
	}
	switch {
	case values != 1, t.Deaf, t.Source == Assumed, t.Presses > max(limit-t.Wrong, 0):
		return Doubtful
	case t.Presses == 0 && t.Sets >= sure && now.Sub(t.Certain).Abs() <= fresh:
		return Certain
	}
	return Believed
}
