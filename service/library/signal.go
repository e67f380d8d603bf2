package library

import (
	"fmt"

	"urbo/core/bench"
	"urbo/core/line"
	"urbo/core/signal"
	"urbo/store"
	"urbo/wire"
)

// inlineRow checks a code that brings its own sheet. Its clean frame is kept beside it, to be recognised by.
func (l *Library) inlineRow(row store.Code, c wire.Code) (store.Code, error) {
	if c.Sheet != "" {
		return row, fmt.Errorf("%w: it names a sheet and brings one: leave one out", ErrCode)
	}
	sheet, err := l.parseInline(c.Inline)
	if err != nil {
		return row, fmt.Errorf("%w: %w", ErrCode, err)
	}
	fields, err := FieldsFromWire(c.Fields)
	if err != nil {
		return row, fmt.Errorf("%w: %w", ErrCode, err)
	}
	if row.Fields, err = sheet.Complete(fields); err != nil {
		return row, fmt.Errorf("%w: %w", ErrCode, err)
	}
	burst, err := sheet.Encode(row.Fields)
	if err != nil {
		return row, fmt.Errorf("%w: %w", ErrCode, err)
	}
	wave := burst.Repeat
	if len(wave) == 0 {
		wave = burst.Once
	}
	row.Train = signal.Train(wave[:len(wave)-1])
	if err := row.Train.Check(); err != nil {
		return row, fmt.Errorf("%w: %w", ErrCode, err)
	}
	row.GapUS = min(wave[len(wave)-1], 1_000_000)
	row.Print = bench.FingerprintOf(row.Train).String()
	return row, nil
}

// mostInline is how many compiled inline sheets are kept at hand.
const mostInline = 500

func (l *Library) parseInline(text string) (*line.Sheet, error) {
	l.mu.RLock()
	sheet := l.inline[text]
	l.mu.RUnlock()
	if sheet != nil {
		return sheet, nil
	}
	sheet, err := line.ParseSheet("inline", []byte(text))
	if err != nil {
		return nil, err
	}
	l.mu.Lock()
	defer l.mu.Unlock()
	if len(l.inline) >= mostInline {
		clear(l.inline)
	}
	l.inline[text] = sheet
	return sheet, nil
}

// SheetOf is the line sheet that a code is sent with: of the book, or its own; nil for a plain train.
func (l *Library) SheetOf(c store.Code) (*line.Sheet, error) {
	switch {
	case c.Inline != "":
		return l.parseInline(c.Inline)
	case c.Sheet != "":
		return l.book.Sheet(c.Sheet)
	}
	return nil, nil
}

// Usual carrier and channel of signals without a line code: receiver modules do not tell theirs.
const (
	usualCarrier = 38_000
	usualChannel = 433_920_000
)

// Suggest makes a code of what was heard: the line code where one was read, else the structure that was found. hz is
// the carrier or channel, 0 where it is not known. Errors say why the signal cannot be sent again.
func (l *Library) Suggest(medium string, hz int, readings []line.Reading, s *bench.Structure) (wire.Code, error) {
	c := wire.Code{Source: "bench"}
	if len(readings) > 0 && readings[0].Confidence >= line.Clear {
		r := readings[0]
		sheet, err := l.book.Sheet(r.Sheet)
		if err != nil {
			return c, err
		}
		if sheet.NeverReplay != "" || sheet.Counts() {
			return c, fmt.Errorf("%w: %s: each press is obeyed once", line.ErrNeverReplay, r.Sheet)
		}
		c.Sheet, c.Fields = r.Sheet, wire.Fields(r.Fields)
		c.CarrierHz, c.FrequencyHz = sheet.CarrierHz, sheet.FrequencyHz
		if sheet.UnitFrom != sheet.UnitTo {
			c.Unit = float64(int(r.Unit + 0.5))
		}
		return c, nil
	}
	if s == nil {
		return c, fmt.Errorf("%w: too short to be a key: press the key once more, firmly, close to the receiver", ErrCode)
	}
	on := bench.On{Medium: line.Medium(medium), Hz: hz}
	if hz == 0 {
		on.Hz = usualCarrier
		if on.Medium == line.Radio {
			on.Hz = usualChannel
		}
	}
	if on.Medium == line.Radio {
		c.FrequencyHz = on.Hz
	} else {
		c.CarrierHz = on.Hz
	}
	if text := s.Sheet("found", on); text != "" {
		with := c
		with.Inline, with.Fields = text, wire.Fields(s.Fields())
		if _, err := l.Row(with); err == nil {
			return with, nil
		}
	}
	c.Train, c.GapUS, c.Repeats = s.Frame, min(s.Gap, 1_000_000), s.Repeats()
	return c, nil
}
