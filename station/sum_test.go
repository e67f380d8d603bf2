package station_test

import (
	"io"
	"net"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"urbo/core/signal"
	"urbo/station"
)

func TestSum_IsTheOneOfTheDocument(t *testing.T) {
	assert.Equal(t, uint16(0x29B1), station.Sum([]byte("123456789")), "the check value of this CRC")
	assert.Equal(t, `{"t":"ping"} #00DC`, string(station.AppendSum([]byte(`{"t":"ping"}`))), "the document's example")
}

// TestLines_WhatIsDamagedIsNoMessage flips, drops and doubles bytes of lines with check sums: none is taken for another
// message.
func TestLines_WhatIsDamagedIsNoMessage(t *testing.T) {
	t.Parallel()
	rapid.Check(t, func(t *rapid.T) {
		near, far := net.Pipe()
		defer far.Close()
		l := station.NewLines(station.Origin{Over: station.Serial, Address: "x"}, near)
		defer l.Close()
		train := signal.Train(rapid.SliceOfN(rapid.IntRange(1, 99_999), 3, 3).Draw(t, "train"))
		heard := station.Heard{Port: "ir-in", At: 5, Train: train}
		data, err := station.Marshal(heard)
		require.NoError(t, err)
		line := station.AppendSum(data)
		at := rapid.IntRange(0, len(line)-1).Draw(t, "at")
		damaged := append([]byte{}, line...)
		switch rapid.IntRange(0, 2).Draw(t, "how") {
		case 0:
			damaged[at] ^= 1 << rapid.IntRange(0, 7).Draw(t, "bit")
		case 1:
			damaged = append(damaged[:at], damaged[at+1:]...)
		default:
			damaged = append(damaged[:at+1], damaged[at:]...)
		}
		hello, err := station.Marshal(station.Hello{Link: 1, Station: "board", Sum: true})
		require.NoError(t, err)
		go func() {
			for _, text := range [][]byte{hello, damaged, line} {
				_, _ = far.Write(append(text, '\n'))
			}
		}()
		var said []station.Message
		for len(said) == 0 || !assert.ObjectsAreEqual(heard, said[len(said)-1]) {
			m, err := l.Receive(t.Context())
			require.NoError(t, err)
			said = append(said, m)
		}
		for _, m := range said[:len(said)-1] {
			_, isHeard := m.(station.Heard)
			assert.False(t, isHeard, "%q became %+v", damaged, m)
		}
	})
}

// TestLines_SumsAreWrittenToWhoReadsThem and to nobody else.
func TestLines_SumsAreWrittenToWhoReadsThem(t *testing.T) {
	t.Parallel()
	for _, sums := range []bool{false, true} {
		near, far := net.Pipe()
		l := station.NewLines(station.Origin{Over: station.Serial, Address: "x"}, near)
		hello, err := station.Marshal(station.Hello{Link: 1, Station: "board", Sum: sums})
		require.NoError(t, err)
		go func() { _, _ = far.Write(append(hello, '\n')) }()
		_, err = l.Receive(t.Context())
		require.NoError(t, err)
		go func() { _ = l.Tell(t.Context(), station.Ping{}) }()
		want := "{\"t\":\"ping\"}\n"
		if sums {
			want = "{\"t\":\"ping\"} #00DC\n"
		}
		got := make([]byte, len(want))
		require.NoError(t, far.SetReadDeadline(time.Now().Add(10*time.Second)))
		_, err = io.ReadFull(far, got)
		require.NoError(t, err)
		assert.Equal(t, want, string(got))
		require.NoError(t, l.Close())
	}
}
