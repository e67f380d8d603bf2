package line

// EncodeAnyway encodes a code that is never replayed, to have something to decode.
func (s *Sheet) EncodeAnyway(fields Fields, unit float64) (Burst, error) {
	return s.encode(fields, unit)
}
