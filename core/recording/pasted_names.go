package recording

import (
	"regexp"
	"slices"
	"strings"
	"unicode"
)

const (
	mostLabel = 4  // words of a label: more are prose
	mostName  = 40 // characters
)

var (
	camel  = regexp.MustCompile(`(\p{Ll})(\p{Lu})`)
	ctypes = regexp.MustCompile(`\b(?:unsigned|signed|const|static|volatile|int|long|short|char|u?int\d+_t|byte|word)\b`)
	// an array of C that is given its values
	cArray = regexp.MustCompile(`([A-Za-z_]\w*)\s*\[\s*\w*\s*\][^=;]*=\s*$`)
)

// saysNothing are words of labels that only say that a signal follows.
var saysNothing = []string{"raw", "data", "code", "codes", "signal", "signals", "pulse", "pulses", "timing", "timings",
	"duration", "durations", "received", "receive", "receiver", "recv", "decoded", "array", "list", "value", "values",
	"press", "presses", "train", "trains", "buffer", "buf", "send", "us", "ms", "count", "length", "len", "size",
	"carrier", "hz", "khz", "frequency", "freq", "protocol", "unknown", "mark", "space", "marks", "spaces", "the",
	"microseconds", "numbers", "sequence", "frame", "frames"}

// keyWords stand before the name of a key, or a number that is one.
var keyWords = []string{"key", "button", "name"}

// nameIn is the name of a key that a label is, "" where it is none: "Projector on:" or "uint16_t volume_up[67] =".
func nameIn(label string) string {
	label = ctypes.ReplaceAllString(label, " ")
	label = camel.ReplaceAllString(label, "$1 $2")
	all := strings.FieldsFunc(label, func(r rune) bool { return !unicode.IsLetter(r) && !unicode.IsDigit(r) })
	var words []string
	letters := false
	for _, w := range all {
		lower := strings.ToLower(w)
		if slices.Contains(saysNothing, lower) {
			continue
		}
		words = append(words, w)
		letters = letters || strings.ContainsFunc(w, unicode.IsLetter)
	}
	if isKey := len(words) > 1 && slices.Contains(keyWords, strings.ToLower(words[0])); isKey &&
		strings.ContainsFunc(words[1], unicode.IsLetter) {
		words = words[1:]
	}
	name := strings.Join(words, " ")
	if !letters || len(words) > mostLabel || len([]rune(name)) > mostName ||
		len(words) == 1 && slices.Contains(keyWords, strings.ToLower(words[0])) {
		return ""
	}
	return name
}

// nameOf is the name that an object of JSON gives what is in it.
func nameOf(object map[string]any) string {
	for _, k := range []string{"name", "label", "title", "key", "button", "id", "function"} {
		if text, is := object[k].(string); is {
			if name := nameIn(text); name != "" {
				return name
			}
		}
	}
	return ""
}
