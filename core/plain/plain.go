// Package plain is about texts for people: counted words, and which characters a name or a note may have: those that
// show as themselves. A control sequence in a
// name would move the cursor of a terminal, and a mark for the direction of writing would turn the text around it.
package plain

import (
	"fmt"
	"strings"
	"unicode"
	"unicode/utf8"
)

// Hidden says whether a character does something else than to show: control characters (C0 and C1), marks for the
// direction of writing and other format characters, separators of lines, and what is no text at all.
func Hidden(r rune) bool {
	return unicode.IsControl(r) || r == unicode.ReplacementChar || unicode.In(r, unicode.Cf, unicode.Zl, unicode.Zp)
}

// Is says whether a text has no hidden characters.
func Is(text string) bool { return utf8.ValidString(text) && !strings.ContainsFunc(text, Hidden) }

// Show is a text with every hidden character shown as �, for texts that come from outside and are printed. Line ends
// and tabs are left.
func Show(text string) string {
	if Is(text) {
		return text
	}
	return strings.Map(func(r rune) rune {
		if r != '\n' && r != '\t' && Hidden(r) {
			return unicode.ReplacementChar
		}
		return r
	}, text)
}

// Count is a number with its word: "1 key", "2 keys", "0 keys".
func Count(n int, one, many string) string {
	if n == 1 {
		return "1 " + one
	}
	return fmt.Sprintf("%d %s", n, many)
}

// A is a word with its article: "a light", "an amplifier".
func A(word string) string {
	if word != "" && strings.ContainsRune("aeiou", rune(word[0])) {
		return "an " + word
	}
	return "a " + word
}

// Label is a short name as people read it: "volume-up" is "volume up".
func Label(slug string) string { return strings.ReplaceAll(slug, "-", " ") }

// List is words one after another.
func List[T ~string](words []T) string {
	texts := make([]string, len(words))
	for i, w := range words {
		texts[i] = string(w)
	}
	return strings.Join(texts, ", ")
}
