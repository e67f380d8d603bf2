package cli

import (
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"strconv"
	"strings"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/spf13/cobra"

	"urbo/core/device"
	"urbo/core/pack"
	"urbo/wire"
)

func (a *app) pack() *cobra.Command {
	return group("pack", "Exchange devices, code sets, boards and more as files", "",
		a.packExport(), a.packImport(), a.packCheck())
}

func (a *app) packExport() *cobra.Command {
	var out string
	var all bool
	named := map[string]*[]string{"sets": {}, "groups": {}, "sequences": {}, "occasions": {}, "boards": {}}
	c := &cobra.Command{
		Use:   "export [DEVICE …]",
		Short: "Write devices, and what the house has of them; all devices where nothing is named",
		Args:  args(0, -1, "DEVICEs"),
		Example: "  urbo pack export boardwalk amplifier --out lights.json\n" +
			"  urbo pack export projector amplifier --occasion public-talk --board public-night --out night.json\n" +
			"  urbo pack export --all --out house.json",
		RunE: func(c *cobra.Command, argv []string) error {
			query := url.Values{"devices": {strings.Join(argv, ",")}}
			for member, names := range named {
				query.Set(member, strings.Join(*names, ","))
			}
			if all {
				query.Set("all", "true")
			}
			var p json.RawMessage
			if err := a.call(c.Context(), http.MethodGet, "/packs?"+query.Encode(), nil, &p); err != nil {
				return err
			}
			write := func(w io.Writer) error {
				e := json.NewEncoder(w)
				e.SetIndent("", "  ")
				return e.Encode(p)
			}
			if out == "" { // a pack is JSON anyway
				return write(&printed{w: a.exact, json: true})
			}
			return a.writeTo(out, write)
		},
	}
	c.Flags().StringVar(&out, "out", "", "file to write; standard output where it is left out")
	c.Flags().BoolVar(&all, "all", false, "write all devices, groups, sequences, occasions and boards")
	c.Flags().StringSliceVar(named["sets"], "set", nil, "code sets to write")
	c.Flags().StringSliceVar(named["groups"], "group", nil, "groups to write")
	c.Flags().StringSliceVar(named["sequences"], "sequence", nil, "sequences to write")
	c.Flags().StringSliceVar(named["occasions"], "occasion", nil, "occasions to write")
	c.Flags().StringSliceVar(named["boards"], "board", nil, "boards to write")
	return c
}

func (a *app) packCheck() *cobra.Command {
	return &cobra.Command{Use: "check FILE", Short: "Say whether a pack is good, without a service",
		Args: args(1, 1, "a FILE, or - for standard input"), Example: "  urbo pack check lights.json",
		RunE: func(_ *cobra.Command, argv []string) error {
			in, err := a.openFile(argv[0])
			if err != nil {
				return err
			}
			defer in.Close()
			devices, sets, keys := 0, 0, 0
			p, err := pack.Scan(in, a.book(), func(set bool, d device.Device) {
				if keys += len(d.Keys); set {
					sets++
				} else {
					devices++
				}
			})
			if err != nil {
				return fmt.Errorf("%s: %w", argv[0], err)
			}
			var what []string
			if devices > 0 {
				what = append(what, plural(devices, "device", "devices"))
			}
			if sets > 0 {
				what = append(what, plural(sets, "code set", "code sets"))
			}
			text := strings.Join(what, " and ") + " with " + plural(keys, "key", "keys")
			if len(what) == 0 {
				text = "no devices"
			}
			if n := p.Count(); n > 0 {
				text += "; " + plural(len(p.Groups), "group", "groups") + ", " +
					plural(len(p.Sequences), "sequence", "sequences") + ", " +
					plural(len(p.Occasions), "occasion", "occasions") + ", " + plural(len(p.Boards), "board", "boards")
			}
			return a.done(map[string]any{"version": p.Version, "devices": devices, "sets": sets, "keys": keys,
				"groups": len(p.Groups), "sequences": len(p.Sequences), "occasions": len(p.Occasions),
				"boards": len(p.Boards)}, "Good. Version %s: %s.", p.Version, text)
		}}
}

func (a *app) packImport() *cobra.Command {
	var conflict string
	var yes bool
	c := &cobra.Command{
		Use: "import FILE", Short: "Read a pack: first what would happen, then, with --yes, it happens",
		Long: `Read a pack: first what would happen, then, with --yes, it happens. A device or code set whose short name is taken
is left out (skip), replaced or added under another name (copy). A group, sequence, occasion or board is added; where
its short name is taken, under another one, and what is the same already is left alone.`,
		Args:    args(1, 1, "a FILE, or - for standard input"),
		Example: "  urbo pack import lights.json\n  urbo pack import lights.json --conflict copy --yes",
		RunE: func(c *cobra.Command, argv []string) error {
			in, err := a.openFile(argv[0])
			if err != nil {
				return err
			}
			defer in.Close()
			path := "/packs/preview"
			if yes {
				path = "/packs"
			}
			cl, err := a.client()
			if err != nil {
				return err
			}
			var plan wire.PackPlan
			if err := cl.stream(c.Context(), http.MethodPost, path+"?conflict="+url.QueryEscape(conflict), in,
				&plan); err != nil {
				return fmt.Errorf("%s: %w", argv[0], err)
			}
			if a.output == "json" {
				return a.json(plan)
			}
			return a.printPlan(plan, yes)
		},
	}
	c.Flags().StringVar(&conflict, "conflict", "skip",
		"what to do with short names that are taken: skip, replace or copy")
	c.Flags().BoolVar(&yes, "yes", false, "do it")
	return c
}

func (a *app) printPlan(plan wire.PackPlan, done bool) error {
	var rows []table.Row
	for _, i := range plan.Items {
		note := ""
		switch {
		case i.Same:
			note = "the same is there"
		case i.Taken && i.Action == "copy":
			note = "as " + i.As
		case i.Taken:
			note = "its short name is taken"
		}
		what, keys := i.What, ""
		switch what {
		case "set":
			what, keys = "code set", strconv.Itoa(i.Keys)
		case "device":
			keys = strconv.Itoa(i.Keys)
		}
		rows = append(rows, table.Row{i.Slug, i.Name, what, keys, i.Action, note})
	}
	if len(rows) == 0 {
		return errors.New("the pack is empty")
	}
	a.table(table.Row{"SHORT NAME", "NAME", "WHAT", "KEYS", "ACTION", ""}, rows)
	if !done {
		fmt.Fprintln(a.Out, "\nNothing was changed. Do it with --yes; --conflict replace or copy for short names "+
			"that are "+
			"taken.")
	}
	return nil
}
