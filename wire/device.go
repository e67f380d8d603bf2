package wire

import (
	"time"

	"urbo/core/device"
	"urbo/core/signal"
)

// Code is what a key sends: a line code with fields, or a cleaned train.
type Code struct {
	Sheet       string         `json:"sheet,omitempty" maxLength:"40" doc:"Line sheet; empty for a plain train"`
	Inline      string         `json:"inline,omitempty" maxLength:"16384" doc:"A line sheet of its own (YAML), for a signal that was worked out on the bench; its fields are the bits"`
	Fields      map[string]any `json:"fields,omitempty"`
	Unit        float64        `json:"unit_us,omitempty" minimum:"0" maximum:"10000" doc:"Unit in µs where the sheet leaves it open"`
	Train       signal.Train   `json:"train,omitempty" maxItems:"4096" doc:"Durations in µs, mark first"`
	GapUS       int            `json:"gap_us,omitempty" minimum:"0" maximum:"1000000" doc:"Silence after a plain train in µs"`
	CarrierHz   int            `json:"carrier_hz,omitempty" minimum:"0" maximum:"500000"`
	FrequencyHz int            `json:"frequency_hz,omitempty" minimum:"0" maximum:"1000000000"`
	Repeats     *int           `json:"repeats,omitempty" minimum:"0" maximum:"50" doc:"How often the repeating part is sent; left out is as the sheet says"`
	Source      string         `json:"source,omitempty" doc:"lesson, bench, hand, audition, set, pack or demo"`
	Takes       int            `json:"takes,omitempty" doc:"Of the lesson it was learned in"`
	Agreed      int            `json:"agreed,omitempty" doc:"How many of them were alike"`
}

// Key is one command of a device.
type Key struct {
	Name        string     `json:"name"`
	Codes       []Code     `json:"codes" doc:"Sent in order; empty while it is not learned"`
	Hold        string     `json:"hold,omitempty" enum:"once,repeat" doc:"Held, it is sent once all the same, or again and again; else as its line code says"`
	Heard       []Code     `json:"heard,omitempty" doc:"Codes of other handsets, such as rolling ones, that count as presses of it when they are heard; they are never sent"`
	Transmitter string     `json:"transmitter,omitempty" doc:"STATION/PORT that sends it instead of the device's"`
	Version     int        `json:"version" doc:"Of its codes, the one in force; 0 while it is not learned"`
	Changed     *time.Time `json:"changed,omitempty" doc:"Since when it sends that; left out while it is not learned"`
}

// Device is one device of the library.
type Device struct {
	Slug        string          `json:"slug"`
	Name        string          `json:"name"`
	Room        string          `json:"room"`
	Kind        string          `json:"kind"`
	Maker       string          `json:"maker"`
	Model       string          `json:"model"`
	Transmitter string          `json:"transmitter" doc:"Preferred transmitter as STATION/PORT; empty is the first that fits"`
	Also        []string        `json:"also,omitempty" doc:"Transmitters that send as well, STATION/PORT"`
	Verify      bool            `json:"verify,omitempty" doc:"Receivers have to hear its presses; a setting key that none heard is sent once more"`
	Sensors     []device.Sensor `json:"sensors,omitempty" doc:"What measures its controls"`
	device.Traits
	Picture string   `json:"picture,omitempty" doc:"Tag of its picture, which changes with it; empty where there is none"`
	Keys    []Key    `json:"keys"`
	Faces   []Face   `json:"faces" doc:"What its controls can be set to, in their order"`
	Remarks []string `json:"remarks,omitempty" doc:"How what was written was understood"`
}

// DeviceLine is a device as it stands in a list.
type DeviceLine struct {
	Slug        string `json:"slug"`
	Name        string `json:"name"`
	Room        string `json:"room"`
	Kind        string `json:"kind"`
	Maker       string `json:"maker"`
	Model       string `json:"model"`
	KeysTotal   int    `json:"keys_total"`
	KeysLearned int    `json:"keys_learned"`
	KeysHeard   int    `json:"keys_heard" doc:"Keys without codes that are followed when another handset's are heard"`
	Whole       bool   `json:"whole,omitempty" doc:"It sends all that it shows in one frame, instead of keys"`
	MainKey     string `json:"main_key,omitempty" doc:"Key that is pressed most, as far as names tell: power, or the first; left out where none is learned"`
}

// KeyChange changes what is given of a key.
type KeyChange struct {
	Name *string `json:"name,omitempty" maxLength:"40"`
	Hold *string `json:"hold,omitempty" enum:",once,repeat" doc:"What holding it does; empty is as its line code says"`
	// Repeats and PauseMS are of each of its codes.
	Repeats *int `json:"repeats,omitempty" minimum:"-1" maximum:"50" doc:"How often the repeating part is sent at a press; −1 is as its line code says"`
	PauseMS *int `json:"pause_ms,omitempty" minimum:"0" maximum:"1000" doc:"Least silence after each code, in ms; 0 is as its line code says"`
	// Transmitter is for those who may use all of them.
	Transmitter *string `json:"transmitter,omitempty" maxLength:"81" doc:"STATION/PORT that sends it; empty is the device's"`
}

// NewDevice asks for a device.
type NewDevice struct {
	Slug  string   `json:"slug,omitempty" maxLength:"40" doc:"a-z, 0-9 and -; made from the name where it is left out"`
	Name  string   `json:"name" minLength:"1" maxLength:"80"`
	Room  string   `json:"room,omitempty" maxLength:"80"`
	Kind  string   `json:"kind,omitempty" maxLength:"40" doc:"One of the kinds that there are (list-kinds), or other"`
	Maker string   `json:"maker,omitempty" maxLength:"80"`
	Model string   `json:"model,omitempty" maxLength:"80"`
	Keys  []string `json:"keys,omitempty" maxItems:"200" doc:"Keys to be learned; none is the usual ones of its kind"`
}

// HandCode is what a key sends, as somebody wrote it.
type HandCode struct {
	Text    string `json:"text" minLength:"1" maxLength:"65536" doc:"A line code with its fields (nec address=57 command=0x02), positions of coding switches (switches 11010 01000 on), or durations in µs, mark first; several with then between them"`
	Hz      int    `json:"hz,omitempty" minimum:"0" maximum:"1000000000" doc:"Of durations: carrier or channel; 0 is infrared at 38 kHz"`
	Repeats *int   `json:"repeats,omitempty" minimum:"0" maximum:"50" doc:"How often the repeating part is sent; left out is as the line code says"`
	GapUS   int    `json:"gap_us,omitempty" minimum:"0" maximum:"1000000" doc:"Least silence after each code"`
}

// HeardCode is what another handset sends for a key, as somebody wrote it.
type HeardCode struct {
	Text string `json:"text" minLength:"1" maxLength:"65536" doc:"As of HandCode"`
	Hz   int    `json:"hz,omitempty" minimum:"0" maximum:"1000000000" doc:"Of durations: carrier or channel; 0 is infrared at 38 kHz"`
}

// KeyVersion is what a key sent from a time on.
type KeyVersion struct {
	Version int       `json:"version"`
	At      time.Time `json:"at"`
	Codes   []Code    `json:"codes"`
}

// Restore asks for an earlier version of a key's codes.
type Restore struct {
	Version int `json:"version,omitempty" minimum:"0" doc:"0 is the one that was in force before this one"`
}

// Advice is something odd about a device.
type Advice struct {
	Key  string `json:"key,omitempty" doc:"The key that it is about"`
	Text string `json:"text" doc:"What is odd, and what to do"`
}

// DeviceChange changes what is given.
type DeviceChange struct {
	Slug        *string   `json:"slug,omitempty" maxLength:"40" doc:"A new short name; the old one goes on working"`
	Name        *string   `json:"name,omitempty" minLength:"1" maxLength:"80"`
	Room        *string   `json:"room,omitempty" maxLength:"80"`
	Kind        *string   `json:"kind,omitempty" maxLength:"40"`
	Maker       *string   `json:"maker,omitempty" maxLength:"80"`
	Model       *string   `json:"model,omitempty" maxLength:"80"`
	Transmitter *string   `json:"transmitter,omitempty" maxLength:"81"`
	Also        *[]string `json:"also,omitempty" maxItems:"8" doc:"Transmitters that send as well"`
	Verify      *bool     `json:"verify,omitempty"`

	Plate    *string        `json:"plate,omitempty" maxLength:"80"`
	PlateHz  *int           `json:"plate_hz,omitempty" minimum:"0"`
	Notes    *string        `json:"notes,omitempty" maxLength:"4000"`
	Power    *device.Power  `json:"power,omitempty" enum:",toggle,two-keys,none"`
	Inputs   *device.Inputs `json:"inputs,omitempty" enum:",direct,cycling"`
	WarmUpMS *int           `json:"warm_up_ms,omitempty" minimum:"0" maximum:"600000"`
	GapMS    *int           `json:"gap_ms,omitempty" minimum:"0" maximum:"10000"`
	Face     *[][]string    `json:"face,omitempty" maxItems:"60" doc:"Empty lets it be laid out by itself"`
}

// Kind is a kind of device with the keys usually found on its handset.
type Kind struct {
	Name string   `json:"name"`
	Keys []string `json:"keys"`
}

// RemovedDevice is a device that was removed and can be brought back.
type RemovedDevice struct {
	ID      string    `json:"id"`
	Slug    string    `json:"slug" doc:"The one that it had"`
	Name    string    `json:"name"`
	Room    string    `json:"room"`
	Kind    string    `json:"kind"`
	Keys    int       `json:"keys"`
	Removed time.Time `json:"removed"`
	Expires time.Time `json:"expires" doc:"It can be brought back until then"`
}
