package library

import (
	"context"
	"fmt"
	"regexp"
	"strings"

	"urbo/core/device"
	"urbo/core/fault"
)

// mostKeys is how many keys are written at once.
const mostKeys = 200

// ErrKeys is wrapped by errors about a text that gives keys of a device their codes.
var ErrKeys = fault.New(fault.Invalid, "keys")

// namedLine is a line of NAME: CODE.
var namedLine = regexp.MustCompile(`^([\pL\d][\pL\d _.+-]{0,39}?)\s*[:=\t]\s*(.+)$`)

// written is a key with the code that a text has for it.
type written struct {
	key   string
	where string // in the text, in words
	codes []device.Code
	said  string // how the code was understood
}

// WriteAll gives a device the keys that a text has: presses, each with a name before it, or lines of NAME: CODE. Keys
// that are there get the new code, others are made; all or none. Errors are those of Change, or wrap ErrKeys and say
// what cannot be taken.
func (l *Library) WriteAll(ctx context.Context, slug string, h Hand, note Note) (d device.Device, remarks []string,
	err error) {
	all, how, is := l.namedLines(h)
	if !is {
		if all, how, err = l.namedPresses(h); err != nil {
			return d, nil, err
		}
	}
	remarks = []string{fmt.Sprintf("It was understood as %s.", how)}
	at := map[string]string{} // where each key stands
	for _, w := range all {
		if w.key == "" {
			return d, nil, fmt.Errorf("%w: %s has no name before it: write the key's name on the line above, or give "+
				"it to one key alone", ErrKeys, w.where)
		}
		if before, twice := at[w.key]; twice {
			return d, nil, fmt.Errorf("%w: %s and %s are both called %s", ErrKeys, before, w.where, w.key)
		}
		at[w.key] = w.where
		remarks = append(remarks, w.key+": "+w.said)
	}
	d, err = l.ChangeBySlug(ctx, slug, note, func(d *device.Device) error {
		for _, w := range all {
			if err := d.SetCodes(w.key, w.codes); err != nil {
				return fmt.Errorf("%s: %w", w.key, err)
			}
		}
		return nil
	})
	return d, remarks, err
}

// namedLines reads lines of NAME: CODE, as notation.Parse has codes. It is false where one is none.
func (l *Library) namedLines(h Hand) (all []written, how string, is bool) {
	n := 0
	for line := range strings.Lines(h.Text) {
		n++
		line = strings.TrimSpace(line)
		if line == "" || line[0] == '#' {
			continue
		}
		m := namedLine.FindStringSubmatch(line)
		if m == nil || len(all) == mostKeys {
			return nil, "", false
		}
		one := h
		one.Text = m[2]
		codes, remarks, err := l.Read(one)
		if err != nil {
			return nil, "", false
		}
		said := make([]string, len(codes))
		for i, c := range codes {
			said[i] = strings.TrimSpace(c.Sheet + " " + c.Fields.String())
		}
		text := strings.Join(said, " then ")
		if codes[0].Sheet == "" || len(remarks) > 0 {
			text = strings.Join(remarks, " ")
		}
		all = append(all, written{device.Slug(m[1]), fmt.Sprintf("line %d", n), codes, text})
	}
	return all, "lines of NAME: CODE", len(all) > 0
}

// namedPresses reads presses with the names before them.
func (l *Library) namedPresses(h Hand) (all []written, how string, err error) {
	presses, how, err := pressesOf(h.Text, mostKeys+1)
	switch {
	case err != nil:
		return nil, "", err
	case len(presses) == 0:
		return nil, "", fmt.Errorf("%w: no press is found in the text", ErrKeys)
	case len(presses) > mostKeys:
		return nil, "", fmt.Errorf("%w: more than %d presses: paste fewer at once", ErrKeys, mostKeys)
	}
	for i, p := range presses {
		where := fmt.Sprintf("press %d", i+1)
		if p.Line > 0 {
			where += fmt.Sprintf(" (line %d)", p.Line)
		}
		code, said, err := l.clean(p, h)
		if err != nil {
			return nil, "", fmt.Errorf("%w: %s: %w", ErrKeys, where, err)
		}
		all = append(all, written{device.Slug(p.Name), where, []device.Code{code}, said[0]})
	}
	return all, how, nil
}
