package errand

import (
	"maps"
	"slices"
	"time"
)

const (
	// TapGap is the longest pause between presses of one key that belong together, from release to press.
	TapGap = 400 * time.Millisecond
	// HeldFor is how long a press takes at least that is held.
	HeldFor = 800 * time.Millisecond
	// settles is how long it is waited for another press: one is only known when it is over, which takes a short one
	// so much longer.
	settles = TapGap + 200*time.Millisecond
)

// Taps tells presses of keys that follow each other at once from single ones: twice, thrice, held. Only keys that an
// errand asks that of wait.
type Taps struct {
	open map[Key]*tap // of those of which more may come
}

type tap struct {
	n     int
	ended time.Time // when the last press did
	over  time.Time // when no more belong to it
}

// Press takes a press of a key, which began and ended. heard is when it became known. It returns what is sure now; the
// rest comes with Settle.
func (t *Taps) Press(k Key, began, ended, heard time.Time) (out []Key) {
	if t.open == nil {
		t.open = map[Key]*tap{}
	}
	o := t.open[k]
	if o != nil && began.Sub(o.ended) > TapGap {
		out, o = append(out, o.key(k)), nil
		delete(t.open, k)
	}
	if ended.Sub(began) >= HeldFor {
		if o != nil {
			out = append(out, o.key(k))
			delete(t.open, k)
		}
		k.How = "held"
		return append(out, k)
	}
	if o == nil {
		o = &tap{}
		t.open[k] = o
	}
	o.n, o.ended, o.over = o.n+1, ended, heard.Add(settles)
	if o.n >= 3 { // nothing asks for more
		out = append(out, o.key(k))
		delete(t.open, k)
	}
	return out
}

// key is what the presses were.
func (o *tap) key(k Key) Key {
	k.How = []string{"", "", "twice", "thrice"}[min(o.n, 3)]
	return k
}

// Settle gives the presses of which it is sure at a time that no more belong to them.
func (t *Taps) Settle(now time.Time) (out []Key) {
	for _, k := range slices.SortedFunc(maps.Keys(t.open), func(a,
		b Key) int {
		return t.open[a].over.Compare(t.open[b].over)
	}) {
		if o := t.open[k]; !o.over.After(now) {
			out = append(out, o.key(k))
			delete(t.open, k)
		}
	}
	return out
}

// Soon is when Settle may have something; zero for not before another press.
func (t *Taps) Soon() (soon time.Time) {
	for _, o := range t.open {
		soon = sooner(soon, o.over)
	}
	return soon
}
