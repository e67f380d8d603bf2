package cli

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"net/http"
	"net/url"
	"os"
	"slices"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"urbo/service/outpost"
	"urbo/station"
	"urbo/station/hardware"
	"urbo/station/mqtt"
	"urbo/station/websocket"
)

// outpostOptions are the flags of outpost.
type outpostOptions struct {
	to     string
	name   string
	serial []string
	kernel []string
	samplesOptions
	broker brokerOptions
}

func (a *app) outpost() *cobra.Command {
	var o outpostOptions
	c := &cobra.Command{Use: "outpost", Short: "Make this machine's hardware a station of a house elsewhere",
		Long: `Make this machine's hardware a station of a house elsewhere. It dials the house and needs the token that urbo station add
printed there: in a file (--token-file) or in URBO_TOKEN. Or both meet at an MQTT broker (--to mqtt://…, and the same
broker for urbo serve), with the broker's accounts. What is heard while the house cannot be reached is kept, and told
later with its own time.

A receiver can be made of a sound card or a software radio, too: --samples reads what another program writes, from a
pipe (-) or a file, as --sound or --iq says. Every few seconds it tells how loud they are, so that the gain can be set.`,
		Args: args(0, 0, "none"),
		Example: "  urbo outpost --to http://127.0.0.1:8433 --token-file token --serial /dev/ttyUSB0\n" +
			"  urbo outpost --to mqtts://127.0.0.1 --broker-user garden --broker-password-file secret --serial " +
			"/dev/ttyUSB0\n" +
			"  urbo outpost --to http://127.0.0.1:8433 --token-file token --samples - --iq cu8@2.4M:433.92M",
		RunE: func(c *cobra.Command, _ []string) error {
			return a.runOutpost(c.Context(), o)
		}}
	c.Flags().StringVar(&o.to, "to", "",
		"the house: http://HOST:PORT, https://HOST:PORT, or an MQTT broker: mqtt://HOST, mqtts://HOST")
	o.broker.flags(c)
	c.Flags().StringVar(&o.name, "name", "", "what it calls itself; without it the name of this machine")
	c.Flags().StringSliceVar(&o.serial, "serial", nil, "serial port of a board, /dev/ttyUSB0 or usb:VENDOR:PRODUCT")
	c.Flags().StringSliceVar(&o.kernel, "kernel", nil,
		"pulse device of the kernel, rc0 as in /sys/class/rc; rc0@433920000 where it drives a bare radio module")
	o.samplesOptions.flags(c)
	return c
}

func (a *app) runOutpost(ctx context.Context, o outpostOptions) error {
	if o.name == "" {
		o.name = hostName()
	}
	dial, err := a.houseAt(o)
	if err != nil {
		return err
	}
	config := outpost.Config{Name: o.name, Version: a.version}
	for over, addresses := range map[station.Over][]string{station.Serial: o.serial, station.Kernel: o.kernel} {
		for _, address := range addresses {
			t, err := hardware.Reach(station.Origin{Over: over, Address: address})
			if err != nil {
				return usageError{fmt.Errorf("--%s: %w", over, err)}
			}
			config.Hardware = append(config.Hardware, t)
		}
	}
	if t, err := a.samples(o.samplesOptions); err != nil {
		return usageError{err}
	} else if t != nil {
		config.Hardware = append(config.Hardware, t)
	}
	if len(config.Hardware) == 0 {
		return usageError{errors.New("say which hardware this machine has: --serial /dev/ttyUSB0, --kernel rc0 or " +
			"--samples -")}
	}
	config.Dial = func(ctx context.Context) (station.Link, error) {
		ctx, cancel := context.WithTimeout(ctx, dialing)
		defer cancel()
		return dial(ctx)
	}
	post, err := outpost.New(ctx, config)
	if err != nil {
		return usageError{err}
	}
	a.serves.Store(true)
	slog.SetDefault(slog.New(slog.NewTextHandler(a.Err, &slog.HandlerOptions{Level: slog.LevelInfo})))
	return post.Run(ctx)
}

// houseAt is how the house is dialled.
func (a *app) houseAt(o outpostOptions) (func(context.Context) (station.Link, error), error) {
	u, err := url.Parse(o.to)
	if err != nil || u.Host == "" || !slices.Contains([]string{"http", "https", "mqtt", "mqtts"}, u.Scheme) {
		return nil, usageError{fmt.Errorf("--to %q: write http://HOST:PORT, https://HOST:PORT, mqtt://HOST or "+
			"mqtts://HOST",
			o.to)}
	}
	if strings.HasPrefix(u.Scheme, "mqtt") {
		o.broker.url = o.to
		options, err := o.broker.options()
		return func(ctx context.Context) (station.Link, error) { return mqtt.Dial(ctx, options, o.name) }, err
	}
	token, err := a.credential()
	if err == nil && token == "" {
		err = usageError{errors.New("it needs its token: --token-file FILE, with what urbo station add printed")}
	}
	client := &http.Client{}
	t, rootErr := a.roots()
	if err = errors.Join(err, rootErr); t != nil {
		client.Transport = t
	}
	return func(ctx context.Context) (station.Link, error) { return websocket.Dial(ctx, client, o.to, token) }, err
}

// dialing is how long dialling the house may take.
const dialing = 10 * time.Second

// hostName is this machine's name, as a station may be called.
func hostName() string {
	name, _ := os.Hostname()
	name = strings.Map(func(r rune) rune {
		if r >= 'a' && r <= 'z' || r >= '0' && r <= '9' || r == '-' {
			return r
		}
		return '-'
	}, strings.ToLower(name))
	if name = name[:min(len(name), 40)]; name == "" {
		return "outpost"
	}
	return name
}
