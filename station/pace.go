package station

import (
	"context"

	"golang.org/x/time/rate"
)

// What a station may say in the long run, and at once. A receiver that hears without a pause says about 100 kB each
// second; who kept what it heard while it was away tells it in some seconds.
const (
	paceBytes, burstBytes       = 256 << 10, 1 << 20
	paceMessages, burstMessages = 200, 500
)

// Pace bounds how much one station says, so that the others are heard beside it.
type Pace struct{ bytes, messages *rate.Limiter }

// NewPace makes the pace of one station.
func NewPace() *Pace {
	return &Pace{rate.NewLimiter(paceBytes, burstBytes), rate.NewLimiter(paceMessages, burstMessages)}
}

// Wait waits until the station may say a message of so many bytes. Where messages are read only then, a station that
// says more is held up by its own connection. The error is the context's.
func (p *Pace) Wait(ctx context.Context, bytes int) error {
	if err := p.messages.Wait(ctx); err != nil {
		return err
	}
	return p.bytes.WaitN(ctx, min(bytes, burstBytes))
}

// Weight is how many bytes a message takes on a link, about.
func Weight(m Message) int {
	const frame, duration = 80, 6
	switch m := m.(type) {
	case Heard:
		return frame + duration*len(m.Train)
	case Hello:
		return frame + 2*frame*len(m.Ports)
	case Note:
		return frame + len(m.Text)
	case Failed:
		return frame + len(m.Reason)
	}
	return frame
}
