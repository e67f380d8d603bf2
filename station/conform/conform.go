// Package conform holds a station against the rules of the link: whatever transport it comes by, and whoever made it.
package conform

import (
	"context"
	"errors"
	"fmt"
	"reflect"
	"strconv"
	"sync"
	"time"

	"urbo/core/signal"
	"urbo/station"
)

const (
	greeting  = 10 * time.Second // for hello
	asking    = time.Second      // until a silent station is asked who it is
	prompt    = 2 * time.Second  // for an answer that needs no time of its own
	grace     = 4 * time.Second  // for the answer of a send, beyond its airtime
	quiet     = 300 * time.Millisecond
	tolerance = 0.02 // of the airtime that is told
)

// Report is what came of one rule; Err is nil where it holds.
type Report struct {
	Rule string
	Err  error
}

// Clock is the time that the rules are held against: real time, or that of a simulated board.
type Clock interface {
	Now() time.Time
	// After gives the time once, when so much has passed.
	After(d time.Duration) <-chan time.Time
}

// RealTime is the clock of a board that is no simulated one.
type RealTime struct{}

// Now is now.
func (RealTime) Now() time.Time { return time.Now() }

// After is time.After.
func (RealTime) After(d time.Duration) <-chan time.Time { return time.After(d) }

// Check holds the station of a link against the rules, and tells what came of each as it goes. It sends test signals
// for ten to twenty seconds from one transmitter, if there is one, and ends before the link does. The error says that
// the station cannot be tried: it does not say hello, or its link ended.
func Check(ctx context.Context, l station.Link, clock Clock, tell func(Report)) error {
	ctx, cancel := context.WithCancel(ctx)
	defer cancel()
	p := &peer{link: l, clock: clock, news: make(chan struct{}, 1)}
	var reading sync.WaitGroup
	defer reading.Wait()
	defer cancel()
	reading.Go(func() { p.read(ctx) })
	hello, err := p.greet(ctx)
	if err != nil {
		return err
	}
	tell(Report{"hello follows the rules", hello.Check()})
	if err := l.Tell(ctx, station.Welcome{Link: station.Version}); err != nil {
		return err
	}
	c := &check{peer: p, port: transmitter(hello), most: hello.Message, run: strconv.FormatInt(time.Now().UnixNano(),
		36) + "-"}
	rules := []rule{{"ping is answered", c.ping}, {"who is answered by hello", c.who}}
	if c.port.ID != "" {
		rules = append(rules, rule{"a send is answered when it is over", c.once},
			rule{"a known id is answered again, and not sent again", c.known},
			rule{"one send at a time: another fails", c.busy},
			rule{"a port that is not there fails", c.noPort},
			rule{"a held key goes on for its lease and no longer", c.hold},
			rule{"a cancelled send ends", c.cancel},
			rule{"a key that is let go still sends what every press has", c.letGo},
			rule{"what is about no send is passed over", c.nobody},
			rule{"a train that is too long fails", c.tooLong},
			rule{"the longest send is sent, and again right after it", c.longest})
	}
	for _, r := range rules {
		err := r.holds(ctx)
		if gone := p.gone(); gone != nil {
			return fmt.Errorf("the link ended while this was tried: %s: %w", r.name, gone)
		}
		if ctx.Err() != nil {
			return ctx.Err()
		}
		tell(Report{r.name, err})
	}
	return nil
}

type rule struct {
	name  string
	holds func(context.Context) error
}

// transmitter is the one that is tried: the first for infrared, or the first.
func transmitter(h station.Hello) (found station.Port) {
	for _, p := range h.Ports {
		if p.Direction == station.Transmitter &&
			(found.ID == "" || p.Medium == "infrared" && found.Medium != p.Medium) {
			found = p
		}
	}
	return found
}

// peer is Urbo's end of the link. It keeps what was said.
type peer struct {
	link  station.Link
	clock Clock
	news  chan struct{}

	mu   sync.Mutex
	said []station.Message
	end  error
}

func (p *peer) read(ctx context.Context) {
	for {
		m, err := p.link.Receive(ctx)
		p.mu.Lock()
		if err != nil {
			p.end = err
		} else {
			p.said = append(p.said, m)
		}
		p.mu.Unlock()
		select {
		case p.news <- struct{}{}:
		default:
		}
		if err != nil {
			return
		}
	}
}

// gone is why the link ended, nil while it has not.
func (p *peer) gone() error {
	p.mu.Lock()
	defer p.mu.Unlock()
	return p.end
}

// mark is how much was said so far.
func (p *peer) mark() int {
	p.mu.Lock()
	defer p.mu.Unlock()
	return len(p.said)
}

// await waits for the first message after a mark that fits.
func (p *peer) await(ctx context.Context, mark int, most time.Duration,
	fits func(station.Message) bool) (station.Message,
	bool) {
	over := p.clock.After(most)
	for {
		p.mu.Lock()
		for _, m := range p.said[mark:] {
			if fits(m) {
				p.mu.Unlock()
				return m, true
			}
		}
		mark = len(p.said)
		ended := p.end != nil
		p.mu.Unlock()
		if ended {
			return nil, false
		}
		select {
		case <-ctx.Done():
			return nil, false
		case <-over:
			return nil, false
		case <-p.news:
		}
	}
}

// pause waits, and says whether ctx is still there afterwards.
func (p *peer) pause(ctx context.Context, d time.Duration) bool {
	select {
	case <-ctx.Done():
		return false
	case <-p.clock.After(d):
		return true
	}
}

func is[M station.Message](m station.Message) bool {
	_, ok := m.(M)
	return ok
}

func (p *peer) greet(ctx context.Context) (station.Hello, error) {
	for range int(greeting / asking) {
		if m, ok := p.await(ctx, 0, asking, is[station.Hello]); ok {
			return m.(station.Hello), nil
		}
		if err := p.gone(); err != nil {
			return station.Hello{}, err
		}
		if err := p.link.Tell(ctx, station.Who{}); err != nil {
			return station.Hello{}, err
		}
	}
	return station.Hello{}, fmt.Errorf("nothing says hello within %.0f s: is there a station, and is its speed right",
		greeting.Seconds())
}

// check is one run of the rules.
type check struct {
	*peer
	port station.Port
	most int    // bytes of a message, 0 for any number
	run  string // in the ids, so that two runs do not meet
}

func (c *check) ping(ctx context.Context) error {
	mark := c.mark()
	if err := c.link.Tell(ctx, station.Ping{}); err != nil {
		return err
	}
	if _, ok := c.await(ctx, mark, prompt, is[station.Pong]); !ok {
		return fmt.Errorf("no pong within %v", prompt)
	}
	return nil
}

func (c *check) who(ctx context.Context) error {
	mark := c.mark()
	if err := c.link.Tell(ctx, station.Who{}); err != nil {
		return err
	}
	if _, ok := c.await(ctx, mark, prompt, is[station.Hello]); !ok {
		return fmt.Errorf("no hello within %v", prompt)
	}
	return c.link.Tell(ctx, station.Welcome{Link: station.Version})
}

// frame is a short mark in 100 ms.
var frame = []int{500, 99_500}

// send is a test signal; repeats of 100 ms.
func (c *check) send(id string, repeats int) station.Send {
	s := station.Send{ID: c.run + id, Port: c.port.ID, Once: frame, Repeat: frame, Repeats: repeats, WithinMS: 1000}
	if c.port.Medium == "infrared" {
		s.CarrierHz, s.Duty = 38_000, 1.0/3
		if s.CarrierHz < c.port.FromHz || s.CarrierHz > c.port.ToHz {
			s.CarrierHz = c.port.FromHz
		}
	} else {
		s.FrequencyHz = c.port.FromHz + (c.port.ToHz-c.port.FromHz)/2
	}
	return s
}

// answer waits for the answer of a send.
func (c *check) answer(ctx context.Context, mark int, s station.Send, most time.Duration) (station.Message, error) {
	m, ok := c.await(ctx, mark, most, func(m station.Message) bool {
		switch m := m.(type) {
		case station.Sent:
			return m.ID == s.ID
		case station.Failed:
			return m.ID == s.ID
		}
		return false
	})
	if !ok {
		return nil, fmt.Errorf("no answer within %v", most)
	}
	return m, nil
}

// sent waits for a send's end, and says whether it took as long as it has to, give or take us.
func (c *check) sent(ctx context.Context, mark int, s station.Send, want, us int) (station.Sent, error) {
	m, err := c.answer(ctx, mark, s, time.Duration(want)*time.Microsecond+grace)
	if err != nil {
		return station.Sent{}, err
	}
	sent, ok := m.(station.Sent)
	if !ok {
		return sent, fmt.Errorf("it failed: %s", m.(station.Failed).Reason)
	}
	if off := int(sent.Took) - want; off > us || off < -us {
		return sent, fmt.Errorf("it took %d µs, and has to take %d µs, give or take %d µs", sent.Took, want, us)
	}
	return sent, nil
}

func (c *check) once(ctx context.Context) error {
	s := c.send("once", 2)
	s.Once = []int{9000, 4500, 560, 40_000}
	s.GapUS = 150_000
	air := signal.Sum(s.Once) + 2*signal.Sum(s.Repeat) + s.GapUS - frame[1] // the last space is part of the silence
	mark, began := c.mark(), c.clock.Now()
	if err := c.link.Tell(ctx, s); err != nil {
		return err
	}
	_, err := c.sent(ctx, mark, s, air, int(float64(air)*tolerance))
	if took := c.clock.Now().Sub(began); err == nil && took < time.Duration(air)*time.Microsecond/2 {
		return fmt.Errorf("it was answered after %v, before it can have been over", took)
	}
	return err
}

func (c *check) known(ctx context.Context) error {
	s := c.send("once", 2)
	mark := c.mark()
	if err := c.link.Tell(ctx, s); err != nil {
		return err
	}
	again, err := c.answer(ctx, mark, s, 200*time.Millisecond)
	if err != nil {
		return fmt.Errorf("%w, though nothing has to be sent", err)
	}
	c.mu.Lock()
	defer c.mu.Unlock()
	for _, m := range c.said {
		if first, ok := m.(station.Sent); ok && first.ID == s.ID && !reflect.DeepEqual(m, again) {
			return errors.New("the second answer says something else than the first")
		}
	}
	return nil
}

func (c *check) busy(ctx context.Context) error {
	s, other := c.send("long", 5), c.send("busy", 0)
	mark := c.mark()
	if err := errors.Join(c.link.Tell(ctx, s), c.link.Tell(ctx, other)); err != nil {
		return err
	}
	m, err := c.answer(ctx, mark, other, quiet)
	if err == nil && !is[station.Failed](m) {
		err = errors.New("both were sent")
	}
	_, sent := c.sent(ctx, mark, s, 600_000, 100_000)
	return errors.Join(err, sent)
}

func (c *check) noPort(ctx context.Context) error {
	s := c.send("no-port", 0)
	s.Port = "nowhere"
	return c.fails(ctx, s)
}

func (c *check) tooLong(ctx context.Context) error {
	s := c.send("too-long", 0)
	s.Once = make([]int, c.port.Longest+2-c.port.Longest%2)
	for i := range s.Once {
		s.Once[i] = 100
	}
	return c.fails(ctx, s)
}

// longestValues are the durations of a long send, in µs, as a handset with a state of many bits has them.
var longestValues = [...]int{430, 430, 430, 1290, 3500, 1740}

// longest sends as much as the station says that it takes, twice.
func (c *check) longest(ctx context.Context) error {
	n := min(c.port.Longest, signal.MaxDurations)
	for number := range 2 {
		s := c.send(fmt.Sprint("longest-", number), 0)
		s.Once, s.Repeat = make([]int, n-n%2), nil
		for {
			for i := range s.Once {
				s.Once[i] = longestValues[i%len(longestValues)]
				if i%37 < 2 {
					s.Once[i] = longestValues[4+i%2]
				}
			}
			data, err := station.Marshal(s)
			if err != nil {
				return err
			}
			if c.most == 0 || len(data)+16 <= c.most || len(s.Once) <= 2 {
				break
			}
			s.Once = s.Once[:len(s.Once)*9/20*2]
		}
		s.Once[len(s.Once)-1] = 40_000
		air := signal.Sum(s.Once)
		mark := c.mark()
		if err := c.link.Tell(ctx, s); err != nil {
			return err
		}
		if _, err := c.sent(ctx, mark, s, air, int(float64(air)*tolerance)); err != nil {
			return fmt.Errorf("number %d of %d durations: %w", number+1, len(s.Once), err)
		}
	}
	return nil
}

// nobody tells about sends that never were.
func (c *check) nobody(ctx context.Context) error {
	mark := c.mark()
	if err := errors.Join(c.link.Tell(ctx, station.Hold{ID: c.run + "nobody", Lease: 300}),
		c.link.Tell(ctx, station.Cancel{ID: c.run + "nobody"})); err != nil {
		return err
	}
	if err := c.ping(ctx); err != nil {
		return err
	}
	c.mu.Lock()
	defer c.mu.Unlock()
	for _, m := range c.said[mark:] {
		if is[station.Sent](m) || is[station.Failed](m) {
			return errors.New("it answers as if there were one")
		}
	}
	return nil
}

// fails tells a send that cannot be.
func (c *check) fails(ctx context.Context, s station.Send) error {
	mark := c.mark()
	if err := c.link.Tell(ctx, s); err != nil {
		return err
	}
	m, err := c.answer(ctx, mark, s, prompt)
	if err == nil && !is[station.Failed](m) {
		err = errors.New("it is answered as if it was sent")
	}
	return err
}

func (c *check) hold(ctx context.Context) error {
	s := c.send("held", 0)
	mark := c.mark()
	hold := station.Hold{ID: s.ID, Lease: 1000}
	if err := errors.Join(c.link.Tell(ctx, s), c.link.Tell(ctx, hold)); err != nil {
		return err
	}
	if !c.pause(ctx, 500*time.Millisecond) {
		return ctx.Err()
	}
	if err := c.link.Tell(ctx, hold); err != nil {
		return err
	}
	_, err := c.sent(ctx, mark, s, 1_550_000, 150_000)
	return err
}

func (c *check) cancel(ctx context.Context) error {
	s := c.send("cancelled", 50)
	mark := c.mark()
	if err := c.link.Tell(ctx, s); err != nil {
		return err
	}
	if !c.pause(ctx, 350*time.Millisecond) {
		return ctx.Err()
	}
	if err := c.link.Tell(ctx, station.Cancel{ID: s.ID}); err != nil {
		return err
	}
	_, err := c.sent(ctx, mark, s, 400_000, 150_000)
	return err
}

func (c *check) letGo(ctx context.Context) error {
	s := c.send("let-go", 6)
	mark := c.mark()
	if err := errors.Join(c.link.Tell(ctx, s), c.link.Tell(ctx, station.Hold{ID: s.ID, Lease: 10_000})); err != nil {
		return err
	}
	if !c.pause(ctx, 250*time.Millisecond) {
		return ctx.Err()
	}
	if err := c.link.Tell(ctx, station.Hold{ID: s.ID, Lease: 0}); err != nil {
		return err
	}
	_, err := c.sent(ctx, mark, s, 700_000, 60_000)
	return err
}
