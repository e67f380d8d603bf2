package cli

import (
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"time"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/spf13/cobra"

	"urbo/wire"
)

// journalKinds are the kinds of entries.
var journalKinds = []string{"heard", "echo", "press", "settled", "lesson", "audition", "device", "station", "access",
	"belief", "run", "house"}

// journalQuery is what is asked of the journal.
type journalQuery struct {
	when, since, until    string
	device, kind, by, why string
	search, before        string
	count                 int
}

func (a *app) journal() *cobra.Command {
	var q journalQuery
	c := &cobra.Command{Use: "journal [WHEN]", Short: "Show what was heard, sent and done, and why",
		Args: args(0, 1, "none, or WHEN, such as yesterday"),
		Long: `Show the journal, the newest entry last: what was heard, sent, learned and changed, and who asked.
WHEN is a part of time: today, yesterday, "last night", "this morning", a day of the week or a date.
--why follows one entry: what led to it, and what came of it.`,
		Example: "  urbo journal --since 2h\n  urbo journal yesterday --by owner\n  urbo journal --device boardwalk " +
			"--kind " +
			"press --count 5\n  urbo journal \"last night\" --search shutter",
		RunE: func(c *cobra.Command, argv []string) error {
			if q.count < 1 || q.count > 500 {
				return usageError{fmt.Errorf("--count is 1 to 500, not %d", q.count)}
			}
			if len(argv) == 1 {
				q.when = argv[0]
			}
			if q.why != "" {
				var entries []wire.Entry
				if err := a.call(c.Context(), http.MethodGet, "/journal/"+url.PathEscape(q.why)+"/why", nil,
					&entries); err != nil {
					return err
				}
				return a.printEntries(entries)
			}
			ask, err := q.values(time.Now())
			if err != nil {
				return usageError{err}
			}
			var page wire.JournalPage
			if err := a.call(c.Context(), http.MethodGet, "/journal?"+ask.Encode(), nil, &page); err != nil {
				return err
			}
			if a.output == "json" {
				return a.json(page)
			}
			slices.Reverse(page.Entries) // the newest last
			if page.More != "" {
				fmt.Fprintf(a.Err, "There are older ones: the same with --before %s\n", page.More)
			}
			return a.printEntries(page.Entries)
		}}
	f := c.Flags()
	f.StringVar(&q.since, "since", "",
		"the oldest: a time ago like 2h or 30m, a time like \"2026-03-01 21:00\", or yesterday")
	f.StringVar(&q.until, "until", "", "the newest, said alike")
	f.StringVar(&q.device, "device", "", "only what is about a device, also under a name that it had")
	f.StringVar(&q.kind, "kind", "", "only entries of a kind: heard, echo, press, settled, lesson …")
	f.StringVar(&q.by, "by", "", "only what somebody asked for: a person, or \"token NAME\"")
	f.StringVar(&q.search, "search", "", "only entries with these words")
	f.StringVar(&q.before, "before", "", "only what is older than this ENTRY")
	f.StringVar(&q.why, "why", "", "an ENTRY: what led to it, and what came of it")
	f.IntVar(&q.count, "count", 50, "at most so many entries, the newest")
	return c
}

// values are the query as the service reads it.
func (q journalQuery) values(now time.Time) (url.Values, error) {
	ask := url.Values{"limit": {strconv.Itoa(q.count)}}
	for name, v := range map[string]string{"device": q.device, "kind": q.kind, "by": q.by, "search": q.search,
		"before": q.before} {
		if v != "" {
			ask.Set(name, v)
		}
	}
	set := func(name string, t time.Time) { ask.Set(name, t.Format(time.RFC3339)) }
	for _, w := range []struct {
		text        string
		from, until bool
	}{{q.when, true, true}, {q.since, true, false}, {q.until, false, true}} {
		if w.text == "" {
			continue
		}
		s, err := spanOf(w.text, now)
		if err != nil && w.from && w.until { // people begin with what it is about
			return nil, fmt.Errorf("%w; what is about a device: --device %s; what has these words: --search %q", err,
				w.text, w.text)
		} else if err != nil {
			return nil, err
		}
		if w.from {
			set("since", s.from)
		}
		if w.until && (s.until.After(s.from) || !w.from) {
			set("until", s.until)
		}
	}
	return ask, nil
}

// printEntries prints entries in the order in which they are given.
func (a *app) printEntries(entries []wire.Entry) error {
	if a.output == "json" {
		return a.json(entries)
	}
	if len(entries) == 0 {
		fmt.Fprintln(a.Out, "Nothing of this kind is in the journal.")
		return nil
	}
	rows := make([]table.Row, len(entries))
	for i, e := range entries {
		rows[i] = table.Row{e.ID, clock(e.At), e.Kind, entryText(e)}
	}
	a.table(table.Row{"ENTRY", "TIME", "KIND", "WHAT"}, rows)
	return nil
}

func entryText(e wire.Entry) string {
	text := e.Text
	if e.Outcome != "" && e.Outcome != "sent" {
		text += " (" + e.Outcome + ")"
	}
	if e.By != "" {
		text += " · asked by " + e.By
	}
	if e.Via != "" {
		text += ", " + e.Via
	}
	return text
}
