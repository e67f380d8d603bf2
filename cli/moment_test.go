package cli

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestSpanOf_WordsForPartsOfADay(t *testing.T) {
	zone := time.FixedZone("here", 3600)
	now := time.Date(2026, 3, 4, 9, 30, 0, 0, zone) // a Wednesday
	for text, want := range map[string][2]string{
		"2h":               {"04 07:30", "04 07:30"},
		"21:00":            {"04 21:00", "04 21:00"},
		"2026-03-01 21:05": {"01 21:05", "01 21:05"},
		"2026-03-01":       {"01 00:00", "02 00:00"},
		"today":            {"04 00:00", "05 00:00"},
		"Yesterday":        {"03 00:00", "04 00:00"},
		"last night":       {"03 18:00", "04 06:00"},
		"this morning":     {"04 05:00", "04 12:00"},
		"monday":           {"02 00:00", "03 00:00"},
		"wednesday":        {"04 00:00", "05 00:00"},
	} {
		got, err := spanOf(text, now)
		require.NoError(t, err, text)
		assert.Equal(t, want, [2]string{got.from.Format("02 15:04"), got.until.Format("02 15:04")}, text)
	}
	late, err := spanOf("last night", now.Add(12*time.Hour))
	require.NoError(t, err)
	assert.Equal(t, "04 18:00", late.from.Format("02 15:04"), "late in the evening it is the night that has begun")
	for _, text := range []string{"", "some day", "-2h", "25:00"} {
		_, err := spanOf(text, now)
		assert.Error(t, err, text)
	}
}
