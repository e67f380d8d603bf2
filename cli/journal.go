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

// journalKinds are the kinds of entries.
var journalKinds = []string{"heard", "echo", "press", "settled", "lesson", "audition", "device", "station", "access",
	"belief", "house"}

func (a *app) journal() *cobra.Command {
	var since, device, kind, why string
	var count int
	c := &cobra.Command{Use: "journal", Short: "Show what was heard, sent and done, and why", Args: args(0, 0, "none"),
		Long: `Show the journal, the newest entry last: what was heard, sent, learned and changed, and who asked.
--why follows one entry: what led to it, and what came of it.`,
		Example: "  urbo journal --since 2h\n  urbo journal --device boardwalk --kind press --count 5",
		RunE: func(c *cobra.Command, _ []string) error {
			if count < 1 || count > 500 {
				return usageError{fmt.Errorf("--count is 1 to 500, not %d", count)}
			}
			path := "/journal/" + url.PathEscape(why) + "/why"
			if why == "" {
				ask := url.Values{"limit": {strconv.Itoa(count)}, "device": {device}}
				if kind != "" {
					ask.Set("kind", kind)
				}
				if since != "" {
					from, err := moment(since, time.Now())
					if err != nil {
						return usageError{err}
					}
					ask.Set("since", from.Format(time.RFC3339))
				}
				path = "/journal?" + ask.Encode()
			}
			var entries []wire.Entry
			if err := a.call(c.Context(), http.MethodGet, path, nil, &entries); err != nil {
				return err
			}
			if a.output == "json" {
				return a.json(entries)
			}
			if len(entries) == 0 {
				fmt.Fprintln(a.Out, "Nothing of this kind is in the journal.")
				return nil
			}
			rows := make([]table.Row, len(entries))
			for i, e := range entries {
				at := len(entries) - 1 - i // the newest last
				if why != "" {
					at = i // they come in order
				}
				rows[at] = table.Row{e.ID, clock(e.At), e.Kind, entryText(e)}
			}
			a.table(table.Row{"ENTRY", "TIME", "KIND", "WHAT"}, rows)
			return nil
		}}
	f := c.Flags()
	f.StringVar(&since, "since", "", "the oldest: a time ago like 2h or 30m, or a time like \"2026-03-01 21:00\"")
	f.StringVar(&device, "device", "", "only what is about a device")
	f.StringVar(&kind, "kind", "", "only entries of a kind: heard, echo, press, settled, lesson …")
	f.StringVar(&why, "why", "", "an ENTRY: what led to it, and what came of it")
	f.IntVar(&count, "count", 50, "at most so many entries, the newest")
	return c
}

func entryText(e wire.Entry) string {
	text := e.Text
	if e.Outcome != "" && e.Outcome != "sent" {
		text += " (" + e.Outcome + ")"
	}
	if e.By != "" {
		text += " · asked by " + e.By
	}
	return text
}

// moment reads a time: so long ago, or a date and perhaps a time of day.
func moment(text string, now time.Time) (time.Time, error) {
	if ago, err := time.ParseDuration(text); err == nil && ago >= 0 {
		return now.Add(-ago), nil
	}
	for _, layout := range []string{"2006-01-02 15:04:05", "2006-01-02 15:04", time.RFC3339, "2006-01-02"} {
		if t, err := time.ParseInLocation(layout, text, time.Local); err == nil {
			return t, nil
		}
	}
	for _, layout := range []string{"15:04:05", "15:04"} {
		if t, err := time.ParseInLocation(layout, text, time.Local); err == nil {
			y, m, d := now.Date()
			return time.Date(y, m, d, t.Hour(), t.Minute(), t.Second(), 0, time.Local), nil
		}
	}
	return time.Time{}, fmt.Errorf("%q is no time: write 2h for two hours ago, 21:00, or \"2026-03-01 21:00\"", text)
}
