package line

import (
	"slices"
	"unique"
)

// Medium is what carries a line code.
type Medium string

// The two media.
const (
	Infrared Medium = "infrared"
	Radio    Medium = "radio"
)

// Sheet is a compiled line code: it encodes fields into bursts and finds them in trains. Make one with ParseSheet.
// It is immutable and safe for use from several goroutines.
type Sheet struct {
	Name        string
	Title       string
	About       string
	Medium      Medium
	Style       string  // how bits become durations: space, mark, ratio, pair, symbol or biphase
	CarrierHz   int     // infrared: modulation of the marks
	FrequencyHz int     // radio: the usual channel
	UnitFrom    float64 // µs
	UnitTo      float64 // µs; equal to UnitFrom where the unit is nominal
	NeverReplay string  // why sending it again is no use; "" where it is

	fields []*field
	byName map[string]*field
	frames []*frame // in the order that press names them
	// What rules out most places for all frames at once: bounds in µs of the first mark, and the fewest durations.
	markLow, markHigh, fewest int
	presses                   []press
	biphase                   bool
	rise                      uint8 // biphase: the bit that is space→mark
}

// FieldInfo describes a field for people and forms.
type FieldInfo struct {
	Name    string
	About   string
	Bits    int    // 0 for a text
	Digits  int    // symbols of a text
	Of      string // what the symbols of a text may be
	Min     int64
	Max     int64
	Toggle  bool    // changes from press to press and is no part of what the code means
	Measure string  // a sensor's value: what it measures; "" for a field of a key
	In      string  // the unit of the measurement
	Scale   float64 // the value is so many units
}

// Fields lists the sheet's fields in the order people read them.
func (s *Sheet) Fields() []FieldInfo {
	out := make([]FieldInfo, len(s.fields))
	for i, f := range s.fields {
		out[i] = FieldInfo{Name: f.Name, About: f.About, Bits: f.Bits, Digits: f.Digits, Of: f.Of, Toggle: f.changes(),
			Measure: f.Measure, In: f.In, Scale: f.Scale}
		if f.Digits == 0 {
			out[i].Min, out[i].Max = f.limits()
		}
	}
	return out
}

// Forms lists the fields of each kind of press that the sheet has: usually one, more where an optional field changes
// what is sent.
func (s *Sheet) Forms() [][]string {
	var out [][]string
	for _, p := range s.presses {
		var names []string
		for _, f := range slices.Concat(p.once, p.repeat, p.last) {
			for _, name := range f.fields {
				if !slices.Contains(names, name) {
					names = append(names, name)
				}
			}
		}
		out = append(out, names)
	}
	return out
}

// Counts says whether a press carries a counter that a receiver obeys once: a handset's press cannot be sent again.
func (s *Sheet) Counts() bool {
	return slices.ContainsFunc(s.fields, func(f *field) bool { return f.Counter })
}

// Turn is how a field changes from press to press.
type Turn struct {
	Values int64 // it has so many, and begins again after the last
	Counts bool  // it counts up from what the code says; else it goes through its values from 0
}

// mostTurning is the most bits of a field that goes through its values, in a sheet that does not roll.
const mostTurning = 8

// Rolls says whether a device obeys each press of the sheet once.
func (s *Sheet) Rolls() bool { return s.NeverReplay != "" || s.Counts() }

// Turns lists the fields that have to change from press to press.
func (s *Sheet) Turns() map[string]Turn {
	var out map[string]Turn
	for _, f := range s.fields {
		counts, turns := f.Counter && f.Bits < 63, f.Toggle && (f.Bits == 1 || f.Bits <= mostTurning && !s.Rolls())
		if f.Bits > 0 && (counts || turns) {
			if out == nil {
				out = map[string]Turn{}
			}
			out[f.Name] = Turn{1 << f.Bits, f.Counter}
		}
	}
	return out
}

// Measures says whether the sheet is a sensor's: its readings are measurements, not keys.
func (s *Sheet) Measures() bool {
	return slices.ContainsFunc(s.fields, func(f *field) bool { return f.Measure != "" })
}

// changes says whether a field changes from press to press.
func (f *field) changes() bool { return f.Toggle || f.Counter }

// unit is the unit that Encode uses where none is asked for: the middle of the range.
func (s *Sheet) unit() float64 { return (s.UnitFrom + s.UnitTo) / 2 }

// frame is one message of the sheet, compiled.
type frame struct {
	name      string
	groups    []group   // the payload
	bits      int       // length of the payload: bits, or symbols of a text
	steps     []step    // pulse-shaped styles: what is on the air, in order
	halves    []half    // biphase: the same as half bits
	runs      int       // pulse-shaped styles: number of durations, the last one a mark unless open
	chained   bool      // its bytes are disguised by the ones before
	before    []int     // biphase: pulses before the frame, in µs, that are sent but not looked for
	lossy     bool      // its first step may be missing
	open      bool      // the last duration is a space, so silence after the frame may lengthen it
	checks    int       // payload bits that are constant or derived
	rarity    float64   // bits of surprise that the alphabet adds (three symbols of four …)
	fields    []string  // names of the fields it carries
	equal     bool      // all cells last equally long: the unit follows without knowing the bits
	lead      float64   // units in the durations that the unit is taken from, else 0
	leads     int       // how many these are
	slack     float64   // smallest slack of the codes it uses
	code      *alphabet // of its last cell, nil where it has none
	firstCell int       // durations before the first cell
	// Bounds in µs of the first mark and the first space, and whether a silence must stand before: most places are
	// ruled out by these alone.
	firstLow, firstHigh, spaceLow, spaceHigh int
	afterSilence                             bool
	atLeast                                  int // durations that must be left
	// from which duration on how many pairs last equally long
	evenFrom, evenPairs int
	// equal for frames that look alike but for what their bits mean
	wave unique.Handle[string]
	// guesses are the stretches to begin with, in units: where the sums of cells tell symbols apart one is enough.
	guesses []float64
}

// kind of a payload group.
type kind uint8

const (
	fieldOf kind = iota
	constant
	notOf
	sameAs
	xorOf
	sumOf
	parityOf
	crcOf
)

// group is a run of payload bits.
type group struct {
	kind   kind
	label  string
	field  *field
	lo     int // of a slice: the lowest bit of the field
	bits   int
	at     int // where it begins in the payload
	msb    bool
	over   []int // indices of the groups that a derived one is computed from
	invert bool
	double bool // every bit is sent twice
	part   part
}

// length is the number of payload bits or symbols that the group takes.
func (g *group) length() int {
	switch {
	case g.field != nil && g.field.Digits > 0:
		return g.field.Digits
	case g.double:
		return 2 * g.bits
	}
	return g.bits
}

// step is one or more durations on the air: fixed pulses, or a cell whose symbol is to be read.
type step struct {
	units   []float64 // fixed pulses in units
	us      []int     // fixed pulses in µs
	cell    *alphabet // or a cell
	symbol  string    // a cell that always has this symbol
	at      int       // a cell: where its bits begin in the payload
	mark    bool      // level of the first duration
	mayLose bool      // fixed pulses: a receiver may not hear them
}

// size is the number of durations of the step.
func (p *step) size() int {
	if p.cell != nil {
		return p.cell.size
	}
	return len(p.units) + len(p.us)
}

// alphabet is a compiled code: how symbols look.
type alphabet struct {
	symbols []symbol
	size    int  // durations of a symbol
	bits    int  // payload entries that one symbol carries
	text    bool // symbols are characters of a text, not bits
	of      string
	mark    bool // level a symbol begins with
	equal   bool // all symbols last equally long
	least   float64
	most    float64 // shortest and longest symbol in units
	longest float64 // longest single duration in units
	values  int     // the first so many symbols stand for bits or characters, the rest are extra
	// shortest and longest mark + space in units
	pairLeast, pairMost float64
	// the same of a mark and the space after it, which may be of the next symbol
	seamLeast, seamMost float64
	slack               float64 // smallest difference between two symbols, in units, in the duration that differs most
}

// symbol is one shape on the air.
type symbol struct {
	name  string
	value uint64    // bits, first sent is highest; or index in the alphabet
	units []float64 // durations in units
	total float64
}

// half is one half bit of a biphase frame: a known level, or half of a payload bit.
type half struct {
	bit   int // index in the payload, -1 where the level is known
	us    int // a fixed pulse of so many µs instead of a half bit, 0 for none
	mark  bool
	first bool
}

// press is what one push of a key sends.
type press struct {
	when    string
	once    []*frame
	repeat  []*frame
	last    []*frame
	repeats int
	period  int     // µs from start to start, 0 where a gap is given
	gap     int     // µs
	gapUnit float64 // units
}
