package phrase

import (
	_ "embed"
	"fmt"
	"strings"
)

// language is the patterns and words of one.
type language struct {
	patterns []pattern
	fillers  map[string]bool     // words that may stand anywhere, and mean nothing
	leads    [][]string          // what people begin with, longest first as written
	trails   [][]string          // what they end with
	controls map[string][]string // what a control is called as well, by its usual name
	kinds    map[string][]string // what a kind of devices is called as well
	compares map[string]compare  // louder
	amounts  map[string]int      // a bit
	parts    map[string]int      // half, in percent
	most     []string
	least    []string
	units    map[string]string
	joins    map[string]bool // and, then
	refuses  map[string]string
	known    map[string]bool // all words of the patterns
}

// compare is a word that means more or less of some controls.
type compare struct {
	controls []string // by their usual names; none is any
	less     bool
}

// english is the language of the house.
//
//go:embed english.txt
var englishText string

var english = mustRead(englishText)

func mustRead(text string) *language {
	l, err := readLanguage(text)
	if err != nil {
		panic("core/phrase: " + err.Error()) // the table is part of the program, and a test reads it
	}
	return l
}

// readLanguage reads a table: each line is a word for what it is about, a colon, and the rest.
func readLanguage(text string) (*language, error) {
	l := &language{fillers: map[string]bool{}, controls: map[string][]string{}, kinds: map[string][]string{},
		compares: map[string]compare{}, amounts: map[string]int{}, parts: map[string]int{}, units: map[string]string{},
		joins: map[string]bool{}, refuses: map[string]string{}, known: map[string]bool{}}
	parts := map[string][]node{}
	for n, row := range strings.Split(text, "\n") {
		row = strings.TrimSpace(row)
		if row == "" || strings.HasPrefix(row, "#") {
			continue
		}
		head, rest, is := strings.Cut(row, ":")
		if !is {
			return nil, fmt.Errorf("line %d: a colon is missing", n+1)
		}
		if err := l.row(head, strings.TrimSpace(rest), parts); err != nil {
			return nil, fmt.Errorf("line %d: %w", n+1, err)
		}
	}
	return l, nil
}

// row reads one line.
func (l *language) row(head, rest string, parts map[string][]node) error {
	about, name, _ := strings.Cut(head, " ")
	words := strings.Fields(rest)
	listed := func() (out []string) {
		for _, one := range strings.Split(rest, "|") {
			out = append(out, strings.TrimSpace(one))
		}
		return out
	}
	switch about {
	case "fillers":
		for _, w := range words {
			l.fillers[w] = true
		}
	case "leads":
		for _, one := range listed() {
			l.leads = append(l.leads, strings.Fields(one))
		}
	case "trails":
		for _, one := range listed() {
			l.trails = append(l.trails, strings.Fields(one))
		}
	case "control":
		l.controls[name] = append(l.controls[name], listed()...)
	case "kind":
		l.kinds[name] = append(l.kinds[name], listed()...)
	case "more", "less":
		for _, one := range listed() {
			l.compares[one] = compare{strings.Fields(name), about == "less"}
		}
	case "amount", "part":
		var n int
		if _, err := fmt.Sscan(name, &n); err != nil {
			return fmt.Errorf("%s takes a number: %w", about, err)
		}
		for _, one := range listed() {
			map[string]map[string]int{"amount": l.amounts, "part": l.parts}[about][one] = n
		}
	case "most":
		l.most = append(l.most, listed()...)
	case "least":
		l.least = append(l.least, listed()...)
	case "unit":
		for _, one := range listed() {
			l.units[one] = name
		}
	case "joins":
		for _, one := range listed() {
			l.joins[one] = true
		}
	case "refuse":
		word, why, _ := strings.Cut(rest, "|")
		for _, w := range strings.Fields(word) {
			l.refuses[w] = strings.TrimSpace(why)
		}
	case "part-of":
		r := patternReader{rest, parts}
		all, err := r.sequence()
		if err != nil {
			return err
		}
		parts[name] = all
	case "say":
		r := patternReader{rest, parts}
		all, err := r.sequence()
		if err != nil {
			return err
		}
		p := pattern{name, node{all: all}}
		if r.peek() != 0 {
			return fmt.Errorf("%q is left over", r.text)
		}
		p.node.words(func(w string) { l.known[w] = true })
		l.patterns = append(l.patterns, p)
	default:
		return fmt.Errorf("%q is not known", about)
	}
	return nil
}
