package recording

import (
	"math"

	"urbo/core/signal"
)

const (
	// carrierMost is the longest half cycle of a carrier in µs: of 10 kHz.
	carrierMost = 50
	// settleTime and settleRuns are how much is looked at before it is decided which level is a mark.
	settleTime = 300_000
	settleRuns = 8192
	// idleRun is a run in µs that can only be silence.
	idleRun = 20_000
)

// run is a time without an edge.
type run struct {
	level bool
	us    float64
}

// assembler turns levels over time into presses: it finds out which level is a mark, takes a carrier out of the
// marks, and cuts at silences. The zero value with emit set is ready.
type assembler struct {
	emit   func(Press)
	gather func(run) // takes the runs instead, where it is set

	last    run   // still growing
	waiting []run // until the polarity is known
	waited  float64
	settled bool
	idle    bool // the level of silence

	at       float64 // end of the last run that was taken, µs
	mark     mark
	flat     []int
	start    float64 // of the first mark of flat
	rounded  float64 // end of flat on the µs grid
	cycles   float64
	cycled   float64 // µs that the cycles took
	offsetHz int
}

// mark is a mark that may still go on: with a carrier it is many short runs.
type mark struct {
	start, end float64 // end is the last falling edge
	rises      int
	lastRise   float64
	short      bool // every run of it was as short as half a cycle
	lows       float64
}

// add takes a level that lasts so many µs.
func (a *assembler) add(level bool, us float64) {
	if us <= 0 {
		return
	}
	if level == a.last.level || a.last.us == 0 {
		a.last = run{level, a.last.us + us}
		return
	}
	a.push(a.last)
	a.last = run{level, us}
}

// rest ends a press where the silence after it is long enough, before that is over.
func (a *assembler) rest() {
	if a.settled && a.last.level == a.idle && a.last.us >= signal.PressSilence {
		a.push(a.last)
		a.last.us = 0
	}
}

func (a *assembler) push(r run) {
	if a.gather != nil {
		a.gather(r)
		return
	}
	if a.settled {
		a.take(r)
		return
	}
	a.waiting = append(a.waiting, r)
	if a.waited += r.us; a.waited > settleTime && len(a.waiting) > 2 || len(a.waiting) >= settleRuns {
		a.settle()
	}
}

// settle decides which level is silence: that of the longest run where it is long enough to be nothing else, else
// the one that the recording began with.
func (a *assembler) settle() {
	a.settled = true
	longest := run{}
	for _, r := range a.waiting {
		if r.us > longest.us {
			longest = r
		}
	}
	if longest.us < idleRun && len(a.waiting) > 0 {
		longest = a.waiting[0]
	}
	a.idle = longest.level
	waiting := a.waiting
	a.waiting = nil
	for _, r := range waiting {
		a.take(r)
	}
}

func (a *assembler) inverted() bool { return a.settled && a.idle }

// take puts one run, whose level has a meaning now, to the marks and spaces.
func (a *assembler) take(r run) {
	start := a.at
	a.at += r.us
	m := &a.mark
	if r.level != a.idle {
		if m.rises == 0 {
			*m = mark{start: start, short: true}
		}
		m.rises++
		m.lastRise, m.end = start, a.at
		m.short = m.short && r.us <= carrierMost
		return
	}
	if m.rises == 0 {
		return
	}
	if m.short && r.us <= carrierMost {
		m.lows += r.us
		return
	}
	a.closeMark()
	if a.at-m.end >= signal.PressSilence {
		a.closePress(a.at - m.end)
	}
}

// closeMark ends the mark that is open: with a carrier, after a whole number of cycles.
func (a *assembler) closeMark() {
	m := &a.mark
	if m.short && m.rises >= 3 {
		a.cycles += float64(m.rises - 1)
		a.cycled += m.lastRise - m.start
		m.end += m.lows / float64(m.rises-1)
	}
	if len(a.flat) == 0 {
		a.start, a.rounded = m.start, m.start
		a.append(m.end)
	} else {
		a.append(m.start)
		a.append(m.end)
	}
	if len(a.flat) >= signal.MaxDurations-1 {
		a.closePress(0)
	}
	m.rises = 0
}

// append adds a duration up to an edge. Edges are rounded, not durations, so that errors do not add up.
func (a *assembler) append(edge float64) {
	d := math.Round(edge-a.start) - math.Round(a.rounded-a.start)
	a.flat = append(a.flat, int(min(max(d, 1), signal.MaxDuration)))
	a.rounded = edge
}

// closePress hands on what came together, with the silence after it in µs.
func (a *assembler) closePress(gap float64) {
	if len(a.flat) == 0 {
		return
	}
	flat := append(a.flat, int(min(max(gap, 1), signal.MaxDuration)))
	p := Press{At: int64(math.Round(a.start)), Trains: signal.Split(flat, signal.UnknownGap), OffsetHz: a.offsetHz}
	if last := &p.Trains[len(p.Trains)-1]; gap <= 1 {
		last.Gap = 0
	}
	if a.cycles > 0 {
		p.CarrierHz = int(math.Round(a.cycles / a.cycled * 1e6))
	}
	a.emit(p)
	a.flat, a.cycles, a.cycled = nil, 0, 0
}

// finish takes what is left at the end of a recording.
func (a *assembler) finish() {
	if a.last.us > 0 {
		a.push(a.last)
		a.last = run{}
	}
	if !a.settled {
		a.settle()
	}
	if a.mark.rises > 0 {
		a.closeMark()
	}
	a.closePress(max(a.at-a.mark.end, 0))
}
