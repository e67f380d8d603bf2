package audition

import (
	"fmt"

	"urbo/core/audition"
	"urbo/wire"
)

func (s *session) wire() wire.Audition {
	c := s.core
	w := wire.Audition{ID: s.id, Device: s.device, Function: c.Function, Phase: string(c.Phase), Paused: c.Paused, Played: c.Next, Codes: c.Len(),
		Asks: c.Sounded && (c.Phase == audition.Confirming || c.Phase == audition.Walking), Prompt: c.Prompt(), Trouble: s.trouble,
		Answers: []wire.KeyAnswer{}, Refused: []wire.RefusedSet{}, Kept: []string{}, Left: s.left(c.Next, 0), Started: s.started}
	w.Set, w.Key = c.Now()
	for _, a := range c.Asking() {
		w.Answers = append(w.Answers, wire.KeyAnswer{Key: a.Key, Answer: string(a.Answer)})
	}
	for _, v := range c.Verdicts() {
		w.Refused = append(w.Refused, wire.RefusedSet{Name: v.Set.Name, Confirmed: v.Confirmed, Tried: v.Tried,
			Text: fmt.Sprintf("%s does not fit: only %d of %d keys that were tried did what they should. None of it was kept.", v.Set.Name, v.Confirmed, v.Tried)})
	}
	for _, k := range c.Kept() {
		w.Kept = append(w.Kept, k.Name)
	}
	if set, _, ok := c.Best(); ok {
		w.Best = set.Name
	}
	return w
}
