package line

import (
	"math"
	"slices"

	"urbo/core/signal"
)

// matchCells tries a frame of a pulse-shaped style at one place, beginning with step from (1 where the lead was
// lost). It measures unit and stretch from the cells: mark + space, edge to same edge, is true whatever the
// receiver added to marks.
func (s *Sheet) matchCells(flat []int, at int, f *frame, from int, tmp *scratch, known *[]measured) (match, bool) {
	size := f.runs
	if from == 1 {
		size -= f.steps[0].size()
	}
	if at+size > len(flat) || s.surelyInside(flat, at, f, from) {
		return match{}, false
	}
	if known == nil {
		return s.matchWave(flat, at, size, f, from, tmp, nil)
	}
	i, found := slices.BinarySearchFunc(*known, at, func(w measured, at int) int { return w.at - at })
	if found {
		return f.matched((*known)[i], at, size)
	}
	*known = slices.Insert(*known, i, measured{at: at})
	return s.matchWave(flat, at, size, f, from, tmp, &(*known)[i])
}

// matched reads the bits of a wave that was measured.
func (f *frame) matched(w measured, at, size int) (match, bool) {
	m := match{frame: f, start: at, end: at + size}
	if w.ok {
		m.fields, _ = f.read(w.payload)
		m.even = f.allAlike(w.payload)
		m.unit, m.stretch, m.most, m.rms = w.unit, w.stretch, w.most, w.rms
	}
	return m, m.fields != nil
}

// matchWave measures a frame at one place, and keeps what its wave was found to be where keep is given.
func (s *Sheet) matchWave(flat []int, at, size int, f *frame, from int, tmp *scratch, keep *measured) (match, bool) {
	d := flat[at : at+size]
	unit := 0.0
	if f.lead > 0 && from == 0 {
		unit = float64(signal.Sum(d[:f.leads])) / f.lead
	}
	unit, ok := s.unitFromCells(d, f, from, unit, tmp)
	if !ok || !s.unitFits(unit) {
		return match{}, false
	}
	if !s.standsAlone(flat, at, size, f, from, unit) {
		return match{}, false
	}
	if len(f.guesses) == 1 {
		w := measured{at: at}
		w.unit, w.stretch, w.most, w.rms, w.ok = f.measure(d, from, unit, 0, tmp)
		w.ok = w.ok && good(w.unit, w.stretch, w.most, w.rms, f.slack) && f.pulsesFit(d, from, w.unit, w.stretch)
		if w.ok {
			w.payload = f.bitsOf(tmp)
		}
		if keep != nil {
			*keep = w
			keep.payload = slices.Clone(w.payload)
		}
		return f.matched(w, at, size)
	}
	m := match{frame: f, start: at, end: at + size}
	for _, guess := range f.guesses {
		u, stretch, most, rms, ok := f.measure(d, from, unit, guess*unit, tmp)
		if !ok {
			return match{}, false
		}
		if !good(u, stretch, most, rms, f.slack) || m.fields != nil && rms >= m.rms ||
			!f.pulsesFit(d, from, u, stretch) {
			continue
		}
		payload := f.bitsOf(tmp)
		fields, ok := f.read(payload)
		if ok {
			m.even = f.allAlike(payload)
			m.fields, m.unit, m.stretch, m.most, m.rms = fields, u, stretch, most, rms
		}
		if rms < 0.18*u {
			break // no other stretch explains it better
		}
	}
	return m, m.fields != nil
}

// measure classifies the cells, fits unit and stretch to them, and classifies once more where that may change
// something. It is false where a cell cannot be what the frame says.
func (f *frame) measure(d []int, from int, unit, stretch float64, tmp *scratch) (u, s, most, rms float64, ok bool) {
	u, s = unit, stretch
	for range 2 {
		if !f.classify(d, from, u, s, tmp) {
			return 0, 0, 0, 0, false
		}
		u, s = fit(tmp.runs)
		if math.Abs(u-unit) > 0.15*unit { // too few different durations to tell: trust the sums
			u = unit
		}
		if most, rms = deviation(tmp.runs, u, s); most < 0.4*f.slack*u {
			break
		}
	}
	return u, s, most, rms, true
}

// near says whether a measured duration is want, give or take a share of it and some µs.
func near(us, want, share, more float64) bool { return math.Abs(us-want) <= share*want+more }

// unitFromCells measures the unit from the sums of the cells. It refuses as soon as a cell cannot be one. A lead
// gives the unit beforehand.
func (s *Sheet) unitFromCells(d []int, f *frame, from int, lead float64, tmp *scratch) (float64, bool) {
	at, cells := 0, 0
	defer func() { tmp.left -= at }()
	total, units := 0.0, 0.0
	least, most := math.Inf(1), 0.0
	var code *alphabet
	for i := from; i < len(f.steps); i++ {
		st := &f.steps[i]
		n := st.size()
		if st.cell == nil || (f.open && at+n == len(d)) {
			at += n
			continue
		}
		sum := 0
		for _, x := range d[at : at+n] {
			sum += x
		}
		us := float64(sum)
		lo, hi := s.UnitFrom*unitLow, s.UnitTo*unitHigh
		if lead > 0 {
			lo, hi = lead*0.94, lead*1.06
		} else if f.equal && cells >= 2 {
			mean := total / units
			lo, hi = mean*0.75, mean*1.25
		}
		if us < st.cell.least*lo-150 || us > st.cell.most*hi+150 {
			return 0, false
		}
		if n > 2 && !st.cell.pairsCould(d[at:at+n], lo, hi) {
			return 0, false
		}
		code = st.cell
		total += us
		units += st.cell.least
		cells++
		least, most = min(least, us), max(most, us)
		at += n
	}
	switch {
	case cells == 0:
		if lead > 0 {
			return lead, true
		}
		return s.unit(), true
	case lead > 0:
		return lead, true
	case f.equal:
		return total / units, true
	case most/least > math.Sqrt(code.most/code.least): // both kinds of cells are there
		return (least + most) / (code.least + code.most), true
	case near(least, code.least*s.unit(), 0.13, 60):
		return least / code.least, true
	}
	return most / code.most, true
}

// pairsCould says whether each two durations of a cell of several pairs last as long as one of its pairs may.
func (a *alphabet) pairsCould(cell []int, low, high float64) bool {
	for i := 0; i+1 < len(cell); i += 2 {
		if us := float64(cell[i] + cell[i+1]); us < a.pairLeast*low-150 || us > a.pairMost*high+150 {
			return false
		}
	}
	return true
}

// classify picks for each cell the symbol that explains it best, and lists the runs of the cells for a fit. The
// first mark after a silence and a space at the open end are not measured on.
func (f *frame) classify(d []int, from int, unit, stretch float64, tmp *scratch) bool {
	tmp.runs, tmp.chosen = tmp.runs[:0], tmp.chosen[:0]
	tmp.left -= 2 * len(d)
	at := 0
	for i := from; i < len(f.steps); i++ {
		st := &f.steps[i]
		n := st.size()
		if st.cell == nil {
			if len(st.units) > 0 && len(st.units) < 2 && at > 0 && st.units[0] < 3 { // a tail
				tmp.runs = append(tmp.runs, run{st.units[0], float64(d[at]), st.mark})
			}
			at += n
			continue
		}
		cell := d[at : at+n]
		open := f.open && at+n == len(d)
		best := st.cell.closest(cell, unit, stretch, st.mark, open)
		if st.symbol != "" && best.name != st.symbol {
			return false
		}
		if st.symbol == "" {
			if best.value == 0 && best.name != st.cell.symbols[0].name { // an extra symbol where bits should be
				return false
			}
			tmp.chosen = append(tmp.chosen, best)
		}
		mark := st.mark
		for j, us := range cell {
			if (at+j > 0 || from == 1) && !(open && j == n-1) {
				tmp.runs = append(tmp.runs, run{best.units[j], float64(us), mark})
			}
			mark = !mark
		}
		at += n
	}
	if len(tmp.runs) == 0 { // a frame of fixed pulses alone: measure on them
		at = 0
		for i := from; i < len(f.steps); i++ {
			mark := f.steps[i].mark
			for j, u := range f.steps[i].units {
				if at+j > 0 {
					tmp.runs = append(tmp.runs, run{u, float64(d[at+j]), mark})
				}
				mark = !mark
			}
			at += f.steps[i].size()
		}
	}
	return true
}

// closest is the symbol with the least squared difference. The last duration of an open cell does not count.
func (a *alphabet) closest(d []int, unit, stretch float64, mark, open bool) *symbol {
	if open {
		d = d[:len(d)-1]
	}
	if !mark {
		stretch = -stretch
	}
	var best *symbol
	least := math.MaxFloat64
	for i := range a.symbols {
		sum, add := 0.0, stretch
		for j, us := range d {
			diff := float64(us) - a.symbols[i].units[j]*unit - add
			add = -add
			sum += diff * diff
		}
		if sum < least {
			least, best = sum, &a.symbols[i]
		}
	}
	return best
}

// bitsOf turns the chosen symbols into the payload.
func (f *frame) bitsOf(tmp *scratch) []uint8 {
	tmp.payload = tmp.payload[:0]
	i := 0
	for j := range f.steps {
		st := &f.steps[j]
		if st.cell == nil || st.symbol != "" {
			continue
		}
		if st.cell.bits == 1 {
			tmp.payload = append(tmp.payload, uint8(tmp.chosen[i].value))
		} else {
			tmp.payload = spread(tmp.payload, tmp.chosen[i].value, st.cell.bits, true)
		}
		i++
	}
	return tmp.payload
}

// pulsesFit checks leads, pauses and other fixed pulses against the measured unit.
func (f *frame) pulsesFit(d []int, from int, unit, stretch float64) bool {
	at := 0
	for i := from; i < len(f.steps); i++ {
		st := &f.steps[i]
		for j, u := range st.units {
			if !(f.open && at+j == len(d)-1) && !near(float64(d[at+j]), u*unit, 0.12, 120+math.Abs(stretch)+0.3*unit) {
				return false
			}
		}
		for j, us := range st.us {
			if !near(float64(d[at+j]), float64(us), 0.2, 300) {
				return false
			}
		}
		at += st.size()
	}
	return true
}

// standsAlone says whether the frame is no part of a longer one: infrared frames end with a silence; radio frames
// may stand inside noise, but not between more cells of the same kind. Before a lead that was heard anything may stand.
func (s *Sheet) standsAlone(flat []int, at, size int, f *frame, from int, unit float64) bool {
	end := at + size
	code := f.code
	if code == nil {
		return end >= len(flat) || flat[end] > int(8*unit)
	}
	if s.Medium == Infrared {
		if f.open {
			end--
		}
		return float64(flat[end]) > (code.longest+2)*unit
	}
	if f.open { // the next frame's first pulses follow, or silence
		if float64(flat[end-1]) < (code.longest+2)*unit && end+1 < len(flat) &&
			code.cellLike(float64(flat[end]), float64(flat[end+1]), unit) {
			return false
		}
	} else if code.cellLike(float64(flat[end-1]), float64(flat[end]), unit) {
		return false
	}
	return at < 2 || f.lead > 0 && from == 0 || !code.cellLike(float64(flat[at-2]), float64(flat[at-1]), unit)
}

// surelyInside says whether the pair before a place is part of the same cells whatever the unit turns out to be, so
// that no frame can begin there: standsAlone would refuse it, after all of it was measured.
func (s *Sheet) surelyInside(flat []int, at int, f *frame, from int) bool {
	if s.Medium != Radio || at < 2 || f.code == nil || f.lead > 0 && from == 0 {
		return false
	}
	low, high := s.UnitFrom*unitLow, s.UnitTo*unitHigh
	mark, space := float64(flat[at-2]), float64(flat[at-1])
	if f.equal {
		// Each cell lasts as long as the first one, but for what receivers blur.
		const blur = 1.06
		if from == 1 {
			at -= f.steps[0].size()
		}
		cell := flat[at+f.firstCell:][:f.code.size]
		first := float64(signal.Sum(cell)) / f.code.least
		low, high = max(low, first/blur), min(high, first*blur)
	}
	return low <= high && f.code.cellLike(mark, space, low) && f.code.cellLike(mark, space, high)
}

// cellLike says whether a mark and a space could be part of a cell.
func (a *alphabet) cellLike(mark, space, unit float64) bool {
	sum := mark + space
	return mark > 0.5*unit && space > 0.5*unit && sum > 0.85*a.seamLeast*unit && sum < 1.15*a.seamMost*unit
}
