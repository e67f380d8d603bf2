package cli

import (
	"context"
	"errors"
	"fmt"
	"math"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"time"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/spf13/cobra"

	"urbo/core/device"
	"urbo/core/reach"
	"urbo/wire"
)

func (a *app) station() *cobra.Command {
	return group("station", "Look after the hardware that hears and sends", `Look after the hardware that hears and
sends.

A station has ports: each is a receiver or a transmitter, for infrared or radio. It is reached over a serial port of
this machine, or it dials in with a token of its own (urbo outpost on another board does).`,
		a.stationList(), a.stationShow(), a.stationAdd(), a.stationRename(), a.stationRoom(), a.stationAirtime(),
		a.stationCorrect(), a.stationRemove(), a.stationTest(), a.stationCheck())
}

func (a *app) stationList() *cobra.Command {
	return &cobra.Command{Use: "list", Short: "List the stations, and whether they are here", Args: args(0, 0, "none"),
		Example: "  urbo station list",
		RunE: func(c *cobra.Command, _ []string) error {
			var all []wire.Station
			if err := a.call(c.Context(), http.MethodGet, "/stations", nil, &all); err != nil {
				return err
			}
			if a.output == "json" {
				return a.json(all)
			}
			if len(all) == 0 {
				fmt.Fprintln(a.Out, "No station yet. Add one: urbo station add NAME --serial /dev/ttyUSB0")
				return nil
			}
			var rows []table.Row
			for _, s := range all {
				rows = append(rows, table.Row{s.Name, s.Over, s.Room, presence(s), portsOf(s)})
			}
			a.table(table.Row{"STATION", "OVER", "ROOM", "STATE", "PORTS"}, rows)
			return nil
		}}
}

// presence says whether a station is here, and since when.
func presence(s wire.Station) string {
	text := "not seen yet"
	switch {
	case s.Here:
		return "here since " + clock(*s.Since)
	case s.Since != nil:
		text = "away since " + clock(*s.Since)
	}
	if s.Trouble != "" {
		text += ": " + s.Trouble
	}
	return text
}

// deaf says that no receiver is here, why, and what to do; "" where one is, or where that may not be asked.
func (a *app) deaf(ctx context.Context, cl *client) string {
	var all []wire.Station
	if cl.do(ctx, http.MethodGet, "/stations", nil, &all) != nil {
		return ""
	}
	var away []string
	for _, s := range all {
		receives := len(s.Ports) == 0 || slices.ContainsFunc(s.Ports, func(p wire.PortState) bool {
			return p.Direction == "receiver"
		})
		switch {
		case receives && s.Here && len(s.Ports) > 0:
			return ""
		case receives && !s.Here:
			away = append(away, "\n  "+s.Name+": "+presence(s))
		}
	}
	text := "no receiver is here, so that no handset is heard. Attach one (docs/hardware.md), and say where it is: " +
		"urbo station add NAME --serial /dev/ttyUSB0"
	if len(away) > 0 {
		text = "no receiver is here, so that no handset is heard:" + strings.Join(away, "")
	}
	return text
}

// portsOf lists ports by what they are.
func portsOf(s wire.Station) string {
	var out []string
	for _, p := range s.Ports {
		out = append(out, p.ID)
	}
	return strings.Join(out, " ")
}

func (a *app) stationShow() *cobra.Command {
	return &cobra.Command{Use: "show STATION", Short: "Show a station with its ports",
		Args: args(1, 1, "a STATION"), Example: "  urbo station show lecture",
		RunE: func(c *cobra.Command, argv []string) error {
			var s wire.Station
			if err := a.call(c.Context(), http.MethodGet, stationPath(argv[0]), nil, &s); err != nil {
				return err
			}
			if a.output == "json" {
				return a.json(s)
			}
			a.showStation(s)
			return nil
		}}
}

func stationPath(name string) string { return "/stations/" + url.PathEscape(name) }

func (a *app) showStation(s wire.Station) {
	over := s.Over
	if s.Address != "" && s.Address != s.Name {
		over += ", " + s.Address
	}
	for _, fact := range [][2]string{{"station", s.Name}, {"room", s.Room}, {"state", presence(s)}, {"over", over},
		{"model", s.Model}, {"firmware", s.Firmware}} {
		if fact[1] != "" {
			fmt.Fprintf(a.Out, "%-10s%s\n", fact[0], fact[1])
		}
	}
	var rows []table.Row
	var corrected []string
	for _, p := range s.Ports {
		last := "never"
		if p.Last != nil {
			last = clock(*p.Last)
		}
		rows = append(rows, table.Row{p.ID, p.Direction, p.Medium, band(p), last, p.Count, airtime(p)})
		if p.Correction != nil {
			corrected = append(corrected, fmt.Sprintf("%s is corrected: it %s.", p.ID, p.Correction.Text()))
		}
	}
	if len(rows) > 0 {
		fmt.Fprintln(a.Out)
		a.table(table.Row{"PORT", "IS A", "MEDIUM", "BAND", "LAST", "PRESSES", "AIRTIME"}, rows)
	}
	for _, text := range corrected {
		fmt.Fprintln(a.Out, text)
	}
}

// band is the carriers or channels of a port.
func band(p wire.PortState) string {
	if p.FromHz == p.ToHz {
		return device.Hertz(p.FromHz)
	}
	return device.Hertz(p.FromHz) + " to " + device.Hertz(p.ToHz)
}

// airtime is how much of its airtime a transmitter has used in the last hour.
func airtime(p wire.PortState) string {
	if p.Direction != "transmitter" {
		return ""
	}
	used := (time.Duration(p.AirtimeMS) * time.Millisecond).Round(100 * time.Millisecond)
	if p.BudgetMS == 0 {
		return used.String()
	}
	return fmt.Sprintf("%s of %s an hour", used, (time.Duration(p.BudgetMS) * time.Millisecond).String())
}

func (a *app) stationAdd() *cobra.Command {
	n := wire.NewStation{}
	var serial, kernel, out string
	var broker, stage bool
	c := &cobra.Command{Use: "add NAME", Short: "Add a station: one on a serial port, or one that dials in",
		Long: `Add a station. With --serial it is a board on a serial port of the machine that Urbo runs on. Otherwise it dials in, and
its token is printed, once: give it to urbo outpost on the other board.
With --wifi it is a Wi-Fi board that runs MicroPython: its files are written into a folder (--out, or NAME), with its
token and the house's address as the board reaches it (--house). It says what to copy and what to wire.`,
		Args: args(1, 1, "a NAME for the station"),
		Example: "  urbo station add garden --room Garden\n  urbo station add bench --serial /dev/ttyUSB0\n" +
			"  urbo station add porch --wifi rp2040 --house http://192.168.1.20:8433",
		RunE: func(c *cobra.Command, argv []string) error {
			n.Name, n.Over = argv[0], "websocket"
			chosen := 0
			for _, way := range []struct {
				over, address string
				is            bool
			}{{"serial", serial, c.Flags().Changed("serial")}, {"kernel", kernel, c.Flags().Changed("kernel")},
				{"mqtt", "", broker}, {"stage", "", stage}} {
				if way.is {
					n.Over, n.Address = way.over, way.address
					chosen++
				}
			}
			if chosen > 1 {
				return usageError{fmt.Errorf("a station is reached in one way: choose one flag")}
			}
			if n.Wifi == "" && n.House+out != "" {
				return usageError{fmt.Errorf("--house and --out are for a Wi-Fi board: say which with --wifi")}
			}
			if n.Wifi != "" {
				return a.addBoard(c.Context(), n, chosen, out)
			}
			var s wire.Station
			if err := a.call(c.Context(), http.MethodPost, "/stations", n, &s); err != nil {
				return err
			}
			if a.output == "json" {
				return a.json(s)
			}
			if s.Secret == "" {
				fmt.Fprintf(a.Out, "Added %s. %s\n", s.Name, a.said(c.Context(), s.Name))
				return nil
			}
			fmt.Fprintln(a.Out, s.Secret)
			fmt.Fprintf(a.Err, "Keep it now: it is not shown again. On the other board, with this text in the "+
				"file token:\n"+
				"  urbo outpost --to http://THIS-MACHINE:8433 --token-file token --serial /dev/ttyUSB0\n")
			return nil
		}}
	c.Flags().StringVar(&n.Room, "room", "", "room that it reaches")
	c.Flags().StringVar(&serial, "serial", "", "serial port of a board, /dev/ttyUSB0 or usb:VENDOR:PRODUCT")
	c.Flags().StringVar(&kernel, "kernel", "",
		"pulse device of the kernel, rc0 as in /sys/class/rc; rc0@433920000 where it drives a bare radio module")
	c.Flags().StringVar(&n.Wifi, "wifi", "",
		"a Wi-Fi board that runs MicroPython: rp2040 (also RP2350), esp32, or other")
	c.Flags().StringVar(&n.House, "house", "", "with --wifi: this house as the board reaches it, http://ADDRESS:PORT")
	c.Flags().StringVar(&out, "out", "", "with --wifi: folder for its files; without it one by the station's name")
	c.Flags().BoolVar(&broker, "mqtt", false, "it speaks through the MQTT broker, by this name")
	c.Flags().BoolVar(&stage, "stage", false, "one of the demo's, which was removed")
	return c
}

func (a *app) stationRename() *cobra.Command {
	return &cobra.Command{Use: "rename STATION NAME", Short: "Give a station another name",
		Args: args(2, 2, "a STATION and its new NAME"), Example: "  urbo station rename outside harbour",
		RunE: func(c *cobra.Command, argv []string) error {
			return a.changeStation(c, argv[0], wire.StationChange{Name: &argv[1]}, "Renamed %s to %s.", argv[0],
				argv[1])
		}}
}

func (a *app) stationRoom() *cobra.Command {
	return &cobra.Command{Use: "room STATION [ROOM]", Short: "Say which room a station reaches, or none",
		Long: `Say which room a station reaches. A device that names no transmitter of its own is sent to from its own room, where one
there can.`,
		Args: args(1, 2, "a STATION and a ROOM"), Example: "  urbo station room lecture \"Lecture room\"",
		RunE: func(c *cobra.Command, argv []string) error {
			room := ""
			if len(argv) == 2 {
				room = argv[1]
			}
			says := "%s is in the room %s."
			if room == "" {
				says = "%s is in no room.%s"
			}
			return a.changeStation(c, argv[0], wire.StationChange{Room: &room}, says, argv[0], room)
		}}
}

func (a *app) changeStation(c *cobra.Command, name string, change wire.StationChange, says string, args ...any) error {
	var s wire.Station
	if err := a.call(c.Context(), http.MethodPatch, stationPath(name), change, &s); err != nil {
		return err
	}
	if a.output == "json" {
		return a.json(s)
	}
	_, err := fmt.Fprintf(a.Out, says+"\n", args...)
	return err
}

func (a *app) stationAirtime() *cobra.Command {
	return &cobra.Command{Use: "airtime STATION/PORT PERCENT", Short: "Set how much of an hour a transmitter may send",
		Long: `Set how much of an hour a transmitter may send, in percent; 0 is no limit. A radio transmitter may send 10 % until told
otherwise: look up what is allowed where you live.`,
		Args: args(2, 2, "a STATION/PORT and a PERCENT"), Example: "  urbo station airtime lecture/radio-out 1",
		RunE: func(c *cobra.Command, argv []string) error {
			var percent float64
			if _, err := fmt.Sscanf(strings.TrimSuffix(argv[1], "%")+"\n", "%g\n", &percent); err != nil ||
				!(percent >= 0 &&
					percent <= 100) {
				return usageError{fmt.Errorf("%.20q: write a percentage from 0 to 100", argv[1])}
			}
			share := percent / 100
			s, err := a.changeTransmitter(c, argv[0], wire.TransmitterChange{Share: &share})
			if err != nil {
				return err
			}
			if a.output == "json" {
				return a.json(s)
			}
			if percent == 0 {
				return a.done(nil, "%s may send without a limit.", argv[0])
			}
			return a.done(nil, "%s may send for %g %% of an hour.", argv[0], percent)
		}}
}

// correctionFlags is a correction as it is given to urbo station correct.
func correctionFlags(c reach.Correction) string {
	text := ""
	if c.Unit != 0 && c.Unit != 1 {
		text += fmt.Sprintf(" --unit %g", c.Unit)
	}
	if c.Stretch != 0 {
		text += fmt.Sprintf(" --stretch %g", c.Stretch)
	}
	return text
}

func (a *app) stationCorrect() *cobra.Command {
	var c reach.Correction
	var none bool
	cmd := &cobra.Command{Use: "correct STATION/PORT", Short: "Correct a transmitter whose durations are not true",
		Long: `Correct a transmitter whose clock runs slow or fast, or whose marks come out too long or too short: urbo station test
finds both, where another transmitter or receiver shows that it is this one's fault. What is sent is shortened by as
much.`,
		Args: args(1, 1, "a STATION/PORT"),
		Example: "  urbo station correct lecture/ir-out --unit 1.04 --stretch 120\n" +
			"  urbo station correct lecture/ir-out --none",
		RunE: func(cmd *cobra.Command, argv []string) error {
			if none == (!c.None() || cmd.Flags().Changed("unit") || cmd.Flags().Changed("stretch")) {
				return usageError{errors.New("say what it does, --unit or --stretch, or --none to correct nothing")}
			}
			s, err := a.changeTransmitter(cmd, argv[0], wire.TransmitterChange{Correction: &c})
			if err != nil {
				return err
			}
			if a.output == "json" {
				return a.json(s)
			}
			if c.None() {
				return a.done(nil, "%s is not corrected any more.", argv[0])
			}
			return a.done(nil, "%s is corrected: it %s.", argv[0], c.Text())
		}}
	cmd.Flags().Float64Var(&c.Unit, "unit", 0,
		"how long its durations are, as a share of what they should be: 1.04 is 4 % slow")
	cmd.Flags().Float64Var(&c.Stretch, "stretch", 0, "by how much its marks are too long, in µs")
	cmd.Flags().BoolVar(&none, "none", false, "correct nothing any more")
	return cmd
}

// changeTransmitter changes what is given of a transmitter, STATION/PORT.
func (a *app) changeTransmitter(c *cobra.Command, place string, change wire.TransmitterChange) (wire.Station, error) {
	var s wire.Station
	name, port, ok := strings.Cut(place, "/")
	if !ok {
		return s, usageError{fmt.Errorf("%.60q: write STATION/PORT", place)}
	}
	err := a.call(c.Context(), http.MethodPatch, stationPath(name)+"/transmitters/"+url.PathEscape(port), change, &s)
	return s, err
}

// hello is how long urbo station add waits for a board to say something, which takes a second after it is opened.
const hello = 3 * time.Second

// said says what came of a station that was added: that it is here, why not, or nothing yet.
func (a *app) said(ctx context.Context, name string) string {
	tick := time.NewTicker(100 * time.Millisecond)
	defer tick.Stop()
	end := time.After(hello)
	trouble := ""
	for {
		var s wire.Station
		if err := a.call(ctx, http.MethodGet, stationPath(name), nil, &s); err == nil {
			if s.Here {
				return "It is here, with " + portNames(s) + "."
			}
			if s.Trouble != "" && s.Trouble == trouble { // twice: the first may be of a board that is just starting
				return "It is not here yet: " + s.Trouble + ". When that is mended, it comes by itself."
			}
			trouble = s.Trouble
		}
		select {
		case <-tick.C:
		case <-end:
			return "It shows in urbo station list when it has said hello."
		case <-ctx.Done():
			return ""
		}
	}
}

// portNames are the ports of a station.
func portNames(s wire.Station) string {
	names := make([]string, len(s.Ports))
	for i, p := range s.Ports {
		names[i] = p.ID
	}
	return strings.Join(names, ", ")
}

func (a *app) stationRemove() *cobra.Command {
	return &cobra.Command{Use: "remove STATION", Short: "Take a station out of the house, with its token",
		Args: args(1, 1, "a STATION"), Example: "  urbo station remove harbour",
		RunE: func(c *cobra.Command, argv []string) error {
			if err := a.call(c.Context(), http.MethodDelete, stationPath(argv[0]), nil, nil); err != nil {
				return err
			}
			return a.done(map[string]any{"removed": argv[0]}, "Removed %s. It is not let in again until it is added.",
				argv[0])
		}}
}

func (a *app) stationTest() *cobra.Command {
	return &cobra.Command{Use: "test [STATION]", Short: "Let every transmitter send, and see who hears it",
		Long: `Let every transmitter send a test signal, one after another, and see which receivers hear it, how strong and how
distorted. It says in words what seems to be wrong with a transmitter. The signal belongs to no device.`,
		Args: args(0, 1, "a STATION, or nothing for all"), Example: "  urbo station test",
		RunE: func(c *cobra.Command, argv []string) error {
			path := "/stations/test"
			if len(argv) == 1 {
				path += "?station=" + url.QueryEscape(argv[0])
			}
			var t wire.StationTest
			if err := a.call(c.Context(), http.MethodPost, path, nil, &t); err != nil {
				return err
			}
			if a.output == "json" {
				return a.json(t)
			}
			a.showTest(t)
			return nil
		}}
}

func (a *app) showTest(t wire.StationTest) {
	if len(t.Rows) == 0 {
		fmt.Fprintln(a.Out, "There is no transmitter to test.")
		return
	}
	head := table.Row{"TRANSMITTER"}
	for _, r := range t.Receivers {
		head = append(head, r)
	}
	var rows []table.Row
	for _, row := range t.Rows {
		cells := table.Row{row.Transmitter}
		for _, c := range row.Cells {
			cells = append(cells, heardAs(c))
		}
		rows = append(rows, cells)
	}
	a.table(head, rows)
	fmt.Fprintln(a.Out)
	for _, row := range t.Rows {
		fmt.Fprintf(a.Out, "%s: %s\n", row.Transmitter, row.Text)
		if row.Inexact != "" {
			fmt.Fprintln(a.Out, "  "+row.Inexact)
		}
		if c := row.Correction; c != nil {
			fmt.Fprintf(a.Out, "  Correct that: urbo station correct %s%s\n", row.Transmitter, correctionFlags(*c))
		}
	}
}

// heardAs is a cell of the matrix: the strength where it is measured, and what was added to marks.
func heardAs(c wire.TestCell) string {
	if !c.Heard {
		return "-"
	}
	text := "heard"
	if c.Strength != nil {
		text = fmt.Sprintf("%.0f %%", 100**c.Strength)
	}
	if math.Abs(c.StretchUS) >= 1 {
		text += fmt.Sprintf(", %+.0f µs", c.StretchUS)
	}
	return text
}
