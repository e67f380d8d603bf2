package line

import (
	"fmt"
	"math"
	"slices"
	"unique"
)

// frame compiles one frame: its parts become payload groups, and steps or half bits on the air.
func (c *compiler) frame(name string, parts []part) *frame {
	f := &frame{name: name, equal: true}
	b := frameBuilder{compiler: c, frame: f, code: c.codes[""], mark: true}
	for i := range parts {
		b.path = fmt.Sprintf("$.frames.%s[%d]", name, i)
		if i == maxParts {
			c.wrong(b.path, fmt.Sprintf("use at most %d", maxParts), "frame %q has %d parts", name, len(parts))
			return f
		}
		b.add(&parts[i])
		if b.durations() > maxDurations {
			c.wrong(b.path, "make two frames of it, or take parts out", "frame %q has more than %d durations", name,
				maxDurations)
			return f
		}
	}
	if len(c.mistakes) > 0 {
		return f
	}
	b.path = "$.frames." + name
	if b.pending > 0 {
		c.wrong(b.path, "give the groups a multiple of the code's bits", "frame %q ends inside a symbol", name)
	}
	b.finish()
	return f
}

// frameBuilder keeps what is known while the parts of a frame are added in order.
type frameBuilder struct {
	*compiler
	frame   *frame
	code    *alphabet
	mark    bool // level of the next duration
	pending int  // payload bits that do not yet fill a symbol
	path    string
}

// durations is how many the frame has so far, at most.
func (b *frameBuilder) durations() int {
	n := len(b.frame.halves) + len(b.frame.before)
	for i := range b.frame.steps {
		n += b.frame.steps[i].size()
	}
	return n
}

func (b *frameBuilder) add(p *part) {
	given := btoi(p.Lead != nil) + btoi(p.Pulses != nil) + btoi(p.Micros != nil) + btoi(p.Field != "") +
		btoi(p.Const != nil) +
		btoi(p.Not != "") + btoi(p.Same != "") + btoi(p.Symbol != "") + btoi(p.Xor != nil) + btoi(p.Sum != nil) +
		btoi(p.Parity != nil) + btoi(p.CRC != nil) + btoi(p.Use != "")
	if given != 1 {
		b.wrong(b.path, "give each part one of lead, pulses, us, field, const, not, same, symbol, xor, sum, parity, "+
			"crc, use", "a part that is %d things", given)
		return
	}
	if p.Bits.bad != "" || p.Bits.count < 0 || p.Bits.count > 64 {
		b.wrong(b.path, "give a count, or a slice of a field like 5..0", "bits are %q", p.Bits.bad)
		return
	}
	if p.Chunk < 0 || p.Chunk > 64 || p.Width < 0 || p.Width > maxWidth {
		b.wrong(b.path, fmt.Sprintf("chunk is 1 to 64 bits and width 1 to %d", maxWidth), "chunk of %d, width of %d",
			p.Chunk, p.Width)
		return
	}
	switch {
	case p.Lead != nil:
		b.pulses(p.Lead, nil, p.MayBeLost)
	case p.Pulses != nil:
		b.pulses(p.Pulses, nil, p.MayBeLost)
	case p.Micros != nil:
		b.pulses(nil, p.Micros, p.MayBeLost)
	case p.Use != "":
		code, ok := b.codes[p.Use]
		if !ok {
			b.wrong(b.path, "name one under codes", "code %q is not there", p.Use)
			return
		}
		b.code = code
	case p.Symbol != "":
		b.symbol(p.Symbol)
	default:
		b.group(p)
	}
}

func (b *frameBuilder) pulses(units, us []float64, mayLose bool) {
	s := step{mark: b.mark, units: units, mayLose: mayLose}
	if n := len(units) + len(us); n < 1 || n > maxPulses {
		b.wrong(b.path, fmt.Sprintf("give 1 to %d", maxPulses), "%d pulses", n)
		return
	}
	for _, u := range units {
		if !(u > 0 && u <= 1000) {
			b.wrong(b.path, "units are more than 0 and at most 1000", "a pulse of %g units", u)
			return
		}
	}
	for _, u := range us {
		if !(u >= 1 && u <= 1_000_000) {
			b.wrong(b.path, "µs are 1 to 1000000", "a pulse of %g µs", u)
			return
		}
		s.us = append(s.us, int(math.Round(u)))
	}
	b.frame.steps = append(b.frame.steps, s)
	if b.sheet.biphase {
		b.biphasePulses(&s)
	}
	if s.size()%2 == 1 {
		b.mark = !b.mark
	}
}

// biphasePulses puts fixed pulses into a biphase frame. Those that may be lost are sent and not looked for, which is
// possible only at the start; a mark in µs is looked for as it is, and a space in µs is not to be told from data.
func (b *frameBuilder) biphasePulses(s *step) {
	level := b.mark
	for _, u := range s.units {
		if s.mayLose {
			b.frame.before = append(b.frame.before, int(math.Round(u*b.sheet.unit())))
		} else {
			for range int(math.Round(u)) {
				b.frame.halves = append(b.frame.halves, half{bit: -1, mark: level})
			}
		}
		level = !level
	}
	for _, us := range s.us {
		switch {
		case s.mayLose:
			b.frame.before = append(b.frame.before, us)
		case level:
			b.frame.halves = append(b.frame.halves, half{bit: -1, mark: true, us: us})
		default:
			b.wrong(b.path, "write spaces in units, or mark the part may_be_lost",
				"a space of %d µs inside a biphase frame", us)
		}
		level = !level
	}
	if s.mayLose && (len(b.frame.halves) > 0 || s.size()%2 == 1) {
		b.wrong(b.path, "put it at the start, and end it with a space",
			"pulses that may be lost inside a biphase frame")
	}
}

func (b *frameBuilder) symbol(name string) {
	if b.code == nil {
		b.wrong(b.path, "symbols need a code", "symbol %q in a biphase frame", name)
		return
	}
	if !slices.ContainsFunc(b.code.symbols, func(s symbol) bool { return s.name == name }) {
		b.wrong(b.path, "name one of the code's symbols", "symbol %q is not there", name)
		return
	}
	b.cell(step{cell: b.code, symbol: name, at: b.frame.bits})
}

// cell adds one cell; it must begin on the level that the code says.
func (b *frameBuilder) cell(s step) {
	if s.cell.mark != b.mark {
		b.wrong(b.path, "put one pulse before it (or take one away), so that mark and space alternate",
			"a symbol begins with the level that is already on")
		return
	}
	s.mark = b.mark
	b.frame.steps = append(b.frame.steps, s)
}

var kindsOver = map[kind]func(*part) []string{
	xorOf: func(p *part) []string { return p.Xor }, sumOf: func(p *part) []string { return p.Sum },
	parityOf: func(p *part) []string { return p.Parity }, crcOf: func(p *part) []string { return p.CRC },
	notOf:  func(p *part) []string { return []string{p.Not} },
	sameAs: func(p *part) []string { return []string{p.Same} },
}

// group adds payload bits: a field, a constant or a derived value.
func (b *frameBuilder) group(p *part) {
	g := group{part: *p, bits: p.Bits.count, at: b.frame.bits, invert: p.Invert, double: p.Double, label: p.As}
	order := p.Order
	if order == "" {
		order = b.doc.Order
	}
	g.msb = order == "msb"
	switch {
	case p.Field != "":
		g.kind = fieldOf
		if !b.fieldGroup(&g, p) {
			return
		}
	case p.Const != nil:
		g.kind = constant
	case p.Not != "":
		g.kind = notOf
	case p.Same != "":
		g.kind = sameAs
	case p.Xor != nil:
		g.kind = xorOf
	case p.Sum != nil:
		g.kind = sumOf
	case p.Parity != nil:
		g.kind, g.bits = parityOf, 1
	default:
		g.kind = crcOf
	}
	if (g.kind == notOf || g.kind == sameAs) && !b.resolve(&g, kindsOver[g.kind](p)) {
		return
	}
	if g.length() < 1 || g.bits > 64 && (g.field == nil || g.field.Digits == 0) {
		b.wrong(b.path, "say how many bits it has, 1 to 64", "a group of %d bits", g.bits)
		return
	}
	if g.kind == constant && *p.Const > mask(g.bits) {
		b.wrong(b.path, fmt.Sprintf("give it more bits, or at most %d", mask(g.bits)), "const %d has more than %d bits",
			*p.Const, g.bits)
		return
	}
	b.frame.groups = append(b.frame.groups, g)
	b.frame.bits += g.length()
	if g.kind != fieldOf {
		b.frame.checks += g.length()
	}
	b.send(g.length(), max(p.Width, 1))
}

// fieldGroup looks the field up and checks the slice of it.
func (b *frameBuilder) fieldGroup(g *group, p *part) bool {
	f := b.sheet.byName[p.Field]
	if f == nil {
		b.wrong(b.path, "describe it under fields, or use one of those", "field %q is not there", p.Field)
		return false
	}
	if g.label == "" {
		g.label = p.Field
	}
	if !slices.Contains(b.frame.fields, p.Field) {
		b.frame.fields = append(b.frame.fields, p.Field)
	}
	g.field = f
	if f.Digits > 0 {
		if b.code == nil && f.Of != "01" {
			b.wrong(b.path, "use bits", "a text field in a biphase frame")
			return false
		}
		g.bits = f.Digits
		of := "01"
		if b.code != nil && b.code.text {
			of = b.code.of
		}
		if f.Of != of {
			b.wrong(b.path, fmt.Sprintf("its symbols are %s", of), "field %q is of %q", p.Field, f.Of)
			return false
		}
		if b.code != nil && b.code.text {
			b.frame.rarity += float64(f.Digits) * math.Log2(4/math.Max(float64(len(b.code.of)), 1))
		}
		return true
	}
	g.bits = f.Bits
	if p.Bits.count > 0 {
		hi, lo := p.Bits.hi, p.Bits.lo
		if !p.Bits.slice { // a lone number is one bit of the field
			hi, lo = p.Bits.count, p.Bits.count
		}
		if hi >= f.Bits {
			b.wrong(b.path, fmt.Sprintf("its bits are %d..0", f.Bits-1), "bits %d..%d of field %q", hi, lo, p.Field)
			return false
		}
		g.lo, g.bits = lo, hi-lo+1
	}
	return true
}

// resolve finds the groups that a derived one is computed from.
func (b *frameBuilder) resolve(g *group, labels []string) bool {
	total := 0
	for _, label := range labels {
		found := false
		for i := range b.frame.groups {
			if o := &b.frame.groups[i]; o.label == label && o.at != g.at {
				g.over = append(g.over, i)
				total += b.frame.groups[i].length()
				found = true
			}
		}
		if !found {
			b.wrong(b.path, "name a field or an `as` label of the frame", "nothing is called %q", label)
			return false
		}
	}
	if g.kind == notOf || g.kind == sameAs {
		g.bits = total
	}
	return true
}

// send puts n payload bits on the air.
func (b *frameBuilder) send(n, width int) {
	if b.sheet.biphase {
		for i := range n {
			at := b.frame.bits - n + i
			for range width {
				b.frame.halves = append(b.frame.halves, half{bit: at, first: true})
			}
			for range width {
				b.frame.halves = append(b.frame.halves, half{bit: at})
			}
		}
		return
	}
	b.pending += n
	for b.pending >= b.code.bits {
		b.cell(step{cell: b.code, at: b.frame.bits - b.pending})
		b.pending -= b.code.bits
	}
}

// finish works out the figures that the decoder asks for.
func (b *frameBuilder) finish() {
	f := b.frame
	f.chained = b.doc.Scramble == "chain"
	for i := range f.groups {
		if g := &f.groups[i]; g.kind == xorOf || g.kind == sumOf || g.kind == parityOf || g.kind == crcOf {
			if !b.resolve(g, kindsOver[g.kind](&g.part)) {
				return
			}
		}
	}
	if f.chained && f.bits%8 != 0 {
		b.wrong(b.path, "make it whole bytes", "a chain over %d bits", f.bits)
	}
	if b.sheet.biphase {
		if len(f.halves) == 0 || f.bits == 0 {
			b.wrong(b.path, "give it bits", "frame %q is empty", f.name)
			return
		}
		if !f.beginsWell() {
			b.wrong(b.path, "begin with a mark and a space, or with bits", "frame %q cannot be found", f.name)
			return
		}
		b.firstHalves()
		return
	}
	level := true
	for i := range f.steps {
		s := &f.steps[i]
		if s.cell != nil && f.code == nil {
			f.firstCell = f.runs
		}
		f.runs += s.size()
		if s.size()%2 == 1 {
			level = !level
		}
		if s.cell != nil {
			f.code = s.cell
			f.equal = f.equal && s.cell.equal
		}
	}
	f.open = level // an even number of durations: the last is a space
	if f.runs == 0 {
		b.wrong(b.path, "give it a lead or bits", "frame %q is empty", f.name)
		return
	}
	if first := f.steps[0]; len(first.units) >= 2 {
		f.lead, f.leads = first.units[0]+first.units[1], 2
		// The first mark after silence is unsure by up to 200 µs: short pulses give the unit only together.
		for f.lead < leastLead && f.leads+2 <= len(first.units) {
			f.lead += first.units[f.leads] + first.units[f.leads+1]
			f.leads += 2
		}
	}
	f.guesses = []float64{0}
	f.slack = 2
	for i := range f.steps {
		if c := f.steps[i].cell; c != nil {
			f.slack = min(f.slack, c.slack)
			if c.sumsRepeat() {
				f.guesses = []float64{0, 0.35, -0.35}
			}
		}
	}
	b.firstMark()
	f.wave = b.wave()
}

// beginsWell says whether the known half bits that a biphase frame begins with are a mark and then a space: unit and
// place are taken from them.
func (f *frame) beginsWell() bool {
	i := 0
	for i < len(f.halves) && f.halves[i].bit < 0 && f.halves[i].mark {
		i++
	}
	if f.halves[0].bit >= 0 {
		return true
	}
	return i > 0 && i < len(f.halves) && (f.halves[0].us > 0 || f.halves[i].bit < 0)
}

// wave describes everything of a frame but what its bits mean.
func (b *frameBuilder) wave() unique.Handle[string] {
	text := fmt.Sprint(b.sheet.Medium, b.sheet.UnitFrom, b.sheet.UnitTo)
	for i := range b.frame.steps {
		p := &b.frame.steps[i]
		text += fmt.Sprint(";", p.units, p.us, p.mark, p.mayLose, p.symbol)
		if p.cell != nil {
			text += fmt.Sprint(p.at, p.cell.mark)
			for _, s := range p.cell.symbols {
				text += fmt.Sprint(s.name, s.units)
			}
		}
	}
	return unique.Make(text)
}

// sumsRepeat says whether two symbols last equally long.
func (a *alphabet) sumsRepeat() bool {
	for i := range a.symbols {
		for j := range i {
			if math.Abs(a.symbols[i].total-a.symbols[j].total) < 0.5 {
				return true
			}
		}
	}
	return false
}

// firstMark bounds the length of the first mark and space that a receiver may deliver.
func (b *frameBuilder) firstMark() {
	f, s := b.frame, b.sheet
	lo, hi := math.Inf(1), 0.0
	add := func(p *step) {
		switch {
		case p.cell != nil:
			for _, sym := range p.cell.symbols {
				lo, hi = min(lo, sym.units[0]*s.UnitFrom), max(hi, sym.units[0]*s.UnitTo)
			}
		case p.units != nil:
			lo, hi = min(lo, p.units[0]*s.UnitFrom), max(hi, p.units[0]*s.UnitTo)
		default:
			lo, hi = min(lo, float64(p.us[0])), max(hi, float64(p.us[0]))
		}
	}
	first := &f.steps[0]
	add(first)
	lossy := first.mayLose && len(f.steps) > 1
	if lossy {
		add(&f.steps[1])
	}
	f.lossy = lossy && f.steps[1].mark
	f.firstLow, f.firstHigh = loosely(lo, hi)
	f.spaceLow, f.spaceHigh = 1, math.MaxInt
	if f.lead > 0 && !lossy {
		f.spaceLow, f.spaceHigh = loosely(first.units[1]*s.UnitFrom, first.units[1]*s.UnitTo)
	}
	f.afterSilence = f.lead == 0 && s.Medium == Infrared
	f.atLeast = f.runs
	if lossy {
		f.atLeast -= first.size()
	}
	f.evenFrom, f.evenPairs = f.even()
}

// leastLead is how many units' worth of pulses give the unit.
const leastLead = 12

// even finds the first pairs that last equally long, at most six: a cheap test that most other signals fail.
func (f *frame) even() (from, pairs int) {
	const most = 6
	i := 0
	for i < len(f.steps) && f.steps[i].cell == nil {
		from += f.steps[i].size()
		i++
	}
	for ; i < len(f.steps) && pairs < most; i++ {
		c := f.steps[i].cell
		if c == nil || c.pairMost-c.pairLeast > 0.01 || i == len(f.steps)-1 { // the last may be lengthened by silence
			break
		}
		pairs += c.size / 2
	}
	if pairs < 2 {
		return 0, 0
	}
	return from, pairs
}

// firstHalves is the same for a biphase frame: its first mark is known where it has a lead, else one to three halves.
func (b *frameBuilder) firstHalves() {
	f, s := b.frame, b.sheet
	if us := f.halves[0].us; us > 0 {
		f.firstLow, f.firstHigh = loosely(float64(us), float64(us))
		f.spaceLow, f.spaceHigh = 1, math.MaxInt
		return
	}
	marks := 0
	for marks < len(f.halves) && f.halves[marks].bit < 0 && f.halves[marks].mark {
		marks++
	}
	lo, hi := float64(marks), float64(marks)
	if marks == 0 {
		lo, hi = 1, 3
		f.afterSilence = s.Medium == Infrared
	}
	f.firstLow, f.firstHigh = loosely(lo*s.UnitFrom, hi*s.UnitTo)
	f.spaceLow, f.spaceHigh = 1, math.MaxInt
}

// loosely widens bounds in µs by clock error and by what receivers add.
func loosely(lo, hi float64) (int, int) { return int(lo*0.8) - 250, int(hi*1.2) + 250 }
