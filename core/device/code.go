package device

import (
	"errors"
	"fmt"
	"maps"
	"reflect"
	"slices"

	"urbo/core/bench"
	"urbo/core/control"
	"urbo/core/fault"
	"urbo/core/line"
	"urbo/core/signal"
)

// ErrCode is wrapped by errors about codes that cannot be sent; the text says what to change.
var ErrCode = fault.New(fault.Invalid, "code")

// Bounds of codes, wherever they come from.
const (
	MaxCodes   = 8         // of a key
	MaxHeard   = 8         // of a key
	MaxRepeats = 50        // of the repeating part
	MaxGapUS   = 1_000_000 // silence after a code
	MaxUnitUS  = 10_000
	MaxInline  = 16 << 10 // bytes of a sheet of its own
	maxCarrier = 500_000  // Hz
	maxRadio   = 1_000_000_000
	radioFrom  = 1_000_000 // Hz: what is below is a carrier of infrared
)

// Usual carrier and channel of signals without a line code: receiver modules do not tell theirs.
const (
	UsualCarrier = 38_000
	UsualChannel = 433_920_000
)

// FrameCode is a frame that carries controls of a device, by what it says of them; the spec must be of such a device.
func FrameCode(spec *control.Spec, says map[string]string) Code {
	c := Code{Sheet: spec.Whole().Sheet, Fields: line.Fields{}}
	for field, n := range spec.Fields(says) {
		c.Fields[field] = line.Number(n)
	}
	return c
}

// Channel is what carries a code: infrared with its carrier, or radio on its frequency. The zero value leaves it to the
// line code.
type Channel struct {
	Medium line.Medium
	Hz     int
}

// ChannelAt is infrared for what can be a carrier, and radio for what can be a frequency; 0 Hz is the zero value.
func ChannelAt(hz int) Channel {
	switch {
	case hz == 0:
		return Channel{}
	case hz < radioFrom:
		return Channel{line.Infrared, hz}
	}
	return Channel{line.Radio, hz}
}

// ChannelOf is a channel as documents write it: a carrier or a frequency, in Hz. Both at once are an error that wraps
// ErrCode.
func ChannelOf(carrierHz, frequencyHz int) (Channel, error) {
	switch {
	case carrierHz != 0 && frequencyHz != 0:
		return Channel{}, fmt.Errorf("%w: a carrier (infrared) and a frequency (radio): leave one out", ErrCode)
	case carrierHz != 0:
		return Channel{line.Infrared, carrierHz}, nil
	case frequencyHz != 0:
		return Channel{line.Radio, frequencyHz}, nil
	}
	return Channel{}, nil
}

// CarrierHz is the carrier of infrared, 0 for radio.
func (c Channel) CarrierHz() int {
	if c.Medium == line.Infrared {
		return c.Hz
	}
	return 0
}

// FrequencyHz is the frequency of radio, 0 for infrared.
func (c Channel) FrequencyHz() int {
	if c.Medium == line.Radio {
		return c.Hz
	}
	return 0
}

// Code is what a key sends: a line code with fields, a sheet of its own with fields, or a cleaned train.
type Code struct {
	Sheet   string // line code; "" for a sheet of its own or a plain train
	Inline  string // a line sheet of its own (YAML), for a signal without a known line code; its fields are the bits
	Fields  line.Fields
	UnitUS  float64      // where the sheet leaves it open; 0 is the sheet's
	Train   signal.Train // of a plain train; of an inline sheet its clean frame, by which it is recognised
	GapUS   int          // least silence after it
	Channel Channel      // the zero value is the sheet's
	Repeats *int         // how often the repeating part is sent; nil is as the sheet says
	Source  string       // lesson, bench, hand, audition, set, pack or demo
	Takes   int          // of the lesson it was learned in
	Agreed  int          // how many of them were alike
	Extra   Extra
}

// SheetIn is the line sheet that a code is sent with: of the book, or its own; nil for a plain train.
func (c Code) SheetIn(book *line.Book) (*line.Sheet, error) {
	switch {
	case c.Inline != "":
		return book.Inline(c.Inline)
	case c.Sheet != "":
		return book.Sheet(c.Sheet)
	}
	return nil, nil
}

// On is the channel that a code is sent on.
func (c Code) On(book *line.Book) (Channel, error) {
	s, err := c.SheetIn(book)
	if err != nil || s == nil || c.Channel.Hz != 0 {
		return c.Channel, err
	}
	return Channel{s.Medium, s.CarrierHz + s.FrequencyHz}, nil // a sheet has one of them
}

// Complete checks a code, and returns it as it is kept: with the fields that were left out, and the clean frame of an
// inline sheet. Errors wrap ErrCode.
func (c Code) Complete(book *line.Book) (Code, error) {
	if err := c.bounds(); err != nil {
		return c, fmt.Errorf("%w: %w", ErrCode, err)
	}
	s, err := c.SheetIn(book)
	if err != nil {
		return c, fmt.Errorf("%w: %w", ErrCode, err)
	}
	if s == nil {
		if err := c.Train.CheckKey(); err != nil {
			return c, fmt.Errorf("%w: %w", ErrCode, err)
		}
		return c, nil
	}
	if c.Channel.Hz != 0 && c.Channel.Medium != s.Medium {
		return c, fmt.Errorf("%w: %s is %s, and %s is not: leave the channel out", ErrCode, s.Name, s.Medium,
			Hertz(c.Channel.Hz))
	}
	if c.Sheet != "" {
		c.Sheet = s.Name // it may have had another name
	}
	if c.Fields, err = s.Complete(c.Fields); err != nil {
		return c, fmt.Errorf("%w: %w", ErrCode, err)
	}
	b, err := c.Burst(book)
	if err != nil {
		return c, fmt.Errorf("%w: %w", ErrCode, err)
	}
	if b.Repeats == 0 && len(b.Once) == 0 {
		return c, fmt.Errorf("%w: without repeats %s sends nothing: say 1 or more", ErrCode, s.Name)
	}
	c.Train = nil
	if c.Inline != "" {
		wave := b.Repeat
		if len(wave) == 0 {
			wave = b.Once
		}
		c.Train = signal.Train(wave[:len(wave)-1])
		if err := c.Train.CheckKey(); err != nil {
			return c, fmt.Errorf("%w: %w", ErrCode, err)
		}
	}
	return c, nil
}

// CompleteHeard is Complete for a code that is only heard: a rolling code may stand there as well. What changes from
// press to press is left out of it.
func (c Code) CompleteHeard(book *line.Book) (Code, error) {
	if c.Sheet == "" {
		return c.Complete(book)
	}
	s, err := book.Sheet(c.Sheet)
	if err != nil {
		return c, fmt.Errorf("%w: %w", ErrCode, err)
	}
	still := line.Fields{}
	for name := range c.Fields {
		still[name] = c.Fields[name]
	}
	for name, turn := range s.Turns() {
		if _, said := still[name]; said || turn.Counts {
			still[name] = line.Number(0)
		}
	}
	c.Sheet = s.Name
	if c.Fields, err = s.Complete(still); err == nil {
		err = c.bounds()
	}
	if err != nil {
		return c, fmt.Errorf("%w: %w", ErrCode, err)
	}
	return c, nil
}

// Check says why a code cannot be sent, nil where it can. Errors wrap ErrCode.
func (c Code) Check(book *line.Book) error {
	_, err := c.Complete(book)
	return err
}

// bounds checks every number of a code, and that it is one of the three kinds.
func (c Code) bounds() error {
	switch {
	case c.Sheet != "" && c.Inline != "":
		return errors.New("it names a sheet and brings one: leave one out")
	case c.Sheet == "" && c.Inline == "" && c.Channel.Hz == 0:
		return errors.New("without a line code it needs a carrier (infrared) or a frequency (radio) in Hz")
	case len(c.Inline) > MaxInline:
		return fmt.Errorf("its sheet has %d bytes, the most is %d", len(c.Inline), MaxInline)
	case c.Repeats != nil && (*c.Repeats < 0 || *c.Repeats > MaxRepeats):
		return fmt.Errorf("%d repeats: 0 to %d", *c.Repeats, MaxRepeats)
	case c.GapUS < 0 || c.GapUS > MaxGapUS:
		return fmt.Errorf("a gap of %d µs: 0 to %d", c.GapUS, MaxGapUS)
	case !(c.UnitUS >= 0 && c.UnitUS <= MaxUnitUS):
		return fmt.Errorf("a unit of %g µs: 0 to %d", c.UnitUS, MaxUnitUS)
	case c.Channel.Hz < 0 || c.Channel.Medium == line.Infrared && c.Channel.Hz > maxCarrier:
		return fmt.Errorf("a carrier of %d Hz: 1 to %d", c.Channel.Hz, maxCarrier)
	case c.Channel.Hz > maxRadio:
		return fmt.Errorf("a frequency of %d Hz: 1 to %d", c.Channel.Hz, maxRadio)
	}
	return nil
}

// Burst is what is sent for the code. Errors wrap line.ErrFields, line.ErrSheet or signal.ErrMalformed.
func (c Code) Burst(book *line.Book) (line.Burst, error) {
	s, err := c.SheetIn(book)
	if err != nil {
		return line.Burst{}, err
	}
	if s == nil {
		wave := append(slices.Clone([]int(c.Train)), max(c.GapUS, signal.UnknownGap))
		b := line.Burst{Once: wave}
		if c.Repeats != nil && *c.Repeats > 1 {
			b.Repeat, b.Repeats = wave, *c.Repeats-1
		}
		return b, c.Train.CheckKey()
	}
	b, err := s.EncodeUnit(c.Fields, c.UnitUS)
	if err == nil && c.Repeats != nil {
		b.Repeats = *c.Repeats
	}
	return b, err
}

// Airtime is how long one press of the code lasts, with the silence after it, in µs. Errors are those of Burst.
func (c Code) Airtime(book *line.Book) (int, error) {
	b, err := c.Burst(book)
	return signal.Sum(b.Once) + b.Repeats*signal.Sum(b.Repeat) + signal.Sum(b.Last) + c.GapUS, err
}

// Identity is equal for codes that are the same on the air: the line code with the fields that do not change from press
// to press, or the fingerprint. It is "" where the line code is not in the book.
func (c Code) Identity(book *line.Book) string {
	if c.Sheet == "" {
		return Fingerprint(c.print(book))
	}
	s, err := book.Sheet(c.Sheet)
	if err != nil {
		return ""
	}
	return s.Identity(c.Fields)
}

// print is the fingerprint of what has no line code.
func (c Code) print(book *line.Book) bench.Fingerprint {
	if c.Inline != "" {
		if s, err := book.Inline(c.Inline); err == nil {
			if f, ok := bench.SheetPrint(s, c.Fields); ok {
				return f
			}
		}
	}
	return bench.FingerprintOf(c.Train)
}

// Fingerprint is the identity of what has no line code.
func Fingerprint(f bench.Fingerprint) string { return "print " + f.String() }

// Turn is the code with some fields set to other values: those that change from press to press.
func (c Code) Turn(next line.Fields) Code {
	fields := line.Fields{}
	maps.Copy(fields, c.Fields)
	maps.Copy(fields, next)
	c.Fields = fields
	return c
}

// SameCodes says whether two lists of codes send the same, wherever they come from.
func SameCodes(a, b []Code) bool {
	return slices.EqualFunc(a, b, func(x, y Code) bool {
		x.Source, x.Takes, x.Agreed, y.Source, y.Takes, y.Agreed = "", 0, 0, "", 0, 0
		return reflect.DeepEqual(x, y)
	})
}

// Repeated is a number of repeats for a Code; a value can be given, 0 too.
func Repeated(n int) *int { return &n }

// Hertz prints a frequency: "38 kHz", "433.92 MHz".
func Hertz(hz int) string {
	if hz >= radioFrom {
		return fmt.Sprintf("%g MHz", float64(hz)/1e6)
	}
	return fmt.Sprintf("%g kHz", float64(hz)/1e3)
}
