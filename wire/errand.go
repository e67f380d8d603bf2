package wire

import "time"

// Errand is one sentence that the house acts on by itself.
type Errand struct {
	Name    string     `json:"name"`
	Text    string     `json:"text" doc:"As people write it; left out for those who do not see all that it is about"`
	On      bool       `json:"on"`
	Holding bool       `json:"holding,omitempty" doc:"Its while is so, and what it wants is wanted"`
	Next    *time.Time `json:"next,omitempty" doc:"When it is due by the clock"`
	Last    *Came      `json:"last,omitempty" doc:"The last cue that came"`
	Gone    []string   `json:"gone" doc:"What it is about and is not there any more"`
	Error   string     `json:"error,omitempty" doc:"Why it does nothing"`
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
}

// ErrandUnderstood is how an errand is understood; nothing is kept.
type ErrandUnderstood struct {
	Text string      `json:"text"`
	Next []time.Time `json:"next" doc:"The next times at which it would be due by the clock"`
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
