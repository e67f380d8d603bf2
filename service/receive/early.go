package receive

import (
	"slices"

	"urbo/core/happening"
	"urbo/core/line"
)

const (
	// mostEarly is after how many trains of one press nobody is quick any more: it is told when it is over.
	mostEarly = 8
	// surely is the confidence from which a key is told before its press is over: several frames that are equal, or one
	// with checks.
	surely = 0.9
)

// early tells of keys as soon as they are surely read, where somebody is to be quick with them. What is heard of the
// press until it is over is told then.
func (r *Receive) early() {
	if r.Eager == nil {
		return
	}
	for _, p := range r.fresh() {
		if key, sure := r.surely(p); sure {
			r.mu.Lock()
			if now := r.pending[p.place()]; now != nil && now.start.Equal(p.start) {
				now.told = true
			}
			r.mu.Unlock()
			r.stream.Publish(happening.Happening{At: p.start, What: happening.KeyDown{DeviceID: key.DeviceID,
				Device: key.Device, Key: key.Key, Place: p.place()}})
		}
	}
}

// fresh are copies of the presses of which something came in since it was asked last.
func (r *Receive) fresh() (out []*press) {
	r.mu.Lock()
	defer r.mu.Unlock()
	for _, p := range r.pending {
		if p.fresh && !p.told && !p.late && len(p.trains) <= mostEarly {
			is := *p
			is.trains = slices.Clone(p.trains)
			out = append(out, &is)
		}
		p.fresh = false
	}
	return out
}

// surely is the one key that a press is of, as far as it was heard, where that is sure and somebody is to be quick.
func (r *Receive) surely(p *press) (key happening.KeyMatch, sure bool) {
	medium := line.Medium(p.port.Medium)
	book := r.books[medium]
	all := book.Decode(p.trains)
	if len(all.Readings) == 0 || all.Readings[0].Confidence < surely ||
		len(p.trains) == 1 && r.opens[medium][all.Readings[0].Sheet] {
		return key, false
	}
	keys := r.library.Match(all.Readings[:1], nil)
	if len(keys) != 1 || !r.Eager(keys[0], medium) {
		return key, false
	}
	pushes := book.Pushes(p.trains, all, func(line.Reading) bool { return true })
	if len(pushes) != 1 || pushes[0].Maybe ||
		r.echoes.Own(Sound{Medium: medium, First: p.began, Last: p.latest, Readings: all.Readings, Trains: p.trains}) {
		return key, false
	}
	return keys[0], true
}

func (p *press) place() string { return p.from.ID + "/" + p.port.ID }
