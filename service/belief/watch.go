package belief

import (
	"context"
	"log/slog"
	"time"

	"urbo/store"
)

const (
	// look is how often what goes on by itself is looked at: a warm-up, a shutter on its way.
	look = 500 * time.Millisecond
	// doze is how often it is looked at whether something is still certain.
	doze = 30 * time.Second
)

// wakeWatch lets watch look again. The caller holds mu.
func (b *Beliefs) wakeWatch() {
	select {
	case b.wake <- struct{}{}:
	default:
	}
}

// watch looks after what goes on by itself, until the context ends. Where nothing does, it sleeps.
func (b *Beliefs) watch(ctx context.Context) {
	timer := time.NewTimer(0)
	defer timer.Stop()
	for {
		select {
		case <-ctx.Done():
			return
		case <-b.wake:
		case <-timer.C:
		}
		timer.Reset(b.lookAround())
	}
}

// lookAround tells what changed by itself, and how long until the next look.
func (b *Beliefs) lookAround() time.Duration {
	b.mu.Lock()
	defer b.mu.Unlock()
	now := b.Now()
	next := time.Hour
	for _, m := range b.minds {
		for _, s := range m.sensors {
			b.sense(m, s, now)
		}
		b.changed(m, "")
		if due, waits := m.waiting(now); waits {
			next = min(next, due)
		}
		switch {
		case !m.spec.Still(m.spec.At(m.now, now)):
			next = min(next, look)
		case len(m.log) > 0, m.spec.Waits():
			next = min(next, doze)
		}
	}
	return next
}

// waiting says whether a measurement has not settled yet, and in how long the first of them will have.
func (m *mind) waiting(now time.Time) (due time.Duration, waits bool) {
	for _, s := range m.sensors {
		p, ok := m.pending[pendingKey(s)]
		left := m.settles(s, now) - now.Sub(p.since)
		if !ok || left < 0 {
			continue
		}
		if left += time.Millisecond; !waits || left < due {
			due, waits = left, true
		}
	}
	return due, waits
}

// save writes what changed, half a second later at the latest, until the context ends.
func (b *Beliefs) save(ctx context.Context) {
	tick := time.NewTicker(saving)
	defer tick.Stop()
	for {
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
		}
		if err := b.write(ctx); err != nil {
			slog.Error("write what is believed; it is tried again", "error", err)
		}
	}
}

// write writes what changed.
func (b *Beliefs) write(ctx context.Context) error {
	type written struct {
		mind    *mind
		change  *store.BeliefChange
		unsaved int
		rebased bool
	}
	b.mu.Lock()
	var changes []store.BeliefChange
	var minds []written
	for _, m := range b.minds {
		c, err := m.change()
		if err != nil {
			b.mu.Unlock()
			return err
		}
		if c == nil {
			continue
		}
		changes, minds = append(changes, *c), append(minds, written{m, c, len(m.unsaved), m.rebased})
		m.rebased = false
	}
	b.mu.Unlock()
	if len(changes) == 0 {
		return nil
	}
	err := b.Store.PutBeliefs(context.WithoutCancel(ctx), changes)
	b.mu.Lock()
	defer b.mu.Unlock()
	for _, w := range minds {
		if err != nil {
			w.mind.rebased = w.mind.rebased || w.rebased
			continue
		}
		w.mind.written(w.change, min(w.unsaved, len(w.mind.unsaved)))
	}
	return err
}
