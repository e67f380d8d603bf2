package cli

import (
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/spf13/cobra"

	"urbo/core/bench"
	"urbo/core/recording"
	"urbo/figure"
	"urbo/wire"
)

func (a *app) benchDescribe() *cobra.Command {
	var sheet string
	var hz int
	c := &cobra.Command{
		Use: "describe FILE", Short: "Find the structure of a signal that has no name",
		Args: args(1, 1, "a FILE, or - for standard input"),
		Long: `Find the structure of a signal: its frames, how bits become durations, the unit, the bits, and a clean frame.

With --sheet NAME it prints a line sheet for it instead, whose fields are the bits: the start of a sheet of your own
(see docs/line-sheets.md).`,
		Example: "  urbo bench describe power.wav#1\n  urbo bench describe power.wav --sheet lamp > lamp.yaml",
	}
	o := recordingFlags(c)
	c.Flags().StringVar(&sheet, "sheet", "", "print a line sheet of this name")
	c.Flags().IntVar(&hz, "hz", 0, "for the sheet: carrier (38000) or radio channel (433920000); the measured one, or "+
		"38000, where it is left out")
	c.RunE = func(_ *cobra.Command, argv []string) error {
		p, err := a.one(argv[0], *o)
		if err != nil {
			return err
		}
		s, err := bench.Describe(p.Trains)
		if err != nil {
			return err
		}
		if sheet != "" {
			if hz == 0 {
				hz = p.CarrierHz
			}
			text := s.Sheet(sheet, carriedBy(hz))
			if _, err := a.book().Inline(text); text == "" || err != nil {
				return errors.New("no sheet can be written for it: " + s.Words())
			}
			if a.output == "json" {
				return a.json(map[string]string{"sheet": text})
			}
			_, err := io.WriteString(a.Out, text)
			return err
		}
		if a.output == "json" {
			return a.json(wire.StructureOf(s))
		}
		a.printStructure(p, s)
		return nil
	}
	return c
}

func (a *app) printStructure(p recording.Press, s bench.Structure) {
	fmt.Fprintf(a.Out, "%s: %s\n%s\n\n", place(p), summary(p.Trains), s.Words())
	row := func(name, format string, args ...any) {
		fmt.Fprintf(a.Out, "  %-12s %s\n", name, fmt.Sprintf(format, args...))
	}
	for i, b := range s.Bits {
		name := "bits"
		if len(s.Bits) > 1 {
			name = fmt.Sprintf("block %d", i+1)
		}
		row(name, "%s", grouped(b))
	}
	for i, b := range s.Others {
		row([]string{"other", ""}[min(i, 1)], "%s", grouped(b))
	}
	if len(s.Bits) > 0 {
		row("sure", "%.0f %%", 100*s.Sure)
	}
	if s.Unit > 0 {
		row("unit", "%.1f µs", s.Unit)
		row("stretch", "%s, taken out of the clean frame", stretch(s.Stretch))
	}
	if p.CarrierHz > 0 {
		row("carrier", "%.1f kHz", float64(p.CarrierHz)/1000)
	}
	row("frames", "%d", s.Frames)
	if s.Gap > 0 {
		row("gap", "%d µs", s.Gap)
	}
	if s.Once != nil {
		row("sent once", "%s", s.Once.Short())
	}
	row("clean", "%s", s.Frame.Short())
	row("fingerprint", "%s", s.Print)
	for i, d := range s.Doubts {
		row([]string{"not known", ""}[min(i, 1)], "%s", d)
	}
	fmt.Fprintln(a.Out)
	var rows []table.Row
	add := func(what string, cs []bench.Cluster) {
		for _, c := range cs {
			units := ""
			if c.Units > 0 {
				units = fmt.Sprintf("%g", c.Units)
			}
			rows = append(rows, table.Row{what, fmt.Sprintf("%.0f µs", c.Center),
				fmt.Sprintf("%d to %d", c.Low, c.High), c.Count, units})
		}
	}
	add("mark", s.Marks)
	add("space", s.Spaces)
	if len(rows) > 0 {
		a.table(table.Row{"BITS HAVE", "MEAN", "RANGE", "COUNT", "UNITS"}, rows)
	}
}

// grouped puts a space after every four bits.
func grouped(bits string) string {
	var b strings.Builder
	for i, c := range bits {
		if i > 0 && i%4 == 0 {
			b.WriteByte(' ')
		}
		b.WriteRune(c)
	}
	return b.String()
}

func (a *app) benchCompare() *cobra.Command {
	var out, png, svg string
	c := &cobra.Command{
		Use: "compare A B", Short: "Lay two signals over each other", Args: args(2, 2, "two FILEs"),
		Long: `Lay two signals over each other, and say in words how they differ. Each FILE is read by its own kind: flags about bare
samples count for bare samples only.`,
		Example: "  urbo bench compare power.wav power.wav#1\n  urbo bench compare power.wav power.wav --out power.svg",
	}
	o := recordingFlags(c)
	c.Flags().StringVar(&out, "out", "", "draw a figure into this file: .png or .svg")
	c.Flags().StringVar(&png, "png", "", "draw a figure into this file")
	c.Flags().StringVar(&svg, "svg", "", "draw a figure into this file")
	_ = errors.Join(c.Flags().MarkHidden("png"), c.Flags().MarkHidden("svg")) // of earlier versions
	c.RunE = func(_ *cobra.Command, argv []string) error {
		switch end := strings.ToLower(filepath.Ext(out)); {
		case end == ".png":
			png = out
		case end == ".svg":
			svg = out
		case out != "":
			return usageError{fmt.Errorf("--out %s: end it with .png or .svg", out)}
		}
		first, err := a.one(argv[0], forFile(argv[0], *o))
		if err != nil {
			return err
		}
		second, err := a.one(argv[1], forFile(argv[1], *o))
		if err != nil {
			return err
		}
		found, err := bench.Compare(first.Trains, second.Trains)
		if err != nil {
			return err
		}
		for format, name := range map[string]string{"png": png, "svg": svg} {
			if name == "" {
				continue
			}
			if err := writeFile(name, func(w io.Writer) error {
				return figure.Comparison(w, format,
					found)
			}); err != nil {
				return err
			}
		}
		if a.output == "json" {
			return a.json(wire.ComparisonOf(found))
		}
		a.printComparison(found)
		return nil
	}
	return c
}

// forFile leaves out of the flags about a recording what is not about this file, which its name tells to be of another
// kind.
func forFile(name string, o recording.Options) recording.Options {
	name, _, _ = cutLast(name, "#")
	end := strings.ToLower(filepath.Ext(name))
	for _, f := range recording.Formats() {
		if !slices.Contains(f.Ends, end) {
			continue
		}
		if f.Name != "iq" {
			o.RateHz, o.Datatype, o.FrequencyHz = 0, "", 0
		}
		if o.Format != f.Name {
			o.Format = ""
		}
	}
	return o
}

func (a *app) printComparison(c bench.Comparison) {
	fmt.Fprintf(a.Out, "%s\n\n", c.Words)
	unit := func(s bench.Structure) string {
		if s.Unit == 0 {
			return "none"
		}
		return fmt.Sprintf("%.0f µs", s.Unit)
	}
	share := func(x float64) string {
		if x == 0 {
			return ""
		}
		return fmt.Sprintf("%.3f", x)
	}
	rows := []table.Row{
		{"frame", fmt.Sprintf("%d durations", len(c.A.Raw)), fmt.Sprintf("%d durations", len(c.B.Raw)), ""},
		{"length", fmt.Sprintf("%.1f ms", float64(c.A.Raw.Length())/1000),
			fmt.Sprintf("%.1f ms", float64(c.B.Raw.Length())/1000), share(c.Length)},
		{"unit", unit(c.A), unit(c.B), share(c.Unit)},
		{"frames", c.A.Frames, c.B.Frames, ""},
	}
	for i := range max(len(c.A.Bits), len(c.B.Bits)) {
		get := func(s bench.Structure) string {
			if i < len(s.Bits) {
				return grouped(s.Bits[i])
			}
			return ""
		}
		rows = append(rows, table.Row{fmt.Sprintf("block %d", i+1), get(c.A), get(c.B), ""})
	}
	a.table(table.Row{"", "FIRST", "SECOND", "RATIO"}, rows)
}

// writeTo writes a file, or standard output where none is named.
func (a *app) writeTo(name string, write func(io.Writer) error) error {
	if name == "" || name == "-" {
		return a.raw(write)
	}
	if err := writeFile(name, write); err != nil || a.output != "json" {
		return err
	}
	return a.json(map[string]string{"file": name})
}

// raw writes a file's bytes to standard output, where nobody expects JSON there.
func (a *app) raw(write func(io.Writer) error) error {
	if a.output == "json" {
		return usageError{errors.New("a file on standard output is no JSON: name a file, or leave --output json out")}
	}
	return write(a.exact)
}

// writeFile writes a file whole, or not at all.
func writeFile(name string, write func(io.Writer) error) error { return writeMode(name, 0o644, write) }

// writePrivate is writeFile for what nobody else may read.
func writePrivate(name string, write func(io.Writer) error) error {
	return writeMode(name, 0o600, write)
}

func writeMode(name string, mode os.FileMode, write func(io.Writer) error) error {
	if info, err := os.Stat(name); err == nil && !info.Mode().IsRegular() { // a device or a pipe
		f, err := os.OpenFile(name, os.O_WRONLY, 0)
		if err != nil {
			return fmt.Errorf("write %s: %w", name, err)
		}
		if err := errors.Join(write(f), f.Close()); err != nil {
			return fmt.Errorf("write %s: %w", name, err)
		}
		return nil
	}
	f, err := os.CreateTemp(filepath.Dir(name), ".urbo-*")
	if err != nil {
		return fmt.Errorf("write %s: %w", name, err)
	}
	err = write(f)
	if e := f.Close(); err == nil {
		err = e
	}
	if err == nil {
		err = os.Chmod(f.Name(), mode)
	}
	if err == nil {
		err = os.Rename(f.Name(), name)
	}
	if err != nil {
		_ = os.Remove(f.Name())
		return fmt.Errorf("write %s: %w", name, err)
	}
	return nil
}
