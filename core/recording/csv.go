package recording

import (
	"bytes"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"math"
	"slices"
	"strconv"
	"strings"
)

// sniffCSV looks for a first line of several columns whose first is called a time, or for lines of two numbers of
// which the first has a decimal point.
func sniffCSV(head []byte) bool {
	first, rest, found := bytes.Cut(bytes.TrimPrefix(head, []byte("\ufeff")), []byte("\n"))
	if !found {
		return false
	}
	comma := separator(first)
	columns := strings.Split(strings.ToLower(string(first)), string(comma))
	if len(columns) < 2 {
		return false
	}
	if strings.Contains(columns[0], "time") || strings.TrimSpace(columns[0]) == "t" {
		return true
	}
	second, _, _ := bytes.Cut(rest, []byte("\n"))
	for _, line := range []string{string(first), string(second)} {
		parts := strings.Split(strings.TrimSpace(line), string(comma))
		if len(parts) < 2 || !strings.ContainsAny(parts[0], ".,") {
			return false
		}
		if _, err := decimal(parts[0]); err != nil {
			return false
		}
	}
	return true
}

func separator(line []byte) byte {
	for _, c := range []byte{';', '\t'} {
		if bytes.IndexByte(line, c) >= 0 {
			return c
		}
	}
	return ','
}

func decimal(s string) (float64, error) {
	v, err := strconv.ParseFloat(strings.Replace(strings.TrimSpace(s), ",", ".", 1), 64)
	if err == nil && (math.IsInf(v, 0) || math.IsNaN(v)) {
		err = strconv.ErrRange
	}
	return v, err
}

// levels reads rows of time and level: one for each change, or one for each sample.
type levels struct {
	r      *Reader
	row    *rowReader
	rows   *csv.Reader
	column int
	scale  float64 // µs of 1 in the time column
	header bool

	began     bool
	start     float64
	last      float64  // time of the row before
	waiting   []sample // until low and high are known
	flowing   bool
	since     float64
	end       float64 // µs of the last row
	low, high float64 // levels seen
	level     bool
}

// Bounds of a table: a file without line ends, or with a quote that is never closed, is one row as long as itself.
const (
	maxRow     = 64 << 10 // bytes
	maxColumns = 256
)

// rowReader ends a row that is too long.
type rowReader struct {
	in   io.Reader
	left int // bytes until then
}

// Read reads on.
func (r *rowReader) Read(p []byte) (int, error) {
	if r.left <= 0 {
		return 0, fmt.Errorf("a row of more than %d bytes: is this a table of times and levels?", maxRow)
	}
	n, err := r.in.Read(p[:min(len(p), r.left)])
	r.left -= n
	return n, err
}

// next reads a row.
func (c *levels) next() ([]string, error) {
	c.row.left = maxRow
	return c.rows.Read()
}

// sample is a level at a time.
type sample struct{ us, level float64 }

// lookRows is how many rows are looked at before the levels of mark and space are believed.
const lookRows = 1 << 16

func openCSV(r *Reader) (source, error) {
	head, _ := r.in.Peek(headSize)
	if bytes.HasPrefix(head, []byte("\ufeff")) {
		_, _ = r.in.Discard(3)
		head = head[3:]
	}
	first, _, _ := bytes.Cut(head, []byte("\n"))
	c := &levels{r: r, row: &rowReader{in: r.in}, column: 1, scale: 1e6}
	c.rows = csv.NewReader(c.row)
	c.rows.Comma, c.rows.ReuseRecord, c.rows.FieldsPerRecord, c.rows.TrimLeadingSpace = rune(separator(first)), true,
		-1, true
	c.rows.LazyQuotes, c.rows.Comment = true, '#'
	row, err := c.next()
	if err != nil {
		return nil, fmt.Errorf("line 1: %w", err)
	}
	if len(row) > maxColumns {
		return nil, fmt.Errorf("line 1: %d columns, the most is %d", len(row), maxColumns)
	}
	if len(row) < 2 {
		return nil, errors.New("line 1: one column: a time and a level are needed")
	}
	r.Info.Channels = []string{"2"}
	if _, err := decimal(row[0]); err != nil {
		c.header = true
		c.scale = timeUnit(row[0])
		r.Info.Channels = nil
		for _, name := range row[1:] {
			r.Info.Channels = append(r.Info.Channels, strings.TrimSpace(strings.Clone(name)))
		}
	} else {
		for i := range row[2:] {
			r.Info.Channels = append(r.Info.Channels, strconv.Itoa(i+3))
		}
	}
	r.Info.Channel = r.Info.Channels[0]
	if o := r.options.Channel; o != "" {
		i := slices.Index(r.Info.Channels, o)
		if i < 0 {
			return nil, fmt.Errorf("channel %.40q: there are %s", o, listed(r.Info.Channels))
		}
		c.column, r.Info.Channel = i+1, o
	}
	if !c.header {
		return c, c.take(row)
	}
	return c, nil
}

// timeUnit reads the unit out of the head of a time column: seconds unless it says otherwise.
func timeUnit(head string) float64 {
	words := strings.FieldsFunc(strings.ToLower(head), func(c rune) bool {
		return strings.ContainsRune(" _[](){}/.-",
			c)
	})
	for _, u := range []struct {
		names []string
		us    float64
	}{{[]string{"ns", "nanoseconds"}, 1e-3}, {[]string{"us", "µs", "μs", "microseconds"}, 1},
		{[]string{"ms", "milliseconds"}, 1e3}} {
		for _, w := range words {
			if slices.Contains(u.names, w) {
				return u.us
			}
		}
	}
	return 1e6
}

func (c *levels) step() error {
	for range 1024 {
		row, err := c.next()
		if errors.Is(err, io.EOF) {
			c.flow()
			c.r.build.add(c.level, c.end-c.since)
			return io.EOF
		}
		if err != nil {
			return err // it names the line
		}
		if err := c.take(row); err != nil {
			return err
		}
	}
	return nil
}

func (c *levels) take(row []string) error {
	line, _ := c.rows.FieldPos(0)
	if len(row) <= c.column {
		return fmt.Errorf("line %d: %d columns, and channel %s is column %d", line, len(row), c.r.Info.Channel,
			c.column+1)
	}
	t, err := decimal(row[0])
	if err != nil {
		return fmt.Errorf("line %d: time %.20q is no number", line, row[0])
	}
	v, err := decimal(row[c.column])
	if err != nil {
		return fmt.Errorf("line %d: level %.20q is no number", line, row[c.column])
	}
	if !c.began {
		c.began, c.start, c.last, c.low, c.high = true, t, t, v, v
	}
	if t < c.last {
		return fmt.Errorf("line %d: time goes back from %g to %g", line, c.last, t)
	}
	c.last = t
	c.low, c.high = min(c.low, v), max(c.high, v)
	next := sample{(t - c.start) * c.scale, v}
	if c.flowing {
		c.cut(next)
	} else if c.waiting = append(c.waiting, next); len(c.waiting) == lookRows {
		c.flow()
	}
	return nil
}

// flow takes the rows that waited.
func (c *levels) flow() {
	if c.flowing {
		return
	}
	c.flowing = true
	for i, s := range c.waiting {
		if i == 0 {
			c.level = c.high > c.low && s.level > (c.low+c.high)/2 || c.high == c.low && s.level > 0.5
		}
		c.cut(s)
	}
	c.waiting = nil
}

// cut compares a level with the middle of what was seen, with some hysteresis.
func (c *levels) cut(s sample) {
	c.end = s.us
	cut, swing := (c.low+c.high)/2, c.high-c.low
	if c.level {
		cut -= 0.05 * swing
	} else {
		cut += 0.05 * swing
	}
	if swing > 0 && (s.level > cut) != c.level {
		c.r.build.add(c.level, s.us-c.since)
		c.level, c.since = !c.level, s.us
	}
}
