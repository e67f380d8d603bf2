package notation

import (
	"fmt"
	"math"
	"regexp"
	"strconv"

	"urbo/core/device"
	"urbo/core/line"
	"urbo/core/signal"
)

// tickUS is the unit in which period words give the period of their carrier.
const tickUS = 0.241246

var periodWord = regexp.MustCompile(`^[0-9A-Fa-f]{4}$`)

// isPeriods says whether words are periods of a carrier: 0000, the period, how many pairs are sent once and how many
// are repeated, and the pairs, all of four hexadecimal digits.
func isPeriods(words []string) bool {
	if len(words) < 4 || words[0] != "0000" {
		return false
	}
	for _, w := range words {
		if !periodWord.MatchString(w) {
			return false
		}
	}
	return true
}

// periods reads them. What is repeated is left out where something is sent once. The error wraps ErrNotation.
func periods(words []string) (device.Code, string, error) {
	n := make([]int, len(words))
	for i, w := range words {
		v, err := strconv.ParseUint(w, 16, 16)
		if err != nil {
			return device.Code{}, "", fmt.Errorf("%w: period words: %.10q is no word of four hexadecimal digits",
				ErrNotation, w)
		}
		n[i] = int(v)
	}
	if want := 4 + 2*(n[2]+n[3]); n[1] == 0 || n[2]+n[3] == 0 || len(n) != want {
		return device.Code{}, "", fmt.Errorf("%w: period words: they announce %d and %d pairs, which are %d words, "+
			"and there are %d: is a part missing?", ErrNotation, n[2], n[3], want, len(n))
	}
	period := float64(n[1]) * tickUS
	pairs := n[2]
	if pairs == 0 {
		pairs = n[3]
	}
	train := make(signal.Train, 2*pairs)
	for i := range train {
		train[i] = int(math.Round(float64(n[4+i]) * period))
	}
	hz := int(math.Round(1e6 / period))
	c := device.Code{Train: train[:len(train)-1], GapUS: train[len(train)-1],
		Channel: device.Channel{Medium: line.Infrared, Hz: hz}}
	return c, fmt.Sprintf("Period words: a carrier of %s, %d pairs sent once and %d repeated.", device.Hertz(hz), n[2],
		n[3]), nil
}
