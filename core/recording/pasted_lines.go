package recording

import (
	"regexp"
	"slices"
	"strconv"
	"strings"
)

// number is one number of a text.
type number struct {
	negative bool // it has a minus
	value    float64
	unit     string
	fraction bool
}

var (
	numbers = regexp.MustCompile(`(?i)([+-]?)\s?(0x[0-9a-f]+|\d+(?:\.\d+)?(?:e[+-]?\d+)?)(?:\s?(us|µs|usecs?|ms|msec|ns|s|sec)\b)?`)
	apart   = regexp.MustCompile(`^[\s,;/|(){}\[\]<>]*$`)
	names   = regexp.MustCompile(`[A-Za-z_]\w*`)
	// what stands in a line and is no duration: comments, times, words in brackets, sizes of arrays, frequencies
	masked = regexp.MustCompile(`(?i)//.*$|/\*.*?\*/|\d{4}-\d\d-\d\d[T ]?|\b\d{1,2}:\d\d:\d\d(?:[.,]\d+)?Z?|` +
		`\b\d\d\.\d\d\.\d{4}\b|\[[^\[\]\d]*[a-z][^\[\]]*\]|\b1[4-9]\d{8}(?:\.\d+)?\b|\b\d+(?:\.\d+)?\s*[kM]?Hz\b`)
	sized = regexp.MustCompile(`\b([A-Za-z_]\w*)\[\d*\]`)
)

// isWord says whether a byte is a part of a name, or of a number.
func isWord(c byte) bool {
	return c == '_' || c >= '0' && c <= '9' || c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z'
}

// stretch is numbers that stand side by side in a line, and the text behind them.
type stretch struct {
	from    int // the byte of the line where they begin
	after   string
	numbers []number
}

// runsOf are the runs of numbers in a line.
func runsOf(line string) (out []stretch) {
	end := 0
	var now *stretch
	for _, m := range numbers.FindAllStringSubmatchIndex(line, -1) {
		digits := m[4]
		if digits > 0 && (isWord(line[digits-1]) || line[digits-1] == '.') && m[2] == m[3] ||
			m[1] < len(line) && isWord(line[m[1]]) {
			continue // a part of a name
		}
		n := number{unit: strings.ToLower(group(line, m, 3)), negative: group(line, m, 1) == "-"}
		text := strings.ToLower(group(line, m, 2))
		if hex, is := strings.CutPrefix(text, "0x"); is {
			v, err := strconv.ParseUint(hex, 16, 32)
			if err != nil {
				continue
			}
			n.value = float64(v)
		} else {
			v, err := strconv.ParseFloat(text, 64)
			if err != nil {
				continue
			}
			n.value, n.fraction = v, strings.Contains(text, ".")
		}
		gap := line[end:m[0]]
		if now != nil && apart.MatchString(gap) {
			now.numbers = append(now.numbers, n)
		} else {
			out = append(out, stretch{from: m[0], numbers: []number{n}})
			now = &out[len(out)-1]
		}
		end = m[1]
		now.after = line[end:]
	}
	return out
}

func group(s string, m []int, i int) string {
	if m[2*i] < 0 {
		return ""
	}
	return s[m[2*i]:m[2*i+1]]
}

const (
	// smallest is the µs that the middle one of durations has at least: less are counts of a clock that nobody knows.
	smallest = 40
	// fewestSmall is how many small numbers are asked about.
	fewestSmall = 16
)

// durations makes durations in µs of numbers, mark first, and says what speaks for that. said is how long 1 is in µs, 0
// where nothing says so.
func durations(all []number, said float64) (us []float64, score int, is bool) {
	unit, some := "", false
	for _, n := range all {
		if n.unit != "" {
			if some && n.unit != unit {
				return nil, 0, false
			}
			unit, some = n.unit, true
		}
	}
	factor := 1.0
	values := make([]float64, len(all))
	for i, n := range all {
		values[i] = n.value
	}
	if said > 0 {
		factor, score, some = said, 2, true
	} else if some {
		factor, score = units[unit], 2
	} else if m := median(values); m < 20 && slices.ContainsFunc(all, func(n number) bool { return n.fraction }) {
		if factor = 1e3; m < 0.05 {
			factor = 1e6
		}
	}
	for i := range values {
		values[i] *= factor
	}
	negative := make([]bool, len(all))
	for i, n := range all {
		negative[i] = n.negative
	}
	if slices.Contains(negative, true) {
		score += 4
		for i := 1; i < len(values); { // equal signs side by side go on
			if negative[i] == negative[i-1] {
				values[i-1] += values[i]
				values, negative = slices.Delete(values, i, i+1), slices.Delete(negative, i, i+1)
				score--
				continue
			}
			i++
		}
		if negative[0] {
			values = values[1:]
		}
	}
	if len(values) > 0 && values[len(values)-1] == 0 {
		values = values[:len(values)-1]
	}
	if len(values) < 3 || slices.ContainsFunc(values, func(v float64) bool { return v <= 0 || v > 1e7 }) {
		return nil, 0, false
	}
	m := median(values)
	if !some && (m < smallest || m > 20_000) {
		return nil, 0, false
	}
	if m < smallest || m > 20_000 {
		score -= 4
	}
	if len(values) >= 11 {
		score += 2
	}
	return values, score, true
}

func median(x []float64) float64 {
	if len(x) == 0 {
		return 0
	}
	sorted := slices.Sorted(slices.Values(x))
	return sorted[len(sorted)/2]
}

// block is lines of numbers that belong together, as one press or as one each.
type block struct {
	lines [][]number
	first []int  // where each line stands
	glued []bool // of each line but the first: a comma or open bracket leads to it
	name  string // that stood before it
}

// readLists reads runs of numbers, line by line; words begin another press, and so do blank lines and prose.
func readLists(text string, unit float64) (reading, bool) {
	var blocks []block
	var now block
	closes := func() {
		if len(now.lines) > 0 {
			blocks = append(blocks, now)
		}
		now = block{}
	}
	depth, glue, name := 0, false, ""
	brackets := func(line string) int {
		n := 0
		for _, c := range line {
			switch c {
			case '[', '{', '(':
				n++
			case ']', '}', ')':
				n--
			}
		}
		return n
	}
	for i, raw := range strings.Split(text, "\n") {
		line := sized.ReplaceAllString(masked.ReplaceAllString(raw, ""), "$1")
		if strings.TrimSpace(raw) == "" {
			if depth == 0 && !glue {
				closes()
			}
			continue
		}
		if t := strings.TrimSpace(line); strings.HasPrefix(t, "#") {
			closes()
			name = nameIn(t)
			continue
		}
		var best stretch
		for _, r := range runsOf(line) {
			if len(r.numbers) > len(best.numbers) {
				best = r
			}
		}
		words := slices.DeleteFunc(names.FindAllString(line, -1), func(w string) bool {
			return len(w) < 2 || units[strings.ToLower(w)] > 0
		})
		switch {
		case len(best.numbers) == 0:
			if len(words) > 0 {
				closes()
				name = nameIn(line)
			}
			depth, glue = max(0, depth+brackets(line)), false
			continue
		case len(best.numbers) < 4 && len(words) > 0:
			closes()
			continue
		case names.MatchString(line[:best.from]):
			closes()
			if own := nameIn(line[:best.from]); own != "" {
				name = own
			}
		}
		if len(now.lines) == 0 {
			now.name, name = name, ""
		} else {
			now.glued = append(now.glued, glue || depth > 0)
		}
		now.lines, now.first = append(now.lines, best.numbers), append(now.first, i+1)
		depth = max(0, depth+brackets(line))
		glue = strings.HasPrefix(strings.TrimSpace(best.after), ",") || strings.HasSuffix(strings.TrimSpace(line), ",")
	}
	closes()
	out := reading{about: "lists of numbers", score: -1}
	for _, b := range blocks {
		lines, sure := b.presses(unit)
		if !sure {
			return reading{about: out.about, score: -1, trains: []train{{}}}, true
		}
		for _, l := range lines {
			if d, score, is := durations(l.numbers, unit); is && len(d) >= 5 {
				out.trains = append(out.trains, train{us: d, line: l.line})
				if len(lines) == 1 {
					out.trains[len(out.trains)-1].name = b.name
				}
				out.score = max(out.score, listed4+score)
			}
		}
	}
	return out, len(out.trains) > 0
}

// lined is numbers with the line on which they begin.
type lined struct {
	numbers []number
	line    int
}

// presses joins the lines of a block to one press, or takes each as one; sure is false where as much speaks for either.
func (b block) presses(unit float64) (out []lined, sure bool) {
	joined := lined{slices.Concat(b.lines...), b.first[0]}
	if len(b.lines) == 1 {
		return []lined{joined}, true
	}
	for i, l := range b.lines {
		out = append(out, lined{l, b.first[i]})
	}
	together, single := b.forJoining(joined.numbers), b.forParting(unit)
	switch {
	case together >= single+1:
		return []lined{joined}, true
	case single >= together+1:
		return out, true
	}
	return nil, false
}

// forJoining is what speaks for one press.
func (b block) forJoining(all []number) (score int) {
	counts, most := b.counts()
	if !slices.Contains(b.glued, false) {
		score += 6
	}
	if most <= 2 {
		score += 6
	}
	even := counts[0]%2 == 0 && len(counts) > 2 && counts[len(counts)-1] <= counts[0]
	for _, n := range counts[:len(counts)-1] {
		even = even && n == counts[0]
	}
	if even {
		score += 3
	}
	if signed(all) && alternate(all) {
		score += 3
	}
	return score
}

// forParting is what speaks for a press on each line.
func (b block) forParting(unit float64) (score int) {
	counts, _ := b.counts()
	least := slices.Min(counts)
	all := slices.Concat(b.lines...)
	if signed(all) && !alternate(all) {
		score += 3
	}
	odd, equal := true, true
	var firsts []float64
	for _, l := range b.lines {
		d, _, is := durations(l, unit)
		if !is {
			return score - 6
		}
		values := make([]float64, len(l))
		for i, n := range l {
			values[i] = n.value
		}
		odd = odd && (len(l)%2 == 1 || l[len(l)-1].value >= 4*median(values))
		equal = equal && len(l) == counts[0]
		firsts = append(firsts, d[0])
	}
	if odd && least >= 11 {
		score += 3
	} else {
		score -= 2
	}
	if equal && least >= 11 && counts[0]%2 == 1 {
		score += 2
	}
	if least >= 11 && slices.Max(firsts) < 1.25*slices.Min(firsts) {
		score++
	}
	return score
}

// counts are how many numbers each line has, and the most.
func (b block) counts() (all []int, most int) {
	for _, l := range b.lines {
		all, most = append(all, len(l)), max(most, len(l))
	}
	return all, most
}

func signed(all []number) bool {
	return slices.ContainsFunc(all, func(n number) bool { return n.negative })
}

func alternate(all []number) bool {
	for i := 1; i < len(all); i++ {
		if all[i].negative == all[i-1].negative {
			return false
		}
	}
	return true
}
