package cli

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"github.com/spf13/cobra"
	"golang.org/x/sys/unix"

	"urbo/station/hardware"
	"urbo/wire"
)

// leastRoom is how much of the disk should be free, in bytes: less is a week of much traffic.
const leastRoom = 200 << 20

// doctor looks for what people stumble over.
func (a *app) doctor() *cobra.Command {
	return &cobra.Command{
		Use: "doctor", Short: "Look for what is not as it should be, and say what to do", Args: args(0, 0, "none"),
		Long: `Look for what is not as it should be, on this machine and in the house, and say what to do. Nothing is changed.
It ends with status 1 where something is wrong.`,
		Example: "  urbo doctor",
		RunE: func(c *cobra.Command, _ []string) error {
			all := a.machine()
			house, err := a.houseHealth(c.Context())
			all = append(all, house...)
			if err != nil {
				return err
			}
			wrong := 0
			for _, f := range all {
				if f.Is == "bad" {
					wrong++
				}
			}
			if a.output == "json" {
				if err := a.json(all); err != nil {
					return err
				}
			} else {
				a.printFindings(all)
			}
			if wrong > 0 {
				return errors.New(plural(wrong, "thing is", "things are") + " not as it should be")
			}
			return nil
		},
	}
}

// health is one thing that was looked at.
func health(is, text, do string) wire.Health { return wire.Health{Is: is, Text: text, Do: do} }

// machine looks at the data directory, the disk, and the serial ports of this machine.
func (a *app) machine() (out []wire.Health) {
	if strings.HasPrefix(a.server, "http") { // the house is on another one
		return nil
	}
	dir, err := dataDir()
	if path, is := strings.CutPrefix(a.server, "unix:"); is {
		dir, err = filepath.Dir(path), nil
	}
	if err != nil {
		return []wire.Health{health("bad", err.Error(), "Set URBO_DATA")}
	}
	info, err := os.Stat(dir)
	switch {
	case errors.Is(err, os.ErrNotExist):
		out = append(out, health("doubt", "There is no data in "+dir+" yet.", "urbo serve makes it"))
		dir = filepath.Dir(dir)
	case err != nil:
		out = append(out, health("bad", "The data directory cannot be read: "+err.Error()+".",
			"Run this as the user that runs Urbo"))
	case info.Mode().Perm()&0o077 != 0:
		out = append(out, health("doubt", fmt.Sprintf("Others may look into %s (mode %o).", dir, info.Mode().Perm()),
			"chmod 700 "+dir))
	default:
		out = append(out, health("good", "The data is in "+dir+".", ""))
	}
	var disk unix.Statfs_t
	if err := unix.Statfs(dir, &disk); err == nil {
		free := disk.Bavail * uint64(disk.Bsize) //nolint:unconvert // its type differs between machines
		text := fmt.Sprintf("%.1f GB of the disk are free.", float64(free)/1e9)
		if free < leastRoom {
			out = append(out, health("bad", text, "Make room: without it nothing new is kept"))
		} else {
			out = append(out, health("good", text, ""))
		}
	}
	for _, port := range hardware.Found() {
		if unix.Access(port, unix.R_OK|unix.W_OK) != nil {
			out = append(out, health("doubt", "The serial port "+port+" may not be opened by this user.",
				"Add the user that runs Urbo to the group that owns it (often dialout)"))
		}
	}
	return out
}

// houseHealth looks at the service and its house. The error is only of one that refuses to be asked.
func (a *app) houseHealth(ctx context.Context) (out []wire.Health, err error) {
	cl, err := a.client()
	if err != nil {
		return nil, err
	}
	var about wire.About
	if err := cl.do(ctx, http.MethodGet, "/about", nil, &about); err != nil {
		return []wire.Health{health("bad", "The service does not answer: "+err.Error()+".",
			"urbo serve, or systemctl status urbo")}, nil
	}
	if about.Version == a.version {
		out = append(out, health("good", "Urbo "+about.Version+" runs since "+
			about.Started.Local().Format("2006-01-02 15:04")+".", ""))
	} else {
		out = append(out, health("doubt", "Urbo "+about.Version+" runs, and this command is of "+a.version+".",
			"Start the service again, or use the command of its version"))
	}
	var house wire.House
	if err := cl.do(ctx, http.MethodGet, "/house", nil, &house); err != nil {
		return out, err
	}
	switch {
	case !house.Plausible:
		out = append(out, health("bad", "The clock cannot be right: it is "+house.Now+".",
			"Set it, or let the machine take it from the network; errands wait for that"))
	case house.Latitude == nil:
		out = append(out, health("doubt", "It is "+house.Now+"; nobody said where the house stands.",
			"urbo house set --latitude … --longitude …, for dusk and dawn"))
	default:
		out = append(out, health("good", "It is "+house.Now+".", ""))
	}
	var stations []wire.Station
	if err := cl.do(ctx, http.MethodGet, "/stations", nil, &stations); err != nil {
		return out, err
	}
	if len(stations) == 0 {
		out = append(out, health("bad", "There is no station: nothing is heard or sent.",
			"docs/hardware.md, then urbo station add NAME --serial /dev/ttyUSB0"))
	}
	anyHere := slices.ContainsFunc(stations, func(s wire.Station) bool { return s.Here })
	for _, s := range stations {
		switch {
		case !s.Here && !anyHere:
			out = append(out, health("bad", "The station "+s.Name+" is "+presence(s)+".", "urbo station show "+s.Name))
		case !s.Here:
			out = append(out, health("doubt", "The station "+s.Name+" is "+presence(s)+".",
				"urbo station show "+s.Name))
		default:
			out = append(out, health("good", "The station "+s.Name+" is "+presence(s)+".", ""))
		}
	}
	var devices []wire.DeviceLine
	if err := cl.do(ctx, http.MethodGet, "/devices", nil, &devices); err != nil {
		return out, err
	}
	unlearned := 0
	for _, d := range devices {
		if d.KeysLearned == 0 && d.KeysHeard == 0 && !d.Whole {
			unlearned++
		}
	}
	text := plural(len(devices), "device", "devices") + " in the library"
	if unlearned > 0 {
		out = append(out, health("doubt", fmt.Sprintf("%s, %d of which wait for a lesson.", text, unlearned),
			"urbo device list"))
	} else {
		out = append(out, health("good", text+".", ""))
	}
	return out, nil
}

// printFindings prints what was looked at, each with what to do about it.
func (a *app) printFindings(all []wire.Health) {
	for _, f := range all {
		fmt.Fprintf(a.Out, "%s %s\n", map[string]string{"good": "✓", "doubt": "?", "bad": "✗"}[f.Is], f.Text)
		if f.Do != "" {
			fmt.Fprintln(a.Out, "    "+f.Do)
		}
	}
}
