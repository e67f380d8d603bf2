package serial_test

import (
	"context"
	"errors"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"go.uber.org/goleak"

	"urbo/station"
	"urbo/station/pty"
	"urbo/station/serial"
)

func TestMain(m *testing.M) { goleak.VerifyTestMain(m) }

// patience is how long anything may take on a busy machine.
const patience = 20 * time.Second

// plug makes a line, and a path that it is found by.
func plug(t *testing.T, path string) *pty.Line {
	t.Helper()
	line, err := pty.Open()
	require.NoError(t, err)
	t.Cleanup(func() { _ = line.Close() })
	_ = os.Remove(path)
	require.NoError(t, os.Symlink(line.Path, path))
	return line
}

// links runs a port, and tells each of its links.
func links(t *testing.T, path string) <-chan station.Link {
	t.Helper()
	p, err := serial.New(path)
	require.NoError(t, err)
	found := make(chan station.Link)
	ctx, cancel := context.WithCancel(t.Context())
	ended := make(chan struct{})
	go func() {
		defer close(ended)
		station.Supervise(ctx, p, func(ctx context.Context, l station.Link) error {
			defer l.Close()
			closed := make(chan error, 1)
			select {
			case found <- watched{l, closed}:
			case <-ctx.Done():
				return nil
			}
			select {
			case err := <-closed:
				return err
			case <-ctx.Done():
				return nil
			}
		}, time.Now, func(error) {})
	}()
	t.Cleanup(func() { cancel(); <-ended })
	return found
}

// watched tells when a link has ended.
type watched struct {
	station.Link
	ended chan error
}

func (w watched) Receive(ctx context.Context) (station.Message, error) {
	m, err := w.Link.Receive(ctx)
	if err != nil {
		select {
		case w.ended <- err:
		default:
		}
	}
	return m, err
}

func receive(t *testing.T, l station.Link) (station.Message, error) {
	t.Helper()
	ctx, cancel := context.WithTimeout(t.Context(), patience)
	defer cancel()
	m, err := l.Receive(ctx)
	require.NoError(t, ctx.Err(), "nothing is received")
	return m, err
}

func next(t *testing.T, found <-chan station.Link) station.Link {
	t.Helper()
	select {
	case l := <-found:
		return l
	case <-time.After(patience):
		require.FailNow(t, "no link")
		return nil
	}
}

func TestPort_PassesOverWhatIsNoMessage(t *testing.T) {
	path := filepath.Join(t.TempDir(), "board")
	line := plug(t, path)
	l := next(t, links(t, path))
	assert.Equal(t, station.Origin{Over: station.Serial, Address: path}, l.Origin())
	for _, text := range []string{"\x00\xffboot 1.2\r\n", "{\"t\":\"po", "ng\"}\r\n",
		strings.Repeat("x", 2*station.MaxMessage) + "\n",
		"\n{\"t\":\"dance\"}\n", "{\"t\":\"ping\"}\n"} {
		_, err := line.Write([]byte(text))
		require.NoError(t, err)
		switch {
		case strings.HasPrefix(text, "\x00"):
			m, err := receive(t, l)
			require.NoError(t, err)
			assert.Contains(t, m.(station.Note).Text, "Said what is no message (1 so far)")
		case strings.HasPrefix(text, "ng"):
			m, err := receive(t, l)
			require.NoError(t, err)
			assert.Equal(t, station.Pong{}, m, "half a line and its other half are one")
		case strings.HasPrefix(text, "{\"t\":\"ping"):
			m, err := receive(t, l)
			require.NoError(t, err)
			assert.Equal(t, station.Ping{}, m)
		}
	}
	go func() { _ = l.Tell(t.Context(), station.Welcome{Link: 1}) }()
	text := make([]byte, 100)
	n, err := line.Read(text)
	require.NoError(t, err)
	assert.Equal(t, "{\"t\":\"welcome\",\"link\":1}\n", string(text[:n]))
}

func TestPort_IsFoundAgainWhenItIsPluggedInAgain(t *testing.T) {
	path := filepath.Join(t.TempDir(), "board")
	found := links(t, path)
	select {
	case <-found:
		require.FailNow(t, "there is no port yet")
	case <-time.After(10 * time.Millisecond):
	}
	for range 2 {
		line := plug(t, path)
		l := next(t, found)
		_, err := line.Write([]byte("{\"t\":\"ping\"}\n{\"t\":\"hel"))
		require.NoError(t, err)
		m, err := receive(t, l)
		require.NoError(t, err)
		require.Equal(t, station.Ping{}, m)
		require.NoError(t, os.Remove(path))
		require.NoError(t, line.Close()) // in the middle of a message
		_, err = receive(t, l)
		require.ErrorIs(t, err, station.ErrAway)
		require.ErrorIs(t, l.Tell(t.Context(), station.Ping{}), station.ErrAway)
	}
}

func TestPort_BelongsToOneAtATime(t *testing.T) {
	path := filepath.Join(t.TempDir(), "board")
	plug(t, path)
	l := next(t, links(t, path))
	defer l.Close()
	other, err := serial.New(path)
	require.NoError(t, err)
	err = other.Run(t.Context(), func(context.Context, station.Link) error { return errors.New("it has the port too") })
	assert.ErrorContains(t, err, "another program uses it")
}

func TestNew_SaysWhatIsWrongWithAnAddress(t *testing.T) {
	for _, bad := range []string{"", "ttyUSB0", "usb:", "usb:1", "usb:1:2:3:4", "./x"} {
		_, err := serial.New(bad)
		assert.ErrorContains(t, err, "write ", "%q", bad)
	}
	for _, good := range []string{"/dev/ttyUSB0", "usb:2341:0043", "usb:2341:0043:A1"} {
		_, err := serial.New(good)
		assert.NoError(t, err)
	}
}
