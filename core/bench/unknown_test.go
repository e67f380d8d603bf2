package bench

import (
	"flag"
	"fmt"
	"math"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/signal"
)

var unknownKeys = flag.Int("unknown", 25, "keys of each kind that TestDescribe_UnknownSignals makes")

// outcome counts what was found of many keys.
type outcome struct {
	keys, bits, same, other, otherTried int
}

func (o outcome) String() string {
	share := func(n, of int) float64 { return 100 * float64(n) / float64(max(of, 1)) }
	return fmt.Sprintf("bits %.1f %%, same key %.1f %%, other key %.1f %%", share(o.bits, o.keys),
		share(o.same, o.keys), share(o.other, o.otherTried))
}

// unknown describes keys that no sheet reads.
func unknown(t *testing.T, seed uint64, level, damage, varies string) outcome {
	t.Helper()
	rng := rand.New(rand.NewPCG(seed, 1))
	var o outcome
	for range *unknownKeys {
		w := newWild(rng)
		if varies != "" {
			w.frames = 3 + rng.IntN(4)
		}
		bits := w.bits(rng)
		w.vary(rng, varies, bits)
		press := func(bits string, turn int) (Structure, []string) {
			p := pressAt(rng, level, w.unit)
			p.damage = damage
			sent := w.sends(bits, turn)
			s, err := Describe(w.hear(rng, sent, p))
			require.NoError(t, err)
			return s, sent
		}
		a, sent := press(bits, 0)
		b, _ := press(bits, 1)
		other := []byte(bits)
		at := 3 + rng.IntN(len(bits)-8)
		if at == w.toggle || at == 2 {
			at++
		}
		other[at] ^= 1
		c, _ := press(string(other), 0)
		o.keys++
		right := false
		for _, s := range sent {
			right = right || a.Style == w.style && strings.Join(a.Bits, "") == s
		}
		if right {
			o.bits++
		} else if testing.Verbose() {
			t.Logf("%+v\n want %v\n got  %v %v %v unit %.0f of %d others %v", w, sent, a.Style, a.shape.pairs, a.Bits,
				a.Unit, a.Frames, a.Others)
		}
		if a.Print == b.Print {
			o.same++
		} else if testing.Verbose() {
			t.Logf("same key: %s\n  %s of %d, sent %v\n  %s of %d %v", a.Style, a.Mask, a.Frames, sent, b.Mask,
				b.Frames, b.Style)
		}
		if a.Style != Plain && c.Style != Plain {
			o.otherTried++
			if a.Print != c.Print {
				o.other++
			}
		}
	}
	return o
}

func TestDescribe_UnknownSignals(t *testing.T) {
	for i, c := range []struct {
		level, damage, varies string
		bits, same            float64
	}{
		{"low", "", "", 0.98, 0.98},
		{"usual", "", "", 0.98, 0.98},
		{"harsh", "", "", 0.96, 0.94},
		{"usual", "glitches", "", 0.96, 0.94},
		{"usual", "cut", "", 0.96, 0.94},
		{"usual", "noise", "", 0.96, 0.94},
		{"usual", "", "toggle", 0.96, 0.94},
		{"usual", "", "counter", 0.96, 0.94},
		{"usual", "", "once", 0.96, 0.94},
		{"harsh", "noise", "toggle", 0.9, 0.9},
	} {
		t.Run(strings.TrimSpace(strings.Join([]string{c.level, c.damage, c.varies}, " ")), func(t *testing.T) {
			t.Parallel()
			o := unknown(t, uint64(i+1), c.level, c.damage, c.varies)
			t.Log(o)
			share := func(n, of int, least float64) { // one more may be missed, as few are tried
				assert.GreaterOrEqual(t, float64(n), least*float64(of)-1)
			}
			share(o.bits, o.keys, c.bits)
			share(o.same, o.keys, c.same)
			share(o.other, o.otherTried, 0.995)
		})
	}
}

// TestDescribe_FindsNoBitsInNoise: noise of three kinds, as long as receivers deliver it.
func TestDescribe_FindsNoBitsInNoise(t *testing.T) {
	rng := rand.New(rand.NewPCG(8, 8))
	found := 0
	for range 200 {
		n := 41 + 2*rng.IntN(400)
		kind := rng.IntN(3)
		noise := make(signal.Train, n)
		for i := range noise {
			switch kind {
			case 0:
				noise[i] = 60 + rng.IntN(3000)
			case 1:
				noise[i] = int(60 * math.Pow(300, rng.Float64()))
			default:
				noise[i] = int(min(60+rng.ExpFloat64()*500, 18_000))
			}
		}
		s, err := Describe([]signal.Reception{{Train: noise}})
		require.NoError(t, err)
		if s.Style != Plain {
			found++
			t.Logf("%d durations of kind %d: %s", n, kind, s.Words())
		}
	}
	assert.LessOrEqual(t, found, 4)
}
