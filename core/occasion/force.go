package occasion

import (
	"slices"
	"time"
)

// Force is an occasion that is in force.
type Force struct {
	Occasion string    `json:"occasion"` // id
	Rooms    []string  `json:"rooms"`    // ids of those in which it is; "" is what stands in no room
	Devices  []string  `json:"devices"`  // ids of what it set in them
	Since    time.Time `json:"since"`
	By       string    `json:"by"`
	Kind     string    `json:"kind,omitempty"` // of who started it: person, program, errand
	Run      string    `json:"run,omitempty"`  // of its start
}

// Begin is what comes of an occasion that begins in some rooms: those that stay in force, and the devices that are
// switched off because nothing wants them any more. room tells where a device stands; stays says whether a device is
// left as it is by the occasion that set it.
func Begin(all []Force, f Force, room func(device string) string, stays func(occasion, device string) bool) (
	now []Force, off []string) {
	for _, was := range all {
		rest := was
		rest.Rooms, rest.Devices = nil, nil
		for _, r := range was.Rooms {
			if was.Occasion != f.Occasion && !slices.Contains(f.Rooms, r) {
				rest.Rooms = append(rest.Rooms, r)
			}
		}
		for _, d := range was.Devices {
			switch {
			case was.Occasion != f.Occasion && !slices.Contains(f.Rooms, room(d)):
				rest.Devices = append(rest.Devices, d)
			case !slices.Contains(f.Devices, d) && !slices.Contains(off, d) && !stays(was.Occasion, d):
				off = append(off, d)
			}
		}
		if len(rest.Rooms) > 0 {
			now = append(now, rest)
		}
	}
	return append(now, f), off
}

// Of finds the occasion of an id among those in force.
func Of(all []Force, id string) (Force, bool) {
	i := slices.IndexFunc(all, func(f Force) bool { return f.Occasion == id })
	if i < 0 {
		return Force{}, false
	}
	return all[i], true
}
