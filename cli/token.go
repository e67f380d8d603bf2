package cli

import (
	"fmt"
	"net/http"
	"net/url"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/spf13/cobra"

	"urbo/wire"
)

func (a *app) token() *cobra.Command {
	return group("token", "Let browsers and programs in", "",
		a.tokenLink(), a.tokenList(), a.tokenAdd(), a.tokenRemove())
}

// tokenLink is urbo person link for the owner.
func (a *app) tokenLink() *cobra.Command {
	return &cobra.Command{Use: "link", Short: "Print a sign-in link for the owner's browser", Args: args(0, 0, "none"),
		Example: "  urbo token link",
		RunE:    func(c *cobra.Command, _ []string) error { return a.printLink(c, "", false, 1) }}
}

func (a *app) tokenList() *cobra.Command {
	return &cobra.Command{Use: "list", Short: "List the tokens", Args: args(0, 0, "none"),
		Example: "  urbo token list",
		RunE: func(c *cobra.Command, _ []string) error {
			cl, err := a.client()
			if err != nil {
				return err
			}
			var tokens []wire.Token
			if err := cl.do(c.Context(), http.MethodGet, "/tokens", nil, &tokens); err != nil {
				return err
			}
			if a.output == "json" {
				return a.json(tokens)
			}
			if len(tokens) == 0 {
				fmt.Fprintln(a.Out, "No tokens yet. Make one: urbo token add NAME --scope press")
				return nil
			}
			var rows []table.Row
			for _, t := range tokens {
				used := "never"
				if t.Used != nil {
					used = clock(*t.Used)
				}
				where := whereText(t.Where)
				if t.Scope == "station" {
					where = ""
				}
				rows = append(rows, table.Row{t.Name, t.Scope, where, clock(t.Created), used})
			}
			a.table(table.Row{"TOKEN", "MAY", "WHERE", "MADE", "USED"}, rows)
			return nil
		}}
}

func (a *app) tokenAdd() *cobra.Command {
	var n wire.NewToken
	c := &cobra.Command{Use: "add NAME", Short: "Make a token for a program; it is shown once",
		Args: args(1, 1, "a NAME for the token"),
		Example: "  urbo token add \"wall tablet\" --scope press\n  urbo token add \"door screen\" --right see " +
			"--room Dome",
		RunE: func(c *cobra.Command, argv []string) error {
			cl, err := a.client()
			if err != nil {
				return err
			}
			n.Name = argv[0]
			if len(n.Rights) > 0 && !c.Flags().Changed("scope") {
				n.Scope = ""
			}
			var t wire.Token
			if err := cl.do(c.Context(), http.MethodPost, "/tokens", n, &t); err != nil {
				return err
			}
			if a.output == "json" {
				return a.json(t)
			}
			fmt.Fprintln(a.Out, t.Secret)
			fmt.Fprintln(a.Err, "Keep it now: it is not shown again.")
			return nil
		}}
	c.Flags().StringVar(&n.Scope, "scope", "press",
		"rights in a word: owner (everything), press (see, use, tell), watch (see), station (hardware)")
	c.Flags().StringSliceVar(&n.Rights, "right", nil,
		"or rights by their names: see, use, tell, arrange, teach, keep; may be given several times")
	whereFlags(c, &n.Where)
	return c
}

func (a *app) tokenRemove() *cobra.Command {
	return &cobra.Command{Use: "remove NAME", Short: "Make a token worthless", Args: args(1, 1, "the token's NAME"),
		Example: "  urbo token remove \"wall tablet\"",
		RunE: func(c *cobra.Command, argv []string) error {
			cl, err := a.client()
			if err != nil {
				return err
			}
			if err := cl.do(c.Context(), http.MethodDelete, "/tokens/"+url.PathEscape(argv[0]), nil, nil); err != nil {
				return err
			}
			return a.done(map[string]any{"removed": argv[0]}, "Removed token %s.", argv[0])
		}}
}
