package stage

import (
	"strconv"
	"time"
)

// WeatherRadio is the radio in the warm room: channels 1 to 99 are typed as digits, the second within 3 s of the first;
// power toggles. A new press is told from a held key by the toggle bit.
type WeatherRadio struct {
	on      bool
	channel int
	volume  int
	typed   int           // the first digit typed, 0 if none
	typedAt time.Duration // when
	before  uint32        // the frame before, with its toggle
	ever    bool
}

const radioAddress = 17

// Commands beside the digits, which are 0 to 9.
const (
	radioPower       = 12
	radioVolumeUp    = 16
	radioVolumeDown  = 17
	radioChannelUp   = 32
	radioChannelDown = 33
)

const radioTyping = 3 * time.Second

func newWeatherRadio() *WeatherRadio { return &WeatherRadio{channel: 7, volume: 10} }

// Hear obeys frames with the radio's address, once per toggle.
func (r *WeatherRadio) Hear(at time.Duration, runs []int) {
	readPhases(runs, func(v uint32) {
		if v>>12 != 0b11 || v>>6&0x1F != radioAddress || r.ever && v == r.before {
			return
		}
		r.before, r.ever = v, true
		r.obey(at, int(v&0x3F))
	})
}

func (r *WeatherRadio) obey(at time.Duration, command int) {
	if command == radioPower {
		r.on, r.typed = !r.on, 0
		return
	}
	if !r.on {
		return
	}
	typed := r.typed
	if at-r.typedAt > radioTyping {
		typed = 0
	}
	r.typed = 0
	switch {
	case command <= 9 && typed > 0:
		r.channel = 10*typed + command
	case command <= 9 && command > 0:
		r.channel, r.typed, r.typedAt = command, command, at
	case command == radioVolumeUp:
		r.volume = min(r.volume+1, 30)
	case command == radioVolumeDown:
		r.volume = max(r.volume-1, 0)
	case command == radioChannelUp:
		r.channel = r.channel%99 + 1
	case command == radioChannelDown:
		r.channel = (r.channel+97)%99 + 1
	}
}

// State lists power, channel and volume.
func (r *WeatherRadio) State(time.Duration) []Fact {
	power := "off"
	if r.on {
		power = "on"
	}
	return []Fact{{"power", power}, {"channel", strconv.Itoa(r.channel)}, {"volume", strconv.Itoa(r.volume)}}
}
