package stage

import (
	"fmt"
	"math"
	"time"
)

// HeatPump is the warm room's heat pump. Its handset sends the whole state with every press, with a check over it.
type HeatPump struct {
	state climate
	room  float64       // °C, at a time
	at    time.Duration // when it was that
}

const (
	// outside is what the warm room is at by itself, in °C.
	outside = 14
	// sluggish is how long the room takes for most of the way to another temperature.
	sluggish = 10 * time.Minute
)

// goal is what the room comes to.
func (h *HeatPump) goal(room float64) float64 {
	target := float64(h.state.celsius)
	switch mode := climateModes[h.state.mode]; {
	case !h.state.on, mode == "drying", mode == "cooling" && target > room, mode == "heating" && target < room:
		return outside
	}
	return target
}

// warm lets time pass in the room.
func (h *HeatPump) warm(now time.Duration) {
	goal := h.goal(h.room)
	h.room = goal + (h.room-goal)*math.Exp(-float64(now-h.at)/float64(sluggish))
	h.at = now
}

// measures is the room's temperature.
func (h *HeatPump) measures(now time.Duration) Meter {
	h.warm(now)
	return Meter{"warm-room/temperature", math.Round(10*h.room) / 10, "°C"}
}

// climate is what the handset's display shows, and what one frame says.
type climate struct {
	on      bool
	mode    byte // 0 auto, 1 cooling, 2 drying, 3 heating
	celsius byte // 16 to 30
	fan     byte // 0 auto, 1 to 3
	vane    byte // 0 swings, 1 to 5
}

var (
	climateModes = []string{"auto", "cooling", "drying", "heating"}
	climateFans  = []string{"auto", "low", "middle", "high"}
)

// Timings of the heat pump's handset, measured by hand.
const (
	climateLeadMark  = 3320
	climateLeadSpace = 1640
	climateMark      = 420
	climateShort     = 410
	climateLong      = 1250
	climateGap       = 40_000
)

// bytes packs the state: head, power and mode, temperature, fan and vane, and the sum of these four.
func (c climate) bytes() [5]byte {
	power := c.mode << 4
	if c.on {
		power |= 1
	}
	b := [5]byte{0x9C, power, c.celsius, c.fan<<4 | c.vane, 0}
	b[4] = b[0] + b[1] + b[2] + b[3]
	return b
}

// frame writes the state, each byte from its lowest bit.
func (c climate) frame() []int {
	out := []int{climateLeadMark, climateLeadSpace}
	for _, b := range c.bytes() {
		for bit := range 8 {
			space := climateShort
			if b>>bit&1 == 1 {
				space = climateLong
			}
			out = append(out, climateMark, space)
		}
	}
	return append(out, climateMark, climateGap)
}

// Hear takes over the whole state of an intact frame.
func (h *HeatPump) Hear(at time.Duration, runs []int) {
	for i := 0; i+83 <= len(runs); i += 2 {
		if !within(runs[i], 2900, 3800) || !within(runs[i+1], 1300, 2000) {
			continue
		}
		var b [5]byte
		for bit := range 40 {
			if runs[i+3+2*bit] > 830 {
				b[bit/8] |= 1 << (bit % 8)
			}
		}
		if b[0] == 0x9C && b[4] == b[0]+b[1]+b[2]+b[3] && within(int(b[2]), 16, 30) && b[1]>>4 < 4 && b[3]>>4 < 4 &&
			b[3]&15 <= 5 {
			h.warm(at)
			h.state = climate{on: b[1]&1 == 1, mode: b[1] >> 4, celsius: b[2], fan: b[3] >> 4, vane: b[3] & 15}
		}
	}
}

// State lists what it does.
func (h *HeatPump) State(time.Duration) []Fact {
	power := "off"
	if h.state.on {
		power = "on"
	}
	vane := "swings"
	if h.state.vane > 0 {
		vane = fmt.Sprintf("step %d", h.state.vane)
	}
	return []Fact{{"power", power}, {"mode", climateModes[h.state.mode]},
		{"temperature", fmt.Sprintf("%d °C", h.state.celsius)},
		{"fan", climateFans[h.state.fan]}, {"vane", vane}}
}

// press changes what the handset's display shows, as its key does.
func (c *climate) press(key string) {
	switch key {
	case "on-off":
		c.on = !c.on
	case "mode":
		c.mode = (c.mode + 1) % 4
	case "warmer":
		c.celsius = min(c.celsius+1, 30)
	case "cooler":
		c.celsius = max(c.celsius-1, 16)
	case "fan":
		c.fan = (c.fan + 1) % 4
	case "vane":
		c.vane = (c.vane + 1) % 6
	}
}
