package library

import (
	"fmt"
	"math"

	"urbo/core/bench"
	"urbo/core/device"
	"urbo/core/line"
)

// nearCarrier is how far a measured carrier may be from its line code's, as a share: receivers measure roughly, and
// handsets are a little off.
const nearCarrier = 0.08

// Suggest makes a code of what was heard: the line code where one was read, else the structure that was found. on is
// what carried it, with 0 Hz where no receiver measured that. Errors say why the signal cannot be sent again.
func (l *Library) Suggest(on device.Channel, readings []line.Reading, s *bench.Structure) (device.Code, error) {
	if len(readings) > 0 && readings[0].Confidence >= line.Clear {
		return l.suggestReading(on, readings[0])
	}
	c := device.Code{Source: "bench"}
	if s == nil {
		return c, fmt.Errorf("%w: too short to be a key: press the key once more, firmly, close to the receiver",
			device.ErrCode)
	}
	if c.Channel = on; on.Hz == 0 {
		c.Channel.Hz = device.UsualCarrier
		if on.Medium == line.Radio {
			c.Channel.Hz = device.UsualChannel
		}
	}
	if text := s.Sheet("found", bench.On{Medium: c.Channel.Medium, Hz: c.Channel.Hz}); text != "" {
		with := c
		with.Inline, with.Fields = text, s.Fields()
		if with, err := with.Complete(l.book); err == nil {
			return with, nil
		}
	}
	c.Train, c.GapUS, c.Repeats = s.Frame, min(s.Gap, device.MaxGapUS), device.Repeated(s.Repeats())
	return c, nil
}

// SuggestHeard is Suggest for what is only followed: a rolling code may be, too.
func (l *Library) SuggestHeard(on device.Channel, readings []line.Reading, s *bench.Structure) (device.Code, error) {
	if len(readings) > 0 && readings[0].Confidence >= line.Clear && readings[0].Rolling {
		return device.Code{Source: "bench", Sheet: readings[0].Sheet, Fields: readings[0].Fields}, nil
	}
	return l.Suggest(on, readings, s)
}

func (l *Library) suggestReading(on device.Channel, r line.Reading) (device.Code, error) {
	c := device.Code{Source: "bench", Sheet: r.Sheet, Fields: r.Fields}
	sheet, err := l.book.Sheet(r.Sheet)
	if err != nil {
		return c, err
	}
	if sheet.Rolls() {
		return c, fmt.Errorf("%w: %s: each press is obeyed once", line.ErrNeverReplay, r.Sheet)
	}
	c.Channel = device.Channel{Medium: sheet.Medium, Hz: sheet.CarrierHz + sheet.FrequencyHz}
	if on.Medium == line.Infrared && sheet.Medium == line.Infrared &&
		math.Abs(float64(on.Hz-c.Channel.Hz)) > nearCarrier*float64(c.Channel.Hz) && on.Hz > 0 {
		c.Channel.Hz = on.Hz
	}
	if sheet.UnitFrom != sheet.UnitTo {
		c.UnitUS = math.Round(r.Unit)
	}
	return c, nil
}
