package cli

import (
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"time"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/spf13/cobra"

	"urbo/wire"
)

func (a *app) session() *cobra.Command {
	return group("session", "Look after signed-in browsers", "",
		a.sessionList(), a.sessionEnd())
}

func (a *app) sessionList() *cobra.Command {
	return &cobra.Command{Use: "list", Short: "List the signed-in browsers", Args: args(0, 0, "none"),
		Example: "  urbo session list",
		RunE: func(c *cobra.Command, _ []string) error {
			var all []wire.Session
			if err := a.call(c.Context(), http.MethodGet, "/sessions", nil, &all); err != nil {
				return err
			}
			if a.output == "json" {
				return a.json(all)
			}
			if len(all) == 0 {
				fmt.Fprintln(a.Out, "No browser is signed in. Print a sign-in link: urbo person link NAME")
				return nil
			}
			var rows []table.Row
			for _, s := range all {
				rows = append(rows, table.Row{s.ID, s.Person, maybeClock(s.Created), maybeClock(s.Used), s.From,
					s.Browser})
			}
			a.table(table.Row{"SESSION", "PERSON", "SIGNED IN", "USED", "FROM", "BROWSER"}, rows)
			return nil
		}}
}

// maybeClock prints a time that may not be known.
func maybeClock(t *time.Time) string {
	if t == nil {
		return "not known"
	}
	return clock(*t)
}

func (a *app) sessionEnd() *cobra.Command {
	var all bool
	c := &cobra.Command{Use: "end [SESSION]", Short: "Sign a browser out, or all of them",
		Args: args(0, 1, "a SESSION, or --all"), Example: "  urbo session end --all",
		RunE: func(c *cobra.Command, argv []string) error {
			if all == (len(argv) == 1) {
				return usageError{errors.New("name a SESSION of urbo session list, or say --all")}
			}
			ids := argv
			if all {
				var sessions []wire.Session
				if err := a.call(c.Context(), http.MethodGet, "/sessions", nil, &sessions); err != nil {
					return err
				}
				for _, s := range sessions {
					ids = append(ids, s.ID)
				}
			}
			for _, id := range ids {
				if err := a.call(c.Context(), http.MethodDelete, "/sessions/"+url.PathEscape(id), nil,
					nil); err != nil {
					return err
				}
			}
			return a.done(map[string]any{"ended": len(ids)}, "Ended %s.", plural(len(ids), "session", "sessions"))
		}}
	c.Flags().BoolVar(&all, "all", false, "every browser")
	return c
}
