package run

import (
	"strings"
	"time"

	"urbo/core/moment"
	"urbo/core/sun"
)

// Reader reads a text part by part: what is written with steps and conditions in it, such as an errand.
type Reader struct {
	p       *parser
	Remarks []Remark
}

// NewReader begins to read a text. The error wraps ErrSteps and has line and column.
func NewReader(text string, names AllNames) (*Reader, error) {
	tokens, remarks, err := lexAll(text)
	return &Reader{&parser{tokens: tokens, names: names, full: names}, remarks}, err
}

// Ended says whether nothing is left.
func (r *Reader) Ended() bool { return r.p.ended() }

// At is how many tokens are read.
func (r *Reader) At() int { return r.p.next }

// Is says whether one of some words is next, and takes it.
func (r *Reader) Is(words ...string) bool { return r.p.is(words...) }

// Ahead says whether words follow each other next, and takes them.
func (r *Reader) Ahead(words ...string) bool { return r.p.ahead(words...) }

// IsNext says whether one of some words is next, and leaves it.
func (r *Reader) IsNext(words ...string) bool { return r.p.isNext(words...) }

// IsRule says whether "if" and the first word of a rule are next, and leaves them.
func (r *Reader) IsRule() bool { return r.p.isRule() }

// Want takes a word. The error says that it should stand where something else does.
func (r *Reader) Want(word string) error { return r.p.want(word) }

// Expected is the error that says what should stand where something else does.
func (r *Reader) Expected(what string) error { return r.p.expected(what) }

// Wrong is an error at the place of the token that is so many before the next one.
func (r *Reader) Wrong(back int, format string, args ...any) error {
	i := r.p.next - back
	if i < 0 || i >= len(r.p.tokens) {
		return at(r.p.peek(), format, args...)
	}
	return at(r.p.tokens[i], format, args...)
}

// Steps reads steps until something comes that is none.
func (r *Reader) Steps() ([]Step, error) {
	steps, err := r.p.steps(0)
	if err == nil {
		err = Check(steps)
	}
	return steps, err
}

// Cond reads a condition.
func (r *Reader) Cond() (Cond, error) { return r.p.cond(0) }

// Dur reads a time: 10 min.
func (r *Reader) Dur() (time.Duration, error) { return r.p.dur() }

// IsNumber says whether something that begins with a digit comes next.
func (r *Reader) IsNumber() bool {
	t := r.p.peek()
	return !t.quoted && t.text != "" && t.text[0] >= '0' && t.text[0] <= '9'
}

// Offset reads "10 min after", where that comes next.
func (r *Reader) Offset() (time.Duration, bool) { return r.p.offset() }

// Clock reads a time of day.
func (r *Reader) Clock() (moment.Clock, error) { return r.p.clock() }

// Event reads something that the sun does, where that comes next.
func (r *Reader) Event() (sun.Event, bool) { return r.p.event() }

// Date reads a day of the calendar.
func (r *Reader) Date() (moment.Date, error) { return r.p.date() }

// Days reads days of the week.
func (r *Reader) Days() (moment.Days, error) { return r.p.days() }

// Slug reads a name that nothing has yet.
func (r *Reader) Slug(what string) (string, error) { return r.p.slug(what) }

// Sudden reads something that nobody foresees, or a level that is crossed: then the test is not nil.
func (r *Reader) Sudden() (Sudden, *Test, error) {
	begin := r.p.next
	r.p.pathKind()
	if word := r.p.wordAfter("above", "below"); word == "above" || word == "below" || word == "is" || word == ">" ||
		word == "<" {
		r.p.next = begin
		t, err := r.p.test()
		if err == nil && (t.Is != Above && t.Is != Below || t.Until != nil) {
			err = r.Wrong(1, "an errand begins where something comes above or below a number, or becomes a value")
		}
		return Sudden{}, &t, err
	}
	r.p.next = begin
	s, err := r.p.sudden()
	return s, nil, err
}

// Text is what happens, as it is written.
func (s Sudden) Text(name func(Target) string) string { return s.text(name) }

// Text is a condition as it is written.
func (c Cond) Text(name func(Target) string) string { return c.text(name, 0) }

// Text is a test as it is written.
func (t Test) Text(name func(Target) string) string { return t.text(name) }

// Offers collects what may stand where the text ends, from now on.
func (r *Reader) Offers() { r.p.offers = []Offer{} }

// Offered is what may stand where the text ends.
func (r *Reader) Offered() []Offer { return r.p.offers }

// Cut takes the last word away where nothing stands behind it, and returns it: it is still being typed.
func (r *Reader) Cut(text string) string {
	n := len(r.p.tokens)
	if n == 0 || r.p.tokens[n-1].quoted {
		return ""
	}
	last := r.p.tokens[n-1].text
	if ends := len(text) - len(last); ends < 0 || !strings.EqualFold(text[ends:], last) {
		return ""
	}
	r.p.tokens = r.p.tokens[:n-1]
	return last
}
