package cli

import (
	"fmt"
	"io"
	"os"
	"slices"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/mattn/go-isatty"
	"github.com/spf13/cobra"

	"urbo/core/bench"
	"urbo/core/line"
	"urbo/wire"
)

func (a *app) benchImport() *cobra.Command {
	c := &cobra.Command{
		Use: "import FILE", Short: "List the signals of a recording, equal ones together",
		Args:    args(1, 1, "a FILE, or - for standard input"),
		Example: "  urbo bench import power.wav",
	}
	o := recordingFlags(c)
	c.RunE = func(_ *cobra.Command, argv []string) error {
		r, err := a.openRecording(argv[0], *o)
		if err != nil {
			return err
		}
		defer r.close()
		g := bench.NewGatherer(a.book())
		for n := 0; r.next(&n); {
			g.Add(r.Press())
		}
		found := wire.RecordingOf(r.Info, g, r.Err())
		if a.output == "json" {
			if err := a.json(found); err != nil {
				return err
			}
		} else if found.Presses > 0 || r.Err() == nil {
			a.printRecording(found)
		}
		return r.Err()
	}
	return c
}

func (a *app) printRecording(f wire.Recording) {
	fmt.Fprintf(a.Out, "%s", f.Format)
	if f.Channel != "" {
		fmt.Fprintf(a.Out, ", channel %s", f.Channel)
	}
	if f.RateHz > 0 {
		fmt.Fprintf(a.Out, ", %g samples a second", f.RateHz)
	}
	if f.FrequencyHz > 0 {
		fmt.Fprintf(a.Out, " around %g MHz", f.FrequencyHz/1e6)
	}
	if f.Inverted {
		fmt.Fprint(a.Out, ", inverted: a mark is the low level")
	}
	if f.Understood != "" {
		fmt.Fprintf(a.Out, ": %s", f.Understood)
	}
	fmt.Fprintf(a.Out, "\n%s, %d different; %s left out", plural(f.Presses, "press", "presses"), len(f.Findings),
		plural(f.Strays, "stray pulse", "stray pulses"))
	if f.LeftOut > 0 {
		fmt.Fprintf(a.Out, ", %d more not kept apart (noise?)", f.LeftOut)
	}
	fmt.Fprint(a.Out, "\n\n")
	for _, note := range f.Notes {
		fmt.Fprintf(a.Out, "%s\n", note)
	}
	if len(f.Findings) == 0 {
		fmt.Fprintln(a.Out, "No signal found in it.")
		return
	}
	anyNamed := slices.ContainsFunc(f.Findings, func(x wire.Finding) bool { return x.Name != "" })
	var rows []table.Row
	for _, x := range f.Findings {
		at := fmt.Sprintf("%.3f s", float64(x.AtUS)/1e6)
		if x.Line > 0 {
			at = fmt.Sprintf("line %d", x.Line)
		}
		carrier := ""
		if x.CarrierHz > 0 {
			carrier = fmt.Sprintf("%.1f kHz", float64(x.CarrierHz)/1000)
		} else if f.FrequencyHz > 0 {
			carrier = fmt.Sprintf("%.3f MHz", (f.FrequencyHz+float64(x.OffsetHz))/1e6)
		}
		row := table.Row{at, x.Count, carrier, named(x)}
		if anyNamed {
			row = slices.Insert(row, 3, any(x.Name))
		}
		rows = append(rows, row)
	}
	head := table.Row{"FIRST", "COUNT", "ON", "SIGNAL"}
	if anyNamed {
		head = slices.Insert(head, 3, any("NAME"))
	}
	a.table(head, rows)
	if anyNamed {
		fmt.Fprintln(a.Out, "\nThe names can be keys of a device: urbo device code DEVICE - < FILE")
	}
}

// named says what a finding is, in one line.
func named(x wire.Finding) string {
	switch {
	case len(x.Readings) > 0:
		return fmt.Sprintf("%s %s%s (%.2f)", x.Readings[0].Sheet, fields(x.Readings[0].Fields),
			measured(x.Readings[0].Measured), x.Readings[0].Confidence)
	case x.Held != "":
		return "only repeat frames of " + x.Held
	case x.Structure != nil:
		return "unknown: " + x.Structure.Words
	}
	return fmt.Sprintf("%d durations", len(x.Trains[0].Train))
}

// shownFrom is the size in bytes from which reading a file shows its progress.
const shownFrom = 8 << 20

// progress shows how much of a large file is read, where standard error is a terminal.
func (a *app) progress(f *os.File) io.Reader {
	stderr, ok := a.errors.(*os.File)
	info, err := f.Stat()
	if !ok || err != nil || info.Size() < shownFrom || !isatty.IsTerminal(stderr.Fd()) {
		return f
	}
	return &meter{r: f, size: info.Size(), out: stderr}
}

// meter writes the share that was read whenever it grows by a hundredth.
type meter struct {
	r     io.Reader
	read  int64
	size  int64
	shown int64
	out   io.Writer
}

func (m *meter) Read(p []byte) (int, error) {
	n, err := m.r.Read(p)
	m.read += int64(n)
	if share := 100 * m.read / m.size; share > m.shown {
		m.shown = share
		fmt.Fprintf(m.out, "\r%3d %% read", share)
		if share == 100 {
			fmt.Fprint(m.out, "\r           \r")
		}
	}
	return n, err
}

// carriedBy is the medium and frequency of a signal by its Hz: a carrier is infrared, megahertz are radio.
func carriedBy(hz int) bench.On {
	switch {
	case hz == 0:
		return bench.On{Medium: line.Infrared, Hz: 38_000}
	case hz < 1_000_000:
		return bench.On{Medium: line.Infrared, Hz: hz}
	}
	return bench.On{Medium: line.Radio, Hz: hz}
}
