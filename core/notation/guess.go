package notation

import (
	"cmp"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"urbo/core/line"
)

// mostGuesses is how many line codes are suggested for a value that does not say which it is.
const mostGuesses = 6

// guess says which line codes a value may be that stands alone: those first whose frames are checked most. The error
// is Unsaid, or wraps ErrNotation where it can be none.
func guess(digits, counted string, book *line.Book) error {
	bits := len(digits[2:])
	if strings.HasPrefix(digits, "0x") {
		bits *= 4
	}
	if counted != "" {
		bits, _ = strconv.Atoi(counted)
	}
	value, err := strconv.ParseUint(digits, 0, 64)
	if err != nil || bits < 1 || bits > 64 || bits < 64 && value>>bits != 0 {
		return fmt.Errorf("%w: %.40q: a value has 1 to 64 bits: write how many, like %.20s/32", ErrNotation, digits,
			digits)
	}
	type may struct {
		text   string
		checks int // bits of the frame that say nothing new
	}
	var all []may
	for _, s := range book.Sheets() {
		n, err := ReadNumber(s.Name, fmt.Sprintf("%s/%d", digits, bits), book)
		if err != nil {
			continue
		}
		checks := bits
		for _, f := range s.Fields() {
			checks -= f.Bits
		}
		all = append(all, may{s.Name + " " + n.Fields.String(), checks})
	}
	slices.SortStableFunc(all, func(a, b may) int { return cmp.Compare(b.checks, a.checks) })
	if len(all) == 0 {
		return fmt.Errorf("%w: %.40q says no line code, and none has frames of %d bits like it: write the line code "+
			"before it, like nec 0x9c6340bf, or the durations", ErrNotation, digits, bits)
	}
	out := Unsaid{Value: digits, Bits: bits}
	for _, m := range all[:min(len(all), mostGuesses)] {
		out.May = append(out.May, m.text)
	}
	return out
}

// Unsaid is the error of a value that does not say its line code. It wraps ErrNotation.
type Unsaid struct {
	Value string
	Bits  int
	May   []string // what it may be, as it is written, the most likely first
}

func (u Unsaid) Error() string {
	return fmt.Sprintf("%v: %.40q says no line code. With %d bits it may be %s: write one of these", ErrNotation,
		u.Value, u.Bits, strings.Join(u.May, "; or "))
}

func (u Unsaid) Unwrap() error { return ErrNotation }
