package kernel

import (
	"urbo/core/signal"
	"urbo/station"
)

// ear gathers samples into trains.
type ear struct {
	train   signal.Train
	spare   int // a space that no mark has come after yet, µs
	carrier int
	end     int64 // of what was told last, on the station's clock
}

// take takes a sample at a time, and returns a train where one is over.
func (e *ear) take(s uint32, now int64) *station.Heard {
	value := int(s & valueMask)
	switch s & kindMask {
	case pulse:
		switch n := len(e.train); {
		case e.spare > 0 && n > 0:
			e.train = append(e.train, e.spare, value)
		case n > 0:
			e.train[n-1] += value
		default:
			e.train = append(e.train, value)
		}
		e.spare = 0
		if len(e.train) >= signal.MaxDurations-2 {
			return e.over(now, 0, true)
		}
	case space:
		e.spare += value
		if e.spare >= trainSilence {
			return e.over(now, e.spare, false)
		}
	case timeout:
		return e.over(now, max(e.spare, value), false)
	case frequency:
		e.carrier = value
	case overflow:
		*e = ear{end: e.end}
	}
	return nil
}

// over is the train that has ended, nil where there is none.
func (e *ear) over(now int64, gap int, more bool) *station.Heard {
	train, carrier := e.train, e.carrier
	e.train, e.spare, e.carrier = nil, 0, 0
	if len(train) == 0 {
		return nil
	}
	at := max(now-int64(train.Length())-int64(gap), e.end)
	e.end = at + int64(train.Length())
	return &station.Heard{At: at, Train: train, Gap: gap, CarrierHz: carrier, More: more}
}
