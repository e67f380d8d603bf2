package journal

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"slices"
	"time"

	"urbo/core/happening"
	"urbo/store"
)

// Query says which entries are wanted. The zero value of a member wants all.
type Query struct {
	Before string    // id of the entry that the page ends at
	Since  time.Time // the oldest
	Device string    // slug
	Kind   string    // of happening.Line
	Limit  int       // 1 to MaxPage
}

// wants says whether a query asks for an entry.
func (q Query) wants(h happening.Happening) bool {
	l, told := h.What.Tell()
	return told && (q.Device == "" || l.Device == q.Device) && (q.Kind == "" || l.Kind == q.Kind)
}

// Find reads the entries that a query asks for, the newest first, including what is not yet written.
func (j *Journal) Find(ctx context.Context, q Query) ([]happening.Happening, error) {
	out := []happening.Happening{}
	for before := q.Before; ; {
		page, err := j.Entries(ctx, before, MaxPage)
		if err != nil {
			return nil, err
		}
		for _, h := range page {
			switch {
			case !q.Since.IsZero() && h.At.Before(q.Since): // a clock may have gone back: go on looking
			case q.wants(h):
				if out = append(out, h); len(out) == q.Limit {
					return out, nil
				}
			}
		}
		if len(page) < MaxPage {
			return out, nil
		}
		before = page[len(page)-1].ID
	}
}

// mostRelated is the most entries that Why tells.
const mostRelated = 200

// Why reads what led to an entry, one cause after another, the entry itself, and what came of it, in order. The error
// wraps store.ErrNotFound.
func (j *Journal) Why(ctx context.Context, id string) ([]happening.Happening, error) {
	entry, err := j.entry(ctx, id)
	if err != nil {
		return nil, err
	}
	out, seen := []happening.Happening{entry}, map[string]bool{entry.ID: true}
	add := func(h happening.Happening) bool {
		if seen[h.ID] || len(out) >= mostRelated {
			return false
		}
		seen[h.ID] = true
		out = append(out, h)
		return true
	}
	for cause := entry.Cause; cause != ""; {
		h, err := j.entry(ctx, cause)
		if errors.Is(err, store.ErrNotFound) || err == nil && !add(h) {
			break // older than what is kept, or a circle
		}
		if err != nil {
			return nil, err
		}
		cause = h.Cause
	}
	for next := []string{entry.ID}; len(next) > 0; next = next[1:] {
		effects, err := j.caused(ctx, next[0])
		if err != nil {
			return nil, err
		}
		for _, h := range effects {
			if add(h) {
				next = append(next, h.ID)
			}
		}
	}
	slices.SortFunc(out, func(a, b happening.Happening) int { return cmp.Compare(a.Seq, b.Seq) })
	return out, nil
}

func (j *Journal) entry(ctx context.Context, id string) (happening.Happening, error) {
	if found := j.waiting(func(h happening.Happening) bool { return h.ID == id }); len(found) > 0 {
		return found[0], nil
	}
	h, err := j.store.Entry(ctx, id)
	if err != nil {
		return h, fmt.Errorf("entry %.40q of the journal: %w", id, err)
	}
	return h, nil
}

func (j *Journal) caused(ctx context.Context, id string) ([]happening.Happening, error) {
	out, err := j.store.Caused(ctx, id, mostRelated)
	if err != nil {
		return nil, fmt.Errorf("read the journal: %w", err)
	}
	return append(out, j.waiting(func(h happening.Happening) bool {
		_, told := h.What.Tell()
		return told && h.Cause == id
	})...), nil
}
