package cli

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"strconv"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"urbo/core/happening"
	"urbo/wire"
)

func (a *app) press() *cobra.Command {
	var times int
	var hold, within, pause time.Duration
	var from string
	var anyway, explain bool
	c := &cobra.Command{
		Use: "press DEVICE/KEY", Short: "Press a key of a device", Args: pressArgs,
		Long: `Press a key of a device. Instead of a device, reins may be named: the key is pressed on whatever an occasion gives
the volume, arrows, digits and play keys to, as in reins/up or reins/volume-up.`,
		Example: "  urbo press boardwalk/power\n  urbo press amplifier/volume-up --hold 2s\n" +
			"  urbo press boardwalk/red --from lecture/ir-out\n  urbo press boardwalk/power --explain\n" +
			"  urbo press radio/volume-up --times 3 --pause 2s",
		RunE: func(c *cobra.Command, argv []string) error {
			key, err := parseKey(strings.Join(argv, "/"))
			if err != nil {
				return err
			}
			if pause < 0 || pause > time.Minute || pause > 0 && times == 1 {
				return usageError{errors.New("--pause is at most 1m, and goes with --times")}
			}
			if times < 1 || times > 50 {
				return usageError{fmt.Errorf("--times is 1 to 50, not %d", times)}
			}
			if hold < 0 || hold > 20*time.Second {
				return usageError{fmt.Errorf("--hold is at most 20s, not %s", hold)}
			}
			if within < 0 || within > 2*time.Minute {
				return usageError{fmt.Errorf("--within is at most 2m, not %s", within)}
			}
			if explain {
				return a.explain(c.Context(), key)
			}
			cl, err := a.client()
			if err != nil {
				return err
			}
			order := wire.PressRequest{Times: times, HoldMS: int(hold / time.Millisecond), From: from, Anyway: anyway,
				WithinMS: int(within / time.Millisecond)}
			if pause == 0 {
				return a.pressOnce(c.Context(), cl, key, order)
			}
			order.Times = 1
			for n := range times {
				if n > 0 {
					select {
					case <-time.After(pause):
					case <-c.Context().Done():
						return c.Context().Err()
					}
				}
				if err := a.pressOnce(c.Context(), cl, key, order); err != nil {
					return err
				}
			}
			return nil
		},
	}
	c.Flags().DurationVar(&pause, "pause", 0, "with --times: how long from one press to the next, at most 1m")
	c.Flags().DurationVar(&hold, "hold", 0, "how long it is held down, at most 20s; 0 is a short press")
	c.Flags().StringVar(&from, "from", "", "transmitter to send from, STATION/PORT, instead of the device's")
	c.Flags().DurationVar(&within, "within", 0, "drop it where its turn has not come by then, at most 2m; 0 is that")
	c.Flags().BoolVar(&anyway, "anyway", false, "also from a transmitter that is made for another frequency")
	c.Flags().IntVar(&times, "times", 1, "presses one after another")
	c.Flags().BoolVar(&explain, "explain", false, "press nothing: say why nothing happens")
	return c
}

// pressArgs are DEVICE/KEY, or the two apart. What else people write there is told where it goes.
func pressArgs(_ *cobra.Command, argv []string) error {
	if len(argv) == 1 || len(argv) == 2 && !strings.Contains(argv[0], "/") {
		return nil
	}
	if len(argv) == 2 {
		if n, err := strconv.Atoi(strings.Trim(argv[1], "xX*")); err == nil {
			return usageError{fmt.Errorf("to press it so often: urbo press %s --times %d", argv[0], n)}
		}
	}
	if len(argv) > 1 && strings.Contains(argv[1], "/") {
		return usageError{errors.New("one key at a time; several are a sequence: urbo sequence add \"Name\" \"press " +
			strings.Join(argv, " then press ") + "\"")}
	}
	return args(1, 1, "DEVICE/KEY")(nil, argv)
}

// pressOnce asks for a press, and says what came of it.
func (a *app) pressOnce(ctx context.Context, cl *client, key wire.KeyRef, order wire.PressRequest) error {
	p, err := cl.pressKey(ctx, key, order)
	if err != nil {
		return err
	}
	if a.output == "json" {
		if err := a.json(p); err != nil {
			return err
		}
	} else if p.Outcome == happening.Sent {
		fmt.Fprintf(a.Out, "Sent %s through %s/%s, %.0f ms on the air.%s\n", key, p.Station, p.Port, p.TookMS,
			strings.TrimRight(" "+p.Note, " "))
	}
	switch p.Outcome {
	case happening.Failed:
		return fmt.Errorf("%s failed, nothing went out: %s", key, p.Reason)
	case happening.Unknown:
		return fmt.Errorf("%s: the outcome is unknown: %s", key, p.Reason)
	}
	return nil
}

// explain says what stands in the way of a press.
func (a *app) explain(ctx context.Context, key wire.KeyRef) error {
	var all []wire.PressFinding
	if err := a.call(ctx, http.MethodGet, keyPath(key)+"/explain", nil, &all); err != nil {
		return err
	}
	if a.output == "json" {
		return a.json(all)
	}
	shown := make([]wire.Health, len(all))
	for i, f := range all {
		shown[i] = wire.Health{Is: f.Is, Text: f.Text, Do: f.Do}
		if f.At != nil {
			shown[i].Text = clock(*f.At) + " " + f.Text
		}
	}
	a.printFindings(shown)
	return nil
}
