package cli

import (
	"context"
	"net/http"
	"slices"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"urbo/core/device"
	"urbo/core/recording"
	"urbo/wire"
)

// completionTime is how long a shell waits for what the service knows.
const completionTime = time.Second

type completer = func(*cobra.Command, []string, string) ([]string, cobra.ShellCompDirective)

// complete teaches the shell what can stand where: devices and keys of the house, line codes, rooms, formats.
func (a *app) complete(root *cobra.Command) {
	formats := []string{}
	for _, f := range recording.Formats() {
		formats = append(formats, f.Name)
	}
	flags := map[string]completer{
		"output": words("table", "json"), "format": words(formats...), "as": words(recording.Exports()...),
		"kind": words(device.KindNames()...), "scope": words("owner", "press", "watch", "station"),
		"conflict": words("skip", "replace", "copy"), "hold": words("once", "repeat"),
		"power": words("toggle", "two-keys", "none"), "inputs": words("direct", "cycling"),
		"room": a.known((*app).rooms), "device": a.known((*app).devices), "set": a.known((*app).sets),
		"transmitter": a.known((*app).transmitters), "from": a.known((*app).transmitters),
	}
	perCommand := map[string]completer{"urbo journal kind": words(journalKinds...),
		"urbo press hold": words("1s", "2s", "5s")}
	positions := map[string][]completer{
		"urbo learn": {a.known((*app).devices)}, "urbo audition": {a.known((*app).devices)},
		"urbo sequence show": {a.known((*app).sequences)}, "urbo sequence run": {a.known((*app).sequences)},
		"urbo sequence change": {a.known((*app).sequences)}, "urbo sequence remove": {a.known((*app).sequences)},
		"urbo occasion show": {a.known((*app).occasions)}, "urbo occasion plan": {a.known((*app).occasions)},
		"urbo occasion start": {a.known((*app).occasions)}, "urbo occasion end": {a.known((*app).occasions)},
		"urbo occasion right": {a.known((*app).occasions)}, "urbo occasion change": {a.known((*app).occasions)},
		"urbo occasion remove": {a.known((*app).occasions)},
		"urbo board show":      {a.known((*app).boards)}, "urbo board change": {a.known((*app).boards)},
		"urbo board export": {a.known((*app).boards)}, "urbo board remove": {a.known((*app).boards)},
		"urbo question answer": {a.known((*app).questions)},
		"urbo run stop":        {a.known((*app).underWay)},
		"urbo press":           {a.known((*app).keys)}, "urbo state": {a.known((*app).settable)},
		"urbo set": {a.known((*app).settable)}, "urbo tell": {a.known((*app).devices)},
		"urbo device show": {a.known((*app).devices)},
		"urbo device set":  {a.known((*app).devices)}, "urbo device remove": {a.known((*app).devices)},
		"urbo device picture": {a.known((*app).devices)}, "urbo device set-key": {a.known((*app).keys)},
		"urbo device undo": {a.known((*app).keys)}, "urbo device export": {a.known((*app).keys)},
		"urbo device code": {a.known((*app).keys), a.lineCodes()}, "urbo sheet show": {a.lineCodes()},
		"urbo shelf show": {a.known((*app).sets)}, "urbo shelf remove": {a.known((*app).sets)},
		"urbo shelf match": {a.known((*app).devices)}, "urbo shelf keep": {a.known((*app).devices)},
		"urbo shelf adopt": {a.known((*app).devices), a.known((*app).sets)},
		"urbo pack export": {a.known((*app).devices)},
	}
	walk(root, func(c *cobra.Command) {
		for name, f := range flags {
			if own := perCommand[c.CommandPath()+" "+name]; own != nil {
				f = own
			}
			if c.Flags().Lookup(name) != nil || c.PersistentFlags().Lookup(name) != nil {
				_ = c.RegisterFlagCompletionFunc(name, f)
			}
		}
		if places := positions[c.CommandPath()]; places != nil {
			c.ValidArgsFunction = func(c *cobra.Command, argv []string, text string) ([]string,
				cobra.ShellCompDirective) {
				if len(argv) >= len(places) && c.CommandPath() != "urbo pack export" {
					return nil, cobra.ShellCompDirectiveNoFileComp
				}
				return places[min(len(argv), len(places)-1)](c, argv, text)
			}
		}
	})
}

// walk calls f for a command and all below it.
func walk(c *cobra.Command, f func(*cobra.Command)) {
	f(c)
	for _, below := range c.Commands() {
		walk(below, f)
	}
}

// words completes from a list.
func words(all ...string) completer {
	return func(_ *cobra.Command, _ []string, text string) ([]string, cobra.ShellCompDirective) {
		return beginning(all, text), cobra.ShellCompDirectiveNoFileComp
	}
}

func beginning(all []string, text string) []string {
	var out []string
	for _, w := range all {
		if strings.HasPrefix(w, text) {
			out = append(out, w)
		}
	}
	return out
}

// lineCodes completes the names of line codes.
func (a *app) lineCodes() completer {
	return func(_ *cobra.Command, _ []string, text string) ([]string, cobra.ShellCompDirective) {
		var names []string
		for _, s := range a.book().Sheets() {
			names = append(names, s.Name)
		}
		return beginning(names, text), cobra.ShellCompDirectiveNoFileComp
	}
}

// known completes from what the service knows; nothing where it does not answer.
func (a *app) known(ask func(*app, context.Context, *client, string) []string) completer {
	return func(c *cobra.Command, _ []string, text string) ([]string, cobra.ShellCompDirective) {
		ctx, cancel := context.WithTimeout(context.Background(), completionTime)
		defer cancel()
		cl, err := a.client()
		if err != nil {
			return nil, cobra.ShellCompDirectiveNoFileComp
		}
		found := beginning(ask(a, ctx, cl, text), text)
		if len(found) > 0 && strings.HasSuffix(found[0], "/") { // a key comes behind it
			return found, cobra.ShellCompDirectiveNoFileComp | cobra.ShellCompDirectiveNoSpace
		}
		return found, cobra.ShellCompDirectiveNoFileComp
	}
}

// ask asks the service for a list, and takes names of each of it.
func ask[T any](ctx context.Context, cl *client, path string, names func(T) []string) (out []string) {
	var all []T
	_ = cl.do(ctx, http.MethodGet, path, nil, &all)
	for _, one := range all {
		out = append(out, names(one)...)
	}
	return out
}

func (a *app) devices(ctx context.Context, cl *client, _ string) []string {
	return ask(ctx, cl, "/devices", func(d wire.DeviceLine) []string { return []string{d.Slug} })
}

// settable are the devices, groups and rooms.
func (a *app) settable(ctx context.Context, cl *client, text string) []string {
	return slices.Concat(a.devices(ctx, cl, text),
		ask(ctx, cl, "/groups", func(g wire.Group) []string { return []string{g.Slug} }),
		ask(ctx, cl, "/rooms", func(r wire.Room) []string { return []string{"room/" + device.Slug(r.Name)} }))
}

func (a *app) rooms(ctx context.Context, cl *client, _ string) []string {
	return ask(ctx, cl, "/rooms", func(r wire.Room) []string { return []string{r.Name} })
}

// keys lists DEVICE/ first, and the keys once the device stands there.
func (a *app) keys(ctx context.Context, cl *client, text string) (out []string) {
	slug, _, inside := strings.Cut(text, "/")
	if !inside {
		for _, d := range a.devices(ctx, cl, text) {
			out = append(out, d+"/")
		}
		return out
	}
	var d wire.Device
	_ = cl.do(ctx, http.MethodGet, "/devices/"+slug, nil, &d)
	for _, k := range d.Keys {
		out = append(out, slug+"/"+k.Name)
	}
	return out
}

func (a *app) sets(ctx context.Context, cl *client, _ string) []string {
	return ask(ctx, cl, "/sets", func(s wire.CodeSet) []string { return []string{s.Slug} })
}

func (a *app) sequences(ctx context.Context, cl *client, _ string) []string {
	return ask(ctx, cl, "/sequences", func(s wire.Sequence) []string { return []string{s.Slug} })
}

func (a *app) occasions(ctx context.Context, cl *client, _ string) []string {
	return ask(ctx, cl, "/occasions", func(o wire.Occasion) []string { return []string{o.Slug} })
}

func (a *app) boards(ctx context.Context, cl *client, _ string) []string {
	return ask(ctx, cl, "/boards", func(b wire.BoardLine) []string { return []string{b.Slug} })
}

func (a *app) questions(ctx context.Context, cl *client, _ string) []string {
	return ask(ctx, cl, "/questions", func(q wire.OpenQuestion) []string { return []string{q.ID} })
}

func (a *app) underWay(ctx context.Context, cl *client, _ string) []string {
	return ask(ctx, cl, "/runs", func(r wire.Run) (names []string) {
		if r.Over == nil {
			names = []string{r.Name}
		}
		return names
	})
}

func (a *app) transmitters(ctx context.Context, cl *client, _ string) []string {
	return ask(ctx, cl, "/stations", func(s wire.Station) (names []string) {
		for _, p := range s.Ports {
			if p.Direction == "transmitter" {
				names = append(names, s.Name+"/"+p.ID)
			}
		}
		return names
	})
}
