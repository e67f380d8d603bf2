package station

import "sync"

// remembered is how many ids of sends a station knows, so that none is sent twice.
const remembered = 64

// Answers remembers the last sends of a station and how they were answered, by id.
type Answers struct {
	mu    sync.Mutex
	ids   []string
	given map[string]Message // nil until it is answered
}

// Begin remembers a send that goes out. Where its id is known already it must not: known is true then, and answer is
// how it was answered, nil if it is not over.
func (a *Answers) Begin(id string) (answer Message, known bool) {
	a.mu.Lock()
	defer a.mu.Unlock()
	if answer, known = a.given[id]; known {
		return answer, true
	}
	if a.given == nil {
		a.given = map[string]Message{}
	}
	a.ids = append(a.ids, id)
	a.given[id] = nil
	if len(a.ids) > remembered {
		delete(a.given, a.ids[0])
		a.ids = a.ids[1:]
	}
	return nil, false
}

// Known is what Begin would say, without remembering anything.
func (a *Answers) Known(id string) (answer Message, known bool) {
	a.mu.Lock()
	defer a.mu.Unlock()
	answer, known = a.given[id]
	return answer, known
}

// Put remembers an answer.
func (a *Answers) Put(id string, m Message) {
	a.mu.Lock()
	defer a.mu.Unlock()
	if _, known := a.given[id]; known {
		a.given[id] = m
	}
}
