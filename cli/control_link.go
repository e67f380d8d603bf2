package cli

import (
	"errors"
	"net/http"
	"net/url"

	"github.com/spf13/cobra"

	"urbo/wire"
)

func (a *app) controlLink() *cobra.Command {
	var none bool
	c := &cobra.Command{Use: "link DEVICE CONTROL=VALUE OTHER CONTROL=VALUE",
		Short: "Say what another device does to this one over their cable",
		Long: `Say what another device does to this one over their cable: where the OTHER one's control comes to a value, the control of
DEVICE is set. Nothing is pressed for that: it only changes what is believed. on of the other one's power is any
value but off.`,
		Args: args(4, 4, "a DEVICE, its CONTROL=VALUE, the OTHER device and its CONTROL=VALUE"),
		Example: "  urbo device control link amplifier power=on radio power=on\n" +
			"  urbo device control link amplifier input=2 radio power=on",
		RunE: func(c *cobra.Command, argv []string) error {
			link := wire.LinkRequest{Device: argv[2]}
			var err error
			if link.Sets, link.To, err = pair(argv[1]); err != nil {
				return err
			}
			if link.Control, link.Value, err = pair(argv[3]); err != nil {
				return err
			}
			path, d := devicePath(argv[0])+"/links", wire.Device{}
			if none {
				ask := url.Values{"of": {link.Device}, "control": {link.Control}, "value": {link.Value},
					"sets": {link.Sets}}
				if err := a.call(c.Context(), http.MethodDelete, path+"?"+ask.Encode(), nil, &d); err != nil {
					return err
				}
				return a.done(map[string]any{"removed": link}, "%s %s sets nothing of %s any more.", link.Device,
					link.Control, argv[0])
			}
			if err := a.call(c.Context(), http.MethodPut, path, link, &d); err != nil {
				return err
			}
			return a.done(map[string]any{"link": link}, "Where %s of %s comes to %s, %s of %s is set to %s.",
				link.Control, link.Device, link.Value, link.Sets, argv[0], link.To)
		}}
	c.Flags().BoolVar(&none, "none", false, "take that back")
	return c
}

func (a *app) controlFed() *cobra.Command {
	var none bool
	c := &cobra.Command{Use: "fed DEVICE [OTHER [POWER]]",
		Short: "Say which device's power feeds this one, such as a socket strip's",
		Long: `Say which device's power feeds this one, such as that of a switched socket or a strip: while that is off, this one has no
power and obeys nothing, and when that comes on again, this one is at what it is at after a mains failure
(--mains-fail of its power). Without POWER it is the control named power. A device has one that feeds it; several
may be fed by one.`,
		Args:    args(1, 3, "a DEVICE, and the OTHER one with its POWER"),
		Example: "  urbo device control fed amplifier dew-a\n  urbo device control fed amplifier --none",
		RunE: func(c *cobra.Command, argv []string) error {
			path, d := devicePath(argv[0])+"/feed", wire.Device{}
			switch {
			case none:
				if err := a.call(c.Context(), http.MethodDelete, path, nil, &d); err != nil {
					return err
				}
				return a.done(map[string]any{"removed": "feed"}, "No other device feeds %s.", argv[0])
			case len(argv) == 1:
				return usageError{errors.New("name the OTHER device that feeds it, or --none")}
			}
			feed := wire.FeedRequest{Device: argv[1], Control: "power"}
			if len(argv) > 2 {
				feed.Control = argv[2]
			}
			if err := a.call(c.Context(), http.MethodPut, path, feed, &d); err != nil {
				return err
			}
			return a.done(map[string]any{"feed": feed}, "While %s of %s is off, %s has no power.", feed.Control,
				feed.Device, argv[0])
		}}
	c.Flags().BoolVar(&none, "none", false, "let no other device feed it")
	return c
}
