package reach_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"urbo/core/device"
	"urbo/core/line"
	"urbo/core/reach"
)

func end(station, port string, medium line.Medium, hz int) reach.End {
	return reach.End{Station: station, Port: port, Medium: medium, FromHz: hz - 1000, ToHz: hz + 1000}
}

// house is two stations, each with both media; b's radio is on another channel.
func house() reach.Matrix {
	m := reach.Matrix{Cells: map[reach.Heard]reach.Cell{}}
	for _, s := range []struct {
		name  string
		radio int
	}{{"a", 433_920_000}, {"b", 433_420_000}} {
		ir, radio := end(s.name, "ir", line.Infrared, 38_000), end(s.name, "radio", line.Radio, s.radio)
		m.Transmitters = append(m.Transmitters,
			reach.Transmitter{End: ir, On: device.Channel{Medium: line.Infrared, Hz: 38_000}},
			reach.Transmitter{End: radio, On: device.Channel{Medium: line.Radio, Hz: s.radio}})
		ir.Port, radio.Port = "ir-in", "radio-in"
		m.Receivers = append(m.Receivers, reach.Receiver{End: ir}, reach.Receiver{End: radio})
	}
	return m
}

func hear(m reach.Matrix, strength float64, pairs ...[2]string) {
	for _, p := range pairs {
		m.Cells[reach.Heard{Transmitter: p[0], Receiver: p[1]}] = reach.Cell{Strength: &strength, Confidence: 1}
	}
}

func TestVerdicts_TellTheFaultsApart(t *testing.T) {
	for name, c := range map[string]struct {
		change func(reach.Matrix)
		fault  reach.Fault
		says   string
	}{
		"works": {func(m reach.Matrix) { hear(m, 0.9, [2]string{"a/ir", "a/ir-in"}, [2]string{"a/ir", "b/ir-in"}) },
			reach.None, "a/ir-in and b/ir-in hear it."},
		"weak": {func(m reach.Matrix) { hear(m, 0.2, [2]string{"a/ir", "a/ir-in"}) }, reach.Weak,
			"at most at 20 % strength"},
		"weak here, strong there": {func(m reach.Matrix) {
			hear(m, 0.2, [2]string{"a/ir", "a/ir-in"})
			hear(m, 0.7, [2]string{"a/ir", "b/ir-in"})
		}, reach.None, "hear it."},
		"dead": {func(m reach.Matrix) { hear(m, 1, [2]string{"b/ir", "a/ir-in"}) }, reach.Dead,
			"a/ir-in and b/ir-in could"},
		"exchanged": {func(m reach.Matrix) { m.Receivers[0].Deaf = true }, reach.Exchanged,
			"a/ir-in beside it has heard nothing either"},
		"deaf before, not now": {func(m reach.Matrix) {
			m.Receivers[0].Deaf = true
			hear(m, 1, [2]string{"b/ir", "a/ir-in"})
		}, reach.Dead, "Nobody hears it"},
		"swapped": {func(m reach.Matrix) { hear(m, 1, [2]string{"a/ir", "a/radio-in"}) }, reach.Swapped,
			"a/radio-in hears it, by radio"},
		"swapped, and only the other shows it": {func(m reach.Matrix) { hear(m, 1, [2]string{"a/radio", "b/ir-in"}) },
			reach.Swapped, "a/radio is heard by infrared"},
		"not sent": {func(m reach.Matrix) { m.Transmitters[0].Failed = "station a is away" }, reach.NotSent,
			"station a is away"},
		"no witness": {func(m reach.Matrix) { m.Transmitters[0].On.Hz = 56_000 }, reach.Unheard, "nobody can tell"},
	} {
		m := house()
		c.change(m)
		v := m.Verdicts()[0]
		assert.Equal(t, "a/ir", v.Transmitter)
		assert.Equal(t, c.fault, v.Fault, name)
		assert.Contains(t, v.Text, c.says, name)
	}
	m := house()
	hear(m, 1, [2]string{"a/radio", "b/radio-in"})
	v := m.Verdicts()[1]
	assert.Equal(t, reach.Off, v.Fault)
	assert.Contains(t, v.Text,
		"It was to send on 433.92 MHz, and only b/radio-in hears it, on 433.419 MHz to 433.421 MHz")
}
