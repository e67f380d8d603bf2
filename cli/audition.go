package cli

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"net/http"
	"strconv"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"urbo/wire"
)

func (a *app) audition() *cobra.Command {
	var n wire.NewAudition
	var pause time.Duration
	var sweep string
	var plan, resume bool
	c := &cobra.Command{
		Use: "audition DEVICE", Short: "Find the codes of a device that has no handset any more",
		Args: args(1, 1, "DEVICE"),
		Long: `Find the codes of a device that has no handset any more: stand where you see it. Urbo plays the
chosen function of one code set after another. Press Enter when the device reacts, and answer what it asks: it plays
the last ones again to be sure, and then every other key of the set. Only confirmed keys are kept; a set that fits
only half is refused.

While it runs you can type: Enter (it reacted), yes, no, unsure (it cannot be told), another (another key first),
switch (it is off now: play the function first), skip, back, again, pause, resume, keep or finish. With --sweep it
plays the values of one field of a line code instead. --plan says how long it takes, and plays nothing.`,
		Example: "  urbo audition mixer --plan\n  urbo audition mixer --kind fan\n" +
			"  urbo audition boardwalk --sweep \"nec address=55..60 command=2\"",
		RunE: func(c *cobra.Command, argv []string) error {
			n.Device, n.PauseMS = argv[0], int(pause/time.Millisecond)
			if pause != 0 && n.PauseMS < 500 || n.PauseMS > 30_000 {
				return usageError{fmt.Errorf("--pause is 500ms to 30s, not %s", pause)}
			}
			if sweep != "" {
				s, err := parseSweep(sweep)
				if err != nil {
					return usageError{err}
				}
				n.Sweep = s
			}
			if plan {
				var p wire.AuditionPlan
				if err := a.call(c.Context(), http.MethodPost, "/auditions/plan", n, &p); err != nil {
					return err
				}
				return a.printAuditionPlan(p)
			}
			cl, err := a.client()
			if err != nil {
				return err
			}
			begin := func(out *wire.Audition) error {
				var p wire.AuditionPlan
				if err := cl.do(c.Context(), http.MethodPost, "/auditions/plan", n, &p); err != nil {
					return err
				}
				if len(p.Moves) > 0 && a.output != "json" {
					fmt.Fprintln(a.Out, "It moves what is there already: "+strings.Join(p.Moves, ", "))
				}
				return cl.do(c.Context(), http.MethodPost, "/auditions", n, out)
			}
			if resume {
				begin = func(out *wire.Audition) error { return resumeAudition(c.Context(), cl, argv[0], out) }
			}
			return a.watch(c.Context(), cl, begin)
		},
	}
	f := c.Flags()
	f.StringVar(&n.Function, "function", "", "the key that is played: power where it is left out; climate for sets "+
		"whose frames carry everything, which a device that sends its whole state has by itself")
	f.StringVar(&n.Kind, "kind", "", "only sets of this kind of device")
	f.StringSliceVar(&n.Sets, "set", nil, "only these code sets")
	f.DurationVar(&pause, "pause", 2500*time.Millisecond, "between two codes")
	f.StringVar(&sweep, "sweep", "", "a line code with its fields, one of them a range: \"nec address=0..255 "+
		"command=2\"")
	f.BoolVar(&plan, "plan", false, "say what would be played and how long it takes")
	f.BoolVar(&resume, "resume", false, "go on with the device's audition")
	return c
}

// parseSweep reads "nec address=0..255 command=2".
func parseSweep(text string) (*wire.Sweep, error) {
	words := strings.Fields(text)
	if len(words) < 2 {
		return nil, fmt.Errorf("--sweep %q: write a line code and its fields, like \"nec address=0..255 command=2\"",
			text)
	}
	s := &wire.Sweep{Sheet: words[0], Fields: map[string]any{}}
	for _, w := range words[1:] {
		name, value, ok := strings.Cut(w, "=")
		if !ok {
			return nil, fmt.Errorf("--sweep: %q: write FIELD=VALUE or FIELD=FROM..TO", w)
		}
		from, to, swept := strings.Cut(value, "..")
		lo, err := strconv.ParseInt(from, 0, 64)
		if err != nil && swept {
			return nil, fmt.Errorf("--sweep: %q: write whole numbers, like 0..255", w)
		}
		switch {
		case !swept && err != nil:
			s.Fields[name] = value
		case !swept:
			s.Fields[name] = lo
		case s.Field != "":
			return nil, fmt.Errorf("--sweep: %s and %s are ranges: one can be swept at a time", s.Field, name)
		default:
			s.Field, s.From = name, lo
			if s.To, err = strconv.ParseInt(to, 0, 64); err != nil {
				return nil, fmt.Errorf("--sweep: %q: write whole numbers, like 0..255", w)
			}
		}
	}
	if s.Field == "" {
		return nil, errors.New("--sweep: give one field a range, like address=0..255")
	}
	return s, nil
}

func (a *app) printAuditionPlan(p wire.AuditionPlan) error {
	if a.output == "json" {
		return a.json(p)
	}
	fmt.Fprintln(a.Out, p.Text)
	if len(p.Sets) > 0 {
		fmt.Fprintln(a.Out, "In this order: "+strings.Join(p.Sets, ", ")+".")
	}
	return nil
}

// resumeAudition goes on with the audition of a device that is not over.
func resumeAudition(ctx context.Context, cl *client, device string, out *wire.Audition) error {
	var all []wire.Audition
	if err := cl.do(ctx, http.MethodGet, "/auditions", nil, &all); err != nil {
		return err
	}
	for _, au := range all {
		if au.Device == device && !auditionOver(au) {
			return cl.do(ctx, http.MethodPost, "/auditions/"+au.ID+"/steps", wire.AuditionStep{Do: "resume"}, out)
		}
	}
	return fmt.Errorf("no audition of %s waits: start one with urbo audition %s", device, device)
}

func auditionOver(au wire.Audition) bool {
	return au.Phase == "found" || au.Phase == "nothing" || au.Phase == "ended"
}

// watch starts an audition, or goes on with one, and prints it until it is over. When the command is interrupted the
// audition waits, to be resumed.
func (a *app) watch(ctx context.Context, cl *client, begin func(*wire.Audition) error) error {
	var au wire.Audition
	var shown auditioned
	step := func(ctx context.Context, do string) error {
		return cl.do(ctx, http.MethodPost, "/auditions/"+au.ID+"/steps", wire.AuditionStep{Do: do}, nil)
	}
	start := func() error {
		if err := begin(&au); err != nil {
			return err
		}
		shown.show(a, au)
		go a.typed(ctx, func(line string) error { return step(ctx, answered(line)) })
		return nil
	}
	err := cl.events(ctx, start, func(name string, data []byte) error {
		var now wire.Audition
		if name != "audition" {
			return nil
		}
		if err := decode(bytes.NewReader(data), &now); err != nil || now.ID != au.ID {
			return err
		}
		shown.show(a, now)
		au = now
		if auditionOver(now) && now.Best == "" {
			return errStop
		}
		return nil
	})
	if ctx.Err() != nil && au.ID != "" {
		quit, cancel := context.WithTimeout(context.WithoutCancel(ctx), 5*time.Second)
		defer cancel()
		fmt.Fprintf(a.Err, "Go on with: urbo audition %s --resume\n", au.Device)
		return step(quit, "pause")
	}
	if err == nil && len(au.Kept) == 0 {
		return errors.New("no code was found")
	}
	if err == nil {
		suggest(ctx, a, cl, au.Device)
	}
	return err
}

// answers are what can be said to a question.
func answers(au wire.Audition) string {
	switch {
	case au.Phase == "walking" && au.Key != "":
		return " [yes, no, unsure, another key first, switch it first, skip]"
	case au.Phase == "playing":
		return " [yes, no]"
	}
	return " [yes, no, unsure]"
}

// answered turns what was typed into a step: Enter alone says that it reacted, and y and n are enough.
func answered(line string) string {
	switch line {
	case "another key first":
		return "another"
	case "switch it first":
		return "switch"
	case "":
		return "reacted"
	case "y":
		return "yes"
	case "n":
		return "no"
	case "u", "cannot tell":
		return "unsure"
	}
	return line
}

// auditioned prints what is new in an audition.
type auditioned struct {
	prompt, trouble string
	refused         int
}

func (s *auditioned) show(a *app, au wire.Audition) {
	if a.output == "json" {
		_ = a.jsonLine(au)
		return
	}
	for _, r := range au.Refused[min(s.refused, len(au.Refused)):] {
		fmt.Fprintln(a.Out, "  "+r.Text)
	}
	s.refused = len(au.Refused)
	if au.Trouble != s.trouble {
		if s.trouble = au.Trouble; au.Trouble != "" {
			fmt.Fprintf(a.Out, "  It did not go out: %s\n", au.Trouble)
		}
	}
	if au.Prompt == s.prompt {
		return
	}
	s.prompt = au.Prompt
	switch {
	case au.Asks:
		fmt.Fprintln(a.Out, au.Prompt+answers(au))
	case au.Best != "":
		fmt.Fprintf(a.Out, "%s Type keep to keep those, or finish.\n", au.Prompt)
	default:
		fmt.Fprintln(a.Out, au.Prompt)
	}
}
