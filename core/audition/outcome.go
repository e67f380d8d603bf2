package audition

import (
	"fmt"
	"slices"
	"strings"

	"urbo/core/device"
	"urbo/core/line"
	"urbo/core/plain"
)

// Take keeps the confirmed keys of the best set, though it does not fit whole.
func (a *Audition) Take() error {
	if _, _, ok := a.Best(); !ok {
		return fmt.Errorf("%w: no key was confirmed", ErrStep)
	}
	a.Took = true
	return nil
}

// Kept are the keys worth keeping once it is over: the confirmed ones of the set that fits, or of the best one where
// those were taken.
func (a *Audition) Kept() []device.Key {
	switch {
	case a.Took:
		_, keys := a.best()
		return keys
	case a.Phase != Found:
		return nil
	case a.Sweep != nil:
		return []device.Key{{Name: a.Function, Codes: a.Codes(a.Hit)}}
	}
	return a.confirmed(a.Winner)
}

// Best is the refused set with the most confirmed keys, where nothing fits whole; ok is false where there is none, or
// it was taken or declined.
func (a *Audition) Best() (set device.Device, keys []device.Key, ok bool) {
	if a.Phase != Nothing && a.Phase != Ended || a.Took || a.Declined {
		return set, nil, false
	}
	n, keys := a.best()
	if n < 0 {
		return set, nil, false
	}
	return a.Sets[n], keys, true
}

// best is the set with the most confirmed keys of those that do not fit whole, −1 where none has any.
func (a *Audition) best() (n int, keys []device.Key) {
	n = -1
	for _, i := range slices.Concat(a.Refused, a.Group) { // it may have ended while one was walked
		if k := a.confirmed(i); len(k) > len(keys) {
			n, keys = i, k
		}
	}
	return n, keys
}

func (a *Audition) confirmed(n int) []device.Key {
	var out []device.Key
	for _, k := range a.Sets[n].Keys {
		if a.Answers[n][k.Name] == Yes {
			out = append(out, k)
		}
	}
	return out
}

// KeyAnswer is what was said of a key; "open" where nothing was yet, "doubted" where it did nothing so far.
type KeyAnswer struct {
	Key    string
	Answer Answer
}

// Asking lists the keys of the set that is walked through, or was found, with what was said of them.
func (a *Audition) Asking() []KeyAnswer {
	n := a.Winner
	switch {
	case a.Sweep != nil || a.Phase != Walking && a.Phase != Found:
		return nil
	case a.Phase == Walking:
		n = a.Group[0]
	}
	var out []KeyAnswer
	for _, k := range a.Sets[n].Keys {
		if len(k.Codes) == 0 {
			continue
		}
		said, done := a.Answers[n][k.Name]
		if _, doubted := a.Walk.Doubts[k.Name]; !done && doubted && a.Phase == Walking {
			said = "doubted"
		} else if !done {
			said = "open"
		}
		out = append(out, KeyAnswer{k.Name, said})
	}
	return out
}

// Verdict is how a refused set did.
type Verdict struct {
	Set       device.Device
	Confirmed int
	Tried     int
}

// Verdicts lists the refused sets.
func (a *Audition) Verdicts() []Verdict {
	out := make([]Verdict, len(a.Refused))
	for i, n := range a.Refused {
		yes, no, _ := tally(a.Sets[n], a.Answers[n])
		out[i] = Verdict{a.Sets[n], yes, yes + no}
	}
	return out
}

// Now names what is asked about, or was played last: a set, or the values of a sweep.
func (a *Audition) Now() (what, key string) {
	try := a.Next - 1
	switch {
	case a.Phase == Walking && a.Walk.AskOn:
		return a.Sets[a.Group[0]].Name, ""
	case a.Phase == Walking:
		return a.Sets[a.Group[0]].Name, a.walked().Name
	case a.Phase == Confirming:
		try = a.At
	case a.Phase == Found && a.Sweep == nil:
		return a.Sets[a.Winner].Name, ""
	case a.Phase == Found:
		try = a.Hit
	}
	switch {
	case try < 0:
		return "", ""
	case a.Sweep != nil:
		return a.Sweep.Code.Sheet + " " + a.Sweep.At(try).Fields.String(), a.Function
	}
	names := make([]string, len(a.Tries[try].Sets))
	for i, n := range a.Tries[try].Sets {
		names[i] = a.Sets[n].Name
	}
	return strings.Join(names, " or "), a.Function
}

// Prompt says what to do now.
func (a *Audition) Prompt() string {
	what, key := a.Now()
	said := plain.Label(key)
	if a.Took {
		n, keys := a.best()
		return fmt.Sprintf("Kept %s of %s, which fits in part.", plain.Count(len(keys), "key", "keys"), a.Sets[n].Name)
	}
	switch a.Phase {
	case Found:
		if a.Function == Climate {
			return fmt.Sprintf("Found: %s. It showed %s.", what, plain.Count(len(a.Kept()), "state", "states"))
		}
		return fmt.Sprintf("Found: %s. %s.", what, plain.Count(len(a.Kept()), "key is confirmed", "keys are confirmed"))
	case Nothing:
		if set, keys, ok := a.Best(); ok {
			return fmt.Sprintf("No set fits whole. %s fits best, with %s.", set.Name,
				plain.Count(len(keys), "key", "keys"))
		}
		return "All were played, and the device reacted to none."
	case Ended:
		if set, keys, ok := a.Best(); ok {
			return fmt.Sprintf("The audition is over. %s fits best, with %s.", set.Name,
				plain.Count(len(keys), "key", "keys"))
		}
		return "The audition is over."
	}
	switch {
	case a.Function == Climate && !a.Paused && !(a.Phase == Playing && a.Next >= a.Len()):
		return a.promptClimate(what, said)
	case a.Paused:
		return fmt.Sprintf("The audition waits, after %d of %d.", a.Next, a.Len())
	case a.Phase == Walking && a.Switches:
		return fmt.Sprintf("Watch the device: %s, %s.", what, plain.Label(a.Function))
	case a.Phase == Walking && a.Walk.AskOn:
		return fmt.Sprintf("Perhaps it is %s. Is the device on, and ready for a key?", what)
	case a.Phase == Confirming && !a.Sounded, a.Phase == Walking && !a.Sounded:
		return fmt.Sprintf("Watch the device: %s, %s.", what, said)
	case a.Phase == Confirming:
		return fmt.Sprintf("%s was played again. Did the device react?", what)
	case a.Phase == Walking:
		if _, again := a.Walk.Doubts[key]; again {
			return fmt.Sprintf("Once more, now that another key was pressed: did the device do %q?", said)
		}
		return fmt.Sprintf("Did the device do %q?", said)
	case a.Next >= a.Len():
		return "All were played. Did the device react to the last ones?"
	case a.Next == 0:
		return "Watch the device, and say when it reacts."
	}
	return fmt.Sprintf("%d of %d: %s.", a.Next, a.Len(), what)
}

// promptClimate says what to do in an audition of whole states.
func (a *Audition) promptClimate(what, said string) string {
	shows := plain.Label(a.Sets[0].Keys[0].Name)
	if a.Phase == Confirming {
		shows = plain.Label(a.Sets[a.Tries[a.At].Sets[0]].Keys[0].Name)
	}
	switch {
	case a.Phase == Walking && a.Switches, a.Phase == Confirming && !a.Sounded, a.Phase == Walking && !a.Sounded:
		return fmt.Sprintf("Watch the device's display: %s.", what)
	case a.Phase == Confirming:
		return fmt.Sprintf("%s was played again. Does the device show %q?", what, shows)
	case a.Phase == Walking:
		return fmt.Sprintf("Does the device show %q?", said)
	case a.Next == 0:
		return fmt.Sprintf("Watch the device's display, and say when it shows %q.", shows)
	}
	shows = plain.Label(a.Sets[a.Tries[a.Next-1].Sets[0]].Keys[0].Name)
	return fmt.Sprintf("%d of %d: %s. Say when it shows %q.", a.Next, a.Len(), what, shows)
}

// Airtime is how long playing everything once keeps transmitters busy, in µs. Errors say which code cannot be sent.
func (a *Audition) Airtime(book *line.Book) (us int, err error) {
	for try := range a.Len() {
		if a.Sweep != nil && try == 1 { // the others are much alike
			return us * a.Len(), nil
		}
		for _, c := range a.Codes(try) {
			length, err := c.Airtime(book)
			if err != nil {
				what, _ := (&Audition{Sets: a.Sets, Tries: a.Tries, Sweep: a.Sweep, Phase: Playing, Next: try +
					1}).Now()
				return 0, fmt.Errorf("%w: %s: %w", ErrPlan, what, err)
			}
			us += length
		}
	}
	return us, nil
}
