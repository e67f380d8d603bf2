package notation

import (
	"fmt"
	"regexp"
	"strconv"
	"strings"
)

var (
	aroundEquals = regexp.MustCompile(`\s*=\s*`)
	afterName    = regexp.MustCompile(`^([A-Za-z][A-Za-z0-9-]*)\s*:\s*`)
	bitCount     = regexp.MustCompile(`(?i)\b([0-9]+)[\s-]*bits?\b`)
	hexadecimal  = regexp.MustCompile(`^[0-9a-f]*[a-f][0-9a-f]*$`)
)

// tidy is one code as words, however people write it: the case of names, blanks around =, a colon behind the line code,
// commas, and the word bits do not count.
func tidy(words []string) []string {
	if len(words) == 0 || isTrain(words) {
		return words
	}
	text := strings.NewReplacer("−", "-", "–", "-", "_", "-").Replace(strings.Join(words, " "))
	text = aroundEquals.ReplaceAllString(text, "=")
	text = afterName.ReplaceAllString(text, "$1 ")
	text = bitCount.ReplaceAllString(text, "$1")
	words = strings.Fields(strings.ReplaceAll(text, ",", " "))
	if len(words) == 0 {
		return nil
	}
	words[0] = strings.ToLower(words[0])
	for i, w := range words {
		if name, value, is := strings.Cut(w, "="); is {
			words[i] = strings.ToLower(name) + "=" + value
		}
	}
	return words
}

// isTrain says whether words are durations: they begin with a number, and are more than a value with its bits.
func isTrain(words []string) bool {
	if !strings.ContainsAny(words[0][:1], startsTrain) {
		return false
	}
	_, _, isValue := valueOf(words)
	return !isValue
}

// valueOf is the value of a whole frame that stands without a line code, as digits that begin with 0x or 0b, and how
// many bits it has, "" where it does not say so.
func valueOf(words []string) (digits, bits string, is bool) {
	if len(words) == 0 || len(words) > 3 {
		return "", "", false
	}
	joined := bitCount.ReplaceAllString(strings.Join(words, " "), "$1")
	all := strings.FieldsFunc(strings.ToLower(joined), func(r rune) bool { return r == ' ' || r == ',' || r == '/' })
	if len(all) == 0 || len(all) > 2 {
		return "", "", false
	}
	if len(all) == 2 {
		bits = all[1]
	}
	if digits = hex(all[0]); len(all[0]) < 4 || strings.Trim(bits, "0123456789") != "" {
		return "", "", false
	}
	if n, err := strconv.ParseUint(digits, 10, 64); err == nil && fewBits.MatchString(bits) { // 5592405 24
		digits = fmt.Sprintf("0x%x", n)
	}
	return digits, bits, strings.HasPrefix(digits, "0x") || strings.HasPrefix(digits, "0b")
}

// fewBits is how many bits a value has: no duration is so short.
var fewBits = regexp.MustCompile(`^([4-9]|[1-5][0-9]|6[0-4])$`)

// hex is a number that has hexadecimal digits, with 0x before it; any other as it is.
func hex(digits string) string {
	lower := strings.ToLower(digits)
	if hexadecimal.MatchString(lower) && !strings.HasPrefix(lower, "0b") {
		return "0x" + lower
	}
	return lower
}
