package cli

import (
	"fmt"
	"io"
	"net/http"
	"net/url"
	"strings"
	"time"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/spf13/cobra"

	"urbo/core/device"
	"urbo/wire"
)

func (a *app) device() *cobra.Command {
	return group("device", "Look after the devices of the library", "",
		a.deviceList(), a.deviceShow(), a.deviceAdd(), a.deviceSet(), a.deviceControl(), a.devicePair(),
		a.devicePicture(),
		a.deviceSetKey(),
		a.deviceCode(), a.deviceFollow(), a.deviceUndo(), a.deviceExport(), a.deviceRemove(), a.deviceRestore())
}

func (a *app) deviceList() *cobra.Command {
	return &cobra.Command{Use: "list [WORD …]",
		Short: "List the devices: all, or those that have the words in their name, room, kind, maker or model",
		Args:  args(0, -1, "WORDs"), Example: "  urbo device list\n  urbo device list lecture",
		RunE: func(c *cobra.Command, argv []string) error {
			var devices []wire.DeviceLine
			if err := a.call(c.Context(), http.MethodGet, "/devices?search="+url.QueryEscape(strings.Join(argv, " ")),
				nil,
				&devices); err != nil {
				return err
			}
			if a.output == "json" {
				return a.json(devices)
			}
			switch {
			case len(devices) == 0 && len(argv) > 0:
				fmt.Fprintln(a.Out, "No device has these words.")
				return nil
			case len(devices) == 0:
				fmt.Fprintln(a.Out, "No devices yet. Add one: urbo device add \"Lecture projector\" --kind projector")
				return nil
			}
			var rows []table.Row
			for _, d := range devices {
				rows = append(rows, table.Row{d.Slug, d.Name, d.Room, d.Kind, learned(d)})
			}
			a.table(table.Row{"DEVICE", "NAME", "ROOM", "KIND", "KEYS"}, rows)
			return nil
		}}
}

// learned counts the keys of a device.
func learned(d wire.DeviceLine) string {
	switch {
	case d.KeysTotal == 0 && d.Whole:
		return "sends all that it shows"
	case d.KeysTotal == 0:
		return "none"
	case d.KeysHeard > 0 && d.KeysLearned == 0:
		return fmt.Sprintf("%d of %d followed", d.KeysHeard, d.KeysTotal)
	case d.KeysHeard > 0:
		return fmt.Sprintf("%d of %d learned, %d followed", d.KeysLearned, d.KeysTotal, d.KeysHeard)
	case d.KeysLearned == 0 && d.KeysTotal > 0:
		return fmt.Sprintf("%d waiting for a lesson", d.KeysTotal)
	}
	return fmt.Sprintf("%d of %d learned", d.KeysLearned, d.KeysTotal)
}

func (a *app) deviceShow() *cobra.Command {
	return &cobra.Command{Use: "show DEVICE", Short: "Show a device and what its keys send", Args: args(1, 1, "DEVICE"),
		Example: "  urbo device show boardwalk",
		RunE: func(c *cobra.Command, argv []string) error {
			cl, err := a.client()
			if err != nil {
				return err
			}
			var d wire.Device
			if err := cl.do(c.Context(), http.MethodGet, "/devices/"+url.PathEscape(argv[0]), nil, &d); err != nil {
				return err
			}
			if a.output == "json" {
				return a.json(d)
			}
			a.printDevice(d)
			var advice []wire.Advice
			if err := cl.do(c.Context(), http.MethodGet, "/devices/"+url.PathEscape(d.Slug)+"/advice", nil,
				&advice); err != nil {
				return err
			}
			if len(advice) > 0 {
				fmt.Fprintln(a.Out, "\nWhat is odd here:")
			}
			for _, x := range advice {
				fmt.Fprintln(a.Out, "  "+x.Text)
			}
			return nil
		}}
}

// sendsThrough is sends, with the transmitter that a key has of its own.
func sendsThrough(k wire.Key) string {
	if k.Transmitter == "" {
		return sends(k)
	}
	return sends(k) + " through " + k.Transmitter
}

func (a *app) printDevice(d wire.Device) {
	fmt.Fprintf(a.Out, "%s (%s)\n", d.Name, d.Slug)
	for _, f := range [][2]string{{"room", d.Room}, {"kind", d.Kind}, {"maker", d.Maker}, {"model", d.Model},
		{"transmitter", d.Transmitter}, {"and also", strings.Join(d.Also, ", ")},
		{"verified", map[bool]string{true: "every press has to be heard"}[d.Verify]},
		{"type plate", plate(d)}, {"power", string(d.Power)}, {"inputs", string(d.Inputs)},
		{"warms up", pause(d.WarmUpMS)}, {"gap", pause(d.GapMS)},
		{"notes", strings.ReplaceAll(d.Notes, "\n", "\n               ")}} {
		if f[1] != "" {
			fmt.Fprintf(a.Out, "  %-12s %s\n", f[0], f[1])
		}
	}
	fmt.Fprintln(a.Out)
	var rows []table.Row
	held := false // something is said about holding any of them
	for _, k := range d.Keys {
		hold := ""
		if k.Hold != "" {
			hold, held = k.Hold, true
		}
		rows = append(rows, table.Row{k.Name, sendsThrough(k), hold})
	}
	if len(rows) == 0 && d.Whole != nil {
		fmt.Fprintf(a.Out, "It sends all that it shows in one frame, and needs no keys: urbo state %s, urbo set %s …\n",
			d.Slug, d.Slug)
		return
	}
	if len(rows) == 0 {
		fmt.Fprintf(a.Out, "No keys yet. Learn some: urbo learn %s power\n", d.Slug)
		return
	}
	head := table.Row{"KEY", "SENDS", "HELD"}
	if !held {
		head = head[:2]
		for i := range rows {
			rows[i] = rows[i][:2]
		}
	}
	a.table(head, rows)
}

// sends is what a key sends, and what counts as a press of it beside that.
func sends(k wire.Key) string {
	if len(k.Heard) == 0 {
		return codes(k.Codes)
	}
	heard := make([]string, len(k.Heard))
	for i, c := range k.Heard {
		heard[i] = code(c)
	}
	text := "followed where it is heard: " + strings.Join(heard, ", ")
	if len(k.Codes) == 0 {
		return "nothing; " + text
	}
	return codes(k.Codes) + "; also " + text
}

// plate is what stands on a device's type plate.
func plate(d wire.Device) string {
	if d.PlateHz == 0 {
		return d.Plate
	}
	return strings.TrimSpace(fmt.Sprintf("%s %.2f MHz", d.Plate, float64(d.PlateHz)/1e6))
}

// pause prints a time in ms, nothing where it is 0.
func pause(ms int) string {
	if ms == 0 {
		return ""
	}
	return (time.Duration(ms) * time.Millisecond).String()
}

func (a *app) deviceAdd() *cobra.Command {
	var n wire.NewDevice
	c := &cobra.Command{
		Use: "add NAME", Short: "Add a device", Args: args(1, 1, "the device's NAME"),
		Example: "  urbo device add \"Night lamp\" --room Dome --kind light",
		RunE: func(c *cobra.Command, argv []string) error {
			cl, err := a.client()
			if err != nil {
				return err
			}
			n.Name = argv[0]
			var d wire.Device
			if err := cl.do(c.Context(), http.MethodPost, "/devices", n, &d); err != nil {
				return err
			}
			if a.output == "json" {
				return a.json(d)
			}
			if len(d.Keys) == 0 {
				fmt.Fprintf(a.Out, "Added %s. Next, press its keys in any order and name them: urbo learn %s\n"+
					"No handset? urbo audition %s\n", d.Slug, d.Slug, d.Slug)
				return nil
			}
			fmt.Fprintf(a.Out, "Added %s with %s to learn. Next: urbo learn %s\nNo handset? urbo audition %s\n", d.Slug,
				plural(len(d.Keys), "key", "keys"), d.Slug, d.Slug)
			return nil
		},
	}
	f := c.Flags()
	shortName(c, &n.Slug, "short name; made from the name where it is left out")
	f.StringVar(&n.Room, "room", "", "room it stands in")
	f.StringVar(&n.Kind, "kind", "", "what it is, which says which keys are asked for: "+
		strings.Join(device.KindNames(), ", "))
	f.StringVar(&n.Maker, "maker", "", "who made it")
	f.StringVar(&n.Model, "model", "", "which model it is")
	f.StringSliceVar(&n.Keys, "keys", nil, "keys to learn, instead of the usual ones of its kind")
	return c
}

func (a *app) deviceExport() *cobra.Command {
	var as, out string
	c := &cobra.Command{
		Use: "export DEVICE/KEY", Short: "Write what a key sends as VCD, CSV, WAV, text or an array in C",
		Args:    args(1, 1, "DEVICE/KEY"),
		Example: "  urbo device export boardwalk/power --out power.h",
		RunE: func(c *cobra.Command, argv []string) error {
			ref, err := parseKey(argv[0])
			if err != nil {
				return err
			}
			if !c.Flags().Changed("as") {
				as = formatOf(out)
			}
			cl, err := a.client()
			if err != nil {
				return err
			}
			resp, err := cl.send(c.Context(), http.MethodGet,
				"/devices/"+url.PathEscape(ref.Device)+"/keys/"+url.PathEscape(ref.Key)+"/file?as="+url.QueryEscape(as),
				nil)
			if err != nil {
				return err
			}
			defer resp.Body.Close()
			return a.writeTo(out, func(w io.Writer) error {
				_, err := io.Copy(w, resp.Body)
				return err
			})
		},
	}
	c.Flags().StringVar(&as, "as", "", asHelp)
	c.Flags().StringVar(&out, "out", "", "file to write; standard output where it is left out")
	return c
}
