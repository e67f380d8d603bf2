package lessons

import (
	"fmt"
	"strings"
	"time"

	"urbo/service/stations"
	"urbo/station"
)

// reason looks for why nothing was heard since a time: no receiver, receivers that are away, only noise, or nothing.
func reason(all []stations.State, since time.Time) string {
	var here, away, noisy, tuned []string
	for _, s := range all {
		for _, p := range s.Ports {
			if p.Direction != station.Receiver {
				continue
			}
			place := s.Name + "/" + p.ID
			switch {
			case !s.Here:
				away = append(away, fmt.Sprintf("%s is away since %s", place, s.Since.Local().Format("15:04")))
				continue
			case p.Last.After(since):
				noisy = append(noisy, place)
			}
			here = append(here, place)
			if p.Medium == "radio" {
				tuned = append(tuned, fmt.Sprintf("%.2f MHz", float64(p.FromHz+p.ToHz)/2e6))
			}
		}
	}
	switch {
	case len(here) == 0 && len(away) == 0:
		return "No receiver is attached: a lesson needs a station with a receiver."
	case len(here) == 0:
		return "No receiver is here: " + strings.Join(away, ", ") + "."
	case len(noisy) > 0:
		return fmt.Sprintf("Something comes in at %s, but no signal: noise of lamps or the sun, or too weak. Hold the "+
			"handset 10 cm from the receiver.", strings.Join(noisy, ", "))
	}
	text := fmt.Sprintf("Nothing came in at %s. Hold the handset 10 cm from a receiver, and look at its battery.",
		strings.Join(here, ", "))
	if len(tuned) > 0 {
		text += " Radio is heard on " + strings.Join(tuned, " and ") +
			" only: the handset's label may name another frequency."
	}
	if len(away) > 0 {
		text += " " + strings.Join(away, ", ") + "."
	}
	return text
}
