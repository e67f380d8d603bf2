package errand

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"urbo/core/run"
)

const year = 365 * 24 * time.Hour

// set sets the clock by so much.
func (l *life) set(by time.Duration) {
	leap := Leap{Before: l.now.At, By: by, Now: l.now.At.Add(by)}
	l.now.At = leap.Now
	l.Course.Leap(l.Errand, leap)
	l.memory.Leap(leap)
}

func TestLeap_WhatWaitsWaitsAsLongAsItWasTo(t *testing.T) {
	for _, by := range []time.Duration{year, -year} {
		l := begin(t, "errand all when 10 min after hook gate or dome/humidity above 80 for 5 min or "+
			"dome/humidity silent for 30 min do notify \"all\"")
		l.told(0, humid("70"))
		l.told(time.Minute, Fact{Kind: OfHook, Of: "gate"})
		l.told(5*time.Minute, humid("81"))
		l.set(by)
		assert.Empty(t, l.told(4*time.Minute, Fact{}), by)
		assert.Equal(t, []How{Came, Came}, l.told(time.Minute+time.Second, Fact{}), by)
		assert.Empty(t, l.told(24*time.Minute, Fact{}), by)
		assert.Equal(t, []How{Came}, l.told(2*time.Minute, Fact{}), "silent")
		l.set(-by)
		assert.Empty(t, l.told(40*time.Minute, Fact{}), "it said so already")
	}
}

func TestLeap_NothingIsLongerAgoThanItWas(t *testing.T) {
	for _, by := range []time.Duration{year, -year} {
		l := begin(t, "errand a when hook gate do notify \"a\"")
		key := Fact{Kind: OfKey, Of: "id of radio", Name: "power"}
		l.told(0, key)
		damp := run.Test{On: run.Target{Kind: run.Measurement, ID: "dome/humidity"}, Is: run.Above, Value: "80"}
		l.told(time.Minute, humid("75"))
		l.memory.Watch(damp, l.memory.Reading(damp))
		l.told(time.Minute, humid("85"))
		l.told(2*time.Minute, Fact{})
		l.set(by)
		radio := run.Target{Kind: run.Device, ID: "id of radio"}
		assert.Equal(t, 4*time.Minute, l.now.At.Sub(l.memory.Pressed(radio, "power")), by)
		since, _ := l.memory.Since(damp)
		assert.Equal(t, 2*time.Minute, l.now.At.Sub(since), by)
		assert.Equal(t, 2*time.Minute, l.now.At.Sub(l.memory.Told(damp.On)), by)
	}
}

// TestLeap_WhileTheHouseWasAway: nobody knows by how much the clock was set, and what was by the clock of then,
// happened now at the latest.
func TestLeap_WhileTheHouseWasAway(t *testing.T) {
	l := begin(t, "errand all when 10 min after hook gate do notify \"all\"")
	l.told(time.Minute, Fact{Kind: OfHook, Of: "gate"})
	leap := Leap{Now: l.now.At.Add(-year)}
	l.now.At = leap.Now
	l.Course.Leap(l.Errand, leap)
	assert.Empty(t, l.told(9*time.Minute, Fact{}))
	assert.Equal(t, []How{Came}, l.told(2*time.Minute, Fact{}))
}
