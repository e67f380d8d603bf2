package transmit

import (
	"os"
	"path/filepath"
	"strconv"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/grant"
	"urbo/core/happening"
)

func TestTrace_AKilledProcessLeavesBehindWhatWentOut(t *testing.T) {
	path := filepath.Join(t.TempDir(), TraceFile)
	now := time.Date(2026, 3, 1, 21, 0, 0, 0, time.UTC)
	open := func() (*Trace, []happening.Happening) {
		tr, left, err := OpenTrace(path, func() time.Time { return now })
		require.NoError(t, err)
		return tr, left
	}
	tr, left := open()
	assert.Empty(t, left)
	by := grant.Named("test")
	press := func(id string, n int) happening.Receipt {
		return happening.Receipt{ID: id, At: now, By: by, DeviceID: "d", Device: "lamp", Key: "power", Times: 3,
			Pressed: n,
			Outcome: happening.Sent}
	}
	tr.begin(press("a", 1), "why")
	tr.end(press("a", 3), "why")
	tr.begin(press("b", 1), "")
	tr.begin(press("b", 2), "")
	f, err := os.OpenFile(path, os.O_APPEND|os.O_WRONLY, 0) // cut in the middle of a line
	require.NoError(t, err)
	_, err = f.WriteString(`{"id":"c","at":"2026-0`)
	require.NoError(t, err)
	require.NoError(t, f.Close())

	_, left = open()
	require.Len(t, left, 2)
	done, open2 := left[0].What.(happening.Pressed), left[1].What.(happening.Pressed)
	assert.Equal(t, []any{"a", happening.Sent, "why", by}, []any{left[0].ID, done.Outcome, left[0].Cause, left[0].By})
	assert.Equal(t, []any{"b", happening.Unknown, 2}, []any{left[1].ID, open2.Outcome, open2.Pressed})
}

func TestTrace_IsShortenedAndKeepsWhatIsNotInTheJournal(t *testing.T) {
	path := filepath.Join(t.TempDir(), TraceFile)
	now := time.Date(2026, 3, 1, 21, 0, 0, 0, time.UTC)
	tr, _, err := OpenTrace(path, func() time.Time { return now })
	require.NoError(t, err)
	tr.begin(happening.Receipt{ID: "held", At: now}, "")
	for n := range 5000 {
		now = now.Add(time.Second)
		r := happening.Receipt{ID: strconv.Itoa(n), At: now}
		tr.begin(r, "")
		tr.end(r, "")
	}
	info, err := os.Stat(path)
	require.NoError(t, err)
	assert.Less(t, info.Size(), int64(longTrace)+1000)
	text, err := os.ReadFile(path)
	require.NoError(t, err)
	assert.Equal(t, "held", unfinished(text)[0].ID, "what is not over stays")
	require.NoError(t, tr.Close(true))
	info, err = os.Stat(path)
	require.NoError(t, err)
	assert.Zero(t, info.Size())
}
