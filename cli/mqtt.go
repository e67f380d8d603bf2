package cli

import (
	"errors"
	"fmt"
	"io"
	"net/http"
	"os"
	"strings"

	"github.com/spf13/cobra"

	"urbo/core/plain"
	"urbo/wire"
)

func (a *app) mqtt() *cobra.Command {
	return group("mqtt", "Let other programs reach the house over MQTT",
		`Let other programs reach the house over MQTT. Under the base, which is urbo/ and the name of the house, it publishes

  is/DEVICE/CONTROL     what a control is believed to be at, kept by the broker
  heard/DEVICE/KEY      a key of a handset; heard is every capture
  occasion/ROOM         the occasion that is in force, or none
  measured/NAME         a measurement
  receipt               what became of what was asked
  here                  yes or no

and takes

  want/DEVICE/CONTROL   a value: on, 22, +3, open; or {"value": "on", "for": "10 min"}. A group may stand there, too
  press/DEVICE/KEY      nothing, or {"times": 2} or {"hold_ms": 1500}
  start/OCCASION, end/OCCASION, run/SEQUENCE or run/ERRAND
  say                   a phrase: lights off in ten minutes

The broker is that of urbo serve --broker (own is one that runs inside), or one that is named here. At the house's own
broker, a program signs in as urbo.program with a token (urbo token add), which says what it may do. At a broker of
somebody else's, whoever may publish there is one program: --right says what it may do. Messages that ask for something
must not be retained.`, a.mqttShow(), a.mqttSet(), a.mqttTest(), a.mqttWord())
}

func (a *app) mqttShow() *cobra.Command {
	return &cobra.Command{Use: "show", Short: "Show how MQTT is set, and whether it is connected", Args: args(0, 0,
		"none"),
		Example: "  urbo mqtt show",
		RunE: func(c *cobra.Command, _ []string) error {
			var m wire.MQTT
			if err := a.call(c.Context(), http.MethodGet, "/mqtt", nil, &m); err != nil {
				return err
			}
			return a.showMQTT(m)
		}}
}

// showMQTT shows how MQTT is.
func (a *app) showMQTT(m wire.MQTT) error {
	if a.output == "json" {
		return a.json(m)
	}
	fmt.Fprintln(a.Out, mqttState(m))
	fmt.Fprintf(a.Out, "Topics begin with %s: %s published, %s asked.\n", m.Base,
		plain.Count(m.Topics, "is", "are"), plain.Count(m.Took, "thing", "things"))
	if m.At != "" && m.At != own {
		fmt.Fprintf(a.Out, "Whoever speaks there may: %s.\n", strings.Join(m.Rights, ", "))
	}
	for _, w := range m.Words {
		fmt.Fprintf(a.Out, "%q is %s at %s.\n", w.Says, w.Means, w.Control)
	}
	if m.Last != nil {
		fmt.Fprintf(a.Out, "Last: %s, %s, %s.\n", m.Last.What, m.Last.Name, clock(m.Last.At))
	}
	if m.Here && m.At == own && m.Listens != "" {
		host, port, _ := strings.Cut(m.Listens, ":")
		fmt.Fprintf(a.Out, "Listen to it: mosquitto_sub -h %s -p %s -u urbo.program -P TOKEN -t '%s/#' -v\n", host,
			port,
			m.Base)
	}
	return nil
}

// mqttState says in words how MQTT is.
func mqttState(m wire.MQTT) string {
	at := "the house's own broker"
	if m.Listens != "" {
		at += " at " + m.Listens
	}
	if m.At != own {
		at = "the broker " + m.At
	}
	switch {
	case !m.On && m.At == "":
		return "MQTT is off, and there is no broker: name one (urbo mqtt set on --broker mqtt://HOST:PORT), or let " +
			"the " +
			"house run one (urbo serve --broker own)."
	case !m.On:
		return "MQTT is off. Switch it on: urbo mqtt set on"
	case m.At == "":
		return "MQTT is on, and there is no broker: name one (urbo mqtt set --broker mqtt://HOST:PORT)."
	case m.Here && m.Version == 3:
		return "MQTT is on, and connected to " + at + " in version 3.1.1."
	case m.Here:
		return "MQTT is on, at " + at + "."
	case m.Error != "":
		return "MQTT is on, and not connected to " + at + ": " + m.Error
	}
	return "MQTT is on, and connects to " + at + "."
}

func (a *app) mqttSet() *cobra.Command {
	var broker, user, passwordFile, ca, base string
	var rights, rooms []string
	c := &cobra.Command{Use: "set [on|off]", Short: "Switch MQTT on or off, and say where its broker is",
		Args: args(0, 1, "on, off, or flags alone"),
		Example: "  urbo mqtt set on\n  urbo mqtt set --base observatory/urbo\n" +
			"  urbo mqtt set --right see --right use --room Dome\n  urbo mqtt set off",
		RunE: func(c *cobra.Command, argv []string) error {
			change, err := mqttChange(c, argv, broker, user, passwordFile, ca, base, rights, rooms)
			if err != nil {
				return err
			}
			if change == (wire.MQTTChange{}) {
				return usageError{errors.New("say on or off, or what is to change: --broker, --user, " +
					"--password-file, --broker-ca, --base, --right or --room")}
			}
			var m wire.MQTT
			if err := a.call(c.Context(), http.MethodPatch, "/mqtt", change, &m); err != nil {
				return err
			}
			return a.showMQTT(m)
		}}
	mqttFlags(c, &broker, &user, &passwordFile, &ca)
	c.Flags().StringVar(&base, "base", "", "what all topics begin with; empty is urbo/ and the name of the house")
	c.Flags().StringSliceVar(&rights, "right", nil, "at a broker of somebody else's: what whoever speaks there may do "+
		"(see, use, tell, arrange)")
	c.Flags().StringSliceVar(&rooms, "room", nil, "and in which rooms; without, in the whole house")
	return c
}

// mqttFlags are the flags for where a broker is.
func mqttFlags(c *cobra.Command, broker, user, passwordFile, ca *string) {
	c.Flags().StringVar(broker, "broker", "", "a broker of somebody else's: mqtt://HOST:PORT, or mqtts:// for TLS; "+
		"empty "+
		"is that of urbo serve")
	c.Flags().StringVar(user, "user", "", "account at that broker")
	c.Flags().StringVar(passwordFile, "password-file", "", "file with its password; - is standard input")
	c.Flags().StringVar(ca, "broker-ca", "", "file with the certificate that the broker's is checked against")
}

// mqttChange is what flags say.
func mqttChange(c *cobra.Command, argv []string, broker, user, passwordFile, ca, base string, rights, rooms []string) (
	wire.MQTTChange, error) {
	var out wire.MQTTChange
	given := func(name string, value *string) *string {
		if c.Flags().Changed(name) {
			return value
		}
		return nil
	}
	if len(argv) == 1 {
		on := argv[0] == "on"
		if !on && argv[0] != "off" {
			return out, usageError{fmt.Errorf("write on or off, not %q", argv[0])}
		}
		out.On = &on
	}
	out.Broker, out.User, out.Base = given("broker", &broker), given("user", &user), given("base", &base)
	if passwordFile != "" {
		text, err := readSmall(passwordFile, c.InOrStdin())
		if err != nil {
			return out, fmt.Errorf("read the broker's password: %w", err)
		}
		text = strings.TrimSpace(text)
		out.Password = &text
	}
	if ca != "" {
		text, err := readSmall(ca, nil)
		if err != nil {
			return out, fmt.Errorf("read the broker's CA: %w", err)
		}
		out.CA = &text
	}
	if c.Flags().Changed("right") {
		out.Rights = &rights
	}
	if c.Flags().Changed("room") {
		out.Where = &wire.Where{Rooms: rooms}
	} else if c.Flags().Changed("right") {
		out.Where = &wire.Where{House: true}
	}
	return out, nil
}

// readSmall reads a small file; - is standard input, where that may be.
func readSmall(path string, in io.Reader) (string, error) {
	if path != "-" || in == nil {
		f, err := os.Open(path)
		if err != nil {
			return "", err
		}
		defer f.Close()
		in = f
	}
	data, err := io.ReadAll(io.LimitReader(in, 64<<10))
	return string(data), err
}

func (a *app) mqttTest() *cobra.Command {
	var broker, user, passwordFile, ca string
	c := &cobra.Command{Use: "test", Short: "Try to reach the broker, as it is set or as flags say",
		Args: args(0, 0, "none"), Example: "  urbo mqtt test",
		RunE: func(c *cobra.Command, argv []string) error {
			change, err := mqttChange(c, argv, broker, user, passwordFile, ca, "", nil, nil)
			if err != nil {
				return err
			}
			var t wire.MQTTTest
			if err := a.call(c.Context(), http.MethodPost, "/mqtt/test", change, &t); err != nil {
				return err
			}
			version := "MQTT 5"
			if t.Version == 3 {
				version = "MQTT 3.1.1"
			}
			return a.did(t, "The broker is reached, and speaks %s (%d ms).", version, t.TookMS)
		}}
	mqttFlags(c, &broker, &user, &passwordFile, &ca)
	return c
}

func (a *app) mqttWord() *cobra.Command {
	return &cobra.Command{Use: "word DEVICE/CONTROL SAYS [MEANS]", Short: "Give a value a word of your own for " +
		"messages",
		Long: `Give a value a word of your own for messages, such as U for open. Without MEANS, the word is taken away.`,
		Args: args(2, 3, "DEVICE/CONTROL, what the message SAYS, and what it MEANS"),
		Example: "  urbo mqtt word shutter/position U open\n" +
			"  urbo mqtt word shutter/position U",
		RunE: func(c *cobra.Command, argv []string) error {
			var m wire.MQTT
			if err := a.call(c.Context(), http.MethodGet, "/mqtt", nil, &m); err != nil {
				return err
			}
			words := []wire.MQTTWord{}
			for _, w := range m.Words {
				if w.Control != argv[0] || w.Says != argv[1] {
					words = append(words, w)
				}
			}
			if len(argv) == 3 {
				words = append(words, wire.MQTTWord{Control: argv[0], Says: argv[1], Means: argv[2]})
			}
			if err := a.call(c.Context(), http.MethodPatch, "/mqtt", wire.MQTTChange{Words: &words}, &m); err != nil {
				return err
			}
			return a.showMQTT(m)
		}}
}
