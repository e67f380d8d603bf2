package calendar_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"urbo/service/calendar"
)

func TestClock_IsTheRealOneAndLeapsWithIt(t *testing.T) {
	now := time.Date(2026, 12, 1, 10, 0, 0, 0, time.UTC)
	c := calendar.New(func() time.Time { return now }, time.Time{}, 0)
	now = now.Add(-48 * time.Hour)
	assert.Equal(t, now, c.Now())
	assert.Equal(t, time.Hour, c.Until(now.Add(time.Hour)))
	assert.True(t, c.Plausible())
	now = time.Unix(0, 0)
	assert.False(t, c.Plausible(), "a board without a battery, before the network told it")
}

// TestClock_KeepsNoMonotonicReading: with one, times of before and after the clock was set compare as if it was not.
func TestClock_KeepsNoMonotonicReading(t *testing.T) {
	now := calendar.New(time.Now, time.Time{}, 0).Now()
	assert.NotContains(t, now.String(), "m=")
	assert.NotContains(t, now.Add(time.Hour).String(), "m=")
}

func TestClock_RunsAtAPaceOfItsOwn(t *testing.T) {
	now := time.Date(2026, 12, 1, 10, 0, 0, 0, time.UTC)
	dusk := time.Date(2027, 6, 1, 21, 0, 0, 0, time.UTC)
	c := calendar.New(func() time.Time { return now }, dusk, 60)
	assert.Equal(t, dusk, c.Now())
	now = now.Add(time.Minute)
	assert.Equal(t, dusk.Add(time.Hour), c.Now())
	assert.Equal(t, 2*time.Minute, c.Until(dusk.Add(3*time.Hour)))
	assert.Negative(t, c.Until(dusk))
	assert.True(t, c.Plausible())
}
