// Package firmware_test runs the compiled firmware in an instruction-level simulator, and reaches it as Urbo reaches
// any board: over its serial line.
package firmware_test

import (
	"bufio"
	"context"
	"fmt"
	"io"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"urbo/core/device"
	"urbo/core/grant"
	"urbo/core/happening"
	"urbo/core/line"
	"urbo/service"
	"urbo/service/library"
	"urbo/service/stream"
	"urbo/service/transmit"
	"urbo/station"
	"urbo/station/hardware"
	"urbo/station/linktest"
	"urbo/station/serial"
)

// built compiles the firmware and the simulator, once. Where a compiler is missing the test is skipped, but never where
// it counts.
var built = sync.OnceValue(func() error {
	for need, from := range map[string]string{"avr-gcc": "gcc-avr avr-libc", "make": "make", "cc": "gcc libc6-dev"} {
		if _, err := exec.LookPath(need); err != nil {
			return fmt.Errorf("%s is missing: install %s", need, from)
		}
	}
	if _, err := os.Stat("/usr/include/simavr/sim_avr.h"); err != nil {
		return fmt.Errorf("libsimavr is missing: install libsimavr-dev libelf-dev")
	}
	out, err := exec.Command("make").CombinedOutput()
	if err != nil {
		return fmt.Errorf("compile the firmware: %w: %s", err, out)
	}
	return nil
})

// board is a simulated board that runs the firmware.
type board struct {
	t     *testing.T
	cmd   *exec.Cmd
	stdin io.WriteCloser
	path  string // of its serial line
	sent  chan train
	stack chan string        // how much of it was used
	at    chan time.Duration // the time that it has reached, where it goes step by step
}

// train is what left a transmitter.
type train struct {
	port string
	hz   float64
	us   []float64
}

// plugIn starts a board. It is unplugged at the end of the test.
func plugIn(t *testing.T) *board { return begin(t, "build/sim", "build/board.elf") }

// plugInHost starts the firmware as it is built for this machine, with sanitizers. Its time stands still until it has a
// clock.
func plugInHost(t *testing.T) *board { return begin(t, "build/host") }

func begin(t *testing.T, command ...string) *board {
	t.Helper()
	if err := built(); err != nil {
		if os.Getenv("CI") == "" && strings.Contains(err.Error(), "missing") {
			t.Skip(err)
		}
		require.NoError(t, err)
	}
	b := &board{t: t, cmd: exec.Command(command[0], command[1:]...), sent: make(chan train, 1000),
		at: make(chan time.Duration, 1), stack: make(chan string, 1)}
	var err error
	b.stdin, err = b.cmd.StdinPipe()
	require.NoError(t, err)
	out, err := b.cmd.StdoutPipe()
	require.NoError(t, err)
	require.NoError(t, b.cmd.Start())
	t.Cleanup(b.unplug)
	lines := bufio.NewScanner(out)
	lines.Buffer(nil, 1<<20)
	for lines.Scan() && b.path == "" {
		if strings.HasPrefix(lines.Text(), "/dev/") {
			b.path = lines.Text()
			break
		}
	}
	require.NotEmpty(t, b.path, "the simulator says where the serial line is")
	go func() {
		for lines.Scan() {
			words := strings.Fields(lines.Text())
			if len(words) == 2 && words[0] == "at" {
				us, _ := strconv.Atoi(words[1])
				b.at <- time.Duration(us) * time.Microsecond
				continue
			}
			if len(words) == 4 && words[0] == "stack" {
				b.stack <- lines.Text()
				continue
			}
			if len(words) < 4 || words[0] != "sent" {
				continue
			}
			var s train
			s.port = words[1]
			s.hz, _ = strconv.ParseFloat(words[2], 64)
			for _, w := range words[3:] {
				us, _ := strconv.ParseFloat(w, 64)
				s.us = append(s.us, us)
			}
			b.sent <- s
		}
	}()
	return b
}

// unplug ends the board as pulling its cable does.
func (b *board) unplug() {
	if b.cmd.ProcessState == nil {
		_ = b.cmd.Process.Kill()
		_ = b.cmd.Wait()
	}
}

// press lets a receiver see marks and spaces in µs.
func (b *board) press(port string, us []int) {
	b.t.Helper()
	text := "press " + port
	for _, d := range us {
		text += " " + strconv.Itoa(d)
	}
	_, err := fmt.Fprintln(b.stdin, text)
	require.NoError(b.t, err)
}

// left waits for the next train that left a transmitter.
func (b *board) left(port string) train {
	b.t.Helper()
	for {
		select {
		case s := <-b.sent:
			if s.port == port {
				return s
			}
		case <-time.After(patience):
			require.FailNow(b.t, "nothing left the transmitter "+port)
		}
	}
}

// patience is how long anything may take on a busy machine.
const patience = 30 * time.Second

// link opens the serial line as the transport does.
func (b *board) link(use func(station.Link)) {
	b.t.Helper()
	p, err := serial.New(b.path)
	require.NoError(b.t, err)
	ctx, cancel := context.WithCancel(b.t.Context())
	require.NoError(b.t, p.Run(ctx, func(_ context.Context, l station.Link) error {
		use(l)
		cancel()
		return nil
	}))
}

func TestFirmware_KeepsTheRulesOfTheLink(t *testing.T) {
	b := plugIn(t)
	clock := newClock(b, step)
	b.link(func(l station.Link) { linktest.ConformIn(t, l, clock) })
	_, err := fmt.Fprintln(b.stdin, "stack")
	require.NoError(t, err)
	var used, of int
	_, err = fmt.Sscanf(<-b.stack, "stack %d of %d", &used, &of)
	require.NoError(t, err)
	t.Logf("%d of %d bytes of the stack were used", used, of)
	assert.Less(t, used, of-stackSpare)
}

// stackSpare is what of the stack has to stay free.
const stackSpare = 30

// TestFirmware_GoesOnAfterGarbage says things to it that are no messages, and messages that cannot be obeyed.
func TestFirmware_GoesOnAfterGarbage(t *testing.T) {
	b := plugIn(t)
	raw, err := os.OpenFile(b.path, os.O_WRONLY, 0)
	require.NoError(t, err)
	defer raw.Close()
	ctx, cancel := context.WithTimeout(t.Context(), patience)
	defer cancel()
	b.link(func(l station.Link) {
		await := func(what func(station.Message) bool) station.Message {
			for {
				m, err := l.Receive(ctx)
				require.NoError(t, err)
				if what(m) {
					return m
				}
			}
		}
		await(func(m station.Message) bool { _, ok := m.(station.Hello); return ok })
		for _, bad := range []string{
			"what", `{"t":"send"`, `{"t":"send","id":"a"}}`, `{{{`, `[]`, `{"t":5}`, strings.Repeat("x", 3000),
			`{"t":"send","id":"` + strings.Repeat("i", 60) + `","port":"ir-out","carrier_hz":38000,"once":[500,500]}`,
			`{"t":"send","id":"e","port":"ir-out","carrier_hz":38000,"once":[1e9,500]}`,
			`{"t":"send","id":"n","port":"ir-out","carrier_hz":38000,"once":[-500,500]}`,
			`{"t":"send","id":"o","port":"ir-out","carrier_hz":38000,"once":[500]}`,
			`{"t":"send","id":"z","port":"ir-out","carrier_hz":38000,"once":[0,0]}`,
			`{"t":"send","id":"c","port":"ir-out","carrier_hz":455000,"once":[500,500]}`,
			`{"t":"send","id":"m","port":"ir-out","carrier_hz":38000,"once":[500,99999999999]}`,
			`{"t":"send","id":"l","port":"ir-out","carrier_hz":38000,"once":[300000,500]}`,
			`{"t":"dance","with":{"deep":[[[{"x":"]}"}]]]}}`, `{"t":"hold","id":"nobody","lease_ms":5}`, "\r", "",
		} {
			_, err := raw.Write(append(station.AppendSum([]byte(bad)), '\n'))
			require.NoError(t, err)
			_, err = raw.WriteString(bad + "\n")
			require.NoError(t, err)
			require.NoError(t, l.Tell(ctx, station.Ping{}))
			m := await(func(m station.Message) bool {
				_, pong := m.(station.Pong)
				_, sent := m.(station.Sent)
				return pong || sent
			})
			assert.IsType(t, station.Pong{}, m, "after %.60q", bad)
		}
		// A send that was damaged on the line is not sent, also where what is left of it could be.
		good := station.AppendSum([]byte(`{"t":"send","id":"d","port":"ir-out","carrier_hz":38000,` +
			`"once":[560,560,1690,40000]}`))
		for at := 2; at < len(good); at += 7 {
			dropped := append(append([]byte{}, good[:at]...), good[at+1:]...)
			changed := append([]byte{}, good...)
			changed[at]++
			for _, damaged := range [][]byte{dropped, changed, good[:at], good[:len(good)-6]} {
				_, err := raw.Write(append(slices.Clone(damaged), '\n'))
				require.NoError(t, err)
			}
			require.NoError(t, l.Tell(ctx, station.Ping{}))
			m := await(func(m station.Message) bool {
				_, pong := m.(station.Pong)
				_, sent := m.(station.Sent)
				_, failed := m.(station.Failed)
				return pong || sent || failed
			})
			assert.IsType(t, station.Pong{}, m, "after damage at %d", at)
		}
		// and it is whole: keys come in any order, with spaces and what it does not know
		_, err := raw.Write(append(station.AppendSum([]byte(`{ "once" : [ 500 , 500.4 ], "new":{"a":[1,{"b":"}"}]},`+
			` "carrier_hz":40000,"x":true,"port":"ir-out","id":"whole", "t":"send" }`)), '\n'))
		require.NoError(t, err)
		m := await(func(m station.Message) bool { _, ok := m.(station.Sent); return ok })
		assert.Equal(t, "whole", m.(station.Sent).ID)
	})
	assert.InEpsilon(t, 40_000, b.left("ir-out").hz, 0.01)
}

// TestFirmware_LearnsAndSendsAKey is the whole story: a handset's edges on the input pins become captures, a capture
// becomes a key, and the key's pulses leave the output pins.
func TestFirmware_LearnsAndSendsAKey(t *testing.T) {
	for _, c := range []struct {
		name, in, out string
		code          device.Code
		carrier       float64
	}{
		{"infrared", "ir-in", "ir-out", device.Code{Sheet: "nec", Fields: line.Fields{"address": line.Number(0x35),
			"command": line.Number(0x12)}}, 38_000},
		{"radio", "radio-in", "radio-out", device.Code{Sheet: "ev1527", Fields: line.Fields{"id": line.Number(0x1C3A9),
			"key": line.Number(4)}}, 0},
	} {
		t.Run(c.name, func(t *testing.T) {
			b := plugIn(t)
			h := open(t, b.path)
			wave, _, err := h.Transmit.Wave(c.code)
			require.NoError(t, err)
			if c.in == "radio-in" { // a frame, again and again, as a handset sends it
				wave = append(append(append([]int{}, wave...), wave...), wave...)
			}
			b.press(c.in, wave)
			heard := await(t, h.events, func(w happening.Heard) bool { return len(w.Capture.Readings) > 0 })
			assert.Equal(t, c.code.Sheet, heard.Capture.Readings[0].Sheet)
			assert.Equal(t, "board/"+c.in, heard.Place)

			d, err := h.Library.Add(t.Context(), device.Device{Name: "Story", Keys: []device.Key{{Name: "on"}}},
				library.Note{})
			require.NoError(t, err)
			on := device.Channel{Medium: heard.Capture.Medium, Hz: heard.Capture.Hz}
			code, err := h.Library.Suggest(on, heard.Capture.Readings, heard.Capture.Structure)
			require.NoError(t, err)
			d, err = h.Library.Change(t.Context(), d.ID, library.Note{}, func(d *device.Device) error {
				d.Keys[0].Codes = []device.Code{code}
				return nil
			})
			require.NoError(t, err)
			through, err := h.Stations.Place("board/" + c.out)
			require.NoError(t, err)
			r, err := h.Transmit.Press(t.Context(),
				transmit.Order{Device: d, Key: d.Keys[0], Transmitter: through})
			require.NoError(t, err)
			require.Equal(t, happening.Sent, r.Outcome, r.Reason)

			want, _, err := h.Transmit.Wave(code)
			require.NoError(t, err)
			got := b.left(c.out)
			require.GreaterOrEqual(t, len(want), len(got.us))
			for i, us := range got.us {
				assert.InDelta(t, float64(want[i]), us, math.Max(0.02*float64(want[i]), 3), "duration %d of %v", i,
					got.us)
			}
			if c.carrier > 0 {
				assert.InEpsilon(t, c.carrier, got.hz, 0.01, "the carrier")
			}
		})
	}
}

// TestFirmware_HearsLongRadioFramesWhole lets the radio receiver hear the longest frame of a line code: 148 durations.
func TestFirmware_HearsLongRadioFramesWhole(t *testing.T) {
	b := plugIn(t)
	h := open(t, b.path)
	code := device.Code{Sheet: "sl32", Fields: line.Fields{"id": line.Number(0x1C3A9), "group": line.Number(0),
		"channel": line.Number(2), "unit": line.Number(1), "level": line.Number(7)}}
	wave, _, err := h.Transmit.Wave(code)
	require.NoError(t, err)
	b.press("radio-in", wave)
	heard := await(t, h.events, func(w happening.Heard) bool { return len(w.Capture.Readings) > 0 })
	assert.Equal(t, "sl32", heard.Capture.Readings[0].Sheet)
}

// TestFirmware_IsFoundAgain unplugs the board in the middle of a send, and plugs another in under the same name.
func TestFirmware_IsFoundAgain(t *testing.T) {
	b := plugIn(t)
	port := filepath.Join(t.TempDir(), "ttyBoard")
	require.NoError(t, os.Symlink(b.path, port))
	h := open(t, port)
	code := device.Code{Sheet: "nec", Fields: line.Fields{"address": line.Number(1), "command": line.Number(2)}}
	d, err := h.Library.Add(t.Context(), device.Device{Name: "Held", Keys: []device.Key{{Name: "up",
		Codes: []device.Code{code}}}}, library.Note{})
	require.NoError(t, err)
	k, err := h.Transmit.Start(transmit.Order{Device: d, Key: d.Keys[0], Hold: 10 * time.Second})
	require.NoError(t, err)
	b.left("ir-out")
	b.unplug()
	r, err := k.Wait(t.Context())
	require.NoError(t, err)
	assert.Equal(t, happening.Unknown, r.Outcome, "it may have gone out or not")
	await(t, h.events, func(happening.StationAway) bool { return true })

	again := plugIn(t)
	require.NoError(t, os.Remove(port))
	require.NoError(t, os.Symlink(again.path, port))
	await(t, h.events, func(happening.StationHere) bool { return true })
	r, err = h.Transmit.Press(t.Context(), transmit.Order{Device: d, Key: d.Keys[0]})
	require.NoError(t, err)
	assert.Equal(t, happening.Sent, r.Outcome, r.Reason)
	again.left("ir-out")
}

// house is a running house with a board on a serial line.
type house struct {
	*service.House
	events *stream.Queue
}

func open(t *testing.T, port string) house {
	t.Helper()
	h, err := service.Open(t.Context(), service.Config{Dir: t.TempDir(), Reach: hardware.Reach, Version: "test"})
	require.NoError(t, err)
	events := h.Stream.Subscribe()
	ctx, cancel := context.WithCancel(context.Background())
	var running sync.WaitGroup
	running.Go(func() { _ = h.Run(ctx) })
	t.Cleanup(func() {
		cancel()
		running.Wait()
		require.NoError(t, h.Close())
	})
	_, _, err = h.AddStation(t.Context(), "board", station.Origin{Over: station.Serial, Address: port}, "",
		grant.Named("test"))
	require.NoError(t, err)
	await(t, events, func(happening.StationHere) bool { return true })
	return house{h, events}
}

// await waits for a happening of a type.
func await[W happening.What](t *testing.T, events *stream.Queue, fits func(W) bool) W {
	t.Helper()
	ctx, cancel := context.WithTimeout(t.Context(), patience)
	defer cancel()
	for {
		require.NoError(t, events.Wait(ctx), "it does not happen")
		waiting, _ := events.Waiting()
		events.Done(1)
		if w, ok := waiting[0].What.(W); ok && fits(w) {
			return w
		}
	}
}
