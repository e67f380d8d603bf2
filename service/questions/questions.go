// Package questions is what is asked of people: what something is at that a run has to know. A question stands on
// boards and phones until it is answered, once, or until nobody needs the answer any more.
package questions

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"sync"
	"time"

	"urbo/core/control"
	"urbo/core/fault"
	"urbo/core/grant"
	"urbo/core/happening"
	"urbo/core/plain"
	"urbo/core/run"
	"urbo/service/runs"
	"urbo/service/stream"
	"urbo/store"
)

// Errors that callers ask for.
var (
	ErrUnknown = fault.New(fault.NotFound, "unknown question")
	ErrOver    = fault.New(fault.Conflict, "the question is over")
	ErrAnswer  = fault.New(fault.Invalid, "answer")
)

// kept is how many questions that are over are remembered, to say who answered.
const kept = 50

// Question is asked of people.
type Question struct {
	ID      string
	Text    string
	On      run.Target // what it is about
	Control string     // that it is about
	Choices []string   // the answers; none where a number is asked for
	Unit    string     // of the number
	Run     string     // id of what asks
	For     string     // and what that is called
	By      grant.By   // who started that
	At      time.Time
	Until   time.Time // nobody needs the answer afterwards
	asks    string    // it as the run names it
	Over    string    // why it is over: "on, said Keeper"; "" while it is not
}

// Runs are what asks.
type Runs interface {
	List() []runs.Run
	One(id string) (runs.Run, error)
}

// Targets finds what is asked about.
type Targets interface {
	Target(name string) (run.Target, error)
	With(t run.Target, control string) ([]string, error)
}

// Beliefs take the answers.
type Beliefs interface {
	Spec(id string) (*control.Spec, error)
	Tell(slug, name, value string, by grant.By) ([]control.State, error)
}

// Library names devices.
type Library interface {
	Slug(id string) string
	Name(id string) string
}

// Config of the questions.
type Config struct {
	Runs    Runs
	Targets Targets
	Beliefs Beliefs
	Library Library
	Stream  *stream.Stream
	Now     func() time.Time
}

// Questions is what is asked.
type Questions struct {
	Config
	queue *stream.Queue

	answering sync.Mutex // held for a whole answer, so that each question has one

	mu   sync.Mutex
	open []Question
	over []Question // the newest last
}

// New makes the questions of a house.
func New(c Config) *Questions { return &Questions{Config: c, queue: c.Stream.Subscribe()} }

// Run follows what runs ask, until the context ends.
func (q *Questions) Run(ctx context.Context) error {
	defer q.Stream.Leave(q.queue)
	for _, r := range q.Runs.List() {
		q.look(r, "")
	}
	for {
		batch, err := q.queue.Next(ctx)
		if err != nil {
			return nil //nolint:nilerr // the context ended
		}
		for _, h := range batch {
			w, is := h.What.(happening.RunChanged)
			if !is {
				continue
			}
			if r, err := q.Runs.One(w.RunID); err == nil {
				q.look(r, "what asked has gone on")
			}
		}
	}
}

// look asks what a run asks now, and ends what it asked before.
func (q *Questions) look(r runs.Run, why string) {
	q.mu.Lock()
	defer q.mu.Unlock()
	asks := r.State.Asks
	if r.State.Phase != run.Asking {
		asks = ""
	}
	there := false
	for _, one := range slices.Clone(q.open) {
		switch {
		case one.Run != r.ID:
		case one.asks == asks:
			there = true
		default:
			q.end(one, why)
		}
	}
	if asks == "" || there {
		return
	}
	one, ok := q.ask(r)
	if !ok {
		return
	}
	q.open = append(q.open, one)
	q.Stream.Publish(happening.Happening{By: r.By, Cause: r.ID, What: q.changed(one)})
}

// ask makes the question of a run. ok is false where nobody can answer it: it waits for a measurement, or what it is
// about is gone.
func (q *Questions) ask(r runs.Run) (one Question, ok bool) {
	i := strings.LastIndexByte(r.State.Asks, '/')
	if i < 0 || strings.Contains(r.State.Asks, " ") {
		return one, false
	}
	name, of := r.State.Asks[:i], r.State.Asks[i+1:]
	on, err := q.Targets.Target(name)
	if err != nil {
		return one, false
	}
	ids, err := q.Targets.With(on, of)
	if err != nil {
		return one, false
	}
	one = Question{ID: store.NewID(), On: on, Control: of, Run: r.ID, For: r.Name, By: r.By, At: q.Now(),
		Until: r.State.Until, asks: r.State.Asks}
	for _, id := range ids {
		spec, err := q.Beliefs.Spec(id)
		if err != nil {
			continue
		}
		for _, c := range spec.Controls() {
			if c.Name != of {
				continue
			}
			one.Unit = c.Unit
			for _, v := range c.Choices() {
				if !slices.Contains(one.Choices, v) {
					one.Choices = append(one.Choices, v)
				}
			}
		}
	}
	if on.Kind == run.Device {
		name = q.Library.Name(on.ID)
	}
	one.Text = question(name, of, one.Choices)
	return one, true
}

// question is it in words.
func question(name, of string, choices []string) string {
	text := name
	if of != "power" {
		text += ", " + plain.Label(of)
	}
	switch n := len(choices); {
	case n == 0:
		return text + ": at what is it now?"
	case n <= 4:
		return text + ": " + strings.Join(choices[:n-1], ", ") + " or " + choices[n-1] + " now?"
	}
	return text + ": which is it now?"
}

// end ends a question. The caller holds mu.
func (q *Questions) end(one Question, why string) {
	q.open = slices.DeleteFunc(q.open, func(o Question) bool { return o.ID == one.ID })
	one.Over = why
	if q.over = append(q.over, one); len(q.over) > kept {
		q.over = q.over[1:]
	}
	q.Stream.Publish(happening.Happening{By: one.By, Cause: one.Run, What: q.changed(one)})
}

func (q *Questions) changed(one Question) happening.QuestionChanged {
	ids, _ := q.Targets.With(one.On, one.Control)
	return happening.QuestionChanged{QuestionID: one.ID, Question: one.Text, For: one.For, Devices: ids,
		Over: one.Over != ""}
}

// List lists what is asked now, the oldest first.
func (q *Questions) List() []Question {
	q.mu.Lock()
	defer q.mu.Unlock()
	return slices.Clone(q.open)
}

// One finds a question. Errors wrap ErrUnknown, or ErrOver where it is not asked any more.
func (q *Questions) One(id string) (Question, error) {
	q.mu.Lock()
	defer q.mu.Unlock()
	is := func(o Question) bool { return o.ID == id }
	if i := slices.IndexFunc(q.open, is); i >= 0 {
		return q.open[i], nil
	}
	if i := slices.IndexFunc(q.over, is); i >= 0 {
		return q.over[i], fmt.Errorf("%w: %s", ErrOver, q.over[i].Over)
	}
	return Question{}, fmt.Errorf("%w %.40q: see urbo question list", ErrUnknown, id)
}

// Answer takes what somebody says. It is told to all devices that it is about, and what asked goes on. Errors wrap
// ErrUnknown, ErrOver or ErrAnswer, or are those of the beliefs.
func (q *Questions) Answer(id, value string, by grant.By) (Question, error) {
	q.answering.Lock()
	defer q.answering.Unlock()
	one, err := q.One(id)
	if err != nil {
		return one, err
	}
	if len(one.Choices) > 0 && !slices.Contains(one.Choices, value) {
		return one, fmt.Errorf("%w %.40q: say %s", ErrAnswer, value, strings.Join(one.Choices, ", "))
	}
	ids, err := q.Targets.With(one.On, one.Control)
	if err != nil {
		return one, err
	}
	for _, device := range ids {
		if _, err := q.Beliefs.Tell(q.Library.Slug(device), one.Control, value, by); err != nil {
			return one, err
		}
	}
	q.mu.Lock()
	defer q.mu.Unlock()
	one.Over = value + ", said " + by.String()
	if slices.ContainsFunc(q.open, func(o Question) bool { return o.ID == id }) {
		q.end(one, one.Over)
	}
	return one, nil
}
