package wire

// Phrase is something that is said to the house.
type Phrase struct {
	Text  string `json:"text" minLength:"1" maxLength:"32768" doc:"Such as: turn the projector off in ten minutes. Steps as in an errand are understood, too"`
	Act   bool   `json:"act,omitempty" doc:"Do it; without, the answer says what it means and what it costs"`
	Shown string `json:"shown,omitempty" maxLength:"32768" doc:"What the speaker was shown that it means (words): where it means something else by now, nothing is done"`
}

// Understood is what a phrase means, or a question back.
type Understood struct {
	Does     string   `json:"does" enum:"steps,errand,again,undo,cue,question" doc:"cue sets errands off that wait for the phrase, errand runs one by hand; question asks back"`
	Words    string   `json:"words,omitempty" doc:"What it means"`
	Steps    string   `json:"steps,omitempty" doc:"The same as steps, as an errand writes them"`
	Errands  []string `json:"errands,omitempty" doc:"That it sets off, or runs"`
	Presses  int      `json:"presses" doc:"That it takes now"`
	TakesMS  int64    `json:"takes_ms" doc:"How long it takes, with what it waits"`
	Trouble  string   `json:"trouble,omitempty" doc:"Why it cannot be done now"`
	Question string   `json:"question,omitempty"`
	Choices  []Choice `json:"choices,omitempty" doc:"What may be meant"`
	Run      *Run     `json:"run,omitempty" doc:"That does it"`
	Came     *Came    `json:"came,omitempty" doc:"What became of an errand that it runs"`
}

// Choice is one thing that may be meant.
type Choice struct {
	Words string `json:"words"`
	Say   string `json:"say" doc:"Said like this, nothing else is meant"`
}

// OtherName is what people call something as well.
type OtherName struct {
	Name string `json:"name" minLength:"1" maxLength:"80" doc:"As it is said: big light"`
	Of   string `json:"of" minLength:"1" maxLength:"100" doc:"A device, a group, room/ROOM, an occasion, a sequence or an errand"`
	Kind string `json:"kind,omitempty" readOnly:"true" enum:"device,group,room,occasion,sequence,errand"`
}
