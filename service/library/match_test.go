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

// stock makes a library of so many devices with 50 keys each, which send what code says.
func stock(t testing.TB, devices int, code func() store.Code) (*store.Store, *Library) {
	t.Helper()
	s, err := store.Open(t.TempDir())
	require.NoError(t, err)
	t.Cleanup(func() { _ = s.Close() })
	require.NoError(t, s.Change(t.Context(), func(tx *gorm.DB) error {
		for n := range devices {
			id := strconv.Itoa(n)
			d := store.Device{ID: id, Slug: "d" + id, Name: "Device " + id, Kind: "other"}
			for k := range 50 {
				key := store.Key{ID: id + "." + strconv.Itoa(k), DeviceID: id, Name: "k" + strconv.Itoa(k), Position: k}
				c := code()
				c.ID, c.KeyID, c.Version = key.ID, key.ID, 1
				key.Codes = []store.Code{c}
				d.Keys = append(d.Keys, key)
			}
			if err := tx.CreateInBatches(&d, 100).Error; err != nil {
				return err
			}
		}
		return nil
	}))
	l, err := Open(t.Context(), s, &event.Hub{}, line.Builtin(), time.Now) // it works out what they are found by
	require.NoError(t, err)
	return s, l
}

// unnamed makes codes without a line code, of random bits.
func unnamed() func() store.Code {
	r := rand.New(rand.NewPCG(1, 2))
	return func() store.Code {
		train := unnamedPress(r.Uint64())[0].Train
		return store.Code{Train: train, Print: bench.FingerprintOf(train).String()}
	}
}

// named makes codes of a line code, each with another address and command.
func named() func() store.Code {
	n := int64(-1)
	return func() store.Code {
		n++
		return store.Code{Sheet: "nec-wide", Fields: line.Fields{"address": line.Number(n / 50), "command": line.Number(n % 50)}}
	}
}

func TestMatch_FindsAnUnnamedKeyAmongMany(t *testing.T) {
	_, l := stock(t, 4, unnamed())
	r := rand.New(rand.NewPCG(1, 2))
	for i := range 100 {
		s, err := bench.Describe(unnamedPress(r.Uint64()))
		require.NoError(t, err)
		assert.Equal(t, []wire.KeyRef{{Device: "d" + strconv.Itoa(i/50), Key: "k" + strconv.Itoa(i%50)}}, l.Match(nil, &s))
	}
	other, err := bench.Describe(unnamedPress(12345))
	require.NoError(t, err)
	assert.Empty(t, l.Match(nil, &other))
}

func TestOpen_WorksIdentitiesOutAnewWhereASheetChanged(t *testing.T) {
	s, l := stock(t, 1, named())
	reading := []line.Reading{{Sheet: "nec-wide", Fields: line.Fields{"address": line.Number(0), "command": line.Number(9)}, Confidence: 1}}
	require.Equal(t, "d0/k9", l.Match(reading, nil)[0].String())
	spoil := func(changing string) {
		require.NoError(t, s.Change(t.Context(), func(tx *gorm.DB) error {
			if err := tx.Exec("UPDATE codes SET identity = 'of an older sheet'").Error; err != nil {
				return err
			}
			return tx.Exec("UPDATE indexed SET changing = ? WHERE sheet = 'nec-wide'", changing).Error
		}))
	}
	spoil("")
	l, err := Open(t.Context(), s, &event.Hub{}, line.Builtin(), time.Now)
	require.NoError(t, err)
	require.Empty(t, l.Match(reading, nil), "nothing is worked out again that need not be")
	spoil("command")
	l, err = Open(t.Context(), s, &event.Hub{}, line.Builtin(), time.Now)
	require.NoError(t, err)
	require.Equal(t, "d0/k9", l.Match(reading, nil)[0].String())
	lines := l.Devices("DEVICE other")
	require.Len(t, lines, 1)
	assert.Equal(t, 50, lines[0].KeysTotal)
	assert.Equal(t, 50, lines[0].KeysLearned)
	assert.Empty(t, l.Devices("device 7"))
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

// BenchmarkOpen opens a library of 5,000 devices with 50 keys each, and does in it what people do.
func BenchmarkOpen(b *testing.B) {
	s, l := stock(b, 5000, named())
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
	b.Run("search", func(b *testing.B) {
		for b.Loop() {
			if len(l.Devices("device 4321")) != 1 {
				b.Fatal("not found")
			}
		}
	})
	b.Run("one device", func(b *testing.B) { // as when it is opened for the first time
		for b.Loop() {
			l.devices["d99"].full = nil
			_, err := l.Device("d99")
			require.NoError(b, err)
		}
	})
	b.Run("match", func(b *testing.B) {
		reading := []line.Reading{{Sheet: "nec-wide", Fields: line.Fields{"address": line.Number(3), "command": line.Number(9)}, Confidence: 1}}
		for b.Loop() {
			if len(l.Match(reading, nil)) != 1 {
				b.Fatal("not found")
			}
		}
	})
}

// BenchmarkMatch looks a fingerprint up among 250,000 stored codes.
func BenchmarkMatch(b *testing.B) {
	_, l := stock(b, 5000, unnamed())
	s, err := bench.Describe(unnamedPress(rand.New(rand.NewPCG(1, 2)).Uint64()))
	require.NoError(b, err)
	for b.Loop() {
		if len(l.Match(nil, &s)) == 0 {
			b.Fatal("not found")
		}
	}
}
