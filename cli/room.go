package cli

import (
	"fmt"
	"net/http"
	"net/url"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/spf13/cobra"

	"urbo/wire"
)

func (a *app) room() *cobra.Command {
	return group("room", "Look after the rooms of the house", `Look after the rooms. A room is there as soon as a device or station is put into it; spellings like "Warm room" and
"warm-room" are one room. Giving it another name moves nothing.`,
		a.roomList(), a.roomAdd(), a.roomRename(), a.roomRemove())
}

func (a *app) roomList() *cobra.Command {
	return &cobra.Command{Use: "list", Short: "List the rooms, and how much is in each", Args: args(0, 0, "none"),
		Example: "  urbo room list",
		RunE: func(c *cobra.Command, _ []string) error {
			var all []wire.Room
			if err := a.call(c.Context(), http.MethodGet, "/rooms", nil, &all); err != nil {
				return err
			}
			if a.output == "json" {
				return a.json(all)
			}
			if len(all) == 0 {
				fmt.Fprintln(a.Out, "No rooms yet. Add one: urbo room add NAME")
				return nil
			}
			var rows []table.Row
			for _, r := range all {
				rows = append(rows, table.Row{r.Name, r.Devices, r.Stations})
			}
			a.table(table.Row{"ROOM", "DEVICES", "STATIONS"}, rows)
			return nil
		}}
}

func (a *app) roomAdd() *cobra.Command {
	return &cobra.Command{Use: "add NAME", Short: "Add a room", Args: args(1, 1, "the room's NAME"),
		Example: "  urbo room add \"Boat shed\"",
		RunE: func(c *cobra.Command, argv []string) error {
			var r wire.Room
			if err := a.call(c.Context(), http.MethodPost, "/rooms", wire.NewRoom{Name: argv[0]}, &r); err != nil {
				return err
			}
			return a.did(r, "Added the room %s.", r.Name)
		}}
}

func (a *app) roomRename() *cobra.Command {
	return &cobra.Command{Use: "rename ROOM NAME", Short: "Give a room another name; what is in it stays there",
		Args: args(2, 2, "a ROOM and its new NAME"), Example: "  urbo room rename outside Boardwalk",
		RunE: func(c *cobra.Command, argv []string) error {
			var r wire.Room
			if err := a.call(c.Context(), http.MethodPatch, "/rooms/"+url.PathEscape(argv[0]),
				wire.NewRoom{Name: argv[1]},
				&r); err != nil {
				return err
			}
			return a.did(r, "Renamed %s to %s.", argv[0], r.Name)
		}}
}

func (a *app) roomRemove() *cobra.Command {
	return &cobra.Command{Use: "remove ROOM", Short: "Remove a room that nothing is in", Args: args(1, 1, "a ROOM"),
		Example: "  urbo room remove \"Boat shed\"",
		RunE: func(c *cobra.Command, argv []string) error {
			if err := a.call(c.Context(), http.MethodDelete, "/rooms/"+url.PathEscape(argv[0]), nil, nil); err != nil {
				return err
			}
			return a.done(map[string]any{"removed": argv[0]}, "Removed the room %s.", argv[0])
		}}
}
