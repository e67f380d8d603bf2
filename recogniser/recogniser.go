// Package recogniser runs a program that makes words of speech, on this machine: PocketSphinx where it is installed, or
// any program that takes a WAV file and prints a line. The program comes into a sandbox, has a time limit, and what it
// prints is bounded.
package recogniser

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"syscall"
	"time"
	"unicode/utf8"

	"urbo/core/fault"
	"urbo/core/speech"
)

// Errors that callers ask for.
var (
	ErrProgram = fault.New(fault.Later, "the speech program")
	ErrLate    = fault.New(fault.Later, "the speech program took too long")
)

// Bounds of a recognition.
const (
	// limit is how long a program may take.
	limit = 8 * time.Second
	// mostPrinted is how much is read of what it prints; more ends it.
	mostPrinted = 16 << 10
	// mostLine is how much of its line counts, in bytes.
	mostLine = 500
	// pause is between a recording and itself, in samples.
	pause = speech.Rate
)

// Names of what a program is given, as its arguments name them.
const (
	wavArg, grammarArg, dictionaryArg = "{wav}", "{grammar}", "{dictionary}"
)

// Program is a program that recognises speech.
type Program struct {
	args []string
	// Words is the file with the pronunciation of many words, "" for none.
	Words string
	// twice says that it gets each recording twice, with a pause between: it learns how a voice and a room sound from
	// what comes first, and recognises much more of what comes second.
	twice bool
	limit time.Duration
}

// Where Debian's PocketSphinx is.
const (
	sphinx      = "pocketsphinx_continuous"
	sphinxModel = "/usr/share/pocketsphinx/model/en-us/en-us"
	sphinxWords = "/usr/share/pocketsphinx/model/en-us/cmudict-en-us.dict"
)

// New finds the program of a setting: "auto" is PocketSphinx where it is installed, "off" is none, and everything else
// is a program with its arguments, with spaces between them, of which {wav}, {grammar} and {dictionary} name files. It
// is nil where there is none.
func New(setting string) (*Program, error) {
	switch setting = strings.TrimSpace(setting); setting {
	case "off":
		return nil, nil
	case "auto", "":
		path, err := exec.LookPath(sphinx)
		if err != nil {
			return nil, nil
		}
		for _, needed := range []string{sphinxModel, sphinxWords} {
			if _, err := os.Stat(needed); err != nil {
				return nil, nil
			}
		}
		// Beams and penalties were tried with the voices of docs/voice.md.
		return &Program{args: []string{path, "-infile", wavArg, "-hmm", sphinxModel, "-dict", dictionaryArg, "-jsgf",
			grammarArg, "-remove_noise", "no", "-beam", "1e-80", "-wbeam", "1e-50", "-pbeam", "1e-80", "-wip", "0.05",
			"-logfn", "/dev/null"}, Words: sphinxWords, twice: true, limit: limit}, nil
	}
	args := strings.Fields(setting)
	path, err := exec.LookPath(args[0])
	if err != nil {
		return nil, fmt.Errorf("the speech program: %w: give the path of a program that is there, auto, or off", err)
	}
	if path, err = filepath.Abs(path); err != nil {
		return nil, err
	}
	if !strings.Contains(setting, wavArg) {
		return nil, fmt.Errorf("the speech program: one of its arguments has to be %s, the file with the recording",
			wavArg)
	}
	args[0] = path
	p := &Program{args: args, limit: limit}
	if _, err := os.Stat(sphinxWords); err == nil {
		p.Words = sphinxWords
	}
	return p, nil
}

// Name is the program, for people.
func (p *Program) Name() string { return filepath.Base(p.args[0]) }

// Hear gives the words of a recording of speech.Rate, "" where none are recognised. It wraps ErrProgram or ErrLate
// where the program fails.
func (p *Program) Hear(ctx context.Context, x []int16, grammar, dictionary string) (string, error) {
	if p.twice {
		x = slices.Concat(x, make([]int16, pause), x)
	}
	dir, err := os.MkdirTemp("", "urbo-speech-")
	if err != nil {
		return "", fmt.Errorf("keep the recording for the speech program: %w", err)
	}
	defer os.RemoveAll(dir)
	args := make([]string, len(p.args))
	copy(args, p.args)
	for _, f := range []struct{ arg, name, content string }{{wavArg, "said.wav", string(speech.WriteWAV(x))},
		{grammarArg, "house.gram", grammar}, {dictionaryArg, "words.dict", dictionary}} {
		file := filepath.Join(dir, f.name)
		if err := os.WriteFile(file, []byte(f.content), 0o600); err != nil {
			return "", fmt.Errorf("keep the recording for the speech program: %w", err)
		}
		for i, a := range args {
			args[i] = strings.ReplaceAll(a, f.arg, file)
		}
	}
	ctx, cancel := context.WithTimeout(ctx, p.limit)
	defer cancel()
	printed, err := p.run(ctx, dir, args)
	switch {
	case errors.Is(ctx.Err(), context.DeadlineExceeded):
		return "", fmt.Errorf("%w: it was ended after %.0f seconds", ErrLate, p.limit.Seconds())
	case ctx.Err() != nil:
		return "", ctx.Err()
	case err != nil:
		return "", fmt.Errorf("%w %s failed: %w", ErrProgram, p.Name(), err)
	}
	return p.line(printed)
}

// run runs the program in the sandbox, and gives what it printed.
func (p *Program) run(ctx context.Context, dir string, args []string) ([]byte, error) {
	ctx, tooMuch := context.WithCancel(ctx)
	defer tooMuch()
	out, trouble := &bounded{most: mostPrinted, over: tooMuch}, &bounded{most: mostPrinted, over: func() {}}
	var err error
	for _, flags := range sandboxes {
		var c *exec.Cmd
		if c, err = inSandbox(ctx, dir, args, flags); err != nil {
			return nil, err
		}
		c.Stdout, c.Stderr = out, trouble
		c.Cancel = func() error { return syscall.Kill(-c.Process.Pid, syscall.SIGKILL) }
		c.WaitDelay = time.Second
		if err = c.Start(); err != nil {
			continue // this system has no such sandbox: the next one asks for less
		}
		err = c.Wait()
		_ = syscall.Kill(-c.Process.Pid, syscall.SIGKILL) // what it left behind
		break
	}
	if out.full {
		return nil, fmt.Errorf("it printed more than %d bytes", mostPrinted)
	}
	var exit *exec.ExitError
	if errors.As(err, &exit) {
		last := strings.TrimSpace(trouble.text.String())
		if at := strings.LastIndexByte(last, '\n'); at >= 0 {
			last = last[at+1:]
		}
		if last != "" {
			err = fmt.Errorf("%w: %.200s", err, strings.ToValidUTF8(last, "?"))
		}
	}
	return out.text.Bytes(), err
}

// line is the first line with something on it, or the last one of a program that hears everything twice.
func (p *Program) line(printed []byte) (text string, err error) {
	for line := range bytes.Lines(printed) {
		one := strings.Join(strings.Fields(string(line)), " ")
		if one == "" {
			continue
		}
		if len(one) > mostLine || !utf8.ValidString(one) {
			return "", fmt.Errorf("%w printed a line that is no phrase", ErrProgram)
		}
		if text = one; !p.twice {
			break
		}
	}
	return text, nil
}

// bounded keeps what is written to it up to a bound, and says that there is more.
type bounded struct {
	text bytes.Buffer
	most int
	full bool
	over func()
}

func (b *bounded) Write(p []byte) (int, error) {
	room := b.most - b.text.Len()
	if len(p) <= room {
		return b.text.Write(p)
	}
	b.text.Write(p[:room])
	if !b.full {
		b.full = true
		b.over()
	}
	return len(p), nil
}

var _ io.Writer = (*bounded)(nil)
