package bench

import (
	"urbo/core/line"
	"urbo/core/recording"
)

const (
	// mostFindings is how many different signals of one recording are kept apart.
	mostFindings = 2000
	// mostPlain is how many of them may be trains without any structure: in noise, each is another one.
	mostPlain = 20
	// fewestDurations is the number of durations below which a press of a recording is a stray pulse.
	fewestDurations = 6
)

// Finding is one signal of a recording, with how often it came.
type Finding struct {
	recording.Press // the first
	line.Decoded
	Structure Structure
	Count     int
}

// Gatherer puts the presses of a recording together: equal ones are counted, stray pulses left out. Its memory is
// bounded. Make one with NewGatherer.
type Gatherer struct {
	Presses  int       // all that were added
	Strays   int       // too short to be a signal
	LeftOut  int       // beyond what is kept apart
	Findings []Finding // in the order they came

	book   *line.Book
	byName map[string]int
	plain  int
}

// NewGatherer makes a gatherer that reads line codes with a book.
func NewGatherer(book *line.Book) *Gatherer {
	return &Gatherer{book: book, byName: map[string]int{}}
}

// Add takes the next press.
func (g *Gatherer) Add(p recording.Press) {
	g.Presses++
	f := Finding{Press: p, Count: 1, Decoded: g.book.Decode(p.Trains)}
	n := 0
	for _, h := range p.Trains {
		n += len(h.Train)
	}
	if n < fewestDurations && len(f.Readings) == 0 && f.Held == "" && p.Line == 0 {
		g.Strays++
		return
	}
	f.Structure, _ = Describe(p.Trains) // too short to describe: it is kept as it is
	name := g.name(f)
	if i, known := g.byName[name]; known {
		g.Findings[i].Count++
		if g.Findings[i].Press.Name == "" {
			g.Findings[i].Press.Name = p.Name
		}
		return
	}
	unnamed := len(f.Readings) == 0 && f.Held == "" && f.Structure.Style == Plain && f.Structure.Frames < 2 &&
		p.Line == 0
	if len(g.Findings) >= mostFindings || unnamed && g.plain >= mostPlain {
		g.LeftOut++
		return
	}
	if unnamed {
		g.plain++
	}
	g.byName[name] = len(g.Findings)
	g.Findings = append(g.Findings, f)
}

// name is equal for equal signals.
func (g *Gatherer) name(f Finding) string {
	if len(f.Readings) > 0 && f.Readings[0].Confidence >= line.Clear {
		if s, err := g.book.Sheet(f.Readings[0].Sheet); err == nil {
			return s.Identity(f.Readings[0].Fields)
		}
	}
	if f.Held != "" {
		return "held " + f.Held
	}
	return f.Structure.Print.String()
}
