package mqttface

import (
	"bytes"
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"
	"unicode/utf8"

	"urbo/core/control"
	"urbo/core/device"
	"urbo/core/fault"
	"urbo/core/grant"
	"urbo/core/happening"
	"urbo/core/phrase"
	"urbo/core/plain"
	"urbo/core/run"
	"urbo/service/holds"
	"urbo/service/occasions"
	"urbo/service/setting"
	"urbo/service/transmit"
	broker "urbo/station/mqtt"
)

// ErrAsked is wrapped where a message asks for what cannot be: the text says why.
var ErrAsked = fault.New(fault.Invalid, "message")

// Bounds of what is asked.
const (
	// mostPayload is the longest message, in bytes.
	mostPayload = 4096
	// mostHeld is how long a key may be held.
	mostHeld = 20 * time.Second
)

// verbs are what can be asked, with how many words stand behind it.
var verbs = map[string][2]int{"want": {2, 3}, "press": {2, 2}, "start": {1, 1}, "end": {1, 1}, "run": {1, 1}, "say": {0,
	0}}

// asks are the filters of what is asked at a broker.
func asks(base string) []string {
	out := []string{base + "/say"}
	for _, v := range []string{"want/#", "press/#", "start/+", "end/+", "run/+"} {
		out = append(out, base+"/"+v)
	}
	return out
}

// ask is something that is asked.
type ask struct {
	verb    string
	parts   []string // behind the verb
	payload []byte
	who     grant.Who
	message broker.Message
	topic   string // behind the base
}

// parse reads what a topic asks; false where it asks nothing.
func parse(base, topic string) (a ask, is bool) {
	rest, is := strings.CutPrefix(topic, base+"/")
	if !is {
		return a, false
	}
	parts := strings.Split(rest, "/")
	a = ask{verb: parts[0], parts: parts[1:], topic: rest}
	n, known := verbs[a.verb]
	return a, known && len(a.parts) >= n[0] && len(a.parts) <= n[1]
}

// Takes says whether a topic asks for something at the house's own broker, and whether a program may ask anything: what
// exactly it may is answered with the message, so that it hears why not.
func (f *Face) Takes(who grant.Who, topic string) (is, may bool) {
	s := f.Settings()
	if !f.own(s) {
		return false, false
	}
	_, is = parse(f.base(s), topic)
	return is, is && (who.Grant.Has(grant.See) || who.Grant.Has(grant.Use))
}

// Owns says whether a topic is one of the face's.
func (f *Face) Owns(topic string) bool {
	return strings.HasPrefix(topic+"/", f.base(f.Settings())+"/")
}

// Hears says whether a program may hear what is published under a topic at the house's own broker.
func (f *Face) Hears(who grant.Who, topic string) bool {
	s := f.Settings()
	rest, is := strings.CutPrefix(topic, f.base(s)+"/")
	if !is || f.at(s) != "own" {
		return false
	}
	verb, of, _ := strings.Cut(rest, "/")
	switch verb {
	case "is":
		slug, _, _ := strings.Cut(of, "/")
		return f.sees(who, slug)
	case "heard":
		if slug, _, is := strings.Cut(of, "/"); is {
			return f.sees(who, slug)
		}
		return who.Grant.May(grant.See) == nil
	case "occasion":
		r, err := f.house.Rooms.Find(of)
		return err == nil && who.Grant.May(grant.See, grant.Target{Room: r.ID}) == nil
	case "measured":
		return who.Grant.May(grant.See, grant.Target{Measurement: of}) == nil
	case "receipt":
		return who.Grant.May(grant.See) == nil
	case "here":
		return who.Grant.Has(grant.See)
	}
	return false
}

// sees says whether a program sees a device.
func (f *Face) sees(who grant.Who, slug string) bool {
	id, err := f.house.Library.ID(slug)
	return err == nil && who.Grant.May(grant.See, f.house.Place(id)) == nil
}

// Receipt is what became of what was asked, as it is published.
type Receipt struct {
	Topic   string    `json:"topic"`   // behind the base
	Outcome string    `json:"outcome"` // done, doubtful, under way, superseded, refused or failed
	Reason  string    `json:"reason,omitempty"`
	Words   string    `json:"words,omitempty"` // what a phrase means
	By      string    `json:"by"`
	At      time.Time `json:"at"`
}

// Take takes a message that asks for something, and does not wait for what becomes of it.
func (f *Face) Take(who grant.Who, m broker.Message) {
	f.mu.Lock()
	running, base := f.running, f.base(f.Settings())
	f.mu.Unlock()
	a, is := parse(base, m.Topic)
	if !is || running == nil || running.Err() != nil {
		return
	}
	a.who, a.message, a.payload = who, m, m.Payload
	f.note(func(s *Status) {
		s.Took++
		s.Last = Asker{who.By.Name, plain.Show(a.topic), time.Now()}
	})
	if err := a.check(); err != nil {
		f.refuse(a, err)
		return
	}
	done, err := f.asked.begin(a.who.By.ID, a.of())
	if err != nil {
		f.refuse(a, err)
		return
	}
	turn, next := f.turn(a)
	f.group.Go(func() {
		defer done()
		if turn != nil {
			<-turn
		}
		wait, err := f.begin(running, a)
		if next != nil {
			close(next)
		}
		if err != nil {
			f.refuse(a, err)
			return
		}
		f.answer(a, wait())
	})
}

// of is what something is asked of: a device, a group, a room, or what it names; "" for what is said.
func (a ask) of() string {
	if a.verb == "want" {
		return strings.Join(a.parts[:len(a.parts)-1], "/")
	}
	return strings.Join(a.parts[:min(1, len(a.parts))], "")
}

// check refuses what is not asked as it should be.
func (a ask) check() error {
	switch {
	case a.message.Retain:
		return fmt.Errorf("%w: one that the broker keeps would be done again and again: publish it without retain",
			ErrAsked)
	case a.message.Again:
		return fmt.Errorf("%w: it was sent a second time, and may have been done at the first: publish with QoS 0",
			ErrAsked)
	case len(a.payload) > mostPayload:
		return fmt.Errorf("%w: it has %d bytes, the most is %d", ErrAsked, len(a.payload), mostPayload)
	case !utf8.Valid(a.payload):
		return fmt.Errorf("%w: it is no text in UTF-8", ErrAsked)
	}
	return nil
}

// turn lets what is asked of one device begin in the order in which it came.
func (f *Face) turn(a ask) (before <-chan struct{}, mine chan struct{}) {
	if a.verb != "want" && a.verb != "press" {
		return nil, nil
	}
	f.mu.Lock()
	defer f.mu.Unlock()
	if len(f.turns) > 10*mostAsked {
		for of, c := range f.turns {
			select {
			case <-c:
				delete(f.turns, of)
			default:
			}
		}
	}
	before, mine = f.turns[a.of()], make(chan struct{})
	f.turns[a.of()] = mine
	return before, mine
}

// begin begins what is asked. wait waits for what becomes of it.
func (f *Face) begin(ctx context.Context, a ask) (wait func() Receipt, err error) {
	switch a.verb {
	case "want":
		return f.want(ctx, a)
	case "press":
		return f.press(ctx, a)
	case "start", "end":
		return f.occasion(ctx, a)
	case "run":
		return f.run(ctx, a)
	}
	return f.say(ctx, a)
}

// wanted is the message of a want.
type wanted struct {
	Value any    `json:"value"`
	For   string `json:"for"`  // such as "10 min": then what was before comes back
	Then  string `json:"then"` // or this value
}

// readWant reads the message of a want: a plain value, a value in JSON, or an object with more.
func readWant(payload []byte) (w wanted, text string, err error) {
	text = strings.TrimSpace(string(payload))
	switch {
	case text == "":
		return w, "", fmt.Errorf("%w: it is empty: write a value, such as on, 22, +3 or open", ErrAsked)
	case text[0] == '{':
		d := json.NewDecoder(bytes.NewReader(payload))
		d.DisallowUnknownFields()
		d.UseNumber()
		if err := d.Decode(&w); err != nil {
			return w, "", fmt.Errorf("%w: it is no object with value, for and then: %w", ErrAsked, err)
		}
	case text[0] == '"':
		if err := json.Unmarshal([]byte(text), &w.Value); err != nil {
			return w, "", fmt.Errorf("%w: it is no text in JSON: %w", ErrAsked, err)
		}
	default:
		w.Value = text
	}
	switch v := w.Value.(type) {
	case string:
		text = strings.TrimSpace(v)
	case json.Number:
		text = v.String()
	case bool:
		text = fmt.Sprint(v)
	default:
		return w, "", fmt.Errorf("%w: value is a text, a number, or true or false", ErrAsked)
	}
	if text == "" || len(text) > 100 || !plain.Is(text) {
		return w, "", fmt.Errorf("%w: a value has 1 to 100 characters in one line", ErrAsked)
	}
	return w, text, nil
}

// meant is a value as a control writes it: by a word of one's own, as other systems say on and off, or as people do.
func (f *Face) meant(id string, spec *control.Spec, want control.Want) control.Want {
	for _, w := range f.Settings().Words {
		if w.Device == id && w.Control == want.Control && w.Says == want.Value {
			return control.Want{Control: want.Control, Value: w.Means}
		}
	}
	want = spec.Meant(want)
	if spec.Check(want.Control, want.Value) == nil {
		return want
	}
	for says, means := range map[string]string{"true": "on", "false": "off", "1": "on", "0": "off"} {
		if strings.EqualFold(want.Value, says) && spec.Check(want.Control, means) == nil {
			return control.Want{Control: want.Control, Value: means}
		}
	}
	return want
}

// want sets a control of a device, group or room.
func (f *Face) want(ctx context.Context, a ask) (func() Receipt, error) {
	w, text, err := readWant(a.payload)
	if err != nil {
		return nil, err
	}
	n := len(a.parts) - 1
	of, err := f.house.Targets.Target(strings.Join(a.parts[:n], "/"))
	if err == nil && (of.Kind == run.Measurement || n == 2 && of.Kind != run.Room) {
		err = fmt.Errorf("%w: want/DEVICE/CONTROL, want/GROUP/CONTROL or want/room/ROOM/CONTROL", ErrAsked)
	}
	if err := f.mayAsk(a.who, []run.Target{of}, err); err != nil {
		return nil, err
	}
	on, name, err := f.house.Targets.Resolve(of, a.parts[n])
	if err != nil {
		return nil, err
	}
	ids, err := f.house.Targets.With(on, name)
	if err != nil {
		return nil, err
	}
	var hold time.Duration
	if w.For != "" {
		if hold, err = run.ParseDur(w.For); err != nil {
			return nil, err
		}
	}
	var tickets []*setting.Ticket
	for _, id := range ids {
		spec, err := f.house.Beliefs.Spec(id)
		if err != nil {
			return nil, err
		}
		wish := setting.Wish{Device: id, Wants: []control.Want{f.meant(id, spec, control.Want{Control: name,
			Value: text})}, Asked: true, By: a.who.By}
		var t *setting.Ticket
		if hold > 0 || w.Then != "" {
			t, err = f.house.Holds.Start(ctx, holds.Order{Wish: wish, For: hold, Then: w.Then})
		} else {
			t, err = f.house.Setting.Start(wish)
		}
		if err != nil {
			for _, other := range tickets {
				other.Cancel()
			}
			return nil, err
		}
		tickets = append(tickets, t)
	}
	return func() Receipt {
		out := Receipt{Outcome: "done"}
		for _, t := range tickets {
			r, err := t.Wait(ctx)
			switch {
			case err != nil:
				out.Outcome, out.Reason = "failed", err.Error()
			case r.Done && r.Doubtful && out.Outcome == "done":
				out.Outcome = "doubtful"
			case r.Done:
			case slices.Contains(r.Ends, setting.Superseded):
				out.Outcome = "superseded"
			default:
				out.Outcome, out.Reason = "failed", cmp.Or(r.Reason, "what it is at now is doubtful")
			}
		}
		return out
	}, nil
}

// mayAsk says whether a program may use something. Of what it does not see it hears that it is unknown.
func (f *Face) mayAsk(who grant.Who, about []run.Target, err error) error {
	if who.Grant.Where.House {
		return cmp.Or(err, who.Grant.May(grant.Use))
	}
	if err != nil || f.house.May(who.Grant, grant.See, about) != nil {
		return fmt.Errorf("%w: there is no such thing, or it is not in what you may use", grant.ErrRefused)
	}
	return f.house.May(who.Grant, grant.Use, about)
}

// pressed is the message of a press; empty is once.
type pressed struct {
	Times  int `json:"times"`
	HoldMS int `json:"hold_ms"`
}

// press presses a key.
func (f *Face) press(ctx context.Context, a ask) (func() Receipt, error) {
	p := pressed{Times: 1}
	if text := bytes.TrimSpace(a.payload); len(text) > 0 {
		d := json.NewDecoder(bytes.NewReader(text))
		d.DisallowUnknownFields()
		if err := d.Decode(&p); err != nil {
			return nil, fmt.Errorf("%w: it is empty, or an object with times and hold_ms: %w", ErrAsked, err)
		}
	}
	hold := time.Duration(p.HoldMS) * time.Millisecond
	if p.Times < 1 || p.Times > run.MaxTimes || hold < 0 || hold > mostHeld || hold > 0 && p.Times > 1 {
		return nil, fmt.Errorf("%w: times is 1 to %d, or hold_ms up to %d", ErrAsked, run.MaxTimes,
			mostHeld.Milliseconds())
	}
	of, err := f.house.Targets.Target(a.parts[0])
	if err == nil && of.Kind != run.Device && of.Kind != run.Reins {
		err = fmt.Errorf("%w: a key is pressed on one device", ErrAsked)
	}
	if err := f.mayAsk(a.who, []run.Target{of}, err); err != nil {
		return nil, err
	}
	on, key, err := f.house.Targets.ResolveKey(of, a.parts[1])
	if err != nil {
		return nil, err
	}
	d, k, err := f.house.Library.Key(device.Ref{Device: f.house.Targets.Name(on), Key: key})
	if err != nil {
		return nil, err
	}
	if err := f.house.MayObey(a.who.Grant, d.ID, k); err != nil {
		return nil, err
	}
	if err := f.house.Setting.Clear(ctx, d.ID); err != nil {
		return nil, err
	}
	t, err := f.house.Transmit.Start(transmit.Order{Device: d, Key: k, Times: p.Times, Hold: hold, By: a.who.By})
	if err != nil {
		return nil, err
	}
	return func() Receipt {
		r, err := t.Wait(ctx)
		switch {
		case err != nil:
			return Receipt{Outcome: "failed", Reason: err.Error()}
		case r.Outcome != happening.Sent:
			return Receipt{Outcome: "failed", Reason: cmp.Or(r.Reason, string(r.Outcome))}
		}
		return Receipt{Outcome: "done"}
	}, nil
}

// occasion starts an occasion, or ends it.
func (f *Face) occasion(ctx context.Context, a ask) (func() Receipt, error) {
	what := occasions.Start
	if a.verb == "end" {
		what = occasions.End
	}
	o, err := f.house.Occasions.Find(a.parts[0])
	if err := f.mayAsk(a.who, o.Doc.Targets(), err); err != nil {
		return nil, err
	}
	_, err = f.house.Occasions.Do(ctx, o.ID, what, a.who.By, func(ids []string) error {
		for _, id := range ids {
			if err := a.who.Grant.May(grant.Use, f.house.Place(id)); err != nil {
				return err
			}
		}
		return nil
	})
	return underWay(Receipt{}), err
}

// underWay is the receipt of what goes on with the house.
func underWay(r Receipt) func() Receipt {
	r.Outcome = "under way"
	return func() Receipt { return r }
}

// run runs a sequence, or an errand by hand.
func (f *Face) run(ctx context.Context, a ask) (func() Receipt, error) {
	s, err := f.house.Sequences.Find(a.parts[0])
	if err == nil {
		if err := f.mayAsk(a.who, f.house.AboutSequence(s), nil); err != nil {
			return nil, err
		}
		_, err := f.house.RunSequence(s.ID, false, a.who.By, "")
		return underWay(Receipt{}), err
	}
	e, none := f.house.Errands.Find(a.parts[0])
	if none != nil {
		return nil, f.mayAsk(a.who, nil, err)
	}
	if err := f.mayAsk(a.who, f.house.ReachedBy(run.Target{Kind: run.Errand, ID: e.ID}), nil); err != nil {
		return nil, err
	}
	came, err := f.house.Errands.Do(ctx, e.ID, a.who.By)
	if err == nil && came.Did != "ran" {
		return func() Receipt { return Receipt{Outcome: "refused", Reason: cmp.Or(came.Reason, came.Did)} }, nil
	}
	return underWay(Receipt{}), err
}

// say says something to the house.
func (f *Face) say(ctx context.Context, a ask) (func() Receipt, error) {
	text := strings.TrimSpace(string(a.payload))
	if text == "" {
		return nil, fmt.Errorf("%w: it is empty: write what is to be done", phrase.ErrPhrase)
	}
	if err := a.who.Grant.May(grant.Use); err != nil && a.who.Grant.Where.House {
		return nil, err
	}
	if !a.who.Grant.Has(grant.Use) {
		return nil, a.who.Grant.May(grant.Use)
	}
	u, err := f.house.Phrases.Do(ctx, text, "", f.house.Speaker(a.who.By, a.who.Grant))
	return underWay(Receipt{Words: u.Words}), err
}

// refuse answers that nothing is done, and why.
func (f *Face) refuse(a ask, err error) {
	outcome := "refused"
	if errors.Is(err, context.Canceled) {
		return
	}
	if a.message.Retain {
		f.odd(fmt.Sprintf("At MQTT, %.80q was asked in a message that the broker keeps. It was not done: publish such "+
			"messages without retain", a.topic))
	}
	f.answer(a, Receipt{Outcome: outcome, Reason: err.Error()})
}

// answer publishes what became of something, and answers whoever asked for an answer.
func (f *Face) answer(a ask, r Receipt) {
	r.Topic, r.By, r.At = plain.Show(a.topic), a.who.By.Name, time.Now().UTC()
	if len(r.Topic) > 300 {
		r.Topic = r.Topic[:300]
	}
	data, err := json.Marshal(r)
	if err != nil {
		return
	}
	s := f.Settings()
	base := f.base(s)
	if !f.asked.answers(a.who.By.ID, a.of()) {
		return
	}
	_ = f.send(broker.Message{Topic: base + "/receipt", Payload: data})
	if a.message.Reply != nil {
		a.message.Reply(data)
	} else if to := a.message.Answer; to != "" && mayAnswer(base, to) {
		_ = f.send(broker.Message{Topic: to, Payload: data, Correlation: a.message.Correlation})
	}
}

// mayAnswer says whether an answer may be published at a topic that somebody named: none that asks for something, or
// shows something.
func mayAnswer(base, topic string) bool {
	return broker.CanAnswer(topic) && (!strings.HasPrefix(topic, base+"/") ||
		strings.HasPrefix(topic, base+"/receipt/"))
}
