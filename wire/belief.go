package wire

import (
	"time"

	"urbo/core/control"
)

// ControlState is what is believed of one control. No device ever answers: it is how far that can be trusted that
// counts.
type ControlState struct {
	Control string         `json:"control"`
	Kind    control.Kind   `json:"kind" enum:"power,dial,selector,digits,travel"`
	Value   string         `json:"value,omitempty" doc:"Left out where it may be at several"`
	About   bool           `json:"about,omitempty" doc:"Of a dial: it may be a little off, by presses that were missed or by how long a key was held"`
	Near    string         `json:"near,omitempty" doc:"Where it may be then, such as 19 to 25"`
	May     []string       `json:"may" doc:"All that it may be at: values, or ranges like 3 to 12"`
	Word    control.Word   `json:"word" enum:"certain,believed,doubtful" doc:"How far that can be trusted"`
	Unit    string         `json:"unit,omitempty"`
	Phase   control.Phase  `json:"phase,omitempty" enum:"off,warming,on,cooling,unfed" doc:"Of the device's power, where it is known; unfed is that the device which feeds it is off"`
	Until   *time.Time     `json:"until,omitempty" doc:"When it surely obeys again, while it warms up or cools down"`
	Moving  int            `json:"moving,omitempty" doc:"Of a travel: 1 opens, -1 closes"`
	Source  control.Source `json:"source,omitempty" enum:"sent,heard,told,sensed,linked,itself" doc:"Where that comes from: linked is what another device does over their cable, itself what the device did, such as its timer; nothing while nobody has said or done anything"`
	At      *time.Time     `json:"at,omitempty" doc:"Of the last press or word"`
	Presses int            `json:"presses,omitempty" doc:"Since it was last certain, which went on from there"`
	Deaf    bool           `json:"deaf,omitempty" doc:"Nobody was listening for a while"`
	Wrong   int            `json:"wrong,omitempty" doc:"How often a sensor said otherwise: one that is often wrong is doubtful sooner"`
	Beside  []Gauge        `json:"beside,omitempty" doc:"What is measured of it, or beside it, such as a room's temperature beside the one that is wanted"`
	History []ControlWas   `json:"history" doc:"What it was believed to be at, the newest first"`
}

// ControlWas is what a control was believed to be at from a time on.
type ControlWas struct {
	Value  string         `json:"value"`
	At     *time.Time     `json:"at,omitempty"`
	Source control.Source `json:"source,omitempty"`
	Cause  string         `json:"cause,omitempty" doc:"Entry of the journal"`
}

// DeviceState is what is believed of a device.
type DeviceState struct {
	Device   string         `json:"device"`
	Name     string         `json:"name"`
	Room     string         `json:"room"`
	Controls []ControlState `json:"controls"`
}

// SetRequest asks for controls of a device to be set.
type SetRequest struct {
	Wants []control.Want `json:"wants" minItems:"1" maxItems:"24"`
	Dry   bool           `json:"dry,omitempty" doc:"Only tell what would be pressed"`
	ForMS int64          `json:"for_ms,omitempty" minimum:"0" maximum:"2678400000" doc:"Set it for so long: then what was before comes back"`
	Ask   bool           `json:"ask,omitempty" doc:"Press nothing where it would go on from something doubtful: ask what it is at instead (see asks of the answer)"`
	Then  string         `json:"then,omitempty" maxLength:"80" doc:"With for_ms and one control: the value that it goes to instead"`
}

// SetAnswer is what came of it.
type SetAnswer struct {
	Done     bool           `json:"done" doc:"All that was wanted is believed to be so"`
	Doubtful bool           `json:"doubtful,omitempty" doc:"It is done, but what it is at now cannot be relied on"`
	Also     []string       `json:"also,omitempty" doc:"Other devices that obey what is pressed as well"`
	Asks     []control.Ask  `json:"asks,omitempty" doc:"Controls of which it is doubtful, or not known, what they are at: whoever looks at the device can tell"`
	Sure     bool           `json:"sure" doc:"The presses lead there from all that is possible; else none was made"`
	Steps    []PlanStep     `json:"steps" doc:"What is pressed for it"`
	TakesMS  int            `json:"takes_ms"`
	Already  []string       `json:"already,omitempty" doc:"Controls that are believed to be so, and were left alone"`
	Helps    []control.Help `json:"helps,omitempty" doc:"What would help where it is not sure"`
	Presses  []Press        `json:"presses" doc:"What was pressed"`
	Ends     []string       `json:"ends,omitempty" doc:"What became of each want: done, unsure, superseded, cancelled, failed or late"`
	Reason   string         `json:"reason,omitempty" doc:"Why the rest was given up"`
	State    []ControlState `json:"state" doc:"What is believed now"`
}

// PlanStep is a key that is pressed.
type PlanStep struct {
	Key        string            `json:"key,omitempty"`
	Frame      map[string]string `json:"frame,omitempty" doc:"What a frame says that carries several controls, by control; then there is no key"`
	Times      int               `json:"times"`
	HoldMS     int               `json:"hold_ms,omitempty" doc:"How long it is held down; 0 is a short press"`
	WaitMS     int               `json:"wait_ms,omitempty" doc:"From the press before, or its end where it was held"`
	NotLaterMS int               `json:"not_later_ms,omitempty" doc:"Later than this after the press before, the rest is given up"`
}

// TellRequest says what a control really is at.
type TellRequest struct {
	Control string `json:"control" minLength:"1" maxLength:"40"`
	Value   string `json:"value" minLength:"1" maxLength:"40"`
}

// Outage says that the mains failed, and are back.
type Outage struct {
	Room string `json:"room,omitempty" maxLength:"80" doc:"Nothing is the whole house"`
}

// OutageAnswer says what that concerns.
type OutageAnswer struct {
	Devices int `json:"devices" doc:"Devices with controls, which may be at something else now"`
}

// KeyAlso says what a key does to a control beside what the controls say.
type KeyAlso struct {
	Control string `json:"control" minLength:"1" maxLength:"40"`
	Does    string `json:"does" maxLength:"40" doc:"A value that it sets; +1 or -2 for steps; next, to the next value; any, where nobody knows; empty, nothing"`
}

// LinkRequest says what another device does to a control of this one.
type LinkRequest struct {
	Device  string `json:"device" minLength:"1" maxLength:"40" doc:"The other device"`
	Control string `json:"control" minLength:"1" maxLength:"40" doc:"Its control, a power or selector"`
	Value   string `json:"value" minLength:"1" maxLength:"40" doc:"To which that comes; on is any but off"`
	Sets    string `json:"sets" minLength:"1" maxLength:"40" doc:"Control of this device that is set then"`
	To      string `json:"to" minLength:"1" maxLength:"40" doc:"Its value then"`
}

// Core is the link as the house speaks of it.
func (l LinkRequest) Core() control.Link {
	return control.Link{Device: l.Device, Control: l.Control, Value: l.Value, Sets: l.Sets, To: l.To}
}

// FeedRequest says what feeds a device.
type FeedRequest struct {
	Device  string `json:"device" minLength:"1" maxLength:"40" doc:"The device whose power feeds this one"`
	Control string `json:"control,omitempty" maxLength:"40" doc:"Its power; left out is power"`
}

// Frames says what the frames of a line sheet carry.
type Frames struct {
	Sheet   string           `json:"sheet" minLength:"1" maxLength:"40"`
	Fixed   map[string]int64 `json:"fixed,omitempty" doc:"Fields that never change, such as an address"`
	Carries []control.Carry  `json:"carries" minItems:"1" maxItems:"24"`
}

// Proposal is controls made from a device's keys, with what no key tells.
type Proposal struct {
	Controls  []control.Control  `json:"controls"`
	Questions []control.Question `json:"questions"`
}

// Answers are controls for a device, and what was answered about these or those that it has.
type Answers struct {
	Controls []control.Control `json:"controls,omitempty" maxItems:"24" doc:"In the place of those of the same names"`
	Answers  []control.Answer  `json:"answers,omitempty" maxItems:"200"`
}

// BelievedEvent says that what is believed of a device changed: ask for it again.
type BelievedEvent struct {
	Device  string `json:"device"`
	Control string `json:"control"`
	Value   string `json:"value,omitempty"`
}

// Sheet is a line code that the house knows.
type Sheet struct {
	Name   string       `json:"name"`
	Title  string       `json:"title"`
	Medium string       `json:"medium" enum:"infrared,radio"`
	Fields []SheetField `json:"fields"`
}

// SheetField is a field of its frames.
type SheetField struct {
	Name string `json:"name"`
	Min  int64  `json:"min"`
	Max  int64  `json:"max"`
}

// History is what something was at, one after another.
type History struct {
	Path  string `json:"path"`
	Kind  string `json:"kind" enum:"control,measurement,key"`
	Facts []Past `json:"facts" doc:"The oldest first; before those since a time, the one that was so then"`
	More  bool   `json:"more" doc:"There are later ones: ask since the time of the last"`
}

// Past is what was so from a time on; of a key, that it was pressed then.
type Past struct {
	At     time.Time `json:"at"`
	Value  string    `json:"value" doc:"Empty where a control may be at several, and of a key"`
	Source string    `json:"source,omitempty" doc:"Of a control: sent, heard, told or sensed"`
}
