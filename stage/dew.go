package stage

import "time"

// Dew is a dew heater behind a radio socket with coding switches: on and off are two codes. A timer in it switches it
// off when it was on for four hours.
type Dew struct {
	switches string // ten positions: 0, 1 or F for open
	on       bool
	since    time.Duration // when it was switched on
	before   string        // the code heard last
	heard    time.Duration // when
}

// Codes of the keys: the two last places of the twelve.
const (
	dewOn  = "1F"
	dewOff = "F1"
)

// switchShort is the base pulse of the handset's oscillator, set by a resistor.
const switchShort = 340

// switchFrame writes twelve three-state places and the sync space as the encoder chip does, times in base pulses.
func switchFrame(places string) []int {
	const short, long = switchShort, 3 * switchShort
	var out []int
	for _, p := range places {
		switch p {
		case '0':
			out = append(out, short, long, short, long)
		case '1':
			out = append(out, long, short, long, short)
		default:
			out = append(out, short, long, long, short)
		}
	}
	return append(out, short, 31*switchShort)
}

// dewHeats is how long it heats before its timer switches it off.
const dewHeats = 4 * time.Hour

// isOn says whether it heats at a time.
func (d *Dew) isOn(at time.Duration) bool { return d.on && at < d.since+dewHeats }

// Next is when its timer switches it off.
func (d *Dew) Next(now time.Duration) time.Duration {
	if d.isOn(now) {
		return d.since + dewHeats
	}
	return 0
}

// dewAgain is how soon the same code must come again to count.
const dewAgain = 150 * time.Millisecond

// Hear obeys a code that comes twice in a row, as the decoder chip does.
func (d *Dew) Hear(at time.Duration, runs []int) {
	for i := 0; i+49 <= len(runs); {
		places, ok := readSwitches(runs[i : i+49])
		if !ok {
			i += 2
			continue
		}
		if places == d.before && at-d.heard < dewAgain && places[:10] == d.switches {
			switch places[10:] {
			case dewOn:
				if !d.isOn(at) {
					d.on, d.since = true, at
				}
			case dewOff:
				d.on = false
			}
		}
		d.before, d.heard = places, at
		i += 50
	}
}

// readSwitches compares each mark with the space after it, the way the decoder chip samples.
func readSwitches(runs []int) (string, bool) {
	places := make([]byte, 0, 12)
	whole := runs[0] + runs[1]
	for i := 0; i < 48; i += 4 {
		for j := i; j < i+4; j += 2 {
			if pair := runs[j] + runs[j+1]; pair < whole*3/4 || pair > whole*5/4 {
				return "", false
			}
		}
		first, second := runs[i] > runs[i+1], runs[i+2] > runs[i+3]
		switch {
		case first && second:
			places = append(places, '1')
		case second:
			places = append(places, 'F')
		case !first:
			places = append(places, '0')
		default:
			return "", false
		}
	}
	return string(places), true
}

// State lists whether it heats.
func (d *Dew) State(now time.Duration) []Fact {
	if d.isOn(now) {
		return []Fact{{"power", "on"}}
	}
	return []Fact{{"power", "off"}}
}
