package library

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"strings"

	"urbo/core/bench"
	"urbo/core/device"
	"urbo/core/line"
	"urbo/core/notation"
	"urbo/core/recording"
	"urbo/core/signal"
)

// Hand is what a key sends, as somebody writes it.
type Hand struct {
	Text    string // see core/notation
	Hz      int    // of durations: carrier or channel; 0 is infrared at the usual carrier
	Repeats *int   // nil is as the line code says
	GapUS   int    // least silence after each code
}

// Write gives a key what somebody wrote. Durations that are a known line code are kept as that, so that they can be
// held and are recognised. remarks say how it was understood. Errors are those of Change and of notation.Parse.
func (l *Library) Write(ctx context.Context, ref device.Ref, h Hand, note Note) (d device.Device, remarks []string,
	err error) {
	codes, remarks, err := l.Read(h)
	if err != nil {
		return d, nil, fmt.Errorf("keep %s: %w", ref, err)
	}
	d, err = l.ChangeBySlug(ctx, ref.Device, note, func(d *device.Device) error { return d.SetCodes(ref.Key, codes) })
	return d, remarks, err
}

// Read makes codes of what somebody wrote, and says how it was understood. Errors are those of notation.Parse.
func (l *Library) Read(h Hand) ([]device.Code, []string, error) {
	codes, remarks, err := notation.ParseSaying(h.Text, h.Hz, l.book)
	if err != nil {
		code, said, pasted := l.pasted(h)
		if !pasted {
			return nil, nil, err
		}
		return []device.Code{code}, said, nil
	}
	for i := range codes {
		c := &codes[i]
		if c.Sheet == "" && c.Inline == "" && c.Train.CheckKey() == nil {
			if known, ok := l.known(*c); ok {
				remarks = append(remarks, fmt.Sprintf("These durations are %s %s, and are kept as that.", known.Sheet,
					known.Fields))
				*c = known
			} else {
				remarks = append(remarks,
					"These durations are no line code that is known for sure: they are kept as they "+
						"are, are sent once at a press, and cannot be held.")
				if h.Hz == 0 && c.Channel.Hz == device.UsualCarrier {
					remarks = append(remarks, "They say no carrier: infrared at "+device.Hertz(c.Channel.Hz)+
						" is taken. Another one, or a radio channel, is given in Hz.")
				}
			}
		}
		c.Source, c.Repeats, c.GapUS = "hand", h.Repeats, max(c.GapUS, h.GapUS)
	}
	return codes, remarks, nil
}

// fewestPasted is how many durations a pasted text needs to be one: a typing error in a code is none.
const fewestPasted = 12

// pasted makes a code of a text that holds one press as people paste it: with titles, words, units, or what a program
// wrote around it. said is how it was understood. It is false for what is no such text.
func (l *Library) pasted(h Hand) (c device.Code, said []string, ok bool) {
	presses, how, err := pressesOf(h.Text, 2)
	if err != nil || len(presses) != 1 || count(presses[0]) < fewestPasted {
		return c, nil, false
	}
	c, said, err = l.clean(presses[0], h)
	return c, append([]string{fmt.Sprintf("It was understood as %s: %d durations.", how, count(presses[0]))}, said...),
		err == nil
}

// pressesOf reads the presses of a text, at most so many, and says how it was understood.
func pressesOf(text string, most int) (presses []recording.Press, how string, err error) {
	for _, format := range []string{"", "text"} { // what looks like another format may be none
		var r *recording.Reader
		if r, err = recording.Open("", strings.NewReader(text), recording.Options{Format: format}); err != nil {
			continue
		}
		for presses = nil; len(presses) < most && r.Scan(); {
			presses = append(presses, r.Press())
		}
		if how, err = cmp.Or(r.Info.Understood, r.Info.Format), r.Err(); err == nil && len(presses) > 0 {
			return presses, how, nil
		}
	}
	return nil, "", err
}

// count is how many durations a press has.
func count(p recording.Press) (n int) {
	for _, t := range p.Trains {
		n += len(t.Train)
	}
	return n
}

// clean makes a code of a press that was read, and says what it is.
func (l *Library) clean(p recording.Press, h Hand) (c device.Code, said []string, err error) {
	trains := slices.Clone(p.Trains)
	for i := range trains {
		trains[i].Gap = max(trains[i].Gap, signal.UnknownGap)
	}
	on := device.ChannelAt(h.Hz)
	if on.Hz == 0 {
		on = device.Channel{Medium: line.Infrared, Hz: p.CarrierHz}
	}
	s, err := bench.Describe(trains)
	if err != nil {
		return c, nil, err
	}
	if c, err = l.Suggest(on, l.book.Only(on.Medium).Decode(trains).Readings, &s); err != nil {
		return c, nil, err
	}
	c.Source, c.GapUS = "hand", max(c.GapUS, h.GapUS)
	if h.Repeats != nil {
		c.Repeats = h.Repeats
	}
	if c.Sheet != "" {
		return c, []string{fmt.Sprintf("They are %s %s, and are kept as that.", c.Sheet, c.Fields)}, nil
	}
	said = []string{"No line code is known for sure: " + s.Words()}
	if h.Hz == 0 && p.CarrierHz == 0 {
		said = append(said, "They say no carrier: infrared at "+device.Hertz(c.Channel.Hz)+" is taken. Another one, "+
			"or a radio channel, is given in Hz.")
	}
	return c, said, nil
}

// known is the line code that a plain train is, where it is one for sure: more than a frame without any check.
func (l *Library) known(c device.Code) (device.Code, bool) {
	heard := []signal.Reception{{Train: c.Train, Gap: max(c.GapUS, signal.UnknownGap)}}
	r := l.book.Only(c.Channel.Medium).Decode(heard).Readings
	if len(r) == 0 || r[0].Confidence <= line.LoneLimit {
		return c, false
	}
	on := c.Channel
	if on.Hz == device.UsualCarrier { // it may not have been said
		on.Hz = 0
	}
	s, err := bench.Describe(heard)
	if err != nil {
		return c, false
	}
	out, err := l.Suggest(on, r, &s)
	return out, err == nil && out.Sheet != ""
}
