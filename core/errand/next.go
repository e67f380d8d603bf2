package errand

import (
	"encoding/binary"
	"hash/fnv"
	"time"

	"urbo/core/moment"
)

// ahead is how many days a cue is looked for: a polar night is over by then, and each first monday has come.
const ahead = 400

// Next is the first time after a time at which a cue comes; id is of its errand, for what it gives or takes. It is
// false where the cue is not planned, or never comes again.
func (c Cue) Next(id string, after time.Time, w moment.Where) (time.Time, bool) {
	if !c.Planned() {
		return time.Time{}, false
	}
	// what belongs to a day may come days before or after it
	reach := int((c.Offset.Abs()+c.Scatter)/(24*time.Hour)) + 1
	first := w.DateOf(after).Add(-reach)
	if c.Date != nil {
		first = *c.Date
	}
	var best time.Time
	for n := range ahead + 2*reach {
		d := first.Add(n)
		if !best.IsZero() && w.At(d.Add(-reach), 0).After(best) {
			break // what belongs to later days comes later
		}
		for k, at := range c.on(d, w) {
			at, is := c.moved(id, d, k, at, w)
			if is && at.After(after) && (best.IsZero() || at.Before(best)) {
				best = at
			}
		}
		if c.Date != nil {
			break
		}
	}
	return best, !best.IsZero()
}

// on are the times of a cue that belong to a day, before they are moved.
func (c Cue) on(d moment.Date, w moment.Where) (out []time.Time) {
	if !c.On.Has(d) {
		return nil
	}
	switch {
	case c.Every != nil:
		from, to := w.At(d, 0), w.At(d.Add(1), 0).Add(-time.Nanosecond)
		if c.Every.From != nil {
			from, to = w.At(d, *c.Every.From), w.At(d, *c.Every.To)
		}
		for at := from; !at.After(to); at = at.Add(c.Every.Each) {
			out = append(out, at)
		}
	case c.Sun != "":
		if at, is := w.On(d, moment.Point{Sun: c.Sun}); is {
			out = append(out, at)
		}
	default:
		for _, t := range c.Times {
			out = append(out, w.At(d, t))
		}
	}
	return out
}

// moved is a time with what stands around it: before or after, give or take, and its limits. It is false where it is
// beyond one, and is to be skipped then.
func (c Cue) moved(id string, d moment.Date, k int, at time.Time, w moment.Where) (time.Time, bool) {
	at = at.Add(c.Offset)
	if c.Scatter > 0 {
		at = at.Add(scattered(id, d, k, c.Scatter))
	}
	for _, l := range c.Limits {
		limit := w.At(d, l.At)
		if l.Before != at.Before(limit) || at.Equal(limit) {
			continue
		}
		if at = limit; c.Skip {
			return at, false
		}
	}
	return at, true
}

// scattered is by how much a time is moved: the same each time that it is asked for.
func scattered(id string, d moment.Date, k int, most time.Duration) time.Duration {
	h := fnv.New64a()
	_, _ = h.Write([]byte(id + " " + d.String()))
	_ = binary.Write(h, binary.LittleEndian, int64(k))
	part := float64(h.Sum64()>>11) / (1 << 53) // from 0 to 1
	return time.Duration((2*part - 1) * float64(most)).Round(time.Second)
}

// Next is the first time after a time at which an errand comes by the clock. It is false where it never does.
func (e Errand) Next(id string, after time.Time, w moment.Where) (best time.Time, is bool) {
	for _, c := range e.When {
		if at, comes := c.Next(id, after, w); comes && (!is || at.Before(best)) {
			best, is = at, true
		}
	}
	return best, is
}
