package setting

import (
	"context"
	"fmt"
	"time"

	"urbo/core/control"
	"urbo/core/fault"
	"urbo/core/grant"
)

// ErrUndo is wrapped where nothing can be taken back: the text says why.
var ErrUndo = fault.New(fault.Conflict, "nothing to undo")

// undoable is how long a setting can be taken back.
const undoable = 10 * time.Minute

// undoKey is whose change of which device it is.
type undoKey struct{ device, by, via string }

// before is what controls were at before somebody set them.
type before struct {
	wants   []control.Want
	unknown string // a control of which that was not one value
	at      time.Time
}

func keyOfUndo(w Wish) undoKey {
	return undoKey{w.Device, w.By.ID + w.By.Name, w.By.Via}
}

// remember keeps what a ticket's controls are at before anything is pressed for it. The caller does not hold mu.
func (s *Setting) remember(t *Ticket) {
	if t.wish.Class != Person {
		return
	}
	s.keep(keyOfUndo(t.wish), s.before(t.wish))
}

// before is what the controls of a wish are believed to be at.
func (s *Setting) before(w Wish) before {
	b := before{at: s.Now()}
	for _, want := range w.Wants {
		value := s.Beliefs.Value(w.Device, want.Control)
		if value == "" {
			b.unknown = want.Control
			continue
		}
		b.wants = append(b.wants, control.Want{Control: want.Control, Value: value})
	}
	return b
}

// keep keeps what can be set back, and forgets what no longer can.
func (s *Setting) keep(key undoKey, b before) {
	s.mu.Lock()
	defer s.mu.Unlock()
	for k, old := range s.undo {
		if b.at.Sub(old.at) > undoable {
			delete(s.undo, k)
		}
	}
	s.undo[key] = b
}

// Undo takes back the newest setting of a device by whoever asks, on the same browser, for ten minutes: it sets what
// was believed before, and switches off last. It is a setting itself. The error wraps ErrUndo, or is that of Set.
func (s *Setting) Undo(ctx context.Context, device string, by grant.By) (Result, error) {
	w := Wish{Device: device, Asked: true, By: by}
	s.mu.Lock()
	b, there := s.undo[keyOfUndo(w)]
	s.mu.Unlock()
	switch {
	case !there || s.Now().Sub(b.at) > undoable:
		return Result{}, fmt.Errorf("%w: you set nothing of it in the last ten minutes: say what it should be at",
			ErrUndo)
	case b.unknown != "":
		return Result{}, fmt.Errorf("%w: it was not known what %s was at before: say what it should be at", ErrUndo,
			b.unknown)
	}
	w.Wants = b.wants
	spec, err := s.Beliefs.Spec(device)
	if err != nil {
		return Result{}, err
	}
	first, last := spec.Apart(b.wants)
	if len(first) == 0 {
		return s.Set(ctx, w)
	}
	now := s.before(w)
	w.Wants = last
	if s.Beliefs.Holds(device, last) { // it is off already: the rest would switch it on
		return s.Set(ctx, w)
	}
	rest, err := s.Set(ctx, Wish{Device: device, Wants: first, Asked: true, By: by})
	if err != nil || !rest.Done {
		return rest, err
	}
	r, err := s.Set(ctx, w)
	if err != nil {
		return r, err
	}
	s.keep(keyOfUndo(w), now)
	r.Plan.Steps = append(rest.Plan.Steps, r.Plan.Steps...)
	r.Plan.Takes += rest.Plan.Takes
	r.Presses = append(rest.Presses, r.Presses...)
	r.Ends = append(rest.Ends, r.Ends...)
	return r, nil
}
