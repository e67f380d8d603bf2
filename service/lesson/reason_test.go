package lesson

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"urbo/wire"
)

func TestReason_FindsOutWhyNothingIsHeard(t *testing.T) {
	asked := time.Date(2026, 3, 1, 21, 0, 0, 0, time.Local)
	before, after := asked.Add(-time.Minute), asked.Add(time.Second)
	port := func(id, direction, medium string, last *time.Time) wire.PortState {
		p := wire.PortState{ID: id, Direction: direction, Medium: medium, FromHz: 36_000, ToHz: 40_000, Last: last}
		if medium == "radio" {
			p.FromHz, p.ToHz = 433_670_000, 434_170_000
		}
		return p
	}
	here := func(ports ...wire.PortState) wire.Station {
		return wire.Station{Name: "lecture", Here: true, Since: before, Ports: ports}
	}
	gone := wire.Station{Name: "dome", Since: asked.Add(-2 * time.Hour), Ports: []wire.PortState{port("radio-in", "receiver", "radio", nil)}}
	for _, c := range []struct {
		name     string
		stations []wire.Station
		says     []string
	}{
		{"none", nil, []string{"No receiver is attached"}},
		{"only a transmitter", []wire.Station{here(port("ir-out", "transmitter", "infrared", &after))}, []string{"No receiver is attached"}},
		{"all away", []wire.Station{gone}, []string{"No receiver is here: dome/radio-in is away since 19:00."}},
		{"noise", []wire.Station{here(port("ir-in", "receiver", "infrared", &after))}, []string{"comes in at lecture/ir-in, but no signal", "10 cm"}},
		{"silence", []wire.Station{here(port("ir-in", "receiver", "infrared", &before), port("radio-in", "receiver", "radio", nil)), gone},
			[]string{"Nothing came in at lecture/ir-in, lecture/radio-in", "433.92 MHz only", "dome/radio-in is away"}},
	} {
		got := reason(c.stations, asked)
		for _, want := range c.says {
			assert.Contains(t, got, want, c.name)
		}
	}
}
