package service_test

import (
	"fmt"
	"slices"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"urbo/core/device"
	"urbo/core/grant"
	"urbo/core/home"
	"urbo/core/line"
	"urbo/service"
	"urbo/service/library"
	"urbo/station"
)

const size = 10_000

// crowdOfErrands are so many errands of all kinds in a house of their own.
func crowdOfErrands(b *testing.B, n int, transports ...station.Transport) *service.House {
	b.Helper()
	h, stop := startWith(b, service.Config{Dir: b.TempDir(), Transports: transports})
	b.Cleanup(stop)
	_, err := h.Home.Change(b.Context(), grant.Named("test"), func(h *home.Home) {
		h.Zone, h.Place = "Europe/London", &home.Place{Latitude: 53.9, Longitude: 0.1}
	})
	require.NoError(b, err)
	_, err = h.Library.Add(b.Context(), observatory()[1], library.Note{})
	require.NoError(b, err)
	tellTrueOf(b, h, "amplifier", "power", "off")
	_, err = h.Measure.Put("dome/humidity", 60, "%", grant.Named("test"))
	require.NoError(b, err)
	hour := time.Now().Add(12 * time.Hour).Hour() // not while it is measured
	texts := []string{
		fmt.Sprintf("when at %02d:%%02d do notify \"a\"", hour),
		"when %d min before astronomical dawn give or take 20 min only if not sun up do notify \"a\"",
		"when amplifier/power becomes on for %d min do notify \"a\"",
		"when dome/humidity above 9%d.5 %% for 15 min do notify \"a\"",
		"while dome/humidity above 9%d.5 %% until 75 %% do notify \"a\"",
	}
	for i := range n {
		text := texts[i%len(texts)]
		arg := 1 + i%59
		if i%len(texts) > 2 {
			arg = i % 10
		}
		_, err := h.Errands.Add(b.Context(), fmt.Sprintf("errand e%d "+text, i, arg), nil, grant.Named("test"))
		require.NoError(b, err)
	}
	return h
}

func tellTrueOf(b *testing.B, h *service.House, slug, name, value string) {
	b.Helper()
	_, err := h.Beliefs.Tell(slug, name, value, grant.Named("test"))
	require.NoError(b, err)
}

// BenchmarkErrands has 10,000 of all kinds: what they use while nothing happens, their list of next times, and what they
// make of a value that none of them comes with.
func BenchmarkErrands(b *testing.B) {
	h := crowdOfErrands(b, size)
	b.Run("next", func(b *testing.B) {
		for b.Loop() {
			require.Len(b, h.Errands.Next(50), 50)
		}
	})
	b.Run("idle", func(b *testing.B) {
		const long = 5 * time.Second
		for b.Loop() {
			before := processor(b)
			time.Sleep(long)
			b.ReportMetric(float64(processor(b)-before)/float64(long)*100, "%cpu")
		}
	})
	b.Run("value", func(b *testing.B) {
		for i := 0; b.Loop(); i++ {
			_, err := h.Measure.Put("dome/humidity", 60+float64(i%10), "%", grant.Named("test"))
			require.NoError(b, err)
		}
	})
}

// processor is how much of it this process used.
func processor(b *testing.B) time.Duration {
	b.Helper()
	var u syscall.Rusage
	require.NoError(b, syscall.Getrusage(syscall.RUSAGE_SELF, &u))
	return time.Duration(u.Utime.Nano() + u.Stime.Nano())
}

// BenchmarkErrand_HeardToFirstByte is the way from what a station says that it heard, through one of 200 errands, to the
// bytes at the station that sends. It tells the median of fifty presses, and the slowest.
func BenchmarkErrand_HeardToFirstByte(b *testing.B) {
	sent := make(chan time.Time, 100)
	board := newBoard(func(b *board, s station.Send) {
		sent <- time.Now()
		b.say(station.Sent{ID: s.ID, Took: int64(s.Airtime())})
	})
	h := crowdOfErrands(b, 200, board)
	<-board.here
	lamp(b, h)
	fields := line.Fields{"id": line.Number(115_625), "key": line.Number(1)}
	_, err := h.Library.Add(b.Context(), device.Device{Name: "Clicker", Keys: []device.Key{{Name: "a",
		Codes: []device.Code{{Sheet: "ev1527", Fields: fields}}}}}, library.Note{})
	require.NoError(b, err)
	_, err = h.Errands.Add(b.Context(), "errand quick when clicker/a pressed do press lamp/red", nil, grant.Named("test"))
	require.NoError(b, err)
	sheet, err := h.Book.Sheet("ev1527")
	require.NoError(b, err)
	burst, err := sheet.Encode(fields)
	require.NoError(b, err)
	train := burst.Durations()
	train = train[:len(train)-1]
	took, at := []time.Duration{}, int64(0)
	for b.Loop() {
		for range 50 {
			time.Sleep(300 * time.Millisecond) // the press before is over
			at += 2_000_000
			began := time.Now()
			board.say(station.Heard{Port: "radio-in", At: at, Train: train, Gap: 20_000})
			took = append(took, (<-sent).Sub(began))
		}
	}
	slices.Sort(took)
	b.ReportMetric(float64(took[len(took)/2].Microseconds())/1000, "ms-median")
	b.ReportMetric(float64(took[len(took)-1].Microseconds())/1000, "ms-slowest")
}
