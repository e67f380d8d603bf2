package stage

import "time"

// Projector is the lecture projector: it warms up for 20 s, during which it ignores keys, and off must be pressed
// twice within 4 s. Source goes round A, B, network.
type Projector struct {
	onSince  time.Duration
	on       bool
	askedOff time.Duration // when off was pressed once, 0 if not
	source   int
	frozen   bool
	blank    bool
	menu     bool
	picked   int           // menu line
	pressed  time.Duration // when a key was pressed last: without one the menu closes
}

// What the projector listens to: the two bytes of its address, and its commands.
var projectorAddress = [2]byte{0x5E, 0x2D}

const (
	projectorOn byte = 0x11 + iota
	projectorOff
	projectorSource
	projectorMenu
	projectorUp
	projectorDown
	projectorLeft
	projectorRight
	projectorOK
	projectorFreeze
	projectorBlank
)

// The projector's times.
const (
	projectorWarmUp   = 20 * time.Second
	projectorOffAgain = 4 * time.Second
	projectorMenuEnds = 15 * time.Second
)

var projectorSources = []string{"A", "B", "network"}

// Hear obeys frames that carry the projector's address and an intact command.
func (p *Projector) Hear(at time.Duration, runs []int) {
	readDistance(runs, func(b [4]byte) {
		if [2]byte{b[0], b[1]} == projectorAddress && b[2] == ^b[3] {
			p.obey(at, b[2])
		}
	})
}

func (p *Projector) obey(at time.Duration, command byte) {
	switch {
	case !p.on:
		if command == projectorOn {
			*p = Projector{on: true, onSince: at, source: p.source}
		}
		return
	case at-p.onSince < projectorWarmUp:
		return
	}
	asked := p.askedOff
	p.askedOff, p.menu, p.pressed = 0, p.menuOpen(at), at
	switch command {
	case projectorOff:
		if asked > 0 && at-asked <= projectorOffAgain {
			*p = Projector{source: p.source}
		} else {
			p.askedOff = at
		}
	case projectorSource:
		p.source = (p.source + 1) % len(projectorSources)
	case projectorMenu:
		p.menu, p.picked = !p.menu, 0
	case projectorUp:
		if p.menu {
			p.picked = max(p.picked-1, 0)
		}
	case projectorDown:
		if p.menu {
			p.picked = min(p.picked+1, 4)
		}
	case projectorOK:
		p.menu = false
	case projectorFreeze:
		p.frozen = !p.frozen
	case projectorBlank:
		p.blank = !p.blank
	}
}

// menuOpen says whether the menu is open at a time.
func (p *Projector) menuOpen(at time.Duration) bool {
	return p.menu && at < p.pressed+projectorMenuEnds
}

// Next is when it has warmed up, when it forgets that off was pressed once, or when its menu closes.
func (p *Projector) Next(now time.Duration) time.Duration {
	switch {
	case p.on && now < p.onSince+projectorWarmUp:
		return p.onSince + projectorWarmUp
	case p.askedOff > 0 && now <= p.askedOff+projectorOffAgain:
		return p.askedOff + projectorOffAgain + time.Millisecond
	case p.menuOpen(now):
		return p.pressed + projectorMenuEnds
	}
	return 0
}

// State lists the projector's power, source and picture.
func (p *Projector) State(now time.Duration) []Fact {
	power := "off"
	if p.on {
		power = "on"
		if now-p.onSince < projectorWarmUp {
			power = "warming up"
		}
	}
	facts := []Fact{{"power", power}, {"source", projectorSources[p.source]}}
	switch {
	case p.askedOff > 0 && now-p.askedOff <= projectorOffAgain:
		facts = append(facts, Fact{"asks", "press off again"})
	case p.menuOpen(now):
		facts = append(facts, Fact{"menu", "line " + string(rune('1'+p.picked))})
	}
	if p.frozen {
		facts = append(facts, Fact{"picture", "frozen"})
	}
	if p.blank {
		facts = append(facts, Fact{"picture", "blank"})
	}
	return facts
}
