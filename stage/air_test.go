package stage

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
)

const us = time.Microsecond

func TestMix_ThereIsAMarkWhereAnyHasOne(t *testing.T) {
	at, runs := mix([]emission{
		{start: 100 * us, runs: []int{100, 200, 100, 50}},
		{start: 150 * us, runs: []int{100, 300, 60}},
	})
	// marks: 100–200 and 400–500; 150–250 and 550–610
	assert.Equal(t, 100*us, at)
	assert.Equal(t, []int{150, 150, 100, 50, 60}, runs)
}

func TestMix_WhatTouchesIsOneMark(t *testing.T) {
	_, runs := mix([]emission{{start: 0, runs: []int{100}}, {start: 100 * us, runs: []int{100, 100, 50}}})
	assert.Equal(t, []int{200, 100, 50}, runs)
}

func TestEmission_IsSilentBeforeItsTrailingSpace(t *testing.T) {
	e := emission{start: time.Second, runs: []int{500, 600, 500, 9000}}
	assert.Equal(t, time.Second+1600*us, e.silent())
	assert.Equal(t, time.Second+10_600*us, e.end())
	odd := emission{runs: []int{500, 600, 500}}
	assert.Equal(t, odd.end(), odd.silent())
}

func TestTravel_ReachesItsEndsAndNoFurther(t *testing.T) {
	v := travel{whole: 10 * time.Second}
	assert.Zero(t, v.ends(0), "it stands")
	v.move(0, 1)
	place, movement := v.now(4 * time.Second)
	assert.InDelta(t, 0.4, place, 1e-9)
	assert.Equal(t, 1.0, movement)
	assert.Equal(t, 10*time.Second+time.Millisecond, v.ends(4*time.Second))
	place, movement = v.now(time.Minute)
	assert.Equal(t, []float64{1, 0}, []float64{place, movement})
	v.move(time.Minute, -1)
	v.move(time.Minute+3*time.Second, 0)
	place, _ = v.now(time.Hour)
	assert.InDelta(t, 0.7, place, 1e-9)
	assert.Equal(t, "70 % down", v.facts(time.Hour, "up", "down")[0].Value)
}

func TestDecoders_RefuseWhatIsDamaged(t *testing.T) {
	heard := 0
	count4 := func([4]byte) { heard++ }
	frame := distanceFrame([4]byte{1, 2, 3, 4})
	readDistance(frame, count4)
	assert.Equal(t, 1, heard)
	frame[20] = 2000
	readDistance(frame, count4)
	readDistance(frame[:40], count4)
	assert.Equal(t, 1, heard)

	words := []uint32{}
	word := func(v uint32) { words = append(words, v) }
	readWidths(widthFrame(0x2B55, 15), 15, word)
	readWidths(widthFrame(0x2B55, 12), 15, word)
	assert.Equal(t, []uint32{0x2B55}, words)

	words = nil
	readPhases(phaseFrame(0x3455), word)
	readPhases(phaseFrame(0x3455)[2:], word)
	assert.Equal(t, []uint32{0x3455}, words)

	words = nil
	readRatio(append(ratioFrame(0xABCDE1), 300, 9000), word)
	assert.Equal(t, []uint32{0xABCDE1}, words)

	b := rollBytes(shutterUp, 513, 0xABCDEF)
	train := rollFrame(b, true)
	got, ok := readRoll(train[2+4+1:])
	assert.True(t, ok)
	assert.Equal(t, []byte{2, 1, 0xAB, 0xCD, 0xEF}, got[2:])
	train[40] += rollHalf
	_, ok = readRoll(train[2+4+1:])
	assert.False(t, ok)

	pump := &HeatPump{}
	state := climate{on: true, mode: 1, celsius: 24, fan: 2, vane: 5}
	pump.Hear(0, state.frame())
	assert.Equal(t, state, pump.state)
	bad := climate{celsius: 30, mode: 3}.frame()
	bad[3] = climateLong // a bit of the head
	pump.Hear(0, bad)
	assert.Equal(t, state, pump.state, "the check does not hold")
}
