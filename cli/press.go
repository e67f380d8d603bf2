package cli

import (
	"fmt"

	"github.com/spf13/cobra"

	"urbo/wire"
)

func (a *app) press() *cobra.Command {
	var times int
	c := &cobra.Command{
		Use: "press DEVICE/KEY", Short: "Press a key of a device", Args: args(1, 1, "DEVICE/KEY"),
		Example: "  urbo press boardwalk/power\n  urbo press projector/off --times 2",
		RunE: func(c *cobra.Command, argv []string) error {
			key, err := parseKey(argv[0])
			if err != nil {
				return err
			}
			if times < 1 || times > 50 {
				return usageError{fmt.Errorf("--times is 1 to 50, not %d", times)}
			}
			cl, err := a.client()
			if err != nil {
				return err
			}
			p, err := cl.pressKey(c.Context(), key, times)
			if err != nil {
				return err
			}
			if a.output == "json" {
				if err := a.json(p); err != nil {
					return err
				}
			} else if p.Outcome == wire.Sent {
				fmt.Fprintf(a.Out, "Sent %s through %s/%s, %.0f ms on the air.\n", key, p.Station, p.Port, p.TookMS)
			}
			switch p.Outcome {
			case wire.Failed:
				return fmt.Errorf("%s failed, nothing went out: %s", key, p.Reason)
			case wire.Unknown:
				return fmt.Errorf("%s: the outcome is unknown: %s", key, p.Reason)
			}
			return nil
		},
	}
	c.Flags().IntVar(&times, "times", 1, "presses one after another")
	return c
}
