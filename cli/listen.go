package cli

import (
	"bytes"
	"fmt"
	"strings"

	"github.com/spf13/cobra"

	"urbo/wire"
)

func (a *app) listen() *cobra.Command {
	var count int
	var asJSON bool
	c := &cobra.Command{
		Use: "listen", Short: "Show what the receivers hear", Args: args(0, 0, "none"),
		Long: "Show every press that the receivers hear: when, where, the most trusted reading, and the key it " +
			"belongs to.",
		RunE: func(c *cobra.Command, _ []string) error {
			if count < 0 {
				return usageError{fmt.Errorf("--count is 1 or more, not %d", count)}
			}
			cl, err := a.client()
			if err != nil {
				return err
			}
			seen := 0
			ready := func() error {
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
				if asJSON || a.output == "json" {
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
				return nil
			}
			return err
		},
	}
	c.Flags().IntVar(&count, "count", 0, "end after so many presses; 0 is never")
	c.Flags().BoolVar(&asJSON, "json", false, "one JSON object per line, the same as --output json")
	return c
}

// heardLine is a capture on one line.
func heardLine(c wire.Capture) string {
	what := "no known line code: " + c.Trains[0].Train.Short()
	if len(c.Readings) > 0 {
		r := c.Readings[0]
		what = fmt.Sprintf("%s %s", r.Sheet, fields(r.Fields))
		if r.Frames+r.Repeats > 1 {
			what += fmt.Sprintf(", %d frames", r.Frames+r.Repeats)
		}
		what += fmt.Sprintf(", confidence %.2f", r.Confidence)
		if n := len(c.Readings) - 1; n > 0 {
			what += fmt.Sprintf(" (and %d other readings)", n)
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
