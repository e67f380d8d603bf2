package cli

import (
	"bufio"
	"context"
	"fmt"
	"net/http"
	"strings"

	"github.com/spf13/cobra"

	"urbo/core/happening"
	"urbo/wire"
)

func (a *app) devicePair() *cobra.Command {
	var way string
	c := &cobra.Command{Use: "pair DEVICE", Short: "Make a handset of Urbo's own, and pair it with the device",
		Long: `Make a handset of Urbo's own for a device that obeys paired handsets only, and pair it: a shutter
with rolling codes, or a socket that learns. It says what to do, sends what asks to be paired, and asks whether the
device took it. Until then nothing of the device is changed. Handsets that it obeys already go on working.`,
		Args: args(1, 1, "a DEVICE"), Example: "  urbo device pair screen --as roll56",
		RunE: func(c *cobra.Command, argv []string) error {
			if way == "" {
				return a.pairingWays(c)
			}
			var p wire.Pairing
			if err := a.call(c.Context(), http.MethodPost, devicePath(argv[0])+"/pair", wire.PairRequest{Way: way},
				&p); err != nil {
				return err
			}
			if a.output == "json" {
				return a.json(p)
			}
			return a.leadThrough(c, argv[0], p)
		}}
	c.Flags().StringVar(&way, "as", "", "line code that the device obeys: roll56, sl32, ev1527 or ht6p20")
	return c
}

func (a *app) pairingWays(c *cobra.Command) error {
	var ways []wire.PairingWay
	if err := a.call(c.Context(), http.MethodGet, "/pairing", nil, &ways); err != nil {
		return err
	}
	var names []string
	for _, w := range ways {
		names = append(names, fmt.Sprintf("%s (%s)", w.Way, w.For))
	}
	return usageError{fmt.Errorf("say what it obeys with --as: %s", strings.Join(names, ", "))}
}

// leadThrough sends what asks to be paired, as often as it takes.
func (a *app) leadThrough(c *cobra.Command, slug string, p wire.Pairing) error {
	lines := bufio.NewScanner(a.In)
	ask := func(text string) bool {
		fmt.Fprint(a.Out, text)
		return lines.Scan()
	}
	for {
		if !ask("1. " + p.First + "\n2. Then press Enter here. ") {
			break
		}
		var sent wire.Press
		err := a.call(c.Context(), http.MethodPost, devicePath(slug)+"/pair/ask", nil, &sent)
		switch {
		case err != nil:
			fmt.Fprintln(a.Out, err)
		case sent.Outcome != happening.Sent:
			fmt.Fprintf(a.Out, "%s is %s: %s\n", p.Key, sent.Outcome, sent.Reason)
		}
		if !ask("3. Did the device take it: " + p.Shows + "? (yes, no for once more, stop) ") {
			break
		}
		switch strings.ToLower(strings.TrimSpace(lines.Text())) {
		case "yes", "y":
			if err := a.call(c.Context(), http.MethodPost, devicePath(slug)+"/pair/took", nil, nil); err != nil {
				return err
			}
			fmt.Fprintf(a.Out, "Paired. Try it: urbo press %s/%s\n", slug, p.Keys[0])
			return nil
		case "stop":
			return a.unpair(c, slug)
		}
	}
	return a.unpair(c, slug)
}

// unpair forgets the handset that was not taken.
func (a *app) unpair(c *cobra.Command, slug string) error {
	ctx := context.WithoutCancel(c.Context()) // also where the command is interrupted
	if err := a.call(ctx, http.MethodDelete, devicePath(slug)+"/pair", nil, nil); err != nil {
		return err
	}
	return fmt.Errorf("%s was not paired: everything is as it was", slug)
}
