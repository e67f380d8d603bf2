package wire

import "time"

// Errand is one sentence that the house acts on by itself.
type Errand struct {
	Name    string     `json:"name"`
	Text    string     `json:"text" doc:"As people write it; left out for those who do not see all that it is about"`
	On      bool       `json:"on"`
	Trial   bool       `json:"trial,omitempty" doc:"It comes, and nothing is pressed"`
	Holding bool       `json:"holding,omitempty" doc:"Its while is so, and what it wants is wanted"`
	Next    *time.Time `json:"next,omitempty" doc:"When it is due by the clock"`
	Last    *Came      `json:"last,omitempty" doc:"The last cue that came"`
	Gone    []string   `json:"gone" doc:"What it is about and is not there any more"`
	Error   string     `json:"error,omitempty" doc:"Why it does nothing"`
	Version int        `json:"version" doc:"Who writes it anew sends the one that they saw"`
}

// Came is a cue that came, and what was made of it.
type Came struct {
	At      time.Time    `json:"at" doc:"On the calendar clock of the house"`
	Errand  string       `json:"errand"`
	Cue     string       `json:"cue"`
	Did     string       `json:"did" enum:"ran,ended,stretched,trial,skipped,unknown,busy,missed,stopped,failed"`
	Answers []CameAnswer `json:"answers" doc:"What each question of its condition answered"`
	Reason  string       `json:"reason,omitempty"`
	Run     string       `json:"run,omitempty" doc:"That it began"`
	Beside  []string     `json:"beside,omitempty" doc:"Of an errand on trial: what people did by hand at about that time"`
}

// CameAnswer is what a question of a condition answered.
type CameAnswer struct {
	Asked string `json:"asked"`
	Is    string `json:"is" enum:"yes,no,unknown"`
}

// NewErrand adds an errand.
type NewErrand struct {
	Text string `json:"text" minLength:"1" maxLength:"32768" doc:"errand NAME when … do …, or while … do …"`
}

// ErrandChange changes what is given of an errand.
type ErrandChange struct {
	Text *string `json:"text,omitempty" maxLength:"32768" doc:"Its name may be another then"`
	On   *bool   `json:"on,omitempty"`
	// Version is the one whose sentence was seen.
	Version *int `json:"version,omitempty" doc:"The one that was seen: where it is another one now, its sentence is not changed"`
	// Trial puts it on trial, or makes it real.
	Trial *bool `json:"trial,omitempty" doc:"On trial it comes, and nothing is pressed"`
}

// ErrandUnderstood is how an errand is understood; nothing is kept.
type ErrandUnderstood struct {
	Text string      `json:"text"`
	Next []time.Time `json:"next" doc:"The next times at which it would be due by the clock"`
	Odd  []string    `json:"odd" doc:"What is odd about it beside the other errands, in words"`
	Tree any         `json:"tree" doc:"Its parts, as docs/errands.md describes them"`
}

// ErrandOffer is what may stand next in an errand that is being written.
type ErrandOffer struct {
	Text string `json:"text"`
	Kind string `json:"kind" doc:"word, or what is meant by it: control, key, measurement, occasion …"`
}

// ErrandOffers is all that may stand next.
type ErrandOffers struct {
	Typed  string        `json:"typed" doc:"The word at the end that they take the place of"`
	Offers []ErrandOffer `json:"offers"`
	Wanted []string      `json:"wanted" doc:"Kinds of what may be typed as well: number, time, text …"`
}

// DueErrand is when an errand is due by the clock.
type DueErrand struct {
	At     time.Time `json:"at"`
	Errand string    `json:"errand"`
}

// Quiet is until when no errand begins anything.
type Quiet struct {
	Until *time.Time `json:"until,omitempty" doc:"Left out where they do"`
}

// QuietRequest lets no errand begin anything for a time.
type QuietRequest struct {
	ForMS int64 `json:"for_ms" minimum:"0" maximum:"31622400000" doc:"0 lets them go on"`
}

// ErrandsChanged says that errands are to be asked for again.
type ErrandsChanged struct{}

// RehearsalRequest rehearses an errand, kept or not.
type RehearsalRequest struct {
	Errand string `json:"errand,omitempty" maxLength:"40" doc:"The name of one that is kept; its text, where none is given"`
	Text   string `json:"text,omitempty" maxLength:"32768"`
	Days   int    `json:"days" minimum:"-90" maximum:"90" doc:"The last days; below 0, so many coming ones"`
}

// Rehearsal is what would have been made of the cues of an errand in a time; nothing was sent.
type Rehearsal struct {
	From  time.Time   `json:"from"`
	To    time.Time   `json:"to"`
	Text  string      `json:"text"`
	Sum   string      `json:"sum" doc:"In words"`
	Cues  []Rehearsed `json:"cues"`
	More  bool        `json:"more,omitempty" doc:"There are more than are told"`
	Faces []string    `json:"unrehearsed" doc:"Cues of which nothing is remembered, so that they do not come here"`
}

// Rehearsed is a cue that would have come.
type Rehearsed struct {
	At      time.Time      `json:"at"`
	Cue     string         `json:"cue"`
	Did     string         `json:"did" enum:"ran,ended,stretched,skipped,unknown,busy,missed,failed"`
	Reason  string         `json:"reason,omitempty"`
	Answers []CameAnswer   `json:"answers"`
	Does    []RehearsedDid `json:"does"`
	Asks    string         `json:"asks,omitempty" doc:"The control that people would have been asked for"`
}

// RehearsedDid is a step that would have been done.
type RehearsedDid struct {
	Says    string `json:"says"`
	Presses int    `json:"presses"`
	Wrong   string `json:"wrong,omitempty"`
}

// Habit is something that people do by hand at about the same time.
type Habit struct {
	Device  string `json:"device"`
	Control string `json:"control"`
	Value   string `json:"value"`
	Says    string `json:"says" doc:"How often, in words"`
	On      int    `json:"on" doc:"Days on which it was done at that time"`
	Of      int    `json:"of" doc:"Days on which it was done at all"`
	Text    string `json:"text" doc:"The errand that does it"`
}

// BlindSpots is how often it was not known what devices were at when errands asked.
type BlindSpots struct {
	Of      int         `json:"of" doc:"Cues that were skipped because something was not known"`
	Days    int         `json:"days"`
	Devices []BlindSpot `json:"devices" doc:"A meter at one of these would have decided so many of them"`
}

// BlindSpot is a device of which nobody knew what it was at.
type BlindSpot struct {
	Device  string `json:"device"`
	Skipped int    `json:"skipped"`
}

// ErrandCopy copies an errand to other devices.
type ErrandCopy struct {
	Of string   `json:"of" maxLength:"40" doc:"The device that it names"`
	To []string `json:"to" minItems:"1" maxItems:"50" doc:"Those that the copies name instead"`
}

// NewCue brings something into the house that errands come with.
type NewCue struct {
	Kind  string    `json:"kind" enum:"phrase,hook,message,calendar"`
	Of    string    `json:"of" minLength:"1" maxLength:"500" doc:"The phrase, or the name of the hook, topic or calendar"`
	Value string    `json:"value,omitempty" maxLength:"16384" doc:"The message; begins or ends, of an event"`
	Title string    `json:"title,omitempty" maxLength:"500" doc:"Of an event"`
	At    time.Time `json:"at,omitzero" doc:"When an event begins or ends; left out for now"`
}

// Day is what a day of the house was, and is to be.
type Day struct {
	Date      string        `json:"date"`
	From      time.Time     `json:"from" doc:"Its midnight"`
	To        time.Time     `json:"to" doc:"The next one"`
	Now       time.Time     `json:"now" doc:"What the calendar clock of the house shows"`
	Sun       []DaySun      `json:"sun"`
	Occasions []DayOccasion `json:"occasions"`
	Came      []Came        `json:"came"`
	Next      []DueErrand   `json:"next"`
}

// DaySun is when the sun does something.
type DaySun struct {
	Event string    `json:"event"`
	At    time.Time `json:"at"`
}

// DayOccasion is an occasion that was in force.
type DayOccasion struct {
	Name string     `json:"name"`
	From time.Time  `json:"from"`
	To   *time.Time `json:"to,omitempty" doc:"Left out where it still is"`
}

// Then is what was believed and measured at a time.
type Then struct {
	At           time.Time    `json:"at"`
	Devices      []ThenDevice `json:"devices"`
	Occasions    []string     `json:"occasions"`
	Measurements []ThenValue  `json:"measurements"`
}

// ThenDevice is what was believed of a device.
type ThenDevice struct {
	Device   string      `json:"device"`
	Name     string      `json:"name"`
	Room     string      `json:"room,omitempty"`
	Controls []ThenValue `json:"controls"`
}

// ThenValue is what something was at.
type ThenValue struct {
	Name  string    `json:"name"`
	Value string    `json:"value" doc:"Empty where that was not known"`
	Since time.Time `json:"since"`
}
