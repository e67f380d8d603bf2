package cli

import (
	"fmt"
	"io"
	"os"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/spf13/cobra"

	"urbo/core/line"
	"urbo/core/signal"
	"urbo/wire"
)

func (a *app) bench() *cobra.Command {
	c := &cobra.Command{Use: "bench", Short: "Look into signals, without a service", Args: args(0, 0, "decode"),
		RunE: func(c *cobra.Command, _ []string) error { return c.Help() }}
	c.AddCommand(a.benchDecode())
	return c
}

func (a *app) benchDecode() *cobra.Command {
	return &cobra.Command{
		Use: "decode [FILE|-]", Short: "Read trains from text and say which line code they are", Args: args(0, 1, "a FILE, or - for standard input"),
		Long: `Read trains from a file or standard input and say which line code they are.

A line is a train, unless a bracket is still open or the line ends in a comma. Numbers are µs, signed
(+ mark, - space) or not, apart by spaces, commas or slashes.`,
		Example: "  echo 9024/4512 564/564 564/1692 … | urbo bench decode\n  urbo bench decode trains.txt --output json",
		RunE: func(_ *cobra.Command, argv []string) error {
			in := a.In
			if len(argv) == 1 && argv[0] != "-" {
				f, err := os.Open(argv[0])
				if err != nil {
					return fmt.Errorf("open trains: %w", err)
				}
				defer f.Close()
				in = f
			}
			return a.decode(in)
		},
	}
}

// decode prints the readings of every train in a text.
func (a *app) decode(in io.Reader) error {
	scanner := signal.NewScanner(in)
	book := line.Builtin()
	trains := 0
	for scanner.Scan() {
		t := scanner.Text()
		trains++
		d := book.Decode([]signal.Heard{{Train: t.Train, Gap: t.Gap}})
		if a.output == "json" {
			if err := a.jsonLine(wire.Decoded{Readings: wire.Readings(d.Readings)}); err != nil {
				return err
			}
			continue
		}
		if trains > 1 {
			fmt.Fprintln(a.Out)
		}
		fmt.Fprintf(a.Out, "Line %d: %d durations, %.1f ms: %s\n", t.Line, len(t.Train), float64(t.Train.Length())/1000, t.Train.Short())
		a.printReadings(d)
	}
	if err := scanner.Err(); err != nil {
		return err
	}
	if trains == 0 && a.output == "table" {
		fmt.Fprintln(a.Out, "No trains in the text.")
	}
	return nil
}

func (a *app) printReadings(d line.Decoded) {
	if len(d.Readings) == 0 {
		if d.Held != "" {
			fmt.Fprintf(a.Out, "A repeat frame of %s: the key was still held.\n", d.Held)
			return
		}
		fmt.Fprintln(a.Out, "No known line code fits.")
		return
	}
	var rows []table.Row
	for _, r := range d.Readings {
		rows = append(rows, table.Row{r.Sheet, r.Fields.String(), r.Frames, r.Repeats, fmt.Sprintf("%.1f µs", r.Unit), fmt.Sprintf("%+.0f µs", r.Stretch), fmt.Sprintf("%.0f µs", r.Deviation), fmt.Sprintf("%.2f", r.Confidence)})
	}
	a.table(table.Row{"SHEET", "FIELDS", "FRAMES", "REPEATS", "UNIT", "STRETCH", "DEVIATION", "CONFIDENCE"}, rows)
}
