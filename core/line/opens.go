package line

import "urbo/core/signal"

// Opens are the sheets of which a frame also begins the press of another sheet: after the first train it is not sure
// yet which of them it is.
func (b *Book) Opens() map[string]bool {
	out := map[string]bool{}
	for _, s := range b.sheets {
		for press := range s.presses {
			for _, pick := range samples {
				burst, err := s.Encode(s.sample(press, pick))
				if err != nil { // it cannot be replayed, or does not take these values
					continue
				}
				trains := signal.Split(burst.Durations(), signal.UnknownGap)
				if len(trains) < 2 {
					continue
				}
				if first := b.Decode(trains[:1]).Readings; len(first) > 0 && first[0].Sheet != s.Name {
					out[first[0].Sheet] = true
				}
			}
		}
	}
	return out
}
