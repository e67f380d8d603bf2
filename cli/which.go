package cli

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"time"

	"github.com/spf13/cobra"

	"urbo/wire"
)

func (a *app) which() *cobra.Command {
	var within time.Duration
	c := &cobra.Command{
		Use: "which", Short: "Say which key is pressed: press anything, and see the device and key it belongs to",
		Args: args(0, 0, "none"), Example: "  urbo which --within 30s",
		RunE: func(c *cobra.Command, _ []string) error {
			cl, err := a.client()
			if err != nil {
				return err
			}
			if reason := a.deaf(c.Context(), cl); reason != "" {
				return errors.New(reason)
			}
			ctx, cancel := context.WithTimeout(c.Context(), within)
			defer cancel()
			ready := func() error {
				fmt.Fprintln(a.Err, "Press a key on any handset.")
				return nil
			}
			err = cl.events(ctx, ready, func(name string, data []byte) error {
				var heard wire.Capture
				if name != "capture" {
					return nil
				}
				if err := decode(bytes.NewReader(data), &heard); err != nil || heard.Echo || heard.Stored {
					return err
				}
				if a.output == "json" {
					if err := a.json(heard); err != nil {
						return err
					}
					return errStop
				}
				fmt.Fprintln(a.Out, whose(heard))
				return errStop
			})
			if ctx.Err() != nil && c.Context().Err() == nil {
				return fmt.Errorf("nothing was heard within %s: hold the handset 10 cm from a receiver", within)
			}
			return err
		},
	}
	c.Flags().DurationVar(&within, "within", time.Minute, "how long to wait for a press")
	return c
}

// whose says to which device and key a capture belongs.
func whose(c wire.Capture) string {
	what := "a signal without a known line code"
	if len(c.Readings) > 0 {
		what = said(c.Readings)
	}
	if c.Held != "" && len(c.Keys) == 0 {
		return fmt.Sprintf("Only the end of a press was heard (repeat frames of %s). Let go, and press once more.",
			c.Held)
	}
	switch {
	case len(c.Keys) == 1:
		return fmt.Sprintf("%s, which sends %s.", c.Keys[0], what)
	case len(c.Keys) > 1:
		out := c.Keys[0].String()
		for _, k := range c.Keys[1:] {
			out += " and " + k.String()
		}
		return fmt.Sprintf("%s: they send the same, %s.", out, what)
	case len(c.Sets) > 0:
		return fmt.Sprintf("No device here has it. It is %s of the code set %s (%s): %s.", c.Sets[0].Key,
			c.Sets[0].Name, c.Sets[0].Set, what)
	}
	if len(c.Readings) > 0 && c.Readings[0].Rolling {
		return fmt.Sprintf("No device here has it: %s. It is a rolling code, which its device obeys once: it can be "+
			"followed (urbo device follow DEVICE/KEY --capture %s), and cannot be sent: for that, pair a handset of "+
			"Urbo's own with the device.", what, c.ID)
	}
	return fmt.Sprintf("No device here has it: %s. Make it a key: urbo device code DEVICE/KEY --capture %s", what, c.ID)
}
