package library

import (
	"math/rand/v2"
	"strconv"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"gorm.io/gorm"

	"urbo/core/bench"
	"urbo/core/line"
	"urbo/core/signal"
	"urbo/service/event"
	"urbo/store"
	"urbo/wire"
)

// unnamedPress is a press of a made-up code with so many bits.
func unnamedPress(bits uint64) []signal.Heard {
	train := signal.Train{2960, 1480}
	for i := range 34 {
		mark := 370
		if bits>>i&1 == 1 {
			mark = 1110
		}
		train = append(train, mark, 740)
	}
	train = append(train, 370)
	return []signal.Heard{{Train: train, Gap: 31_000}, {Train: train}}
}

// fill puts keys without a line code into a library that has no store.
func fill(t testing.TB, n int) *Library {
	t.Helper()
	l := &Library{book: line.Builtin(), unnamed: map[string][]unnamedKey{}}
	r := rand.New(rand.NewPCG(1, 2))
	for i := range n {
		train := unnamedPress(r.Uint64())[0].Train
		print := bench.FingerprintOf(train).String()
		l.unnamed[print] = append(l.unnamed[print], unnamedKey{train, wire.KeyRef{Device: "d" + strconv.Itoa(i/50), Key: strconv.Itoa(i % 50)}})
	}
	return l
}

func TestMatch_FindsAnUnnamedKeyAmongMany(t *testing.T) {
	l := fill(t, 1000)
	r := rand.New(rand.NewPCG(1, 2))
	for i := range 100 {
		s, err := bench.Describe(unnamedPress(r.Uint64()))
		require.NoError(t, err)
		assert.Equal(t, []wire.KeyRef{{Device: "d" + strconv.Itoa(i/50), Key: strconv.Itoa(i % 50)}}, l.Match(nil, &s))
	}
	other, err := bench.Describe(unnamedPress(12345))
	require.NoError(t, err)
	assert.Empty(t, l.Match(nil, &other))
}

func TestRefresh_LeavesNothingOfWhatAKeySentBefore(t *testing.T) {
	s, err := store.Open(t.TempDir())
	require.NoError(t, err)
	t.Cleanup(func() { _ = s.Close() })
	l, err := Open(t.Context(), s, &event.Hub{}, line.Builtin(), time.Now)
	require.NoError(t, err)
	for _, name := range []string{"Lamp", "Fan"} {
		_, err := l.Add(t.Context(), wire.NewDevice{Name: name, Keys: []string{"power"}})
		require.NoError(t, err)
	}
	set := func(device string, c wire.Code) {
		_, err := l.SetCodes(t.Context(), wire.KeyRef{Device: device, Key: "power"}, []wire.Code{c})
		require.NoError(t, err)
	}
	named := wire.Code{Sheet: "nec", Fields: map[string]any{"address": 1, "command": 2}}
	train := wire.Code{Train: unnamedPress(5)[0].Train, CarrierHz: 38_000}
	reading := []line.Reading{{Sheet: "nec", Fields: line.Fields{"address": line.Number(1), "command": line.Number(2)}, Confidence: 1}}
	structure, err := bench.Describe(unnamedPress(5))
	require.NoError(t, err)

	set("lamp", named)
	set("fan", named)
	assert.Len(t, l.Match(reading, nil), 2)
	set("lamp", train)
	assert.Equal(t, "fan/power", l.Match(reading, nil)[0].String())
	assert.Len(t, l.Match(nil, &structure), 1)
	slug := "ceiling"
	_, err = l.Update(t.Context(), "lamp", wire.DeviceChange{Slug: &slug})
	require.NoError(t, err)
	assert.Equal(t, "ceiling/power", l.Match(nil, &structure)[0].String())
	require.NoError(t, l.Remove(t.Context(), "lamp"))
	assert.Empty(t, l.Match(nil, &structure))
	require.NoError(t, l.Remove(t.Context(), "fan"))
	assert.Empty(t, l.Match(reading, nil))
}

// BenchmarkOpen reads a library of 5,000 devices with 50 keys each; BenchmarkSetCodes changes one of them.
func BenchmarkOpen(b *testing.B) {
	s, l := large(b)
	b.Run("open", func(b *testing.B) {
		for b.Loop() {
			_, err := Open(b.Context(), s, &event.Hub{}, line.Builtin(), time.Now)
			require.NoError(b, err)
		}
	})
	b.Run("set codes", func(b *testing.B) {
		for b.Loop() {
			_, err := l.SetCodes(b.Context(), wire.KeyRef{Device: "d77", Key: "k7"}, []wire.Code{{Sheet: "nec", Fields: map[string]any{"address": 7, "command": 7}}})
			require.NoError(b, err)
		}
	})
	b.Run("match", func(b *testing.B) {
		reading := []line.Reading{{Sheet: "nec", Fields: line.Fields{"address": line.Number(3), "command": line.Number(9)}, Confidence: 1}}
		for b.Loop() {
			l.Match(reading, nil)
		}
	})
}

// large is a library of 5,000 devices with 50 keys each.
func large(b *testing.B) (*store.Store, *Library) {
	b.Helper()
	s, err := store.Open(b.TempDir())
	require.NoError(b, err)
	b.Cleanup(func() { _ = s.Close() })
	require.NoError(b, s.Change(b.Context(), func(tx *gorm.DB) error {
		for n := range 5000 {
			id := strconv.Itoa(n)
			d := store.Device{ID: id, Slug: "d" + id, Name: "Device " + id, Kind: "other"}
			for k := range 50 {
				key := store.Key{ID: id + "." + strconv.Itoa(k), DeviceID: id, Name: "k" + strconv.Itoa(k), Position: k}
				key.Codes = []store.Code{{ID: key.ID, KeyID: key.ID, Version: 1, Sheet: "nec-wide", Fields: line.Fields{"address": line.Number(int64(n)), "command": line.Number(int64(k))}}}
				d.Keys = append(d.Keys, key)
			}
			if err := tx.CreateInBatches(&d, 100).Error; err != nil {
				return err
			}
		}
		return nil
	}))
	l, err := Open(b.Context(), s, &event.Hub{}, line.Builtin(), time.Now)
	require.NoError(b, err)
	return s, l
}

// BenchmarkMatch looks a fingerprint up among 250,000 stored codes.
func BenchmarkMatch(b *testing.B) {
	l := fill(b, 250_000)
	s, err := bench.Describe(unnamedPress(rand.New(rand.NewPCG(1, 2)).Uint64()))
	require.NoError(b, err)
	for b.Loop() {
		if len(l.Match(nil, &s)) == 0 {
			b.Fatal("not found")
		}
	}
}
