package cli

import (
	"fmt"
	"net/http"
	"net/url"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/spf13/cobra"

	"urbo/core/plain"
	"urbo/wire"
)

func (a *app) calendar() *cobra.Command {
	return group("calendar", "Let errands come with the events of calendars",
		`Let errands come with the events of calendars: errand talk when 30 min before calendar club starts titled "public
night" do start public-talk. A calendar is an iCalendar file (.ics) at an address; Urbo fetches it every 15 minutes, and
keeps what it read last. Moved and cancelled events count as they are now. For the coming times of errands as a calendar
of their own see urbo hook add NAME --calendar.`,
		a.calendarList(), a.calendarShow(), a.calendarAdd(), a.calendarRemove())
}

func (a *app) calendarList() *cobra.Command {
	return &cobra.Command{Use: "list", Short: "List the calendars", Args: args(0, 0, "none"),
		Example: "  urbo calendar list",
		RunE: func(c *cobra.Command, _ []string) error {
			var all []wire.Agenda
			if err := a.call(c.Context(), http.MethodGet, "/calendars", nil, &all); err != nil {
				return err
			}
			if a.output == "json" {
				return a.json(all)
			}
			if len(all) == 0 {
				fmt.Fprintln(a.Out, "No calendars yet. Add one: urbo calendar add NAME https://HOST/…")
				return nil
			}
			var rows []table.Row
			for _, one := range all {
				fetched, next := "never", ""
				if one.At != nil {
					fetched = clock(*one.At)
				}
				if len(one.Coming) > 0 {
					next = eventText(one.Coming[0])
				}
				rows = append(rows, table.Row{one.Name, one.Host, fetched, next, one.Error})
			}
			a.table(table.Row{"CALENDAR", "FROM", "FETCHED", "NEXT", "FAILED"}, rows)
			return nil
		}}
}

// eventText is an event in words.
func eventText(e wire.AgendaEvent) string {
	at := e.Begins.Local().Format("Mon 2 Jan 15:04")
	if e.AllDay {
		at = e.Begins.Local().Format("Mon 2 Jan")
	}
	if e.Moved {
		at += " (moved)"
	}
	return at + " " + plain.Show(e.Title)
}

func (a *app) calendarShow() *cobra.Command {
	return &cobra.Command{Use: "show NAME", Short: "Fetch a calendar now, and show its next events",
		Args: args(1, 1, "a NAME"), Example: "  urbo calendar show club",
		RunE: func(c *cobra.Command, argv []string) error {
			var one wire.Agenda
			if err := a.call(c.Context(), http.MethodPost, "/calendars/"+url.PathEscape(argv[0])+"/look", nil,
				&one); err != nil {
				return err
			}
			return a.showCalendar(one)
		}}
}

func (a *app) showCalendar(one wire.Agenda) error {
	if a.output == "json" {
		return a.json(one)
	}
	fmt.Fprintf(a.Out, "%s has %s, from %s.\n", one.Name, plain.Count(one.Events, "event", "events"), one.Host)
	for _, e := range one.Coming {
		fmt.Fprintln(a.Out, "  "+eventText(e))
	}
	if len(one.Coming) == 0 {
		fmt.Fprintln(a.Out, "None of them comes in the next 40 days.")
	}
	if one.Error != "" {
		fmt.Fprintf(a.Out, "Not understood: %s\n", one.Error)
	}
	return nil
}

func (a *app) calendarAdd() *cobra.Command {
	return &cobra.Command{Use: "add NAME ADDRESS", Short: "Add a calendar, also in the place of one of this name",
		Args: args(2, 2, "a NAME and an ADDRESS"), Example: "  urbo calendar add club https://club.example/night.ics",
		RunE: func(c *cobra.Command, argv []string) error {
			var one wire.Agenda
			if err := a.call(c.Context(), http.MethodPost, "/calendars", wire.Agenda{Name: argv[0], URL: argv[1],
				Coming: []wire.AgendaEvent{}}, &one); err != nil {
				return err
			}
			if err := a.showCalendar(one); err != nil || a.output == "json" {
				return err
			}
			fmt.Fprintf(a.Out, "Errands say: when calendar %s starts do …\n", one.Name)
			return nil
		}}
}

func (a *app) calendarRemove() *cobra.Command {
	return &cobra.Command{Use: "remove NAME", Short: "Remove a calendar", Args: args(1, 1, "a NAME"),
		Example: "  urbo calendar remove club",
		RunE: func(c *cobra.Command, argv []string) error {
			if err := a.call(c.Context(), http.MethodDelete, "/calendars/"+url.PathEscape(argv[0]), nil,
				nil); err != nil {
				return err
			}
			return a.done(map[string]any{"removed": argv[0]}, "Removed the calendar %s.", argv[0])
		}}
}
