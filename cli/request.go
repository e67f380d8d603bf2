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

func (a *app) request() *cobra.Command {
	return group("request", "Name requests that errands send out of the house",
		`Name requests that errands send out of the house: errand lamp when door/opened pressed do send lamp "on". A request
goes to the host that was named and nowhere else, with the text as its body, and has ten seconds for its answer.`,
		a.requestList(), a.requestAdd(), a.requestSend(), a.requestRemove())
}

func (a *app) requestList() *cobra.Command {
	return &cobra.Command{Use: "list", Short: "List the requests", Args: args(0, 0, "none"),
		Example: "  urbo request list",
		RunE: func(c *cobra.Command, _ []string) error {
			var all []wire.Request
			if err := a.call(c.Context(), http.MethodGet, "/requests", nil, &all); err != nil {
				return err
			}
			if a.output == "json" {
				return a.json(all)
			}
			if len(all) == 0 {
				fmt.Fprintln(a.Out, "No requests yet. Name one: urbo request add NAME http://HOST/…")
				return nil
			}
			var rows []table.Row
			for _, r := range all {
				last := "never"
				if r.Last != nil {
					last = clock(*r.Last)
				}
				rows = append(rows, table.Row{r.Name, r.Method, r.URL, last, r.Error})
			}
			a.table(table.Row{"REQUEST", "METHOD", "ADDRESS", "SENT", "FAILED"}, rows)
			return nil
		}}
}

func (a *app) requestAdd() *cobra.Command {
	var r wire.Request
	var tokenFile string
	c := &cobra.Command{Use: "add NAME ADDRESS", Short: "Name a request, also in the place of one of this name",
		Args:    args(2, 2, "a NAME and an ADDRESS"),
		Example: "  urbo request add lamp http://127.0.0.1:9/lamp --method PUT",
		RunE: func(c *cobra.Command, argv []string) error {
			r.Name, r.URL, r.Method = argv[0], argv[1], strings.ToUpper(r.Method)
			if tokenFile != "" {
				text, err := readSmall(tokenFile, c.InOrStdin())
				if err != nil {
					return fmt.Errorf("read the token: %w", err)
				}
				r.Token = strings.TrimSpace(text)
			}
			var got wire.Request
			if err := a.call(c.Context(), http.MethodPost, "/requests", r, &got); err != nil {
				return err
			}
			return a.did(got, "%s is %s %s. Errands say: send %s. Try it: urbo request send %s", got.Name, got.Method,
				got.URL,
				got.Name, got.Name)
		}}
	c.Flags().StringVar(&r.Method, "method", "POST", "POST, PUT or GET")
	c.Flags().StringVar(&tokenFile, "bearer-file", "", "file with a token that is sent along; - is standard input")
	return c
}

func (a *app) requestSend() *cobra.Command {
	return &cobra.Command{Use: "send NAME [TEXT]", Short: "Send a request now, and wait for its answer",
		Args: args(1, 2, "a NAME, and perhaps a TEXT"), Example: "  urbo request send lamp on",
		RunE: func(c *cobra.Command, argv []string) error {
			var t wire.RequestText
			if len(argv) > 1 {
				t.Text = argv[1]
			}
			var r wire.Request
			if err := a.call(c.Context(), http.MethodPost, "/requests/"+url.PathEscape(argv[0])+"/send", t,
				&r); err != nil {
				return err
			}
			return a.did(r, "%s was sent and answered.", r.Name)
		}}
}

func (a *app) requestRemove() *cobra.Command {
	return &cobra.Command{Use: "remove NAME", Short: "Remove a request", Args: args(1, 1, "a NAME"),
		Example: "  urbo request remove lamp",
		RunE: func(c *cobra.Command, argv []string) error {
			if err := a.call(c.Context(), http.MethodDelete, "/requests/"+url.PathEscape(argv[0]), nil,
				nil); err != nil {
				return err
			}
			return a.done(map[string]any{"removed": argv[0]}, "Removed the request %s.", argv[0])
		}}
}
