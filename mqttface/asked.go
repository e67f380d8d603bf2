package mqttface

import (
	"fmt"
	"sync"

	"golang.org/x/time/rate"
)

// Bounds of what is asked, and of what is answered.
const (
	// mostAsked is how much one program may have under way, and mostOfOne how much of that about one device, group,
	// room, occasion, sequence or errand.
	mostAsked, mostOfOne = 200, 50
	// receiptsEach is how many receipts of one program go out in a second, and receiptsBurst at once; receiptsOfOne and
	// burstOfOne are those about one thing.
	receiptsEach, receiptsBurst = 100, 300
	receiptsOfOne, burstOfOne   = 20, 60
)

// asked counts what programs ask for and what they are answered: each program for itself, and each thing for itself.
// So a program that asks without end takes nothing from others, and nothing from what it asks of other things.
type asked struct {
	mu sync.Mutex
	by map[string]*share // by the id of the program
}

// share is one program's, or one thing's of a program.
type share struct {
	under    int // how much is under way
	receipts *rate.Limiter
	of       map[string]*share // by the thing; nil for one thing
}

// find finds the shares of a program and of a thing of it. The lock is held.
func (k *asked) find(by, of string) (program, thing *share) {
	if k.by == nil {
		k.by = map[string]*share{}
	}
	if program = k.by[by]; program == nil {
		forget(k.by)
		program = &share{receipts: rate.NewLimiter(receiptsEach, receiptsBurst), of: map[string]*share{}}
		k.by[by] = program
	}
	if thing = program.of[of]; thing == nil {
		forget(program.of)
		thing = &share{receipts: rate.NewLimiter(receiptsOfOne, burstOfOne)}
		program.of[of] = thing
	}
	return program, thing
}

// forget drops the shares of nothing that is under way, where there are many.
func forget(all map[string]*share) {
	if len(all) < 5*mostAsked {
		return
	}
	for key, s := range all {
		if s.under == 0 {
			delete(all, key)
		}
	}
}

// begin takes a place for something that is asked. done gives it back.
func (k *asked) begin(by, of string) (done func(), err error) {
	k.mu.Lock()
	defer k.mu.Unlock()
	program, thing := k.find(by, of)
	switch {
	case thing.under >= mostOfOne:
		return nil, fmt.Errorf("%w: %d things are asked of it already, and under way: ask again in a moment", ErrAsked,
			mostOfOne)
	case program.under >= mostAsked:
		return nil, fmt.Errorf("%w: %d things that you asked for are under way: ask again in a moment", ErrAsked,
			mostAsked)
	}
	program.under++
	thing.under++
	return func() {
		k.mu.Lock()
		defer k.mu.Unlock()
		program.under--
		thing.under--
	}, nil
}

// answers says whether something is answered: whoever asks for so much is not answered each time.
func (k *asked) answers(by, of string) bool {
	k.mu.Lock()
	program, thing := k.find(by, of)
	k.mu.Unlock()
	return thing.receipts.Allow() && program.receipts.Allow()
}
