package run

import (
	"encoding/json"
	"strings"
	"time"
)

// Sudden is something that happens, and that nobody foresees: a handset's key, a control that comes to a value, a
// message. One of its members says what.
type Sudden struct {
	Pressed  *Pressed  `json:"pressed,omitempty"`
	Becomes  *Becomes  `json:"becomes,omitempty"`
	Moves    *Moves    `json:"moves,omitempty"`
	Silent   *Target   `json:"silent,omitempty"`  // a measurement, for so long
	Battery  *Target   `json:"battery,omitempty"` // of a measurement, low
	Occasion *Occurs   `json:"occasion,omitempty"`
	Phrase   string    `json:"phrase,omitempty"`
	Message  *Message  `json:"message,omitempty"`
	Hook     string    `json:"hook,omitempty"`
	Calendar *Calendar `json:"calendar,omitempty"`
	Station  *Occurs   `json:"station,omitempty"` // it begins where it returns
	House    bool      `json:"house,omitempty"`   // it starts
	Mains    bool      `json:"mains,omitempty"`   // they return
	// For says that it has to stay so for so long; of what is silent, how long that is.
	For time.Duration `json:"for,omitempty"`
}

// Pressed is a key of a handset.
type Pressed struct {
	On  Target `json:"on"`
	Key string `json:"key"`
	How string `json:"how,omitempty"` // twice, thrice or held
}

// Becomes is a control that comes to a value, or leaves it.
type Becomes struct {
	On      Target `json:"on"`
	Control string `json:"control"`
	Leaves  bool   `json:"leaves,omitempty"`
	Value   string `json:"value"`
	By      string `json:"by,omitempty"` // handset, person, program or errand
}

// Moves is a control or measurement that changes by so much within a time.
type Moves struct {
	On      Target        `json:"on"`
	Control string        `json:"control,omitempty"` // "" of a measurement
	Which   string        `json:"which,omitempty"`   // "control" or "measurement", where that stands before the path
	Falls   bool          `json:"falls,omitempty"`
	By      Quantity      `json:"by"`
	Within  time.Duration `json:"within"`
}

// Occurs is an occasion, or a station, that begins or ends.
type Occurs struct {
	On   Target `json:"on"`
	Ends bool   `json:"ends,omitempty"`
}

// Message is one that comes under a topic.
type Message struct {
	Topic   string  `json:"topic"`
	Pointer string  `json:"pointer,omitempty"` // of a part of it
	Is      *string `json:"is,omitempty"`      // nil is anything
}

// Calendar is an event of a calendar.
type Calendar struct {
	Name   string `json:"name"`
	Ends   bool   `json:"ends,omitempty"`
	Titled string `json:"titled,omitempty"`
}

// Quantity is a number with its unit.
type Quantity struct {
	Number string `json:"number"`
	Unit   string `json:"unit,omitempty"`
}

// String is the quantity as it is written: 85 %.
func (q Quantity) String() string { return strings.TrimSpace(q.Number + " " + q.Unit) }

// whose are those by whom something comes about.
var whose = []string{"handset", "person", "program", "errand"}

// sudden reads what happens.
func (p *parser) sudden() (s Sudden, err error) {
	p.offer(Offer{Kind: "key"}, Offer{Kind: "control"}, Offer{Kind: "measurement"})
	t := p.peek()
	switch {
	case p.isNext("battery") && p.has(1, "/"):
		p.next++
		on, err := p.measurement()
		if err == nil {
			err = p.want("low")
		}
		return Sudden{Battery: &on}, err
	case p.is("occasion"):
		s.Occasion, err = p.occurs("occasion", p.full.Occasion, "starts", "ends")
	case p.is("station"):
		s.Station, err = p.occurs("station", p.full.Station, "returns", "leaves")
	case p.is("phrase"):
		s.Phrase, err = p.text("what is said")
	case p.is("message"):
		s.Message, err = p.message()
	case p.is("hook"):
		s.Hook, err = p.slug("the name of a hook")
	case p.is("calendar"):
		s.Calendar, err = p.calendar()
	case p.ahead("house", "starts"):
		s.House = true
	case p.ahead("mains", "return"), p.ahead("mains", "returns"):
		s.Mains = true
	case strings.Contains(t.text, "/") && !t.quoted, p.isNext(pathKinds...) && p.has(1, "/"):
		return p.suddenPath()
	default:
		return s,
			p.expected("what happens: a path such as door/opened pressed, occasion, phrase, message, hook, calendar, " +
				"house starts, mains return, or station")
	}
	return s, err
}

func (p *parser) occurs(kind string, find func(string) (Target, error), begins, ends string) (*Occurs, error) {
	on, err := p.named(kind, find)
	if err != nil {
		return nil, err
	}
	switch {
	case p.is(begins):
		return &Occurs{On: on}, nil
	case p.is(ends):
		return &Occurs{On: on, Ends: true}, nil
	}
	return nil, p.expected(begins + " or " + ends)
}

func (p *parser) message() (*Message, error) {
	topic, err := p.text("a topic")
	if err != nil {
		return nil, err
	}
	m := &Message{Topic: topic}
	if p.isNext("at") && p.next+1 < len(p.tokens) && p.tokens[p.next+1].quoted {
		p.next++
		if m.Pointer, err = p.text("a pointer"); err != nil {
			return nil, err
		}
	}
	if p.is("is") {
		is, err := p.text("what it is")
		m.Is = &is
		return m, err
	}
	return m, nil
}

func (p *parser) calendar() (*Calendar, error) {
	name, err := p.slug("the name of a calendar")
	if err != nil {
		return nil, err
	}
	c := &Calendar{Name: name}
	switch {
	case p.is("starts"):
	case p.is("ends"):
		c.Ends = true
	default:
		return nil, p.expected("starts or ends")
	}
	if p.is("titled") {
		c.Titled, err = p.text("a title")
	}
	return c, err
}

// suddenPath reads what happens to a key, control or measurement.
func (p *parser) suddenPath() (s Sudden, err error) {
	place, begin := p.peek(), p.next
	kind := p.pathKind()
	word := p.wordAfter("pressed", "becomes", "leaves", "rises", "falls", "silent")
	switch word {
	case "pressed":
		on, key, err := p.key()
		if err != nil {
			return s, err
		}
		p.next++ // pressed
		s.Pressed = &Pressed{On: on, Key: key}
		for _, how := range []string{"twice", "thrice", "held"} {
			if p.is(how) {
				s.Pressed.How = how
				break
			}
		}
		return s, nil
	case "becomes", "leaves":
		w, t, err := p.control()
		if err != nil {
			return s, err
		}
		p.next++
		c := Wanted{On: w.On, Control: w.Control}
		if err := p.value(&c, t); err != nil {
			return s, err
		}
		s.Becomes = &Becomes{On: c.On, Control: c.Control, Leaves: word == "leaves", Value: c.Value}
		if p.is("by") {
			if s.Becomes.By, err = p.who(); err != nil {
				return s, err
			}
		}
		s.For, err = p.stays()
		return s, err
	case "rises", "falls":
		on, control, err := p.gauge(kind)
		if err != nil {
			return s, err
		}
		p.next++
		s.Moves = &Moves{On: on, Control: control, Which: kind, Falls: word == "falls"}
		if err := p.want("by"); err != nil {
			return s, err
		}
		if s.Moves.By, err = p.quantity(); err != nil {
			return s, err
		}
		if err := p.want("within"); err != nil {
			return s, err
		}
		s.Moves.Within, err = p.dur()
		return s, err
	case "silent":
		on, err := p.measurement()
		if err != nil {
			return s, err
		}
		p.next++
		if err := p.want("for"); err != nil {
			return s, err
		}
		s.Silent = &on
		s.For, err = p.dur()
		return s, err
	}
	p.next = begin
	return s, at(place, "behind a key stands pressed, behind a control becomes or leaves, behind a measurement "+
		"is above, is below, rises by, falls by or silent for, not %.40q", word)
}

// stays reads "for 10 min".
func (p *parser) stays() (time.Duration, error) {
	if !p.is("for") {
		return 0, nil
	}
	return p.dur()
}

func (p *parser) who() (string, error) {
	for _, w := range whose {
		if p.is(w) {
			return w, nil
		}
	}
	return "", p.expected("handset, person, program or errand")
}

// text is what happens, as it is written.
func (s Sudden) text(name func(Target) string) string {
	stays := ""
	if s.For > 0 {
		stays = " for " + Dur(s.For)
	}
	either := func(is bool, yes, no string) string {
		if is {
			return yes
		}
		return no
	}
	switch {
	case s.Pressed != nil:
		return strings.TrimSpace(pathOf(s.Pressed.On, s.Pressed.Key, name) + " pressed " + s.Pressed.How)
	case s.Becomes != nil:
		b := s.Becomes
		by := ""
		if b.By != "" {
			by = " by " + b.By
		}
		return pathOf(b.On, b.Control, name) + either(b.Leaves, " leaves ", " becomes ") + b.Value + by + stays
	case s.Moves != nil:
		return gaugeText(s.Moves.Which, s.Moves.On, s.Moves.Control, name) + either(s.Moves.Falls, " falls by ",
			" rises by ") +
			s.Moves.By.String() + " within " + Dur(s.Moves.Within)
	case s.Silent != nil:
		return s.Silent.ID + " silent" + stays
	case s.Battery != nil:
		return "battery " + s.Battery.ID + " low"
	case s.Occasion != nil:
		return "occasion " + called(s.Occasion.On, name) + either(s.Occasion.Ends, " ends", " starts")
	case s.Station != nil:
		return "station " + called(s.Station.On, name) + either(s.Station.Ends, " leaves", " returns")
	case s.Phrase != "":
		return "phrase " + quote(s.Phrase)
	case s.Message != nil:
		text := "message " + quote(s.Message.Topic)
		if s.Message.Pointer != "" {
			text += " at " + quote(s.Message.Pointer)
		}
		if s.Message.Is != nil {
			text += " is " + quote(*s.Message.Is)
		}
		return text
	case s.Hook != "":
		return "hook " + s.Hook
	case s.Calendar != nil:
		text := "calendar " + s.Calendar.Name + either(s.Calendar.Ends, " ends", " starts")
		if s.Calendar.Titled != "" {
			text += " titled " + quote(s.Calendar.Titled)
		}
		return text
	case s.Mains:
		return "mains return"
	}
	return "house starts"
}

func quote(text string) string {
	out, _ := json.Marshal(text) // a text has JSON
	return string(out)
}

// targets are what it is about.
func (s Sudden) targets(add func(Target)) {
	for _, on := range []*Target{s.Silent, s.Battery} {
		if on != nil {
			add(*on)
		}
	}
	switch {
	case s.Pressed != nil:
		add(s.Pressed.On)
	case s.Becomes != nil:
		add(s.Becomes.On)
	case s.Moves != nil:
		add(s.Moves.On)
	case s.Occasion != nil:
		add(s.Occasion.On)
	case s.Station != nil:
		add(s.Station.On)
	}
}
