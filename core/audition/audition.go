// Package audition finds the code set of a device that has no handset any more. It plays the chosen function, usually
// power, set by set until somebody says that the device reacted, steps back to confirm which set it was, and then walks
// through every other key: only what was confirmed is worth keeping, and a set that fits only half is refused.
//
// An Audition is a state machine without clocks: Due tells what to play, Played that it was played, and the other
// methods are the answers of the person in front of the device.
package audition

import (
	"encoding/json"
	"fmt"
	"slices"

	"urbo/core/device"
	"urbo/core/fault"
)

// Phase of an audition.
type Phase string

// The phases.
const (
	Playing    Phase = "playing"    // one code after another
	Confirming Phase = "confirming" // it reacted: which one was it?
	Walking    Phase = "walking"    // through the other keys of a set
	Found      Phase = "found"      // a set fits
	Nothing    Phase = "nothing"    // none fits
	Ended      Phase = "ended"      // by the person
)

// Errors of answers that nobody asked for.
var (
	ErrOver = fault.New(fault.Conflict, "the audition is over")
	ErrStep = fault.New(fault.Conflict, "audition step")
)

// reach is how many plays back the one that was reacted to can be: people are slow, and so are some devices.
const reach = 4

// A set fits where at least fitParts of every wholeParts keys that were tried did what they should.
const fitParts, wholeParts = 3, 4

// Try is one thing to play: equal codes of several sets are played once.
type Try struct {
	Codes []device.Code
	Sets  []int // indices of the sets that send this
}

// Answer is what was said of a key of a set.
type Answer string

// The answers. Without one a key has not been tried.
const (
	Yes    Answer = "yes"
	No     Answer = "no"
	Unsure Answer = "unsure" // it cannot be told
	Skip   Answer = "skip"   // the key is left out
)

// Audition is one audition as it stands. Its members are exported to be kept; change them by the methods only.
type Audition struct {
	Function string          // the function that is played set by set
	Sets     []device.Device // candidates, in the order they are tried
	Tries    []Try           // empty for a sweep
	Sweep    *Sweep
	Phase    Phase
	Next     int // the try that is played next
	At       int // Confirming: the try that is asked about
	Asked    int // Confirming: how many were asked about
	// Walking: sets that send what was confirmed, and were not walked yet; the first is walked now
	Group    []int
	Key      int                 // Walking: index of the key that is asked about
	Walk     Walk                // Walking: how far the keys were tried
	Answers  []map[string]Answer // by set: what was said of its keys
	Refused  []int               // sets that fit only in part
	Winner   int                 // Found: the set
	Hit      int                 // the try that was confirmed
	Sounded  bool                // what is asked about was played
	Switches bool                // the function is to be played once more, before the question goes on
	Paused   bool
	Took     bool // the confirmed keys of the best set are kept, though it does not fit whole
	Declined bool // they are not wanted
}

// keyFor is the key of a set that has a function, -1 where none has: it may call it another way.
func keyFor(set device.Device, function string) int {
	if function == Climate {
		return min(len(set.Keys), 1) - 1
	}
	for _, name := range device.SameRole(function) {
		if i := slices.IndexFunc(set.Keys, func(k device.Key) bool { return k.Name == name && k.Learned() }); i >= 0 {
			return i
		}
	}
	return -1
}

// New makes an audition of code sets, in the order given. Sets without the function are left out. Errors wrap ErrPlan.
func New(function string, sets []device.Device) (*Audition, error) {
	a := &Audition{Function: function, Phase: Playing}
	for _, set := range sets {
		if function == Climate {
			var shows bool
			if set, shows = Shown(set); !shows {
				continue
			}
		}
		if keyFor(set, function) >= 0 {
			a.Sets = append(a.Sets, set)
			a.Answers = append(a.Answers, map[string]Answer{})
		}
	}
	a.findTries()
	switch {
	case len(sets) == 0:
		return nil, fmt.Errorf("%w: there are no code sets to try: import a pack of them, or sweep a line code",
			ErrPlan)
	case len(a.Sets) == 0 && function == Climate:
		return nil, fmt.Errorf("%w: no code set carries a whole state with a temperature: import a pack of them",
			ErrPlan)
	case len(a.Sets) == 0:
		return nil, fmt.Errorf("%w: none of the %d code sets has a key %q: choose another function", ErrPlan, len(sets),
			function)
	case len(a.Tries) > MostTries:
		return nil, fmt.Errorf("%w: %d codes to try, the most is %d: choose a kind of device", ErrPlan, len(a.Tries),
			MostTries)
	}
	return a, nil
}

// findTries lists what can be played: equal codes of several sets once.
func (a *Audition) findTries() {
	seen := map[string]int{}
	for n, set := range a.Sets {
		codes := set.Keys[keyFor(set, a.Function)].Codes
		id := same(codes)
		if i, again := seen[id]; again {
			a.Tries[i].Sets = append(a.Tries[i].Sets, n)
			continue
		}
		seen[id] = len(a.Tries)
		a.Tries = append(a.Tries, Try{Codes: codes, Sets: []int{n}})
	}
}

// NewSweep makes an audition of the values of a field; what is found becomes the key named function.
func NewSweep(function string, s Sweep) *Audition {
	return &Audition{Function: function, Sweep: &s, Phase: Playing}
}

// same is equal for equal codes.
func same(codes []device.Code) string {
	data, err := json.Marshal(codes)
	if err != nil {
		return fmt.Sprint(codes)
	}
	return string(data)
}

// Len is how many different codes can be played.
func (a *Audition) Len() int {
	if a.Sweep != nil {
		return a.Sweep.Len()
	}
	return len(a.Tries)
}

// Codes are what a try plays, from 0 to Len.
func (a *Audition) Codes(try int) []device.Code {
	if a.Sweep != nil {
		return []device.Code{a.Sweep.At(try)}
	}
	return a.Tries[try].Codes
}

// Over says whether nothing is asked or played any more.
func (a *Audition) Over() bool { return a.Phase == Found || a.Phase == Nothing || a.Phase == Ended }

// Due is what is to be played now, nil where nothing is. soon is true where somebody waits for it; the others come
// one after another with a pause between.
func (a *Audition) Due() (codes []device.Code, soon bool) {
	switch {
	case a.Paused || a.Over():
		return nil, false
	case a.Phase == Playing && a.Next < a.Len():
		return a.Codes(a.Next), false
	case a.Phase == Confirming && !a.Sounded:
		return a.Codes(a.At), true
	case a.Phase == Walking && a.Switches:
		return a.Codes(a.Hit), true
	case a.Phase == Walking && !a.Sounded && !a.Walk.AskOn:
		return a.walked().Codes, true
	}
	return nil, false
}

// Played says that what was due was played.
func (a *Audition) Played() {
	if a.Phase == Playing {
		a.Next++
		return
	}
	a.Sounded = !a.Switches // what is asked about is played after it
	a.Switches = false
}

// Reacted stops the playing: the last one is played again, to be confirmed.
func (a *Audition) Reacted() error {
	switch {
	case a.Over():
		return ErrOver
	case a.Phase != Playing:
		return fmt.Errorf("%w: answer the question with yes or no", ErrStep)
	case a.Next == 0:
		return fmt.Errorf("%w: nothing was played yet", ErrStep)
	}
	a.At, a.Asked, a.Sounded, a.Paused = a.Next-1, 0, false, false
	if a.showsOnce() {
		a.walkLast()
		return nil
	}
	a.Phase = Confirming
	return nil
}

// showsOnce says whether playing the function again shows nothing: it switches on what is on already.
func (a *Audition) showsOnce() bool {
	if a.Sweep != nil {
		return false
	}
	set := a.Sets[a.Tries[a.At].Sets[0]]
	name := set.Keys[keyFor(set, a.Function)].Name
	return device.Plays(name, device.SwitchesOn) && !device.Plays(name, device.Toggles) && len(set.Keys) > 1
}

// walkLast walks the sets that were played last, the nearest first: their other keys say which it is.
func (a *Audition) walkLast() {
	a.Phase, a.Hit, a.Group = Walking, a.At, nil
	for try := a.At; try >= max(a.At-reach+1, 0); try-- {
		for _, n := range a.Tries[try].Sets {
			if !slices.Contains(a.Refused, n) {
				a.Group = append(a.Group, n)
			}
		}
	}
	if len(a.Group) == 0 {
		a.resume()
		return
	}
	a.begin()
}

// Again plays once more what is asked about; while it plays one after another, the last one.
func (a *Audition) Again() error {
	switch {
	case a.Over():
		return ErrOver
	case a.Phase == Playing && a.Next == 0:
		return fmt.Errorf("%w: nothing was played yet", ErrStep)
	case a.Phase == Playing:
		a.Next--
	}
	a.Sounded = false
	return nil
}

// Asks says whether a question waits for its answer: what it is about was played.
func (a *Audition) Asks() bool {
	switch a.Phase {
	case Playing:
		return a.Next >= a.Len()
	case Confirming:
		return a.Sounded
	case Walking:
		return !a.Switches && (a.Sounded || a.Walk.AskOn)
	}
	return false
}

// Say answers the question: did it react, is it on, did the key do what its name says? Skip leaves a key out, Unsure is
// for what cannot be told. While one is played after another, no says nothing new.
func (a *Audition) Say(answer Answer) error {
	switch {
	case a.Over():
		return ErrOver
	case a.Phase == Walking:
		a.answer(answer)
	case answer == Yes && a.Phase == Playing:
		return a.Reacted()
	case a.Phase == Playing:
		if answer == No && a.Next >= a.Len() {
			a.Finish()
		}
	case answer == Yes:
		a.confirm()
	case answer != No: // once more, to see better
		a.Sounded = false
	default:
		if a.Asked++; a.Asked >= reach || a.At == 0 { // none of them: on with the rest
			a.resume()
			return nil
		}
		a.At--
		a.Sounded = false
	}
	return nil
}

// Pause stops the playing until Resume.
func (a *Audition) Pause() error {
	if a.Over() {
		return ErrOver
	}
	a.Paused = true
	return nil
}

// Resume goes on.
func (a *Audition) Resume() error {
	if a.Over() {
		return ErrOver
	}
	a.Paused = false
	return nil
}

// Finish ends it. Where every code was played, nothing was found; where it was over already, what is left of a set that
// fits in part is not wanted.
func (a *Audition) Finish() {
	switch {
	case a.Over():
		a.Declined = true
	case a.Phase == Playing && a.Next >= a.Len():
		a.Phase = Nothing
	default:
		a.Phase = Ended
	}
}

// confirm begins the walk through the sets that send what was confirmed.
func (a *Audition) confirm() {
	a.Hit = a.At
	if a.Sweep != nil {
		a.Phase = Found
		return
	}
	a.Phase, a.Group = Walking, slices.Clone(a.Tries[a.At].Sets)
	for _, s := range a.Group {
		a.Answers[s][a.Sets[s].Keys[keyFor(a.Sets[s], a.Function)].Name] = Yes
	}
	a.begin()
}

// resume goes on with what was not played yet, or ends.
func (a *Audition) resume() {
	a.Phase, a.Group = Playing, nil
	if a.Next >= a.Len() && len(a.Refused) > 0 {
		a.Phase = Nothing
	}
}

// Resting says whether it waits for somebody to resume it.
func (a *Audition) Resting() bool { return a.Paused }
