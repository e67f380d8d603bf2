package cli

import (
	"net/http"

	"github.com/spf13/cobra"

	"urbo/wire"
)

func (a *app) outage() *cobra.Command {
	var o wire.Outage
	c := &cobra.Command{Use: "outage", Short: "Say that the mains failed and are back", Args: args(0, 0, "none"),
		Long: `Say that the mains failed and are back. What a device is at then is what its power control says (--mains-fail of
"urbo device control add"): off, as it was, or not known. Nothing is pressed.`,
		Example: "  urbo outage\n  urbo outage --room \"Warm room\"",
		RunE: func(c *cobra.Command, _ []string) error {
			var got wire.OutageAnswer
			if err := a.call(c.Context(), http.MethodPost, "/outage", o, &got); err != nil {
				return err
			}
			return a.done(map[string]any{"devices": got.Devices}, "%s may be at something else now: urbo state",
				plural(got.Devices, "device", "devices"))
		}}
	c.Flags().StringVar(&o.Room, "room", "", "in this room only")
	return c
}
