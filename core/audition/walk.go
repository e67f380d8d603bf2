package audition

import (
	"fmt"
	"slices"

	"urbo/core/device"
)

// Walk is how far the keys of one set were tried. A key that did nothing may have stood there already, "speed 1" at
// speed 1: it counts against the set only where it did nothing again after another key had done something.
type Walk struct {
	// it is asked first whether the device is on: a toggle that was played to be sure may have left it off
	AskOn  bool
	Rounds int            // how often it was switched since that was asked
	Past   []string       // keys that were answered, in order
	Later  []string       // keys that are asked about after the others
	Doubts map[string]int // keys that did nothing, by how many were confirmed until then
	Yes    int            // keys that were confirmed
}

// mostIdle is how many keys of a set of which nothing was confirmed may do nothing before it is refused.
const mostIdle = 5

// mostRounds is how often the device is switched because it is said to be off.
const mostRounds = 3

// begin begins the walk through the first set of the group.
func (a *Audition) begin() {
	set := a.Sets[a.Group[0]]
	function := set.Keys[keyFor(set, a.Function)].Name
	a.Walk = Walk{AskOn: device.Plays(function, device.SwitchesOn) && len(set.Keys) > 1, Doubts: map[string]int{}}
	a.walk()
}

// walk goes on to the next key that is open, or judges the set.
func (a *Audition) walk() {
	n := a.Group[0]
	a.Sounded = false
	for {
		yes, no, open := tally(a.Sets[n], a.Answers[n])
		k := a.next(n)
		if k < 0 || !fits(yes+open, no) || yes == 0 && len(a.Walk.Doubts) >= mostIdle {
			break
		}
		if !a.knows(n, a.Sets[n].Keys[k]) {
			a.Key = k
			return
		}
	}
	if function := a.Sets[n].Keys[keyFor(a.Sets[n], a.Function)].Name; a.Answers[n][function] == "" {
		a.Answers[n][function] = No
	}
	for name := range a.Walk.Doubts { // nothing was confirmed after them: they are wrong
		a.Answers[n][name] = No
	}
	if yes, no, open := tally(a.Sets[n], a.Answers[n]); yes > 0 && open == 0 && fits(yes, no) {
		a.Phase, a.Winner = Found, n
		return
	}
	a.Refused = append(a.Refused, n)
	if a.Group = a.Group[1:]; len(a.Group) > 0 {
		a.begin()
		return
	}
	a.resume()
}

// next is the key to ask about, -1 where none is left: first those that were not tried, then those that were put off,
// then those that did nothing before another did something.
func (a *Audition) next(n int) int {
	set := a.Sets[n]
	order := a.order(set)
	function := keyFor(set, a.Function) // it was seen to work, with this set or another
	open := func(k int) bool {
		_, said := a.Answers[n][set.Keys[k].Name]
		return !said && len(set.Keys[k].Codes) > 0 && k != function
	}
	for _, k := range order {
		_, doubted := a.Walk.Doubts[set.Keys[k].Name]
		if open(k) && !doubted && !slices.Contains(a.Walk.Later, set.Keys[k].Name) {
			return k
		}
	}
	for _, name := range a.Walk.Later {
		if k := indexOf(set, name); k >= 0 && open(k) {
			return k
		}
	}
	for _, k := range order {
		if since, doubted := a.Walk.Doubts[set.Keys[k].Name]; doubted && open(k) && since < a.Walk.Yes {
			return k
		}
	}
	return -1
}

// order lists the keys of a set in the order they are tried: what switches the device off comes last, and what switches
// it on after that, since the others show nothing while it is off.
func (a *Audition) order(set device.Device) []int {
	rank := func(k int) int {
		switch name := set.Keys[k].Name; {
		case device.Plays(name, device.SwitchesOff):
			return 1
		case device.Plays(name, device.SwitchesOn):
			return 2
		}
		return 0
	}
	out := make([]int, len(set.Keys))
	for k := range out {
		out[k] = k
	}
	slices.SortStableFunc(out, func(x, y int) int { return rank(x) - rank(y) })
	return out
}

func indexOf(set device.Device, key string) int {
	return slices.IndexFunc(set.Keys, func(k device.Key) bool { return k.Name == key })
}

// answer takes what was said of the key that is asked about, or of whether the device is on.
func (a *Audition) answer(said Answer) {
	w := &a.Walk
	if w.AskOn {
		if said == No && w.Rounds < mostRounds {
			w.Rounds++
			a.Switches = true
			return
		}
		w.AskOn = false
		a.walk()
		return
	}
	key, answers := a.walked().Name, a.Answers[a.Group[0]]
	_, doubted := w.Doubts[key]
	w.Past = append(w.Past, key)
	switch {
	case said == No && !doubted && w.Doubts == nil: // of an audition that an earlier version began
		w.Doubts = map[string]int{key: w.Yes}
	case said == No && !doubted && w.Doubts == nil: // of an audition that an earlier version began
		w.Doubts = map[string]int{key: w.Yes}
	case said == No && !doubted && !device.Plays(key, device.Toggles):
		w.Doubts[key] = w.Yes
	case said == Unsure && !slices.Contains(w.Later, key):
		w.Later = append(w.Later, key)
	default:
		delete(w.Doubts, key)
		answers[key] = said
	}
	if said == Yes {
		w.Yes++
		set := a.Sets[a.Group[0]]
		answers[set.Keys[keyFor(set, a.Function)].Name] = Yes // it is this set that was seen to work
	}
	a.walk()
}

// Another puts off the key that is asked about: another key first, so that this one can show something.
func (a *Audition) Another() error {
	if a.Phase != Walking || a.Walk.AskOn {
		return fmt.Errorf("%w: there is no key to put off", ErrStep)
	}
	key, before := a.walked().Name, slices.Clone(a.Walk.Later)
	a.Walk.Later = append(slices.DeleteFunc(slices.Clone(before), func(k string) bool { return k == key }), key)
	if k := a.next(a.Group[0]); k == a.Key {
		a.Walk.Later = before
		return fmt.Errorf("%w: no other key is left: answer, or leave it out", ErrStep)
	}
	a.walk()
	return nil
}

// Back asks about the key before this one again.
func (a *Audition) Back() error {
	if a.Phase != Walking {
		return fmt.Errorf("%w: there is no key to go back to", ErrStep)
	}
	w := &a.Walk
	if len(w.Past) == 0 {
		return fmt.Errorf("%w: this is the first key", ErrStep)
	}
	set, key := a.Sets[a.Group[0]], w.Past[len(w.Past)-1]
	w.Past = w.Past[:len(w.Past)-1]
	if a.Answers[a.Group[0]][key] == Yes {
		w.Yes--
	}
	delete(a.Answers[a.Group[0]], key)
	delete(w.Doubts, key)
	w.Later = slices.DeleteFunc(w.Later, func(k string) bool { return k == key })
	w.AskOn, a.Key, a.Sounded = false, indexOf(set, key), false
	return nil
}

// Switch plays the function once more while walking, and then what is asked about: a toggle that was played to be sure
// may have left the device off.
func (a *Audition) Switch() error {
	if a.Phase != Walking {
		return fmt.Errorf("%w: it can be switched again while its keys are tried", ErrStep)
	}
	a.Switches, a.Sounded = true, false
	return nil
}

// knows fills in the answer that another set's key of the same name and code got, where it is sure.
func (a *Audition) knows(n int, key device.Key) bool {
	id := same(key.Codes)
	for _, other := range a.Refused {
		answer, said := a.Answers[other][key.Name]
		i := indexOf(a.Sets[other], key.Name)
		sure := answer != No || device.Plays(key.Name, device.Toggles) // it may have stood there already
		if said && sure && i >= 0 && same(a.Sets[other].Keys[i].Codes) == id {
			a.Answers[n][key.Name] = answer
			return true
		}
	}
	return false
}

// tally counts the answers for a set's keys; open ones were not tried yet. What nobody could tell counts neither way,
// nor does a key that did nothing and is none of the usual ones: this device may lack it.
func tally(set device.Device, said map[string]Answer) (yes, no, open int) {
	usual := device.UsualKeys(set.Kind)
	for _, k := range set.Keys {
		switch answer, done := said[k.Name]; {
		case len(k.Codes) == 0 || answer == Skip || answer == Unsure:
		case answer == No && len(usual) > 0 && !slices.Contains(usual, k.Name):
		case !done:
			open++
		case answer == Yes:
			yes++
		default:
			no++
		}
	}
	return yes, no, open
}

func fits(yes, no int) bool { return yes*wholeParts >= (yes+no)*fitParts }

// walked is the key that is asked about while walking.
func (a *Audition) walked() device.Key { return a.Sets[a.Group[0]].Keys[a.Key] }
