package cli

import (
	"fmt"
	"net/http"
	"net/url"
	"strings"
	"time"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/spf13/cobra"
	"rsc.io/qr"

	"urbo/wire"
)

func (a *app) person() *cobra.Command {
	return group("person", "Let people in, and say what they may do", `Let people in, and say what they may do. An owner may do everything. A resident sees, presses, sets and tells what
something really is at. A visitor sees, presses and sets in the rooms that are named. There are no passwords: each
signs in by a link of their own, which works once. A guest sees and uses the tiles of the boards that are named, and
nothing else, until a date; the link of a guest works until then, on as many phones as it says.`,
		a.personList(), a.personAdd(), a.personChange(), a.personRemove(), a.personLink())
}

func (a *app) personList() *cobra.Command {
	return &cobra.Command{Use: "list", Short: "List who may sign in", Args: args(0, 0, "none"),
		Example: "  urbo person list",
		RunE: func(c *cobra.Command, _ []string) error {
			var all []wire.Person
			if err := a.call(c.Context(), http.MethodGet, "/people", nil, &all); err != nil {
				return err
			}
			if a.output == "json" {
				return a.json(all)
			}
			var rows []table.Row
			for _, p := range all {
				until := "for ever"
				if p.Until != nil {
					until = clock(*p.Until)
				}
				rows = append(rows, table.Row{p.Name, p.Role, whereText(p.Where), until, p.Browsers, p.User})
			}
			a.table(table.Row{"PERSON", "ROLE", "WHERE", "UNTIL", "BROWSERS", "USER HERE"}, rows)
			return nil
		}}
}

// whereText is a part of the house in words.
func whereText(w wire.Where) string {
	if w.House {
		return "the whole house"
	}
	var out []string
	out = append(out, w.Rooms...)
	out = append(out, w.Devices...)
	out = append(out, w.Measurements...)
	out = append(out, w.Boards...)
	if len(out) == 0 {
		return "nowhere any more"
	}
	return strings.Join(out, ", ")
}

// whereFlags are the flags that name a part of the house.
func whereFlags(c *cobra.Command, w *wire.Where) {
	c.Flags().StringSliceVar(&w.Rooms, "room", nil, "a room that it is for; may be given several times")
	c.Flags().StringSliceVar(&w.Devices, "device", nil, "a device that it is for, by its short name")
	c.Flags().StringSliceVar(&w.Measurements, "measurement", nil, "a measurement that it is for, such as dome/humidity")
}

// untilOf reads the end of somebody's time: a date, or a time from now.
func untilOf(text string, now time.Time) (*time.Time, error) {
	if text == "" {
		return nil, nil
	}
	if d, err := time.ParseDuration(text); err == nil && d > 0 {
		t := now.Add(d)
		return &t, nil
	}
	s, err := spanOf(text, now)
	if err != nil {
		return nil, usageError{fmt.Errorf("--until %q: write 48h for two days from now, or a date like 2026-03-01",
			text)}
	}
	return &s.until, nil
}

func (a *app) personAdd() *cobra.Command {
	var n wire.NewPerson
	var until string
	var phones int
	c := &cobra.Command{Use: "add NAME", Short: "Let somebody in, and print a sign-in link",
		Args: args(1, 1, "the person's NAME"),
		Example: "  urbo person add \"Night watch\" --role resident\n  urbo person add Lecturer --role visitor " +
			"--room \"Lecture room\" --until 48h\n" +
			"  urbo person add Audience --role guest --board public-night --until 24h --phones 20",
		RunE: func(c *cobra.Command, argv []string) error {
			n.Name = argv[0]
			var err error
			if n.Until, err = untilOf(until, time.Now()); err != nil {
				return err
			}
			var p wire.Person
			if err := a.call(c.Context(), http.MethodPost, "/people", n, &p); err != nil {
				return err
			}
			if a.output != "json" {
				fmt.Fprintf(a.Err, "Let %s in as %s: %s.\n", p.Name, p.Role, whereText(p.Where))
			}
			return a.printLink(c, p.Name, false, phones)
		}}
	c.Flags().StringVar(&n.Role, "role", "resident", "owner, resident, visitor or guest")
	c.Flags().StringSliceVar(&n.Where.Boards, "board", nil, "a board of a guest; may be given several times")
	c.Flags().IntVar(&phones, "phones", 1, "of a guest: on how many phones the link works")
	c.Flags().StringVar(&until, "until", "", "until when: a time from now like 48h, or a date; without it for ever")
	whereFlags(c, &n.Where)
	return c
}

func (a *app) personChange() *cobra.Command {
	var name, role, until, user string
	var where wire.Where
	var whole bool
	c := &cobra.Command{Use: "change NAME", Short: "Change what is given of a person", Args: args(1, 1,
		"the person's NAME"),
		Example: "  urbo person change owner --name Keeper\n  urbo person change Keeper --until never\n" +
			"  urbo person change Keeper --user root",
		RunE: func(c *cobra.Command, argv []string) error {
			var change wire.PersonChange
			flags := c.Flags()
			if flags.Changed("name") {
				change.Name = &name
			}
			if flags.Changed("role") {
				change.Role = &role
			}
			if flags.Changed("room") || flags.Changed("device") || flags.Changed("measurement") ||
				flags.Changed("board") || whole {
				where.House = whole
				change.Where = &where
			}
			if flags.Changed("user") {
				change.User = &user
			}
			if change.Always = until == "never"; !change.Always {
				var err error
				if change.Until, err = untilOf(until, time.Now()); err != nil {
					return err
				}
			}
			if change == (wire.PersonChange{}) {
				return usageError{fmt.Errorf(
					"say what is to change: --name, --role, --room, --board, --whole-house, --until or --user")}
			}
			var p wire.Person
			if err := a.call(c.Context(), http.MethodPatch, "/people/"+url.PathEscape(argv[0]), change,
				&p); err != nil {
				return err
			}
			return a.did(p, "%s is %s: %s.", p.Name, p.Role, whereText(p.Where))
		}}
	f := c.Flags()
	f.StringVar(&name, "name", "", "another name")
	f.StringVar(&role, "role", "", "owner, resident, visitor or guest")
	f.StringSliceVar(&where.Boards, "board", nil, "a board of a guest; may be given several times")
	f.StringVar(&until, "until", "", "until when: a time from now like 48h, a date, or never for no end")
	f.BoolVar(&whole, "whole-house", false, "for the whole house")
	f.StringVar(&user, "user", "",
		"user of Urbo's machine who is this owner at a terminal: the journal names the person; \"\" for none")
	whereFlags(c, &where)
	return c
}

func (a *app) personRemove() *cobra.Command {
	return &cobra.Command{Use: "remove NAME", Short: "Sign somebody out everywhere, for good",
		Args: args(1, 1, "the person's NAME"), Example: "  urbo person remove Lecturer",
		RunE: func(c *cobra.Command, argv []string) error {
			if err := a.call(c.Context(), http.MethodDelete, "/people/"+url.PathEscape(argv[0]), nil, nil); err != nil {
				return err
			}
			return a.done(map[string]any{"removed": argv[0]}, "Removed %s: every browser of that name is signed out.",
				argv[0])
		}}
}

func (a *app) personLink() *cobra.Command {
	var code bool
	var phones int
	c := &cobra.Command{Use: "link [NAME]", Short: "Print a sign-in link for somebody",
		Long: `Print a sign-in link for somebody. It works once, for 15 minutes; that of a guest until the guest's date, on as many
phones as --phones says.`,
		Args:    args(0, 1, "a NAME; without one it is for the owner"),
		Example: "  urbo person link Lecturer --qr\n  urbo person link Audience --phones 20 --qr",
		RunE: func(c *cobra.Command, argv []string) error {
			name := ""
			if len(argv) == 1 {
				name = argv[0]
			}
			return a.printLink(c, name, code, phones)
		}}
	c.Flags().IntVar(&phones, "phones", 1, "of a guest: on how many phones it works")
	c.Flags().BoolVar(&code, "qr", false, "as a code for a phone's camera, too")
	return c
}

// printLink makes a sign-in link for somebody and prints it.
func (a *app) printLink(c *cobra.Command, name string, code bool, phones int) error {
	path, body := "/tickets", any(nil)
	if name != "" {
		body = wire.LinkPhones{Phones: phones}
		path = "/people/" + url.PathEscape(name) + "/link"
	}
	var t wire.Ticket
	if err := a.call(c.Context(), http.MethodPost, path, body, &t); err != nil {
		return err
	}
	if a.output == "json" {
		return a.json(t)
	}
	fmt.Fprintln(a.Out, t.Link)
	if code {
		text, err := drawn(t.Link)
		if err != nil {
			return err
		}
		fmt.Fprint(a.Out, text)
	}
	times := "once"
	if phones > 1 {
		times = fmt.Sprintf("on %d phones", phones)
	}
	fmt.Fprintf(a.Err, "For %s. Works %s, until %s.\n", t.Person, times, clock(t.Expires))
	return nil
}

// drawn is a text as a code for a camera, two rows of its squares in each line. Light squares are drawn, so that it can
// be read on a dark terminal.
func drawn(text string) (string, error) {
	code, err := qr.Encode(text, qr.L)
	if err != nil {
		return "", fmt.Errorf("draw the link: %w", err)
	}
	const quiet = 2
	light := func(x, y int) bool { return !code.Black(x, y) }
	var out strings.Builder
	for y := -quiet; y < code.Size+quiet; y += 2 {
		for x := -quiet; x < code.Size+quiet; x++ {
			switch above, below := light(x, y), light(x, y+1); {
			case above && below:
				out.WriteString("█")
			case above:
				out.WriteString("▀")
			case below:
				out.WriteString("▄")
			default:
				out.WriteString(" ")
			}
		}
		out.WriteString("\n")
	}
	return out.String(), nil
}
