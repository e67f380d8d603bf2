package cli

import (
	"errors"
	"strings"
	"testing"

	tea "charm.land/bubbletea/v2"
	"github.com/charmbracelet/x/ansi"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/wire"
)

func TestLessonScreen_ShowsTheLessonAndTakesSteps(t *testing.T) {
	var steps []wire.LessonStep
	var m tea.Model = lessonScreen{width: 60, step: func(s wire.LessonStep) error {
		steps = append(steps, s)
		if s.Do == "back" {
			return errors.New("this is the first")
		}
		return nil
	}}
	shown := func() string { return strings.ReplaceAll(ansi.Strip(m.View().Content), "\u00a0", " ") }
	send := func(msg tea.Msg) tea.Msg {
		next, cmd := m.Update(msg)
		m = next
		if cmd == nil {
			return nil
		}
		return cmd()
	}
	keys := func(text string) (last tea.Msg) {
		for _, r := range text {
			last = send(tea.KeyPressMsg{Code: r, Text: string(r)})
		}
		return last
	}
	take := &wire.Take{Key: "off", Allowable: true, Text: `That is the code of "on".`, Train: []int{900, 450, 100, 100}, Reading: &wire.Reading{Sheet: "nec", Fields: map[string]any{"command": 1}}}
	send(wire.Lesson{Device: "projector", State: "running", Key: "off", Prompt: `Press "off" on the handset.`, Needed: 2, Last: take,
		Keys: []wire.LessonKey{{Name: "on", State: "settled", Code: &wire.Code{Sheet: "nec"}},
			{Name: "off", State: "asked"}, {Name: "ok", State: "skipped"}}})
	for _, want := range []string{`Press "off" on the handset.`, `✕ That is the code of "on".`, "nec command=1", "On purpose? t takes it.", "✓ on", "▸ off", "– ok  left out", "s skip"} {
		assert.Contains(t, shown(), want)
	}
	for line := range strings.Lines(shown()) {
		assert.LessOrEqual(t, len([]rune(strings.TrimRight(line, " \n"))), 60, line)
	}
	keys("st")
	keys("a")
	assert.Contains(t, shown(), "add which key? ▏")
	keys("zoomx")
	send(tea.KeyPressMsg{Code: tea.KeyBackspace})
	send(tea.KeyPressMsg{Code: tea.KeyEnter})
	assert.Equal(t, []wire.LessonStep{{Do: "skip"}, {Do: "accept"}, {Do: "add", Key: "zoom"}}, steps)
	send(keys("b"))
	assert.Contains(t, shown(), "this is the first", "a refusal is said")
	assert.Equal(t, tea.Quit(), send(wire.Lesson{State: "done"}), "it ends with the lesson")

	send(wire.Lesson{State: "running", Free: true, Needed: 2, Keys: []wire.LessonKey{{Name: "key-1", State: "waiting",
		Takes: 1}}})
	assert.Contains(t, shown(), "pressed 1 of 2 times")
	assert.Contains(t, shown(), "n name")
	keys("nkey-1")
	send(tea.KeyPressMsg{Code: tea.KeySpace, Text: " "})
	keys("up")
	send(tea.KeyPressMsg{Code: tea.KeyEnter})
	require.Equal(t, wire.LessonStep{Do: "name", Key: "key-1", As: "up"}, steps[len(steps)-1])
}

func TestWave_FillsColumnsByTheirShareOfMarks(t *testing.T) {
	assert.Equal(t, "████    █▄  ", wave([]int{400, 400, 150, 250}, 12))
	assert.Empty(t, wave(nil, 12))
	assert.Len(t, []rune(wave([]int{9024, 4512, 564, 564, 564}, 77)), 77)
}
