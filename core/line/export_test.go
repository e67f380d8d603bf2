package line

// EncodeAnyway encodes a code that is never replayed, to have something to decode.
func (s *Sheet) EncodeAnyway(fields Fields, unit float64) (Burst, error) {
	return s.encode(fields, unit)
}

// Sample is fields that the first kind of press can be sent with.
func (s *Sheet) Sample() Fields { return s.sample(0, samples[2]) }
