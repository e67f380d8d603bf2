package kernel

import (
	"fmt"
	"slices"
	"time"

	"urbo/core/signal"
	"urbo/station"
)

// playing is a send on the air.
type playing struct {
	id       string
	until    time.Time // it is held so long
	ending   bool
	schedule time.Time // when what is out ends
}

func (l *link) change(id string, f func(*playing)) {
	l.mu.Lock()
	defer l.mu.Unlock()
	if l.playing != nil && l.playing.id == id {
		f(l.playing)
	}
}

func (l *link) send(m station.Send) {
	if answer, known := l.answers.Known(m.ID); known {
		if answer != nil {
			l.say(answer)
		}
		return
	}
	refuse := func(reason string) { l.say(station.Failed{ID: m.ID, Reason: reason}) }
	i := slices.IndexFunc(l.hello.Ports, func(p station.Port) bool {
		return p.ID == m.Port && p.Direction == station.Transmitter
	})
	if i < 0 {
		refuse(fmt.Sprintf("no transmitter %.40q here", m.Port))
		return
	}
	if err := m.Check(l.hello.Ports[i]); err != nil {
		refuse(err.Error())
		return
	}
	l.mu.Lock()
	if l.playing != nil {
		l.mu.Unlock()
		refuse("still sending something else")
		return
	}
	p := &playing{id: m.ID, schedule: time.Now()}
	l.playing = p
	l.mu.Unlock()
	if err := l.tune(m); err != nil {
		l.mu.Lock()
		l.playing = nil
		l.mu.Unlock()
		refuse(err.Error())
		return
	}
	l.answers.Begin(m.ID)
	l.group.Go(func() { l.play(m, p) })
}

// tune sets the carrier: off for a bare radio module.
func (l *link) tune(m station.Send) error {
	hz := uint32(m.CarrierHz)
	if l.device.hz > 0 {
		hz = 0
	}
	if l.can(canSetCarrier) {
		if err := l.dev.Set(setSendCarrier, hz); err != nil {
			return fmt.Errorf("set the carrier to %d Hz: %w", hz, err)
		}
	}
	if l.can(canSetDuty) && m.Duty > 0 && hz > 0 {
		if err := l.dev.Set(setSendDuty, uint32(100*m.Duty+0.5)); err != nil {
			return fmt.Errorf("set the duty cycle: %w", err)
		}
	}
	return nil
}

// play sends all parts, and answers.
func (l *link) play(m station.Send, p *playing) {
	began := p.schedule
	err := l.part(p, l.together(p, m.Once, m.Repeat, &m.Repeats))
	for err == nil && len(m.Repeat) > 0 && l.goesOn(p, &m.Repeats) {
		err = l.part(p, l.together(p, m.Repeat, m.Repeat, &m.Repeats))
	}
	if err == nil {
		err = l.part(p, m.Last)
	}
	trailing := 0
	for _, part := range [][]int{m.Last, m.Repeat, m.Once} {
		if len(part) > 0 {
			trailing = part[len(part)-1]
			break
		}
	}
	p.schedule = p.schedule.Add(time.Duration(max(m.GapUS-trailing, 0)) * time.Microsecond)
	l.until(p.schedule)
	l.mu.Lock()
	l.playing = nil
	l.mu.Unlock()
	if err != nil { // some of it may be out: whether, nobody knows
		l.say(station.Note{Severity: "error", Text: "Could not send all of a press: " + err.Error()})
		_ = l.close()
		return
	}
	sent := station.Sent{ID: m.ID, Started: began.Sub(l.began).Microseconds(),
		Took: time.Since(began).Microseconds()}
	l.answers.Put(m.ID, sent)
	l.say(sent)
}

// together is a part with as many repeats behind it as one write may have: what is written at once has no gap that
// depends on how busy this machine is.
func (l *link) together(p *playing, part, repeat []int, repeats *int) []int {
	l.mu.Lock()
	defer l.mu.Unlock()
	out := slices.Clone(part)
	for len(repeat) > 0 && *repeats > 0 && !p.ending && len(out)+len(repeat) <= mostWritten &&
		signal.Sum(out)+signal.Sum(repeat) <= mostSent {
		out = append(out, repeat...)
		*repeats--
	}
	return out
}

// goesOn says whether the repeating part is sent once more.
func (l *link) goesOn(p *playing, repeats *int) bool {
	l.mu.Lock()
	defer l.mu.Unlock()
	if p.ending || *repeats <= 0 && !time.Now().Before(p.until) {
		return false
	}
	*repeats--
	return true
}

// part sends one part, in pieces that one write may have, each at its time.
func (l *link) part(p *playing, part []int) error {
	for len(part) > 0 {
		n, us := piece(part)
		out := make([]uint32, n)
		for i, d := range part[:n] {
			out[i] = uint32(d)
		}
		if !l.until(p.schedule) {
			return station.ErrAway
		}
		if err := l.dev.Write(out); err != nil {
			return err
		}
		p.schedule = p.schedule.Add(time.Duration(us+part[n]) * time.Microsecond)
		part = part[n+1:]
	}
	l.until(p.schedule)
	return nil
}

// piece is how many durations of a part one write takes, odd, and how long they last: up to a space after which the
// next piece would be too long, or to the end.
func piece(part []int) (n, us int) {
	n, us = 1, part[0]
	for n+1 < len(part)-1 && us+part[n]+part[n+1] <= mostSent && n+2 <= mostWritten {
		us += part[n] + part[n+1]
		n += 2
	}
	return n, us
}

// until waits for a time, and says whether the link is still there then.
func (l *link) until(at time.Time) bool {
	timer := time.NewTimer(time.Until(at))
	defer timer.Stop()
	select {
	case <-timer.C:
		return true
	case <-l.ended:
		return false
	}
}
