package bench

import (
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"

	"urbo/core/line"
)

// TestDecode_ClaimsNoUnknownSignal: a line code that ships is not read in what is none of them.
func TestDecode_ClaimsNoUnknownSignal(t *testing.T) {
	book := line.Builtin()
	claims, all := 0, 0
	bySheet := map[string]int{}
	for i, level := range []string{"low", "usual", "harsh"} {
		for j, varies := range []string{"", "toggle", "counter", "once"} {
			for k, damage := range []string{"", "glitches", "noise", "cut"} {
				rng := rand.New(rand.NewPCG(uint64(100*i+10*j+k), 7))
				for range *unknownKeys {
					w := newWild(rng)
					shipped := map[Style]int{Ratio: 24, Biphase: 14, Distance: 16} // bits
					if w.lead == nil && len(w.blocks) == 1 && shipped[w.style] == w.blocks[0] {
						continue
					}
					bits := w.bits(rng)
					w.vary(rng, varies, bits)
					p := pressAt(rng, level, w.unit)
					p.damage = damage
					heard := w.hear(rng, w.sends(bits, 0), p)
					all++
					if r := book.Decode(heard).Readings; len(r) > 0 && r[0].Confidence >= 0.8 {
						claims++
						bySheet[r[0].Sheet]++
						if testing.Verbose() && bySheet[r[0].Sheet] <= 4 {
							t.Logf("%s %s of %+v: %s %v %.2f, %d frames", level, varies, w, r[0].Sheet, r[0].Fields,
								r[0].Confidence, r[0].Frames)
						}
					}
				}
			}
		}
	}
	t.Logf("%d of %d: %v", claims, all, bySheet)
	assert.LessOrEqual(t, float64(claims), 0.005*float64(all)+3)
}
