package cli

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strings"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/spf13/cobra"

	"urbo/core/plain"
	"urbo/wire"
)

func (a *app) group() *cobra.Command {
	return group("group", "Name lists of devices that are set together", `Name lists of devices that are set together: "urbo set dew power on" sets all that are in the group dew. A group may
have groups in it.`,
		a.groupList(), a.groupAdd(), a.groupChange(), a.groupRemove())
}

func (a *app) groupList() *cobra.Command {
	return &cobra.Command{Use: "list", Short: "List the groups, and what is in them", Args: args(0, 0, "none"),
		Example: "  urbo group list",
		RunE: func(c *cobra.Command, _ []string) error {
			var all []wire.Group
			if err := a.call(c.Context(), http.MethodGet, "/groups", nil, &all); err != nil {
				return err
			}
			if a.output == "json" {
				return a.json(all)
			}
			if len(all) == 0 {
				fmt.Fprintln(a.Out, "No groups yet. Make one: urbo group add NAME DEVICE ...")
				return nil
			}
			var rows []table.Row
			for _, g := range all {
				rows = append(rows, table.Row{g.Slug, g.Name, strings.Join(g.Members, ", ")})
			}
			a.table(table.Row{"GROUP", "NAME", "IN IT"}, rows)
			return nil
		}}
}

func (a *app) groupAdd() *cobra.Command {
	var n wire.NewGroup
	c := &cobra.Command{Use: "add NAME DEVICE ...", Short: "Make a group of devices or groups",
		Args: args(2, 501, "a NAME, and what is to be in it"), Example: "  urbo group add \"Outside lights\" boardwalk",
		RunE: func(c *cobra.Command, argv []string) error {
			n.Name, n.Members = argv[0], argv[1:]
			var g wire.Group
			if err := a.call(c.Context(), http.MethodPost, "/groups", n, &g); err != nil {
				return err
			}
			return a.did(g, "Added %s with %s. Set it: urbo set %s CONTROL VALUE", g.Slug,
				plain.Count(g.Devices, "device", "devices"), g.Slug)
		}}
	c.Flags().StringVar(&n.Slug, "short-name", "", "name on the command line; without it, it is made from the name")
	return c
}

func (a *app) groupChange() *cobra.Command {
	var name, slug string
	var add, remove []string
	c := &cobra.Command{Use: "change GROUP", Short: "Put something into a group, take it out, or rename it",
		Args:    args(1, 1, "a GROUP"),
		Example: "  urbo group change dew --add mixer\n  urbo group change dew --remove mixer",
		RunE: func(c *cobra.Command, argv []string) error {
			var change wire.GroupChange
			if c.Flags().Changed("name") {
				change.Name = &name
			}
			if c.Flags().Changed("short-name") {
				change.Slug = &slug
			}
			if len(add)+len(remove) > 0 {
				members, err := a.membersOf(c.Context(), argv[0])
				if err != nil {
					return err
				}
				members = append(members, add...)
				members = slices.DeleteFunc(members, func(m string) bool { return slices.Contains(remove, m) })
				change.Members = &members
			}
			if change == (wire.GroupChange{}) {
				return usageError{errors.New("say what is to change: --add, --remove, --name or --short-name")}
			}
			var g wire.Group
			if err := a.call(c.Context(), http.MethodPatch, "/groups/"+url.PathEscape(argv[0]), change,
				&g); err != nil {
				return err
			}
			return a.did(g, "In %s: %s.", g.Slug, strings.Join(g.Members, ", "))
		}}
	f := c.Flags()
	f.StringVar(&name, "name", "", "another name")
	f.StringVar(&slug, "short-name", "", "another name on the command line")
	f.StringSliceVar(&add, "add", nil, "a device or group to put into it")
	f.StringSliceVar(&remove, "remove", nil, "one to take out")
	return c
}

// membersOf are the slugs of what is in a group now.
func (a *app) membersOf(ctx context.Context, slug string) ([]string, error) {
	var all []wire.Group
	if err := a.call(ctx, http.MethodGet, "/groups", nil, &all); err != nil {
		return nil, err
	}
	var names []string
	for _, g := range all {
		if g.Slug == slug {
			return g.Members, nil
		}
		names = append(names, g.Slug)
	}
	return nil, fmt.Errorf("unknown group %q: there are %s", slug, strings.Join(names, ", "))
}

func (a *app) groupRemove() *cobra.Command {
	return &cobra.Command{Use: "remove GROUP", Short: "Remove a group; its devices stay", Args: args(1, 1, "a GROUP"),
		Example: "  urbo group remove lecture",
		RunE: func(c *cobra.Command, argv []string) error {
			if err := a.call(c.Context(), http.MethodDelete, "/groups/"+url.PathEscape(argv[0]), nil, nil); err != nil {
				return err
			}
			return a.done(map[string]any{"removed": argv[0]}, "Removed the group %s.", argv[0])
		}}
}

// reins is the name of what an occasion gives the volume, arrows, digits and play keys to.
const reins = "reins"

// isRoom says whether a name is that of a room, as room/NAME: a device may have the same.
func isRoom(name string) bool { return strings.HasPrefix(name, "room/") || name == reins }

// groupPath is where a group, or room/NAME, is in the API.
func groupPath(name string) string {
	if room, is := strings.CutPrefix(name, "room/"); is {
		return "/rooms/" + url.PathEscape(room)
	}
	if name == reins {
		return "/reins"
	}
	return "/groups/" + url.PathEscape(name)
}

// isGroup says whether a call failed because there is no device of a name, but there is a group.
func (a *app) isGroup(ctx context.Context, err error, slug string) bool {
	var refused *refusalError
	if !errors.As(err, &refused) || refused.status != http.StatusNotFound {
		return false
	}
	var state []wire.GroupControl
	err = a.call(ctx, http.MethodGet, groupPath(slug)+"/state", nil, &state)
	return err == nil || errors.As(err, &refused) && refused.status == http.StatusForbidden // there, and not for them
}

// setGroup sets controls of all devices of a group.
func (a *app) setGroup(ctx context.Context, slug string, r wire.SetRequest) error {
	var got wire.GroupAnswer
	if r.Ask { // what is doubtful is told first, device by device
		dry := r
		dry.Dry = true
		if err := a.call(ctx, http.MethodPost, groupPath(slug)+"/set", dry, &got); err != nil {
			return err
		}
		for _, d := range got.Devices {
			if _, err := a.askWhatIsSo(ctx, d.Device, d.Answer.Asks); err != nil {
				return err
			}
		}
		got = wire.GroupAnswer{}
	}
	if err := a.call(ctx, http.MethodPost, groupPath(slug)+"/set", r, &got); err != nil {
		return err
	}
	if a.output == "json" {
		if err := a.json(got); err != nil {
			return err
		}
	} else {
		var rows []table.Row
		for _, d := range got.Devices {
			n := 0
			for _, p := range d.Answer.Presses {
				n += p.Times
			}
			said := d.Error
			switch {
			case said != "":
			case r.Dry:
				said = fmt.Sprintf("would take %s", plain.Count(stepsOf(d.Answer), "press", "presses"))
			case d.Answer.Done && d.Answer.Doubtful:
				said = plain.Count(n, "press", "presses") + ", and what it is at now is doubtful"
			case d.Answer.Done:
				said = "done, " + plain.Count(n, "press", "presses")
			case d.Answer.Reason != "":
				said = d.Answer.Reason
			case n > 0:
				said = plain.Count(n, "press", "presses") + ", and what it is at now is doubtful"
			default:
				said = "cannot be sure, and nothing was pressed"
			}
			rows = append(rows, table.Row{d.Device, said})
		}
		a.table(table.Row{"DEVICE", "CAME OF IT"}, rows)
	}
	if r.Dry {
		return nil
	}
	failed, unsure := false, false
	for _, d := range got.Devices {
		failed = failed || d.Error != "" || d.Answer.Reason != ""
		unsure = unsure || !d.Answer.Done || d.Answer.Doubtful
	}
	switch err := fmt.Errorf("not all of %s is surely there: see urbo state %s", slug, slug); {
	case failed:
		return err
	case unsure:
		return unsureError{err, false}
	}
	return nil
}

func stepsOf(answer wire.SetAnswer) (n int) {
	for _, s := range answer.Steps {
		n += s.Times
	}
	return n
}

// groupState prints what the devices of a group are believed to be at.
func (a *app) groupState(ctx context.Context, slug string) error {
	var state []wire.GroupControl
	if err := a.call(ctx, http.MethodGet, groupPath(slug)+"/state", nil, &state); err != nil {
		return err
	}
	if a.output == "json" {
		return a.json(state)
	}
	var rows []table.Row
	for _, c := range state {
		value := c.Value
		if value == "" {
			value = "not known"
		}
		rows = append(rows, table.Row{c.Control, value, c.Word, strings.Join(c.Devices, ", ")})
	}
	a.table(table.Row{"CONTROL", "IS AT", "TRUST", "OF"}, rows)
	return nil
}
