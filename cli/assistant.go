package cli

import (
	"fmt"
	"net/http"
	"net/url"
	"strings"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/spf13/cobra"

	"urbo/wire"
)

func (a *app) assistant() *cobra.Command {
	return group("assistant", "Link assistants from outside, such as one that listens in another room",
		`Link assistants from outside, such as one that listens in another room (OAuth 2.0: authorization code with PKCE).
Register an assistant with the addresses that it sends people back to, and give it its id and secret. Whoever links it
there comes to a page of this house, which says what it asks for; an owner says yes,
	and for which rooms. It reads what is
there (/api/things), and sets and says what is to be done. A link lasts until it is ended.`,
		a.assistantList(), a.assistantAdd(), a.assistantUnlink(), a.assistantRemove())
}

func (a *app) assistantList() *cobra.Command {
	return &cobra.Command{Use: "list", Short: "List the assistants and their links", Args: args(0, 0, "none"),
		Example: "  urbo assistant list",
		RunE: func(c *cobra.Command, _ []string) error {
			var all []wire.Assistant
			if err := a.call(c.Context(), http.MethodGet, "/assistants", nil, &all); err != nil {
				return err
			}
			if a.output == "json" {
				return a.json(all)
			}
			if len(all) == 0 {
				fmt.Fprintln(a.Out, "No assistants. Register one: urbo assistant add NAME --redirect https://HOST/PATH")
				return nil
			}
			var rows []table.Row
			for _, one := range all {
				if len(one.Links) == 0 {
					rows = append(rows, table.Row{one.Name, one.ID, "not linked", "", "", ""})
				}
				for _, l := range one.Links {
					used := "never"
					if l.Used != nil {
						used = clock(*l.Used)
					}
					rows = append(rows, table.Row{one.Name, one.ID, l.ID, strings.Join(l.Rights, ", "),
						whereText(l.Where), used})
				}
			}
			a.table(table.Row{"ASSISTANT", "ID", "LINK", "MAY", "WHERE", "USED"}, rows)
			return nil
		}}
}

func (a *app) assistantAdd() *cobra.Command {
	var n wire.NewAssistant
	c := &cobra.Command{Use: "add NAME --redirect ADDRESS", Short: "Register an assistant, and show its secret once",
		Args:    args(1, 1, "a NAME"),
		Example: "  urbo assistant add Lantern --redirect https://lantern.example/linked",
		RunE: func(c *cobra.Command, argv []string) error {
			n.Name = argv[0]
			if len(n.Redirects) == 0 {
				return usageError{fmt.Errorf("give the address that it sends people back to: --redirect " +
					"https://HOST/PATH")}
			}
			var one wire.Assistant
			if err := a.call(c.Context(), http.MethodPost, "/assistants", n, &one); err != nil {
				return err
			}
			return a.did(one, `Registered %s. Give it these, they are shown once:
  id       %s
  secret   %s
It finds the rest at /.well-known/oauth-authorization-server of this house`, one.Name, one.ID, one.Secret)
		}}
	c.Flags().StringArrayVar(&n.Redirects, "redirect", nil, "address that it sends people back to, compared exactly; "+
		"may be given several times")
	return c
}

func (a *app) assistantUnlink() *cobra.Command {
	return &cobra.Command{Use: "unlink NAME", Short: "End the links of an assistant; it stays registered",
		Args: args(1, 1, "a NAME"), Example: "  urbo assistant unlink Lantern",
		RunE: func(c *cobra.Command, argv []string) error {
			var all []wire.Assistant
			if err := a.call(c.Context(), http.MethodGet, "/assistants", nil, &all); err != nil {
				return err
			}
			for _, one := range all {
				if one.Name != argv[0] {
					continue
				}
				for _, l := range one.Links {
					if err := a.call(c.Context(), http.MethodDelete, "/links/"+url.PathEscape(l.ID), nil,
						nil); err != nil {
						return err
					}
				}
				return a.done(map[string]any{"unlinked": argv[0], "links": len(one.Links)}, "%s is not linked.",
					argv[0])
			}
			return fmt.Errorf("there is no assistant %q: list them with urbo assistant list", argv[0])
		}}
}

func (a *app) assistantRemove() *cobra.Command {
	return &cobra.Command{Use: "remove NAME", Short: "Remove an assistant, with its links", Args: args(1, 1, "a NAME"),
		Example: "  urbo assistant remove Lantern",
		RunE: func(c *cobra.Command, argv []string) error {
			if err := a.call(c.Context(), http.MethodDelete, "/assistants/"+url.PathEscape(argv[0]), nil,
				nil); err != nil {
				return err
			}
			return a.done(map[string]any{"removed": argv[0]}, "Removed the assistant %s.", argv[0])
		}}
}
