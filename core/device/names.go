package device

import (
	"fmt"
	"regexp"
	"slices"
	"strings"
	"unicode"

	"urbo/core/fault"
	"urbo/core/plain"
)

// ErrName is wrapped by errors about names that cannot be used.
var ErrName = fault.New(fault.Invalid, "name")

// Longest names, in characters.
const (
	maxName = 80
	maxSlug = 40
)

var slugRule = regexp.MustCompile(`^[a-z0-9]+(-[a-z0-9]+)*$`)

// CleanName trims a name, folds inner white space, and refuses what is empty, too long or has control characters.
func CleanName(what, name string) (string, error) {
	name = strings.Join(strings.Fields(name), " ")
	if name == "" {
		return "", fmt.Errorf("%w: %s is empty: give it one", ErrName, what)
	}
	return name, CheckText(what, name)
}

// CheckText bounds a text that may be empty.
func CheckText(what, text string) error {
	if n := len([]rune(text)); n > maxName {
		return fmt.Errorf("%w: %s has %d characters: the most is %d", ErrName, what, n, maxName)
	}
	if !plain.Is(text) {
		return fmt.Errorf("%w: %s has control characters in it: use plain text", ErrName, what)
	}
	return nil
}

// CleanRoom is CleanName for a room, whose spellings are told apart by letters and digits.
func CleanRoom(name string) (string, error) {
	name, err := CleanName("the room's name", name)
	if err == nil && !strings.ContainsFunc(name, func(r rune) bool {
		return unicode.IsLetter(r) ||
			unicode.IsDigit(r)
	}) {
		return name, fmt.Errorf("%w: room %.40q: use at least one letter or digit", ErrName, name)
	}
	return name, err
}

// CheckSlug refuses what is no short name.
func CheckSlug(what, slug string) error {
	if len(slug) > maxSlug || !slugRule.MatchString(slug) {
		return fmt.Errorf("%w: %s %.60q: use a-z, 0-9 and single -, at most %d", ErrName, what, slug, maxSlug)
	}
	return nil
}

// Slug makes a short name of a name: "Volume up" becomes "volume-up". It may be empty.
func Slug(name string) string {
	var b strings.Builder
	for _, r := range strings.ToLower(name) {
		if r >= 'a' && r <= 'z' || r >= '0' && r <= '9' {
			b.WriteRune(r)
		} else if b.Len() > 0 && !strings.HasSuffix(b.String(), "-") {
			b.WriteByte('-')
		}
		if b.Len() == maxSlug {
			break
		}
	}
	return strings.Trim(b.String(), "-")
}

// Nearest picks the few names that are most like the one asked for; where none is, the first few there are.
func Nearest(asked string, names []string) string {
	if len(names) == 0 {
		return ""
	}
	sorted := slices.Clone(names)
	slices.SortStableFunc(sorted, func(a, b string) int { return distance(asked, a) - distance(asked, b) })
	return strings.Join(sorted[:min(3, len(sorted))], ", ")
}

// Typo is the one of some names that was most likely meant by a word that is none of them; false where none is near.
func Typo(asked string, names []string) (meant string, is bool) {
	best := 0
	for _, n := range names {
		if d := edits(asked, n); n != asked && 6*d <= len(asked)+len(n) && (!is || d < best) {
			meant, best, is = n, d, true
		}
	}
	return meant, is
}

// distance is the number of edits between two names, less where one is a part of the other.
func distance(a, b string) int {
	d := edits(a, b)
	if strings.Contains(b, a) || strings.Contains(a, b) {
		return d / 2
	}
	return d
}

// edits is how many bytes have to be put in, left out, changed or swapped with the next to make one name of another
// (Damerau and Levenshtein).
func edits(a, b string) int {
	a, b = a[:min(len(a), maxName)], b[:min(len(b), maxName)]
	before, above, row := make([]int, len(b)+1), make([]int, len(b)+1), make([]int, len(b)+1)
	for j := range row {
		row[j] = j
	}
	for i := range a {
		before, above, row = above, row, before
		row[0] = i + 1
		for j := range b {
			row[j+1] = min(above[j+1], row[j]) + 1
			if a[i] == b[j] {
				row[j+1] = min(row[j+1], above[j])
			} else {
				row[j+1] = min(row[j+1], above[j]+1)
			}
			if i > 0 && j > 0 && a[i] == b[j-1] && a[i-1] == b[j] {
				row[j+1] = min(row[j+1], before[j-1]+1)
			}
		}
	}
	return row[len(b)]
}

// FreeSlug is a slug like one that is taken, which is free: "lamp-2", "lamp-3" …
func FreeSlug(taken string, free func(string) bool) string {
	for n := 2; ; n++ {
		end := fmt.Sprintf("-%d", n)
		slug := strings.TrimRight(taken[:min(len(taken), maxSlug-len(end))], "-") + end
		if free(slug) {
			return slug
		}
	}
}
