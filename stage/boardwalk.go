package stage

import (
	"strconv"
	"time"
)

// Boardwalk is the string of lights along the boardwalk: one power key that toggles, colours that work only while
// it is on, and eight steps of brightness.
type Boardwalk struct {
	on       bool
	colour   string
	level    int
	breathes bool
}

const boardwalkAddress byte = 0x39

const (
	boardwalkPower byte = 0x02 + 3*iota
	boardwalkRed
	boardwalkAmber
	boardwalkWhite
	boardwalkDim
	boardwalkBrighter
	boardwalkBreathe
)

const boardwalkSteps = 8

func newBoardwalk() *Boardwalk { return &Boardwalk{colour: "white", level: 5} }

// Hear obeys frames whose address and command are followed by their complements.
func (b *Boardwalk) Hear(_ time.Duration, runs []int) {
	readDistance(runs, func(f [4]byte) {
		if f[0] == boardwalkAddress && f[1] == ^f[0] && f[2] == ^f[3] {
			b.obey(f[2])
		}
	})
}

func (b *Boardwalk) obey(command byte) {
	if command == boardwalkPower {
		b.on = !b.on
		return
	}
	if !b.on {
		return
	}
	switch command {
	case boardwalkRed:
		b.colour, b.breathes = "red", false
	case boardwalkAmber:
		b.colour, b.breathes = "amber", false
	case boardwalkWhite:
		b.colour, b.breathes = "white", false
	case boardwalkDim:
		b.level = max(b.level-1, 1)
	case boardwalkBrighter:
		b.level = min(b.level+1, boardwalkSteps)
	case boardwalkBreathe:
		b.breathes = !b.breathes
	}
}

// State lists power, colour and brightness.
func (b *Boardwalk) State(time.Duration) []Fact {
	power, effect := "off", "steady"
	if b.on {
		power = "on"
	}
	if b.breathes {
		effect = "breathing"
	}
	return []Fact{{"power", power}, {"colour", b.colour}, {"brightness", strconv.Itoa(b.level) + " of " +
		strconv.Itoa(boardwalkSteps)}, {"effect", effect}}
}
