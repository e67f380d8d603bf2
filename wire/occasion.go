package wire

import (
	"time"

	"urbo/core/control"
)

// Occasion is a named wanted state of a room or of the whole house.
type Occasion struct {
	Slug    string            `json:"slug"`
	Name    string            `json:"name"`
	Wants   string            `json:"wants" doc:"As people write it; left out for those who do not see all that it is about"`
	Room    string            `json:"room,omitempty" doc:"Where it holds; left out where that is every room that it sets something in"`
	Stays   []string          `json:"stays" doc:"What is left as it is when it ends, or another one takes its place"`
	Reins   map[string]string `json:"reins" doc:"Who has the volume, the arrows, the digits and the play keys while it is in force"`
	Leaves  bool              `json:"leaves" doc:"Its end leaves all devices as they are"`
	Gone    []string          `json:"gone" doc:"What it is about and is not there any more"`
	Lacking []string          `json:"lacking" doc:"DEVICE/CONTROL that it wants and that is not there yet; it is passed over"`
	Error   string            `json:"error,omitempty" doc:"Why it cannot begin"`
	InForce bool              `json:"in_force"`
	Rooms   []string          `json:"rooms" doc:"In which it is in force"`
	Since   *time.Time        `json:"since,omitempty"`
	By      string            `json:"by,omitempty" doc:"Who started it"`
	Run     string            `json:"run,omitempty" doc:"Its start, where that is under way"`
	Differs []Difference      `json:"differs" doc:"What is not as it wants it, of what the caller sees"`
}

// Difference is a control that is not at what an occasion wants.
type Difference struct {
	Device  string `json:"device"`
	Control string `json:"control"`
	Wanted  string `json:"wanted"`
	Value   string `json:"value,omitempty" doc:"What it is believed to be at"`
	Unsure  bool   `json:"unsure,omitempty" doc:"Nobody knows for sure what it is at"`
}

// NewOccasion adds an occasion.
type NewOccasion struct {
	Slug   string            `json:"slug,omitempty" maxLength:"40" doc:"Without one it is made from the name"`
	Name   string            `json:"name" minLength:"1" maxLength:"80"`
	Wants  string            `json:"wants" maxLength:"32768" doc:"set DEVICE/CONTROL to VALUE …, with then between what is set one after another"`
	Room   string            `json:"room,omitempty" maxLength:"80" doc:"Without one it is for the whole house"`
	Stays  []string          `json:"stays,omitempty" maxItems:"100"`
	Reins  map[string]string `json:"reins,omitempty" maxProperties:"4" doc:"volume: DEVICE/CONTROL; arrows, digits and play: DEVICE"`
	Leaves bool              `json:"leaves,omitempty"`
}

// OccasionChange changes what is given of an occasion.
type OccasionChange struct {
	Slug   *string            `json:"slug,omitempty" maxLength:"40"`
	Name   *string            `json:"name,omitempty" maxLength:"80"`
	Wants  *string            `json:"wants,omitempty" maxLength:"32768"`
	Room   *string            `json:"room,omitempty" maxLength:"80" doc:"Empty is the whole house"`
	Stays  *[]string          `json:"stays,omitempty" maxItems:"100"`
	Reins  *map[string]string `json:"reins,omitempty" maxProperties:"4"`
	Leaves *bool              `json:"leaves,omitempty"`
}

// OccasionPlan is what would be pressed.
type OccasionPlan struct {
	Presses int              `json:"presses"`
	TakesMS int64            `json:"takes_ms"`
	Sure    bool             `json:"sure" doc:"All of it surely leads to what is wanted"`
	Ends    []string         `json:"ends" doc:"The occasions whose place it takes, wholly or in some rooms"`
	Devices []OccasionDevice `json:"devices" doc:"In the order in which they are set"`
}

// OccasionDevice is what would be pressed for one device.
type OccasionDevice struct {
	Device string         `json:"device"`
	Name   string         `json:"name"`
	Stage  int            `json:"stage" doc:"Devices of one stage are set side by side; from 1"`
	Wants  []control.Want `json:"wants"`
	Ends   bool           `json:"ends,omitempty" doc:"It is switched off, because nothing wants it any more"`
	Answer SetAnswer      `json:"answer"`
	Error  string         `json:"error,omitempty"`
}

// OccasionDone is what began.
type OccasionDone struct {
	Occasion Occasion `json:"occasion"`
	Run      *Run     `json:"run,omitempty" doc:"Left out where nothing is to be pressed"`
}

// OccasionsChanged says that occasions are to be asked for again.
type OccasionsChanged struct{}

// Rein says who has a part of a handset while an occasion is in force.
type Rein struct {
	Rein string `json:"rein" enum:"volume,arrows,digits,play"`
	Of   string `json:"of" doc:"DEVICE/CONTROL of the volume, or DEVICE"`
}
