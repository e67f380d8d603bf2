package lesson

import (
	"fmt"
	"maps"
	"slices"

	"urbo/core/device"
	"urbo/core/fault"
	"urbo/core/line"
	"urbo/core/plain"
)

// State of a key in a lesson.
type State string

// The states.
const (
	Waiting State = "waiting"
	Asked   State = "asked"
	Settled State = "settled"
	Skipped State = "skipped"
)

// Errors of steps that cannot be taken.
var (
	ErrNoKey  = fault.New(fault.Invalid, "no such key in the lesson")
	ErrIsOver = fault.New(fault.Conflict, "the lesson is over")
)

// Key is one key of a lesson.
type Key struct {
	Name  string
	State State
	Code  *device.Code `json:",omitempty"` // what was learned; it stays while the key is asked for once more
	// Rolling says that the code can only be followed.
	Rolling bool   `json:",omitempty"`
	Takes   []Take `json:",omitempty"` // of a free lesson, until it is settled
	// Allowed are refusals that were overruled for this key.
	Allowed map[Verdict]bool `json:",omitempty"`
}

// Lesson asks for keys one after another. The zero value is over; make one with New.
type Lesson struct {
	Keys   []Key
	At     int // index of the asked key; len(Keys) when it is over, -1 while a free lesson asks for none
	Takes  []Take
	Last   *Take
	Needed int // takes that must agree
	Ended  bool
	Paused bool
	Free   bool     // keys come in any order, and get their names later
	Taken  []string `json:",omitempty"` // names that keys of a free lesson cannot have
}

// New makes a lesson for keys in the order they are asked. needed is 1 to 5 agreeing takes.
func New(keys []string, needed int) *Lesson {
	l := &Lesson{Needed: min(max(needed, 1), MostTakes)}
	for _, k := range keys {
		l.Keys = append(l.Keys, Key{Name: k, State: Waiting})
	}
	l.ask(0)
	return l
}

// Over says whether nothing is asked for any more.
func (l *Lesson) Over() bool { return l.Ended || !l.Free && l.At >= len(l.Keys) }

// Asked is the name of the asked key, "" when the lesson is over.
func (l *Lesson) Asked() string {
	if l.Over() || l.At < 0 {
		return ""
	}
	return l.Keys[l.At].Name
}

// Hear judges a press as a take of the asked key. Where it settles the key, what was learned is returned, and the
// lesson stays at the key until Keep is called: it counts only when it is safe.
func (l *Lesson) Hear(book *line.Book, p Press, knows Knows) (Take, *Learned) {
	if l.Free {
		return l.hearFree(book, p, knows, nil)
	}
	t := Judge(book, l.Asked(), l.Takes, p, knows, l.Keys[l.At].Allowed)
	l.Last = &t
	if !t.Verdict.Counts() {
		return t, nil
	}
	l.Takes = append(l.Takes, t)
	if len(l.Takes) > MostTakes {
		l.Takes = slices.Clone(l.Takes[1:])
	}
	if learned, ok := Settle(book, l.Takes, l.Needed); ok {
		return t, &learned
	}
	if _, _, unsure := turning(l.Takes); unsure {
		t.Text = fmt.Sprintf("Every second press differs in one bit: the handset may alternate. Press %q once more to "+
			"be sure.", plain.Label(l.Asked()))
		l.Last = &t
		return t, nil
	}
	if len(l.Takes) == MostTakes && (t.Verdict == Differs || t.Verdict == Noise) {
		t.Text = fmt.Sprintf("%d takes, and no two alike. Check the handset's battery, hold it closer, and press %q "+
			"again.", MostTakes, plain.Label(l.Asked()))
		l.Last = &t
	}
	return t, nil
}

// Allow overrules the last refusal, where it can be so on purpose, and takes the press after all.
func (l *Lesson) Allow(book *line.Book, knows Knows) (*Learned, error) {
	switch {
	case l.Over():
		return nil, ErrIsOver
	case l.Last == nil || l.Last.Key != l.Asked() || !l.Last.Verdict.Allowable():
		return nil, fmt.Errorf("%w: nothing was refused that could be taken after all: press the key again", ErrNoKey)
	}
	if l.Free {
		_, learned := l.hearFree(book, l.Last.Press, knows, map[Verdict]bool{l.Last.Verdict: true})
		return learned, nil
	}
	k := &l.Keys[l.At]
	if k.Allowed == nil {
		k.Allowed = map[Verdict]bool{}
	}
	k.Allowed[l.Last.Verdict] = true
	_, learned := l.Hear(book, l.Last.Press, knows)
	return learned, nil
}

// Pause lets other lessons have the receivers until Resume.
func (l *Lesson) Pause() error {
	if l.Over() {
		return ErrIsOver
	}
	l.Paused = true
	return nil
}

// Resume goes on where the lesson was.
func (l *Lesson) Resume() error {
	if l.Over() {
		return ErrIsOver
	}
	l.Paused = false
	return nil
}

// Restore brings back what was left out when a lesson was kept: the structures of its takes. The error says that what
// was kept is no lesson.
func (l *Lesson) Restore() error {
	if l.At < -1 || l.At > len(l.Keys) || l.At < 0 != l.Free {
		return fmt.Errorf("%w: number %d of %d", ErrNoKey, l.At, len(l.Keys))
	}
	for i := range l.Takes {
		l.Takes[i].Press.Describe()
	}
	for i := range l.Keys {
		for j := range l.Keys[i].Takes {
			l.Keys[i].Takes[j].Press.Describe()
		}
	}
	if l.Last != nil {
		l.Last.Press.Describe()
	}
	return nil
}

// Keep settles the asked key with what was learned, and asks for the next one.
func (l *Lesson) Keep(code device.Code) {
	if l.Over() || l.At < 0 {
		return
	}
	k := &l.Keys[l.At]
	k.State, k.Code, k.Rolling, k.Takes, k.Allowed = Settled, &code, l.Last != nil && l.Last.Verdict == Rolling, nil,
		nil
	if l.Free {
		l.At = -1
		return
	}
	l.next()
}

// Give settles the asked key with a code that was not heard but given, and asks for the next one.
func (l *Lesson) Give(code device.Code) {
	l.Last = nil
	l.Keep(code)
}

// Lost says why what was learned could not be kept. Its takes stay: the next press settles the key again.
func (l *Lesson) Lost(why string) {
	if l.Last != nil {
		last := *l.Last
		last.Verdict, last.Text = Unclear, why
		l.Last = &last
	}
	if l.Free {
		l.At = -1
	}
}

// Skip leaves the asked key out.
func (l *Lesson) Skip() error {
	if err := l.asks(); err != nil {
		return err
	}
	if l.leave(); l.Keys[l.At].State == Waiting {
		l.Keys[l.At].State = Skipped
	}
	l.next()
	return nil
}

// Back asks for the key before the asked one again; what it had stays until new takes settle it.
func (l *Lesson) Back() error {
	switch {
	case l.Ended:
		return ErrIsOver
	case l.Free:
		return errFree
	case l.At == 0:
		return fmt.Errorf("%w: this is the first", ErrNoKey)
	}
	l.leave()
	l.ask(l.At - 1)
	return nil
}

// Redo asks for a key of the lesson again.
func (l *Lesson) Redo(name string) error {
	switch {
	case l.Ended:
		return ErrIsOver
	case l.Free:
		return errFree
	}
	i := slices.IndexFunc(l.Keys, func(k Key) bool { return k.Name == name })
	if i < 0 {
		return fmt.Errorf("%w: %q: add it first", ErrNoKey, name)
	}
	l.leave()
	l.ask(i)
	return nil
}

// Add puts another key at the end, and asks for it when nothing else is left.
func (l *Lesson) Add(name string) error {
	switch {
	case l.Ended:
		return ErrIsOver
	case l.Free:
		return errFree
	}
	if slices.ContainsFunc(l.Keys, func(k Key) bool { return k.Name == name }) {
		return l.Redo(name)
	}
	over := l.Over()
	l.Keys = append(l.Keys, Key{Name: name, State: Waiting})
	if over {
		l.ask(len(l.Keys) - 1)
	}
	return nil
}

// Finish ends the lesson. What is settled stays.
func (l *Lesson) Finish() {
	l.leave()
	l.Ended, l.Takes = true, nil
}

// next asks for the first key that still waits, or ends.
func (l *Lesson) next() {
	i := slices.IndexFunc(l.Keys, func(k Key) bool { return k.State == Waiting })
	if i < 0 {
		i = len(l.Keys)
	}
	l.ask(i)
}

func (l *Lesson) ask(i int) {
	l.At, l.Takes = i, nil
	if i < len(l.Keys) {
		l.Keys[i].State, l.Keys[i].Allowed = Asked, nil
	}
}

// leave stops asking for a key: what it had before counts again.
func (l *Lesson) leave() {
	if l.Over() || l.Free {
		return
	}
	k := &l.Keys[l.At]
	if k.State = Waiting; k.Code != nil {
		k.State = Settled
	}
}

// Clone is a copy that does not change with the lesson.
func (l *Lesson) Clone() *Lesson {
	out := *l
	out.Keys, out.Takes, out.Taken = slices.Clone(l.Keys), slices.Clone(l.Takes), slices.Clone(l.Taken)
	for i := range out.Keys {
		out.Keys[i].Takes, out.Keys[i].Allowed = slices.Clone(out.Keys[i].Takes), maps.Clone(out.Keys[i].Allowed)
	}
	return &out
}

// Prompt says what to do now.
func (l *Lesson) Prompt() string {
	settled := 0
	for _, k := range l.Keys {
		if k.State == Settled {
			settled++
		}
	}
	switch {
	case l.Free && !l.Over() && !l.Paused:
		return l.promptFree(settled)
	case l.Over() && settled == 0:
		return "The lesson is over. No key was learned."
	case l.Over() && l.rolling() > 0:
		return fmt.Sprintf("Done: %d of %s learned, %d of them to be followed only. To send those as well, pair a "+
			"handset of Urbo's own with the device.", settled, plain.Count(len(l.Keys), "key", "keys"), l.rolling())
	case l.Over():
		return fmt.Sprintf("Done: %d of %s learned.", settled, plain.Count(len(l.Keys), "key", "keys"))
	case l.Paused:
		if l.Free {
			return "The lesson waits."
		}
		return fmt.Sprintf("The lesson waits. It goes on with %q.", plain.Label(l.Asked()))
	case len(l.Takes) > 0:
		return fmt.Sprintf("Press %q again.", plain.Label(l.Asked()))
	}
	return fmt.Sprintf("Press %q on the handset.", plain.Label(l.Asked()))
}

// rolling counts the settled keys that can only be followed.
func (l *Lesson) rolling() (n int) {
	for _, k := range l.Keys {
		if k.State == Settled && k.Rolling {
			n++
		}
	}
	return n
}

// Resting says whether it waits for somebody to resume it.
func (l *Lesson) Resting() bool { return l.Paused }
