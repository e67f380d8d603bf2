package speech

import (
	"bufio"
	"fmt"
	"io"
	"slices"
	"strings"
	"unicode"

	"golang.org/x/text/unicode/norm"
)

// Pronounced are ways to say a word, each as phones of the ARPAbet with spaces between them.
type Pronounced map[string][]string

// mostWays is how many ways to say a word are kept.
const mostWays = 4

// Pronounce finds how words are said. dictionary has a word and its phones in each line ("dome D OW M", and "dome(2)"
// for another way), as the CMU dictionary has; nil is none. A word that it does not have is said as two words that it
// has, letter by letter, or by the rules of English spelling. A word without a letter or digit is left out.
func Pronounce(words []string, dictionary io.Reader) (Pronounced, error) {
	wanted := map[string]bool{}
	for _, w := range words {
		wanted[folded(w)] = true
		for _, part := range cuts(folded(w)) {
			wanted[part[0]], wanted[part[1]] = true, true
		}
	}
	known, err := pick(wanted, dictionary)
	if err != nil {
		return nil, err
	}
	out := Pronounced{}
	for _, w := range words {
		if ways := waysOf(folded(w), known); len(ways) > 0 {
			out[w] = ways
		}
	}
	return out, nil
}

// folded is a word without accents, in small letters.
func folded(w string) string {
	return strings.Map(func(r rune) rune {
		if unicode.Is(unicode.Mn, r) {
			return -1
		}
		return unicode.ToLower(r)
	}, norm.NFD.String(w))
}

// cuts are the ways to make two words of one, of three letters and more each, the longest first word first.
func cuts(w string) (out [][2]string) {
	if !isPlain(w) {
		return nil
	}
	for n := len(w) - 3; n >= 3; n-- {
		out = append(out, [2]string{w[:n], w[n:]})
	}
	return out
}

func isPlain(w string) bool {
	return w != "" && strings.IndexFunc(w, func(r rune) bool { return r < 'a' || r > 'z' }) < 0
}

// pick reads the wanted words of a dictionary.
func pick(wanted map[string]bool, dictionary io.Reader) (Pronounced, error) {
	known := Pronounced{}
	if dictionary == nil {
		return known, nil
	}
	s := bufio.NewScanner(dictionary)
	for s.Scan() {
		word, phones, is := strings.Cut(s.Text(), " ")
		if !is {
			continue
		}
		if i := strings.IndexByte(word, '('); i > 0 {
			word = word[:i]
		}
		if wanted[word] && len(known[word]) < mostWays {
			known[word] = append(known[word], strings.TrimSpace(phones))
		}
	}
	if err := s.Err(); err != nil {
		return nil, fmt.Errorf("read the dictionary: %w", err)
	}
	return known, nil
}

// waysOf are the ways to say one word.
func waysOf(w string, known Pronounced) []string {
	if ways := known[w]; len(ways) > 0 {
		return ways
	}
	if isPlain(w) {
		for _, part := range cuts(w) {
			if a, b := known[part[0]], known[part[1]]; len(a) > 0 && len(b) > 0 {
				return []string{a[0] + " " + b[0]}
			}
		}
		ways := []string{}
		if spelled := spell(w); len(w) <= 3 || !startsLikeAWord(w) {
			ways = append(ways, spelled)
		}
		if startsLikeAWord(w) {
			ways = append(ways, byRules(w))
		}
		return slices.DeleteFunc(ways, func(p string) bool { return p == "" })
	}
	// Letters, digits and the rest stand side by side: dew2.
	var out []string
	for rest := w; rest != ""; {
		first := rune(rest[0])
		same := strings.IndexFunc(rest, func(r rune) bool { return kindOf(r) != kindOf(first) })
		if same < 0 {
			same = len(rest)
		}
		part := rest[:same]
		rest = rest[same:]
		switch kindOf(first) {
		case 'a':
			if ways := waysOf(part, known); len(ways) > 0 {
				out = append(out, ways[0])
			}
		case '0':
			out = append(out, spokenNumber(part))
		}
	}
	if len(out) == 0 {
		return nil
	}
	return []string{strings.Join(out, " ")}
}

func kindOf(r rune) rune {
	switch {
	case r >= 'a' && r <= 'z':
		return 'a'
	case r >= '0' && r <= '9':
		return '0'
	}
	return '-'
}

// Phones of digits, of ten to nineteen, and of tens.
var (
	digitPhones = []string{"Z IH R OW", "W AH N", "T UW", "TH R IY", "F AO R", "F AY V", "S IH K S", "S EH V AH N",
		"EY T",
		"N AY N"}
	teenPhones = []string{"T EH N", "IH L EH V AH N", "T W EH L V", "TH ER T IY N", "F AO R T IY N", "F IH F T IY N",
		"S IH K S T IY N", "S EH V AH N T IY N", "EY T IY N", "N AY N T IY N"}
	tenPhones = []string{"", "", "T W EH N T IY", "TH ER D IY", "F AO R T IY", "F IH F T IY", "S IH K S T IY",
		"S EH V AH N T IY", "EY T IY", "N AY N T IY"}
)

// spokenNumber is a number of up to two digits as one, and a longer one digit by digit.
func spokenNumber(digits string) string {
	if len(digits) == 2 && digits[0] != '0' {
		tens, ones := digits[0]-'0', digits[1]-'0'
		switch {
		case tens == 1:
			return teenPhones[ones]
		case ones == 0:
			return tenPhones[tens]
		}
		return tenPhones[tens] + " " + digitPhones[ones]
	}
	var out []string
	for _, d := range digits {
		out = append(out, digitPhones[d-'0'])
	}
	return strings.Join(out, " ")
}

// letterPhones are the names of letters.
var letterPhones = map[rune]string{'a': "EY", 'b': "B IY", 'c': "S IY", 'd': "D IY", 'e': "IY", 'f': "EH F",
	'g': "JH IY", 'h': "EY CH", 'i': "AY", 'j': "JH EY", 'k': "K EY", 'l': "EH L", 'm': "EH M", 'n': "EH N", 'o': "OW",
	'p': "P IY", 'q': "K Y UW", 'r': "AA R", 's': "EH S", 't': "T IY", 'u': "Y UW", 'v': "V IY",
	'w': "D AH B AH L Y UW", 'x': "EH K S", 'y': "W AY", 'z': "Z IY"}

// spell says a word letter by letter.
func spell(w string) string {
	var out []string
	for _, r := range w {
		out = append(out, letterPhones[r])
	}
	return strings.Join(out, " ")
}

// onsets are the consonants that a word may begin with, of two and more.
var onsets = []string{"bl", "br", "ch", "chr", "cl", "cr", "dr", "dw", "fl", "fr", "gh", "gl", "gn", "gr", "kh", "kl",
	"kn", "kr", "ph", "pl", "pr", "ps", "qu", "rh", "sc", "sch", "scr", "sh", "shr", "sk", "sl", "sm", "sn", "sp",
	"spl",
	"spr", "squ", "st", "str", "sv", "sw", "th", "thr", "tr", "ts", "tw", "vl", "wh", "wr", "zw"}

// startsLikeAWord says whether a word has a vowel and begins as words do; the others are said letter by letter.
func startsLikeAWord(w string) bool {
	vowel := strings.IndexAny(w, "aeiouy")
	if vowel < 0 {
		return false
	}
	if vowel == 1 && w[0] == 'q' {
		return false
	}
	return vowel < 2 || slices.Contains(onsets, w[:vowel]) || slices.Contains(onsets, w[:vowel+1])
}

// spelling is a rule of English spelling: some letters and what is said for them. The first that fits is taken.
type spelling struct {
	letters, phones string
	first, last     bool // only at the beginning or end of a word
}

var spellings = []spelling{
	{letters: "kn", phones: "N", first: true}, {letters: "wr", phones: "R", first: true},
	{letters: "gn", phones: "N", first: true}, {letters: "ps", phones: "S", first: true},
	{letters: "wh", phones: "W", first: true}, {letters: "x", phones: "Z", first: true},
	{letters: "y", phones: "Y", first: true},
	{letters: "ing", phones: "IH NG", last: true}, {letters: "les", phones: "AH L Z", last: true},
	{letters: "le", phones: "AH L", last: true}, {letters: "er", phones: "ER", last: true},
	{letters: "or", phones: "ER", last: true}, {letters: "ey", phones: "IY", last: true},
	{letters: "y", phones: "IY", last: true}, {letters: "o", phones: "OW", last: true},
	{letters: "a", phones: "AH", last: true}, {letters: "ie", phones: "IY", last: true},
	{letters: "tion", phones: "SH AH N"}, {letters: "sion", phones: "ZH AH N"}, {letters: "ture", phones: "CH ER"},
	{letters: "ough", phones: "AO"}, {letters: "augh", phones: "AO"}, {letters: "eigh", phones: "EY"},
	{letters: "igh", phones: "AY"}, {letters: "tch", phones: "CH"}, {letters: "sch", phones: "SH"},
	{letters: "ear", phones: "IH R"}, {letters: "oor", phones: "AO R"}, {letters: "our", phones: "AO R"},
	{letters: "air", phones: "EH R"}, {letters: "are", phones: "EH R", last: true},
	{letters: "ch", phones: "CH"}, {letters: "sh", phones: "SH"}, {letters: "th", phones: "TH"},
	{letters: "ph", phones: "F"}, {letters: "ck", phones: "K"}, {letters: "qu", phones: "K W"},
	{letters: "ng", phones: "NG"}, {letters: "gh", phones: ""}, {letters: "dge", phones: "JH"},
	{letters: "ee", phones: "IY"}, {letters: "ea", phones: "IY"}, {letters: "oo", phones: "UW"},
	{letters: "ou", phones: "AW"}, {letters: "ow", phones: "OW"}, {letters: "oa", phones: "OW"},
	{letters: "ai", phones: "EY"}, {letters: "ay", phones: "EY"}, {letters: "oi", phones: "OY"},
	{letters: "oy", phones: "OY"}, {letters: "au", phones: "AO"}, {letters: "aw", phones: "AO"},
	{letters: "ei", phones: "EY"}, {letters: "ie", phones: "IY"}, {letters: "ue", phones: "UW"},
	{letters: "ew", phones: "UW"}, {letters: "ar", phones: "AA R"}, {letters: "or", phones: "AO R"},
	{letters: "er", phones: "ER"}, {letters: "ir", phones: "ER"}, {letters: "ur", phones: "ER"},
	{letters: "ce", phones: "S EH"}, {letters: "ci", phones: "S IH"}, {letters: "cy", phones: "S IY"},
	{letters: "ge", phones: "JH EH"}, {letters: "gi", phones: "JH IH"},
	{letters: "b", phones: "B"}, {letters: "c", phones: "K"}, {letters: "d", phones: "D"}, {letters: "f", phones: "F"},
	{letters: "g", phones: "G"}, {letters: "h", phones: "HH"}, {letters: "j", phones: "JH"}, {letters: "k",
		phones: "K"},
	{letters: "l", phones: "L"}, {letters: "m", phones: "M"}, {letters: "n", phones: "N"}, {letters: "p", phones: "P"},
	{letters: "q", phones: "K"}, {letters: "r", phones: "R"}, {letters: "s", phones: "S"}, {letters: "t", phones: "T"},
	{letters: "v", phones: "V"}, {letters: "w", phones: "W"}, {letters: "x", phones: "K S"}, {letters: "z",
		phones: "Z"},
	{letters: "a", phones: "AE"}, {letters: "e", phones: "EH"}, {letters: "i", phones: "IH"}, {letters: "o",
		phones: "AA"},
	{letters: "u", phones: "AH"}, {letters: "y", phones: "IH"},
}

// long is how a vowel is said before one consonant and a silent e.
var long = map[byte]string{'a': "EY", 'e': "IY", 'i': "AY", 'o': "OW", 'u': "UW"}

// byRules says a word by the rules of spelling.
func byRules(w string) string {
	const vowels = "aeiouy"
	var out []string
	for at := 0; at < len(w); {
		if len(out) > 0 && at > 0 && w[at] == w[at-1] && !strings.ContainsRune(vowels, rune(w[at])) {
			at++ // a double consonant is said once
			continue
		}
		if at == len(w)-1 && w[at] == 'e' && len(out) > 1 {
			break // silent
		}
		if l, is := long[w[at]]; is && at+3 == len(w) && w[at+2] == 'e' && !strings.ContainsRune(vowels,
			rune(w[at+1])) && (at == 0 || !strings.ContainsRune(vowels, rune(w[at-1]))) {
			out = append(out, l)
			at++
			continue
		}
		for _, s := range spellings {
			if !strings.HasPrefix(w[at:], s.letters) || s.first && at > 0 || s.last && (at+len(s.letters) < len(w) ||
				at == 0) {
				continue
			}
			if s.phones != "" {
				out = append(out, s.phones)
			}
			at += len(s.letters)
			break
		}
	}
	return strings.Join(out, " ")
}

// Dictionary is the dictionary of some words, sorted, as recognisers read it.
func (p Pronounced) Dictionary() string {
	words := make([]string, 0, len(p))
	for w := range p {
		words = append(words, w)
	}
	slices.Sort(words)
	var b strings.Builder
	for _, w := range words {
		for i, way := range p[w] {
			if i == 0 {
				fmt.Fprintf(&b, "%s %s\n", w, way)
			} else {
				fmt.Fprintf(&b, "%s(%d) %s\n", w, i+1, way)
			}
		}
	}
	return b.String()
}
