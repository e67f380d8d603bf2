// Package speech makes phrases of spoken words. What was heard is shown with what it means; it is done when somebody
// says so, or at once where the phrase is one of those that the house was told to trust, and costs nothing.
package speech

import (
	"context"
	"fmt"
	"io"
	"os"
	"slices"
	"strings"
	"sync"

	"urbo/core/control"
	"urbo/core/errand"
	"urbo/core/fault"
	"urbo/core/grant"
	"urbo/core/happening"
	"urbo/core/phrase"
	"urbo/core/run"
	"urbo/core/speech"
	"urbo/service/kept"
	"urbo/service/phrases"
	"urbo/service/stream"
)

// Errors that callers ask for.
var (
	ErrNone    = fault.New(fault.Later, "no speech program is installed")
	ErrNothing = fault.New(fault.Invalid, "no words were recognised")
	ErrBusy    = fault.New(fault.Busy, "others are speaking to the house")
	ErrPhrase  = fault.New(fault.Invalid, "trusted phrase")
	ErrUnknown = fault.New(fault.NotFound, "unknown trusted phrase")
)

// Bounds.
const (
	mostTrusted = 100 // phrases
	mostWaiting = 4   // recordings that wait while another one is recognised
)

const version = 1

// Recogniser makes words of a recording.
type Recogniser interface {
	Name() string
	// Hear gives the words of a recording of speech.Rate, "" where none are recognised. grammar is in the JSpeech
	// Grammar Format, and dictionary has the phones of its words.
	Hear(ctx context.Context, recording []int16, grammar, dictionary string) (string, error)
}

// trusted is what is kept.
type trusted struct {
	Phrases []string `json:"phrases"`
}

// Config of speech.
type Config struct {
	Store      kept.Store
	Recogniser Recogniser // nil where there is none
	Words      string     // the file with the pronunciation of many words, "" for none
	Phrases    *phrases.Phrases
	Stream     *stream.Stream
}

// Speech makes phrases of spoken words.
type Speech struct {
	Config
	doc *kept.Document[trusted]

	turn    chan struct{} // one recording is recognised at a time: it takes a whole processor
	waiting chan struct{}

	mu      sync.Mutex
	written [2]string // grammar and dictionary of everything
	of      *phrase.Grammar
}

// Open reads the phrases that are trusted.
func Open(ctx context.Context, c Config) (*Speech, error) {
	doc, err := kept.Open[trusted](ctx, c.Store, kept.Kind{Row: "speech", Version: version,
		What: "the phrases that are trusted", Until: ": every spoken phrase waits for a tap until they are given anew"},
		c.Stream)
	return &Speech{Config: c, doc: doc, turn: make(chan struct{}, 1), waiting: make(chan struct{}, mostWaiting)}, err
}

// Program is the name of the speech program, "" where there is none.
func (s *Speech) Program() string {
	if s.Recogniser == nil {
		return ""
	}
	return s.Recogniser.Name()
}

// Heard is what became of a recording.
type Heard struct {
	Text    string // the words
	Meaning phrases.Answer
	Error   error // why the words mean nothing
	Done    bool  // it was done at once
}

// Hear recognises a recording, and says what it means to a speaker. It does nothing, except where the phrase is
// trusted. Errors wrap speech.ErrRecording, ErrNone, ErrBusy, ErrNothing, or are the recogniser's.
func (s *Speech) Hear(ctx context.Context, file []byte, act bool, who phrases.Speaker) (Heard, error) {
	x, err := speech.ReadWAV(file)
	if err != nil {
		return Heard{}, err
	}
	if s.Recogniser == nil {
		return Heard{}, fmt.Errorf("%w: install pocketsphinx and pocketsphinx-en-us where Urbo runs, start "+
			"it again, or name one with urbo serve --speech", ErrNone)
	}
	grammar, dictionary, err := s.grammar(ctx, who)
	if err != nil {
		return Heard{}, err
	}
	select {
	case s.waiting <- struct{}{}:
		defer func() { <-s.waiting }()
	default:
		return Heard{}, fmt.Errorf("%w: say it again in a moment", ErrBusy)
	}
	select {
	case s.turn <- struct{}{}:
	case <-ctx.Done():
		return Heard{}, ctx.Err()
	}
	text, err := s.Recogniser.Hear(ctx, x, grammar, dictionary)
	<-s.turn
	switch {
	case err != nil:
		return Heard{}, err
	case text == "":
		return Heard{}, fmt.Errorf("%w: hold the button while you speak, and say it as the house calls it", ErrNothing)
	}
	h := Heard{Text: text}
	h.Meaning, h.Error = s.Phrases.Understand(ctx, text, who)
	if h.Error == nil && act && s.acts(text, h.Meaning) {
		h.Meaning, h.Error = s.Phrases.Do(ctx, text, h.Meaning.Words, who)
		h.Done = h.Error == nil
	}
	return h, nil
}

// acts says whether a phrase is done without a tap: it is trusted, means one thing, and can be done now.
func (s *Speech) acts(text string, a phrases.Answer) bool {
	return a.Question == "" && a.Trouble == "" && s.costs(a) == "" && slices.ContainsFunc(s.doc.Get().Phrases,
		func(p string) bool {
			return errand.SameWords(p, text)
		})
}

// grammar is what is recognised of a speaker, and how its words are pronounced.
func (s *Speech) grammar(ctx context.Context, who phrases.Speaker) (grammar, dictionary string, err error) {
	g := s.Phrases.Grammar(ctx)
	if who.Sees == nil {
		s.mu.Lock()
		defer s.mu.Unlock()
		if s.of == g {
			return s.written[0], s.written[1], nil
		}
	}
	spoken := g.Spoken(who.Sees)
	said, err := s.pronounce(spoken.Words())
	if err != nil {
		return "", "", err
	}
	grammar = spoken.JSGF(func(word string) bool { return len(said[word]) > 0 })
	dictionary = said.Dictionary()
	if who.Sees == nil {
		s.of, s.written = g, [2]string{grammar, dictionary}
	}
	return grammar, dictionary, nil
}

// Grammar is what is recognised of a speaker, in the JSpeech Grammar Format.
func (s *Speech) Grammar(ctx context.Context, who phrases.Speaker) (string, error) {
	grammar, _, err := s.grammar(ctx, who)
	return grammar, err
}

func (s *Speech) pronounce(words []string) (speech.Pronounced, error) {
	if s.Words == "" {
		return speech.Pronounce(words, nil)
	}
	f, err := os.Open(s.Words)
	if err != nil {
		return nil, fmt.Errorf("read how words are pronounced: %w", err)
	}
	defer f.Close()
	return speech.Pronounce(words, io.Reader(f))
}

// Trusted are the phrases that are done without a tap.
func (s *Speech) Trusted() []string { return s.doc.Get().Phrases }

// Trust lets a phrase be done without a tap where somebody speaks it. It has to mean one thing that costs nothing:
// errands that wait for it, an occasion, or controls of devices that can be set back. Errors wrap ErrPhrase, or are
// those of Understand.
func (s *Speech) Trust(ctx context.Context, text string, who phrases.Speaker) error {
	a, err := s.Phrases.Understand(ctx, text, who)
	switch {
	case err != nil:
		return err
	case a.Question != "":
		return fmt.Errorf("%w: it can mean several things: %s", ErrPhrase, a.Question)
	}
	if costs := s.costs(a); costs != "" {
		return fmt.Errorf("%w: it %s, and speech is sometimes misheard: such a phrase waits for a tap", ErrPhrase,
			costs)
	}
	_, _, err = s.doc.Change(ctx, func(t trusted) (trusted, error) {
		if slices.ContainsFunc(t.Phrases, func(p string) bool { return errand.SameWords(p, text) }) {
			return t, nil
		}
		if len(t.Phrases) >= mostTrusted {
			return t, fmt.Errorf("%w: there are %d, the most: take one away first", ErrPhrase, mostTrusted)
		}
		return trusted{append(slices.Clone(t.Phrases), text)}, nil
	})
	if err == nil {
		s.note("A spoken “"+text+"” is done without a tap from now on.", who.By)
	}
	return err
}

// Distrust lets a phrase wait for a tap again. It wraps ErrUnknown where it is not trusted.
func (s *Speech) Distrust(ctx context.Context, text string, by grant.By) error {
	_, _, err := s.doc.Change(ctx, func(t trusted) (trusted, error) {
		rest := slices.DeleteFunc(slices.Clone(t.Phrases), func(p string) bool { return errand.SameWords(p, text) })
		if len(rest) == len(t.Phrases) {
			return t, fmt.Errorf("%w: %s", ErrUnknown, text)
		}
		return trusted{rest}, nil
	})
	if err == nil {
		s.note("A spoken “"+text+"” waits for a tap again.", by)
	}
	return err
}

func (s *Speech) note(text string, by grant.By) {
	s.Stream.Publish(happening.Happening{By: by, What: happening.HouseNote{Severity: "info", Text: text}})
}

// costs says what of a phrase is not to be done unseen, "" for nothing.
func (s *Speech) costs(a phrases.Answer) string {
	if a.Does == string(phrase.Again) || a.Does == string(phrase.Undo) {
		return "means another thing each time"
	}
	about := run.Targets(a.Steps)
	for _, slug := range a.Errands {
		if e, err := s.Phrases.Errands.Find(slug); err == nil {
			about = append(about, e.Doc.Errand.Targets()...)
		}
	}
	for _, st := range a.Steps {
		if st.Press != nil {
			return "presses a key, whatever the device is at"
		}
		if st.Set != nil && slices.ContainsFunc(st.Set.Changes, func(c run.Wanted) bool {
			return strings.HasPrefix(c.Value, "up ") || strings.HasPrefix(c.Value, "down ")
		}) {
			return "goes on from where things are"
		}
	}
	for _, id := range s.Phrases.Targets.AllDevices(about) {
		d, err := s.Phrases.Library.ByID(id)
		if err != nil {
			continue
		}
		if s.Phrases.Rolls(d) {
			return "is about " + d.Name + ", whose rolling code is used up by each press"
		}
		if spec, err := s.Phrases.Targets.Beliefs.Spec(id); err == nil && slices.ContainsFunc(spec.Controls(),
			func(c control.Control) bool { return c.Kind == control.Travel }) {
			return "is about " + d.Name + ", which moves"
		}
	}
	return ""
}
