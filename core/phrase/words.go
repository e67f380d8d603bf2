package phrase

import (
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"
	"unicode"
)

// word is one word, number or sign of a phrase.
type word struct {
	text   string
	number float64
	is     bool // it is a number in digits
	signed bool // with + or - before it
}

// pieces are what a phrase is made of: times of day, numbers with a sign, words, and the signs that mean something.
var pieces = regexp.MustCompile(`\d{1,2}:\d\d|[-+]?\d+(?:\.\d+)?|\p{L}[\p{L}\p{M}'’]*|[%°,;]|[^\s]`)

// quiet are signs that say nothing.
const quiet = `.!?"“”„()-–—:`

// split makes words of a text. Whoever writes "amplifier's" means the amplifier.
func split(text string) (out []word) {
	text = strings.ToLower(strings.ReplaceAll(text, "’", "'"))
	for _, p := range pieces.FindAllStringIndex(text, -1) {
		t := text[p[0]:p[1]]
		if strings.Contains(quiet, t) {
			continue
		}
		if first := t[0]; (first == '-' || first == '+') && p[0] > 0 && !unicode.IsSpace(rune(text[p[0]-1])) {
			t = t[1:] // dew-2 is no -2
		}
		w := word{text: t}
		if n, err := strconv.ParseFloat(t, 64); err == nil {
			w.number, w.is, w.signed = n, true, t[0] == '+' || t[0] == '-'
		}
		if owner, is := strings.CutSuffix(t, "'s"); is && !slices.Contains(contracted, t) {
			w.text = owner
		}
		out = append(out, w)
	}
	return out
}

// contracted are words in which 's is no owner.
var contracted = []string{"what's", "let's", "it's", "that's", "here's", "there's", "how's", "where's", "who's"}

// plainWords are the words of a name.
func plainWords(name string) (out []string) {
	for _, w := range split(name) {
		if w.text != "," && w.text != ";" {
			out = append(out, w.text)
		}
	}
	return out
}

// singular is a word without the s of many.
func singular(w string) string {
	switch {
	case len(w) > 4 && strings.HasSuffix(w, "ies"):
		return w[:len(w)-3] + "y"
	case len(w) > 4 && (strings.HasSuffix(w, "xes") || strings.HasSuffix(w, "ses") || strings.HasSuffix(w, "shes")):
		return w[:len(w)-2]
	case len(w) > 3 && strings.HasSuffix(w, "s") && !strings.HasSuffix(w, "ss"):
		return w[:len(w)-1]
	}
	return w
}

// same says whether two words are the same, whether of one or of many.
func same(a, b string) bool { return a == b || singular(a) == singular(b) }

// sameVerb says whether a word of a name is what is done by another one: closed, close.
func sameVerb(said, name string) bool { return name == said+"d" || name == said+"ed" }

// Numbers in words.
var (
	small = map[string]float64{"zero": 0, "oh": 0, "one": 1, "two": 2, "three": 3, "four": 4, "five": 5, "six": 6,
		"seven": 7, "eight": 8, "nine": 9, "ten": 10, "eleven": 11, "twelve": 12, "thirteen": 13, "fourteen": 14,
		"fifteen": 15, "sixteen": 16, "seventeen": 17, "eighteen": 18, "nineteen": 19}
	tens = map[string]float64{"twenty": 20, "thirty": 30, "forty": 40, "fourty": 40, "fifty": 50, "sixty": 60,
		"seventy": 70, "eighty": 80, "ninety": 90}
)

// numbered is a number that stands somewhere, and where it ends.
type numbered struct {
	value  float64
	end    int
	signed bool
	digits bool // said digit by digit
}

// numberAt reads a number that begins at a word, in all ways in which that can be read, the longest first.
func numberAt(all []word, at int) (out []numbered) {
	if at >= len(all) {
		return nil
	}
	if w := all[at]; w.is {
		return []numbered{{w.number, at + 1, w.signed, false}}
	}
	sign, signed := 1.0, false
	if t := all[at].text; t == "minus" || t == "plus" {
		if signed = true; t == "minus" {
			sign = -1
		}
		at++
	}
	n, end := below100(all, at)
	if end == at && at < len(all) && (all[at].text == "a" || all[at].text == "hundred") {
		n, end = 1, at
		if all[at].text == "a" {
			end++
		}
		if end >= len(all) || all[end].text != "hundred" {
			return nil
		}
	}
	if end < len(all) && all[end].text == "hundred" {
		n, end = n*100, end+1
		rest := end
		if rest < len(all) && all[rest].text == "and" {
			rest++
		}
		if more, after := below100(all, rest); after > rest {
			n, end = n+more, after
		}
	}
	if end == at {
		return nil
	}
	if end+1 < len(all) && all[end].text == "point" {
		if part, is := small[all[end+1].text]; is && part < 10 {
			n, end = n+part/10, end+2
		}
	}
	out = append(out, numbered{sign * n, end, signed, false})
	digits, last := 0.0, at
	for last < len(all) && last-at < 6 {
		d, is := small[all[last].text]
		if !is || d > 9 {
			break
		}
		digits, last = digits*10+d, last+1
	}
	if last-at > 1 && !signed {
		out = append([]numbered{{digits, last, false, true}}, out...)
	}
	return out
}

// below100 reads a number up to 99; end is at where there is none.
func below100(all []word, at int) (n float64, end int) {
	if at >= len(all) {
		return 0, at
	}
	if n, is := small[all[at].text]; is {
		return n, at + 1
	}
	n, is := tens[all[at].text]
	if !is {
		return 0, at
	}
	if at+1 < len(all) {
		if more, is := small[all[at+1].text]; is && more > 0 && more < 10 {
			return n + more, at + 2
		}
	}
	return n, at + 1
}

// spans are the units of a span, by the words for them.
var spans = map[string]time.Duration{"second": time.Second, "sec": time.Second, "s": time.Second,
	"minute": time.Minute, "min": time.Minute, "hour": time.Hour, "h": time.Hour, "day": 24 * time.Hour,
	"d": 24 * time.Hour}

// spanAt reads a time such as "ten minutes", "half an hour", "an hour and a half" or "1 h 30 min"; end is at where
// there is none.
func spanAt(all []word, at int) (total time.Duration, end int) {
	end = at
	for end < len(all) {
		next := end
		if end > at && all[next].text == "and" {
			next++
		}
		d, after := oneSpan(all, next)
		if after == next {
			break
		}
		total, end = total+d, after
	}
	return total, end
}

func oneSpan(all []word, at int) (time.Duration, int) {
	text := func(i int) string {
		if i < len(all) {
			return singular(all[i].text)
		}
		return ""
	}
	switch {
	case text(at) == "half" && (text(at+1) == "an" || text(at+1) == "a") && spans[text(at+2)] > 0:
		return spans[text(at+2)] / 2, at + 3
	case text(at) == "quarter" && text(at+1) == "of" && text(at+2) == "an" && text(at+3) == "hour":
		return 15 * time.Minute, at + 4
	case text(at) == "a" && text(at+1) == "quarter" && text(at+2) == "of" && text(at+3) == "an" && text(at+4) == "hour":
		return 15 * time.Minute, at + 5
	case (text(at) == "a" || text(at) == "an" || text(at) == "one") && spans[text(at+1)] > 0:
		d, end := spans[text(at+1)], at+2
		if text(end) == "and" && text(end+1) == "a" && text(end+2) == "half" {
			return d + d/2, end + 3
		}
		return d, end
	}
	for _, n := range numberAt(all, at) {
		if unit := spans[text(n.end)]; unit > 0 && n.value >= 0 && n.value <= 1e6 && !n.signed {
			return time.Duration(n.value * float64(unit)), n.end + 1
		}
		if text(n.end) == "and" && text(n.end+1) == "a" && text(n.end+2) == "half" && spans[text(n.end+3)] > 0 {
			return time.Duration((n.value + 0.5) * float64(spans[text(n.end+3)])), n.end + 4
		}
	}
	return 0, at
}

// number is how a number is written.
func number(n float64) string { return strconv.FormatFloat(n, 'f', -1, 64) }
