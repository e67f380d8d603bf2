package reach_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"urbo/core/line"
	"urbo/core/reach"
)

// two is two infrared transmitters and receivers, each hearing each other; receiver b stretches what it hears.
func two(a, b reach.Cell) reach.Matrix {
	m := reach.Matrix{Cells: map[reach.Heard]reach.Cell{}}
	for _, name := range []string{"a", "b"} {
		m.Transmitters = append(m.Transmitters, reach.Transmitter{End: end(name, "out", line.Infrared, 38_000)})
		m.Receivers = append(m.Receivers, reach.Receiver{End: end(name, "in", line.Infrared, 38_000)})
	}
	for from, c := range map[string]reach.Cell{"a": a, "b": b} {
		m.Cells[reach.Heard{Transmitter: from + "/out", Receiver: "a/in"}] = c
		c.Stretch += 90
		m.Cells[reach.Heard{Transmitter: from + "/out", Receiver: "b/in"}] = c
	}
	return m
}

func TestCorrections_AreLaidToTheTransmitterAndNotToWhoHearsIt(t *testing.T) {
	sound := reach.Cell{Unit: 1, Stretch: 20}
	assert.Empty(t, two(sound, sound).Corrections(), "a receiver that stretches is no transmitter's fault")
	off := two(reach.Cell{Unit: 1.05, Stretch: 150}, sound).Corrections()
	assert.Equal(t, reach.Correction{Unit: 1.05, Stretch: 130}, off["a/out"].Correction)
	assert.True(t, off["a/out"].Sure)
	assert.NotContains(t, off, "b/out", "it differs from a, and is right")
	assert.Equal(t, "It runs 5.0 % slow and makes marks 130 µs too long.", off["a/out"].Text)

	alone := two(reach.Cell{Unit: 1.05, Stretch: 150}, sound)
	alone.Transmitters, alone.Receivers = alone.Transmitters[:1], alone.Receivers[:1]
	assert.Equal(t, "It runs 5.0 % slow and makes marks 150 µs too long, or a/in hears it so: with one of each, "+
		"nobody "+
		"can tell which.", alone.Corrections()["a/out"].Text)
	assert.False(t, alone.Corrections()["a/out"].Sure)
}

func TestCorrection_MakesDurationsTrue(t *testing.T) {
	c := reach.Correction{Unit: 1.05, Stretch: 100}
	told := c.Apply([]int{9000, 4500, 560, 560})
	for i, want := range []int{9000, 4500, 560, 560} {
		stretch := []float64{100, -100}[i%2]
		assert.InDelta(t, want, float64(told[i])*1.05+stretch, 1)
	}
	assert.Equal(t, []int{1}, reach.Correction{Stretch: 400}.Apply([]int{300}), "a mark stays a mark")
	assert.Equal(t, reach.Correction{Unit: 1.071, Stretch: 90}, c.And(reach.Correction{Unit: 1.02, Stretch: -10}))
	assert.True(t, reach.Correction{Unit: 1}.None())
	assert.ErrorContains(t, reach.Correction{Unit: 2}.Check(), "from 0.8 to 1.2")
	assert.ErrorContains(t, reach.Correction{Stretch: -500}.Check(), "from -400 to 400")
}
