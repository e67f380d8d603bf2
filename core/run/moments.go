package run

import (
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"

	"urbo/core/moment"
	"urbo/core/sun"
)

// Sky asks where the sun stands.
type Sky struct {
	Is    string `json:"is"` // up, down, above or below
	Angle string `json:"angle,omitempty"`
}

// Past asks what happened to a control, measurement or key lately.
type Past struct {
	On     Target        `json:"on"`
	Name   string        `json:"name,omitempty"`  // of the control or key; "" of a measurement
	Which  string        `json:"which,omitempty"` // "control" or "measurement", where that stands before the path
	What   string        `json:"what"`            // changed, unchanged or pressed
	By     string        `json:"by,omitempty"`    // handset, person, program or errand
	Within time.Duration `json:"within"`          // of what is unchanged: for so long
}

// Ran asks whether an errand ran lately.
type Ran struct {
	Errand Target        `json:"errand"`
	Within time.Duration `json:"within"`
}

var (
	timeRule = regexp.MustCompile(`^(\d{1,2}):(\d\d)$`)
	dateRule = regexp.MustCompile(`^(\d{4})-(\d\d)-(\d\d)$`)
	yearly   = regexp.MustCompile(`^(\d\d)-(\d\d)$`)
)

// isTime says whether a word is a time of day, also one that there is not.
func isTime(word string) bool { return timeRule.MatchString(word) }

// Clock reads a time of day.
func (p *parser) clock() (moment.Clock, error) {
	p.offer(Offer{Kind: "time"})
	t := p.peek()
	m := timeRule.FindStringSubmatch(t.text)
	if m == nil || t.quoted {
		return 0, p.expected("a time, such as 7:00 or 22:30")
	}
	h, _ := strconv.Atoi(m[1])
	minutes, _ := strconv.Atoi(m[2])
	if h > 23 || minutes > 59 {
		return 0, at(t, "there is no %s: times go from 00:00 to 23:59", t.text)
	}
	p.next++
	return moment.Clock(h*60 + minutes), nil
}

// event reads something that the sun does.
func (p *parser) event() (sun.Event, bool) {
	for _, e := range sun.Events {
		if p.ahead(strings.Fields(string(e))...) {
			return e, true
		}
	}
	return "", false
}

// isPoint says whether a moment of a day comes next.
func (p *parser) isPoint() bool {
	begin := p.next
	defer func() { p.next = begin }()
	if _, is := p.offset(); is {
		return true
	}
	if _, is := p.event(); is {
		return true
	}
	return !p.ended() && !p.peek().quoted && isTime(p.peek().text)
}

// offset reads "10 min after", where that comes next.
func (p *parser) offset() (time.Duration, bool) {
	begin := p.next
	d, err := p.dur()
	switch {
	case err != nil:
	case p.is("after"):
		return d, true
	case p.is("before"):
		return -d, true
	}
	p.next = begin
	return 0, false
}

// point reads a moment of a day.
func (p *parser) point() (out moment.Point, err error) {
	out.Offset, _ = p.offset()
	if e, is := p.event(); is {
		out.Sun = e
		return out, nil
	}
	p.offer(Offer{Kind: "time"})
	if p.ended() || p.peek().quoted || !isTime(p.peek().text) {
		return out, p.expected("a time such as 22:30, or sunrise, sunset, dawn, dusk or noon")
	}
	out.Clock, err = p.clock()
	return out, err
}

// days reads days of the week: weekdays; mon, fri; first mon.
func (p *parser) days() (d moment.Days, err error) {
	switch {
	case p.is("weekdays", "mon-fri"):
		return moment.Days{Of: moment.Weekdays}, nil
	case p.is("weekends", "sat-sun"):
		return moment.Days{Of: moment.Weekends}, nil
	}
	t := p.peek()
	if n, is := moment.Nth(t.text); is && !t.quoted {
		p.next++
		day, err := p.weekday()
		return moment.Days{Of: []time.Weekday{day}, Nth: n}, err
	}
	for {
		day, err := p.weekday()
		if err != nil {
			return d, err
		}
		if !slices.Contains(d.Of, day) {
			d.Of = append(d.Of, day)
		}
		if p.next+1 >= len(p.tokens) || p.peek().text != "," {
			return d, nil
		}
		if _, is := moment.Weekday(p.tokens[p.next+1].text); !is {
			return d, nil
		}
		p.next++
	}
}

func (p *parser) weekday() (time.Weekday, error) {
	p.offer(Offer{Kind: "day"})
	t := p.peek()
	day, is := moment.Weekday(t.text)
	if !is || t.quoted {
		return 0, p.expected("days: weekdays, weekends, mon, tue, …, or first mon")
	}
	p.next++
	return day, nil
}

// date reads a day of the calendar: 2026-12-05, or 12-05 of every year.
func (p *parser) date() (moment.Date, error) {
	p.offer(Offer{Kind: "date"})
	t := p.peek()
	d := moment.Date{}
	if m := dateRule.FindStringSubmatch(t.text); m != nil {
		d.Year, _ = strconv.Atoi(m[1])
		month, _ := strconv.Atoi(m[2])
		d.Month = time.Month(month)
		d.Day, _ = strconv.Atoi(m[3])
	} else if m := yearly.FindStringSubmatch(t.text); m != nil {
		month, _ := strconv.Atoi(m[1])
		d.Month = time.Month(month)
		d.Day, _ = strconv.Atoi(m[2])
	} else {
		return d, p.expected("a date, such as 2026-12-05, or 12-05 of every year")
	}
	there := d
	if d.Year == 0 {
		there.Year = 2028 // 29 February is a day, though not of every year
	}
	if !there.Is() {
		return d, at(t, "there is no day %s", t.text)
	}
	p.next++
	return d, nil
}

// between reads "between 23:00 and 06:00 on fri"; its first word is read.
func (p *parser) between() (*moment.Between, error) {
	from, err := p.point()
	if err != nil {
		return nil, err
	}
	if err := p.want("and"); err != nil {
		return nil, err
	}
	to, err := p.point()
	if err != nil {
		return nil, err
	}
	b := &moment.Between{From: from, To: to}
	if p.is("on") {
		b.On, err = p.days()
	}
	return b, err
}

// span reads "from 12-01 to 01-06"; its first word is read.
func (p *parser) span() (*moment.Span, error) {
	t := p.peek()
	from, err := p.date()
	if err != nil {
		return nil, err
	}
	if err := p.want("to"); err != nil {
		return nil, err
	}
	to, err := p.date()
	if err == nil && (from.Year == 0) != (to.Year == 0) {
		err = at(t, "both days have a year, or neither")
	}
	if err == nil && from.Year != 0 && to.Compare(from) < 0 {
		err = at(t, "%s is before %s", to, from)
	}
	return &moment.Span{From: from, To: to}, err
}

// sky reads "sun down" or "sun below -18 °"; its first word is read.
func (p *parser) sky() (*Sky, error) {
	for _, is := range []string{"up", "down"} {
		if p.is(is) {
			return &Sky{Is: is}, nil
		}
	}
	for _, is := range []string{"above", "below"} {
		if !p.is(is) {
			continue
		}
		t := p.peek()
		q, err := p.quantity()
		if err != nil {
			return nil, err
		}
		n, err := strconv.ParseFloat(q.Number, 64)
		if err != nil || n < -90 || n > 90 || q.Unit != "" && q.Unit != "°" {
			return nil, at(t, "the sun stands from -90 ° to 90 °")
		}
		return &Sky{Is: is, Angle: q.Number}, nil
	}
	return nil, p.expected("up, down, above or below")
}

// moment reads a condition about times or what happened; false where none comes next.
func (p *parser) moment() (c Cond, is bool, err error) {
	switch {
	case p.is("between"):
		c.Between, err = p.between()
	case p.is("on"):
		d, e := p.days()
		c.On, err = &d, e
	case p.is("from"):
		c.Span, err = p.span()
	case p.isNext("sun") && !p.has(1, "/"):
		p.next++
		c.Sky, err = p.sky()
	case p.is("occasion"):
		on, e := p.named("occasion", p.full.Occasion)
		c.In, err = &on, e
	case p.is("marker"):
		c.Marker, err = p.slug("the name of a marker")
	case p.is("errand"):
		on, e := p.named("errand", p.full.Errand)
		if e == nil {
			e = p.want("ran")
		}
		if e == nil {
			e = p.want("within")
		}
		c.Ran, err = &Ran{Errand: on}, e
		if e == nil {
			c.Ran.Within, err = p.dur()
		}
	default:
		return p.past()
	}
	return c, true, err
}

// past reads what happened lately to a control, measurement or key; false where the path is followed by something else.
func (p *parser) past() (c Cond, is bool, err error) {
	begin := p.next
	kind := p.pathKind()
	word := p.wordAfter("changed", "unchanged", "pressed")
	out := &Past{What: word}
	if kind != "key" {
		out.Which = kind
	}
	switch word {
	case "pressed":
		out.On, out.Name, err = p.key()
	case "changed", "unchanged":
		out.On, out.Name, err = p.gauge(kind)
	default:
		p.next = begin
		return c, false, nil
	}
	if err != nil {
		return c, true, err
	}
	p.next++
	if word == "changed" && p.is("by") {
		if out.By, err = p.who(); err != nil {
			return c, true, err
		}
	}
	join := "within"
	if word == "unchanged" {
		join = "for"
	}
	if err = p.want(join); err == nil {
		out.Within, err = p.dur()
	}
	return Cond{Past: out}, true, err
}

// momentText is a condition about times or what happened, as it is written; "" of any other.
func (c Cond) momentText(name func(Target) string) string {
	switch {
	case c.Between != nil:
		text := "between " + PointText(c.Between.From) + " and " + PointText(c.Between.To)
		if len(c.Between.On.Of) > 0 {
			text += " on " + c.Between.On.String()
		}
		return text
	case c.On != nil:
		return "on " + c.On.String()
	case c.Span != nil:
		return c.Span.String()
	case c.Sky != nil && c.Sky.Angle != "":
		return "sun " + c.Sky.Is + " " + c.Sky.Angle + " °"
	case c.Sky != nil:
		return "sun " + c.Sky.Is
	case c.In != nil:
		return "occasion " + called(*c.In, name)
	case c.Marker != "":
		return "marker " + c.Marker
	case c.Ran != nil:
		return "errand " + called(c.Ran.Errand, name) + " ran within " + Dur(c.Ran.Within)
	case c.Past != nil:
		text := gaugeText(c.Past.Which, c.Past.On, c.Past.Name, name) + " " + c.Past.What
		if c.Past.By != "" {
			text += " by " + c.Past.By
		}
		if c.Past.What == "unchanged" {
			return text + " for " + Dur(c.Past.Within)
		}
		return text + " within " + Dur(c.Past.Within)
	}
	return ""
}

// PointText is a moment of a day as it is written.
func PointText(p moment.Point) string {
	text := string(p.Sun)
	if p.Sun == "" {
		text = p.Clock.String()
	}
	return OffsetText(p.Offset) + text
}

// OffsetText is "10 min after ", or nothing.
func OffsetText(d time.Duration) string {
	switch {
	case d < 0:
		return Dur(-d) + " before "
	case d > 0:
		return Dur(d) + " after "
	}
	return ""
}

// gaugeText is the path of a control or measurement, with the word that says which of them is meant.
func gaugeText(which string, on Target, control string, name func(Target) string) string {
	path := on.ID
	if on.Kind != Measurement {
		path = pathOf(on, control, name)
	}
	return strings.TrimSpace(which + " " + path)
}

// pathKinds are the words before a path that say what is meant by it.
var pathKinds = []string{"control", "measurement", "key"}

// pathKind reads such a word, "" where there is none.
func (p *parser) pathKind() string {
	if p.isNext(pathKinds...) && p.has(1, "/") {
		p.next++
		return p.tokens[p.next-1].text
	}
	return ""
}

// isNext says whether one of some words is next, and leaves it.
func (p *parser) isNext(words ...string) bool {
	p.offerWords(words...)
	return !p.ended() && !p.peek().quoted && slices.Contains(words, p.peek().text)
}

// has says whether a word further on has a text in it.
func (p *parser) has(further int, text string) bool {
	i := p.next + further
	return i < len(p.tokens) && !p.tokens[i].quoted && strings.Contains(p.tokens[i].text, text)
}

// wordAfter is the word behind the path that is next; "" where no path is. Some words may stand there.
func (p *parser) wordAfter(may ...string) string {
	if p.has(0, "/") && p.next+1 == len(p.tokens) {
		p.offerBehind(may...)
	}
	if !p.has(0, "/") || p.next+1 >= len(p.tokens) || p.tokens[p.next+1].quoted {
		return ""
	}
	return p.tokens[p.next+1].text
}

// named reads the name of something.
func (p *parser) named(kind string, find func(string) (Target, error)) (Target, error) {
	p.offer(Offer{Kind: kind})
	t := p.peek()
	if t.quoted || t.text == "" || strings.ContainsAny(t.text, "(),;/") {
		return Target{}, p.expected("a name")
	}
	p.next++
	on, err := find(t.text)
	if err != nil {
		return on, at(t, "%w", err)
	}
	return on, nil
}

// slugRule is what names are made of.
var slugRule = regexp.MustCompile(`^[a-z0-9]+(-[a-z0-9]+)*$`)

// slug reads a name that nothing has yet.
func (p *parser) slug(what string) (string, error) {
	p.offer(Offer{Kind: "name"})
	t := p.peek()
	if t.quoted || !slugRule.MatchString(t.text) || len(t.text) > 40 {
		return "", p.expected(what + ", of a to z, 0 to 9 and -")
	}
	p.next++
	return t.text, nil
}

// text reads a text in quotation marks.
func (p *parser) text(what string) (string, error) {
	p.offer(Offer{Kind: "text"})
	t := p.peek()
	if !t.quoted || p.ended() {
		return "", p.expected(what + ` in quotation marks`)
	}
	if strings.TrimSpace(t.text) == "" {
		return "", at(t, "it says nothing: write %s between the quotation marks", what)
	}
	p.next++
	return t.text, nil
}

// key reads DEVICE/KEY.
func (p *parser) key() (Target, string, error) {
	on, key, t, err := p.path("DEVICE/KEY")
	switch {
	case err != nil:
	case on.Kind != Device:
		err = at(t, "a key is one of a device, and %s is a %s", on.Was, on.Kind)
	default:
		if err = p.names.Key(on, key); err != nil {
			err = at(t, "%w", err)
		}
	}
	return on, key, err
}

// gauge reads a control or a measurement; where a path is both, it is the control, unless a word before it says which.
func (p *parser) gauge(kind string) (Target, string, error) {
	t := p.peek()
	if kind == "measurement" {
		on, err := p.measurement()
		return on, "", err
	}
	w, _, err := p.control()
	if err == nil || kind == "control" {
		return w.On, w.Control, err
	}
	if on, none := p.names.Target(t.text); none == nil && on.Kind == Measurement {
		return on, "", nil
	}
	return w.On, w.Control, err
}

// measurement reads a measurement.
func (p *parser) measurement() (Target, error) {
	p.pathKind()
	p.offer(Offer{Kind: "measurement"})
	t := p.peek()
	if t.quoted || !strings.Contains(t.text, "/") {
		return Target{}, p.expected("a measurement, such as dome/humidity")
	}
	on, err := p.names.Target(t.text)
	if err == nil && on.Kind != Measurement {
		err = fmt.Errorf("%s is no measurement", t.text)
	}
	if err != nil {
		return on, at(t, "%w", err)
	}
	p.next++
	return on, nil
}

// proper are the units as they are written.
var proper = map[string]string{"°c": "°C", "°f": "°F", "c": "°C", "f": "°F", "w": "W", "kw": "kW", "kwh": "kWh",
	"v": "V",
	"a": "A", "hpa": "hPa", "db": "dB"}

// quantity reads a number, behind which a unit may stand.
func (p *parser) quantity() (q Quantity, err error) {
	p.offer(Offer{Kind: "number"})
	t := p.peek()
	if p.ended() || t.quoted {
		return q, p.expected("a number")
	}
	word := t.text
	if m := glued.FindStringSubmatch(word); m != nil && slices.Contains(quantities, m[2]) {
		p.next++
		return Quantity{m[1], properly(m[2])}, nil
	}
	if !numberRule.MatchString(word) {
		return q, p.expected("a number")
	}
	p.next++
	q.Number = word
	if unit := p.peek().text; !p.ended() && p.is(quantities...) {
		q.Unit = properly(unit)
	}
	return q, nil
}

func properly(unit string) string {
	if p, is := proper[unit]; is {
		return p
	}
	return unit
}
