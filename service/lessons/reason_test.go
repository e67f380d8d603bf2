package lessons

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"urbo/service/stations"
	"urbo/station"
)

func TestReason_FindsOutWhyNothingIsHeard(t *testing.T) {
	asked := time.Date(2026, 3, 1, 21, 0, 0, 0, time.Local)
	before, after := asked.Add(-time.Minute), asked.Add(time.Second)
	port := func(id string, direction station.Direction, medium string, last time.Time) stations.PortState {
		p := stations.PortState{Port: station.Port{ID: id, Direction: direction, Medium: medium, FromHz: 36_000,
			ToHz: 40_000}, Last: last}
		if medium == "radio" {
			p.FromHz, p.ToHz = 433_670_000, 434_170_000
		}
		return p
	}
	here := func(ports ...stations.PortState) stations.State {
		return stations.State{Name: "lecture", Here: true, Since: before, Ports: ports}
	}
	gone := stations.State{Name: "dome", Since: asked.Add(-2 * time.Hour),
		Ports: []stations.PortState{port("radio-in", station.Receiver, "radio", time.Time{})}}
	for _, c := range []struct {
		name string
		all  []stations.State
		says []string
	}{
		{"none", nil, []string{"No receiver is attached"}},
		{"only a transmitter", []stations.State{here(port("ir-out", station.Transmitter, "infrared", after))},
			[]string{"No receiver is attached"}},
		{"all away", []stations.State{gone}, []string{"No receiver is here: dome/radio-in is away since 19:00."}},
		{"noise", []stations.State{here(port("ir-in", station.Receiver, "infrared", after))},
			[]string{"comes in at lecture/ir-in, but no signal", "10 cm"}},
		{"silence", []stations.State{here(port("ir-in", station.Receiver, "infrared", before),
			port("radio-in", station.Receiver, "radio", time.Time{})), gone},
			[]string{"Nothing came in at lecture/ir-in, lecture/radio-in", "433.92 MHz only", "dome/radio-in is away"}},
	} {
		got := reason(c.all, asked)
		for _, want := range c.says {
			assert.Contains(t, got, want, c.name)
		}
	}
}
