package happening

// BoardChanged says that a board was added, changed or removed.
type BoardChanged struct {
	BoardID string `json:"board_id"`
	Board   string `json:"board"` // slug
	Text    string `json:"text"`
	// Devices are the ids of those that it is about; none of one that makes itself.
	Devices []string `json:"device_ids,omitempty"`
}

// Name of the type.
func (BoardChanged) Name() string { return "board-changed" }

// Tell repeats it.
func (b BoardChanged) Tell() (Line, bool) { return Line{Kind: "house", Text: b.Text}, true }

// QuestionChanged says that something is asked of people, or no longer is.
type QuestionChanged struct {
	QuestionID string   `json:"question_id"`
	Question   string   `json:"question"`             // in words
	For        string   `json:"for"`                  // what asks
	Devices    []string `json:"device_ids,omitempty"` // that it is about
	Over       bool     `json:"over,omitempty"`
}

// Name of the type.
func (QuestionChanged) Name() string { return "question-changed" }

// Tell says nothing: what asks says so itself.
func (QuestionChanged) Tell() (Line, bool) { return Line{}, false }
