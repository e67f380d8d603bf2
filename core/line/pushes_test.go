package line_test

import (
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/line"
	"urbo/core/signal"
)

// pushed is a push of a key as a receiver hears it: frames at their pace.
func pushed(t *testing.T, b *line.Book, sheet string, fields line.Fields, frames int) []signal.Reception {
	t.Helper()
	s, err := b.Sheet(sheet)
	require.NoError(t, err)
	burst, err := s.Encode(fields)
	require.NoError(t, err)
	burst.Repeats = frames
	return signal.Split(burst.Durations(), 10_000)
}

func parts(b *line.Book, trains []signal.Reception) []line.Push {
	return b.Pushes(trains, b.Decode(trains), func(line.Reading) bool { return false })
}

// then is two pushes of which the second begins so many µs after the first ended.
func then(first []signal.Reception, pause int, second []signal.Reception) []signal.Reception {
	out := slices.Clone(first)
	out[len(out)-1].Gap = pause
	return append(out, second...)
}

var twoKeys = []struct {
	sheet    string
	one, two line.Fields
}{
	{"nec", line.Fields{"address": line.Number(57), "command": line.Number(2)},
		line.Fields{"address": line.Number(57), "command": line.Number(5)}},
	{"sirc15", line.Fields{"address": line.Number(107), "command": line.Number(21)},
		line.Fields{"address": line.Number(107), "command": line.Number(22)}},
	{"twin32", line.Fields{"address": line.Number(0xA6), "subaddress": line.Number(0xA6), "command": line.Number(48)},
		line.Fields{"address": line.Number(0xA6), "subaddress": line.Number(0xA6), "command": line.Number(49)}},
	{"ev1527", line.Fields{"id": line.Number(0x4D2B7), "key": line.Number(1)},
		line.Fields{"id": line.Number(0x4D2B7), "key": line.Number(4)}},
	{"rc5", line.Fields{"address": line.Number(17), "command": line.Number(16)},
		line.Fields{"address": line.Number(17), "command": line.Number(17)}},
}

func TestPushes_AKeyThatIsHeldIsOne(t *testing.T) {
	b := line.Builtin()
	for _, k := range twoKeys {
		for frames := 2; frames < 20; frames++ {
			got := parts(b, pushed(t, b, k.sheet, k.one, frames))
			assert.Len(t, got, 1, "%s, %d frames", k.sheet, frames)
		}
	}
}

func TestPushes_AnotherKeyIsAnother(t *testing.T) {
	b := line.Builtin()
	r := rand.New(rand.NewPCG(1, 1))
	for _, k := range twoKeys {
		for range 20 {
			pause := 60_000 + r.IntN(180_000)
			got := parts(b, then(pushed(t, b, k.sheet, k.one, 3), pause, pushed(t, b, k.sheet, k.two, 3)))
			require.Len(t, got, 2, k.sheet)
			assert.False(t, got[1].Maybe, "nothing is open about it")
			for i, want := range []line.Fields{k.one, k.two} {
				readings := b.Decode(got[i].Trains).Readings
				require.NotEmpty(t, readings, k.sheet)
				assert.Equal(t, want["command"], readings[0].Fields["command"], k.sheet)
			}
		}
	}
}

// TestPushes_TheSameKeyTwice has two taps of a key: what a held key cannot be is two, and what it may be is told so.
func TestPushes_TheSameKeyTwice(t *testing.T) {
	b := line.Builtin()
	r := rand.New(rand.NewPCG(2, 1))
	for _, k := range twoKeys {
		apart, maybe := 0, 0
		for range 200 {
			pause := 110_000 + r.IntN(130_000)
			second := k.one
			if k.sheet == "rc5" {
				second = line.Fields{"toggle": line.Number(1)}
				for name, v := range k.one {
					second[name] = v
				}
			}
			got := parts(b, then(pushed(t, b, k.sheet, k.one, 2), pause, pushed(t, b, k.sheet, second, 2)))
			switch {
			case len(got) == 2 && got[1].Maybe:
				maybe++
			case len(got) == 2:
				apart++
			}
		}
		assert.Equal(t, 200, apart+maybe, "%s: none is lost", k.sheet)
		if k.sheet == "nec" || k.sheet == "rc5" {
			assert.Zero(t, maybe, "%s: a push begins with a frame, or a bit, of its own", k.sheet)
		}
		assert.Greater(t, apart, 60, k.sheet)
	}
}

// TestPushes_ALostFrameLeavesBothOpen takes a frame out of a held key.
func TestPushes_ALostFrameLeavesBothOpen(t *testing.T) {
	b := line.Builtin()
	whole := pushed(t, b, "sirc15", twoKeys[1].one, 9)
	lost := slices.Clone(whole[:4])
	lost[3].Gap += whole[4].Train.Length() + whole[4].Gap
	lost = append(lost, whole[5:]...)
	got := parts(b, lost)
	require.Len(t, got, 2)
	assert.True(t, got[1].Maybe, "it was held, or tapped again")
	got = parts(b, then(pushed(t, b, "rc5", twoKeys[4].one, 2), 290_000-113_800, pushed(t, b, "rc5", twoKeys[4].one,
		2)))
	assert.Len(t, got, 1, "its bit says that it was held")
}
