package recording

import (
	"bufio"
	"bytes"
	"errors"
	"fmt"
	"io"
	"math"
	"slices"
	"strconv"
	"strings"
)

// sniffCSV looks for a table of times and levels, or for a first line of several columns whose first is called a time.
func sniffCSV(head []byte) bool {
	if _, ok := tableOf(head); ok {
		return true
	}
	first, _, found := bytes.Cut(bytes.TrimPrefix(head, []byte("\ufeff")), []byte("\n"))
	if !found {
		return false
	}
	t, ok := plainTable(first)
	return (ok || t.columns > maxColumns) && t.names != nil && timeName.MatchString(t.name(0))
}

// levels reads rows of time and level: one for each change, or one for each sample; or of levels and how long they
// last. Most rows of samples have the level of the row before: then nothing is worked out of them.
type levels struct {
	r      *Reader
	table  table
	column int
	line   int // that was read last

	buf, rest []byte // what was read, and of it the row that is not whole
	// same is the end of the row before, from the comma before its level, where that is the last column.
	same, kept []byte
	lineEnd    []byte // what stands before the end of a line
	clock      []byte // time of the row before
	rows       int    // that were read

	began     bool
	start     float64  // time of the first row, in its unit
	last      float64  // time of the row before
	waiting   []sample // until low and high are known
	flowing   bool
	since     float64
	end       float64 // µs of the last row
	low, high float64 // levels seen
	before    sample
	level     bool
	fine      bool // there are more levels than two: an edge is between two rows
}

// Bounds of a table: a file without line ends is one row as long as itself.
const (
	maxRow     = 64 << 10 // bytes
	maxColumns = 256
)

// sample is a level at a time.
type sample struct{ us, level float64 }

const (
	// lookRows is how many rows are looked at before the levels of mark and space are believed.
	lookRows = 1 << 16
	// tableSample is how much of a table is looked at to find out what its columns are.
	tableSample = 1 << 20
	// clockRows is after how many rows of one level the time is looked at.
	clockRows = 4096
)

func openCSV(r *Reader) (source, error) {
	r.in = bufio.NewReaderSize(r.in, tableSample)
	head, _ := r.in.Peek(tableSample)
	if bytes.HasPrefix(head, []byte("\ufeff")) {
		_, _ = r.in.Discard(3)
		head = head[3:]
	}
	if len(head) < tableSample && !bytes.HasSuffix(head, []byte("\n")) {
		head = append(slices.Clip(head), '\n') // the file ends without one
	}
	t, ok := tableOf(head)
	if !ok {
		if t, ok = plainTable(head); t.columns > maxColumns {
			return nil, fmt.Errorf("line 1: %d columns, the most is %d", t.columns, maxColumns)
		} else if !ok {
			return nil, errors.New("no table of times and levels: a row has to have a time and a level, and what " +
				"stands before the rows the unit, or the rate of the samples")
		}
	}
	c := &levels{r: r, table: t, buf: make([]byte, 0, 2*maxRow)}
	return c, c.pick(head)
}

// plainTable is a table of seconds and levels as its first row has them: what is wrong in it is said where it is read.
func plainTable(head []byte) (table, bool) {
	first, _, _ := bytes.Cut(head, []byte("\n"))
	t := table{comma: ',', decimal: '.', scale: 1e6, lasting: -1, first: 1}
	for _, c := range []byte{';', '\t'} {
		if bytes.IndexByte(first, c) >= 0 {
			t.comma = c
		}
	}
	if t.comma == ';' && bytes.IndexByte(first, ',') >= 0 {
		t.decimal = ','
	}
	cells := bytes.Split(bytes.TrimSpace(first), []byte{t.comma})
	if t.columns = len(cells); t.columns < 2 {
		return t, false
	}
	if _, number := t.number(cells[0]); !number {
		t.first = 2
		for _, c := range cells {
			t.names = append(t.names, strings.TrimSpace(string(c)))
		}
		if unit := timeUnit(t.names[0]); unit > 0 {
			t.scale = unit
		}
	}
	return t, t.columns <= maxColumns
}

// pick chooses the column of the levels: the one that is asked for, else the one that looks most like a signal.
func (c *levels) pick(head []byte) error {
	t := c.table
	var columns []int
	for i := range t.columns {
		if i == t.time && t.step == 0 && t.lasting < 0 || i == t.lasting {
			continue
		}
		columns = append(columns, i)
		name := strconv.Itoa(i + 1)
		if t.names != nil && t.names[i] != "" {
			name = t.names[i]
		}
		c.r.Info.Channels = append(c.r.Info.Channels, name)
	}
	if len(columns) == 0 {
		return errors.New("no column of levels")
	}
	at := 0
	if o := c.r.options.Channel; o != "" {
		if at = slices.Index(c.r.Info.Channels, o); at < 0 {
			return fmt.Errorf("channel %.40q: there are %s", o, listed(c.r.Info.Channels))
		}
	} else if len(columns) > 1 {
		lines := bytes.Split(head, []byte("\n"))
		sample := t.sample(lines[min(t.first-1, len(lines)):])
		best := -1.0
		for i, column := range columns {
			if worth := keying(sample[column]); worth > best {
				at, best = i, worth
			}
		}
	}
	c.column, c.r.Info.Channel = columns[at], c.r.Info.Channels[at]
	return nil
}

// keying is how much a column of levels looks like a signal: it changes between two levels, and not evenly.
func keying(values []float64) float64 {
	if len(values) == 0 {
		return 0
	}
	low, high := slices.Min(values), slices.Max(values)
	if high <= low {
		return 0
	}
	level, last := values[0] > (low+high)/2, 0
	widths := map[int]bool{}
	edges, middle := 0, 0
	for i, v := range values {
		part := (v - low) / (high - low)
		if part > 0.33 && part < 0.67 {
			middle++
		}
		if !level && part > 0.6 || level && part < 0.4 {
			level = !level
			edges++
			widths[int(5*math.Log(float64(i-last+1)))] = true
			last = i
		}
	}
	worth := 1.0
	if edges >= 2*fewestEdges && len(widths) >= 3 {
		worth = 2
	}
	return worth * (1 - float64(middle)/float64(len(values)))
}

func (c *levels) step() error {
	n, err := c.r.in.Read(c.buf[len(c.rest):cap(c.buf)])
	c.buf = c.buf[:len(c.rest)+n]
	rows := c.buf
	for {
		end := bytes.IndexByte(rows, '\n')
		if end < 0 {
			break
		}
		row := rows[:end]
		rows = rows[end+1:]
		c.line++
		// A row that ends like the one before has the same level.
		if n := len(row) - len(c.same); len(c.same) > 0 && n > 0 && string(row[n:]) == string(c.same) {
			c.rows++
			if c.clock = row[:n]; c.rows%clockRows == 0 {
				if err := c.look(); err != nil {
					return err
				}
			}
			continue
		}
		if c.line >= c.table.first {
			if err := c.take(row); err != nil {
				return err
			}
		}
	}
	c.keepClock() // it is in the buffer, which is used again
	c.rest = c.buf[:copy(c.buf, rows)]
	switch {
	case errors.Is(err, io.EOF):
		if len(c.rest) > 0 {
			c.line++
			if err := c.take(c.rest); err != nil && c.rows == 0 { // else the last row is cut off
				return err
			}
		}
		return c.finish()
	case err != nil:
		return err
	case len(c.rest) >= maxRow:
		return fmt.Errorf("line %d: a row of more than %d bytes: is this a table of times and levels?", c.line+1,
			maxRow)
	}
	return nil
}

func (c *levels) keepClock() {
	if len(c.clock) > 0 {
		c.kept = append(c.kept[:0], c.clock...)
		c.clock = c.kept
	}
}

func (c *levels) finish() error {
	if err := c.look(); err != nil {
		return err
	}
	c.flow()
	c.r.build.add(c.level, c.end-c.since)
	return io.EOF
}

// take reads one row.
func (c *levels) take(row []byte) error {
	if c.rows == 0 {
		c.lineEnd = nil
		if whole := len(row); whole > 0 && row[whole-1] == '\r' {
			c.lineEnd = []byte{'\r'}
		}
	}
	row = trimmed(row)
	if len(row) == 0 || row[0] == '#' || row[0] == '%' {
		return nil
	}
	var clock, level []byte
	rest := row
	for i := 0; ; i++ {
		cell := rest
		end := bytes.IndexByte(rest, c.table.comma)
		if end >= 0 {
			cell = rest[:end]
		}
		switch i {
		case c.column:
			level = cell
		case c.table.time, c.table.lasting:
			clock = cell
		}
		if end < 0 || i >= max(c.column, c.table.time, c.table.lasting) {
			if i < max(c.column, c.table.time, c.table.lasting) {
				return fmt.Errorf("line %d: %d columns, and channel %s is column %d", c.line, i+1, c.r.Info.Channel,
					c.column+1)
			}
			break
		}
		rest = rest[end+1:]
	}
	c.rows++
	v, ok := c.table.number(level)
	if !ok {
		return fmt.Errorf("line %d: level %.20q is no number", c.line, level)
	}
	if c.table.lasting >= 0 {
		return c.lasts(v, clock)
	}
	if c.flowing && c.fine { // the time of the row before is needed between two levels
		if err := c.look(); err != nil {
			return err
		}
	}
	c.clock = clock
	us, err := c.now()
	if err != nil {
		return err
	}
	c.low, c.high = min(c.low, v), max(c.high, v)
	if c.rows == 1 {
		c.low, c.high = v, v
	}
	next := sample{us, v}
	if c.flowing {
		c.cut(next)
		if n := len(row) - len(level) - 1; n > 0 && c.table.time == 0 && c.column == 1 && c.table.columns == 2 {
			c.same = append(append(c.same[:0], row[n:]...), c.lineEnd...)
		}
	} else if c.waiting = append(c.waiting, next); len(c.waiting) == lookRows {
		c.flow()
	}
	return nil
}

// lasts takes a level and how long it lasts.
func (c *levels) lasts(v float64, clock []byte) error {
	d, ok := c.table.number(clock)
	if !ok || d < 0 {
		return fmt.Errorf("line %d: duration %.20q is no number", c.line, clock)
	}
	c.low, c.high, c.flowing = min(c.low, v), max(c.high, v), true
	c.r.build.add(v > (c.low+c.high)/2, d*c.table.scale)
	return nil
}

// trimmed is a row without its end and the blanks around it.
func trimmed(row []byte) []byte {
	for n := len(row); n > 0 && (row[n-1] == '\n' || row[n-1] == '\r' || row[n-1] == ' '); n-- {
		row = row[:n-1]
	}
	for len(row) > 0 && row[0] == ' ' {
		row = row[1:]
	}
	return row
}

// now is the time of the row that was read last, in µs since the first one.
func (c *levels) now() (float64, error) {
	if c.table.step > 0 {
		return float64(c.rows-1) * c.table.step, nil
	}
	t, ok := c.table.number(c.clock)
	if !ok {
		return 0, fmt.Errorf("line %d: time %.20q is no number", c.line, c.clock)
	}
	if !c.began {
		c.began, c.start, c.last = true, t, t
	}
	if t < c.last {
		return 0, fmt.Errorf("line %d: time goes back from %g to %g", c.line, c.last, t)
	}
	c.last = t
	return (t - c.start) * c.table.scale, nil
}

// look takes the time of the row that was read last.
func (c *levels) look() error {
	if c.rows == 0 || !c.flowing || c.table.lasting >= 0 {
		return nil
	}
	us, err := c.now()
	if err != nil {
		return err
	}
	c.end, c.before.us = us, us
	return nil
}

// flow takes the rows that waited.
func (c *levels) flow() {
	if c.flowing {
		return
	}
	c.flowing = true
	different := map[float64]bool{}
	for i, s := range c.waiting {
		if i == 0 {
			c.level = c.high > c.low && s.level > (c.low+c.high)/2 || c.high == c.low && s.level > 0.5
			c.before = s
		}
		if len(different) <= 3 {
			different[s.level] = true
			c.fine = len(different) > 3
		}
	}
	for _, s := range c.waiting {
		c.cut(s)
	}
	c.waiting = nil
}

// cut compares a level with the middle of what was seen, with some hysteresis. Between two samples an edge is where the
// middle is crossed.
func (c *levels) cut(s sample) {
	c.end = s.us
	middle, swing := (c.low+c.high)/2, c.high-c.low
	limit := middle + 0.1*swing
	if c.level {
		limit = middle - 0.1*swing
	}
	if swing > 0 && (s.level > limit) != c.level {
		at := s.us
		if c.fine && s.level != c.before.level {
			part := (middle - c.before.level) / (s.level - c.before.level)
			at = max(c.before.us+min(max(part, 0), 1)*(s.us-c.before.us), c.since)
		}
		c.r.build.add(c.level, at-c.since)
		c.level, c.since = !c.level, at
	}
	c.before = s
}
