package cli

import (
	"context"
	"fmt"
	"net/http"
	"net/url"
	"strings"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/spf13/cobra"

	"urbo/core/run"
	"urbo/wire"
)

func (a *app) runs() *cobra.Command {
	return group("run", "See and stop what is under way", `See what is under way, such as a sequence, and stop it. Stopped, it ends at the next safe place: what moves is
stopped, and what is half done is brought to its end.`, a.runList(), a.runStop())
}

func (a *app) runList() *cobra.Command {
	return &cobra.Command{Use: "list", Short: "List what is under way, and what was lately", Args: args(0, 0, "none"),
		Example: "  urbo run list",
		RunE: func(c *cobra.Command, _ []string) error {
			var all []wire.Run
			if err := a.call(c.Context(), http.MethodGet, "/runs", nil, &all); err != nil {
				return err
			}
			if a.output == "json" {
				return a.json(all)
			}
			if len(all) == 0 {
				fmt.Fprintln(a.Out, "Nothing is under way. Run a sequence: urbo sequence run SEQUENCE")
				return nil
			}
			var rows []table.Row
			for _, r := range all {
				rows = append(rows, table.Row{r.Name, fmt.Sprintf("%d of %d", r.Step, r.Steps), runText(r),
					clock(r.Began), r.By, r.ID})
			}
			a.table(table.Row{"NAME", "STEP", "WHERE IT IS", "BEGAN", "BY", "RUN"}, rows)
			return nil
		}}
}

// runText says where a run is.
func runText(r wire.Run) string {
	switch r.Phase {
	case run.Queued:
		return "waits for its turn"
	case run.Waiting:
		return r.Says + ", until " + clock(*r.Until)
	case run.Asking:
		return "asks what " + r.Asks + " is at, until " + clock(*r.Until)
	case run.InStep:
		return r.Says
	}
	if r.End == run.Done {
		return "done " + clock(*r.Over)
	}
	return string(r.End) + " " + clock(*r.Over) + ": " + r.Reason
}

func (a *app) runStop() *cobra.Command {
	return &cobra.Command{Use: "stop RUN", Short: "Stop what is under way, at the next safe place",
		Args: args(1, 1, "a RUN, or the name of what runs"), Example: "  urbo run stop fanfare-long",
		RunE: func(c *cobra.Command, argv []string) error {
			id, err := a.runOf(c.Context(), argv[0])
			if err != nil {
				return err
			}
			var r wire.Run
			if err := a.call(c.Context(), http.MethodPost, "/runs/"+url.PathEscape(id)+"/stop", nil, &r); err != nil {
				return err
			}
			return a.did(r, "Stopped %s in step %d of %d.", r.Name, r.Step, r.Steps)
		}}
}

// runOf finds the id of a run: that, or the name of what is under way.
func (a *app) runOf(ctx context.Context, name string) (string, error) {
	var all []wire.Run
	if err := a.call(ctx, http.MethodGet, "/runs", nil, &all); err != nil {
		return "", err
	}
	var names []string
	for _, r := range all {
		switch {
		case r.ID == name, r.Name == name && r.Phase != run.Ended && r.Phase != run.Queued:
			return r.ID, nil
		case r.Phase != run.Ended:
			names = append(names, r.Name)
		}
	}
	if len(names) == 0 {
		return "", fmt.Errorf("%q is not under way: nothing is", name)
	}
	return "", fmt.Errorf("%q is not under way: there are %s", name, strings.Join(names, ", "))
}

func (a *app) hold() *cobra.Command {
	return group("hold", "See and end what is set for a time", `See the controls that are set for a time (urbo set ... --for 10m), and end that before. Whoever sets such a control
meanwhile, also with its handset, ends it by that: then nothing goes back.`, a.holdList(), a.holdEnd())
}

func (a *app) holdList() *cobra.Command {
	return &cobra.Command{Use: "list", Short: "List what is set for a time", Args: args(0, 0, "none"),
		Example: "  urbo hold list",
		RunE: func(c *cobra.Command, _ []string) error {
			var all []wire.Hold
			if err := a.call(c.Context(), http.MethodGet, "/holds", nil, &all); err != nil {
				return err
			}
			if a.output == "json" {
				return a.json(all)
			}
			if len(all) == 0 {
				fmt.Fprintln(a.Out, "Nothing is set for a time. Do so: urbo set DEVICE CONTROL VALUE --for 10m")
				return nil
			}
			var rows []table.Row
			for _, h := range all {
				rows = append(rows, table.Row{h.Device + "/" + h.Control, h.Value, clock(h.Until), h.Back, holdText(h),
					h.By})
			}
			a.table(table.Row{"CONTROL", "IS AT", "UNTIL", "THEN", "NOTE", "BY"}, rows)
			return nil
		}}
}

// holdText says what is special about a hold.
func holdText(h wire.Hold) string {
	switch {
	case h.Frozen:
		return "its device is removed"
	case h.Phase == run.Owed:
		return "not back yet: " + h.Reason
	case h.Phase == run.Held:
		return ""
	}
	return string(h.Phase)
}

func (a *app) holdEnd() *cobra.Command {
	var end wire.EndHold
	c := &cobra.Command{Use: "end DEVICE/CONTROL", Short: "Set a control back now, or leave it as it is",
		Args:    args(1, 1, "a DEVICE/CONTROL"),
		Example: "  urbo hold end dew-a/power\n  urbo hold end dew-a/power --stay",
		RunE: func(c *cobra.Command, argv []string) error {
			var all []wire.Hold
			if err := a.call(c.Context(), http.MethodGet, "/holds", nil, &all); err != nil {
				return err
			}
			var names []string
			id := ""
			for _, h := range all {
				if path := h.Device + "/" + h.Control; path == argv[0] || h.ID == argv[0] {
					id = h.ID // the newest is in force
				} else {
					names = append(names, path)
				}
			}
			if id == "" && len(names) == 0 {
				return fmt.Errorf("%q is not set for a time: nothing is", argv[0])
			}
			if id == "" {
				return fmt.Errorf("%q is not set for a time: there are %s", argv[0], strings.Join(names, ", "))
			}
			var h wire.Hold
			if err := a.call(c.Context(), http.MethodPost, "/holds/"+url.PathEscape(id)+"/end", end, &h); err != nil {
				return err
			}
			if end.Stay {
				return a.did(h, "%s/%s stays at %s.", h.Device, h.Control, h.Value)
			}
			return a.did(h, "%s/%s goes back now.", h.Device, h.Control)
		}}
	c.Flags().BoolVar(&end.Stay, "stay", false, "leave it as it is, instead of setting it back")
	return c
}
