package station

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"io"
	"sync"
	"sync/atomic"
	"time"
)

// MaxMessage is the most bytes of a message, far beyond the longest train with all its parts.
const MaxMessage = 256 << 10

// maxAhead is how many messages are read ahead of Receive.
const maxAhead = 64

// lines is a link over a stream of bytes: one message on each line.
type lines struct {
	origin Origin
	stream io.ReadWriteCloser
	said   chan Message
	ended  chan struct{}
	close  func() error
	sums   atomic.Bool // the station reads check sums
	summed bool        // and writes them: each line has to have one. Used by read only

	writing sync.Mutex
	mu      sync.Mutex
	why     error // why it ended
}

// NewLines makes a link over a stream that is a line for each message, such as a serial port. Lines that are no
// message, such as what a board prints when it starts, are passed over; a note says how many there were. It reads until
// the stream ends or the link is closed.
func NewLines(origin Origin, stream io.ReadWriteCloser) Link {
	l := &lines{origin: origin, stream: stream, said: make(chan Message, maxAhead), ended: make(chan struct{})}
	l.close = sync.OnceValue(func() error {
		close(l.ended)
		return stream.Close()
	})
	go l.read()
	return l
}

func (l *lines) read() {
	r := bufio.NewReaderSize(l.stream, 4<<10)
	bad := 0
	var err error
	for {
		var text []byte
		var tooLong bool
		text, tooLong, err = readLine(r)
		var m Message
		if len(text) > 0 && err == nil {
			var wrong error
			m, wrong = l.message(text)
			if tooLong {
				wrong = fmt.Errorf("%w: a line of more than %d bytes", ErrMessage, MaxMessage)
			}
			if wrong != nil {
				bad++
				m = Garbage(bad, wrong)
			}
		}
		if m != nil {
			select {
			case l.said <- m:
			case <-l.ended:
			}
		}
		if err != nil {
			break
		}
	}
	l.mu.Lock()
	l.why = err
	l.mu.Unlock()
	_ = l.close()
}

// message reads the message of a line.
func (l *lines) message(text []byte) (Message, error) {
	body, has, err := checkSum(text)
	if err != nil {
		return nil, err
	}
	m, err := Unmarshal(body)
	if err != nil {
		return nil, err
	}
	if hello, ok := m.(Hello); ok { // it may have begun anew
		l.sums.Store(hello.Sum)
		l.summed = has
	} else if l.summed && !has {
		return nil, fmt.Errorf("%w: its check sum is missing: it was damaged on the line", ErrMessage)
	}
	l.summed = l.summed || has
	return m, nil
}

// readLine reads up to the next line break; what is beyond MaxMessage is dropped.
func readLine(r *bufio.Reader) (text []byte, tooLong bool, err error) {
	for {
		part, err := r.ReadSlice('\n')
		if len(text)+len(part) > MaxMessage {
			tooLong, text = true, text[:min(len(text), 1)]
		}
		if !tooLong {
			text = append(text, part...)
		}
		switch {
		case err == nil:
			for len(text) > 0 && (text[len(text)-1] == '\n' || text[len(text)-1] == '\r') {
				text = text[:len(text)-1]
			}
			return text, tooLong, nil
		case errors.Is(err, bufio.ErrBufferFull):
		default:
			return nil, false, err
		}
	}
}

// Garbage is the note about the nth message that is none: for the first of them, and then ever more rarely. It is nil
// for the others.
func Garbage(n int, err error) Message {
	for power := 1; power <= n; power *= 10 {
		if n == power {
			return Note{Severity: "warning", Text: fmt.Sprintf("Said what is no message (%d so far): %.200s", n,
				err.Error())}
		}
	}
	return nil
}

// Lost is the note about messages that were left out because a station said more than could be taken.
func Lost(n int) Message {
	return Note{Severity: "warning", Text: fmt.Sprintf("Says more than can be taken: %d of its messages were left out",
		n)}
}

// Origin is where it comes from.
func (l *lines) Origin() Origin { return l.origin }

// Receive waits for the next message.
func (l *lines) Receive(ctx context.Context) (Message, error) {
	select { // what came in before the end is still told
	case m := <-l.said:
		return m, nil
	default:
	}
	select {
	case m := <-l.said:
		return m, nil
	case <-ctx.Done():
		return nil, ctx.Err()
	case <-l.ended:
		select {
		case m := <-l.said:
			return m, nil
		default:
		}
		return nil, l.gone()
	}
}

func (l *lines) gone() error {
	l.mu.Lock()
	defer l.mu.Unlock()
	if l.why == nil || errors.Is(l.why, io.EOF) || errors.Is(l.why, io.ErrClosedPipe) {
		return fmt.Errorf("%w: the connection ended", ErrAway)
	}
	return fmt.Errorf("%w: %w", ErrAway, l.why)
}

// Tell writes a message as a line. Where it cannot be written before ctx ends, the link is closed: half a line may be
// out.
func (l *lines) Tell(ctx context.Context, m Message) error {
	select {
	case <-l.ended:
		return l.gone()
	default:
	}
	data, err := Marshal(m)
	if err != nil {
		return err
	}
	if err := ctx.Err(); err != nil {
		return err
	}
	if l.sums.Load() {
		data = AppendSum(data)
	}
	stop := context.AfterFunc(ctx, func() { _ = l.close() })
	defer stop()
	l.writing.Lock()
	defer l.writing.Unlock()
	if _, err := l.stream.Write(append(data, '\n')); err != nil {
		_ = l.close()
		if cause := context.Cause(ctx); cause != nil { // nobody knows how much of it arrived
			return fmt.Errorf("tell the station: %w", cause)
		}
		return fmt.Errorf("%w: %w", errMaybe, err)
	}
	return nil
}

// errMaybe is wrapped where a message may have got out, in part or whole.
var errMaybe = errors.New("the connection broke while the station was told")

// Close ends the link.
func (l *lines) Close() error { return l.close() }

// Pause waits, and says whether ctx is still there afterwards.
func Pause(ctx context.Context, d time.Duration) bool {
	timer := time.NewTimer(d)
	defer timer.Stop()
	select {
	case <-ctx.Done():
		return false
	case <-timer.C:
		return true
	}
}
