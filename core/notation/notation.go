// Package notation reads what a key sends as people write it down: a line code with its fields, the positions of a
// socket's coding switches, or the durations of a train.
package notation

import (
	"fmt"
	"strconv"
	"strings"

	"urbo/core/device"
	"urbo/core/fault"
	"urbo/core/line"
	"urbo/core/signal"
)

// ErrNotation is wrapped by every error about what was written; the text says how to write it.
var ErrNotation = fault.New(fault.Invalid, "code by hand")

// MostText is the most characters that are read.
const MostText = 64 << 10

// Parse reads one code or several with "then" between them: "nec address=57 command=0x02", "switches 11010 01000 on",
// or durations in µs, mark first, which go out on a carrier or channel of so many Hz (0 is infrared at 38 kHz). Errors
// wrap ErrNotation, line.ErrSheet or signal.ErrMalformed.
func Parse(text string, hz int, book *line.Book) ([]device.Code, error) {
	codes, _, err := ParseSaying(text, hz, book)
	return codes, err
}

// ParseSaying is Parse, and says how what could be read in two ways was understood. A value without a line code is an
// error that suggests some.
func ParseSaying(text string, hz int, book *line.Book) ([]device.Code, []string, error) {
	var remarks []string
	codes, err := parse(text, func(words []string) (device.Code, error) {
		words = tidy(words)
		if isPeriods(words) {
			c, said, err := periods(words)
			remarks = append(remarks, said)
			return c, err
		}
		if digits, bits, is := valueOf(words); is {
			return device.Code{}, guess(digits, bits, book)
		}
		if len(words) == 3 && !isTrain(words) && !strings.Contains(strings.Join(words[1:], ""), "=") &&
			words[0] != "switches" { // a value, and how many bits it has
			words = []string{words[0], words[1] + "/" + words[2]}
		}
		if len(words) == 2 && !strings.ContainsAny(words[0][:1], startsTrain) && !strings.Contains(words[1], "=") &&
			words[0] != "switches" {
			n, err := ReadNumber(words[0], words[1], book)
			if err == nil {
				remarks = append(remarks, n.Words())
			}
			return device.Code{Sheet: n.Sheet, Fields: n.Fields}, err
		}
		return one(words, hz, book)
	})
	return codes, remarks, err
}

// startsTrain are the characters that durations begin with.
const startsTrain = "0123456789+-[{(<"

// parse reads codes apart by "then".
func parse(text string, one func(words []string) (device.Code, error)) ([]device.Code, error) {
	if len(text) > MostText {
		return nil, fmt.Errorf("%w: longer than %d characters: write one press of the key only", ErrNotation, MostText)
	}
	var out []device.Code
	var part []string
	flush := func() error {
		c, err := one(part)
		out, part = append(out, c), nil
		return err
	}
	for _, w := range strings.Fields(text) {
		if w != "then" {
			part = append(part, w)
			continue
		}
		if err := flush(); err != nil {
			return nil, err
		}
	}
	if err := flush(); err != nil {
		return nil, err
	}
	if len(out) > device.MaxCodes {
		return nil, fmt.Errorf("%w: %d codes, the most is %d", ErrNotation, len(out), device.MaxCodes)
	}
	return out, nil
}

func one(words []string, hz int, book *line.Book) (device.Code, error) {
	switch {
	case len(words) == 0:
		return device.Code{}, fmt.Errorf("%w: write a line code and its fields, like nec address=57 command=0x02, or "+
			"durations in µs", ErrNotation)
	case words[0] == "switches":
		values, err := Switches(words[1:])
		return device.Code{Sheet: "pt2262", Fields: line.Fields{"values": line.Text(values)}, UnitUS: 350}, err
	case strings.ContainsAny(words[0][:1], startsTrain):
		parsed, err := signal.ParseText(strings.Join(words, " "))
		c := device.Code{Train: parsed.Train, GapUS: parsed.Gap}
		if c.Channel = device.ChannelAt(hz); hz == 0 {
			c.Channel = device.Channel{Medium: line.Infrared, Hz: device.UsualCarrier}
		}
		return c, err
	}
	sheet, fields, err := Line(words, book)
	if err != nil {
		return device.Code{}, err
	}
	return device.Code{Sheet: sheet.Name, Fields: fields}, nil
}

// Line reads a line code and its fields: SHEET FIELD=VALUE …. Numbers are decimal, 0x or 0b, and may tell how many bits
// they have: 0x2D5E/16.
func Line(words []string, book *line.Book) (*line.Sheet, line.Fields, error) {
	if len(words) == 0 {
		return nil, nil, fmt.Errorf("%w: write a line code and its fields, like nec address=4 command=8", ErrNotation)
	}
	sheet, err := book.Sheet(words[0])
	if err != nil {
		return nil, nil, err
	}
	texts := map[string]bool{}
	for _, f := range sheet.Fields() {
		texts[f.Name] = f.Digits > 0
	}
	fields := line.Fields{}
	for _, w := range words[1:] {
		name, value, found := strings.Cut(w, "=")
		if !found {
			return nil, nil, fmt.Errorf("%w: %.40q: write FIELD=VALUE", ErrNotation, w)
		}
		if texts[name] {
			fields[name] = line.Text(value)
			continue
		}
		n, err := number(value)
		if err != nil {
			return nil, nil, fmt.Errorf("%w: %s: %w", ErrNotation, name, err)
		}
		fields[name] = line.Number(n)
	}
	return sheet, fields, nil
}

func number(text string) (int64, error) {
	digits, bits, counted := strings.Cut(text, "/")
	n, err := strconv.ParseInt(digits, 0, 64)
	if err != nil {
		return 0, fmt.Errorf("%.40q is no whole number: write it like 12, 0x0c or 0b1100", digits)
	}
	if !counted {
		return n, nil
	}
	width, err := strconv.Atoi(bits)
	if err != nil || width < 1 || width > 62 {
		return 0, fmt.Errorf("%.40q: after / stands how many bits it has, 1 to 62", text)
	}
	if n < 0 || n >= 1<<width {
		return 0, fmt.Errorf("%s does not fit into %d bits", digits, width)
	}
	return n, nil
}

// Switches turns the positions of ten coding switches, and on or off, into the twelve values of a PT2262: a switch that
// is up (1) ties its pin to ground (0), one that is down (0) leaves it open (F).
func Switches(words []string) (string, error) {
	if len(words) < 2 {
		return "", fmt.Errorf("%w: write ten positions of coding switches and then on or off, like 11010 01000 on",
			ErrNotation)
	}
	state := strings.ToLower(words[len(words)-1])
	positions := strings.Join(words[:len(words)-1], "")
	if len(positions) != 10 || strings.Trim(positions, "01") != "" {
		return "", fmt.Errorf("%w: %.40q is not ten positions of 1 (up) and 0 (down)", ErrNotation, positions)
	}
	ends := map[string]string{"on": "0F", "off": "F0"}[state]
	if ends == "" {
		return "", fmt.Errorf("%w: %.40q: end with on or off", ErrNotation, state)
	}
	return strings.NewReplacer("1", "0", "0", "F").Replace(positions) + ends, nil
}
