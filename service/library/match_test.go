package library

import (
	"context"
	"database/sql"
	"fmt"
	"math/rand/v2"
	"path/filepath"
	"strconv"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/bench"
	"urbo/core/device"
	"urbo/core/line"
	"urbo/core/pack"
	"urbo/core/signal"
	"urbo/service/rooms"
	"urbo/service/stream"
	"urbo/store"
)

// unnamedPress is a press of a made-up code with so many bits.
func unnamedPress(bits uint64) []signal.Reception {
	train := signal.Train{2960, 1480}
	for i := range 34 {
		mark := 370
		if bits>>i&1 == 1 {
			mark = 1110
		}
		train = append(train, mark, 740)
	}
	train = append(train, 370)
	return []signal.Reception{{Train: train, Gap: 31_000}, {Train: train}}
}

// stock makes a library of so many devices with 50 keys each, which send what code says.
func stock(t testing.TB, devices int, code func() device.Code) (string, *Library) {
	t.Helper()
	dir := t.TempDir()
	s, err := store.Open(dir)
	require.NoError(t, err)
	in, err := rooms.Open(t.Context(), s, stream.New(0, time.Now))
	require.NoError(t, err)
	l, err := Open(t.Context(), s, in, stream.New(0, time.Now), line.Builtin(), time.Now)
	require.NoError(t, err)
	p := pack.Pack{}
	for n := range devices {
		id := strconv.Itoa(n)
		d := device.Device{Slug: "d" + id, Name: "Device " + id, Kind: "other"}
		for k := range 50 {
			d.Keys = append(d.Keys, device.Key{Name: "k" + strconv.Itoa(k), Codes: []device.Code{code()}})
		}
		p.Devices = append(p.Devices, d)
	}
	_, err = l.Import(t.Context(), p, Skip, Note{})
	require.NoError(t, err)
	require.NoError(t, s.Close())
	return dir, reopen(t, dir)
}

func reopen(t testing.TB, dir string) *Library {
	t.Helper()
	s, err := store.Open(dir)
	require.NoError(t, err)
	t.Cleanup(func() { _ = s.Close() })
	in, err := rooms.Open(t.Context(), s, stream.New(0, time.Now))
	require.NoError(t, err)
	l, err := Open(context.Background(), s, in, stream.New(0, time.Now), line.Builtin(), time.Now)
	require.NoError(t, err)
	return l
}

// unnamed makes codes without a line code, of random bits.
func unnamed() func() device.Code {
	r := rand.New(rand.NewPCG(1, 2))
	return func() device.Code {
		return device.Code{Train: unnamedPress(r.Uint64())[0].Train, Channel: device.Channel{Medium: line.Infrared,
			Hz: 38_000}}
	}
}

// named makes codes of a line code, each with another address and command.
func named() func() device.Code {
	n := int64(-1)
	return func() device.Code {
		n++
		return device.Code{Sheet: "nec-wide", Fields: line.Fields{"address": line.Number(n / 50),
			"command": line.Number(n % 50)}}
	}
}

func TestMatch_FindsAnUnnamedKeyAmongMany(t *testing.T) {
	_, l := stock(t, 4, unnamed())
	r := rand.New(rand.NewPCG(1, 2))
	for i := range 100 {
		s, err := bench.Describe(unnamedPress(r.Uint64()))
		require.NoError(t, err)
		got := l.Match(nil, &s)
		require.Len(t, got, 1)
		assert.Equal(t, fmt.Sprintf("d%d/k%d", i/50, i%50), got[0].String())
	}
	other, err := bench.Describe(unnamedPress(12345))
	require.NoError(t, err)
	assert.Empty(t, l.Match(nil, &other))
}

func TestOpen_WorksIdentitiesOutAnewWhereASheetChanged(t *testing.T) {
	dir, l := stock(t, 1, named())
	reading := []line.Reading{{Sheet: "nec-wide", Fields: line.Fields{"address": line.Number(0),
		"command": line.Number(9)}, Confidence: 1}}
	require.Equal(t, "d0/k9", l.Match(reading, nil)[0].String())
	spoil := func(changing string) {
		db, err := sql.Open("sqlite", filepath.Join(dir, store.File))
		require.NoError(t, err)
		defer db.Close()
		_, err = db.Exec("UPDATE codes SET identity = 'of an older sheet'")
		require.NoError(t, err)
		_, err = db.Exec("UPDATE indexed SET changing = ? WHERE sheet = 'nec-wide'", changing)
		require.NoError(t, err)
	}
	spoil("")
	require.Empty(t, reopen(t, dir).Match(reading, nil), "nothing is worked out again that need not be")
	spoil("command")
	l = reopen(t, dir)
	require.Equal(t, "d0/k9", l.Match(reading, nil)[0].String())
	lines := l.Lines("DEVICE other")
	require.Len(t, lines, 1)
	assert.Equal(t, 50, lines[0].Keys)
	assert.Equal(t, 50, lines[0].Learned)
	assert.Empty(t, l.Lines("device 7"))
}

// BenchmarkOpen opens a library of 5,000 devices with 50 keys each, and does in it what people do.
func BenchmarkOpen(b *testing.B) {
	dir, l := stock(b, 5000, named())
	b.Run("open", func(b *testing.B) {
		for b.Loop() {
			reopen(b, dir)
		}
	})
	b.Run("set codes", func(b *testing.B) {
		n := int64(0)
		for b.Loop() {
			n++
			_, err := l.ChangeBySlug(b.Context(), "d77", Note{}, func(d *device.Device) error {
				return d.SetCodes("k7", []device.Code{{Sheet: "nec",
					Fields: line.Fields{"address": line.Number(n % 256), "command": line.Number(7)}}})
			})
			require.NoError(b, err)
		}
	})
	b.Run("search", func(b *testing.B) {
		for b.Loop() {
			if len(l.Lines("device 4321")) != 1 {
				b.Fatal("not found")
			}
		}
	})
	b.Run("one device", func(b *testing.B) { // as when it is opened for the first time
		for b.Loop() {
			l.entries[l.ids["d99"]].full = nil
			_, err := l.Device("d99")
			require.NoError(b, err)
		}
	})
	b.Run("match", func(b *testing.B) {
		reading := []line.Reading{{Sheet: "nec-wide", Fields: line.Fields{"address": line.Number(3),
			"command": line.Number(9)}, Confidence: 1}}
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
