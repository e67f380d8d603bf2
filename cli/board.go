package cli

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"os"
	"strings"

	"github.com/goccy/go-yaml"
	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/spf13/cobra"

	"urbo/core/plain"
	"urbo/wire"
)

func (a *app) board() *cobra.Command {
	return group("board", "Pages of tiles, which the console opens first", `Pages of tiles, which the console opens first. The first board makes itself from what the house has, until somebody
edits it. A board is written as a file (urbo board export shows one):

  name: Public night
  sections:
  - title: Lecture room
    tiles:
    - {kind: occasion, of: public-talk}
    - {kind: control, of: amplifier/volume, size: wide}
    - {kind: key, of: amplifier/mute}
    - {kind: note, text: Volume 22 is enough for forty people.}

The kinds are control (of a device, a group or room/NAME), key, device, occasion, sequence, measurement, question,
heading and note; the sizes are small, wide and large.`,
		a.boardList(), a.boardShow(), a.boardAdd(), a.boardChange(), a.boardExport(), a.boardRemove())
}

func boardPath(slug string) string { return "/boards/" + url.PathEscape(slug) }

func (a *app) boardList() *cobra.Command {
	return &cobra.Command{Use: "list", Short: "List the boards", Args: args(0, 0, "none"), Example: "  urbo board list",
		RunE: func(c *cobra.Command, _ []string) error {
			var all []wire.BoardLine
			if err := a.call(c.Context(), http.MethodGet, "/boards", nil, &all); err != nil {
				return err
			}
			if a.output == "json" {
				return a.json(all)
			}
			var rows []table.Row
			for _, b := range all {
				note := ""
				if b.Automatic {
					note = "makes itself"
				}
				rows = append(rows, table.Row{b.Slug, b.Name, b.Tiles, note})
			}
			a.table(table.Row{"BOARD", "NAME", "TILES", "NOTE"}, rows)
			return nil
		}}
}

func (a *app) boardShow() *cobra.Command {
	return &cobra.Command{Use: "show BOARD", Short: "Show what stands on a board, and what that is at",
		Args: args(1, 1, "a BOARD"), Example: "  urbo board show public-night",
		RunE: func(c *cobra.Command, argv []string) error {
			var b wire.Board
			if err := a.call(c.Context(), http.MethodGet, boardPath(argv[0]), nil, &b); err != nil {
				return err
			}
			if a.output == "json" {
				return a.json(b)
			}
			var s wire.BoardState
			if err := a.call(c.Context(), http.MethodGet, boardPath(argv[0])+"/state", nil, &s); err != nil {
				return err
			}
			if b.Error != "" {
				return fmt.Errorf("%s: %s", b.Name, b.Error)
			}
			var rows []table.Row
			for _, section := range b.Sections {
				for i, t := range section.Tiles {
					title := section.Title
					if i > 0 {
						title = ""
					}
					name := t.Title
					if name == "" {
						name = t.Name
					}
					rows = append(rows, table.Row{title, name, string(t.Kind), tileText(t, s.Tiles[t.ID])})
				}
			}
			a.table(table.Row{"SECTION", "TILE", "KIND", "IS AT"}, rows)
			for _, q := range s.Questions {
				fmt.Fprintf(a.Out, "%s (urbo question answer %s VALUE)\n", q.Text, q.ID)
			}
			return nil
		}}
}

// tileText is what a tile is at.
func tileText(t wire.Tile, s wire.TileState) string {
	switch {
	case t.Gone:
		return t.Of + " is not there any more"
	case t.Idle:
		return "nobody has the reins now"
	case t.Text != "":
		return t.Text
	case s.Gauge != nil:
		return strings.TrimSpace(fmt.Sprintf("%g %s", s.Gauge.Value, s.Gauge.Unit))
	case s.Run != "":
		return "under way"
	case s.Differs > 0:
		return "in force, " + plain.Count(s.Differs, "control differs", "controls differ")
	case s.InForce:
		return "in force"
	}
	var out []string
	for _, c := range s.Controls {
		if c.Value == "" && len(s.Controls) > 1 {
			continue
		}
		state := wire.ControlState{Value: c.Value, About: c.About, May: c.May, Word: c.Word, Phase: c.Phase,
			Moving: c.Moving, Beside: c.Beside, Source: "told"}
		if c.Value == "" && len(c.May) == 0 {
			state.Source = ""
		}
		for _, f := range t.Faces {
			if f.Control == c.Control {
				state.Unit = f.Unit
			}
		}
		text := stateText(state)
		if len(s.Controls) > 1 {
			text = c.Control + " " + text
		}
		out = append(out, text)
	}
	return strings.Join(out, ", ")
}

// boardFile is a board as it stands in a file.
type boardFile struct {
	Name     string             `json:"name"`
	Sections []wire.SectionText `json:"sections"`
}

// maxBoardFile is the longest file of a board, in bytes.
const maxBoardFile = 256 << 10

// readBoard reads a board from a file; "-" is standard input.
func (a *app) readBoard(name string) (f boardFile, err error) {
	in := a.In
	if name != "-" {
		file, err := os.Open(name)
		if err != nil {
			return f, fmt.Errorf("read the board: %w", err)
		}
		defer file.Close()
		in = file
	}
	text, err := io.ReadAll(io.LimitReader(in, maxBoardFile+1))
	switch {
	case err != nil:
		return f, fmt.Errorf("read the board: %w", err)
	case len(text) > maxBoardFile:
		return f, fmt.Errorf("read the board: the file has more than %d kB", maxBoardFile>>10)
	}
	decoder := yaml.NewDecoder(bytes.NewReader(text), yaml.Strict(), yaml.UseJSONUnmarshaler())
	if err := decoder.Decode(&f); err != nil && !errors.Is(err, io.EOF) {
		return f, fmt.Errorf("read the board: %s", yaml.FormatError(err, false, false))
	}
	return f, nil
}

func (a *app) boardAdd() *cobra.Command {
	var n wire.NewBoard
	var file string
	c := &cobra.Command{Use: "add NAME", Short: "Make a board, from a file or by itself",
		Args: args(1, 1, "a NAME"),
		Example: "  urbo board add \"Whole house\" --automatic\n" +
			"  urbo board add \"Second night\" --file public-night.yaml",
		RunE: func(c *cobra.Command, argv []string) error {
			n.Name = argv[0]
			if file != "" {
				if n.Automatic {
					return usageError{errors.New("--file or --automatic, not both")}
				}
				f, err := a.readBoard(file)
				if err != nil {
					return err
				}
				n.Sections = f.Sections
			}
			var b wire.Board
			if err := a.call(c.Context(), http.MethodPost, "/boards", n, &b); err != nil {
				return err
			}
			return a.did(b, "Added %s. Fill it in the console, or see urbo board export.", b.Slug)
		}}
	c.Flags().StringVar(&n.Slug, "short-name", "", "name on the command line; without it, it is made from the name")
	c.Flags().StringVar(&file, "file", "", "where the board stands; - is standard input")
	c.Flags().BoolVar(&n.Automatic, "automatic", false, "let it be made from what the house has")
	return c
}

func (a *app) boardChange() *cobra.Command {
	var name, slug, file string
	var automatic bool
	c := &cobra.Command{Use: "change BOARD", Short: "Put other tiles on a board, or name it anew",
		Args: args(1, 1, "a BOARD"),
		Example: "  urbo board change public-night --file public-night.yaml\n" +
			"  urbo board change public-night --name \"Public nights\"",
		RunE: func(c *cobra.Command, argv []string) error {
			var change wire.BoardChange
			if c.Flags().Changed("name") {
				change.Name = &name
			}
			if c.Flags().Changed("short-name") {
				change.Slug = &slug
			}
			if c.Flags().Changed("automatic") {
				change.Automatic = &automatic
			}
			if file != "" {
				f, err := a.readBoard(file)
				if err != nil {
					return err
				}
				change.Sections = &f.Sections
			}
			if change == (wire.BoardChange{}) {
				return usageError{errors.New("say what is to change: --file, --name, --short-name or --automatic")}
			}
			var b wire.Board
			if err := a.call(c.Context(), http.MethodPatch, boardPath(argv[0]), change, &b); err != nil {
				return err
			}
			return a.did(b, "Changed %s.", b.Slug)
		}}
	c.Flags().StringVar(&name, "name", "", "another name")
	c.Flags().StringVar(&slug, "short-name", "", "another name on the command line")
	c.Flags().StringVar(&file, "file", "", "where the board stands; - is standard input")
	c.Flags().BoolVar(&automatic, "automatic", false, "let it be made from what the house has; its tiles are dropped")
	return c
}

func (a *app) boardExport() *cobra.Command {
	return &cobra.Command{Use: "export BOARD", Short: "Print a board as a file", Args: args(1, 1, "a BOARD"),
		Example: "  urbo board export public-night > public-night.yaml",
		RunE: func(c *cobra.Command, argv []string) error {
			var b wire.Board
			if err := a.call(c.Context(), http.MethodGet, boardPath(argv[0]), nil, &b); err != nil {
				return err
			}
			f := boardFile{Name: b.Name, Sections: []wire.SectionText{}}
			for _, s := range b.Sections {
				one := wire.SectionText{Title: s.Title, Tiles: []wire.TileText{}}
				for _, t := range s.Tiles {
					one.Tiles = append(one.Tiles, wire.TileText{Kind: t.Kind, Of: t.Of, Title: t.Title, Size: t.Size,
						Text: t.Text})
				}
				f.Sections = append(f.Sections, one)
			}
			if a.output == "json" {
				return a.json(f)
			}
			text, err := yaml.MarshalWithOptions(f, yaml.UseJSONMarshaler())
			if err != nil {
				return err
			}
			_, err = a.exact.Write(text)
			return err
		}}
}

func (a *app) boardRemove() *cobra.Command {
	return &cobra.Command{Use: "remove BOARD", Short: "Remove a board; what stands on it stays",
		Args: args(1, 1, "a BOARD"), Example: "  urbo board remove whole-house",
		RunE: func(c *cobra.Command, argv []string) error {
			if err := a.call(c.Context(), http.MethodDelete, boardPath(argv[0]), nil, nil); err != nil {
				return err
			}
			return a.done(map[string]any{"removed": argv[0]}, "Removed the board %s.", argv[0])
		}}
}

func (a *app) question() *cobra.Command {
	return group("question", "See and answer what Urbo asks", `See and answer what Urbo asks: what something is at now that a sequence or an occasion has to know before it
presses. A question stands on boards, too. The first answer counts.`, a.questionList(), a.questionAnswer())
}

func (a *app) questionList() *cobra.Command {
	return &cobra.Command{Use: "list", Short: "List what is asked now", Args: args(0, 0, "none"),
		Example: "  urbo question list",
		RunE: func(c *cobra.Command, _ []string) error {
			var all []wire.OpenQuestion
			if err := a.call(c.Context(), http.MethodGet, "/questions", nil, &all); err != nil {
				return err
			}
			if a.output == "json" {
				return a.json(all)
			}
			if len(all) == 0 {
				fmt.Fprintln(a.Out, "Nothing is asked.")
				return nil
			}
			var rows []table.Row
			for _, q := range all {
				rows = append(rows, table.Row{q.ID, q.Text, q.For, clock(q.Until)})
			}
			a.table(table.Row{"QUESTION", "", "FOR", "UNTIL"}, rows)
			return nil
		}}
}

func (a *app) questionAnswer() *cobra.Command {
	return &cobra.Command{Use: "answer QUESTION VALUE", Short: "Answer a question",
		Args: args(2, 2, "a QUESTION and a VALUE"), Example: "  urbo question answer d2k1 off",
		RunE: func(c *cobra.Command, argv []string) error {
			var q wire.OpenQuestion
			path := "/questions/" + url.PathEscape(argv[0]) + "/answer"
			answer := wire.QuestionAnswer{Value: given(argv[1])}
			if err := a.call(c.Context(), http.MethodPost, path, answer, &q); err != nil {
				return err
			}
			return a.did(q, "Thank you: %s goes on.", q.For)
		}}
}
