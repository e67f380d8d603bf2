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
	"urbo/store"
)

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

// BenchmarkErrands has 10,000 of all kinds: what they use while nothing happens, their list of next times, and what
// they make of a value that none of them comes with.
func BenchmarkErrands(b *testing.B) {
	h := crowdOfErrands(b, 10_000)
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

// BenchmarkErrand_HeardToFirstByte is the way from what a station says that it heard, through one of 200 errands, to
// the bytes at the station that sends. It tells the median of fifty presses, and the slowest.
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
	_, err = h.Errands.Add(b.Context(), "errand quick when clicker/a pressed do press lamp/red", nil,
		grant.Named("test"))
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

// BenchmarkMeasurements_AThousandASecond tells a thousand measurements a value each second, of which ten have an errand
// that may come with them: what the whole house uses of one core.
func BenchmarkMeasurements_AThousandASecond(b *testing.B) {
	h := crowdOfErrands(b, 10)
	name := func(n int) string { return fmt.Sprintf("m-%d/x", n%999) } // there is one already
	put := func(n int, v float64) {
		_, err := h.Measure.Put(name(n), v, "W", grant.Named("test"))
		require.NoError(b, err)
	}
	for n := range 1000 {
		put(n, 1)
	}
	for n := range 10 {
		_, err := h.Errands.Add(b.Context(), fmt.Sprintf("errand m%d when %s above 5000 W do notify \"a\"", n, name(n)),
			nil,
			grant.Named("test"))
		require.NoError(b, err)
	}
	for b.Loop() {
		const seconds = 5
		before := processor(b)
		tick := time.NewTicker(time.Second / 100)
		for i := range 100 * seconds {
			for n := range 10 {
				put(i%100*10+n, float64(i))
			}
			<-tick.C
		}
		tick.Stop()
		b.ReportMetric(float64(processor(b)-before)/float64(seconds*time.Second)*100, "%cpu")
	}
}

// BenchmarkRehearse_FourteenDays has a value of a measurement each minute, and a press of a handset each ten.
func BenchmarkRehearse_FourteenDays(b *testing.B) {
	dir := b.TempDir()
	h, stop := startWith(b, service.Config{Dir: dir})
	lamp(b, h)
	d, err := h.Library.Device("lamp")
	require.NoError(b, err)
	_, err = h.Measure.Put("dome/humidity", 60, "%", grant.Named("test"))
	require.NoError(b, err)
	stop()
	db, err := store.Open(dir)
	require.NoError(b, err)
	const minutes = 14 * 24 * 60
	var facts []store.Fact
	for n := range minutes {
		at := time.Now().Add(time.Duration(n-minutes) * time.Minute).UnixMilli()
		facts = append(facts, store.Fact{AtMS: at, Kind: "measurement", Of: "dome/humidity",
			Value: fmt.Sprint(60 + n%97*3%40)})
		if n%10 == 0 {
			facts = append(facts, store.Fact{AtMS: at, Kind: "key", Of: d.ID, Name: "power", Value: "120",
				Who: "handset"})
		}
	}
	require.NoError(b, db.PutFacts(b.Context(), facts))
	require.NoError(b, db.Close())
	h, stop = startWith(b, service.Config{Dir: dir})
	defer stop()
	for name, text := range map[string]string{
		"cue":   "when lamp/power pressed only if dome/humidity above 70 % do notify \"a\"",
		"level": "while dome/humidity above 85 % until 75 % do notify \"a\" afterwards notify \"b\"",
		"clock": "when every 15 min only if dome/humidity above 70 % do notify \"a\"",
	} {
		b.Run(name, func(b *testing.B) {
			for b.Loop() {
				r, err := h.Errands.Rehearse(b.Context(), "errand a "+text, "", 14, nil)
				require.NoError(b, err)
				require.Greater(b, len(r.All), 100)
			}
		})
	}
}
