package audition

import (
	"fmt"

	"urbo/core/device"
	"urbo/core/fault"
	"urbo/core/line"
)

// ErrPlan is wrapped by every error about an audition that cannot begin; the text says what to change.
var ErrPlan = fault.New(fault.Invalid, "audition")

// MostTries is the most codes that one audition plays: an hour of somebody standing there, at three seconds each.
const MostTries = 1200

// Sweep is a range of values of one field of a line code, to be tried one after another.
type Sweep struct {
	Code  device.Code // the other fields
	Field string
	From  int64
	To    int64
}

// Len is how many values there are.
func (s Sweep) Len() int { return int(s.To - s.From + 1) }

// At is the code with the nth value.
func (s Sweep) At(n int) device.Code {
	c := s.Code
	c.Fields = line.Fields{s.Field: line.Number(s.From + int64(n))}
	for name, v := range s.Code.Fields {
		if name != s.Field {
			c.Fields[name] = v
		}
	}
	return c
}

// Check says why a sweep cannot be played: too many values, values that the field cannot have, or a code that
// transmitters should not replay. Errors wrap ErrPlan.
func (s Sweep) Check(book *line.Book) error {
	sheet, err := book.Sheet(s.Code.Sheet)
	switch {
	case err != nil:
		return fmt.Errorf("%w: %w", ErrPlan, err)
	case sheet.NeverReplay != "" || sheet.Counts():
		return fmt.Errorf("%w: %s counts its presses, so no value of it opens anything: pair a handset with the "+
			"device instead", ErrPlan, s.Code.Sheet)
	case s.From > s.To:
		return fmt.Errorf("%w: %s from %d to %d: write the smaller one first", ErrPlan, s.Field, s.From, s.To)
	case s.To-s.From >= MostTries:
		return fmt.Errorf("%w: %s from %d to %d are %d values, the most is %d: narrow the range", ErrPlan, s.Field,
			s.From, s.To, s.To-s.From+1, MostTries)
	}
	for _, n := range []int{0, s.Len() - 1} {
		if _, err := sheet.EncodeUnit(s.At(n).Fields, s.Code.UnitUS); err != nil {
			return fmt.Errorf("%w: %w", ErrPlan, err)
		}
	}
	return nil
}
