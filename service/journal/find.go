package journal

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"unicode"

	"urbo/core/happening"
	"urbo/store"
)

// Query says which entries are wanted. The zero value of a member wants all; Limit is 1 to MaxPage.
type Query = store.Query

// Page is entries of the journal, the newest first.
type Page struct {
	Entries []happening.Happening
	More    bool // there are older ones that are wanted: ask again for those before the last
}

// wants says whether a query asks for an entry.
func (j *Journal) wants(q Query, h happening.Happening) bool {
	l, told := h.What.Tell()
	device, room := h.About()
	room = cmp.Or(j.roomOf(device), room)
	switch {
	case !told,
		!q.Since.IsZero() && h.At.Before(q.Since), !q.Until.IsZero() && h.At.After(q.Until),
		q.Device != "" && device != q.Device, q.Kind != "" && l.Kind != q.Kind,
		q.NoAccess && l.Kind == "access",
		q.By != "" && !strings.EqualFold(h.By.Name, q.By),
		q.Within != nil && !slices.Contains(q.Within.Devices, device) && !slices.Contains(q.Within.Rooms, room):
		return false
	}
	words := strings.FieldsFunc(strings.ToLower(l.Text), isBreak)
	for _, w := range strings.FieldsFunc(strings.ToLower(q.Words), isBreak) {
		if !slices.ContainsFunc(words, func(word string) bool { return strings.HasPrefix(word, w) }) {
			return false
		}
	}
	return true
}

func isBreak(r rune) bool { return !unicode.IsLetter(r) && !unicode.IsDigit(r) }

// Find reads the entries that a query asks for, including what is not yet written. The error wraps store.ErrNotFound
// where there is no entry that they are to be before.
func (j *Journal) Find(ctx context.Context, q Query) (Page, error) {
	waiting := j.waiting(func(h happening.Happening) bool { return h.ID == q.Before || j.wants(q, h) })
	more := q
	more.Limit++
	all, err := page(waiting, q.Before, more.Limit, func(h happening.Happening) string { return h.ID },
		func(before string) ([]happening.Happening, error) {
			more.Before = before
			return j.store.Journal(ctx, more)
		})
	if err != nil {
		return Page{}, err
	}
	if len(all) > q.Limit {
		return Page{all[:q.Limit], true}, nil
	}
	return Page{Entries: all}, nil
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
