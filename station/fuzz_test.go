package station_test

import (
	"bytes"
	"errors"
	"io"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/station"
)

// stream is a line that says some bytes and ends.
type stream struct{ io.Reader }

func (stream) Write(p []byte) (int, error) { return len(p), nil }
func (stream) Close() error                { return nil }

// FuzzLines reads any bytes as lines of a station: what comes out are messages that can be written and read again.
func FuzzLines(f *testing.F) {
	for _, m := range messages {
		data, err := station.Marshal(m)
		require.NoError(f, err)
		f.Add(append(data, '\n'))
		f.Add(append(station.AppendSum(data), "\r\n"...))
	}
	f.Add([]byte("boot\n{\"t\":\"hello\",\"sum\":true}\n\x00{}\n{\"t\":\"ping\"} #00DC\n"))
	f.Fuzz(func(t *testing.T, data []byte) {
		l := station.NewLines(station.Origin{Over: station.Serial, Address: "x"}, stream{bytes.NewReader(data)})
		defer l.Close()
		for {
			m, err := l.Receive(t.Context())
			if err != nil {
				require.True(t, errors.Is(err, station.ErrAway), "%v", err)
				return
			}
			if h, ok := m.(station.Hello); ok {
				_ = h.Check()
			}
			if h, ok := m.(station.Heard); ok && h.Check() == nil {
				assert.NotEmpty(t, h.Train)
			}
			_ = station.Weight(m)
			text, err := station.Marshal(m)
			require.NoError(t, err)
			again, err := station.Unmarshal(text)
			require.NoError(t, err, "%s", text)
			second, err := station.Marshal(again)
			require.NoError(t, err)
			assert.Equal(t, string(text), string(second))
		}
	})
}
