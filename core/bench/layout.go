package bench

import (
	"math"
	"slices"

	"urbo/core/signal"
)

// Lengths in units that tell what belongs to a frame from the silence around it.
const (
	longestFixed = 17.0 // a space of a lead or a tail
	longestMark  = 60.0 // a mark of a lead
	mostLead     = 40   // durations
	mostTail     = 8
	mostPause    = 14.0 // a space between two blocks that is written as fixed durations
)

// layout puts a clean frame together, from what was voted and from the durations around it that frames have in common.
type layout struct {
	e     evidence
	m     model
	b     *ballot
	frame segment // the heard frame that is most like the result

	us     []float64 // of the clean frame
	merged bool      // a pause begins with the space of the bit before it, which no sheet can say
	spans  []Span
	pieces []piece
}

// lay makes the clean frame. lead and tail say how many durations it has before its first and after its last bit.
func lay(e evidence, m model, b *ballot) (l *layout, lead, tail int) {
	l = &layout{e: e, m: m, b: b, frame: b.nearest()}
	runs := l.frame.runs
	lead = l.common(0, true, mostLead)
	if (runs[0].from-lead)%2 == 1 { // a frame begins with a mark
		lead--
	}
	tail = l.common(len(runs)-1, false, mostTail)
	if to := runs[len(runs)-1].to + tail; tail > 0 && to%2 == 0 { // and ends with one
		tail--
	}
	l.fixed(runs[0].from-lead, runs[0].from, 0, "lead")
	for k, bits := range b.blocks(b.bits) {
		if k > 0 {
			l.pause(runs[k-1].to, runs[k].from, k)
		}
		l.bits(runs[k], bits)
	}
	last := len(runs) - 1
	l.fixed(runs[last].to, runs[last].to+tail, last, "tail")
	if len(l.us)%2 == 0 && len(l.us) > 0 { // the last space is part of the silence
		l.us = l.us[:len(l.us)-1]
	}
	for len(l.spans) > 0 && l.spans[len(l.spans)-1].From >= len(l.us) {
		l.spans = l.spans[:len(l.spans)-1]
	}
	if n := len(l.spans); n > 0 {
		l.spans[n-1].To = min(l.spans[n-1].To, len(l.us))
	}
	return l, lead, tail
}

// common counts the durations before or after a run that two of three frames have, after it three of four, as far as
// they can belong to it.
func (l *layout) common(run int, before bool, most int) int {
	place := func(s segment, k int) int {
		if before {
			return s.runs[run].from - 1 - k
		}
		return s.runs[run].to + k
	}
	for k := range most {
		i := place(l.frame, k)
		if i < 0 || i >= len(l.e.us)-1 || !l.belongs(i) {
			return k
		}
		alike, all := 0.0, 0.0
		for _, v := range l.b.whole {
			all++
			if j := place(l.b.segments[v], k); j >= 0 && j < len(l.e.us) && l.alike(l.e.us[i], l.e.us[j]) {
				alike++
			}
		}
		enough := 2 * all / 3.0
		if !before { // noise begins there
			enough = 3 * all / 4.0
		}
		if alike < enough {
			return k
		}
	}
	return most
}

func (l *layout) belongs(i int) bool {
	if i%2 == 0 {
		return l.e.us[i] <= longestMark*l.m.unit
	}
	return l.e.us[i] <= longestFixed*l.m.unit
}

func (l *layout) alike(a, b float64) bool { return math.Abs(a-b) < max(4*l.m.sigma, 0.1*max(a, b)) }

// fixed adds durations that carry no bits, each the mean of what the frames have there, in units where they are short.
// They stand beside a run.
func (l *layout) fixed(from, to, run int, what string) {
	if to <= from {
		return
	}
	began := len(l.us)
	var units []float64
	for i := from; i < to; i++ {
		n := max(multiple(l.mean(i, run)/l.m.unit)-l.shared(i), 0)
		if n == 0 {
			continue
		}
		units = append(units, n)
		l.push(i%2 == 0, n*l.m.unit)
	}
	if len(units) == 0 {
		return
	}
	if n := len(l.pieces); n > 0 && l.pieces[n-1].units != nil {
		l.pieces[n-1].units = append(l.pieces[n-1].units, units...)
	} else {
		l.pieces = append(l.pieces, piece{units: units})
	}
	l.span(began, what)
}

// mean is how long a duration is in the frames that have it there, without stretch, in µs.
func (l *layout) mean(i, run int) float64 {
	sum, n := 0.0, 0.0
	for _, v := range l.b.whole {
		s := l.b.segments[v]
		j := i - l.frame.runs[run].from + s.runs[run].from
		if i >= l.frame.runs[run].to {
			j = i - l.frame.runs[run].to + s.runs[run].to
		}
		if j >= 0 && j < len(l.e.us) && l.alike(l.e.us[i], l.e.us[j]) {
			sum += l.e.us[j]
			n++
		}
	}
	us := l.e.us[i]
	if n > 0 {
		us = sum / n
	}
	if i%2 == 0 {
		return us - l.m.stretch
	}
	return us + l.m.stretch
}

// shared is how many units of a duration beside a biphase run are half a bit of it.
func (l *layout) shared(i int) float64 {
	if l.m.style != Biphase {
		return 0
	}
	n := 0.0
	for _, r := range l.frame.runs {
		if i == r.from-1 && r.from == r.tokens[0].from {
			n++
		}
		if i == r.to && r.to == r.tokens[len(r.tokens)-1].from {
			n++
		}
	}
	return n
}

// push adds a duration. One of the level that was there already makes that longer; a space before the first mark is
// silence.
func (l *layout) push(mark bool, us float64) {
	n := len(l.us)
	switch {
	case n == 0 && !mark:
	case n > 0 && mark == (n%2 == 1):
		l.us[n-1] += us
	default:
		l.us = append(l.us, us)
	}
}

// span names what was added since the frame had so many durations.
func (l *layout) span(began int, text string) {
	if len(l.us) > began {
		l.spans = append(l.spans, Span{began, len(l.us), text})
	}
}

// bits adds the bits of a run.
func (l *layout) bits(r bitRun, bits string) {
	if l.m.spaceFirst && len(l.us) == 0 { // the mark before the first space
		l.push(true, l.m.unit)
		l.pieces = append(l.pieces, piece{units: []float64{1}})
		l.span(0, "lead")
	}
	for i := 0; i < len(bits); i += l.m.bits {
		text := bits[i : i+l.m.bits]
		began := len(l.us)
		if l.m.style == Biphase {
			l.push(text == "0", l.m.unit)
			began = min(began, max(len(l.us)-1, 0))
			l.push(text == "1", l.m.unit)
		} else {
			p := l.m.pairs[valueOf(text)]
			l.push(!l.m.spaceFirst, float64(p.first)*l.m.unit)
			l.push(l.m.spaceFirst, float64(p.second)*l.m.unit)
		}
		l.span(began, text)
	}
	l.pieces = append(l.pieces, piece{bits: bits})
	if n := len(r.tokens); n > 0 && r.tokens[n-1].kind == ending && !r.open {
		began := len(l.us)
		l.push(true, float64(l.m.short)*l.m.unit)
		l.pieces = append(l.pieces, piece{units: []float64{float64(l.m.short)}})
		l.span(began, "tail")
	}
}

// valueOf is the value of some bits.
func valueOf(bits string) int {
	n := 0
	for _, b := range bits {
		n = 2*n + int(b-'0')
	}
	return n
}

// pause adds what is between two blocks: fixed durations, or where there is noise or a long silence, one space of the
// whole time and the lead of the next block.
func (l *layout) pause(from, to, next int) {
	space, _ := l.e.between(from, to)
	if space <= mostPause*l.m.unit && to-from <= mostTail {
		l.fixed(from, to, next, "pause")
		return
	}
	lead := min(l.common(next, true, mostTail), to-from)
	for lead > 0 && ((to-lead)%2 == 1 || to-lead <= from) {
		lead--
	}
	if from%2 == 0 && from < to-lead { // the mark that ends a block
		l.fixed(from, from+1, next-1, "tail")
		from++
	}
	began, us := len(l.us), l.m.stretch
	for i := from; i < to-lead; i++ {
		us += l.e.us[i] - l.shared(i)*l.m.unit
	}
	if r := l.frame.runs[next-1]; r.open && l.m.style != Biphase { // its last space is in it
		bits := r.bits
		l.merged = true
		us -= float64(l.m.pairs[valueOf(bits[len(bits)-l.m.bits:])].second) * l.m.unit
	}
	if us > 0 {
		l.push(false, us)
		l.silence(us)
		l.span(began, "pause")
	}
	l.fixed(to-lead, to, next, "lead")
}

// silence adds a space to the pieces: a long one in µs, to ten.
func (l *layout) silence(us float64) {
	if us > pause {
		round := math.Round(us/10) * 10
		l.us[len(l.us)-1] += round - us
		l.pieces = append(l.pieces, piece{us: []int{int(round)}})
		return
	}
	units := multiple(us / l.m.unit)
	l.us[len(l.us)-1] += units*l.m.unit - us
	if n := len(l.pieces); n > 0 && l.pieces[n-1].units != nil {
		l.pieces[n-1].units = append(l.pieces[n-1].units, units)
		return
	}
	l.pieces = append(l.pieces, piece{units: []float64{units}})
}

// whole rounds durations to µs so that their sum stays what it is.
func whole(us []float64) signal.Train {
	out := make(signal.Train, len(us))
	at, rounded := 0.0, 0
	for i, d := range us {
		at += d
		out[i] = max(int(math.Round(at))-rounded, 1)
		rounded = int(math.Round(at))
	}
	return out
}

// raw is the frame as heard: the median of each duration over the frames that have as many, or where there is none, the
// clean frame with the stretch that was heard.
func (l *layout) raw(lead, tail int) signal.Train {
	var heard []signal.Train
	for _, v := range l.b.whole {
		runs := l.b.segments[v].runs
		from, to := runs[0].from-lead, runs[len(runs)-1].to+tail
		if to%2 == 0 {
			to--
		}
		if from >= 0 && to <= len(l.e.us) && to-from == len(l.us) {
			t := make(signal.Train, to-from)
			for i := range t {
				t[i] = int(l.e.us[from+i])
			}
			heard = append(heard, t)
		}
	}
	if len(heard) > 0 {
		return signal.Median(heard...)
	}
	stretched := slices.Clone(l.us)
	for i := range stretched {
		stretched[i] = max(stretched[i]+l.m.stretch*float64(1-i%2*2), 1)
	}
	return whole(stretched)
}

// clusters are the durations of the bits of all frames, by how many units they are.
func (l *layout) clusters() (marks, spaces []Cluster) {
	var seen [2]map[int][]int
	seen[0], seen[1] = map[int][]int{}, map[int][]int{}
	add := func(space bool, units int, us float64) {
		k := 0
		if space {
			k = 1
		}
		seen[k][units] = append(seen[k][units], int(us))
	}
	for _, v := range l.b.whole {
		for _, r := range l.b.segments[v].runs {
			if l.m.style == Biphase {
				for i := r.from; i < r.to; i++ {
					if units := l.m.halves(i, l.e.us[i]); units == 1 || units == 2 {
						add(i%2 == 1, units, l.e.us[i])
					}
				}
				continue
			}
			for _, t := range r.tokens {
				if t.kind != inside || t.merged {
					continue
				}
				p := l.m.pairs[t.value]
				add(l.m.spaceFirst, p.first, t.us[0])
				add(!l.m.spaceFirst, p.second, t.us[1])
			}
		}
	}
	return clustersOf(seen[0]), clustersOf(seen[1])
}

// halves is how many units a duration of a biphase code is nearest to.
func (m *model) halves(i int, us float64) int {
	if i%2 == 1 {
		return int(math.Round((us + m.stretch) / m.unit))
	}
	return int(math.Round((us - m.stretch) / m.unit))
}

func clustersOf(seen map[int][]int) []Cluster {
	var out []Cluster
	for units := 1; units <= mostUnits; units++ {
		all := seen[units]
		if len(all) == 0 {
			continue
		}
		out = append(out, Cluster{Center: float64(signal.Sum(all)) / float64(len(all)), Count: len(all),
			Low: slices.Min(all), High: slices.Max(all), Units: float64(units)})
	}
	return out
}
