package recogniser

import (
	"context"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/speech"
)

func TestMain(m *testing.M) {
	Enter()
	os.Exit(m.Run())
}

// script is a program that stands in for one that recognises speech.
func script(t *testing.T, lines string) *Program {
	t.Helper()
	file := filepath.Join(t.TempDir(), "hears")
	require.NoError(t, os.WriteFile(file, []byte("#!/bin/sh\n"+lines+"\n"), 0o755))
	p, err := New(file + " {wav} {grammar} {dictionary}")
	require.NoError(t, err)
	return p
}

func TestProgram_GetsItsFilesAndNothingElse(t *testing.T) {
	t.Parallel()
	p := script(t, `echo "$(head -c 4 "$1") $(cat "$2") $(cat "$3") ${URBO_TOKEN:-none} $(pwd | cut -c1-5)"`)
	text, err := p.Hear(t.Context(), nil, "grammar", "words")
	require.NoError(t, err)
	assert.Equal(t, "RIFF grammar words none /tmp/", text)
}

func TestProgram_IsBounded(t *testing.T) {
	t.Parallel()
	late := script(t, "sleep 60 & sleep 60")
	late.limit = 300 * time.Millisecond
	_, err := late.Hear(t.Context(), nil, "", "")
	assert.ErrorIs(t, err, ErrLate)
	for lines, says := range map[string]string{
		"cat /dev/zero | tr '\\0' 'a'": "printed more than", "echo no model >&2; exit 3": "no model",
		"head -c 600 /dev/zero | tr '\\0' a": "no phrase", "printf '\\377\\n'": "no phrase"} {
		_, err := script(t, lines).Hear(t.Context(), nil, "", "")
		assert.ErrorIs(t, err, ErrProgram, lines)
		assert.ErrorContains(t, err, says, lines)
	}
	text, err := script(t, "echo; echo '  lights   on '; echo more").Hear(t.Context(), nil, "", "")
	require.NoError(t, err)
	assert.Equal(t, "lights on", text, "its first line with words")
}

func TestProgram_EndsWithItsCaller(t *testing.T) {
	t.Parallel()
	ctx, cancel := context.WithCancel(t.Context())
	cancel()
	_, err := script(t, "sleep 60").Hear(ctx, nil, "", "")
	assert.ErrorIs(t, err, context.Canceled)
}

func TestNew_SaysWhatIsWrong(t *testing.T) {
	t.Parallel()
	none, err := New("off")
	require.NoError(t, err)
	assert.Nil(t, none)
	_, err = New("/there/is/none {wav}")
	assert.ErrorContains(t, err, "give the path")
	_, err = New("cat")
	assert.ErrorContains(t, err, "{wav}")
}

// TestProgram_HearsPeople gives the recordings of people that Debian has to PocketSphinx, with a grammar made for them
// and our own dictionary.
func TestProgram_HearsPeople(t *testing.T) {
	t.Parallel()
	const data = "/usr/share/pocketsphinx/test/data"
	if _, err := os.Stat(data); err != nil {
		t.Skip("pocketsphinx-testdata is not installed")
	}
	p, err := New("auto")
	require.NoError(t, err)
	if p == nil {
		t.Skip("pocketsphinx is not installed")
	}
	hears := func(grammar string, x []int16) string {
		words, err := os.Open(p.Words)
		require.NoError(t, err)
		defer words.Close()
		said, err := speech.Pronounce(regexp.MustCompile(`\b[a-z]+\b`).FindAllString(grammar, -1), words)
		require.NoError(t, err)
		heard, err := p.Hear(t.Context(), x, grammar, said.Dictionary())
		require.NoError(t, err)
		return heard
	}
	read := func(name string) string {
		text, err := os.ReadFile(filepath.Join(data, name))
		require.NoError(t, err)
		return string(text)
	}
	right, all := 0, 0
	for line := range strings.Lines(read("cards/cards.transcription")) {
		text, name, is := strings.Cut(strings.TrimSpace(line), "</s> (")
		if !is {
			continue
		}
		all++
		text = strings.TrimSpace(strings.TrimPrefix(text, "<s>"))
		x, err := speech.ReadWAV([]byte(read("cards/" + strings.TrimSuffix(name, ")") + ".wav")))
		require.NoError(t, err)
		heard := hears(read("cards/cards.gram"), x)
		t.Logf("%q: heard %q", text, heard)
		if heard == text {
			right++
		}
	}
	assert.Equal(t, 5, all)
	assert.GreaterOrEqual(t, right, 4)
	raw := read("goforward.raw")
	x := make([]int16, len(raw)/2)
	for i := range x {
		x[i] = int16(uint16(raw[2*i]) | uint16(raw[2*i+1])<<8)
	}
	assert.Equal(t, "go forward ten meters", hears(read("goforward.gram"), x))
}
