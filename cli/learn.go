package cli

import (
	"bufio"
	"bytes"
	"context"
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"urbo/core/device"
	"urbo/wire"
)

func (a *app) learn() *cobra.Command {
	var takes int
	var resume, free bool
	c := &cobra.Command{
		Use: "learn DEVICE [KEY …]", Short: "Learn keys of a device from its handset",
		Args: args(1, -1, "DEVICE and perhaps KEYs"),
		Long: `Learn keys of a device from its handset, one after another: press, release, press again.
Without keys it asks for all that are not learned yet; where the device has none at all, press what you like and name
it. While it runs you can type
skip, back, redo KEY, add KEY, accept (take a refused press after all), code CODE (give the asked key what you have of
it, as urbo device code takes it), pause or finish. Ctrl-C pauses it too.
With --free no key is asked for: press what you like, each key twice, and type name KEY NEW-NAME, drop KEY or finish.

A lesson survives a restart of the service; --resume goes on with the one of the device.`,
		Example: "  urbo learn projector\n  urbo learn projector on off\n  urbo learn projector --free",
		RunE: func(c *cobra.Command, argv []string) error {
			cl, err := a.client()
			if err != nil {
				return err
			}
			if resume {
				return a.goOn(c.Context(), cl, argv[0])
			}
			if device, key, is := strings.Cut(argv[0], "/"); is { // as a key is written elsewhere
				argv = append([]string{device, key}, argv[1:]...)
			}
			n := wire.NewLesson{Device: argv[0], Keys: argv[1:], Needed: takes, Free: free}
			if free && len(n.Keys) > 0 {
				return usageError{errors.New("--free asks for no key: name them while it runs, or afterwards")}
			}
			if err := a.knownOrAdded(c.Context(), cl, n.Device); err != nil {
				return err
			}
			if reason := a.deaf(c.Context(), cl); reason != "" {
				fmt.Fprintln(a.Err, reason)
			}
			return a.follow(c.Context(), cl, func(l *wire.Lesson) error {
				return cl.do(c.Context(), http.MethodPost, "/lessons", n, l)
			})
		},
	}
	c.Flags().IntVar(&takes, "takes", 2, "takes of a key that must agree, 1 to 5")
	c.Flags().BoolVar(&a.plain, "plain", false, "line by line, also on a terminal")
	c.Flags().BoolVar(&free, "free", false, "press keys in any order, and name them later: name KEY NEW-NAME")
	c.Flags().BoolVar(&resume, "resume", false, "go on with the device's lesson")
	return c
}

// knownOrAdded sees to it that a device is there: where it is not, it offers to add it.
func (a *app) knownOrAdded(ctx context.Context, cl *client, slug string) error {
	var d wire.Device
	err := cl.do(ctx, http.MethodGet, "/devices/"+url.PathEscape(slug), nil, &d)
	var refused *refusalError
	if !errors.As(err, &refused) || refused.status != http.StatusNotFound {
		return err
	}
	if !a.onTerminal() {
		return fmt.Errorf("%w; or add it first: urbo device add %q", err, slug)
	}
	fmt.Fprintf(a.Err, "%v.\n", err)
	if err := a.sure("Add a device called "+slug+" now?", false); err != nil {
		return errors.New("no device was added")
	}
	fmt.Fprint(a.Err, "What kind is it ("+strings.Join(device.KindNames(), ", ")+")? ")
	kind, _ := bufio.NewReader(a.In).ReadString('\n')
	return cl.do(ctx, http.MethodPost, "/devices", wire.NewDevice{Name: slug, Kind: strings.TrimSpace(kind)}, &d)
}

// goOn resumes the lesson of a device that is not over.
func (a *app) goOn(ctx context.Context, cl *client, device string) error {
	var all []wire.Lesson
	if err := cl.do(ctx, http.MethodGet, "/lessons", nil, &all); err != nil {
		return err
	}
	for _, l := range all {
		if l.Device == device && (l.State == "running" || l.State == "paused") {
			return a.follow(ctx, cl, func(out *wire.Lesson) error {
				return cl.do(ctx, http.MethodPost, "/lessons/"+l.ID+"/steps", wire.LessonStep{Do: "resume"}, out)
			})
		}
	}
	return fmt.Errorf("no lesson of %s waits: start one with urbo learn %s", device, device)
}

// follow starts a lesson, or goes on with one, and shows it until it is over: on the whole terminal where there is
// one, else line by line. When the command is interrupted the lesson waits, and what is settled stays.
func (a *app) follow(ctx context.Context, cl *client, begin func(*wire.Lesson) error) error {
	var l wire.Lesson
	show := a.followByLine
	if !a.plain && a.onTerminal() {
		show = a.followOnScreen
	}
	err := show(ctx, cl, &l, begin)
	if ctx.Err() != nil && l.ID != "" {
		quit, cancel := context.WithTimeout(context.WithoutCancel(ctx), 5*time.Second)
		defer cancel()
		fmt.Fprintf(a.Err, "The lesson waits. Go on with: urbo learn %s --resume\n", l.Device)
		return a.lessonStep(quit, cl, l.ID, wire.LessonStep{Do: "pause"})
	}
	if err == nil && l.State == "paused" {
		fmt.Fprintf(a.Err, "Go on with: urbo learn %s --resume\n", l.Device)
		return nil
	}
	if err == nil && !anySettled(l) {
		return errors.New("no key was learned")
	}
	if err == nil {
		suggest(ctx, a, cl, l.Device)
	}
	return err
}

// suggest says how what can only be followed is sent, and which controls the keys of a device suggest, where it has
// none yet.
func suggest(ctx context.Context, a *app, cl *client, slug string) {
	var d wire.Device
	var p wire.Proposal
	if cl.do(ctx, http.MethodGet, devicePath(slug), nil, &d) != nil {
		return
	}
	if slices.ContainsFunc(d.Keys, func(k wire.Key) bool { return len(k.Codes) == 0 && len(k.Heard) > 0 }) {
		fmt.Fprintf(a.Err, "To send those that are only followed: urbo device pair %s\n", slug)
	}
	if len(d.Controls) > 0 ||
		cl.do(ctx, http.MethodGet, devicePath(slug)+"/controls/proposal", nil, &p) != nil || len(p.Controls) == 0 {
		return // it is only a hint
	}
	names := make([]string, len(p.Controls))
	for i, c := range p.Controls {
		names[i] = c.Name
	}
	fmt.Fprintf(a.Err, "Its keys suggest controls (%s): urbo device control ask %s\n", strings.Join(names, ", "), slug)
}

// followByLine prints what is new in a lesson, and takes steps that are typed.
func (a *app) followByLine(ctx context.Context, cl *client, l *wire.Lesson, begin func(*wire.Lesson) error) error {
	var shown follower
	start := func() error {
		if err := begin(l); err != nil {
			return err
		}
		shown.show(a, *l)
		go a.typed(ctx, func(line string) error {
			line = strings.TrimSpace(line)
			words := strings.Fields(line)
			if len(words) == 0 {
				return nil
			}
			return a.lessonStep(ctx, cl, l.ID, typedStep(words[0], strings.TrimPrefix(line, words[0])))
		})
		return nil
	}
	return a.lessonEvents(ctx, cl, l, start, func(now wire.Lesson) { shown.show(a, now) })
}

// lessonEvents keeps l as it is now until it does not run any more, and shows each change.
func (a *app) lessonEvents(ctx context.Context, cl *client, l *wire.Lesson, start func() error,
	show func(wire.Lesson)) error {
	return cl.events(ctx, start, func(name string, data []byte) error {
		var now wire.Lesson
		if name != "lesson" {
			return nil
		}
		if err := decode(bytes.NewReader(data), &now); err != nil || now.ID != l.ID {
			return err
		}
		show(now)
		*l = now
		if now.State != "running" {
			return errStop
		}
		return nil
	})
}

// typedStep is a step with what was typed for it.
func typedStep(do, text string) wire.LessonStep {
	if do == "code" {
		return wire.LessonStep{Do: do, Code: strings.TrimSpace(text)}
	}
	words := append(strings.Fields(text), "", "")
	return wire.LessonStep{Do: do, Key: words[0], As: words[1]}
}

func (a *app) lessonStep(ctx context.Context, cl *client, id string, step wire.LessonStep) error {
	return cl.do(ctx, http.MethodPost, "/lessons/"+id+"/steps", step, nil)
}

func anySettled(l wire.Lesson) bool {
	for _, k := range l.Keys {
		if k.State == "settled" {
			return true
		}
	}
	return false
}

// typed passes on the lines that are typed, and prints what is refused.
func (a *app) typed(ctx context.Context, pass func(line string) error) {
	lines := bufio.NewScanner(a.In)
	for lines.Scan() && ctx.Err() == nil {
		if err := pass(strings.TrimSpace(lines.Text())); err != nil && ctx.Err() == nil {
			fmt.Fprintln(a.Err, err)
		}
	}
}

// follower prints what is new in a lesson.
type follower struct {
	take    string // what was last told of a take
	prompt  string
	hint    string
	settled map[string]bool
}

func (f *follower) show(a *app, l wire.Lesson) {
	if a.output == "json" {
		_ = a.jsonLine(l)
		return
	}
	if l.Last != nil && l.Last.CaptureID+l.Last.Text != f.take {
		f.take = l.Last.CaptureID + l.Last.Text
		reading := "no line code"
		if r := l.Last.Reading; r != nil {
			reading = r.Sheet + " " + fields(r.Fields)
		}
		fmt.Fprintf(a.Out, "    %s — %s\n", reading, l.Last.Text)
		if l.Last.Allowable && l.Last.Key == l.Key {
			fmt.Fprintln(a.Out, "    On purpose? Type accept to take it.")
		}
	}
	if f.settled == nil {
		f.settled = map[string]bool{}
	}
	for _, k := range l.Keys {
		if k.State == "settled" && !f.settled[k.Name] {
			f.settled[k.Name] = true
			how := "is learned"
			if k.Rolling {
				how = "is followed"
			}
			fmt.Fprintf(a.Out, "  ✓ %s %s: %s\n", k.Name, how, code(*k.Code))
		}
	}
	if l.Hint != f.hint {
		if f.hint = l.Hint; l.Hint != "" {
			fmt.Fprintln(a.Out, "    "+l.Hint)
		}
	}
	if l.Prompt != f.prompt {
		f.prompt = l.Prompt
		fmt.Fprintln(a.Out, l.Prompt)
	}
}
