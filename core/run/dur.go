package run

import (
	"regexp"
	"strconv"
	"strings"
	"time"
)

// units of time, and what people also call them.
var units = []struct {
	name string
	is   time.Duration
	also []string
}{
	{"d", 24 * time.Hour, []string{"day", "days"}},
	{"h", time.Hour, []string{"hour", "hours"}},
	{"min", time.Minute, []string{"m", "minute", "minutes", "mins"}},
	{"s", time.Second, []string{"sec", "second", "seconds", "secs"}},
	{"ms", time.Millisecond, []string{"millisecond", "milliseconds"}},
}

// unitOf is the unit of a word, 0 where it is none.
func unitOf(word string) time.Duration {
	for _, u := range units {
		if word == u.name {
			return u.is
		}
		for _, a := range u.also {
			if word == a {
				return u.is
			}
		}
	}
	return 0
}

// mostOfUnit is the most of one unit that a time may have.
const mostOfUnit = 1e6

// gluedDur reads numbers and units without blanks between them: "1h30min".
func gluedDur(word string) (total time.Duration, ok bool) {
	for word != "" {
		m := oneUnit.FindStringSubmatch(word)
		if m == nil {
			return 0, false
		}
		n, err := strconv.ParseFloat(m[1], 64)
		unit := unitOf(m[2])
		if err != nil || unit == 0 || n > mostOfUnit {
			return 0, false
		}
		total += time.Duration(n * float64(unit))
		word = word[len(m[0]):]
		ok = true
	}
	return total, ok
}

// ParseDur reads a time as it is written in steps: "1 h 30 min". The error wraps ErrSteps.
func ParseDur(text string) (time.Duration, error) {
	tokens, err := lex(text)
	if err != nil {
		return 0, err
	}
	p := &parser{tokens: tokens}
	d, err := p.dur()
	if err == nil && !p.ended() {
		err = p.expected("the end")
	}
	return d, err
}

// Dur is a time as it is written in steps: "1 h 30 min".
func Dur(d time.Duration) string {
	if d == 0 {
		return "0 s"
	}
	var parts []string
	for _, u := range units {
		if n := d / u.is; n > 0 {
			parts = append(parts, strconv.FormatInt(int64(n), 10)+" "+u.name)
			d -= n * u.is
		}
	}
	return strings.Join(parts, " ")
}

var (
	numberRule = regexp.MustCompile(`^[-+]?\d+([.]\d+)?$`)
	oneUnit    = regexp.MustCompile(`^(\d+(?:[.]\d+)?)([a-z]+)`)
	glued      = regexp.MustCompile(`^([-+]?\d+(?:[.]\d+)?)([^\d\s]\S*)$`)
	// quantities are the units of values, which stand behind numbers for people only.
	quantities = []string{"%", "°", "°c", "°f", "c", "f", "w", "kw", "kwh", "v", "a", "lx", "hpa", "ppm", "mm", "m",
		"db"}
)
