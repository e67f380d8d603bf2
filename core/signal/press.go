package signal

import "time"

// Reception is one train as it came, with the silence after it.
type Reception struct {
	Train Train `json:"train"`
	Gap   int   `json:"gap_us"` // µs of silence after the train; for the last of a press, the least that was seen
}

// PressSilence is the silence in µs that ends a press: trains closer than this belong to one push of a key.
const PressSilence = 250_000

// EchoLate is how long after a send its echo may still come in: a receiver ends a train after 20 ms of silence, and the
// link takes its time.
const EchoLate = 200 * time.Millisecond

// UnknownGap is the silence in µs that a station must hear before it ends a train, and so the least that lies
// between two trains of which nothing else is known.
const UnknownGap = 20_000

// Flatten joins the trains of a press into one list of durations, mark first, with the silences between them as
// spaces, and at least PressSilence after the last one: the list has an even length. A gap that is not known (0)
// counts as UnknownGap.
func Flatten(trains []Reception) []int {
	n := 0
	for _, h := range trains {
		n += len(h.Train) + 1
	}
	flat := make([]int, 0, n)
	for _, h := range trains {
		flat = append(flat, h.Train...)
		if h.Gap <= 0 {
			h.Gap = UnknownGap
		}
		flat = append(flat, h.Gap)
	}
	if len(flat) > 0 {
		flat[len(flat)-1] = max(flat[len(flat)-1], PressSilence)
	}
	return flat
}

// Lasts is how long some trains last, with the silences after them, in µs.
func Lasts(trains []Reception) (us int) {
	for _, t := range trains {
		us += t.Train.Length() + t.Gap
	}
	return us
}

// Split cuts a list of durations (mark first) into trains at every space of at least gap µs.
func Split(flat []int, gap int) []Reception {
	var out []Reception
	start := 0
	for i := 1; i < len(flat); i += 2 {
		if flat[i] >= gap {
			out = append(out, Reception{Train: flat[start:i:i], Gap: flat[i]})
			start = i + 1
		}
	}
	if start < len(flat) {
		rest := flat[start:]
		if len(rest)%2 == 0 {
			out = append(out, Reception{Train: Train(rest[: len(rest)-1 : len(rest)-1]), Gap: rest[len(rest)-1]})
		} else {
			out = append(out, Reception{Train: Train(rest)})
		}
	}
	return out
}
