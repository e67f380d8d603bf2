package library

import (
	"math/rand/v2"
	"strconv"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/bench"
	"urbo/core/line"
	"urbo/core/signal"
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
