package happening

// OccasionChanged says that an occasion was added, changed or removed.
type OccasionChanged struct {
	OccasionID string `json:"occasion_id"`
	Occasion   string `json:"occasion"` // slug
	Text       string `json:"text"`
}

// Name of the type.
func (OccasionChanged) Name() string { return "occasion-changed" }

// Tell repeats it.
func (o OccasionChanged) Tell() (Line, bool) { return Line{Kind: "run", Text: o.Text}, true }

// OccasionInForce says that an occasion is in force, in fewer rooms than before, or no longer.
type OccasionInForce struct {
	OccasionID string   `json:"occasion_id"`
	Occasion   string   `json:"occasion"`             // slug
	Rooms      []string `json:"room_ids,omitempty"`   // of those in which it is in force; none where it ended
	Devices    []string `json:"device_ids,omitempty"` // that it set in them
	Text       string   `json:"text"`
}

// Name of the type.
func (OccasionInForce) Name() string { return "occasion-in-force" }

// Tell repeats it.
func (o OccasionInForce) Tell() (Line, bool) { return Line{Kind: "run", Text: o.Text}, true }

// OccasionDiffers says how many controls are not at what an occasion in force wants. It is no news for the journal: the
// beliefs are.
type OccasionDiffers struct {
	OccasionID string   `json:"occasion_id"`
	Occasion   string   `json:"occasion"` // slug
	Differs    int      `json:"differs"`
	Devices    []string `json:"device_ids,omitempty"` // that it set
}

// Name of the type.
func (OccasionDiffers) Name() string { return "occasion-differs" }

// Tell says nothing.
func (OccasionDiffers) Tell() (Line, bool) { return Line{}, false }
