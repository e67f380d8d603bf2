package bench

import (
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/signal"
)

func TestCompare_SaysWhatIsDifferent(t *testing.T) {
	rng := rand.New(rand.NewPCG(1, 2))
	c := codes["ratio"]
	bits, other := "010011010111001010110010", "010011010111101010110011"
	a := hear(rng, c.make(bits), 412, 13_000, 4, 1, 0, 5)
	for _, k := range []struct {
		name  string
		b     []signal.Reception
		want  Verdict
		words []string
	}{
		{"itself", hear(rng, c.make(bits), 412, 13_000, 3, 1, 0, 5), Same, []string{"The same signal.", "on the mean"}},
		{"another clock", hear(rng, c.make(bits), 331, 10_000, 3, 1, 0, 5), Clock,
			[]string{"Same bits; the second is 20 % shorter: set the unit to 41", " instead of 33"}},
		{"another receiver", hear(rng, c.make(bits), 412, 13_000, 3, 1, 70, 5), Same,
			[]string{"marks are", "longer: another receiver"}},
		{"other bits", hear(rng, c.make(other), 412, 13_000, 3, 1, 0, 5), Bits,
			[]string{"2 of 24 differ, the first is bit 13"}},
		{"another kind", hear(rng, codes["distance"].make("01"+bits), 510, 40_000, 2, 1, 0, 5), Different,
			[]string{"Two different kinds", "told by their spaces"}},
	} {
		t.Run(k.name, func(t *testing.T) {
			got, err := Compare(a, k.b)
			require.NoError(t, err)
			assert.Equal(t, k.want, got.Verdict)
			for _, w := range k.words {
				assert.Contains(t, got.Words, w)
			}
		})
	}
	_, err := Compare(a, nil)
	require.ErrorIs(t, err, ErrTooShort)
	require.ErrorContains(t, err, "second signal")
}

func TestCompare_LaysAPartOverTheWhole(t *testing.T) {
	whole := flat(codes["width"].make("01100101001110"), 600)
	got, err := Compare([]signal.Reception{{Train: whole}}, []signal.Reception{{Train: whole[6:]}})
	require.NoError(t, err)
	assert.Equal(t, 6, got.Offset)
	assert.Less(t, got.Mean, 5.0)
}
