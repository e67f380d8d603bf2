package lesson

import (
	"fmt"
	"slices"

	"urbo/core/fault"
	"urbo/core/line"
)

// errFree is for steps that need a key that is asked for.
var errFree = fmt.Errorf("%w: no key is asked for here: press what you like, and name it", ErrNoKey)

// ErrTaken is for a name that a key cannot have.
var ErrTaken = fault.New(fault.Conflict, "name is taken")

// NewFree makes a lesson without prompts: people press keys in any order, each needed times, and name them when they
// like. Until then they are called key-1, key-2 and so on, but for names that are taken.
func NewFree(needed int, taken []string) *Lesson {
	l := New(nil, needed)
	l.Free, l.At, l.Taken = true, -1, slices.Clone(taken)
	return l
}

// asks says why a step that needs an asked key cannot be taken.
func (l *Lesson) asks() error {
	switch {
	case l.Over():
		return ErrIsOver
	case l.Free:
		return errFree
	}
	return nil
}

// hearFree puts a press to the key that it is of: one that was pressed before, or a new one. Refusals in allowed are
// overruled for this press and the key that it is of.
func (l *Lesson) hearFree(book *line.Book, p Press, knows Knows, allowed map[Verdict]bool) (Take, *Learned) {
	i := slices.IndexFunc(l.Keys, func(k Key) bool {
		return k.State == Waiting && slices.ContainsFunc(k.Takes, func(b Take) bool { return agree(book, b.Press, p) })
	})
	if i >= 0 && allowed == nil {
		allowed = l.Keys[i].Allowed
	}
	t := Judge(book, "", nil, p, knows, allowed)
	l.Last = &t
	if t.Verdict == OtherKey {
		t.Text = fmt.Sprintf("That is %q, which is learned already. Press another key.", p.Known)
	}
	if !t.Verdict.Accepts() {
		return t, nil
	}
	if i < 0 {
		i = len(l.Keys)
		l.Keys = append(l.Keys, Key{Name: l.unused(), State: Waiting})
	}
	l.Keys[i].Allowed = allowed
	k := &l.Keys[i]
	t.Key = k.Name
	k.Takes = append(k.Takes, t)
	rolling := ""
	if t.Verdict == Rolling {
		rolling = " It is a rolling code, which can be followed but not sent."
	}
	if learned, ok := Settle(book, k.Takes, l.Needed); ok {
		l.At = i // until it is kept
		t.Text = fmt.Sprintf("Learned as %q. Press another key, or name this one.", k.Name) + rolling
		return t, &learned
	}
	t.Text = fmt.Sprintf("A new key: %q. Let go, and press it again to be sure.", k.Name) + rolling
	if len(k.Takes) > 1 {
		t.Text = fmt.Sprintf("%q once more: press it %d times in all.", k.Name, l.Needed)
	}
	return t, nil
}

// unused is the first of key-1, key-2 … that no key has.
func (l *Lesson) unused() string {
	for n := 1; ; n++ {
		if name := fmt.Sprintf("key-%d", n); l.free(name) {
			return name
		}
	}
}

func (l *Lesson) free(name string) bool {
	return !slices.Contains(l.Taken, name) && !slices.ContainsFunc(l.Keys, func(k Key) bool { return k.Name == name })
}

// Name gives a key of a free lesson its name.
func (l *Lesson) Name(key, name string) error {
	i := slices.IndexFunc(l.Keys, func(k Key) bool { return k.Name == key })
	switch {
	case !l.Free:
		return fmt.Errorf("%w: the keys of this lesson have their names: rename them on the device's page", ErrNoKey)
	case i < 0:
		return fmt.Errorf("%w: %q", ErrNoKey, key)
	case key != name && !l.free(name):
		return fmt.Errorf("%w: there is a key %q already", ErrTaken, name)
	}
	l.Keys[i].Name = name
	for t := range l.Keys[i].Takes {
		l.Keys[i].Takes[t].Key = name
	}
	return nil
}

// Drop forgets a key of a free lesson: it was pressed by mistake.
func (l *Lesson) Drop(key string) error {
	if !l.Free || l.State(key) == "" {
		return fmt.Errorf("%w: %q cannot be dropped", ErrNoKey, key)
	}
	l.Keys = slices.DeleteFunc(l.Keys, func(k Key) bool { return k.Name == key })
	l.At = -1
	return nil
}

// State of a key by its name, "" where it has none.
func (l *Lesson) State(key string) State {
	for _, k := range l.Keys {
		if k.Name == key {
			return k.State
		}
	}
	return ""
}

func (l *Lesson) promptFree(settled int) string {
	waiting := len(l.Keys) - settled
	switch {
	case len(l.Keys) == 0:
		return "Press any key of the handset."
	case waiting > 0:
		return fmt.Sprintf("%d learned. Press once more what was pressed once, or another key.", settled)
	}
	return fmt.Sprintf("%d learned. Press another key, or name these.", settled)
}
