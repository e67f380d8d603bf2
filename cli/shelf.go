package cli

import (
	"fmt"
	"net/http"
	"net/url"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/spf13/cobra"

	"urbo/core/plain"
	"urbo/wire"
)

func (a *app) shelf() *cobra.Command {
	return group("shelf", "Look after code sets: the codes of types of devices", `Look after code sets: the codes of types of devices. They come in packs (urbo pack import), or from devices of your own
(urbo shelf keep), and go in packs (urbo pack export --set).`,
		a.shelfList(), a.shelfShow(), a.shelfMatch(), a.shelfAdopt(), a.shelfKeep(), a.shelfRemove())
}

func (a *app) shelfList() *cobra.Command {
	return &cobra.Command{Use: "list", Short: "List the code sets", Args: args(0, 0, "none"),
		Example: "  urbo shelf list",
		RunE: func(c *cobra.Command, _ []string) error {
			var sets []wire.CodeSet
			if err := a.call(c.Context(), http.MethodGet, "/sets", nil, &sets); err != nil {
				return err
			}
			if a.output == "json" {
				return a.json(sets)
			}
			if len(sets) == 0 {
				fmt.Fprintln(a.Out, "The shelf is empty. Import a pack of code sets (urbo pack import FILE), or keep "+
					"a device's: urbo shelf keep DEVICE")
				return nil
			}
			var rows []table.Row
			for _, s := range sets {
				sheet := s.Frames
				if len(s.Keys) > 0 && len(s.Keys[0].Codes) > 0 {
					sheet = s.Keys[0].Codes[0].Sheet
				}
				rows = append(rows, table.Row{s.Slug, s.Name, s.Kind, len(s.Keys), sheet})
			}
			a.table(table.Row{"SET", "NAME", "KIND", "KEYS", "LINE CODE"}, rows)
			return nil
		}}
}

func (a *app) shelfShow() *cobra.Command {
	return &cobra.Command{Use: "show SET", Short: "Show a code set", Args: args(1, 1, "SET"),
		Example: "  urbo shelf show corvane-strand",
		RunE: func(c *cobra.Command, argv []string) error {
			var s wire.CodeSet
			if err := a.call(c.Context(), http.MethodGet, "/sets/"+url.PathEscape(argv[0]), nil, &s); err != nil {
				return err
			}
			return a.printSet(s)
		}}
}

func (a *app) printSet(s wire.CodeSet) error {
	if a.output == "json" {
		return a.json(s)
	}
	fmt.Fprintf(a.Out, "%s (%s), code set of %s\n\n", s.Name, s.Slug, plain.A(kindLabel(s.Kind)))
	if s.Frames != "" {
		fmt.Fprintf(a.Out, "Frames of %s carry all that its handset shows. Give them to a device: urbo shelf adopt "+
			"DEVICE %s\n", s.Frames, s.Slug)
	}
	if len(s.Keys) == 0 {
		return nil
	}
	var rows []table.Row
	for _, k := range s.Keys {
		rows = append(rows, table.Row{k.Key, codes(k.Codes)})
	}
	a.table(table.Row{"KEY", "SENDS"}, rows)
	return nil
}

func (a *app) shelfMatch() *cobra.Command {
	return &cobra.Command{Use: "match DEVICE",
		Short: "Find the code sets and devices that send what a device's keys send", Args: args(1, 1, "DEVICE"),
		Example: "  urbo shelf match boardwalk",
		RunE: func(c *cobra.Command, argv []string) error {
			var m wire.Matches
			if err := a.call(c.Context(), http.MethodGet, "/devices/"+url.PathEscape(argv[0])+"/matches", nil,
				&m); err != nil {
				return err
			}
			if a.output == "json" {
				return a.json(m)
			}
			for _, s := range m.Sets {
				fmt.Fprintln(a.Out, s.Text)
				if len(s.More) > 0 {
					fmt.Fprintf(a.Out, "  Adopt them: urbo shelf adopt %s %s\n", argv[0], s.Slug)
				}
			}
			for _, d := range m.Devices {
				fmt.Fprintf(a.Out, "%s obeys %s of these keys too: one press moves both.\n", d.Device,
					plural(len(d.Keys), "one", "keys"))
			}
			if len(m.Sets)+len(m.Devices) == 0 {
				fmt.Fprintln(a.Out, "Nothing else sends what its keys send.")
			}
			return nil
		}}
}

func (a *app) shelfAdopt() *cobra.Command {
	return &cobra.Command{Use: "adopt DEVICE SET [KEY …]",
		Short:   "Give a device keys of a code set: the named ones, or all that it has not learned",
		Args:    args(2, -1, "DEVICE, SET and perhaps KEYs"),
		Example: "  urbo shelf adopt boardwalk corvane-strand\n  urbo shelf adopt boardwalk corvane-strand candle",
		RunE: func(c *cobra.Command, argv []string) error {
			var d wire.Device
			if err := a.call(c.Context(), http.MethodPost, "/devices/"+url.PathEscape(argv[0])+"/adopt",
				wire.Adopt{Set: argv[1], Keys: argv[2:]}, &d); err != nil {
				return err
			}
			if a.output == "json" {
				return a.json(d)
			}
			a.printDevice(d)
			cl, err := a.client()
			if err == nil {
				suggest(c.Context(), a, cl, d.Slug)
			}
			return err
		}}
}

func (a *app) shelfKeep() *cobra.Command {
	var n wire.NewSet
	c := &cobra.Command{Use: "keep DEVICE", Short: "Put a copy of a device's learned keys on the shelf",
		Args: args(1, 1, "DEVICE"), Example: "  urbo shelf keep boardwalk --short-name my-strand",
		RunE: func(c *cobra.Command, argv []string) error {
			n.Device = argv[0]
			var s wire.CodeSet
			if err := a.call(c.Context(), http.MethodPost, "/sets", n, &s); err != nil {
				return err
			}
			return a.printSet(s)
		}}
	shortName(c, &n.Slug, "short name of the set; the device's where it is left out")
	c.Flags().StringVar(&n.Name, "name", "", "name of the set; maker and model where it is left out")
	return c
}

func (a *app) shelfRemove() *cobra.Command {
	return &cobra.Command{Use: "remove SET", Short: "Take a code set off the shelf; devices keep what they adopted",
		Args: args(1, 1, "SET"), Example: "  urbo shelf remove my-strand",
		RunE: func(c *cobra.Command, argv []string) error {
			if err := a.call(c.Context(), http.MethodDelete, "/sets/"+url.PathEscape(argv[0]), nil, nil); err != nil {
				return err
			}
			return a.done(map[string]any{"removed": argv[0]}, "Took %s off the shelf.", argv[0])
		}}
}

// kindLabel is a kind of device as people read it.
func kindLabel(kind string) string {
	if kind == "" || kind == "other" {
		return "device of another kind"
	}
	return plain.Label(kind)
}
