package api

import (
	"context"
	"fmt"
	"io"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"urbo/core/grant"
	"urbo/core/speech"
	"urbo/wire"
)

// SpokenIn is a recording: its bytes are the body.
type SpokenIn struct {
	Act  bool `query:"act" doc:"Do it where the phrase is trusted; every other one is only shown"`
	file []byte
	err  error
}

// Resolve takes the body, which is at most one byte longer than what is read.
func (s *SpokenIn) Resolve(ctx huma.Context) []error {
	s.file, s.err = io.ReadAll(io.LimitReader(ctx.BodyReader(), int64(speech.MaxBytes)+1))
	return nil
}

// TrustedIn names a trusted phrase.
type TrustedIn struct {
	Text string `query:"text" minLength:"1" maxLength:"500" required:"true"`
}

// speech registers what is spoken to the house.
func (a *API) speech() {
	all := a.house.Speech
	call(a, operation{"GET", "/speech", "get-speech", "How speech is recognised", grant.See, anywhere, 0},
		func(context.Context, *nothing) (wire.Speech, error) {
			return wire.Speech{Program: all.Program(), Trusted: append([]string{}, all.Trusted()...),
				LongestS: int(speech.Longest.Seconds()), RateHz: speech.Rate}, nil
		})
	call(a, operation{"POST", "/speech", "hear-speech", "What a recording says, and what that means", grant.Use,
		filtered,
		0}, func(ctx context.Context, in *SpokenIn) (wire.Heard, error) {
		if in.err != nil {
			return wire.Heard{}, fmt.Errorf("%w: it broke off: %w", speech.ErrRecording, in.err)
		}
		h, err := all.Hear(ctx, in.file, in.Act, a.house.Speaker(asking(ctx), Caller(ctx).Grant))
		if err != nil {
			return wire.Heard{}, err
		}
		w := wire.Heard{Text: h.Text, Done: h.Done}
		if h.Error != nil {
			w.Trouble = h.Error.Error()
		} else {
			u := a.understood(ctx)(h.Meaning)
			w.Understood = &u
		}
		return w, nil
	})
	a.takes("/speech", "audio/wav", "A WAV file of one channel, 16 bits, and 16,000 samples a second")
	download(a, operation{"GET", "/speech/grammar", "get-speech-grammar",
		"What is recognised, in the JSpeech Grammar " +
			"Format", grant.Use, filtered, 0}, func(*nothing) string { return "text" },
		func(*nothing) string { return "house" },
		func(ctx context.Context, _ *nothing, w io.Writer) error {
			grammar, err := all.Grammar(ctx, a.house.Speaker(asking(ctx), Caller(ctx).Grant))
			if err == nil {
				_, err = io.WriteString(w, grammar)
			}
			return err
		})
	call(a, operation{"POST", "/speech/trusted", "trust-phrase", "Let a spoken phrase be done without a tap",
		grant.Keep,
		wholeHouse, http.StatusCreated},
		func(ctx context.Context, in *struct{ Body wire.TrustedPhrase }) (wire.TrustedPhrase, error) {
			return in.Body, all.Trust(ctx, in.Body.Text, a.house.Speaker(asking(ctx), Caller(ctx).Grant))
		})
	remove(a, operation{method: "DELETE", path: "/speech/trusted", id: "distrust-phrase",
		summary: "Let a spoken phrase wait for a tap again", right: grant.Keep, where: wholeHouse},
		func(ctx context.Context, in *TrustedIn) error { return all.Distrust(ctx, in.Text, asking(ctx)) })
}
