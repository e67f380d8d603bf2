package cli

import (
	"encoding/json"
	"fmt"
	"strings"
	"time"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/jedib0t/go-pretty/v6/text"

	"urbo/wire"
)

// json prints a value as indented JSON.
func (a *app) json(v any) error {
	e := json.NewEncoder(a.Out)
	e.SetIndent("", "  ")
	return e.Encode(v)
}

// jsonLine prints a value as one line of JSON.
func (a *app) jsonLine(v any) error { return json.NewEncoder(a.Out).Encode(v) }

// table prints rows under a head, columns apart by two spaces and no lines.
func (a *app) table(head table.Row, rows []table.Row) {
	t := table.NewWriter()
	t.SetOutputMirror(a.Out)
	style := table.StyleDefault
	style.Options = table.OptionsNoBordersAndSeparators
	style.Box.PaddingLeft, style.Box.PaddingRight = "", "  "
	style.Format.Header = text.FormatDefault
	t.SetStyle(style)
	t.AppendHeader(head)
	t.AppendRows(rows)
	t.SuppressTrailingSpaces()
	t.Render()
}

// clock prints a time of day, with the date when it is not today.
func clock(t time.Time) string {
	now := time.Now()
	t = t.Local()
	if t.Year() == now.Year() && t.YearDay() == now.YearDay() {
		return t.Format("15:04:05")
	}
	return t.Format("2006-01-02 15:04:05")
}

// fields prints the fields of a reading in the order of their names: "address=4 command=8".
func fields(in map[string]any) string {
	names := make([]string, 0, len(in))
	for name := range in {
		names = append(names, name)
	}
	sortStrings(names)
	for i, name := range names {
		names[i] = fmt.Sprintf("%s=%v", name, in[name])
	}
	return strings.Join(names, " ")
}

// code prints what a key sends.
func code(c wire.Code) string {
	if c.Sheet == "" {
		return fmt.Sprintf("train of %d durations", len(c.Train))
	}
	return c.Sheet + " " + fields(c.Fields)
}

// codes prints what a key sends, in order.
func codes(in []wire.Code) string {
	if len(in) == 0 {
		return "not learned yet"
	}
	out := make([]string, len(in))
	for i, c := range in {
		out[i] = code(c)
	}
	return strings.Join(out, ", then ")
}

// plural is a number with its word.
func plural(n int, one, many string) string {
	if n == 1 {
		return "1 " + one
	}
	return fmt.Sprintf("%d %s", n, many)
}
