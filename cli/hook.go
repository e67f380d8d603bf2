package cli

import (
	"fmt"
	"net/http"
	"net/url"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/spf13/cobra"

	"urbo/wire"
)

func (a *app) hook() *cobra.Command {
	return group("hook", "Make secret addresses that let one thing happen",
		`Make secret addresses. Whoever calls such an address with POST lets one thing happen, and nothing else: an errand or
sequence is run, or errands come that say "when hook NAME". A calendar is read with GET: a calendar program shows
when errands are due.

The address is shown once, and kept nowhere: remove the hook and make it anew where it is lost. A hook may be called
once a second, and ten times at once. A call with the header Idempotency-Key is done once, however often it is sent.
A hook reaches the devices that its errand or sequence reached when it was made, and no others.`,
		a.hookList(), a.hookAdd(), a.hookRemove())
}

func (a *app) hookList() *cobra.Command {
	return &cobra.Command{Use: "list", Short: "List the hooks", Args: args(0, 0, "none"), Example: "  urbo hook list",
		RunE: func(c *cobra.Command, _ []string) error {
			var all []wire.Hook
			if err := a.call(c.Context(), http.MethodGet, "/hooks", nil, &all); err != nil {
				return err
			}
			if a.output == "json" {
				return a.json(all)
			}
			if len(all) == 0 {
				fmt.Fprintln(a.Out, "No hooks yet. Make one: urbo hook add NAME --sequence SEQUENCE")
				return nil
			}
			var rows []table.Row
			for _, h := range all {
				used := "never"
				if h.Used != nil {
					used = clock(*h.Used) + " from " + h.From
				}
				of := h.Of
				if h.Gone {
					of = "gone"
				}
				rows = append(rows, table.Row{h.Name, h.Kind, of, used})
			}
			a.table(table.Row{"HOOK", "KIND", "OF", "USED"}, rows)
			return nil
		}}
}

func (a *app) hookAdd() *cobra.Command {
	var errand, sequence string
	var calendar bool
	c := &cobra.Command{Use: "add NAME", Short: "Make a hook; its address is shown once",
		Args: args(1, 1, "a NAME of a-z, 0-9 and -"),
		Long: `Make a hook; its address is shown once. Without a flag, errands come with it: when hook NAME do ….`,
		Example: "  urbo hook add bell\n  urbo hook add party --sequence fanfare\n  urbo hook add night --errand " +
			"close\n" +
			"  urbo hook add coming --calendar",
		RunE: func(c *cobra.Command, argv []string) error {
			n := wire.NewHook{Name: argv[0], Kind: "cue"}
			given := 0
			for _, k := range []struct {
				kind, of string
				is       bool
			}{{"errand", errand, errand != ""}, {"sequence", sequence, sequence != ""}, {"calendar", "", calendar}} {
				if k.is {
					n.Kind, n.Of = k.kind, k.of
					given++
				}
			}
			if given > 1 {
				return usageError{fmt.Errorf("a hook does one thing: give one of --errand, --sequence and --calendar")}
			}
			var h wire.Hook
			if err := a.call(c.Context(), http.MethodPost, "/hooks", n, &h); err != nil {
				return err
			}
			if a.output == "json" {
				return a.json(h)
			}
			fmt.Fprintln(a.Out, h.Address)
			if calendar {
				fmt.Fprintln(a.Out, "Keep it: it is not shown again. Give it to a calendar program.")
				return nil
			}
			fmt.Fprintf(a.Out, "Keep it: it is not shown again. Call it: curl -X POST %s\n", h.Address)
			return nil
		}}
	c.Flags().StringVar(&errand, "errand", "", "an errand that it runs")
	c.Flags().StringVar(&sequence, "sequence", "", "a sequence that it runs")
	c.Flags().BoolVar(&calendar, "calendar", false, "the coming times of errands, as iCalendar")
	return c
}

func (a *app) hookRemove() *cobra.Command {
	return &cobra.Command{Use: "remove NAME", Short: "Make the address of a hook worthless", Args: args(1, 1, "a NAME"),
		Example: "  urbo hook remove bell",
		RunE: func(c *cobra.Command, argv []string) error {
			if err := a.call(c.Context(), http.MethodDelete, "/hooks/"+url.PathEscape(argv[0]), nil, nil); err != nil {
				return err
			}
			return a.done(map[string]any{"removed": argv[0]}, "The address of %s leads nowhere any more.", argv[0])
		}}
}
