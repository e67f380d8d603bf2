package wire

import "time"

// CodeSet is the codes of a type of device, as they stand on the shelf.
type CodeSet struct {
	Slug   string   `json:"slug"`
	Name   string   `json:"name"`
	Kind   string   `json:"kind"`
	Maker  string   `json:"maker"`
	Model  string   `json:"model"`
	Keys   []SetKey `json:"keys"`
	Frames string   `json:"frames,omitempty" doc:"Line code whose frames carry its controls, all at once"`
}

// SetKey is a key of a code set.
type SetKey struct {
	Set   string `json:"set" doc:"The set's slug"`
	Name  string `json:"name" doc:"The set's name"`
	Key   string `json:"key"`
	Codes []Code `json:"codes,omitempty"`
}

// NewSet asks for a code set made of a device.
type NewSet struct {
	Device string `json:"device" maxLength:"60" doc:"The device whose keys it has"`
	Slug   string `json:"slug,omitempty" maxLength:"40" doc:"The device's where it is left out"`
	Name   string `json:"name,omitempty" maxLength:"80" doc:"Maker and model where it is left out"`
}

// SetMatch is a code set that has keys of a device.
type SetMatch struct {
	Slug string     `json:"slug"`
	Name string     `json:"name"`
	Keys []MatchKey `json:"keys" doc:"Keys that send the same"`
	More []string   `json:"more" doc:"Keys of the set that the device has not learned"`
	Text string     `json:"text" doc:"In words"`
}

// MatchKey is a key of a device that sends what a key of something else sends.
type MatchKey struct {
	Key string `json:"key"`
	Is  string `json:"is" doc:"The other's name for it"`
}

// TwinDevice is another device that obeys the same codes.
type TwinDevice struct {
	Device string     `json:"device"`
	Keys   []MatchKey `json:"keys"`
}

// Matches are what else sends what a device's keys send.
type Matches struct {
	Sets    []SetMatch   `json:"sets" doc:"The one with the most keys first"`
	Devices []TwinDevice `json:"devices" doc:"One press moves both"`
}

// Adopt asks for keys of a code set for a device.
type Adopt struct {
	Set  string   `json:"set" maxLength:"40"`
	Keys []string `json:"keys,omitempty" maxItems:"200" doc:"None is every key that the device has not learned"`
}

// NewAudition asks for codes to be played until a device reacts: of the code sets, or of a sweep.
type NewAudition struct {
	Device   string   `json:"device" maxLength:"60"`
	Function string   `json:"function,omitempty" maxLength:"40" doc:"The key that is played; power where it is left out"`
	Kind     string   `json:"kind,omitempty" maxLength:"40" doc:"Only sets of this kind of device"`
	Sets     []string `json:"sets,omitempty" maxItems:"5000" doc:"Only these sets"`
	PauseMS  int      `json:"pause_ms,omitempty" minimum:"0" maximum:"30000" doc:"Between two codes, 500 or more; 0 is 2500"`
	Sweep    *Sweep   `json:"sweep,omitempty" doc:"Instead of sets: values of one field of a line code"`
}

// Sweep is a range of values of one field.
type Sweep struct {
	Sheet  string         `json:"sheet" maxLength:"40"`
	Fields map[string]any `json:"fields" doc:"The other fields"`
	Field  string         `json:"field" maxLength:"40" doc:"The one that is swept"`
	From   int64          `json:"from"`
	To     int64          `json:"to"`
	Unit   float64        `json:"unit_us,omitempty" minimum:"0" maximum:"10000"`
}

// AuditionPlan is what an audition would play.
type AuditionPlan struct {
	Codes     int      `json:"codes" doc:"Different codes"`
	Sets      []string `json:"sets" doc:"Names of the sets, in their order; empty for a sweep"`
	AirtimeMS int64    `json:"airtime_ms" doc:"On the air in all"`
	TakesMS   int64    `json:"takes_ms" doc:"Until all were played"`
	Moves     []string `json:"moves" doc:"Devices of the library that obey some of them"`
	Text      string   `json:"text" doc:"In words"`
}

// Audition is a search for the codes of a device.
type Audition struct {
	ID       string       `json:"id"`
	Device   string       `json:"device"`
	Function string       `json:"function"`
	Phase    string       `json:"phase" enum:"playing,confirming,walking,found,nothing,ended"`
	Paused   bool         `json:"paused"`
	Played   int          `json:"played"`
	Codes    int          `json:"codes" doc:"To be played in all"`
	Set      string       `json:"set,omitempty" doc:"Name of the set, or value of the sweep, that is asked about, was played last or was found"`
	Key      string       `json:"key,omitempty" doc:"The key that is asked about"`
	Asks     bool         `json:"asks" doc:"It waits for yes or no"`
	Prompt   string       `json:"prompt" doc:"What to do now"`
	Trouble  string       `json:"trouble,omitempty" doc:"Why the last code did not go out"`
	Answers  []KeyAnswer  `json:"answers" doc:"Of the set that is walked through or was found"`
	Refused  []RefusedSet `json:"refused" doc:"Sets that fit only in part"`
	Kept     []string     `json:"kept" doc:"Keys that the device got"`
	Best     string       `json:"best,omitempty" doc:"The refused set whose confirmed keys can be kept, where none fits whole"`
	LeftMS   int64        `json:"left_ms" doc:"Until all were played"`
	Started  time.Time    `json:"started"`
}

// KeyAnswer is what was said of a key.
type KeyAnswer struct {
	Key    string `json:"key"`
	Answer string `json:"answer" enum:"yes,no,unsure,skip,open,doubted"`
}

// RefusedSet is a code set that fits only in part.
type RefusedSet struct {
	Name      string `json:"name"`
	Confirmed int    `json:"confirmed"`
	Tried     int    `json:"tried"`
	Text      string `json:"text" doc:"In words"`
}

// AuditionStep answers an audition.
type AuditionStep struct {
	Do string `json:"do" enum:"reacted,yes,no,unsure,skip,another,back,again,switch,pause,resume,keep,finish" doc:"the device reacted; yes, no or cannot tell to what is asked; leave the key out; another key first; ask about the key before; play it once more; play the function once more first, as the device may be off; pause; resume; keep the confirmed keys of the best set though it does not fit whole; finish"`
}
