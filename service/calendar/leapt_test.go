package calendar

import (
	"testing"
	"testing/synctest"
	"time"

	"github.com/stretchr/testify/assert"
)

// TestLeapt_IsHowMuchTheClockWasSetAndNotHowLongTheMachineSlept: time that passes in sleep is time that passes.
func TestLeapt_IsHowMuchTheClockWasSetAndNotHowLongTheMachineSlept(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		var set, slept time.Duration
		c := New(func() time.Time { return time.Now().Round(0).Add(set + slept) }, time.Time{}, 0)
		before := c.slept
		c.asleep = func() time.Duration { return before + slept }
		time.Sleep(time.Hour)
		assert.Zero(t, c.Leapt())
		slept = 8 * time.Hour
		assert.Zero(t, c.Leapt())
		set = -time.Minute
		assert.Equal(t, -time.Minute, c.Leapt())
		own := New(time.Now, time.Now().Add(time.Hour), 1)
		assert.Zero(t, own.Leapt())
	})
}
