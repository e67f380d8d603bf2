package pairing_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/line"
	"urbo/core/pairing"
)

func TestWays_MakeHandsetsThatCanBeSentAndToldApart(t *testing.T) {
	book := line.Builtin()
	for _, w := range pairing.Ways() {
		seen := map[string]bool{}
		for _, id := range []uint64{1, 0xFEDCBA9876543210} {
			keys := w.Handset(id)
			asks := false
			for _, k := range keys {
				_, err := k.Codes[0].Burst(book)
				require.NoError(t, err, "%s %s", w.Name, k.Name)
				identity := k.Codes[0].Identity(book)
				assert.False(t, seen[identity], "%s %s is like another key", w.Name, k.Name)
				seen[identity] = true
				asks = asks || k.Name == w.Pair
			}
			assert.True(t, asks, "%s has its key to pair", w.Name)
		}
	}
	_, err := pairing.Find("nec")
	assert.ErrorContains(t, err, "there are roll56, sl32, ev1527, ht6p20")
}
