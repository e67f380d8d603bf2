package cli

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"urbo/core/notation"
	"urbo/core/recording"
	"urbo/wire"
)

func (a *app) deviceCode() *cobra.Command {
	var capture, file string
	var hand wire.HandCode
	var repeats int
	var gap time.Duration
	c := &cobra.Command{
		Use: "code DEVICE[/KEY] [CODE …]", Short: "Say by hand what a key sends",
		Args: args(1, -1, "DEVICE/KEY and a CODE, or DEVICE and -"),
		Long: `Say by hand what a key sends, instead of learning it. A CODE is one of
  a line code with its fields    nec address=57 command=0x02    (decimal, 0x or 0b; with a bits count: 0x02/8)
  a line code with its value     NEC 0x9C6340BF 32              (all bits of a frame; both ends are tried as the first)
  the positions of a socket's coding switches, up (1) or down (0), five for the house and five for the unit,
  and then on or off             switches 11010 01000 on
  durations in µs, mark first    2000 -1000 350 -700 350        (--hz says the carrier or channel)
  periods of a carrier           0000 006D 0022 0002 0157 …     (words of four hexadecimal digits)
  whatever holds one press       -                              (pasted or piped: titles, words and units do not matter)
Durations that are a known line code are kept as that.

With a DEVICE alone, - takes a text of many keys and gives each its code, all or none: lines of NAME: CODE, or presses,
each with its key's name before it (a title, a label, a name in JSON).

A key may send several codes: write "then" between them. --file takes what is in a recording, --capture what was
heard. What it sent before is kept (urbo device undo).`,
		Example: "  urbo device code boardwalk/power nec address=57 command=0x02\n" +
			"  urbo device code boardwalk/power nec 0x9c6340bf\n" +
			"  urbo device code boardwalk/both nec address=57 command=2 then nec address=57 command=5 --gap 60ms\n" +
			"  urbo device code dew-a/on switches 11010 01000 on\n" +
			"  urbo device code dew-a/odd \"2000/1000 350/700 350\" --hz 433920000\n" +
			"  urbo device code boardwalk/power --file power.wav#1\n" +
			"  urbo device code boardwalk/power - < pasted.txt\n" +
			"  urbo device code boardwalk - < keys.txt",
	}
	f := c.Flags()
	f.StringVar(&capture, "capture", "", "id of a capture: the key sends what was heard, clean")
	f.StringVar(&file, "file", "",
		"a recording, FILE or FILE#2 for its second press: the key sends what is in it, clean")
	f.IntVar(&hand.Hz, "hz", 0, "of durations: carrier (38000) or channel (433920000)")
	f.IntVar(&repeats, "repeats", 0, "how often the repeating part is sent; without it, as the line code says")
	f.DurationVar(&gap, "gap", 0, "least silence after each code")
	o := recordingFlags(c)
	c.RunE = func(c *cobra.Command, argv []string) error {
		if !strings.Contains(argv[0], "/") && len(argv) == 2 && argv[1] == "-" {
			hand.GapUS = int(gap / time.Microsecond)
			if c.Flags().Changed("repeats") {
				hand.Repeats = &repeats
			}
			return a.deviceCodes(c.Context(), argv[0], hand)
		}
		ref, err := parseKey(argv[0])
		if err != nil {
			return err
		}
		given := 0
		for _, is := range []bool{capture != "", file != "", len(argv) > 1} {
			if is {
				given++
			}
		}
		if given != 1 {
			return usageError{errors.New("give a CODE, or name a recording with --file, or a capture with --capture")}
		}
		if file != "" {
			if capture, err = a.captureOf(c.Context(), file, *o); err != nil {
				return err
			}
		}
		var d wire.Device
		if capture != "" {
			err = a.call(c.Context(), http.MethodPost, "/captures/"+url.PathEscape(capture)+"/keep", ref, &d)
		} else {
			if c.Flags().Changed("repeats") {
				hand.Repeats = &repeats
			}
			hand.Text, hand.GapUS = written(argv[1:]), int(gap/time.Microsecond)
			if hand.Text == "-" {
				if hand.Text, err = a.pasted(); err != nil {
					return err
				}
			}
			err = a.call(c.Context(), http.MethodPost, keyPath(ref)+"/code", hand, &d)
		}
		if err != nil {
			return err
		}
		return a.printKey(d, ref.Key)
	}
	return c
}

// deviceCodes gives keys of a device what is on standard input.
func (a *app) deviceCodes(ctx context.Context, slug string, hand wire.HandCode) (err error) {
	if hand.Text, err = a.pasted(); err != nil {
		return err
	}
	var d wire.Device
	if err := a.call(ctx, http.MethodPost, "/devices/"+url.PathEscape(slug)+"/codes", hand, &d); err != nil {
		return err
	}
	return a.printKey(d, "")
}

// written is a code as it was typed, in one argument or many.
func written(argv []string) string {
	words := make([]string, len(argv))
	for i, w := range argv {
		words[i] = given(w)
	}
	return strings.Join(words, " ")
}

// pasted is the text on standard input.
func (a *app) pasted() (string, error) {
	text, err := io.ReadAll(io.LimitReader(a.In, notation.MostText+1))
	if err == nil && len(text) > notation.MostText {
		err = usageError{fmt.Errorf("more than %d characters: paste one press of the key only", notation.MostText)}
	}
	return string(text), err
}

// captureOf makes one press of a recording a capture of the service, and tells its id.
func (a *app) captureOf(ctx context.Context, file string, o recording.Options) (string, error) {
	p, err := a.one(file, o)
	if err != nil {
		return "", err
	}
	var text bytes.Buffer
	s := recording.Signal{Name: "key", Trains: p.Trains, CarrierHz: p.CarrierHz}
	if err := recording.Export(&text, "vcd", s); err != nil {
		return "", err
	}
	cl, err := a.client()
	if err != nil {
		return "", err
	}
	name, _, _ := cutLast(file, "#")
	var found wire.Recording
	if err := cl.stream(ctx, http.MethodPost, "/bench/import?format=vcd&name="+url.QueryEscape(name), &text,
		&found); err != nil {
		return "", err
	}
	if len(found.Findings) != 1 {
		return "", fmt.Errorf("%s: the press has %s in it: name one with #", file,
			plural(len(found.Findings), "signal", "signals"))
	}
	return found.Findings[0].CaptureID, nil
}
