package cli

import (
	"bytes"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"os"
	"strings"

	"github.com/spf13/cobra"

	"urbo/core/speech"
	"urbo/wire"
)

func (a *app) speech() *cobra.Command {
	return group("speech", "Let the house understand spoken words, without the internet",
		`Let the house understand spoken words, without the internet. A program on the machine that Urbo runs on makes words
of speech: PocketSphinx where it is installed (apt install pocketsphinx pocketsphinx-en-us),
	or one that urbo serve --speech
names. It knows the words of this house only. In the console, hold the microphone button of Say while you speak.

Speech is sometimes misheard. What was heard is shown with what it means,
	and is done when somebody says so. A phrase that
costs nothing can be trusted: that one is done at once.`, a.speechShow(), a.speechHear(), a.speechTrust(),
		a.speechDistrust(), a.speechGrammar())
}

func (a *app) speechShow() *cobra.Command {
	return &cobra.Command{Use: "show", Short: "Show which program recognises speech, and which phrases are trusted",
		Args: args(0, 0, "none"), Example: "  urbo speech show",
		RunE: func(c *cobra.Command, _ []string) error {
			var s wire.Speech
			if err := a.call(c.Context(), http.MethodGet, "/speech", nil, &s); err != nil {
				return err
			}
			if a.output == "json" {
				return a.json(s)
			}
			if s.Program == "" {
				fmt.Fprintln(a.Out, "No speech program is installed where Urbo runs: install pocketsphinx and "+
					"pocketsphinx-en-us there and start it again, or name one with urbo serve --speech.")
			} else {
				fmt.Fprintf(a.Out, "%s recognises what is said in up to %d s.\n", s.Program, s.LongestS)
			}
			if len(s.Trusted) == 0 {
				fmt.Fprintln(a.Out, "No phrase is trusted: each waits for a tap. See urbo speech trust.")
			}
			for _, t := range s.Trusted {
				fmt.Fprintf(a.Out, "%q is done without a tap.\n", t)
			}
			return nil
		}}
}

func (a *app) speechHear() *cobra.Command {
	return &cobra.Command{Use: "hear FILE", Short: "Show what a recording says, and what that means; nothing is done",
		Args: args(1, 1, "a WAV file, or - for standard input"),
		Long: `Show what a recording says, and what that means; nothing is done. The file has one channel, 16 bits and 16,000
samples a second, as arecord -f S16_LE -r 16000 -d 3 FILE writes it.`,
		Example: "  urbo speech hear said.wav",
		RunE: func(c *cobra.Command, argv []string) error {
			file, err := a.readSome(argv[0], int64(speech.MaxBytes)+1)
			if err != nil {
				return err
			}
			client, err := a.client()
			if err != nil {
				return err
			}
			var h wire.Heard
			if err := client.stream(c.Context(), http.MethodPost, "/speech", bytes.NewReader(file), &h); err != nil {
				return err
			}
			if a.output == "json" {
				return a.json(h)
			}
			fmt.Fprintf(a.Out, "Heard: %s\n", h.Text)
			switch {
			case h.Understood == nil:
				return unsureError{fmt.Errorf("%s", h.Trouble), false}
			case h.Understood.Does == "question":
				return a.asksBack(*h.Understood)
			}
			if err := a.means(*h.Understood); err != nil {
				return err
			}
			fmt.Fprintf(a.Out, "To do it: urbo say %s\n", h.Text)
			return nil
		}}
}

// readSome reads up to so many bytes of a file, or of standard input where it is -.
func (a *app) readSome(path string, most int64) ([]byte, error) {
	in := a.In
	if path != "-" {
		f, err := os.Open(path)
		if err != nil {
			return nil, fmt.Errorf("read the recording: %w", err)
		}
		defer f.Close()
		in = f
	}
	data, err := io.ReadAll(io.LimitReader(in, most))
	if err != nil {
		return nil, fmt.Errorf("read the recording: %w", err)
	}
	return data, nil
}

func (a *app) speechTrust() *cobra.Command {
	return &cobra.Command{Use: "trust PHRASE", Short: "Let a spoken phrase be done without a tap",
		Args: args(1, 100, "the phrase, as it is recognised"),
		Long: `Let a spoken phrase be done without a tap. It has to mean one thing, and may not cost anything where it is
misheard: no press of a key whatever the device is at, no rolling code, nothing that moves,
	and nothing that goes on from
where things are.`,
		Example: "  urbo speech trust boardwalk on",
		RunE: func(c *cobra.Command, argv []string) error {
			p := wire.TrustedPhrase{Text: strings.Join(argv, " ")}
			if err := a.call(c.Context(), http.MethodPost, "/speech/trusted", p, &p); err != nil {
				return err
			}
			return a.did(p, "A spoken %q is done without a tap from now on.", p.Text)
		}}
}

func (a *app) speechDistrust() *cobra.Command {
	return &cobra.Command{Use: "distrust PHRASE", Short: "Let a spoken phrase wait for a tap again",
		Args: args(1, 100, "the phrase"), Example: "  urbo speech trust amplifier off\n  urbo speech distrust " +
			"amplifier off",
		RunE: func(c *cobra.Command, argv []string) error {
			p := wire.TrustedPhrase{Text: strings.Join(argv, " ")}
			if err := a.call(c.Context(), http.MethodDelete, "/speech/trusted?text="+url.QueryEscape(p.Text), nil,
				nil); err != nil {
				return err
			}
			return a.did(p, "A spoken %q waits for a tap again.", p.Text)
		}}
}

func (a *app) speechGrammar() *cobra.Command {
	return &cobra.Command{Use: "grammar", Short: "Print what is recognised, in the JSpeech Grammar Format",
		Args: args(0, 0, "none"), Example: "  urbo speech grammar",
		RunE: func(c *cobra.Command, _ []string) error {
			client, err := a.client()
			if err != nil {
				return err
			}
			resp, err := client.send(c.Context(), http.MethodGet, "/speech/grammar", nil)
			if err != nil {
				return err
			}
			defer resp.Body.Close()
			_, err = io.Copy(a.Out, resp.Body)
			return err
		}}
}
