package errands

import (
	"context"
	"errors"
	"fmt"
	"time"

	"urbo/core/errand"
	"urbo/core/grant"
	"urbo/core/happening"
	"urbo/store"
)

// quietRow is the name of the document of the quiet, and quietVersion its version.
const quietRow, quietVersion = "quiet", 1

// quiet is a time in which no errand begins anything, by the calendar clock. The zero value is none.
type quiet struct {
	From  time.Time `json:"from,omitzero"`
	Until time.Time `json:"until,omitzero"`
}

// readQuiet reads it. One that cannot be read is set aside: it would end some day.
func readQuiet(ctx context.Context, s Store) (q quiet, err error) {
	text, err := s.HouseText(ctx, quietRow)
	if err != nil || text == "" {
		return quiet{}, err
	}
	if unread := store.ReadDocument(text, quietVersion, &q); unread != nil {
		aside := s.PutAside(ctx, store.Aside{Kind: quietRow, Document: text})
		return quiet{}, errors.Join(aside, s.PutHouseText(ctx, quietRow, ""))
	}
	return q, nil
}

// leap lets a quiet last as long as it was to, where the clock was set.
func (q quiet) leap(l errand.Leap) quiet {
	from := l.Of(q.From)
	return quiet{from, from.Add(q.Until.Sub(q.From))}
}

// Quiet lets no errand begin anything for a time of the calendar clock; 0 ends that. It outlives a restart. The error
// is the store's.
func (e *Errands) Quiet(ctx context.Context, length time.Duration, by grant.By) error {
	var q quiet
	now := e.Calendar.Now()
	text := "Errands go on"
	if length > 0 {
		q = quiet{now, now.Add(length)}
		text = "No errand begins anything until " + q.Until.In(e.Where().Zone).Format("2006-01-02 15:04")
	}
	document, err := store.WriteDocument(quietVersion, q)
	if err == nil {
		err = e.Store.PutHouseText(ctx, quietRow, document)
	}
	if err != nil {
		return fmt.Errorf("keep until when it is quiet: %w", err)
	}
	e.mu.Lock()
	e.quiet, e.anew = q, true
	e.mu.Unlock()
	e.Stream.Publish(happening.Happening{By: by, What: happening.HouseNote{Text: text}})
	return nil
}

// QuietUntil is until when no errand begins anything; zero where they do.
func (e *Errands) QuietUntil() time.Time {
	e.mu.Lock()
	defer e.mu.Unlock()
	if !e.quiet.Until.After(e.Calendar.Now()) {
		return time.Time{}
	}
	return e.quiet.Until
}
