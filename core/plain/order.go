package plain

import (
	"cmp"
	"strings"
	"unicode"
)

// Compare orders texts as people do: case does not count, and numbers in them count by their value: Room 2 stands
// before Room 10.
func Compare(a, b string) int {
	x, y := []rune(strings.ToLower(a)), []rune(strings.ToLower(b))
	for len(x) > 0 && len(y) > 0 {
		n, m := digits(x), digits(y)
		if n == 0 || m == 0 {
			if x[0] != y[0] {
				return cmp.Compare(x[0], y[0])
			}
			x, y = x[1:], y[1:]
			continue
		}
		p, q := strings.TrimLeft(string(x[:n]), "0"), strings.TrimLeft(string(y[:m]), "0")
		if c := cmp.Or(cmp.Compare(len(p), len(q)), strings.Compare(p, q)); c != 0 {
			return c
		}
		x, y = x[n:], y[m:]
	}
	return cmp.Or(cmp.Compare(len(x), len(y)), strings.Compare(a, b))
}

// digits is how many digits a text begins with.
func digits(text []rune) (n int) {
	for n < len(text) && unicode.IsDigit(text[n]) {
		n++
	}
	return n
}
