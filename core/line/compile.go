package line

import (
	"fmt"
	"maps"
	"math"
	"regexp"
	"slices"
	"strings"

	"github.com/goccy/go-yaml/ast"

	"urbo/core/plain"
	"urbo/core/signal"
)

var nameRule = regexp.MustCompile(`^[a-z][a-z0-9-]{0,39}$`)
var fieldRule = regexp.MustCompile(`^[a-z][a-z0-9_]{0,39}$`)

// mistake is something wrong in a sheet, with the YAML path of it.
type mistake struct{ path, what, hint string }

func (m mistake) Error() string { return m.what + ": " + m.hint }

// ParseSheet reads and compiles a line sheet, and tries whether it reads what it sends. Errors wrap ErrSheet and name
// file, line, what is wrong and what to do.
func ParseSheet(file string, data []byte) (*Sheet, error) { return parseSheet(file, data, true) }

// parseSheet is ParseSheet; the sheet of a single key need not read what it sends, as its fingerprint is looked for.
func parseSheet(file string, data []byte, reads bool) (*Sheet, error) {
	doc, tree, err := parseDocument(file, data)
	if err != nil {
		return nil, err
	}
	c := compiler{doc: doc, tree: tree, sheet: &Sheet{}}
	c.compile()
	if len(c.mistakes) == 0 {
		c.try(reads)
	}
	if len(c.mistakes) > 0 {
		m := c.mistakes[0]
		return nil, fmt.Errorf("%w %s: [%d] %w", ErrSheet, file, lineOf(tree, m.path), m)
	}
	return c.sheet, nil
}

// Bounds of a sheet, wherever it comes from: what is sent for it goes out in seconds, and looking for it costs little.
const (
	maxFields    = 16
	maxFrames    = 24
	maxParts     = 200                 // of a frame
	maxInPress   = 24                  // frames in each list of a press
	maxPulses    = 64                  // of one part
	maxWidth     = 8                   // half bits
	maxSymbols   = 64                  // of a code
	maxShape     = 16                  // durations of a symbol
	maxText      = 400                 // characters of a text for people
	maxSilence   = 1_000_000           // µs between frames
	maxAir       = 10_000_000          // µs that one press may last
	maxDurations = signal.MaxDurations // of a frame, and of each list of a press
	leastSlack   = 0.25                // units between two symbols: what receivers blur less than
)

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
	if len(c.doc.Frames) > maxFrames || len(c.doc.Press) > maxFrames {
		c.wrong("$.frames", fmt.Sprintf("use at most %d of each", maxFrames), "%d frames and %d kinds of press",
			len(c.doc.Frames), len(c.doc.Press))
		return
	}
	frames := map[string]*frame{}
	for i, p := range c.doc.Press {
		if n := max(len(p.Once), len(p.Repeat), len(p.Last), len(p.Also)); n > maxInPress {
			c.wrong(fmt.Sprintf("$.press[%d]", i), fmt.Sprintf("name at most %d", maxInPress), "%d frames in a list", n)
			return
		}
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
		c.bounds()
	}
}

// bounds rules out most places for all frames at once.
func (c *compiler) bounds() {
	s := c.sheet
	s.markLow, s.fewest = math.MaxInt, math.MaxInt
	for _, f := range s.frames {
		s.markLow, s.markHigh = min(s.markLow, f.firstLow), max(s.markHigh, f.firstHigh)
		s.fewest = min(s.fewest, f.atLeast)
	}
	s.fewest = max(s.fewest, 2) // a mark and a space
}

func (c *compiler) head() {
	d, s := c.doc, c.sheet
	s.Name, s.Title, s.About, s.Medium = d.Sheet, d.Title, d.About, Medium(d.Medium)
	s.Style = d.Code.Style
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
	for key, text := range map[string]string{"title": d.Title, "about": d.About, "never_replay": d.Never} {
		c.text("$."+key, key, text)
	}
	if !(s.UnitFrom >= 20 && s.UnitTo >= s.UnitFrom && s.UnitTo <= 10_000) { // so that no number that is none passes
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

// text checks a text for people: a terminal prints it.
func (c *compiler) text(path, what, text string) {
	if len([]rune(text)) > maxText || !plain.Is(strings.ReplaceAll(text, "\n", "")) {
		c.wrong(path, fmt.Sprintf("use at most %d characters of plain text", maxText),
			"%s is too long, or has control characters in it", what)
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
	if len(shapes) < 2 || len(shapes)+len(d.Extra) > maxSymbols {
		c.wrong(path, fmt.Sprintf("give zero and one, or 2 to %d symbols", maxSymbols), "%d symbols", len(shapes))
		return a
	}
	names := slices.Sorted(maps.Keys(shapes))
	a.bits, a.size = len(names[0]), len(shapes[names[0]])
	if a.size < 2 || a.size > maxShape {
		c.wrong(path, fmt.Sprintf("give 2 to %d durations", maxShape), "symbol %q has %d durations", names[0], a.size)
		return a
	}
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
	if a.slack < leastSlack {
		c.wrong(path, fmt.Sprintf("make them differ by %g units or more", leastSlack), "two symbols look the same")
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
		if !(u > 0 && u <= 500) {
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
		if d.BCD && (d.Bits%4 != 0 || d.Bits > 60) {
			c.wrong(path, "use a multiple of 4 bits, at most 60", "field %q is BCD in %d bits", d.Name, d.Bits)
		}
		c.text(path, "about", d.About)
		c.text(path, "measure", d.Measure)
		c.text(path, "in", d.In)
		if !(math.Abs(d.Scale) <= 1e9) {
			c.wrong(path, "use a number up to 1000000000", "scale is %g", d.Scale)
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
				if r > mask(d.Bits) {
					c.wrong(path, fmt.Sprintf("use at most %d", mask(d.Bits)), "field %q sends %d, which is more than "+
						"%d bits", d.Name, r, d.Bits)
				}
				f.lookupBack[r] = v
			}
		}
		c.values(path, f)
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

// values checks the range of a number, and that its default lies in it.
func (c *compiler) values(path string, f *field) {
	if f.Digits > 0 {
		return
	}
	if f.Offset > 1<<40 || f.Offset < -1<<40 {
		c.wrong(path, "use a smaller one", "field %q has an offset of %d", f.Name, f.Offset)
		return
	}
	lo, hi := f.limits()
	if lo > hi {
		c.wrong(path, "write min, max and offset so that some value is left", "field %q has no value: %d to %d", f.Name,
			lo, hi)
		return
	}
	if f.Default == nil {
		return
	}
	if _, err := f.raw(*f.Default); err != nil {
		c.wrong(path, "write one that can be sent", "default of %v", err)
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
		if given := btoi(p.period != 0) + btoi(p.gap != 0) + btoi(p.gapUnit != 0); given != 1 {
			c.wrong(path, "give one of period_us, gap_us (at most a second) and gap (in units)",
				"%d ways to pace the frames", given)
		} else if p.period < 0 || p.period > maxSilence || p.gap < 0 || p.gap > maxSilence ||
			!(p.gapUnit >= 0 && p.gapUnit*c.sheet.UnitTo <= maxSilence) {
			c.wrong(path, "more than nothing and at most a second", "frames %d µs, %d µs or %g units apart", p.period,
				p.gap, p.gapUnit)
		}
		for _, list := range [][]*frame{p.once, p.repeat, p.last} {
			n := 0
			for _, f := range list {
				n += max(f.runs, len(f.halves))
			}
			if n > maxDurations {
				c.wrong(path, fmt.Sprintf("send at most %d durations", maxDurations), "frames of %d durations", n)
			}
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
