package cli

import (
	"bufio"
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"urbo/core/control"
	"urbo/wire"
)

// controlAsk is the wizard: it goes through what no key tells, lets each be tried on the spot, and keeps the controls.
func (a *app) controlAsk() *cobra.Command {
	return &cobra.Command{Use: "ask DEVICE [CONTROL]",
		Short: "Answer what no key tells about a device's controls, and keep them",
		Long: `Go through the controls that a device's keys suggest, and through what no key tells. Where all are kept already, it goes
through those that there are, and with a CONTROL through all that can be said of that one. What stands is shown: an
empty answer leaves it as it is, no takes it away, and ! presses the key that shows it.`,
		Args:    args(1, 2, "a DEVICE, and perhaps a CONTROL"),
		Example: "  urbo device control ask projector\n  urbo device control ask amplifier volume",
		RunE: func(c *cobra.Command, argv []string) error {
			p, err := a.toAsk(c, argv)
			if err != nil {
				return err
			}
			if len(p.Controls) == 0 {
				fmt.Fprintln(a.Out, "It has no controls yet, and its keys suggest none: urbo device control add.")
				return nil
			}
			a.printControls(p.Controls)
			answers := wire.Answers{}
			if len(argv) == 1 && p.proposed {
				answers.Controls = slices.Clone(p.Controls)
			}
			lines := bufio.NewScanner(a.In)
			for _, q := range p.Questions {
				i := slices.IndexFunc(p.Controls, func(c control.Control) bool { return c.Name == q.Control })
				text, err := a.askOne(c, argv[0], q, &p.Controls[i], lines)
				if err != nil {
					return err
				}
				if text != "" {
					answers.Answers = append(answers.Answers,
						control.Answer{Control: q.Control, Field: q.Field, Text: text})
				}
			}
			if len(answers.Controls)+len(answers.Answers) == 0 {
				fmt.Fprintln(a.Out, "\nIt stays as it is.")
				return nil
			}
			var d wire.Device
			if err := a.call(c.Context(), http.MethodPost, devicePath(argv[0])+"/controls/answers", answers,
				&d); err != nil {
				return err
			}
			fmt.Fprintln(a.Out, "\nKept:")
			a.printControls(slices.DeleteFunc(d.Controls, func(c control.Control) bool {
				return !slices.ContainsFunc(p.Controls, func(o control.Control) bool { return o.Name == c.Name })
			}))
			a.remark(d)
			return nil
		}}
}

// asking is what is asked, of controls that are proposed or there.
type asking struct {
	wire.Proposal
	proposed bool
}

// toAsk is what to ask: about the named control, else about proposals, else about all that there are.
func (a *app) toAsk(c *cobra.Command, argv []string) (out asking, err error) {
	if len(argv) == 1 {
		out.Proposal, err = a.proposal(c, argv[0])
		if out.proposed = len(out.Controls) > 0; out.proposed || err != nil {
			return out, err
		}
	}
	path := devicePath(argv[0]) + "/controls/questions"
	if len(argv) > 1 {
		path += "?control=" + url.QueryEscape(argv[1])
	}
	return out, a.call(c.Context(), http.MethodGet, path, nil, &out.Proposal)
}

// askOne asks one question until it is answered.
func (a *app) askOne(c *cobra.Command, slug string, q control.Question, form *control.Control,
	lines *bufio.Scanner) (string, error) {
	for {
		fmt.Fprintf(a.Out, "\n%s: %s (%s", q.Control, q.Text, q.How)
		if q.Try != "" {
			fmt.Fprintf(a.Out, "; ! presses %s", q.Try)
		}
		if q.Stands != "" {
			guess := ""
			if slices.Contains(form.Guessed, q.Field) {
				guess = ", a guess"
			}
			fmt.Fprintf(a.Out, "; now %s%s", q.Stands, guess)
		}
		fmt.Fprint(a.Out, ") ")
		if !lines.Scan() {
			return "", lines.Err()
		}
		text := strings.TrimSpace(lines.Text())
		if text == "!" && q.Try != "" {
			cl, err := a.client()
			if err != nil {
				return "", err
			}
			if _, err := cl.pressKey(c.Context(), wire.KeyRef{Device: slug, Key: q.Try},
				wire.PressRequest{Times: 1}); err != nil {
				fmt.Fprintln(a.Out, err)
			}
			continue
		}
		tried := *form
		if err := tried.Reply(q.Field, text); err != nil {
			fmt.Fprintln(a.Out, err)
			continue
		}
		*form = tried
		return text, nil
	}
}

// remark prints how what was said was understood.
func (a *app) remark(d wire.Device) {
	for _, r := range d.Remarks {
		fmt.Fprintln(a.Out, r)
	}
}
