package scenery

import (
	"urbo/core/grant"
	"urbo/service"
)

// Settle says what the observatory's devices are at, as people there believe it: the boardwalk is off, though, and only
// its meter shows that.
func Settle(house *service.House) error {
	for _, t := range [][3]string{{"amplifier", "power", "off"}, {"amplifier", "volume", "14"},
		{"amplifier", "input", "1"},
		{"amplifier", "mute", "off"}, {"boardwalk", "power", "on"}, {"boardwalk", "colour", "white"},
		{"boardwalk", "brightness", "5"}, {"dew-a", "power", "off"}, {"radio", "power", "off"},
		{"radio", "channel", "7"},
		{"screen", "position", "up"}, {"shutter", "position", "closed"}, {"door", "door", "closed"}} {
		states, _, err := house.Beliefs.States(t[0])
		if err != nil { // somebody took the controls away
			continue
		}
		for _, st := range states {
			if st.Control != t[1] || st.Source != "" {
				continue
			}
			if _, err := house.Beliefs.Tell(t[0], t[1], t[2], grant.Named("demo")); err != nil {
				return err
			}
		}
	}
	return nil
}
