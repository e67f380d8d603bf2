package recording

import (
	"bytes"
	"math"
	"regexp"
	"slices"
	"strconv"
	"strings"
)

// table is how the rows of a file are to be read.
type table struct {
	comma   byte // between columns
	decimal byte
	columns int
	names   []string // of the columns
	first   int      // line of the first row, from 1
	time    int      // column of the time; -1 where rows are samples
	scale   float64  // µs of 1 in it
	step    float64  // µs from row to row, where rows are samples
	lasting int      // column of how long the level of a row lasts; -1 where it has none
}

const (
	mostHead   = 60   // rows before the first one of numbers
	mostRows   = 4000 // that are looked at
	fewestRows = 3
)

// tableOf finds out how the rows of a table are made, from its beginning. It is false for what is no table of levels
// over time. With whole, text holds all of the file.
func tableOf(text []byte) (table, bool) {
	text = bytes.TrimPrefix(text, []byte("\ufeff"))
	lines := bytes.Split(text, []byte("\n"))
	if len(lines) > 1 {
		lines = lines[:len(lines)-1] // it may be cut off
	}
	lines = lines[:min(len(lines), mostRows)]
	best, found := table{}, 0.0
	for _, kind := range []struct{ comma, decimal byte }{{';', '.'}, {';', ','}, {'\t', '.'}, {'\t', ','}, {',', '.'},
		{'|', '.'}, {' ', '.'}} {
		t := table{comma: kind.comma, decimal: kind.decimal, time: -1, lasting: -1}
		if share := t.fits(lines); share > found+0.01 {
			best, found = t, share
		}
	}
	if found < 0.9 {
		return best, false
	}
	return best, best.explain(lines)
}

// fits counts columns and says which share of the later rows are numbers in all of them.
func (t *table) fits(lines [][]byte) float64 {
	counts := map[int]int{}
	later := lines[min(len(lines)/5, mostHead):]
	for _, l := range later {
		if isRow(l) {
			counts[bytes.Count(l, []byte{t.comma})+1]++
		}
	}
	rows := 0
	for n, c := range counts {
		if c > rows || c == rows && n > t.columns {
			t.columns, rows = n, c
		}
	}
	if t.columns < 2 || t.columns > maxColumns || rows < fewestRows {
		return 0
	}
	good, all := 0, 0
	for _, l := range later {
		if !isRow(l) {
			continue
		}
		all++
		if t.numbers(l) {
			good++
		}
	}
	return float64(good) / float64(all)
}

func isRow(line []byte) bool {
	line = bytes.TrimSpace(line)
	return len(line) > 0 && line[0] != '#' && line[0] != '%'
}

// numbers says whether a row has a number in each of its columns.
func (t *table) numbers(line []byte) bool {
	cells := bytes.Split(bytes.TrimRight(line, "\r"), []byte{t.comma})
	if len(cells) != t.columns {
		return false
	}
	return !slices.ContainsFunc(cells, func(c []byte) bool { _, ok := t.number(c); return !ok })
}

// number reads a cell.
func (t *table) number(cell []byte) (float64, bool) {
	if v, ok := quickNumber(cell, t.decimal); ok {
		return v, true
	}
	text := strings.Trim(strings.TrimSpace(string(cell)), `"`)
	switch strings.ToLower(text) {
	case "high", "true", "on", "h":
		return 1, true
	case "low", "false", "off", "l":
		return 0, true
	}
	if t.decimal != '.' {
		text = strings.Replace(text, string(t.decimal), ".", 1)
	}
	v, err := strconv.ParseFloat(text, 64)
	return v, err == nil && !math.IsInf(v, 0) && !math.IsNaN(v)
}

// tens are powers of ten.
var tens = [...]float64{1, 1e1, 1e2, 1e3, 1e4, 1e5, 1e6, 1e7, 1e8, 1e9, 1e10, 1e11, 1e12, 1e13, 1e14, 1e15}

// quickNumber reads a plain decimal number of up to 15 digits.
func quickNumber(b []byte, decimal byte) (float64, bool) {
	for len(b) > 0 && b[0] == ' ' {
		b = b[1:]
	}
	negative := len(b) > 0 && b[0] == '-'
	if negative {
		b = b[1:]
	}
	n, digits, after := int64(0), 0, -1
	for i, c := range b {
		switch {
		case c >= '0' && c <= '9':
			n = 10*n + int64(c-'0')
			digits++
		case c == decimal && after < 0:
			after = i
		default:
			return 0, false
		}
	}
	if digits == 0 || digits > 15 {
		return 0, false
	}
	v := float64(n)
	if after >= 0 {
		v /= tens[len(b)-1-after]
	}
	if negative {
		v = -v
	}
	return v, true
}

// explain finds what the columns are: by the rows before the first one of numbers, by comments, and by the numbers.
func (t *table) explain(lines [][]byte) bool {
	t.first = 0
	var head, comments []string
	for i, l := range lines {
		if !isRow(l) {
			comments = append(comments, string(l))
			continue
		}
		if t.numbers(l) {
			t.first = i + 1
			break
		}
		if head = append(head, strings.TrimSpace(string(l))); len(head) > mostHead {
			return false
		}
	}
	if t.first == 0 {
		return false
	}
	for _, h := range slices.Backward(head) {
		cells := strings.Split(strings.TrimRight(h, "\r"), string(t.comma))
		if len(cells) == t.columns && strings.ContainsFunc(h, isLetter) {
			for _, c := range cells {
				t.names = append(t.names, strings.Trim(strings.TrimSpace(c), `"`))
			}
			break
		}
	}
	rate := rateOf(strings.Join(append(comments, head...), "\n"))
	column := t.sample(lines[t.first-1:])
	return t.findTime(column, rate) || t.findLasting(column)
}

func isLetter(c rune) bool { return c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z' }

// sample is the numbers of the first rows, by column.
func (t *table) sample(lines [][]byte) [][]float64 {
	out := make([][]float64, t.columns)
	for _, l := range lines {
		if !isRow(l) || !t.numbers(l) {
			continue
		}
		for i, c := range bytes.Split(bytes.TrimRight(l, "\r"), []byte{t.comma}) {
			v, _ := t.number(c)
			out[i] = append(out[i], v)
		}
	}
	return out
}

func (t *table) name(column int) string {
	if t.names == nil {
		return ""
	}
	return strings.ToLower(t.names[column])
}

var (
	timeName  = regexp.MustCompile(`time|second|^t$|^x$`)
	indexName = regexp.MustCompile(`sample|index|^no\.?$|^n$|^#$`)
	rateWords = regexp.MustCompile(`(?i)sampl(?:e|ing)[\s_-]*(?:rate|frequency)\W{0,4}(?:\(?hz\)?\W*)?([\d.]+(?:e[+-]?\d+)?)` +
		`\s*([kMG]?)(?:Hz|S/s|sps)?`)
	stepWords = regexp.MustCompile(`(?i)(?:interval|period|increment|xincr|\bdt)\W{0,4}([\d.]+(?:e[+-]?\d+)?)\s*` +
		`(ns|us|µs|ms|s)?\b`)
)

// rateOf finds samples a second, or the time between two, in what stands before the numbers; 0 where it says neither.
func rateOf(text string) float64 {
	if m := rateWords.FindStringSubmatch(text); m != nil {
		v, err := strconv.ParseFloat(m[1], 64)
		if err == nil && v > 0 {
			return v * map[string]float64{"": 1, "k": 1e3, "K": 1e3, "M": 1e6, "m": 1e6, "G": 1e9, "g": 1e9}[m[2]]
		}
	}
	if m := stepWords.FindStringSubmatch(text); m != nil {
		v, err := strconv.ParseFloat(m[1], 64)
		if err == nil && v > 0 {
			return 1 / (v * map[string]float64{"": 1, "s": 1, "ms": 1e-3, "us": 1e-6, "µs": 1e-6, "ns": 1e-9}[m[2]])
		}
	}
	return 0
}

// findTime finds the column of the time, or says that rows are samples at a rate.
func (t *table) findTime(column [][]float64, rate float64) bool {
	for i, values := range column {
		if !rises(values) {
			continue
		}
		named := timeName.MatchString(t.name(i))
		unit := timeUnit(t.name(i))
		switch {
		case indexName.MatchString(t.name(i)) && unit == 0:
			if rate == 0 {
				return false
			}
			t.time, t.scale = i, 1e6/rate
			return true
		case i > 0 && !named:
			continue
		case unit > 0:
			t.time, t.scale = i, unit
			return true
		case named || i == 0 && !allWhole(values):
			t.time, t.scale = i, 1e6
			return true
		}
	}
	if rate > 0 {
		t.step = 1e6 / rate
		return true
	}
	return false
}

// rises says whether numbers never fall and are mostly different.
func rises(values []float64) bool {
	different := 0
	for i := 1; i < len(values); i++ {
		if values[i] < values[i-1] {
			return false
		}
		if values[i] > values[i-1] {
			different++
		}
	}
	return 2*different >= len(values)-1 && different > 0
}

func allWhole(values []float64) bool {
	return !slices.ContainsFunc(values, func(v float64) bool { return v != math.Trunc(v) })
}

// takeTurns says whether numbers are two levels: any two that alternate, or 0 and 1 that mostly do.
func takeTurns(values []float64) bool {
	if len(values) < 2*fewestRows {
		return false
	}
	again, binary := 0, true
	for i, v := range values {
		binary = binary && (v == 0 || v == 1)
		switch {
		case i > 0 && v == values[i-1]:
			again++
		case i > 1 && v != values[i-2] && again == 0:
			return false
		}
	}
	return again == 0 || binary && 2*again < len(values)
}

// findLasting finds levels that take turns, and a column of how long each lasts.
func (t *table) findLasting(column [][]float64) bool {
	level := slices.IndexFunc(column, takeTurns)
	if level < 0 || t.columns != 2 || t.comma == ' ' && slices.Max(column[level]) != 1 {
		return false
	}
	t.lasting = 1 - level
	values := slices.Sorted(slices.Values(column[t.lasting]))
	if values[0] <= 0 {
		return false
	}
	switch middle := values[len(values)/2]; {
	case timeUnit(t.name(t.lasting)) > 0:
		t.scale = timeUnit(t.name(t.lasting))
	case middle > 20:
		t.scale = 1
	case middle < 0.02:
		t.scale = 1e6
	default:
		t.scale = 1e3
	}
	return true
}

// timeUnit reads the unit of a time out of the name of a column, in µs; 0 where it has none.
func timeUnit(name string) float64 {
	words := strings.FieldsFunc(strings.ToLower(name), func(c rune) bool {
		return strings.ContainsRune(" _[](){}/.-", c)
	})
	for _, u := range []struct {
		names []string
		us    float64
	}{{[]string{"ns", "nanoseconds"}, 1e-3}, {[]string{"us", "µs", "μs", "microseconds"}, 1},
		{[]string{"ms", "milliseconds"}, 1e3}, {[]string{"s", "sec", "seconds"}, 1e6}} {
		for _, w := range words {
			if slices.Contains(u.names, w) {
				return u.us
			}
		}
	}
	return 0
}
