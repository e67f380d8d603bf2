package cli

import (
	"errors"
	"fmt"
	"io"
	"math"
	"os"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/spf13/cobra"

	"urbo/core/line"
	"urbo/core/notation"
	"urbo/core/recording"
	"urbo/core/signal"
	"urbo/wire"
)

func (a *app) bench() *cobra.Command {
	return group("bench", "Look into signals, without a service", `Look into signals, without a service.

A FILE is a recording: VCD or CSV of a logic analyser, WAV of a sound card, SigMF or bare samples of a software
radio, an array in C, or text with durations in µs. - is standard input. Its format is found by itself. FILE#3 is the
third press in it.`,
		a.benchDecode(), a.benchDescribe(), a.benchCompare(), a.benchImport(), a.benchExport())
}

// recordingFlags are the flags about what a recording does not say itself.
func recordingFlags(c *cobra.Command) *recording.Options {
	o := &recording.Options{}
	var formats []string
	for _, f := range recording.Formats() {
		formats = append(formats, f.Name)
	}
	f := c.Flags()
	f.StringVar(&o.Format, "format", "", "format, where it is not found by itself: "+strings.Join(formats, ", "))
	f.StringVar(&o.Channel, "channel", "", "channel of a VCD, CSV or WAV; without it the first that changes, or left")
	f.Float64Var(&o.RateHz, "rate", 0, "bare samples: how many a second")
	f.StringVar(&o.Datatype, "datatype", "", "bare samples: cu8, ci8, ci16_le or cf32_le; by the file's name where it "+
		"is left out")
	f.Float64Var(&o.FrequencyHz, "frequency", 0, "bare samples: what the radio was tuned to, in Hz")
	return o
}

// opened is a recording that is being read.
type opened struct {
	*recording.Reader
	press int // the only one that is wanted, from 1; 0 is all
	close func()
}

// openRecording opens FILE, FILE#N or - for standard input.
func (a *app) openRecording(name string, o recording.Options) (*opened, error) {
	out := &opened{close: func() {}}
	if file, n, found := cutLast(name, "#"); found {
		press, err := strconv.Atoi(n)
		if err != nil || press < 1 {
			return nil, usageError{fmt.Errorf("%q: after # stands the number of a press, from 1", name)}
		}
		name, out.press = file, press
	}
	var in io.Reader = a.In
	if name != "-" && name != "" {
		var err error
		if name, o, err = withMeta(name, o); err != nil {
			return nil, err
		}
		f, err := os.Open(name)
		if err != nil {
			return nil, fmt.Errorf("open a recording: %w", err)
		}
		out.close = func() { _ = f.Close() }
		in = a.progress(f)
	}
	if o.Datatype == "" && o.RateHz > 0 {
		o.Datatype = recording.DatatypeOf(name)
	}
	r, err := recording.Open(filepath.Base(name), in, o)
	if err != nil {
		out.close()
		return nil, fmt.Errorf("%s: %w", name, err)
	}
	out.Reader = r
	return out, nil
}

func cutLast(s, sep string) (before, after string, found bool) {
	if i := strings.LastIndex(s, sep); i >= 0 {
		return s[:i], s[i+len(sep):], true
	}
	return s, "", false
}

// withMeta finds the metadata beside samples in SigMF, and the samples beside metadata.
func withMeta(name string, o recording.Options) (string, recording.Options, error) {
	base, isMeta := strings.CutSuffix(name, ".sigmf-meta")
	if !isMeta {
		var isData bool
		if base, isData = strings.CutSuffix(name, ".sigmf-data"); !isData || o.RateHz > 0 {
			return name, o, nil
		}
	}
	f, err := os.Open(base + ".sigmf-meta")
	if err != nil {
		return name, o, fmt.Errorf("open the metadata of a recording: %w: without them give --rate and --datatype", err)
	}
	defer f.Close()
	read, err := recording.ReadMeta(f)
	if err != nil {
		return name, o, fmt.Errorf("%s: %w", f.Name(), err)
	}
	return base + ".sigmf-data", read, nil
}

// next moves to the next press that is wanted.
func (r *opened) next(n *int) bool {
	for r.Scan() {
		if *n++; r.press == 0 || r.press == *n {
			return true
		}
	}
	return false
}

// one reads the press that is wanted of a recording, the first where none is named.
func (a *app) one(name string, o recording.Options) (recording.Press, error) {
	r, err := a.openRecording(name, o)
	if err != nil {
		return recording.Press{}, err
	}
	defer r.close()
	r.press = max(r.press, 1)
	n := 0
	if r.next(&n) {
		return r.Press(), nil
	}
	if err := r.Err(); err != nil {
		return recording.Press{}, fmt.Errorf("%s: %w", name, err)
	}
	if n > 0 {
		return recording.Press{}, fmt.Errorf("%s: it has only %s", name, plural(n, "press", "presses"))
	}
	return recording.Press{}, fmt.Errorf("%s: no signal found in it", name)
}

func (a *app) benchDecode() *cobra.Command {
	c := &cobra.Command{
		Use:   "decode [FILE|-|CODE …]",
		Short: "Say which line code the signals of a recording are, or a code as people write it",
		Args:  args(0, -1, "a FILE, a CODE, or - for standard input"),
		Long: `Read signals and say which line code they are. A CODE is written as for urbo device code: NEC 0x9C6340BF 32,
durations in µs, or the periods of a carrier; of a value alone it says which line codes it may be.

Of text, a line is a press, unless a bracket is still open or the line ends in a comma. Numbers are µs, signed
(+ mark, - space) or not, apart by spaces, commas or slashes. Recordings of other formats are read as well.`,
		Example: "  urbo bench decode power.wav\n  urbo bench decode power.wav --output json",
	}
	o := recordingFlags(c)
	c.RunE = func(_ *cobra.Command, argv []string) error {
		name := "-"
		if len(argv) > 0 {
			name = argv[0]
		}
		if _, err := os.Stat(name); err != nil && a.isCode(written(argv)) {
			return a.decodeCode(written(argv))
		}
		if len(argv) > 1 {
			return usageError{fmt.Errorf("got %d arguments, wanted a FILE, or a code (urbo device code --help)",
				len(argv))}
		}
		r, err := a.openRecording(name, *o)
		if err != nil {
			if name == "-" && errors.Is(err, recording.ErrRecording) && strings.HasSuffix(err.Error(), "it is empty") &&
				a.output == "json" {
				return nil // no lines, no trains
			}
			return err
		}
		defer r.close()
		return a.decode(r)
	}
	return c
}

// number is what durations and values begin with, and hexadecimal ones.
var number = regexp.MustCompile(`^[\s\[({<]*([-+]?[0-9]|[0-9a-fA-F]{4,16}([\s,/]|$))`)

// isCode says whether a text is a code rather than a file's name: it begins with a number or a line code.
func (a *app) isCode(text string) bool {
	words := strings.FieldsFunc(strings.ToLower(text), func(r rune) bool { return r == ' ' || r == ':' })
	if len(words) == 0 {
		return false
	}
	_, err := a.book().Sheet(words[0])
	return number.MatchString(text) && !strings.Contains(words[0], ".") || words[0] == "switches" || err == nil
}

// decodeCode says which line code it is that somebody wrote.
func (a *app) decodeCode(text string) error {
	codes, remarks, err := notation.ParseSaying(text, 0, a.book())
	var unsaid notation.Unsaid
	if errors.As(err, &unsaid) {
		if a.output == "json" {
			return a.json(unsaid.May)
		}
		fmt.Fprintf(a.Out, "%s says no line code. With %d bits it may be:\n", unsaid.Value, unsaid.Bits)
		for _, m := range unsaid.May {
			fmt.Fprintln(a.Out, "  "+m)
		}
		return nil
	}
	if err != nil {
		return err
	}
	for _, c := range codes {
		if c.Train == nil {
			if a.output == "json" {
				return a.jsonLine(wire.CodeOf(c))
			}
			fmt.Fprintf(a.Out, "%s %s\n", c.Sheet, c.Fields)
			continue
		}
		heard := []signal.Reception{{Train: c.Train, Gap: max(c.GapUS, signal.UnknownGap)}}
		if err := a.printDecoded(a.book(), "", heard); err != nil {
			return err
		}
	}
	if a.output != "json" {
		for _, r := range remarks {
			fmt.Fprintln(a.Out, r)
		}
	}
	return nil
}

// printDecoded prints the readings of one press; head stands before it.
func (a *app) printDecoded(book *line.Book, head string, trains []signal.Reception) error {
	d := book.Decode(trains)
	if a.output == "json" {
		return a.jsonLine(wire.Decoded{Readings: wire.Readings(d.Readings)})
	}
	fmt.Fprintln(a.Out, head+summary(trains))
	a.printReadings(d)
	return nil
}

// decode prints the readings of every press.
func (a *app) decode(r *opened) error {
	book := a.book()
	n, shown := 0, 0
	for r.next(&n) {
		p := r.Press()
		if shown++; shown > 1 && a.output != "json" {
			fmt.Fprintln(a.Out)
		}
		if err := a.printDecoded(book, place(p)+": ", p.Trains); err != nil {
			return err
		}
	}
	if err := r.Err(); err != nil {
		return err
	}
	if n == 0 && a.output == "table" {
		fmt.Fprintln(a.Out, "No signal found in it.")
	}
	return nil
}

// place says where in a recording a press is.
func place(p recording.Press) string {
	if p.Line > 0 {
		return fmt.Sprintf("Line %d", p.Line)
	}
	return fmt.Sprintf("At %.3f s", float64(p.At)/1e6)
}

// summary is a press in one line.
func summary(trains []signal.Reception) string {
	n, us := 0, 0
	for i, h := range trains {
		n += len(h.Train)
		us += h.Train.Length()
		if i < len(trains)-1 {
			us += h.Gap
		}
	}
	more := ""
	if len(trains) > 1 {
		more = fmt.Sprintf(" in %d trains", len(trains))
	}
	return fmt.Sprintf("%d durations%s, %.1f ms: %s", n, more, float64(us)/1000, trains[0].Train.Short())
}

// measured says what a sensor's reading means, after its fields.
func measured(in []line.Measurement) string {
	out := ""
	for i, m := range in {
		out += []string{": ", ", "}[min(i, 1)] + m.String()
	}
	return out
}

func (a *app) printReadings(d line.Decoded) {
	if len(d.Readings) == 0 {
		if d.Held != "" {
			fmt.Fprintf(a.Out, "A repeat frame of %s: the key was still held.\n", d.Held)
			return
		}
		fmt.Fprintln(a.Out, "No known line code fits. urbo bench describe says what can be seen in it.")
		return
	}
	if names := said(wire.Readings(d.Readings)); len(line.Said(d.Readings)) > 1 {
		fmt.Fprintf(a.Out, "Different codes, one after another: %s.\n", names)
	}
	var rows []table.Row
	for _, r := range d.Readings {
		rows = append(rows, table.Row{r.Sheet, r.Fields.String() + measured(r.Measured), r.Frames, r.Repeats,
			fmt.Sprintf("%.1f µs", r.Unit), stretch(r.Stretch), fmt.Sprintf("%.0f µs", r.Deviation),
			fmt.Sprintf("%.2f", r.Confidence)})
	}
	a.table(table.Row{"SHEET", "FIELDS", "FRAMES", "REPEATS", "UNIT", "STRETCH", "DEVIATION", "CONFIDENCE"}, rows)
}

// stretch prints what a receiver added to marks; nothing is neither more nor less.
func stretch(us float64) string {
	if r := math.Round(us); r != 0 {
		return fmt.Sprintf("%+.0f µs", r)
	}
	return "0 µs"
}
