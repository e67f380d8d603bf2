package recording

import (
	"bytes"
	"cmp"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"

	"urbo/core/signal"
)

// text reads lists of numbers: each is a press of its own.
type text struct {
	r       *Reader
	scanner *signal.Scanner
}

// openText reads plain lists of numbers. A text that is none of that, and is short enough to be pasted, is read as
// people paste it.
func openText(r *Reader) (source, error) {
	whole, err := io.ReadAll(io.LimitReader(r.in, maxPasted+1))
	if err != nil {
		return nil, err
	}
	if len(whole) > maxPasted {
		return &text{r, signal.NewScanner(io.MultiReader(bytes.NewReader(whole), r.in))}, nil
	}
	plain := signal.NewScanner(bytes.NewReader(whole))
	ask := false
	for plain.Scan() {
		ask = ask || small(plain.Text().Train)
	}
	if plain.Err() != nil || ask {
		found, err := readPasted(whole)
		if err == nil {
			return &pasted{r, found}, nil
		}
		if errors.Is(err, errUnsure) || errors.Is(err, errNoUnit) {
			return nil, err
		}
	}
	return &text{r, signal.NewScanner(bytes.NewReader(whole))}, nil
}

// small says whether durations are counts of a clock that nobody knows.
func small(train signal.Train) bool {
	return len(train) >= fewestSmall && slices.Sorted(slices.Values(train))[len(train)/2] < smallest
}

// pasted hands out what was read of a pasted text.
type pasted struct {
	r     *Reader
	found reading
}

func (p *pasted) step() error {
	if len(p.found.trains) == 0 {
		return io.EOF
	}
	one := p.found.trains[0]
	p.found.trains = p.found.trains[1:]
	press, err := one.press()
	if err != nil {
		return err
	}
	p.r.Info.Understood = p.found.about
	p.r.ready = append(p.r.ready, press)
	return nil
}

func (t *text) step() error {
	if !t.scanner.Scan() {
		if err := t.scanner.Err(); err != nil {
			return err
		}
		return io.EOF
	}
	found := t.scanner.Text()
	t.r.Info.Understood = found.Notation
	t.r.ready = append(t.r.ready, Press{Trains: pieces(found), Line: found.Line, Name: nameIn(found.Comment)})
	return nil
}

// pieces cuts a list of durations into trains at its long spaces.
func pieces(t signal.Text) []signal.Reception {
	flat := append([]int(nil), t.Train...)
	if t.Gap > 0 {
		flat = append(flat, t.Gap)
	}
	return signal.Split(flat, signal.UnknownGap)
}

// maxArray bounds the text of one array in C, in bytes.
const maxArray = 1 << 20

// sniffArray looks for an array being given its values.
func sniffArray(head []byte) bool {
	i := bytes.IndexByte(head, '{')
	return i > 0 && bytes.Contains(head[:i], []byte("=")) && bytes.Contains(head[:i], []byte("["))
}

// array reads the arrays of a source in C: each list in braces is a press.
type array struct {
	r      *Reader
	line   int
	before []byte  // what stands before the next brace, the end of it
	unit   float64 // µs of 1, 0 where nothing says so
}

func openArray(r *Reader) (source, error) { return &array{r: r, line: 1}, nil }

func (a *array) step() error {
	var body strings.Builder
	began := 0 // the line of the brace, 0 outside
	var before byte
	for {
		c, err := a.r.in.ReadByte()
		if errors.Is(err, io.EOF) && began > 0 {
			return fmt.Errorf("line %d: a brace is opened here and never closed", began)
		}
		if err != nil {
			return err
		}
		if c == '\n' {
			a.line++
		}
		switch {
		case before == '/' && (c == '/' || c == '*'):
			if err := a.comment(c); err != nil {
				return err
			}
			c = ' '
		case c == '/':
		case began == 0 && c == '{':
			began = a.line
		case began > 0 && c == '{':
			return fmt.Errorf("line %d: a brace inside a brace: one list of numbers for each array", a.line)
		case began > 0 && c == '}':
			return a.list(body.String(), began)
		case began > 0:
			if body.Len() > maxArray {
				return fmt.Errorf("line %d: a list of more than %d bytes", began, maxArray)
			}
			body.WriteByte(c)
		default:
			const kept = 200
			if a.before = append(a.before, c); len(a.before) > 2*kept {
				a.before = append(a.before[:0], a.before[kept:]...)
			}
		}
		before = c
	}
}

// comment passes over a comment that began with / and c.
func (a *array) comment(c byte) error {
	var before byte
	for {
		b, err := a.r.in.ReadByte()
		if err != nil {
			return err
		}
		if b == '\n' {
			a.line++
		}
		if c == '/' && b == '\n' || c == '*' && before == '*' && b == '/' {
			return nil
		}
		before = b
	}
}

func (a *array) list(body string, line int) error {
	found, err := signal.ParseText(body)
	if err != nil {
		return fmt.Errorf("line %d: %w", line, err)
	}
	if _, us := saidUnit(string(a.before)); us > 0 {
		a.unit = us
	}
	if a.unit == 0 && small(found.Train) {
		return fmt.Errorf("line %d: %w", line, errNoUnit)
	}
	unit := cmp.Or(a.unit, 1)
	for i, d := range found.Train {
		found.Train[i] = int(float64(d)*unit + 0.5)
	}
	found.Gap = int(float64(found.Gap)*unit + 0.5)
	if err := found.Train.Check(); err != nil || found.Gap > signal.MaxDuration {
		return fmt.Errorf("line %d: with the unit before it a duration is not 1 to %d µs: is the unit right?", line,
			signal.MaxDuration)
	}
	p := Press{Trains: pieces(found), Line: line}
	if m := cArray.FindSubmatch(a.before); m != nil {
		p.Name = nameIn(string(m[1]))
	}
	a.before = a.before[:0]
	a.r.ready = append(a.r.ready, p)
	return nil
}
