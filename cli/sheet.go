package cli

import (
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/spf13/cobra"

	"urbo/core/line"
	"urbo/service/library"
)

func (a *app) sheet() *cobra.Command {
	return group("sheet", "Look into line sheets, without a service", "",
		a.sheetList(), a.sheetShow(), a.sheetCheck())
}

// sheetInfo is a line sheet as it is printed.
type sheetInfo struct {
	Sheet       string      `json:"sheet"`
	Title       string      `json:"title"`
	About       string      `json:"about,omitempty"`
	Medium      string      `json:"medium"`
	CarrierHz   int         `json:"carrier_hz,omitempty"`
	FrequencyHz int         `json:"frequency_hz,omitempty"`
	UnitFrom    float64     `json:"unit_from_us"`
	UnitTo      float64     `json:"unit_to_us"`
	NeverReplay string      `json:"never_replay,omitempty"`
	Fields      []fieldInfo `json:"fields"`
}

type fieldInfo struct {
	Name    string `json:"name"`
	Bits    int    `json:"bits,omitempty"`
	Digits  int    `json:"digits,omitempty"`
	Of      string `json:"of,omitempty"`
	Min     int64  `json:"min"`
	Max     int64  `json:"max"`
	Changes bool   `json:"changes,omitempty"` // from press to press
}

func describeSheet(s *line.Sheet) sheetInfo {
	out := sheetInfo{Sheet: s.Name, Title: s.Title, About: s.About, Medium: string(s.Medium), CarrierHz: s.CarrierHz,
		FrequencyHz: s.FrequencyHz,
		UnitFrom:    s.UnitFrom, UnitTo: s.UnitTo, NeverReplay: s.NeverReplay, Fields: []fieldInfo{}}
	for _, f := range s.Fields() {
		out.Fields = append(out.Fields, fieldInfo{f.Name, f.Bits, f.Digits, f.Of, f.Min, f.Max, f.Toggle})
	}
	return out
}

// on is the carrier or channel of a sheet, for people.
func (s sheetInfo) on() string {
	if s.FrequencyHz > 0 {
		return fmt.Sprintf("%g MHz", float64(s.FrequencyHz)/1e6)
	}
	return fmt.Sprintf("%g kHz", float64(s.CarrierHz)/1e3)
}

func (s sheetInfo) unit() string {
	if s.UnitFrom == s.UnitTo {
		return fmt.Sprintf("%g µs", s.UnitFrom)
	}
	return fmt.Sprintf("%g to %g µs", s.UnitFrom, s.UnitTo)
}

// wants says what a field holds.
func (f fieldInfo) wants() string {
	text := fmt.Sprintf("%d to %d, %d bits", f.Min, f.Max, f.Bits)
	if f.Digits > 0 {
		text = fmt.Sprintf("%d symbols of %s", f.Digits, f.Of)
	}
	if f.Changes {
		text += ", changes with every press"
	}
	return text
}

func (a *app) sheetList() *cobra.Command {
	return &cobra.Command{Use: "list", Short: "List the line codes that Urbo knows", Args: args(0, 0, "none"),
		Example: "  urbo sheet list",
		RunE: func(*cobra.Command, []string) error {
			var infos []sheetInfo
			var rows []table.Row
			for _, s := range a.book().Sheets() {
				i := describeSheet(s)
				infos = append(infos, i)
				rows = append(rows, table.Row{i.Sheet, i.Title, i.Medium, i.on(), i.unit()})
			}
			if a.output == "json" {
				return a.json(infos)
			}
			a.table(table.Row{"SHEET", "TITLE", "MEDIUM", "ON", "UNIT"}, rows)
			return nil
		}}
}

func (a *app) sheetShow() *cobra.Command {
	return &cobra.Command{Use: "show SHEET", Short: "Show a line code and its fields",
		Args: args(1, 1, "a SHEET's name"), Example: "  urbo sheet show nec",
		RunE: func(_ *cobra.Command, argv []string) error {
			s, err := a.book().Sheet(argv[0])
			if err != nil {
				return err
			}
			return a.printSheet(s)
		}}
}

func (a *app) printSheet(s *line.Sheet) error {
	i := describeSheet(s)
	if a.output == "json" {
		return a.json(i)
	}
	fmt.Fprintf(a.Out, "%s: %s\n%s\n\n  %-10s %s, %s\n  %-10s %s\n", i.Sheet, i.Title, i.About, "medium", i.Medium,
		i.on(), "unit", i.unit())
	if i.NeverReplay != "" {
		fmt.Fprintf(a.Out, "  %-10s %s\n", "replay", "never: "+i.NeverReplay)
	}
	fmt.Fprintln(a.Out)
	var rows []table.Row
	for _, f := range i.Fields {
		rows = append(rows, table.Row{f.Name, f.wants()})
	}
	a.table(table.Row{"FIELD", "HOLDS"}, rows)
	return nil
}

func (a *app) sheetCheck() *cobra.Command {
	return &cobra.Command{
		Use: "check FILE", Short: "Check a line sheet of your own", Args: args(1, 1, "a FILE, or - for standard input"),
		Example: "  urbo sheet check lamp.yaml",
		Long: `Check a line sheet as the service does when it starts: a mistake is named with its line, and with what to write
instead, and so is a name that another sheet has. docs/line-sheets.md describes the language.`,
		RunE: func(_ *cobra.Command, argv []string) error {
			data, err := a.readFile(argv[0], line.MaxSheet)
			if err != nil {
				return err
			}
			dir, err := dataDir()
			if err != nil {
				return err
			}
			s, err := library.CheckSheet(filepath.Join(dir, library.SheetDir), filepath.Base(argv[0]), data)
			if err != nil {
				return err
			}
			if a.output == "table" {
				fmt.Fprintf(a.Out, "Good. %s sends %s.\n\n", s.Name, forms(s))
			}
			return a.printSheet(s)
		},
	}
}

// forms lists the fields of each kind of press of a sheet.
func forms(s *line.Sheet) string {
	var out []string
	for _, names := range s.Forms() {
		out = append(out, strings.Join(names, ", "))
	}
	return strings.Join(out, "; or ")
}

// openFile opens a file, or standard input for -.
func (a *app) openFile(name string) (io.ReadCloser, error) {
	if name == "-" {
		return io.NopCloser(a.In), nil
	}
	f, err := os.Open(name)
	if err != nil {
		return nil, err // it says which file and what is wrong
	}
	return f, nil
}

// readFile reads a file, or standard input for -, up to one byte more than may be.
func (a *app) readFile(name string, most int64) ([]byte, error) {
	in, err := a.openFile(name)
	if err != nil {
		return nil, err
	}
	defer in.Close()
	data, err := io.ReadAll(io.LimitReader(in, most+1))
	if err != nil {
		return nil, fmt.Errorf("read %s: %w", name, err)
	}
	return data, nil
}
