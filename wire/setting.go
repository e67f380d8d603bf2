package wire

// Setting is a flag of urbo serve as it is here.
type Setting struct {
	Name     string `json:"name"`
	Value    string `json:"value"`
	Variable string `json:"variable" doc:"The environment variable that says it"`
	Set      bool   `json:"set" doc:"The environment says it"`
}

// Health is one thing that urbo doctor looked at.
type Health struct {
	Is   string `json:"is" enum:"good,doubt,bad"`
	Text string `json:"text"`
	Do   string `json:"do,omitempty" doc:"What to do about it"`
}
