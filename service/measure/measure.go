// Package measure keeps the last value of each measurement that programs and sensors tell the house.
package measure

import (
	"fmt"
	"math"
	"regexp"
	"slices"
	"strings"
	"sync"
	"time"

	"urbo/core/fault"
	"urbo/core/grant"
	"urbo/core/happening"
	"urbo/core/plain"
	"urbo/service/stream"
)

// Errors that callers ask for.
var (
	ErrMeasurement = fault.New(fault.Invalid, "measurement")
	ErrUnknown     = fault.New(fault.NotFound, "unknown measurement")
)

// most measurements that are kept.
const most = 1000

// Measurement is the last value of one.
type Measurement struct {
	Name  string
	Value float64
	Unit  string
	At    time.Time
}

// Measure is the measurements of a house.
type Measure struct {
	stream *stream.Stream
	now    func() time.Time

	mu  sync.Mutex
	all map[string]Measurement
}

// New makes the measurements of a house: none yet.
func New(s *stream.Stream, now func() time.Time) *Measure {
	return &Measure{stream: s, now: now, all: map[string]Measurement{}}
}

var nameRule = regexp.MustCompile(`^[a-z0-9]+(-[a-z0-9]+)*(/[a-z0-9]+(-[a-z0-9]+)*)?$`)

// CheckName says whether a measurement may be called so. The error wraps ErrMeasurement.
func CheckName(name string) error {
	if !nameRule.MatchString(name) || len(name) > 81 {
		return fmt.Errorf("%w %.90q: a name is a-z, 0-9 and -, such as boardwalk/power", ErrMeasurement, name)
	}
	return nil
}

// Put takes a value. The error wraps ErrMeasurement.
func (m *Measure) Put(name string, value float64, unit string, by grant.By) (Measurement, error) {
	switch {
	case CheckName(name) != nil:
		return Measurement{}, CheckName(name)
	case math.IsNaN(value) || math.IsInf(value, 0):
		return Measurement{}, fmt.Errorf("%w %s: the value has to be a number", ErrMeasurement, name)
	case len(unit) > 12 || !plain.Is(unit):
		return Measurement{}, fmt.Errorf("%w %s: a unit has at most 12 characters", ErrMeasurement, name)
	}
	got := Measurement{name, value, unit, m.now()}
	m.mu.Lock()
	if _, known := m.all[name]; !known && len(m.all) >= most {
		m.mu.Unlock()
		return Measurement{}, fmt.Errorf("%w %s: %d are kept, which is the most", ErrMeasurement, name, most)
	}
	m.all[name] = got
	m.mu.Unlock()
	m.stream.Publish(happening.Happening{At: got.At, By: by,
		What: happening.Measured{Measurement: name, Value: value, Unit: unit}})
	return got, nil
}

// Get is the last value of a measurement. The error wraps ErrUnknown.
func (m *Measure) Get(name string) (Measurement, error) {
	m.mu.Lock()
	defer m.mu.Unlock()
	if got, ok := m.all[name]; ok {
		return got, nil
	}
	return Measurement{}, fmt.Errorf("%w %.90q: nothing told it since the start", ErrUnknown, name)
}

// List lists them by name.
func (m *Measure) List() []Measurement {
	m.mu.Lock()
	defer m.mu.Unlock()
	out := make([]Measurement, 0, len(m.all))
	for _, v := range m.all {
		out = append(out, v)
	}
	slices.SortFunc(out, func(a, b Measurement) int { return strings.Compare(a.Name, b.Name) })
	return out
}
