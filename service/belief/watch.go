package belief

import (
	"context"
	"log/slog"
	"time"

	"urbo/core/control"
	"urbo/core/grant"
	"urbo/core/happening"
	"urbo/store"
)

const (
	// look is how often what goes on by itself is looked at: a warm-up, a shutter on its way.
	look = 500 * time.Millisecond
	// doze is how often it is looked at whether something is still certain, and how long devices are on.
	doze = 30 * time.Second
	// rest is how long a device that could not be switched off is left alone.
	rest = 10 * time.Minute
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
		timer.Reset(b.lookAround(ctx))
	}
}

// lookAround tells what changed by itself, and how long until the next look.
func (b *Beliefs) lookAround(ctx context.Context) time.Duration {
	b.mu.Lock()
	defer b.mu.Unlock()
	now := b.Now()
	next := time.Hour
	for _, m := range b.minds {
		for _, s := range m.sensors {
			b.sense(m, s, now)
		}
		b.changed(m, "")
		switch {
		case !m.spec.Still(m.spec.At(m.now, now)), len(m.pending) > 0 && b.waiting(m, now):
			next = min(next, look)
		case len(m.log) > 0:
			next = min(next, doze)
		}
		b.offInTime(ctx, m, now)
	}
	return next
}

// waiting says whether a measurement has not settled yet.
func (b *Beliefs) waiting(m *mind, now time.Time) bool {
	for _, s := range m.sensors {
		if p, ok := m.pending[s.Measurement+" "+s.Control]; ok && now.Sub(p.since) <= s.Settle() {
			return true
		}
	}
	return false
}

// offInTime switches off a device that was on for as long as it may be. The caller holds mu.
func (b *Beliefs) offInTime(ctx context.Context, m *mind, now time.Time) {
	for _, c := range m.forms.Controls {
		if c.Kind != control.Power || c.LongestS == 0 || now.Before(m.resting) {
			continue
		}
		var st control.State
		for _, s := range m.spec.States(m.now, now) {
			if s.Control == c.Name {
				st = s
			}
		}
		longest := time.Duration(c.LongestS) * time.Second
		since := m.since(c.Name)
		if st.Value == "" || st.Value == "off" || since.IsZero() || now.Sub(since) < longest {
			continue
		}
		m.resting = now.Add(rest)
		slug := m.slug
		b.group.Go(func() {
			_, err := b.Set(ctx, Ask{Device: slug, Wants: []control.Want{{Control: c.Name, Value: "off"}}, Asked: true,
				By: grant.TheHouse("longest on"), Background: true})
			if err != nil {
				b.Stream.Publish(happening.Happening{What: happening.HouseNote{Severity: "error",
					Text: slug + " was on for as long as it may be, and could not be switched off: " + err.Error()}})
			}
		})
	}
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
	b.mu.Lock()
	var rows []store.Belief
	var dirty []*mind
	for _, m := range b.minds {
		if !m.dirty {
			continue
		}
		row, err := m.document()
		if err != nil {
			b.mu.Unlock()
			return err
		}
		rows, dirty = append(rows, row), append(dirty, m)
		m.dirty = false
	}
	b.mu.Unlock()
	if len(rows) == 0 {
		return nil
	}
	err := b.Store.PutBeliefs(context.WithoutCancel(ctx), rows)
	if err != nil {
		b.mu.Lock()
		for _, m := range dirty {
			m.dirty = true
		}
		b.mu.Unlock()
	}
	return err
}
