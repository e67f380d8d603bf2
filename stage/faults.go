package stage

import (
	"fmt"
	"strconv"
	"strings"
	"time"
)

// Faults are what goes wrong on the stage, so that it can be tried. The zero value is none.
type Faults struct {
	Lose    int `json:"lose"`    // each appliance misses every press of so many; 0 is none
	Unheard int `json:"unheard"` // every press of a handset of so many is heard by no receiver; 0 is none
	MainsS  int `json:"mains_s"` // the mains fail for a moment each so many seconds of the stage; 0 is never
}

// ParseFault reads one of them as it is written: lose=50, unheard=50 or mains=600. ok says that it is one.
func (f *Faults) ParseFault(text string) (ok bool, err error) {
	name, number, _ := strings.Cut(text, "=")
	to := map[string]*int{"lose": &f.Lose, "unheard": &f.Unheard, "mains": &f.MainsS}[name]
	if to == nil {
		return false, nil
	}
	n, err := strconv.Atoi(number)
	if err != nil || n < 1 || n > MostFaults {
		return true, fmt.Errorf("%s=%.20s: a number from 1 to %d, such as %s=50", name, number, MostFaults, name)
	}
	*to = n
	return true, nil
}

// MostFaults is the highest number of presses of which one goes wrong.
const MostFaults = 10_000

// SetFaults says what goes wrong from now on.
func (s *Stage) SetFaults(f Faults) {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.faults = f
	s.outages++
	s.nextOutage(s.outages)
}

// nextOutage plans the next failure of the mains, for as long as nobody says otherwise. The caller holds mu.
func (s *Stage) nextOutage(plan int) {
	if s.faults.MainsS <= 0 {
		return
	}
	s.at(s.Now()+time.Duration(s.faults.MainsS)*time.Second, func(now time.Duration) {
		if s.outages == plan {
			s.outage(now)
			s.nextOutage(plan)
		}
	})
}

// Faults tells what goes wrong.
func (s *Stage) Faults() Faults {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.faults
}

// Outage lets the mains fail for a moment: appliances are at what they begin with when they get power again.
func (s *Stage) Outage() {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.outage(s.Now())
}

func (s *Stage) outage(now time.Duration) {
	for _, p := range s.appliances {
		if a, ok := p.Appliance.(powered); ok {
			a.Outage(now)
			s.tell(p)
		}
	}
}

// powered is an appliance that needs the mains. Outage is called when they failed and are back.
type powered interface{ Outage(now time.Duration) }

// pressPause is the silence between two presses.
const pressPause = 200 * time.Millisecond

// misses says whether an appliance misses what is on the air: of a press all of it.
func (p *placed) misses(f Faults, at time.Duration, runs []int) bool {
	if at-p.heard > pressPause {
		p.presses++
		p.missing = f.Lose > 0 && p.presses%f.Lose == 0
	}
	p.heard = at + time.Duration(sum(runs))*time.Microsecond
	return p.missing
}

// Outage leaves the amplifier off.
func (a *Amplifier) Outage(time.Duration) { a.on, a.muted = false, false }

// Outage leaves the lights off.
func (b *Boardwalk) Outage(time.Duration) { b.on = false }

// Outage leaves the radio off.
func (r *WeatherRadio) Outage(time.Duration) { r.on, r.typed, r.ever = false, 0, false }

// Outage leaves the mixer off.
func (m *Mixer) Outage(time.Duration) { m.on = false }

// Outage leaves the heater off.
func (d *Dew) Outage(time.Duration) { d.on = false }

// Outage leaves the projector off.
func (p *Projector) Outage(time.Duration) { *p = Projector{source: p.source} }

// Outage leaves the heat pump off.
func (h *HeatPump) Outage(now time.Duration) {
	h.warm(now)
	h.state.on = false
}

// Outage lets it stand where it is.
func (t *travel) Outage(now time.Duration) { t.move(now, 0) }
