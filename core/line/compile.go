package line

import (
	"fmt"
	"maps"
	"math"
	"regexp"
	"slices"
	"strings"

	"github.com/goccy/go-yaml/ast"
)

var nameRule = regexp.MustCompile(`^[a-z][a-z0-9-]{0,39}$`)
var fieldRule = regexp.MustCompile(`^[a-z][a-z0-9_]{0,39}$`)

// mistake is something wrong in a sheet, with the YAML path of it.
type mistake struct{ path, what, hint string }

func (m mistake) Error() string { return m.what + ": " + m.hint }

// ParseSheet reads and compiles a line sheet. Errors wrap ErrSheet and name file, line, what is wrong and what to do.
func ParseSheet(file string, data []byte) (*Sheet, error) {
	doc, tree, err := parseDocument(file, data)
	if err != nil {
		return nil, err
	}
	c := compiler{doc: doc, tree: tree, sheet: &Sheet{}}
	c.compile()
	if len(c.mistakes) > 0 {
		m := c.mistakes[0]
		return nil, fmt.Errorf("%w %s: [%d] %w", ErrSheet, file, lineOf(tree, m.path), m)
	}
	return c.sheet, nil
}

// compiler turns a document into a Sheet and gathers mistakes on the way.
type compiler struct {
	doc      *document
	tree     *ast.File
	sheet    *Sheet
	codes    map[string]*alphabet
	mistakes []mistake
}

func (c *compiler) wrong(path, hint, format string, args ...any) {
	c.mistakes = append(c.mistakes, mistake{path, fmt.Sprintf(format, args...), hint})
}

func (c *compiler) compile() {
	c.head()
	c.compileCodes()
	c.compileFields()
	if len(c.mistakes) > 0 {
		return
	}
	frames := map[string]*frame{}
	for i, p := range c.doc.Press {
		for _, name := range slices.Concat(p.Once, p.Repeat, p.Last, p.Also) {
			if frames[name] != nil {
				continue
			}
			parts, ok := c.doc.Frames[name]
			if !ok {
				c.wrong(fmt.Sprintf("$.press[%d]", i), "name one of the sheet's frames",
					"press sends frame %q, which is not there", name)
				return
			}
			frames[name] = c.frame(name, parts)
			c.sheet.frames = append(c.sheet.frames, frames[name])
		}
	}
	for name := range c.doc.Frames {
		if frames[name] == nil {
			c.wrong("$.frames."+name, "name it in press, or take it out", "frame %q is never sent", name)
		}
	}
	if len(c.mistakes) == 0 {
		c.presses(frames)
	}
}

func (c *compiler) head() {
	d, s := c.doc, c.sheet
	s.Name, s.Title, s.About, s.Medium = d.Sheet, d.Title, d.About, Medium(d.Medium)
	s.CarrierHz, s.FrequencyHz, s.UnitFrom, s.UnitTo = d.Carrier, d.Frequency, d.Unit.From, d.Unit.To
	if !nameRule.MatchString(d.Sheet) {
		c.wrong("$.sheet", "use a-z, 0-9 and -, beginning with a letter, at most 40", "sheet is named %q", d.Sheet)
	}
	switch s.Medium {
	case Infrared:
		if s.CarrierHz < 20_000 || s.CarrierHz > 500_000 {
			c.wrong("$.carrier_hz", "write it in Hz, like 38000", "infrared with a carrier of %d Hz", s.CarrierHz)
		}
	case Radio:
		if s.FrequencyHz < 300_000_000 || s.FrequencyHz > 928_000_000 {
			c.wrong("$.frequency_hz", "write it in Hz, like 433920000", "radio on %d Hz", s.FrequencyHz)
		}
	default:
		c.wrong("$.medium", "write infrared or radio", "medium is %q", d.Medium)
	}
	if s.UnitFrom < 20 || s.UnitTo < s.UnitFrom || s.UnitTo > 10_000 {
		c.wrong("$.unit_us", "a number from 20 to 10000, or {from: 100, to: 700}", "unit of %g to %g µs", s.UnitFrom,
			s.UnitTo)
	}
	if d.Order != "" && d.Order != "lsb" && d.Order != "msb" {
		c.wrong("$.order", "write lsb or msb", "order is %q", d.Order)
	}
	s.NeverReplay = d.Never
	if d.Scramble != "" && d.Scramble != "chain" {
		c.wrong("$.scramble", "write chain, or leave it out", "scramble is %q", d.Scramble)
	}
	if len(d.Press) == 0 {
		c.wrong("$.sheet", "say which frames a press sends", "no press in the sheet")
	}
}

func (c *compiler) compileCodes() {
	c.codes = map[string]*alphabet{}
	if c.doc.Code.Style == "biphase" {
		c.sheet.biphase = true
		switch c.doc.Code.Rise {
		case "one":
			c.sheet.rise = 1
		case "zero":
			c.sheet.rise = 0
		default:
			c.wrong("$.code", "add rise: one, or rise: zero: the bit that goes from space to mark",
				"biphase without its direction")
		}
		return
	}
	c.codes[""] = c.alphabet("$.code", c.doc.Code)
	for name, code := range c.doc.Codes {
		c.codes[name] = c.alphabet("$.codes."+name, code)
	}
}

var styles = []string{"space", "mark", "ratio", "pair", "symbol"}

func (c *compiler) alphabet(path string, d codeDoc) *alphabet {
	a := &alphabet{mark: d.First != "space", bits: 1, least: math.Inf(1), pairLeast: math.Inf(1)}
	if !slices.Contains(styles, d.Style) {
		c.wrong(path, "write one of space, mark, ratio, pair, symbol, biphase", "style is %q", d.Style)
	}
	if d.First != "" && d.First != "space" && d.First != "mark" {
		c.wrong(path, "write mark or space", "a symbol begins with %q", d.First)
	}
	shapes := map[string][]float64{}
	for name, shape := range d.Symbols {
		shapes[name] = shape
	}
	if d.Zero != nil {
		shapes["0"] = d.Zero
	}
	if d.One != nil {
		shapes["1"] = d.One
	}
	if len(shapes) < 2 {
		c.wrong(path, "give zero and one, or symbols", "fewer than two symbols")
		return a
	}
	names := slices.Sorted(maps.Keys(shapes))
	a.bits, a.size = len(names[0]), len(shapes[names[0]])
	a.text = slices.ContainsFunc(names, func(n string) bool { return strings.Trim(n, "01") != "" || len(n) != a.bits })
	if a.text {
		a.bits = 1
	} else if len(names) != 1<<a.bits {
		c.wrong(path, "give all combinations of their bits", "%d symbols of %d bits", len(names), a.bits)
	}
	for i, name := range names {
		if a.text && len(name) != 1 {
			c.wrong(path, "use one character each, or bits of one length", "symbol %q", name)
		}
		a.of += name
		c.shape(path, a, name, uint64(i), shapes[name])
	}
	a.values = len(a.symbols)
	for _, name := range slices.Sorted(maps.Keys(d.Extra)) {
		c.shape(path, a, name, 0, d.Extra[name])
	}
	a.equal = a.most-a.least < 0.01
	a.slack = slack(a.symbols)
	a.seams()
	if a.slack == 0 {
		c.wrong(path, "make them differ", "two symbols look the same")
	}
	return a
}

// shape adds one symbol to an alphabet.
func (c *compiler) shape(path string, a *alphabet, name string, value uint64, units []float64) {
	if len(units) != a.size || len(units)%2 == 1 {
		c.wrong(path, "give every symbol the same even number of durations", "symbol %q has %d durations", name,
			len(units))
		return
	}
	s := symbol{name: name, value: value, units: units}
	for i, u := range units {
		if u <= 0 || u > 500 {
			c.wrong(path, "write units, more than 0 and at most 500", "symbol %q has a duration of %g", name, u)
		}
		s.total += u
		a.longest = max(a.longest, u)
		if i%2 == 1 {
			pair := units[i-1] + u
			a.pairLeast, a.pairMost = min(a.pairLeast, pair), max(a.pairMost, pair)
		}
	}
	a.least, a.most = min(a.least, s.total), max(a.most, s.total)
	a.symbols = append(a.symbols, s)
}

// seams works out what a mark and the space after it may last together: within a symbol, or across two.
func (a *alphabet) seams() {
	a.seamLeast, a.seamMost = a.pairLeast, a.pairMost
	if a.mark {
		return
	}
	a.seamLeast, a.seamMost = math.Inf(1), 0
	for _, x := range a.symbols {
		for _, y := range a.symbols {
			seam := x.units[len(x.units)-1] + y.units[0]
			a.seamLeast, a.seamMost = min(a.seamLeast, seam), max(a.seamMost, seam)
		}
	}
}

// slack is the smallest distance between two symbols: of the durations of a pair, the one that differs most.
func slack(symbols []symbol) float64 {
	least := math.Inf(1)
	for i := range symbols {
		for j := range i {
			d := 0.0
			for k := range symbols[i].units {
				d = max(d, math.Abs(symbols[i].units[k]-symbols[j].units[k]))
			}
			least = min(least, d)
		}
	}
	return least
}

// maxFields is the most fields of a sheet.
const maxFields = 16

func (c *compiler) compileFields() {
	c.sheet.byName = map[string]*field{}
	if len(c.doc.Fields) > maxFields {
		c.wrong("$.fields", fmt.Sprintf("use at most %d", maxFields), "%d fields", len(c.doc.Fields))
		return
	}
	for i, d := range c.doc.Fields {
		path := fmt.Sprintf("$.fields[%d]", i)
		f := &field{fieldDoc: d}
		if !fieldRule.MatchString(d.Name) {
			c.wrong(path, "use a-z, 0-9 and _, beginning with a letter", "field is named %q", d.Name)
		}
		if c.sheet.byName[d.Name] != nil {
			c.wrong(path, "give each field one name", "field %q is there twice", d.Name)
		}
		if (d.Bits > 0) == (d.Digits > 0) || d.Bits > 63 || d.Digits > 400 || d.Bits < 0 || d.Digits < 0 {
			c.wrong(path, "give bits (1 to 63) or digits (1 to 400)", "field %q has %d bits and %d digits", d.Name,
				d.Bits, d.Digits)
			continue
		}
		if d.BCD && d.Bits%4 != 0 {
			c.wrong(path, "use a multiple of 4 bits", "field %q is BCD in %d bits", d.Name, d.Bits)
		}
		if d.Digits > 0 && d.Of == "" {
			if a := c.codes[""]; a != nil && a.text {
				f.Of = a.of
			} else {
				f.Of = "01"
			}
		}
		if d.Lookup != nil {
			f.lookupBack = map[uint64]int64{}
			for v, r := range d.Lookup {
				if _, twice := f.lookupBack[r]; twice {
					c.wrong(path, "give each value bits of its own", "field %q sends %d for two values", d.Name, r)
				}
				f.lookupBack[r] = v
			}
		}
		c.sheet.fields = append(c.sheet.fields, f)
		c.sheet.byName[d.Name] = f
	}
	for i, f := range c.sheet.fields {
		if f.Like != "" && c.sheet.byName[f.Like] == nil {
			c.wrong(fmt.Sprintf("$.fields[%d]", i), "name another field", "field %q is like %q, which is not there",
				f.Name, f.Like)
		}
	}
}

func (c *compiler) presses(frames map[string]*frame) {
	pick := func(names []string) []*frame {
		var out []*frame
		for _, n := range names {
			out = append(out, frames[n])
		}
		return out
	}
	for i, d := range c.doc.Press {
		p := press{when: d.When, once: pick(d.Once), repeat: pick(d.Repeat), last: pick(d.Last), repeats: d.Repeats,
			period: d.Period, gap: d.Gap, gapUnit: d.GapUnit}
		path := fmt.Sprintf("$.press[%d]", i)
		if len(p.once)+len(p.repeat) == 0 {
			c.wrong(path, "name frames under once or repeat", "press sends nothing")
		}
		if p.when != "" && c.sheet.byName[p.when] == nil {
			c.wrong(path, "name one of the sheet's fields", "press depends on field %q, which is not there", p.when)
		}
		if p.repeats < 0 || p.repeats > 50 {
			c.wrong(path, "0 to 50", "%d repeats", p.repeats)
		}
		if given := btoi(p.period > 0) + btoi(p.gap > 0) + btoi(p.gapUnit > 0); given != 1 || p.period > 1_000_000 ||
			p.gap > 1_000_000 {
			c.wrong(path, "give one of period_us, gap_us (at most a second) and gap (in units)",
				"%d ways to pace the frames", given)
		}
		if len(p.once) == 0 && p.repeats == 0 {
			c.wrong(path, "set repeats: 1 or more", "repeat alone, and sent no time at all")
		}
		c.sheet.presses = append(c.sheet.presses, p)
	}
	if len(c.sheet.presses) > 0 && c.sheet.presses[len(c.sheet.presses)-1].when != "" {
		c.wrong("$.press", "end with a press that has no when", "no press for the usual case")
	}
}

func btoi(b bool) int {
	if b {
		return 1
	}
	return 0
}
