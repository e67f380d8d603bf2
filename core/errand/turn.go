package errand

import (
	"slices"
	"strings"
	"time"
	"unicode"

	"urbo/core/moment"
	"urbo/core/run"
)

const (
	// Prompt is by how much an errand may come late without being late.
	Prompt = 30 * time.Second
	// Grace is by how much an errand may come late where it has no rule about that: the house was busy, or started
	// anew.
	Grace = 10 * time.Minute
	// LeastLevel is how long a level is on or off at least.
	LeastLevel = time.Minute
	// mostLooks is the most occurrences that are looked at for one that was missed.
	mostLooks = 5000
)

// Missed is the latest time between two at which an errand was due by the clock and did not run, and whether its rule
// says that it runs now all the same. Of several, only the latest counts. It is false where there was none, or none
// that could still run.
func (e Errand) Missed(id string, after, now time.Time, w moment.Where) (due time.Time, late, is bool) {
	within := Grace
	if e.Rules.Missed == "run" {
		within = e.Rules.RunWithin
	}
	from := after
	if earliest := now.Add(-within).Add(-time.Nanosecond); from.Before(earliest) {
		from = earliest
	}
	for range mostLooks {
		at, comes := e.Next(id, from, w)
		if !comes || at.After(now) {
			break
		}
		due, from, is = at, at, true
	}
	if !is { // was there one that is too old?
		if due, is = e.Next(id, after, w); !is || due.After(now) {
			return time.Time{}, false, false
		}
		return due, false, true
	}
	return due, e.Rules.Missed != "skip" || now.Sub(due) < Prompt, true
}

// Level is how far an errand with while is.
type Level struct {
	On      bool      `json:"on,omitempty"`      // what it wants is wanted
	Changed time.Time `json:"changed,omitzero"`  // when that changed last
	Unknown time.Time `json:"unknown,omitzero"`  // since when its condition is unknown
	Yielded bool      `json:"yielded,omitempty"` // a person changed what it set, and wins until the condition was false
}

// Act is what a level makes of an answer.
type Act string

// The acts.
const (
	Stay  Act = ""
	Begin Act = "begin" // its steps are done
	End   Act = "end"   // what stands behind afterwards is done
)

// Turn is what an answer to its condition makes of a level, what is done, and when it has to be looked at again at the
// latest, zero for not before something else happens.
func (e Errand) Turn(l Level, is run.Truth, at time.Time) (next Level, act Act, again time.Time) {
	next = l
	if is != run.Unknown {
		next.Unknown = time.Time{}
	} else {
		if next.Unknown.IsZero() || next.Unknown.After(at) { // a clock that was set back
			next.Unknown = at
		}
		switch e.Rules.Unknown {
		case "run":
			is = run.Yes
		case "end":
			if is = run.No; at.Sub(next.Unknown) < e.Rules.EndAfter {
				return next, Stay, next.Unknown.Add(e.Rules.EndAfter)
			}
		default:
			return next, Stay, time.Time{}
		}
	}
	if is == run.No {
		next.Yielded = false
	}
	if (is == run.Yes) == l.On || is == run.Yes && next.Yielded {
		return next, Stay, time.Time{}
	}
	if since := at.Sub(l.Changed); !l.Changed.IsZero() && since >= 0 && since < LeastLevel {
		return next, Stay, l.Changed.Add(LeastLevel)
	}
	next.On, next.Changed = is == run.Yes, at
	if next.On {
		return next, Begin, time.Time{}
	}
	return next, End, time.Time{}
}

// Yield is a level after a person changed what it set.
func (l Level) Yield() Level {
	l.Yielded = l.On
	return l
}

// News is something that happened, as cues look at it. Things are known by their ids.
type News struct {
	Pressed  *Key
	Changed  *Change
	Occasion *Occurred
	Station  *Occurred
	Battery  *Battery
	Message  *Message
	Calendar *CalendarEvent
	Phrase   string
	Hook     string
	House    bool // it started
	Mains    bool // they returned
}

// Battery is that of what measures something, where it is another than it was.
type Battery struct {
	Measurement string
	Low         bool
}

// Message is one that came under a topic. Part gives the part of it that a pointer names, as text, and false where
// there is none.
type Message struct {
	Topic string
	Part  func(pointer string) (string, bool)
}

// CalendarEvent is an event of a calendar that begins or ends. Whoever reads calendars tells that beforehand.
type CalendarEvent struct {
	Name, Title string
	Ends        bool
	At          time.Time // when it does; zero is now
}

// Key is a key of a handset that was pressed.
type Key struct {
	Device, Key string
	How         string // twice, thrice or held; "" of a plain press
}

// Change is a control that came from one value to another.
type Change struct {
	Device, Control, From, To string
	By                        string // handset, person, program or errand; "" where nobody is known
}

// Occurred is an occasion that began or ended, or a station that came back or left.
type Occurred struct {
	ID   string
	Ends bool
}

// Comes says whether a cue comes with some news. Where it has to stay so for a time, it comes when that is over, unless
// Leaves says otherwise meanwhile.
func (c Cue) Comes(n News) bool {
	if c.Sudden == nil {
		return false
	}
	switch s := c.Sudden; {
	case s.Pressed != nil && n.Pressed != nil:
		return s.Pressed.On.ID == n.Pressed.Device && s.Pressed.Key == n.Pressed.Key && s.Pressed.How == n.Pressed.How
	case s.Becomes != nil && n.Changed != nil:
		b, came := s.Becomes, n.Changed
		if b.On.ID != came.Device || b.Control != came.Control || b.By != "" && b.By != came.By {
			return false
		}
		if b.Leaves {
			return came.From == b.Value && came.To != b.Value
		}
		return came.To == b.Value && came.From != b.Value
	case s.Occasion != nil && n.Occasion != nil:
		return s.Occasion.On.ID == n.Occasion.ID && s.Occasion.Ends == n.Occasion.Ends
	case s.Station != nil && n.Station != nil:
		return s.Station.On.ID == n.Station.ID && s.Station.Ends == n.Station.Ends
	case s.Message != nil && n.Message != nil:
		return s.Message.Topic == n.Message.Topic && says(*s.Message, *n.Message)
	case s.Calendar != nil && n.Calendar != nil:
		return s.Calendar.Name == n.Calendar.Name && s.Calendar.Ends == n.Calendar.Ends &&
			(s.Calendar.Titled == "" || strings.EqualFold(s.Calendar.Titled, n.Calendar.Title))
	case s.Phrase != "":
		return n.Phrase != "" && SameWords(s.Phrase, n.Phrase)
	case s.Hook != "":
		return s.Hook == n.Hook
	}
	return c.Sudden.House && n.House || c.Sudden.Mains && n.Mains
}

// says whether a message is what is asked for.
func says(want run.Message, came Message) bool {
	text, is := came.Part(want.Pointer)
	return is && (want.Is == nil || *want.Is == text)
}

// sameWords compares what is said: case, and what stands between the words, do not count.
func SameWords(a, b string) bool {
	words := func(s string) []string {
		return strings.FieldsFunc(strings.ToLower(s), func(r rune) bool {
			return !unicode.IsLetter(r) &&
				!unicode.IsDigit(r)
		})
	}
	return slices.Equal(words(a), words(b))
}

// Leaves says whether what a cue waits for, for so long, is not so any more.
func (c Cue) Leaves(n News) bool {
	if c.Sudden == nil || c.Sudden.Becomes == nil || n.Changed == nil {
		return false
	}
	b, came := c.Sudden.Becomes, n.Changed
	return b.On.ID == came.Device && b.Control == came.Control && (came.To == b.Value) == b.Leaves
}
