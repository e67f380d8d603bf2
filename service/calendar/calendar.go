// Package calendar is the clock that a house looks at for times of day and dates: that of the machine, or one that was
// set and runs at a pace of its own, to see what the house does on another day. Presses, pauses between them and what
// happened keep to the real clock.
package calendar

import (
	"time"

	"golang.org/x/sys/unix"
)

// Clock is a calendar clock. The zero value is not one: make it with New.
type Clock struct {
	real  func() time.Time
	began time.Time // on the real clock
	shown time.Time // what it showed then
	pace  float64
	made  time.Time // with a monotonic reading

	asleep func() time.Duration // how long the machine slept since it was started
	slept  time.Duration        // what that was when the clock was made
}

// New makes a clock that shows a time now and goes on at a pace; the zero time is the real one, and a pace of 0 is 1.
func New(real func() time.Time, at time.Time, pace float64) *Clock {
	if pace <= 0 {
		pace = 1
	}
	c := &Clock{real: real, began: real(), shown: at, pace: pace, made: time.Now(), asleep: asleep,
		slept: asleep()}
	if at.IsZero() {
		c.shown = c.began
	}
	return c
}

// own says whether it is another than the real one.
func (c *Clock) own() bool { return c.pace != 1 || !c.shown.Equal(c.began) }

// Now is what it shows.
func (c *Clock) Now() time.Time { return c.At(c.real()) }

// At is what it showed, or shows, at a real time.
func (c *Clock) At(real time.Time) time.Time {
	if !c.own() { // set by hand or by the network, the real clock leaps, and this one with it
		return real.Round(0) // without its monotonic reading, which would not leap
	}
	return c.shown.Add(time.Duration(float64(real.Sub(c.began)) * c.pace))
}

// Until is how long it really takes until the clock shows a time; below 0 where that is past.
func (c *Clock) Until(t time.Time) time.Duration {
	left := t.Sub(c.Now())
	if !c.own() {
		return left
	}
	return time.Duration(float64(left) / c.pace)
}

// Leapt is by how much the clock was set since it was made, by the network or by hand; negative is back. One that runs
// at a pace of its own never is.
func (c *Clock) Leapt() time.Duration {
	if c.own() {
		return 0
	}
	return c.real().Round(0).Sub(c.began.Round(0)) - time.Since(c.made) - (c.asleep() - c.slept)
}

// asleep is how long the machine slept since it was started: the monotonic clock stands still meanwhile.
func asleep() time.Duration {
	var with, without unix.Timespec
	if unix.ClockGettime(unix.CLOCK_BOOTTIME, &with) != nil ||
		unix.ClockGettime(unix.CLOCK_MONOTONIC, &without) != nil {
		return 0
	}
	return time.Duration(with.Nano() - without.Nano())
}

// earliest is a time before which no clock of a house can be: this was not written yet.
var earliest = time.Date(2026, 11, 1, 0, 0, 0, 0, time.UTC)

// Plausible says whether the real clock can be right. A board without a battery begins years ago, until the network
// tells it; what is bound to the clock has to wait for that.
func (c *Clock) Plausible() bool { return c.own() || c.real().After(earliest) }
