package cli

import (
	"context"
	"fmt"
	"os"
	"strings"

	tea "charm.land/bubbletea/v2"
	"charm.land/lipgloss/v2"
	"golang.org/x/term"

	"urbo/wire"
)

// attended says whether somebody sits in front of a command: what runs by itself, such as a timer, has no terminal.
func (a *app) attended() bool {
	in, isFile := a.In.(*os.File)
	return isFile && term.IsTerminal(int(in.Fd()))
}

// onTerminal says whether somebody sits in front of both ends of a command.
func (a *app) onTerminal() bool {
	out, isFile := a.screen.(*os.File)
	return isFile && a.output == "table" && a.attended() && term.IsTerminal(int(out.Fd()))
}

// lessonScreen is a lesson on a whole terminal: one big prompt, what was heard last, the keys, and what can be done.
type lessonScreen struct {
	lesson wire.Lesson
	step   func(wire.LessonStep) error
	width  int
	asking string // the step that a typed text is for, "" while nothing is typed
	typed  string
	refuse string // why the last step was refused
	light  bool   // the terminal is
}

// refusedMsg says why a step was refused, "" where it was not.
type refusedMsg string

// palette is the colours as in the console: received, transmitted, and quiet text.
type palette struct{ received, transmitted, quiet, strong lipgloss.Style }

// colours are those for a dark or a light terminal.
func colours(dark bool) palette {
	pick := lipgloss.LightDark(dark)
	of := func(light, dark string) lipgloss.Style {
		return lipgloss.NewStyle().Foreground(pick(lipgloss.Color(light), lipgloss.Color(dark)))
	}
	return palette{received: of("#0F766E", "#5EC9BF"), transmitted: of("#C2410C", "#F79A6B"),
		quiet: lipgloss.NewStyle().Faint(true), strong: lipgloss.NewStyle().Bold(true)}
}

// Init asks the terminal whether it is dark; one that does not answer is taken for dark.
func (s lessonScreen) Init() tea.Cmd { return tea.RequestBackgroundColor }

// Update takes news of the lesson and what is typed.
func (s lessonScreen) Update(msg tea.Msg) (tea.Model, tea.Cmd) {
	switch msg := msg.(type) {
	case tea.WindowSizeMsg:
		s.width = msg.Width
	case tea.BackgroundColorMsg:
		s.light = !msg.IsDark()
	case wire.Lesson:
		s.lesson, s.refuse = msg, ""
		if msg.State != "running" {
			return s, tea.Quit
		}
	case refusedMsg:
		s.refuse = string(msg)
	case tea.KeyPressMsg:
		if s.asking != "" {
			return s.typing(msg)
		}
		return s.press(msg.String())
	}
	return s, nil
}

// press takes a single key.
func (s lessonScreen) press(key string) (tea.Model, tea.Cmd) {
	switch key {
	case "f", "q":
		return s, s.do(wire.LessonStep{Do: "finish"})
	case "p", "ctrl+c":
		return s, s.do(wire.LessonStep{Do: "pause"})
	case "s":
		return s, s.do(wire.LessonStep{Do: "skip"})
	case "b":
		return s, s.do(wire.LessonStep{Do: "back"})
	case "t":
		return s, s.do(wire.LessonStep{Do: "accept"})
	case "r":
		s.asking = "redo"
	case "a":
		s.asking = "add"
	case "n":
		s.asking = "name"
	case "d":
		s.asking = "drop"
	case "c":
		s.asking = "code"
	}
	s.typed = ""
	return s, nil
}

// typing takes the text that a step needs.
func (s lessonScreen) typing(msg tea.KeyPressMsg) (tea.Model, tea.Cmd) {
	switch msg.Keystroke() {
	case "esc", "ctrl+c":
		s.asking = ""
	case "enter":
		do := typedStep(s.asking, s.typed)
		s.asking = ""
		return s, s.do(do)
	case "backspace":
		if r := []rune(s.typed); len(r) > 0 {
			s.typed = string(r[:len(r)-1])
		}
	default:
		s.typed += msg.Text
	}
	return s, nil
}

// do takes a step without holding up the screen.
func (s lessonScreen) do(step wire.LessonStep) tea.Cmd {
	return func() tea.Msg {
		if err := s.step(step); err != nil {
			return refusedMsg(err.Error())
		}
		return refusedMsg("")
	}
}

// View draws the screen.
func (s lessonScreen) View() tea.View {
	v := tea.NewView(s.draw())
	v.AltScreen = true
	return v
}

func (s lessonScreen) draw() string {
	l, c := s.lesson, colours(!s.light)
	width := min(max(s.width, 40), 100)
	wrap := lipgloss.NewStyle().Width(width - 2)
	var b strings.Builder
	line := func(text string) { b.WriteString(" " + strings.ReplaceAll(text, "\n", "\n ") + "\n") }
	line(c.quiet.Render("Lesson: " + l.Device))
	line("")
	line(c.strong.Render(wrap.Render(l.Prompt)))
	if l.Hint != "" {
		line(c.transmitted.Render(wrap.Render(l.Hint)))
	}
	line("")
	if t := l.Last; t != nil {
		style, sign := c.received, "✓ "
		if !t.Accepted {
			style, sign = c.transmitted, "✕ "
		}
		line(style.Render(wave(t.Train, width-2)))
		line(style.Render(wrap.Render(sign + t.Text)))
		if t.Reading != nil {
			line(c.quiet.Render(t.Reading.Sheet + " " + fields(t.Reading.Fields)))
		}
		if t.Allowable && t.Key == l.Key {
			line("On purpose? t takes it.")
		}
	} else {
		line(c.quiet.Render("Nothing heard yet."))
	}
	line("")
	for _, k := range l.Keys {
		line(wrap.Render(c.key(k, l.Needed)))
	}
	line("")
	switch {
	case s.refuse != "":
		line(c.transmitted.Render(wrap.Render(s.refuse)))
	case s.asking == "name":
		line(fmt.Sprintf("KEY NEW-NAME, then Enter: %s▏", s.typed))
	case s.asking != "":
		line(fmt.Sprintf("%s which key? %s▏", s.asking, s.typed))
	case l.Free:
		line(c.quiet.Render(wrap.Render(choices("n name", "d drop", "t take it after all", "p pause", "f finish"))))
	default:
		line(c.quiet.Render(wrap.Render(choices("s skip", "b back", "r redo", "a add", "c code", "t take it after all",
			"p pause", "f finish"))))
	}
	return b.String()
}

// choices is what can be typed, on one line; a narrow terminal breaks it between two of them.
func choices(all ...string) string {
	for i, c := range all {
		all[i] = strings.ReplaceAll(c, " ", "\u00a0")
	}
	return strings.Join(all, "   ")
}

// key is a key of a lesson and how it stands.
func (c palette) key(k wire.LessonKey, needed int) string {
	switch k.State {
	case "settled":
		what := ""
		if k.Code != nil {
			what = c.quiet.Render(code(*k.Code))
		}
		return c.received.Render("✓ ") + fmt.Sprintf("%-16s", k.Name) + what
	case "asked":
		return c.strong.Render("▸ " + k.Name)
	case "skipped":
		return c.quiet.Render("– " + k.Name + "  left out")
	}
	if k.Takes > 0 {
		return fmt.Sprintf("· %-16spressed %d of %d times", k.Name, k.Takes, needed)
	}
	return c.quiet.Render("· " + k.Name)
}

// wave draws a train as blocks: a column is filled as far as marks take its time.
func wave(train []int, width int) string {
	total := 0
	for _, us := range train {
		total += us
	}
	if total == 0 || width <= 0 {
		return ""
	}
	blocks := []rune(" ▁▂▃▄▅▆▇█")
	marks := make([]float64, width+1)
	at := 0
	for i, us := range train {
		for from, to := at, at+us; i%2 == 0 && from < to; {
			column := from * width / total
			end := min(to, (column+1)*total/width+1)
			marks[column] += float64(end - from)
			from = end
		}
		at += us
	}
	out := make([]rune, width)
	for i := range out {
		share := marks[i] * float64(width) / float64(total)
		out[i] = blocks[min(int(share*8+0.5), 8)]
	}
	return string(out)
}

// followOnScreen shows a lesson on the whole terminal until it is over, and then in short what became of it.
func (a *app) followOnScreen(ctx context.Context, cl *client, l *wire.Lesson, begin func(*wire.Lesson) error) error {
	step := func(s wire.LessonStep) error { return a.lessonStep(context.WithoutCancel(ctx), cl, l.ID, s) }
	var screen *tea.Program
	ended := make(chan error, 1)
	start := func() error {
		if err := begin(l); err != nil {
			return err
		}
		screen = tea.NewProgram(lessonScreen{lesson: *l, step: step, width: 80}, tea.WithInput(a.In),
			tea.WithOutput(a.screen), tea.WithoutSignalHandler())
		go func() {
			_, err := screen.Run()
			ended <- err
		}()
		return nil
	}
	err := a.lessonEvents(ctx, cl, l, start, func(now wire.Lesson) { screen.Send(now) })
	if screen == nil {
		return err
	}
	screen.Quit()
	if e := <-ended; e != nil && err == nil {
		err = e
	}
	fmt.Fprintln(a.Out, l.Prompt)
	for _, k := range l.Keys {
		if k.State == "settled" && k.Code != nil {
			fmt.Fprintf(a.Out, "  ✓ %s is learned: %s\n", k.Name, code(*k.Code))
		}
	}
	return err
}
