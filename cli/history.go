package cli

import (
	"fmt"
	"net/http"
	"net/url"
	"strconv"
	"time"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/spf13/cobra"

	"urbo/wire"
)

func (a *app) history() *cobra.Command {
	var since, until, kind string
	var count int
	c := &cobra.Command{Use: "history PATH",
		Short: "Show what a control or measurement was at, or when a key was pressed",
		Long: `Show what a control was believed to be at, what was measured, or when a key was pressed on a handset: the last 90
days. PATH is DEVICE/CONTROL, a measurement, or DEVICE/KEY; --kind says which, where one path is several.`,
		Args:    args(1, 1, "a PATH, such as boardwalk/power"),
		Example: "  urbo history boardwalk/power\n  urbo history boardwalk/power --kind key --since yesterday",
		RunE: func(c *cobra.Command, argv []string) error {
			ask := url.Values{"path": {argv[0]}, "limit": {strconv.Itoa(count)}}
			if kind != "" {
				ask.Set("kind", kind)
			}
			for name, text := range map[string]string{"since": since, "until": until} {
				if text == "" {
					continue
				}
				s, err := spanOf(text, time.Now())
				if err != nil {
					return usageError{err}
				}
				at := s.from
				if name == "until" {
					at = s.until
				}
				ask.Set(name, at.Format(time.RFC3339))
			}
			var h wire.History
			if err := a.call(c.Context(), http.MethodGet, "/history?"+ask.Encode(), nil, &h); err != nil {
				return err
			}
			if a.output == "json" {
				return a.json(h)
			}
			if len(h.Facts) == 0 {
				fmt.Fprintf(a.Out, "Nothing is known of %s in that time.\n", h.Path)
				return nil
			}
			var rows []table.Row
			for _, f := range h.Facts {
				value := f.Value
				if value == "" {
					value = map[string]string{"control": "not known", "key": "pressed"}[h.Kind]
				}
				rows = append(rows, table.Row{clock(f.At), value, f.Source})
			}
			a.table(table.Row{"SINCE", "VALUE", "FROM"}, rows)
			if h.More {
				fmt.Fprintf(a.Err, "There are later ones: the same with --since \"%s\"\n",
					h.Facts[len(h.Facts)-1].At.Local().Format("2006-01-02 15:04:05"))
			}
			return nil
		}}
	f := c.Flags()
	f.StringVar(&since, "since", "", "from when on: a time ago like 2h, a time like \"2026-03-01 21:00\", or yesterday")
	f.StringVar(&until, "until", "", "until when, said alike")
	f.StringVar(&kind, "kind", "", "control, measurement or key, where a PATH is several")
	f.IntVar(&count, "count", 1000, "at most so many, the oldest")
	return c
}
