package cli

import (
	"errors"
	"fmt"
	"net/http"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"urbo/wire"
)

func (a *app) house() *cobra.Command {
	return group("house", "Say what the house is called, where it stands, and in which units it thinks", "",
		a.houseShow(), a.houseSet())
}

func (a *app) houseShow() *cobra.Command {
	return &cobra.Command{Use: "show", Short: "Show the house's name, place, zone and units", Args: args(0, 0, "none"),
		Example: "  urbo house show",
		RunE: func(c *cobra.Command, _ []string) error {
			var h wire.House
			if err := a.call(c.Context(), http.MethodGet, "/house", nil, &h); err != nil {
				return err
			}
			return a.showHouse(h)
		}}
}

func (a *app) showHouse(h wire.House) error {
	if a.output == "json" {
		return a.json(h)
	}
	or := func(text, otherwise string) string {
		if text == "" {
			return otherwise
		}
		return text
	}
	place := "not given"
	if h.Latitude != nil && h.Longitude != nil {
		place = fmt.Sprintf("%.4f, %.4f", *h.Latitude, *h.Longitude)
	}
	now := h.Now
	if !h.Plausible {
		now += " (cannot be right: what is bound to the clock waits)"
	}
	units := map[bool]string{false: "°C", true: "°F"}[h.Fahrenheit] + ", " +
		map[bool]string{false: "24 hours", true: "12 hours"}[h.TwelveHours]
	for _, fact := range [][2]string{{"name", or(h.Name, "not given")}, {"place", place},
		{"zone", or(h.Zone, "that of the machine")}, {"time", now}, {"units", units}} {
		fmt.Fprintf(a.Out, "%-6s %s\n", fact[0], fact[1])
	}
	return nil
}

func (a *app) houseSet() *cobra.Command {
	var name, zone, place, temperature, hours string
	c := &cobra.Command{Use: "set", Short: "Change what is given", Args: args(0, 0, "none"),
		Example: "  urbo house set --name \"Saltmarsh Observatory\" --place 53.9,0.1 --zone Europe/London\n" +
			"  urbo house set --temperature F --hours 12",
		RunE: func(c *cobra.Command, _ []string) error {
			var change wire.HouseChange
			if c.Flags().Changed("name") {
				change.Name = &name
			}
			if c.Flags().Changed("zone") {
				change.Zone = &zone
			}
			if err := placeOf(place, &change); err != nil {
				return err
			}
			for _, choice := range []struct {
				flag, text, off, on string
				to                  **bool
			}{{"temperature", temperature, "C", "F", &change.Fahrenheit}, {"hours", hours, "24", "12",
				&change.TwelveHours}} {
				switch {
				case !c.Flags().Changed(choice.flag):
				case strings.EqualFold(choice.text, choice.off), strings.EqualFold(choice.text, choice.on):
					is := strings.EqualFold(choice.text, choice.on)
					*choice.to = &is
				default:
					return usageError{fmt.Errorf("--%s is %s or %s, not %.20q", choice.flag, choice.off, choice.on,
						choice.text)}
				}
			}
			if change == (wire.HouseChange{}) {
				return usageError{errors.New(
					"say what is to change: --name, --place, --zone, --temperature or --hours")}
			}
			var h wire.House
			if err := a.call(c.Context(), http.MethodPatch, "/house", change, &h); err != nil {
				return err
			}
			return a.showHouse(h)
		}}
	f := c.Flags()
	f.StringVar(&name, "name", "", "what the house is called")
	f.StringVar(&place, "place", "", "LATITUDE,LONGITUDE in degrees, for times of the sun; none for no place")
	f.StringVar(&zone, "zone", "", "zone of its clock, such as Europe/London; empty is that of the machine")
	f.StringVar(&temperature, "temperature", "", "C or F")
	f.StringVar(&hours, "hours", "", "24 or 12")
	return c
}

// placeOf reads LATITUDE,LONGITUDE into a change; "" is no change.
func placeOf(text string, change *wire.HouseChange) error {
	switch text {
	case "":
		return nil
	case "none":
		change.NoPlace = true
		return nil
	}
	north, east, _ := strings.Cut(text, ",")
	latitude, err := strconv.ParseFloat(strings.TrimSpace(north), 64)
	longitude, err2 := strconv.ParseFloat(strings.TrimSpace(east), 64)
	if err != nil || err2 != nil {
		return usageError{fmt.Errorf("--place %.40q: write LATITUDE,LONGITUDE such as 53.9,0.1, or none", text)}
	}
	change.Latitude, change.Longitude = &latitude, &longitude
	return nil
}
