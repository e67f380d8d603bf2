package signal

import (
	"bufio"
	"errors"
	"fmt"
	"io"
	"strconv"
	"strings"
)

// maxLine bounds one line of text that holds a train, in bytes.
const maxLine = 1 << 20

// Text is a train read from text, with the silence after it where the text gave one.
type Text struct {
	Train Train
	Gap   int // µs of silence after the train, 0 where the text does not say
	Line  int // the line it began on, from 1
	// Notation is how the text was understood, in words: "signed decimal".
	Notation string
	// Comment is the line starting with # that stands before it, without that; "" where none does.
	Comment string
}

// Scanner reads trains from text in any usual notation. A line is a train, unless a bracket is still open or the
// line ends in a comma: then it goes on in the next. Numbers are µs, separated by spaces, commas, semicolons or
// slashes, with or without brackets. They may be decimal, 0x or 0b. Where signs are used, plus (or none) is a
// mark and minus a space, and they must alternate. Blank lines and lines starting with # are passed over.
type Scanner struct {
	lines *bufio.Scanner
	line  int
	text  Text
	err   error
}

// NewScanner reads trains from r.
func NewScanner(r io.Reader) *Scanner {
	lines := bufio.NewScanner(r)
	lines.Buffer(make([]byte, 64<<10), maxLine)
	return &Scanner{lines: lines}
}

// Scan moves to the next train; it is false at the end of the text and at the first error.
func (s *Scanner) Scan() bool {
	if s.err != nil {
		return false
	}
	var parts []string
	comment := ""
	size, depth, began := 0, 0, 0
	for s.lines.Scan() {
		s.line++
		line := strings.TrimSpace(strings.TrimPrefix(s.lines.Text(), "\ufeff"))
		if line == "" || line[0] == '#' {
			if line != "" && began == 0 {
				comment = strings.TrimSpace(strings.TrimLeft(line, "#"))
			}
			continue
		}
		if began == 0 {
			began = s.line
		}
		if size += len(line); size > maxLine {
			s.err = fmt.Errorf("line %d: %w: longer than %d bytes of text", began, ErrMalformed, maxLine)
			return false
		}
		parts = append(parts, line)
		for _, c := range line {
			switch c {
			case '[', '(', '{':
				depth++
			case ']', ')', '}':
				depth--
			}
		}
		if depth < 0 {
			s.err = fmt.Errorf("line %d: %w: a bracket is closed that was never opened", s.line, ErrMalformed)
			return false
		}
		if depth == 0 && !strings.HasSuffix(line, ",") {
			break
		}
	}
	if err := s.lines.Err(); errors.Is(err, bufio.ErrTooLong) {
		s.err = fmt.Errorf("line %d: %w: longer than %d bytes: is this a list of durations?", s.line+1, ErrMalformed,
			maxLine)
		return false
	} else if err != nil {
		s.err = fmt.Errorf("line %d: read trains: %w", s.line+1, err)
		return false
	}
	if len(parts) == 0 {
		return false
	}
	if depth > 0 {
		s.err = fmt.Errorf("line %d: %w: a bracket is opened here and never closed", began, ErrMalformed)
		return false
	}
	text, err := ParseText(strings.Join(parts, " "))
	if err != nil {
		s.err = fmt.Errorf("line %d: %w", began, err)
		return false
	}
	text.Line, text.Comment = began, comment
	s.text = text
	return true
}

// Text is the train that the last Scan found.
func (s *Scanner) Text() Text { return s.text }

// Err is the error that ended the scan, nil at the end of the text. It names the line.
func (s *Scanner) Err() error { return s.err }

// ParseText reads one train in any notation that Scanner understands. Errors wrap ErrMalformed and name the number
// that is wrong, counted from 1.
func ParseText(text string) (Text, error) {
	words := strings.FieldsFunc(text, func(c rune) bool {
		return strings.ContainsRune(" \t\r\n,;/[](){}", c)
	})
	if len(words) == 0 {
		return Text{}, fmt.Errorf("%w: no numbers in it", ErrMalformed)
	}
	if len(words) > MaxDurations+2 { // a leading and a trailing silence may stand around the longest train
		return Text{}, fmt.Errorf("%w: %d numbers, the most is %d: split the recording into presses", ErrMalformed,
			len(words), MaxDurations)
	}
	signed, base := false, "decimal"
	for _, w := range words {
		if w[0] == '-' || w[0] == '+' {
			signed = true
		}
		switch strings.ToLower(strings.TrimLeft(w, "+-") + "  ")[:2] {
		case "0x":
			base = "hexadecimal"
		case "0b":
			base = "binary"
		}
	}
	durations := make([]int, 0, len(words))
	space := false // what the number before was
	for i, w := range words {
		d, err := parseNumber(w)
		if err != nil {
			return Text{}, fmt.Errorf("%w: number %d is %q: write whole µs like 564, +564 or 0x234", ErrMalformed, i+1,
				clip(w))
		}
		if signed {
			if len(durations) > 0 && space == (d < 0) {
				return Text{}, fmt.Errorf("%w: number %d is %s and so was the one before: marks (+) and spaces (-) "+
					"must alternate", ErrMalformed, i+1, kindOf(d))
			}
			if space = d < 0; space {
				d = -d
			}
			if len(durations) == 0 && space { // silence before the first mark
				if d > 0 {
					continue
				}
			}
		}
		if d < 1 || d > MaxDuration {
			return Text{}, fmt.Errorf("%w: number %d is %s: a duration is 1 to %d µs", ErrMalformed, i+1, clip(w),
				MaxDuration)
		}
		durations = append(durations, d)
	}
	out := Text{Train: durations, Notation: base + " µs, mark and space in turn"}
	if signed {
		out.Notation = base + " µs, + is a mark and - a space"
	}
	if len(durations)%2 == 0 && len(durations) > 0 {
		out.Gap = durations[len(durations)-1]
		out.Train = durations[:len(durations)-1]
	}
	if len(out.Train) == 0 {
		return Text{}, fmt.Errorf("%w: no mark in it", ErrMalformed)
	}
	return out, out.Train.Check()
}

func parseNumber(word string) (int, error) {
	sign := 1
	switch word[0] {
	case '+':
		word = word[1:]
	case '-':
		sign, word = -1, word[1:]
	}
	if word == "" || word[0] == '-' || word[0] == '+' {
		return 0, strconv.ErrSyntax
	}
	base, lower := 10, strings.ToLower(word)
	if strings.HasPrefix(lower, "0x") || strings.HasPrefix(lower, "0b") {
		base = 0
	}
	n, err := strconv.ParseInt(lower, base, 32)
	return sign * int(n), err
}

func kindOf(d int) string {
	if d < 0 {
		return "a space"
	}
	return "a mark"
}

func clip(s string) string {
	if r := []rune(s); len(r) > 24 {
		return string(r[:24]) + "…"
	}
	return s
}
