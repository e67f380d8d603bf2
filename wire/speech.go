package wire

// Speech is how speech is recognised here.
type Speech struct {
	Program  string   `json:"program,omitempty" doc:"That makes words of speech; left out where there is none"`
	Trusted  []string `json:"trusted" doc:"Phrases that are done without a tap"`
	LongestS int      `json:"longest_s" doc:"The longest recording, in seconds"`
	RateHz   int      `json:"rate_hz" doc:"Samples a second of a recording: one channel, 16 bits"`
}

// TrustedPhrase is a phrase that is done without a tap where somebody speaks it.
type TrustedPhrase struct {
	Text string `json:"text" minLength:"1" maxLength:"500"`
}

// Heard is what became of a recording.
type Heard struct {
	Text       string      `json:"text" doc:"The words that were recognised"`
	Understood *Understood `json:"understood,omitempty" doc:"What they mean"`
	Trouble    string      `json:"trouble,omitempty" doc:"Why they mean nothing"`
	Done       bool        `json:"done" doc:"It was done at once: the phrase is trusted"`
}
