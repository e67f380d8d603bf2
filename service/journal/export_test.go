package journal

import "urbo/core/happening"

// Waiting is what is not written, and its size.
func (j *Journal) Waiting() ([]happening.Happening, int) { return j.queue.Waiting() }
