package recording

import (
	"bytes"
	"cmp"
	"encoding/binary"
	"encoding/json"
	"errors"
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"unicode/utf16"
	"unicode/utf8"

	"urbo/core/signal"
)

// maxPasted is the longest text that is looked at as a whole, in bytes: what is longer has to be plain lists of
// numbers.
const maxPasted = 1 << 20

// Why a pasted text is not read.
var (
	errNoList = errors.New("no list of durations is found in it")
	errUnsure = errors.New("it can be read in two ways")
	errNoUnit = errors.New("its numbers are too small to be µs: say what 1 is on a line of its own, as in: unit 50 us")
)

// train is one train of a pasted text, in µs.
type train struct {
	us   []float64
	line int    // on which it began, 0 where that is not known
	name string // of a key, that stood before it; "" where none did
}

// reading is one way to read a text. The one with the most for it is taken; equals that differ are refused.
type reading struct {
	about  string
	score  int
	trains []train
}

// What speaks for a reading.
const (
	exactCount = 12 // carrier-period words that say how many they are
	structured = 11 // JSON, or a table with an index
	worded     = 10 // each duration says what it is
	listed4    = 4  // a run of numbers
)

// readPasted reads the trains of a text as people paste it: with words, units, indexes, comments, or what a program
// wrote around them.
func readPasted(raw []byte) (reading, error) {
	text := tidy(decoded(raw))
	text, unit := saidUnit(text)
	var all []reading
	for _, read := range []func(string, float64) (reading, bool){readPeriods, readWords, readJSON, readTable,
		readLists} {
		if r, is := read(text, unit); is {
			all = append(all, r)
		}
	}
	if len(all) == 0 {
		if unit == 0 && tooSmall(text) {
			return reading{}, errNoUnit
		}
		return reading{}, errNoList
	}
	slices.SortStableFunc(all, func(a, b reading) int { return b.score - a.score })
	if all[0].score < 0 {
		return reading{}, fmt.Errorf("%w: its lines may be one press together, or each a press of its own: put each "+
			"press "+
			"on one line", errUnsure)
	}
	if len(all) > 1 && all[0].score == all[1].score && !alike(all[0], all[1]) {
		return reading{}, fmt.Errorf("%w, as %s and as %s: paste the durations alone", errUnsure, all[0].about,
			all[1].about)
	}
	return all[0], nil
}

func alike(a, b reading) bool {
	return slices.EqualFunc(a.trains, b.trains, func(x, y train) bool { return slices.Equal(whole(x.us), whole(y.us)) })
}

// whole are durations in whole µs.
func whole(us []float64) []int {
	out := make([]int, len(us))
	for i, d := range us {
		out[i] = int(d + 0.5)
	}
	return out
}

// decoded is a text whatever its characters are written as.
func decoded(b []byte) string {
	wide := func(order binary.ByteOrder, b []byte) string {
		units := make([]uint16, len(b)/2)
		for i := range units {
			units[i] = order.Uint16(b[2*i:])
		}
		return string(utf16.Decode(units))
	}
	zeros := func(from int) (n int) {
		for i := from; i < min(len(b), headSize); i += 2 {
			if b[i] == 0 {
				n++
			}
		}
		return n
	}
	many := min(len(b), headSize) / 5 // of the half of them
	switch {
	case bytes.HasPrefix(b, []byte{0xFF, 0xFE}):
		return wide(binary.LittleEndian, b[2:])
	case bytes.HasPrefix(b, []byte{0xFE, 0xFF}):
		return wide(binary.BigEndian, b[2:])
	case len(b) > 8 && zeros(1) > many:
		return wide(binary.LittleEndian, b)
	case len(b) > 8 && zeros(0) > many:
		return wide(binary.BigEndian, b)
	case utf8.Valid(b):
		return strings.TrimPrefix(string(b), "\ufeff")
	}
	runes := make([]rune, len(b)) // Latin-1
	for i, c := range b {
		runes[i] = rune(c)
	}
	return string(runes)
}

var tidied = strings.NewReplacer("\r\n", "\n", "\r", "\n", "\u03bc", "µ", "\u00a0", " ", "\u2212", "-", "\u2013", "-",
	"\u2014", "-", "&nbsp;", " ")

// counted are numbers of lines before what they are about.
var counted = regexp.MustCompile(`^\s*(\d+)\s*[:.)]\s+([+-]?\d.*)$`)

// tidy unifies signs and blanks, and takes away numbers that count the lines.
func tidy(text string) string {
	text = tidied.Replace(text)
	lines := strings.Split(text, "\n")
	next, numbered, filled := -1, 0, 0
	for _, l := range lines {
		if strings.TrimSpace(l) == "" {
			continue
		}
		filled++
		if m := counted.FindStringSubmatch(l); m != nil {
			n, err := strconv.Atoi(m[1])
			if err != nil || next >= 0 && n != next {
				return text
			}
			next, numbered = n+1, numbered+1
		}
	}
	if numbered < 4 || 5*numbered < 4*filled {
		return text
	}
	for i, l := range lines {
		if m := counted.FindStringSubmatch(l); m != nil {
			lines[i] = m[2]
		}
	}
	return strings.Join(lines, "\n")
}

// period is the length of a carrier's period in µs, by the word for it.
const period = 0.241246

// readPeriods reads words of four hexadecimal digits: a head that says the carrier and how many pairs follow, once and
// again, each as periods of the carrier.
func readPeriods(text string, _ float64) (reading, bool) {
	fields := strings.Fields(text)
	words := make([]int, len(fields))
	for i, f := range fields {
		n, err := strconv.ParseUint(f, 16, 16)
		if err != nil || len(f) != 4 {
			return reading{}, false
		}
		words[i] = int(n)
	}
	if len(words) < 8 || words[0] != 0 && words[0] != 0x100 || words[1] == 0 || len(words)-4 != 2*(words[2]+words[3]) {
		return reading{}, false
	}
	pairs := words[4 : 4+2*words[2]]
	if len(pairs) == 0 {
		pairs = words[4:]
	}
	us := make([]float64, len(pairs))
	for i, n := range pairs {
		us[i] = float64(n) * float64(words[1]) * period
	}
	return reading{"periods of a carrier", exactCount, []train{{us: us}}}, true
}

// Words for marks, spaces and the end of a press, and units in µs.
var (
	markWords  = []string{"mark", "pulse", "on", "high", "hi", "h", "burst", "flash"}
	spaceWords = []string{"space", "gap", "off", "low", "lo", "l", "pause", "silence"}
	endWords   = []string{"timeout", "end"}
	units      = map[string]float64{"us": 1, "µs": 1, "usec": 1, "usecs": 1, "microsecond": 1, "microseconds": 1,
		"ms":   1e3,
		"msec": 1e3, "milliseconds": 1e3, "ns": 1e-3, "s": 1e6, "sec": 1e6, "seconds": 1e6}
	wordsAndNumbers = regexp.MustCompile(`[A-Za-zµ_]+|[+-]?\d+(?:\.\d+)?`)
)

// unitWords say how long 1 is.
var unitWords = regexp.MustCompile(`(?i)\b(?:unit|ticks?|resolution|time ?base|step)\b[^\d\n]{0,20}(\d+(?:\.\d+)?)\s*` +
	`(us|µs|ms|ns)\b`)

// saidUnit finds how long 1 is in µs, where a text says it, and takes it out; 0 where it does not.
func saidUnit(text string) (rest string, us float64) {
	m := unitWords.FindStringSubmatchIndex(text)
	if m == nil {
		return text, 0
	}
	us, err := strconv.ParseFloat(text[m[2]:m[3]], 64)
	if err != nil || us == 0 {
		return text, 0
	}
	return text[:m[0]] + text[m[1]:], us * units[strings.ToLower(text[m[4]:m[5]])]
}

// tooSmall says whether a text has a list of numbers that would be durations if 1 were longer.
func tooSmall(text string) bool {
	for line := range strings.Lines(text) {
		for _, run := range runsOf(masked.ReplaceAllString(line, "")) {
			values := make([]float64, len(run.numbers))
			for i, n := range run.numbers {
				values[i] = n.value
			}
			if len(values) >= fewestSmall && median(values) < smallest && slices.Max(values) <= signal.MaxDuration {
				return true
			}
		}
	}
	return false
}

// readWords reads durations of which each says what it is: mark 560 space 1690.
func readWords(text string, unit float64) (reading, bool) {
	type level struct {
		mark bool
		us   float64
	}
	var presses [][]level
	var now []level
	said, other := 0, 0
	kind := "" // of the word before
	for _, w := range wordsAndNumbers.FindAllString(text, -1) {
		lower := strings.ToLower(w)
		switch {
		case slices.Contains(markWords, lower), slices.Contains(spaceWords, lower):
			kind = "space"
			if slices.Contains(markWords, lower) {
				kind = "mark"
			}
		case slices.Contains(endWords, lower):
			kind = "end"
		case w[0] <= '9':
			n, err := strconv.ParseFloat(w, 64)
			switch {
			case err != nil || kind == "":
				other++
			case kind == "end":
				presses, now = append(presses, now), nil
			default:
				now = append(now, level{kind == "mark", n * cmp.Or(unit, 1)})
				said++
			}
			kind = ""
		case unit == 0 && units[lower] > 0 && len(now) > 0:
			now[len(now)-1].us *= units[lower]
		default:
			other++
		}
	}
	if said < 6 || 5*other > said+20 {
		return reading{}, false
	}
	out := reading{about: "marks and spaces", score: worded}
	for _, p := range append(presses, now) {
		var us []float64
		mark := false
		for _, l := range p {
			switch {
			case len(us) == 0 && !l.mark:
			case len(us) > 0 && mark == l.mark: // the same again: it goes on
				us[len(us)-1] += l.us
			default:
				us = append(us, l.us)
			}
			mark = l.mark
		}
		if len(us) > 2 {
			out.trains = append(out.trains, train{us: us})
		}
	}
	return out, len(out.trains) > 0
}

// readJSON reads the lists of numbers in JSON, at any depth, the pairs of tables, and what objects call a duration.
func readJSON(text string, unit float64) (reading, bool) {
	var v any
	if json.Unmarshal([]byte(text), &v) != nil {
		return reading{}, false
	}
	out := reading{about: "JSON", score: structured}
	var walk func(v any, depth int, name string)
	walk = func(v any, depth int, name string) {
		if depth > 40 {
			return
		}
		switch v := v.(type) {
		case map[string]any:
			keys := make([]string, 0, len(v))
			for k := range v {
				keys = append(keys, k)
			}
			slices.Sort(keys)
			if own := nameOf(v); own != "" {
				name = own
			}
			for _, k := range keys {
				inner := name
				if own := nameIn(k); own != "" && nameOf(v) == "" {
					inner = own
				}
				walk(v[k], depth+1, inner)
			}
		case []any:
			if flat, is := flatNumbers(v); is {
				if d, _, is := durations(flat, unit); is {
					out.trains = append(out.trains, train{us: d, name: name})
				}
				return
			}
			for _, one := range v {
				walk(one, depth+1, name)
			}
		}
	}
	walk(v, 0, "")
	return out, len(out.trains) > 0
}

// flatNumbers are the numbers of a list: of six and more, or of three and more pairs.
func flatNumbers(v []any) (out []number, is bool) {
	add := func(x float64) {
		out = append(out, number{negative: x < 0, value: max(x, -x), fraction: x != float64(int64(x))})
	}
	for _, one := range v {
		switch one := one.(type) {
		case float64:
			add(one)
		case []any:
			if len(one) != 2 {
				return nil, false
			}
			for _, part := range one {
				x, is := part.(float64)
				if !is {
					return nil, false
				}
				add(x)
			}
		default:
			return nil, false
		}
	}
	return out, len(out) >= 6
}

// readTable reads rows of an index that counts, a mark and a space.
func readTable(text string, unit float64) (reading, bool) {
	var all []number
	index := -1
	rows := 0
	for line := range strings.Lines(text) {
		cells := strings.FieldsFunc(line, func(r rune) bool { return strings.ContainsRune(" \t\n,;|", r) })
		if len(cells) == 0 {
			continue
		}
		var row []float64
		for _, c := range cells {
			x, err := strconv.ParseFloat(c, 64)
			if err != nil {
				break
			}
			row = append(row, x)
		}
		switch {
		case len(row) != len(cells) && rows == 0:
			continue // the head
		case len(row) != len(cells) || len(row) != 3 && len(row) != 2:
			return reading{}, false
		case rows == 0 && row[0] != 0 && row[0] != 1 || rows > 0 && row[0] != float64(index+1):
			return reading{}, false
		}
		index, rows = int(row[0]), rows+1
		for _, x := range row[1:] {
			all = append(all, number{value: max(x, -x)})
		}
	}
	d, _, is := durations(all, unit)
	if rows < 4 || !is {
		return reading{}, false
	}
	return reading{"a table", structured, []train{{us: d}}}, true
}

// press is a train as the presses of a recording have it.
func (t train) press() (Press, error) {
	flat := whole(t.us)
	if len(flat) > signal.MaxDurations {
		return Press{}, fmt.Errorf("%d durations, the most is %d: paste one press", len(flat), signal.MaxDurations)
	}
	for _, d := range flat {
		if d < 1 || d > signal.MaxDuration {
			return Press{}, fmt.Errorf("a duration of %d µs: 1 to %d can be read", d, signal.MaxDuration)
		}
	}
	return Press{Trains: signal.Split(flat, signal.UnknownGap), Line: t.line, Name: t.name}, nil
}
