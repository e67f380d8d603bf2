package cli

import (
	"encoding/json"
	"fmt"
	"math"
	"os"
	"strings"
	"time"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/jedib0t/go-pretty/v6/text"
	"golang.org/x/term"

	"urbo/core/line"
	"urbo/core/plain"
	"urbo/wire"
)

// json prints a value as indented JSON.
func (a *app) json(v any) error {
	e := json.NewEncoder(&printed{w: a.exact, json: true})
	e.SetIndent("", "  ")
	return e.Encode(v)
}

// jsonLine prints a value as one line of JSON.
func (a *app) jsonLine(v any) error {
	return json.NewEncoder(&printed{w: a.exact, json: true}).Encode(v)
}

// did prints what came of a change: as JSON what is now, otherwise a sentence.
func (a *app) did(now any, format string, values ...any) error {
	if a.output == "json" {
		return a.json(now)
	}
	fmt.Fprintf(a.Out, format+"\n", values...)
	return nil
}

// done says what was done: in words, or as JSON.
func (a *app) done(as map[string]any, format string, args ...any) error {
	if a.output == "json" {
		return a.json(as)
	}
	_, err := fmt.Fprintf(a.Out, format+"\n", args...)
	return err
}

// table prints rows under a head, columns apart by two spaces and no lines. On a narrow terminal the widest columns are
// wrapped between words.
func (a *app) table(head table.Row, rows []table.Row) {
	t := table.NewWriter()
	t.SetOutputMirror(a.Out)
	style := table.StyleDefault
	style.Options = table.OptionsNoBordersAndSeparators
	style.Box.PaddingLeft, style.Box.PaddingRight = "", "  "
	style.Format.Header = text.FormatDefault
	t.SetStyle(style)
	widths, least := make([]int, len(head)), make([]int, len(head))
	for _, row := range append([]table.Row{head}, rows...) {
		for i, cell := range row {
			if words, ok := cell.(string); ok {
				row[i] = plain.Show(words) // what is hidden would be measured, too
			}
			widths[i] = max(widths[i], text.LongestLineLen(fmt.Sprint(row[i])))
			for word := range strings.FieldsSeq(fmt.Sprint(row[i])) {
				least[i] = max(least[i], text.StringWidthWithoutEscSequences(word))
			}
		}
	}
	shrink(widths, least, a.columns()-2*(len(head)-1))
	var columns []table.ColumnConfig
	for i, w := range widths {
		columns = append(columns, table.ColumnConfig{Number: i + 1, WidthMax: w, WidthMaxEnforcer: text.WrapSoft})
	}
	t.SetColumnConfigs(columns)
	t.AppendHeader(head)
	t.AppendRows(rows)
	t.SuppressTrailingSpaces()
	t.Render()
}

// shrink takes from the widest columns until all fit, or none can be narrower than its longest word.
func shrink(widths, least []int, room int) {
	total := 0
	for _, w := range widths {
		total += w
	}
	for total > room {
		widest := -1
		for i, w := range widths {
			if w > least[i] && (widest < 0 || w > widths[widest]) {
				widest = i
			}
		}
		if widest < 0 {
			return
		}
		widths[widest]--
		total--
	}
}

// columns is how wide the terminal is; a file or a pipe is as wide as anything.
func (a *app) columns() int {
	if f, ok := a.screen.(*os.File); ok {
		if w, _, err := term.GetSize(int(f.Fd())); err == nil && w > 0 {
			return w
		}
	}
	return math.MaxInt32
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

// code prints what a key sends, with what is said of how.
func code(c wire.Code) string {
	out := c.Sheet + " " + fields(c.Fields)
	switch {
	case c.Inline != "":
		out = "a code of its own: " + fields(c.Fields)
	case c.Sheet == "":
		out = fmt.Sprintf("train of %d durations", len(c.Train))
	}
	if c.Repeats != nil {
		out += ", " + plural(*c.Repeats, "repeat", "repeats")
	}
	if c.GapUS > 0 {
		out += fmt.Sprintf(", gap %s", time.Duration(c.GapUS)*time.Microsecond)
	}
	return out
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

// said prints what a press says: one code after another.
func said(in []wire.Reading) string {
	var out []string
	for _, r := range apart(in) {
		out = append(out, strings.TrimSpace(r.Sheet+" "+fields(r.Fields)+measured(r.Measured)))
	}
	return strings.Join(out, ", then ")
}

// apart picks the readings that stand one after another in a press, and leaves out other ways to read the same part.
func apart(in []wire.Reading) []wire.Reading {
	readings := make([]line.Reading, len(in)) // Frames is their place in the list
	for i, r := range in {
		readings[i] = line.Reading{Sheet: r.Sheet, Confidence: r.Confidence, From: r.FromUS, To: r.ToUS, Frames: i}
	}
	out := []wire.Reading{}
	for _, r := range line.Said(readings) {
		out = append(out, in[r.Frames])
	}
	return out
}

// plural is a number with its word.
func plural(n int, one, many string) string { return plain.Count(n, one, many) }
