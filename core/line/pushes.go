package line

import (
	"math"
	"slices"

	"urbo/core/signal"
)

// Push is one push of a key, of what a receiver heard close together.
type Push struct {
	Trains []signal.Reception
	After  int // µs from the beginning of the first push to this one's
	// Maybe says that it may have been the push before that went on: its frames come when those of a held key would,
	// and nothing in them tells.
	Maybe bool
}

const (
	// mostPushes is how many pushes are told apart in what was heard together.
	mostPushes = 8
	// longer is by how much a pause is longer than the shortest of a press before it may lie between two pushes.
	longer = 1.25
	// offPace is how far off the pace of a held key's frames something has to come to be another push, as a part of it.
	offPace = 0.12
	// loose is how much a pause may be off by what receivers add and lose, in µs.
	loose = 8_000
)

// Pushes parts what came close together into the pushes of keys that it was: another key, another value of what changes
// with each push, a frame that only begins one, or a frame that does not come at the pace of a key that is held. all is
// what was decoded of it as a whole; known says which readings are believed although they are not clear, as those of
// keys that somebody has.
func (b *Book) Pushes(trains []signal.Reception, all Decoded, known func(Reading) bool) []Push {
	sure := func(r Reading) bool { return r.Confidence >= Clear || known(r) }
	if !slices.ContainsFunc(all.Readings, sure) { // what it is is not known
		return []Push{{Trains: trains}}
	}
	groups := candidates(trains, all, sure)
	if len(groups) < 2 {
		return []Push{{Trains: trains}}
	}
	var out []Push
	var last *Reading // of the push before
	var ends signal.Reception
	at := 0
	for _, g := range groups {
		r := b.clear(g, sure)
		n := len(out) - 1
		apart, maybe := false, false
		if n >= 0 && r != nil && last != nil {
			apart, maybe = b.apart(last, r, ends)
		}
		switch {
		case n < 0, apart || maybe:
			out = append(out, Push{Trains: g, After: at, Maybe: maybe})
		default:
			out[n].Trains = slices.Concat(out[n].Trains, g)
		}
		if r != nil {
			last = r
		}
		ends = g[len(g)-1]
		at += signal.Lasts(g)
	}
	return out
}

// candidates cuts at the pauses that are longer than the shortest, and where something else is read.
func candidates(trains []signal.Reception, all Decoded, sure func(Reading) bool) [][]signal.Reception {
	if len(trains) < 2 {
		return nil
	}
	shortest := math.MaxInt
	for _, t := range trains[:len(trains)-1] {
		shortest = min(shortest, max(t.Gap, signal.UnknownGap))
	}
	limit := int(longer * float64(shortest))
	if len(trains) == 2 {
		limit = 0
	}
	cuts := map[int]bool{} // after these
	at := 0
	for i, t := range trains {
		for _, r := range all.Readings {
			if len(all.Readings) > 1 && sure(r) {
				begins, ends := at <= r.From && r.From < at+t.Train.Length(), at < r.To &&
					r.To <= at+t.Train.Length()+loose
				cuts[i-1], cuts[i] = cuts[i-1] || begins, cuts[i] || ends
			}
		}
		cuts[i] = cuts[i] || t.Gap > limit
		at += t.Train.Length() + t.Gap
	}
	var out [][]signal.Reception
	from := 0
	for i := range trains {
		if i+1 == len(trains) || cuts[i] && len(out) < mostPushes-1 {
			out = append(out, trains[from:i+1:i+1])
			from = i + 1
		}
	}
	return out
}

// clear is what some trains say, nil where that is not sure.
func (b *Book) clear(trains []signal.Reception, sure func(Reading) bool) *Reading {
	d := b.Decode(trains)
	if i := slices.IndexFunc(d.Readings, sure); i >= 0 {
		return &d.Readings[i]
	}
	return nil
}

// apart says whether a reading is another push than the one before, or may be. ends is the last train before it.
func (b *Book) apart(before, r *Reading, ends signal.Reception) (apart, maybe bool) {
	s, err := b.Sheet(r.Sheet)
	if err != nil || r.Sheet != before.Sheet || s.Identity(r.Fields) != s.Identity(before.Fields) {
		return err == nil, false
	}
	if turns := s.Turns(); len(turns) > 0 {
		for name := range turns {
			if r.Fields[name] != before.Fields[name] {
				return true, false
			}
		}
		return false, false
	}
	p := s.pressFor(r.Fields)
	if p.begins() {
		return r.Frames > 0, false
	}
	pause, every := p.rhythm(before, ends.Train.Length())
	if every == 0 {
		return false, false
	}
	late := float64(ends.Gap - pause)
	missing := math.Round(late / every) // frames between may have been lost
	switch {
	case late <= loose:
		return false, false
	case math.Abs(late-missing*every) <= max(offPace*every, loose):
		return false, true
	}
	return true, false
}

// begins says whether a push begins with frames that do not come again while the key is held.
func (p *press) begins() bool {
	return len(p.once) > 0 && len(p.repeat) > 0 && !slices.ContainsFunc(p.once, func(f *frame) bool {
		return slices.Contains(p.repeat, f)
	})
}

// rhythm is how long in µs the silence is after some frames while the key is held, and how often the frames come; 0
// where that is not known.
func (p *press) rhythm(r *Reading, train int) (pause int, every float64) {
	if p.period > 0 {
		return p.period - train%p.period, float64(p.period)
	}
	pause = p.gap + int(p.gapUnit*r.Unit)
	if r.Frames == 0 || pause == 0 {
		return 0, 0
	}
	return pause, float64(r.To-r.From+pause) / float64(r.Frames)
}
