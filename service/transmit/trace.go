package transmit

import (
	"bufio"
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"log/slog"
	"os"
	"sync"
	"time"

	"urbo/core/grant"
	"urbo/core/happening"
)

// TraceFile is the name of the trace inside the data directory.
const TraceFile = "presses.trace"

const (
	// longTrace is how many bytes the trace may have before what is over is left out of it.
	longTrace = 256 << 10
	// soon is by when the journal has a receipt on disk, with time to spare.
	soon = 10 * time.Second
)

// Trace is an append-only file beside the database in which every press stands before it goes out. It does not wait for
// the disk: a process that is killed leaves it behind, and after a power cut all is doubtful anyway.
type Trace struct {
	path string
	now  func() time.Time

	mu    sync.Mutex
	file  *os.File
	size  int
	lines []traceLine // that may not be in the journal yet
	said  bool        // that it cannot be written
}

// traceLine is one line of a trace: a press that goes out, or its receipt.
type traceLine struct {
	ID      string            `json:"id"`
	At      time.Time         `json:"at"` // when the press began
	By      grant.By          `json:"by,omitzero"`
	Cause   string            `json:"cause,omitempty"`
	Over    bool              `json:"over,omitempty"` // the receipt, as it was told
	Receipt happening.Receipt `json:"receipt"`

	wrote time.Time
}

// OpenTrace opens the trace of a data directory for appending. What a killed process left in it is read first: left are
// the presses that may not be in the journal, each with the last that is known of it.
func OpenTrace(path string, now func() time.Time) (t *Trace, left []happening.Happening, err error) {
	text, err := os.ReadFile(path)
	if err != nil && !errors.Is(err, fs.ErrNotExist) {
		return nil, nil, fmt.Errorf("read the trace of presses: %w", err)
	}
	left = unfinished(text)
	t = &Trace{path: path, now: now}
	if t.file, err = os.OpenFile(path, os.O_CREATE|os.O_WRONLY|os.O_APPEND, 0o600); err != nil {
		return nil, nil, fmt.Errorf("open the trace of presses: %w", err)
	}
	t.size = len(text)
	return t, left, nil
}

// unfinished is what a trace says of presses: their receipts, and of those that have none that they are unknown. A last
// line that was cut is passed over: its press had not begun.
func unfinished(text []byte) (out []happening.Happening) {
	order, last := []string{}, map[string]traceLine{}
	scan := bufio.NewScanner(bytes.NewReader(text))
	scan.Buffer(nil, 1<<20)
	for scan.Scan() {
		var l traceLine
		if json.Unmarshal(scan.Bytes(), &l) != nil || l.ID == "" {
			continue
		}
		if _, known := last[l.ID]; !known {
			order = append(order, l.ID)
		}
		last[l.ID] = l
	}
	for _, id := range order {
		l := last[id]
		r := l.Receipt
		r.ID, r.At, r.By = l.ID, l.At, l.By
		if !l.Over {
			r.Outcome, r.Reason = happening.Unknown, "Urbo was ended while it went out"
		}
		out = append(out, happening.Happening{ID: l.ID, At: l.At, By: l.By, Cause: l.Cause,
			What: happening.Pressed{Receipt: r}})
	}
	return out
}

// begin notes that a press goes out.
func (t *Trace) begin(r happening.Receipt, cause string) { t.write(r, cause, false) }

// end notes what became of it.
func (t *Trace) end(r happening.Receipt, cause string) { t.write(r, cause, true) }

func (t *Trace) write(r happening.Receipt, cause string, over bool) {
	if t == nil {
		return
	}
	l := traceLine{ID: r.ID, At: r.At, By: r.By, Cause: cause, Over: over, Receipt: r, wrote: t.now()}
	t.mu.Lock()
	defer t.mu.Unlock()
	t.lines = append(t.lines, l)
	if t.size > longTrace {
		t.shorten()
	}
	t.put(l)
}

// put appends a line. Where that cannot be done it is said once, and presses go on. The caller holds mu.
func (t *Trace) put(l traceLine) {
	text, err := json.Marshal(l)
	if err == nil {
		var n int
		n, err = t.file.Write(append(text, '\n'))
		t.size += n
	}
	if err != nil && !t.said {
		slog.Error("the trace of presses cannot be written; after a kill it will not be known what went out", "error",
			err)
	}
	t.said = err != nil
}

// shorten leaves out what is surely in the journal: presses that are over for long. The caller holds mu.
func (t *Trace) shorten() {
	over := map[string]bool{}
	for _, l := range t.lines {
		if l.Over && t.now().Sub(l.wrote) > soon {
			over[l.ID] = true
		}
	}
	var kept []traceLine
	newest := len(t.lines) - 1 // which is about to be written
	for i, l := range t.lines {
		if !over[l.ID] || i == newest {
			kept = append(kept, l)
		}
	}
	if err := t.file.Truncate(0); err != nil {
		return
	}
	t.lines, t.size = kept, 0
	for _, l := range kept[:len(kept)-1] {
		t.put(l)
	}
}

// Close empties the trace where all is in the journal, and closes it.
func (t *Trace) Close(inJournal bool) error {
	t.mu.Lock()
	defer t.mu.Unlock()
	var err error
	if inJournal {
		err = t.file.Truncate(0)
	}
	return errors.Join(err, t.file.Close())
}
