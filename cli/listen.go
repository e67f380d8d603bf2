package cli

import (
	"bytes"
	"cmp"
	"fmt"
	"slices"
	"strings"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/spf13/cobra"

	"urbo/wire"
)

func (a *app) listen() *cobra.Command {
	var count int
	var asJSON, counts bool
	c := &cobra.Command{
		Use: "listen", Short: "Show what the receivers hear", Args: args(0, 0, "none"),
		Long: `Show every press that the receivers hear: when, where, the most trusted reading, what a sensor measures, and the key it
belongs to. With --tally it counts them instead and shows at the end how often each reading came, and which to trust:
press one key ten times.`,
		Example: "  urbo listen --count 3\n  urbo listen --tally --count 10",
		RunE: func(c *cobra.Command, _ []string) error {
			if count < 0 {
				return usageError{fmt.Errorf("--count is 1 or more, not %d", count)}
			}
			cl, err := a.client()
			if err != nil {
				return err
			}
			seen := 0
			var all tally
			ready := func() error {
				if reason := a.deaf(c.Context(), cl); reason != "" {
					fmt.Fprintln(a.Err, reason)
				}
				fmt.Fprintln(a.Err, "Listening. Press a key on a handset; end with Ctrl-C.")
				return nil
			}
			err = cl.events(c.Context(), ready, func(name string, data []byte) error {
				var w wire.Capture
				if name != "capture" {
					return nil
				}
				if err := decode(bytes.NewReader(data), &w); err != nil || w.Stored {
					return err
				}
				if counts {
					all.add(w)
					fmt.Fprintf(a.errors, "\r%d ", all.presses)
				} else if asJSON || a.output == "json" {
					if err := a.jsonLine(w); err != nil {
						return err
					}
				} else {
					fmt.Fprintln(a.Out, heardLine(w))
				}
				if seen++; seen == count {
					return errStop
				}
				return nil
			})
			if c.Context().Err() != nil {
				err = nil
			}
			if counts && err == nil {
				fmt.Fprintln(a.Err)
				return a.printTally(&all)
			}
			return err
		},
	}
	c.Flags().IntVar(&count, "count", 0, "end after so many presses; 0 is never")
	c.Flags().BoolVar(&counts, "tally", false, "count the readings, and say at the end which to trust")
	c.Flags().BoolVar(&asJSON, "json", false, "one JSON object per line, the same as --output json")
	_ = c.Flags().MarkHidden("json") // of earlier versions
	return c
}

// heardLine is a capture on one line.
func heardLine(c wire.Capture) string {
	what := "no known line code: " + c.Trains[0].Train.Short()
	if len(c.Readings) > 0 {
		r := c.Readings[0]
		what = said(c.Readings)
		if r.Frames+r.Repeats > 1 {
			what += ", " + plural(r.Frames+r.Repeats, "frame", "frames")
		}
		what += fmt.Sprintf(", confidence %.2f", r.Confidence)
		if n := len(c.Readings) - len(apart(c.Readings)); n > 0 {
			what += " (and " + plural(n, "other reading", "other readings") + ")"
		}
	} else if c.Held != "" {
		what = "only repeat frames of " + c.Held
	}
	var whose []string
	for _, k := range c.Keys {
		whose = append(whose, k.String())
	}
	if len(whose) > 0 {
		what += "  = " + strings.Join(whose, ", ")
	}
	if c.Echo {
		what += "  (Urbo's own sending)"
	}
	return fmt.Sprintf("%s  %s/%s  %s", clock(c.At), c.Station, c.Port, what)
}

// tally counts how often each reading came.
type tally struct {
	presses int
	rows    []*counted
	byName  map[string]*counted
}

// counted is one reading, and what spoke for it.
type counted struct {
	Reading    string  `json:"reading"`
	Presses    int     `json:"presses"` // in which it came
	First      int     `json:"first"`   // in which it came before all others
	Confidence float64 `json:"confidence"`
	Keys       string  `json:"keys,omitempty"`
	Trust      bool    `json:"trust"`
}

// add counts the readings of a press.
func (t *tally) add(c wire.Capture) {
	t.presses++
	if t.byName == nil {
		t.byName = map[string]*counted{}
	}
	for i, r := range c.Readings {
		name := r.Sheet + " " + fields(r.Fields)
		row := t.byName[name]
		if row == nil {
			row = &counted{Reading: name}
			t.byName[name], t.rows = row, append(t.rows, row)
		}
		row.Presses++
		row.Confidence = max(row.Confidence, r.Confidence)
		if i == 0 {
			row.First++
			var keys []string
			for _, k := range c.Keys {
				keys = append(keys, k.String())
			}
			row.Keys = strings.Join(keys, ", ")
		}
	}
}

// result is the readings, the most trusted first. The one that came most often before all others is to be trusted,
// where that was in more than half of the presses, or where it was the only one.
func (t *tally) result() []*counted {
	slices.SortStableFunc(t.rows, func(a, b *counted) int {
		return cmp.Or(cmp.Compare(b.First, a.First), cmp.Compare(b.Presses, a.Presses),
			cmp.Compare(b.Confidence, a.Confidence))
	})
	for i, r := range t.rows {
		r.Trust = i == 0 && 2*r.First > t.presses
	}
	return append([]*counted{}, t.rows...)
}

func (a *app) printTally(t *tally) error {
	result := t.result()
	if a.output == "json" {
		return a.json(result)
	}
	if len(result) == 0 {
		fmt.Fprintf(a.Out, "%s, and no known line code in any.\n", plural(t.presses, "press", "presses"))
		return nil
	}
	var rows []table.Row
	for _, r := range result {
		trust := ""
		if r.Trust {
			trust = "trust this one"
		}
		rows = append(rows, table.Row{r.Reading, fmt.Sprintf("%d of %d", r.Presses, t.presses), r.First,
			fmt.Sprintf("%.2f", r.Confidence), r.Keys, trust})
	}
	a.table(table.Row{"READING", "IN PRESSES", "BEST IN", "CONFIDENCE", "KEY", ""}, rows)
	if !result[0].Trust {
		fmt.Fprintln(a.Out, "None came first in more than half of the presses: press one key only, close to the "+
			"receiver.")
	}
	return nil
}
