package recording

import (
	"bufio"
	"bytes"
	"errors"
	"fmt"
	"io"
	"slices"
	"strconv"
	"strings"
)

func sniffVCD(head []byte) bool {
	head = bytes.TrimLeft(head, "\ufeff \t\r\n")
	for _, word := range []string{"$date", "$version", "$comment", "$timescale", "$scope", "$var"} {
		if bytes.HasPrefix(head, []byte(word)) {
			return true
		}
	}
	return false
}

// vcd reads a value change dump (IEEE 1364, clause 18): scalar wires, of which one is followed.
type vcd struct {
	r     *Reader
	words *bufio.Scanner
	line  int
	scale float64 // µs of one step of time
	ids   map[string]string
	id    string // of the channel that is followed, "" until one changes
	now   float64
	began bool
	level bool
	since float64
	valid bool            // level is known
	first map[string]bool // levels at the start, until a channel is followed
}

// maxWires is the most wires of a dump.
const maxWires = 1024

func openVCD(r *Reader) (source, error) {
	v := &vcd{r: r, words: bufio.NewScanner(r.in), line: 1, ids: map[string]string{}, first: map[string]bool{}}
	v.words.Buffer(make([]byte, 4096), 1<<16)
	v.words.Split(v.split)
	if err := v.header(); err != nil {
		return nil, fmt.Errorf("line %d: %w", v.line, err)
	}
	if r.options.Channel != "" {
		for id, name := range v.ids {
			if name == r.options.Channel {
				v.id = id
			}
		}
		if v.id == "" {
			return nil, fmt.Errorf("channel %.40q: there are %s", r.options.Channel,
				listed(r.Info.Channels))
		}
		r.Info.Channel = r.options.Channel
	}
	return v, nil
}

// split gives words and counts lines.
func (v *vcd) split(data []byte, atEOF bool) (int, []byte, error) {
	start := 0
	for start < len(data) && data[start] <= ' ' {
		if data[start] == '\n' {
			v.line++
		}
		start++
	}
	for i := start; i < len(data); i++ {
		if data[i] <= ' ' {
			return i, data[start:i], nil
		}
	}
	if atEOF && start < len(data) {
		return len(data), data[start:], nil
	}
	return start, nil, nil
}

func (v *vcd) next() (string, error) {
	if v.words.Scan() {
		return v.words.Text(), nil
	}
	if err := v.words.Err(); err != nil {
		return "", err
	}
	return "", io.EOF
}

// section collects the words up to $end.
func (v *vcd) section(name string) ([]string, error) {
	var out []string
	for {
		w, err := v.next()
		switch {
		case err != nil:
			return nil, fmt.Errorf("%s without its $end", name)
		case w == "$end":
			return out, nil
		case len(out) < 16:
			out = append(out, w)
		}
	}
}

func (v *vcd) header() error {
	for {
		name, err := v.next()
		if err != nil {
			return errors.New("the file ends inside its header")
		}
		if !strings.HasPrefix(name, "$") {
			return fmt.Errorf("%.20q where a section of the header was expected", name)
		}
		words, err := v.section(name)
		if err != nil {
			return err
		}
		switch name {
		case "$timescale":
			if v.scale, err = timescale(strings.Join(words, "")); err != nil {
				return err
			}
		case "$var":
			if len(words) < 4 {
				return errors.New("a $var without type, size, id and name")
			}
			if words[1] == "1" && words[0] != "real" && len(v.ids) < maxWires {
				v.ids[words[2]] = words[3]
				if !slices.Contains(v.r.Info.Channels, words[3]) {
					v.r.Info.Channels = append(v.r.Info.Channels, words[3])
				}
			}
		case "$enddefinitions":
			switch {
			case v.scale == 0:
				return errors.New("no $timescale: how long is a step of time?")
			case len(v.ids) == 0:
				return errors.New("no channel of one bit")
			}
			return nil
		}
	}
}

// timescale is how many µs "100 ns" is.
func timescale(text string) (float64, error) {
	for _, u := range []struct {
		name string
		us   float64
	}{{"fs", 1e-9}, {"ps", 1e-6}, {"ns", 1e-3}, {"us", 1}, {"ms", 1e3}, {"s", 1e6}} {
		if n, ok := strings.CutSuffix(text, u.name); ok {
			v, err := strconv.Atoi(n)
			if err != nil || v != 1 && v != 10 && v != 100 {
				break
			}
			return float64(v) * u.us, nil
		}
	}
	return 0, fmt.Errorf("timescale %.20q: it is 1, 10 or 100, and s, ms, us, ns, ps or fs", text)
}

// step reads some words of the dump.
func (v *vcd) step() error {
	for range 4096 {
		w, err := v.next()
		if errors.Is(err, io.EOF) {
			if v.valid {
				v.r.build.add(v.level, v.now-v.since)
			}
			return io.EOF
		}
		if err != nil {
			return fmt.Errorf("line %d: %w", v.line, err)
		}
		if err := v.change(w); err != nil {
			return fmt.Errorf("line %d: %w", v.line, err)
		}
	}
	return nil
}

func (v *vcd) change(w string) error {
	switch w[0] {
	case '#':
		t, err := strconv.ParseUint(w[1:], 10, 63)
		now := float64(t) * v.scale
		if err != nil {
			return fmt.Errorf("time %.20q is no number", w)
		}
		if now < v.now {
			return fmt.Errorf("time goes back from #%.0f to %s", v.now/v.scale, w)
		}
		if !v.began {
			v.began, v.since = true, now
		}
		v.now = now
	case '0', '1', 'x', 'X', 'z', 'Z':
		v.set(w[1:], w[0] == '1')
	case 'b', 'B', 'r', 'R':
		id, err := v.next()
		if err != nil {
			return errors.New("a value without its channel")
		}
		v.set(id, strings.TrimLeft(w[1:], "0") == "1")
	case '$':
		if w == "$comment" {
			_, err := v.section(w)
			return err
		}
	default:
		return fmt.Errorf("%.20q is neither a time nor a value", w)
	}
	return nil
}

// set is a change of a channel. Without one asked for, the first that changes after the start is followed; until
// then the levels at the start are kept.
func (v *vcd) set(id string, level bool) {
	name, known := v.ids[id]
	if !known {
		return
	}
	if v.id == "" {
		before, seen := v.first[id]
		if !seen {
			v.first[id] = level
			return
		}
		if before == level {
			return
		}
		v.id, v.level, v.valid = id, before, true
		v.r.Info.Channel = shown(name)
	}
	if id != v.id {
		return
	}
	if v.valid && level != v.level {
		v.r.build.add(v.level, v.now-v.since)
		v.since = v.now
	}
	if !v.valid {
		v.since = v.now
	}
	v.level, v.valid = level, true
}
