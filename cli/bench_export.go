package cli

import (
	"errors"
	"fmt"
	"io"
	"path/filepath"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"urbo/core/bench"
	"urbo/core/line"
	"urbo/core/notation"
	"urbo/core/recording"
	"urbo/core/signal"
)

func (a *app) benchExport() *cobra.Command {
	var as, out, code string
	var clean bool
	c := &cobra.Command{
		Use: "export [FILE]", Short: "Write a signal as VCD, CSV, WAV, text or an array in C",
		Args: args(0, 1, "a FILE, or --code"),
		Example: "  urbo bench export --code 'nec address=57 command=2' --out power.wav\n" +
			"  urbo bench export power.wav#1 --as c --clean",
	}
	o := recordingFlags(c)
	f := c.Flags()
	f.StringVar(&as, "as", "", asHelp)
	f.StringVar(&out, "out", "", "file to write; standard output where it is left out")
	f.StringVar(&code, "code", "", "a line code and its fields instead of a FILE")
	f.BoolVar(&clean, "clean", false, "write it clean: at exact multiples of its unit")
	c.RunE = func(_ *cobra.Command, argv []string) error {
		if (code == "") == (len(argv) == 0) {
			return usageError{errors.New("name a FILE, or give --code")}
		}
		if !c.Flags().Changed("as") {
			as = formatOf(out)
		}
		if !slices.Contains(recording.Exports(), as) {
			return usageError{fmt.Errorf("--as %.20q: %s can be written", as, strings.Join(recording.Exports(), ", "))}
		}
		var s recording.Signal
		var err error
		if code != "" {
			s, err = a.coded(code)
		} else {
			s, err = a.recorded(argv[0], *o, clean)
		}
		if err != nil {
			return err
		}
		return a.writeTo(out, func(w io.Writer) error { return recording.Export(w, as, s) })
	}
	return c
}

// asHelp is what is said of --as.
var asHelp = "format to write: " + strings.Join(recording.Exports(), ", ") +
	"; by the end of --out where it is left out, else text"

// formatOf is the format that a file is written in, by its name.
func formatOf(name string) string {
	end := strings.ToLower(filepath.Ext(name))
	for _, f := range recording.Formats() {
		if slices.Contains(recording.Exports(), f.Name) && slices.Contains(f.Ends, end) {
			return f.Name
		}
	}
	return "text"
}

// recorded is a press of a recording, as it is or clean.
func (a *app) recorded(name string, o recording.Options, clean bool) (recording.Signal, error) {
	p, err := a.one(name, o)
	if err != nil {
		return recording.Signal{}, err
	}
	s := recording.Signal{Name: strings.TrimSuffix(filepath.Base(name), filepath.Ext(name)), Trains: p.Trains,
		CarrierHz: p.CarrierHz}
	if !clean {
		return s, nil
	}
	if r := a.book().Decode(p.Trains).Readings; len(r) > 0 && r[0].Confidence > line.LoneLimit {
		return a.coded(r[0].Sheet + " " + r[0].Fields.String())
	}
	found, err := bench.Describe(p.Trains)
	if err != nil {
		return s, err
	}
	s.Trains = found.Clean()
	return s, nil
}

// coded encodes "SHEET FIELD=VALUE …".
func (a *app) coded(text string) (recording.Signal, error) {
	sheet, fields, err := notation.Line(strings.Fields(text), a.book())
	if errors.Is(err, notation.ErrNotation) {
		return recording.Signal{}, usageError{err}
	}
	if err != nil {
		return recording.Signal{}, err
	}
	burst, err := sheet.Encode(fields)
	if err != nil {
		return recording.Signal{}, err
	}
	return recording.Signal{Name: sheet.Name, Trains: signal.Split(burst.Durations(), signal.UnknownGap),
		CarrierHz: sheet.CarrierHz, FrequencyHz: sheet.FrequencyHz}, nil
}
