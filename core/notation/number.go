package notation

import (
	"fmt"
	"strconv"
	"strings"

	"urbo/core/line"
)

// WholeNumber is a line code's value that was written as one number.
type WholeNumber struct {
	Sheet  string
	Fields line.Fields
	Order  line.BitOrder
	Other  line.Fields // what it would be the other way round; nil where a check shows that it is not
	Bits   int
}

// Words says how the number was understood.
func (n WholeNumber) Words() string {
	text := fmt.Sprintf("%d bits, %s: %s %s.", n.Bits, n.Order, n.Sheet, n.Fields)
	if n.Other != nil {
		return text + fmt.Sprintf(" The other way round it would be %s: if that is meant, write the fields.", n.Other)
	}
	return text
}

// ReadNumber reads the value of a whole frame: "0x20DF10EF", or with how many bits it has, "0xa90/12". It may be
// written with the bit that is sent first at its higher or its lower end: that is taken in which constants, complements
// and checks hold, and the higher end where both do. Errors wrap ErrNotation or line.ErrSheet.
func ReadNumber(name, text string, book *line.Book) (WholeNumber, error) {
	sheet, err := book.Sheet(name)
	if err != nil {
		return WholeNumber{}, err
	}
	written, counted, has := strings.Cut(text, "/")
	digits := hex(written)
	value, err := strconv.ParseUint(digits, 0, 64)
	if err != nil {
		return WholeNumber{},
			fmt.Errorf("%w: %.40q: write FIELD=VALUE, or the whole value like 0x20DF10EF", ErrNotation, text)
	}
	bits, err := strconv.Atoi(counted)
	if !has {
		bits, err = lengthOf(digits, sheet)
	}
	if err != nil || bits < 1 || bits > 64 || bits < 64 && value>>bits != 0 {
		return WholeNumber{}, fmt.Errorf("%w: %.40q: %s has frames of %s bits: write how many, like %s/%d", ErrNotation,
			text, sheet.Name, counts(sheet), written, first(sheet.FrameBits()))
	}
	out := WholeNumber{Sheet: sheet.Name, Bits: bits}
	for _, order := range []line.BitOrder{line.HighestFirst, line.LowestFirst} {
		fields, ok := sheet.OfBits(value, bits, order)
		switch {
		case ok && out.Fields == nil:
			out.Fields, out.Order = fields, order
		case ok && fields.String() != out.Fields.String():
			out.Other = fields
		}
	}
	if out.Fields == nil {
		return out, fmt.Errorf("%w: %.40q with %d bits is no %s, neither way round: its frames have %s bits, and "+
			"their "+
			"constants and complements must hold", ErrNotation, text, bits, sheet.Name, counts(sheet))
	}
	return out, nil
}

// lengthOf is how many bits a number has that does not say it: four for each hexadecimal digit, one for each binary
// one, or those of the only frame that the sheet has.
func lengthOf(digits string, sheet *line.Sheet) (int, error) {
	lower := strings.ToLower(digits)
	n := 0
	switch {
	case strings.HasPrefix(lower, "0x"):
		n = 4 * len(lower[2:])
	case strings.HasPrefix(lower, "0b"):
		n = len(lower[2:])
	}
	all := sheet.FrameBits()
	for _, bits := range all {
		if bits == n {
			return n, nil
		}
	}
	if len(all) == 1 {
		return all[0], nil
	}
	return 0, strconv.ErrSyntax
}

func counts(sheet *line.Sheet) string {
	var out []string
	for _, bits := range sheet.FrameBits() {
		out = append(out, strconv.Itoa(bits))
	}
	if len(out) == 0 {
		return "no whole"
	}
	return strings.Join(out, " or ")
}

func first(bits []int) int {
	if len(bits) == 0 {
		return 0
	}
	return bits[0]
}
