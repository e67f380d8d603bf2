package scenery

import "urbo/service/occasions"

// wanted is an occasion of the observatory.
type wanted struct {
	name string
	text occasions.Text
}

// theOccasions are the observatory's occasions. What is not learned yet is passed over until it is.
func theOccasions() []wanted {
	talk := `set (projector/power on, projector/source a, amplifier/power on, amplifier/input 2, amplifier/volume 22,
		screen/position down) then set (boardwalk/power on, boardwalk/colour white)`
	observing := `set (lecture/power off, dew/power on, boardwalk/power on, boardwalk/colour red, mixer/speed 1)
		then set shutter/position to open`
	closed := `set (lecture/power off, dew/power off, boardwalk/power off, mixer/power off, radio/power off)
		then set (shutter/position closed, screen/position up)`
	leaves := true
	return []wanted{
		{"Public talk", occasions.Text{Wants: &talk, Stays: &[]string{"boardwalk"},
			Reins: &map[string]string{"volume": "amplifier/volume", "arrows": "projector"}}},
		{"Observing run", occasions.Text{Wants: &observing}},
		{"Closed up", occasions.Text{Wants: &closed, Leaves: &leaves}},
	}
}
