package stage

import (
	"fmt"
	"time"
)

// travel is something that moves between two ends at a steady pace.
type travel struct {
	whole    time.Duration // for the full way
	at       float64       // 0 is up (open), 1 is down (closed), at the time since
	since    time.Duration
	movement float64 // -1 up, 1 down, 0 stands
}

// now works out where it is, and whether it has reached an end.
func (t *travel) now(at time.Duration) (place, movement float64) {
	place = t.at + t.movement*float64(at-t.since)/float64(t.whole)
	if place <= 0 {
		return 0, max(t.movement, 0)
	}
	if place >= 1 {
		return 1, min(t.movement, 0)
	}
	return place, t.movement
}

// move sets it going (-1 up, 1 down) or stops it (0).
func (t *travel) move(at time.Duration, movement float64) {
	t.at, _ = t.now(at)
	t.since, t.movement = at, movement
}

// ends is when it will reach an end, 0 where it stands.
func (t *travel) ends(at time.Duration) time.Duration {
	place, movement := t.now(at)
	switch {
	case movement < 0:
		return at + time.Duration(place*float64(t.whole)) + time.Millisecond
	case movement > 0:
		return at + time.Duration((1-place)*float64(t.whole)) + time.Millisecond
	}
	return 0
}

// facts says where it is, with the two ends' names.
func (t *travel) facts(at time.Duration, up, down string) []Fact {
	place, movement := t.now(at)
	where := fmt.Sprintf("%.0f %% %s", place*100, down)
	switch {
	case place == 0:
		where = up
	case place == 1:
		where = down
	}
	moves := "stands"
	if movement < 0 {
		moves = "moving " + up
	} else if movement > 0 {
		moves = "moving " + down
	}
	return []Fact{{"position", where}, {"movement", moves}}
}
