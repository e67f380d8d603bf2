package cli

import (
	"bufio"
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"strings"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/spf13/cobra"

	"urbo/wire"
)

func (a *app) deviceRemove() *cobra.Command {
	var yes bool
	c := &cobra.Command{Use: "remove DEVICE[/KEY]", Short: "Remove a device with its keys and codes, or one key",
		Args: args(1, 1, "DEVICE or DEVICE/KEY"),
		Long: `Remove a device with its keys and codes, or one key. A device can be brought back for 30 days: urbo device restore.
It asks first; with --yes it does not, for scripts.`,
		Example: "  urbo device remove boardwalk --yes\n  urbo device remove boardwalk/dim --yes",
		RunE: func(c *cobra.Command, argv []string) error {
			if strings.Contains(argv[0], "/") {
				return a.removeKey(c, argv[0], yes)
			}
			var d wire.Device
			if err := a.call(c.Context(), http.MethodGet, "/devices/"+url.PathEscape(argv[0]), nil, &d); err != nil {
				return err
			}
			what := d.Name + " with " + plural(len(d.Keys), "key", "keys")
			if err := a.sure("Remove "+what+"?", yes); err != nil {
				return err
			}
			if err := a.call(c.Context(), http.MethodDelete, "/devices/"+url.PathEscape(d.Slug), nil, nil); err != nil {
				return err
			}
			return a.done(map[string]any{"removed": d.Slug, "keys": len(d.Keys)},
				"Removed %s. For 30 days it can be brought back: urbo device restore %s", what, d.Slug)
		}}
	c.Flags().BoolVar(&yes, "yes", false, "do not ask")
	return c
}

func (a *app) removeKey(c *cobra.Command, name string, yes bool) error {
	ref, err := parseKey(name)
	if err != nil {
		return err
	}
	if err := a.sure("Remove the key "+ref.String()+"? It cannot be brought back.", yes); err != nil {
		return err
	}
	if err := a.call(c.Context(), http.MethodDelete, keyPath(ref), nil, nil); err != nil {
		return err
	}
	return a.done(map[string]any{"removed": ref.String()}, "Removed the key %s.", ref)
}

// sure asks before something is removed. Where nobody can answer, --yes has to.
func (a *app) sure(question string, yes bool) error {
	if yes {
		return nil
	}
	if !a.attended() {
		return usageError{errors.New("nobody is here to ask (" + question + "): say --yes")}
	}
	fmt.Fprint(a.Err, question+" [yes/no] ")
	answer, _ := bufio.NewReader(a.In).ReadString('\n')
	switch strings.ToLower(strings.TrimSpace(answer)) {
	case "y", "yes":
		return nil
	}
	return errors.New("nothing was removed")
}

func (a *app) deviceRestore() *cobra.Command {
	return &cobra.Command{Use: "restore [DEVICE]", Short: "Bring a removed device back, or list those that can be",
		Args: args(0, 1, "the DEVICE to bring back"),
		Long: `Bring back a device that was removed in the last 30 days, with its keys, what they send and sent, and its picture.
Without a name it lists them.`,
		Example: "  urbo device restore\n  urbo device restore boardwalk",
		RunE: func(c *cobra.Command, argv []string) error {
			if len(argv) == 0 {
				return a.removedDevices(c)
			}
			var d wire.Device
			if err := a.call(c.Context(), http.MethodPost, "/removed-devices/"+url.PathEscape(argv[0])+"/restore", nil,
				&d); err != nil {
				return err
			}
			if a.output == "json" {
				return a.json(d)
			}
			a.printDevice(d)
			return nil
		}}
}

func (a *app) removedDevices(c *cobra.Command) error {
	var all []wire.RemovedDevice
	if err := a.call(c.Context(), http.MethodGet, "/removed-devices", nil, &all); err != nil {
		return err
	}
	if a.output == "json" {
		return a.json(all)
	}
	if len(all) == 0 {
		fmt.Fprintln(a.Out, "No device was removed in the last 30 days.")
		return nil
	}
	var rows []table.Row
	for _, r := range all {
		rows = append(rows, table.Row{r.Slug, r.Name, r.Room, r.Keys, clock(r.Removed), clock(r.Expires)})
	}
	a.table(table.Row{"DEVICE", "NAME", "ROOM", "KEYS", "REMOVED", "KEPT UNTIL"}, rows)
	return nil
}
