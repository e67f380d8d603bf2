// Package wake lets goroutines that sleep look again.
package wake

// Up wakes whoever waits for a channel with room for one, at once or when it has done what it is doing.
func Up(c chan<- struct{}) {
	select {
	case c <- struct{}{}:
	default: // it was woken already
	}
}
