// Package measure is what a house knows of a measurement: where its values come from, which of them can be, when it is
// silent, what is worked out from others, and how its history becomes less with age. It keeps nothing and reads no
// clock.
package measure

import (
	"encoding/json"
	"fmt"
	"math"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"

	"urbo/core/fault"
	"urbo/core/line"
	"urbo/core/plain"
	"urbo/core/run"
)

// ErrMeasurement is wrapped where a measurement, or a value of one, cannot be: the text says why.
var ErrMeasurement = fault.New(fault.Invalid, "measurement")

// Bounds.
const (
	// MaxName is the longest name, in bytes.
	MaxName = 81
	// MaxUnit is the longest unit, in bytes.
	MaxUnit = 12
	// MaxTopic is the longest topic, and MaxPointer the longest pointer, in bytes.
	MaxTopic, MaxPointer = 200, 200
	// MaxPayload is the longest message that a value is read from, in bytes.
	MaxPayload = 16 << 10
	// MaxOf is the most measurements that one is worked out from.
	MaxOf = 12
	// UsualSilence is after how long without a value a measurement is silent, where nothing else is said.
	UsualSilence = time.Hour
	// MaxSilence is the longest that it may take.
	MaxSilence = 31 * 24 * time.Hour
	// UsualKept is how long the history is kept, where nothing else is said, and MaxKept the longest.
	UsualKept, MaxKept = 5 * 366 * 24 * time.Hour, 50 * 366 * 24 * time.Hour
)

// Spec is what is said of a measurement. The zero value is one that programs tell the house.
type Spec struct {
	Unit   string `json:"unit,omitempty"`
	Source Source `json:"source,omitzero"`
	// What comes in becomes Scale × value + Offset.
	Scale  *float64 `json:"scale,omitempty"` // nil is 1
	Offset float64  `json:"offset,omitempty"`
	// Least and Most are the least and most plausible values; what is beyond them is left out.
	Least  *float64      `json:"least,omitempty"`
	Most   *float64      `json:"most,omitempty"`
	Silent time.Duration `json:"silent,omitempty"` // after so long it counts as silent; 0 is as usual
	Kept   time.Duration `json:"kept,omitempty"`   // so long its history is kept; 0 is as usual
}

// Source is where values come from. At most one of its members is given.
type Source struct {
	Topic  *Topic  `json:"topic,omitempty"`
	Radio  *Radio  `json:"radio,omitempty"`
	Worked *Worked `json:"worked,omitempty"`
}

// Topic is messages at a broker.
type Topic struct {
	Topic   string `json:"topic"`
	Pointer string `json:"pointer,omitempty"` // RFC 6901, into JSON; "" is a plain number
	Battery string `json:"battery,omitempty"` // pointer to the battery: a share in % or a word; "" is none
}

// Radio is a sensor that sends with a line sheet.
type Radio struct {
	Sheet string `json:"sheet"`
	// Fields are those that say which sensor it is, with their values.
	Fields map[string]string `json:"fields,omitempty"`
	Value  string            `json:"value"` // which of what it measures, such as temperature
}

// Ways of working a measurement out.
const (
	Difference = "difference" // the first less the second
	Mean       = "mean"
	DewPoint   = "dew-point" // from temperature in °C and humidity in %
	OnFor      = "on-for"    // how long a control was at a value today, in h
)

// Worked is a measurement that is worked out.
type Worked struct {
	How string   `json:"how"`
	Of  []string `json:"of,omitempty"` // measurements
	// Of OnFor: the control, and the value.
	On      *run.Target `json:"on,omitempty"`
	Control string      `json:"control,omitempty"`
	Value   string      `json:"value,omitempty"`
}

var nameRule = regexp.MustCompile(`^[a-z0-9]+(-[a-z0-9]+)*(/[a-z0-9]+(-[a-z0-9]+)*)?$`)

// CheckName says whether a measurement may be called so. The error wraps ErrMeasurement.
func CheckName(name string) error {
	if !nameRule.MatchString(name) || len(name) > MaxName {
		return fmt.Errorf("%w %.90q: a name is a-z, 0-9 and -, such as boardwalk/power", ErrMeasurement, name)
	}
	return nil
}

// CheckUnit says whether something may be measured in a unit. The error wraps ErrMeasurement.
func CheckUnit(unit string) error {
	if len(unit) > MaxUnit || !plain.Is(unit) {
		return fmt.Errorf("%w: a unit has at most %d characters", ErrMeasurement, MaxUnit)
	}
	return nil
}

// Check says whether a measurement can be so. The error wraps ErrMeasurement.
func (s Spec) Check() error {
	wrong := func(format string, args ...any) error {
		return fmt.Errorf("%w: "+format, append([]any{ErrMeasurement}, args...)...)
	}
	finite := func(f *float64) bool { return f == nil || !math.IsNaN(*f) && !math.IsInf(*f, 0) }
	switch {
	case CheckUnit(s.Unit) != nil:
		return CheckUnit(s.Unit)
	case !finite(s.Scale) || !finite(&s.Offset) || !finite(s.Least) || !finite(s.Most):
		return wrong("scale, offset, least and most are numbers")
	case s.Scale != nil && *s.Scale == 0:
		return wrong("scale 0 would make all values the same: leave it out for 1")
	case s.Least != nil && s.Most != nil && *s.Least >= *s.Most:
		return wrong("least %g is not below most %g", *s.Least, *s.Most)
	case s.Silent < 0 || s.Silent > MaxSilence:
		return wrong("silent after %s: at most %s", run.Dur(s.Silent), run.Dur(MaxSilence))
	case s.Kept < 0 || s.Kept > MaxKept:
		return wrong("kept for %s: at most %s", run.Dur(s.Kept), run.Dur(MaxKept))
	}
	return s.Source.check()
}

func (s Source) check() error {
	wrong := func(format string, args ...any) error {
		return fmt.Errorf("%w: "+format, append([]any{ErrMeasurement}, args...)...)
	}
	n := 0
	for _, is := range []bool{s.Topic != nil, s.Radio != nil, s.Worked != nil} {
		if is {
			n++
		}
	}
	if n > 1 {
		return wrong("its values come from one place: a topic, a radio sensor, or others that it is worked out from")
	}
	switch {
	case s.Topic != nil:
		t := s.Topic
		switch {
		case t.Topic == "" || len(t.Topic) > MaxTopic || !plain.Is(t.Topic):
			return wrong("a topic has 1 to %d characters", MaxTopic)
		case strings.ContainsAny(t.Topic, "+#") || strings.HasPrefix(t.Topic, "$"):
			return wrong("the topic %.60q stands for many: name one, without + and #", t.Topic)
		case strings.HasPrefix(t.Topic, "urbo/"):
			return wrong("topics that begin with urbo/ are Urbo's own")
		}
		for _, p := range []string{t.Pointer, t.Battery} {
			if p != "" && (p[0] != '/' || len(p) > MaxPointer || !plain.Is(p)) {
				return wrong("a pointer begins with /, such as /temperature or /values/0, not %.60q", p)
			}
		}
	case s.Radio != nil:
		if s.Radio.Sheet == "" || s.Radio.Value == "" || len(s.Radio.Fields) > 8 {
			return wrong("a radio sensor needs its sheet, what it measures, and at most 8 fields that say which it is")
		}
	case s.Worked != nil:
		return s.Worked.check(wrong)
	}
	return nil
}

func (w Worked) check(wrong func(string, ...any) error) error {
	for _, name := range w.Of {
		if err := CheckName(name); err != nil {
			return err
		}
	}
	switch {
	case w.How == OnFor:
		if w.On == nil || w.Control == "" || w.Value == "" || len(w.Of) > 0 {
			return wrong("on-for is worked out from a control and a value, such as mixer/power on")
		}
		return nil
	case w.On != nil || w.Control != "" || w.Value != "":
		return wrong("a control and a value go with on-for")
	case w.How == Difference && len(w.Of) != 2:
		return wrong("a difference is of two: the first less the second")
	case w.How == DewPoint && len(w.Of) != 2:
		return wrong("a dew point is worked out from a temperature in °C and a humidity in %%")
	case w.How == Mean && (len(w.Of) < 1 || len(w.Of) > MaxOf):
		return wrong("a mean is of 1 to %d", MaxOf)
	case w.How != Difference && w.How != DewPoint && w.How != Mean:
		return wrong("%.20q: a measurement is worked out as difference, mean, dew-point or on-for", w.How)
	}
	return nil
}

// Take is the value that comes of what was told, scaled, as far as it can be. The error wraps ErrMeasurement.
func (s Spec) Take(raw float64) (float64, error) {
	if math.IsNaN(raw) || math.IsInf(raw, 0) {
		return 0, fmt.Errorf("%w: a value has to be a number", ErrMeasurement)
	}
	v := raw
	if s.Scale != nil {
		v *= *s.Scale
	}
	v += s.Offset
	if s.Scale != nil || s.Offset != 0 {
		v = round(v)
	}
	switch {
	case math.IsInf(v, 0):
		return 0, fmt.Errorf("%w: %g is too much for its scale", ErrMeasurement, raw)
	case s.Least != nil && v < *s.Least:
		return 0, fmt.Errorf("%w: %g is less than the least that can be, %g", ErrMeasurement, v, *s.Least)
	case s.Most != nil && v > *s.Most:
		return 0, fmt.Errorf("%w: %g is more than the most that can be, %g", ErrMeasurement, v, *s.Most)
	}
	return v, nil
}

// round leaves out what is nothing but how machines reckon.
func round(v float64) float64 {
	r, err := strconv.ParseFloat(strconv.FormatFloat(v, 'g', 9, 64), 64)
	if err != nil {
		return v
	}
	return r
}

// SilentAfter is after how long without a value it is silent.
func (s Spec) SilentAfter() time.Duration {
	if s.Silent == 0 {
		return UsualSilence
	}
	return s.Silent
}

// KeptFor is how long its history is kept.
func (s Spec) KeptFor() time.Duration {
	if s.Kept == 0 {
		return UsualKept
	}
	return s.Kept
}

// Read reads the value of a message, and whether its battery is low: "low", "good", or "" where that is not told. The
// error wraps ErrMeasurement.
func (t Topic) Read(payload []byte) (value float64, battery string, err error) {
	if len(payload) > MaxPayload {
		return 0, "", fmt.Errorf("%w: a message has at most %d bytes", ErrMeasurement, MaxPayload)
	}
	text, is := At(payload, t.Pointer)
	if !is {
		return 0, "", fmt.Errorf("%w: the message has nothing at %.60q", ErrMeasurement, t.Pointer)
	}
	if value, err = strconv.ParseFloat(strings.TrimSpace(text), 64); err != nil || math.IsNaN(value) ||
		math.IsInf(value, 0) {
		return 0, "", fmt.Errorf("%w: %.40q is no number", ErrMeasurement, text)
	}
	if t.Battery == "" {
		return value, "", nil
	}
	charge, is := At(payload, t.Battery)
	if !is {
		return value, "", nil
	}
	return value, Battery(charge), nil
}

// lowCharge is the share of a battery, in %, below which it is low.
const lowCharge = 15

// Battery reads what a sensor says of its battery: a share in %, or a word. "" is not known.
func Battery(said string) string {
	if n, err := strconv.ParseFloat(said, 64); err == nil {
		if n < lowCharge {
			return "low"
		}
		return "good"
	}
	switch strings.ToLower(said) {
	case "low", "empty", "true":
		return "low"
	case "good", "ok", "full", "false":
		return "good"
	}
	return ""
}

// At is the part of a message that a JSON pointer (RFC 6901) names, as text; with no pointer, all of it.
func At(payload []byte, pointer string) (string, bool) {
	if pointer == "" {
		var text string
		if json.Unmarshal(payload, &text) == nil {
			return text, true
		}
		return string(payload), true
	}
	var at any
	d := json.NewDecoder(strings.NewReader(string(payload)))
	d.UseNumber()
	if d.Decode(&at) != nil {
		return "", false
	}
	for _, part := range strings.Split(pointer, "/")[1:] {
		part = strings.ReplaceAll(strings.ReplaceAll(part, "~1", "/"), "~0", "~")
		switch in := at.(type) {
		case map[string]any:
			next, is := in[part]
			if !is {
				return "", false
			}
			at = next
		case []any:
			i, err := strconv.Atoi(part)
			if err != nil || i < 0 || i >= len(in) || part != strconv.Itoa(i) {
				return "", false
			}
			at = in[i]
		default:
			return "", false
		}
	}
	switch v := at.(type) {
	case string:
		return v, true
	case json.Number:
		return v.String(), true
	case bool:
		return strconv.FormatBool(v), true
	case nil:
		return "", false
	}
	text, err := json.Marshal(at)
	return string(text), err == nil
}

// Read reads what a radio sensor says, from a reading of its sheet. It is false where it is another sensor, or says
// nothing of that.
func (r Radio) Read(read line.Reading) (value float64, unit, battery string, is bool) {
	if read.Sheet != r.Sheet {
		return 0, "", "", false
	}
	for name, want := range r.Fields {
		if v, has := read.Fields[name]; !has || v.String() != want {
			return 0, "", "", false
		}
	}
	if v, has := read.Fields["battery"]; has { // a bit that is 0 where it is low
		battery = "good"
		if n, number := v.Int(); number && n == 0 {
			battery = "low"
		}
	}
	for _, m := range read.Measured {
		if m.Name == r.Value {
			return m.Value, m.Unit, battery, true
		}
	}
	return 0, "", "", false
}

// Known is the value of another measurement, as far as it is known.
type Known func(name string) (value float64, known bool)

// Work works a measurement out from others. It is false where one of them is not known.
func (w Worked) Work(of Known) (float64, bool) {
	values := make([]float64, len(w.Of))
	for i, name := range w.Of {
		v, known := of(name)
		if !known {
			return 0, false
		}
		values[i] = v
	}
	switch w.How {
	case Difference:
		return round(values[0] - values[1]), true
	case Mean:
		sum := 0.0
		for _, v := range values {
			sum += v
		}
		return round(sum / float64(len(values))), true
	case DewPoint:
		return Dew(values[0], values[1])
	}
	return 0, false
}

// Dew is the dew point in °C, by the Magnus formula with the constants of Sonntag (1990): for 0 to 60 °C within
// 0.35 K. It is false where the humidity, in %, cannot be.
func Dew(celsius, humidity float64) (float64, bool) {
	if humidity <= 0 || humidity > 100 || celsius < -45 || celsius > 60 {
		return 0, false
	}
	const a, b = 17.62, 243.12
	g := math.Log(humidity/100) + a*celsius/(b+celsius)
	return math.Round(100*b*g/(a-g)) / 100, true
}

// Circle finds measurements that would be worked out from themselves; nil is none. sources finds what is known.
func Circle(name string, sources func(name string) Source) []string {
	var walk func(at string, way []string) []string
	walk = func(at string, way []string) []string {
		if i := slices.Index(way, at); i >= 0 {
			return append(slices.Clone(way[i:]), at)
		}
		if w := sources(at).Worked; w != nil && len(way) < 100 {
			for _, of := range w.Of {
				if found := walk(of, append(slices.Clip(way), at)); found != nil {
					return found
				}
			}
		}
		return nil
	}
	return walk(name, nil)
}
