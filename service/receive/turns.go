package receive

import (
	"slices"
	"time"
)

const (
	// mostReady is how many durations of presses of one port wait to be read: a thousand presses, or some dozens of the
	// longest. What comes on top is left out.
	mostReady = 1 << 17
	// tells is how often it is told how many were left out.
	tells = time.Minute
)

// turns is the presses that wait to be read. Each port has a queue of its own, and they take turns: one that hears
// without a pause delays no other. The presses of one port are told in their order: while one of them is described, the
// others wait.
type turns struct {
	ports map[string]*waiting // by STATION-ID/PORT
	order []*waiting          // those with presses, whose turn it is first
}

// waiting is the queue of one port.
type waiting struct {
	presses   []*press
	durations int       // of them
	described bool      // a press of it is being described
	last      *press    // that was left out
	left      int       // out, and not told yet
	told      time.Time // when it was told last
}

// put puts a press behind those of its port.
func (t *turns) put(place string, p *press) {
	w := t.ports[place]
	if w == nil {
		if t.ports == nil {
			t.ports = map[string]*waiting{}
		}
		w = &waiting{}
		t.ports[place] = w
	}
	if w.durations+p.count > mostReady {
		w.last = p
		w.left++
		return
	}
	if len(w.presses) == 0 {
		t.order = append(t.order, w)
	}
	w.presses = append(w.presses, p)
	w.durations += p.count
}

// next takes out the press whose turn it is; nil where none waits.
func (t *turns) next() *press {
	i := slices.IndexFunc(t.order, func(w *waiting) bool { return !w.described })
	if i < 0 {
		return nil
	}
	w := t.order[i]
	t.order = slices.Delete(t.order, i, i+1)
	p := w.presses[0]
	w.presses, w.durations = w.presses[1:], w.durations-p.count
	if len(w.presses) > 0 {
		t.order = append(t.order, w)
	}
	return p
}

// describes notes whether a press of a port is being described.
func (t *turns) describes(place string, is bool) { t.ports[place].described = is }

// leftOut is how many presses of a port were left out.
type leftOut struct {
	*press // the last of them
	left   int
}

// rest is what was left out and is to be told now.
func (t *turns) rest(now time.Time) (out []leftOut) {
	for _, w := range t.ports {
		if w.left > 0 && now.Sub(w.told) >= tells {
			out = append(out, leftOut{w.last, w.left})
			w.left, w.told, w.last = 0, now, nil
		}
	}
	return out
}

// owes says whether something was left out that is not told yet.
func (t *turns) owes() bool {
	for _, w := range t.ports {
		if w.left > 0 {
			return true
		}
	}
	return false
}
