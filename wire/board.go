package wire

import (
	"time"

	"urbo/core/board"
	"urbo/core/control"
)

// BoardLine is a board in a list.
type BoardLine struct {
	Slug      string `json:"slug"`
	Name      string `json:"name"`
	Automatic bool   `json:"automatic" doc:"It is made from what the house has, until somebody edits it"`
	Tiles     int    `json:"tiles" doc:"That the caller sees"`
}

// Board is a page of tiles.
type Board struct {
	Slug      string         `json:"slug"`
	Name      string         `json:"name"`
	Automatic bool           `json:"automatic"`
	Version   int            `json:"version" doc:"Who changes it sends the one that they saw"`
	Sections  []BoardSection `json:"sections"`
	Error     string         `json:"error,omitempty" doc:"Why nothing stands on it"`
}

// BoardSection is tiles under a title.
type BoardSection struct {
	Title string `json:"title,omitempty"`
	Tiles []Tile `json:"tiles"`
}

// Tile is one thing on a board.
type Tile struct {
	ID     string     `json:"id"`
	Kind   board.Kind `json:"kind" enum:"control,key,device,occasion,sequence,errand,measurement,question,heading,note"`
	Of     string     `json:"of,omitempty" doc:"What it is about: amplifier/volume, dew/power, public-talk"`
	Title  string     `json:"title,omitempty" doc:"That somebody gave it"`
	Name   string     `json:"name" doc:"What it is called without one"`
	Size   board.Size `json:"size,omitempty" enum:"small,wide,large" doc:"Left out where it is that of what it shows"`
	Text   string     `json:"text,omitempty" doc:"Of a heading or note"`
	Device string     `json:"device,omitempty" doc:"That it is about, where that is one"`
	Room   string     `json:"room,omitempty" doc:"Of that device"`
	Faces  []Face     `json:"faces" doc:"Of the controls that it shows"`
	Keys   []string   `json:"keys" doc:"That can be pressed through it"`
	Whole  bool       `json:"whole,omitempty" doc:"Each frame of the device carries all its controls"`
	Idle   bool       `json:"idle,omitempty" doc:"It is of the reins, and nobody has them now"`
	Gone   bool       `json:"gone,omitempty" doc:"What it is about is not there any more"`
}

// Face is what a control can be set to.
type Face struct {
	Control    string         `json:"control"`
	Kind       control.Kind   `json:"kind" enum:"power,dial,selector,digits,travel"`
	Choices    []string       `json:"choices" doc:"Values by name; of a travel, its ends, the closed one first"`
	Least      float64        `json:"least"`
	Most       float64        `json:"most"`
	Step       float64        `json:"step" doc:"Of a dial"`
	Unit       string         `json:"unit,omitempty"`
	Stop       string         `json:"stop,omitempty" doc:"Of a travel: the key that stops it on its way, which its tile presses as well"`
	Fixed      bool           `json:"fixed,omitempty" doc:"Nothing sets it from here: it is only heard, or sensed"`
	Favourites map[string]int `json:"favourites,omitempty"`
}

// BoardState is what the tiles of a board are at.
type BoardState struct {
	Tiles     map[string]TileState `json:"tiles" doc:"By the id of a tile; those that are at nothing are left out"`
	Questions []OpenQuestion       `json:"questions" doc:"About what stands on the board"`
}

// TileState is what a tile is at.
type TileState struct {
	Controls []TileControl `json:"controls,omitempty"`
	Gauge    *Gauge        `json:"gauge,omitempty" doc:"Of a measurement"`
	InForce  bool          `json:"in_force,omitempty" doc:"Of an occasion"`
	Differs  int           `json:"differs,omitempty" doc:"Controls that are not at what the occasion wants"`
	Errand   *TileErrand   `json:"errand,omitempty" doc:"Of an errand"`
	Run      string        `json:"run,omitempty" doc:"Of a sequence, an errand, or the start of an occasion, that is under way"`
}

// TileErrand is what an errand is at.
type TileErrand struct {
	On      bool       `json:"on"`
	Trial   bool       `json:"trial,omitempty"`
	Holding bool       `json:"holding,omitempty"`
	Next    *time.Time `json:"next,omitempty"`
	Did     string     `json:"did,omitempty" doc:"What was made of the last cue"`
	At      *time.Time `json:"at,omitempty" doc:"When that came"`
}

// TileControl is what a control is believed to be at.
type TileControl struct {
	Control string        `json:"control"`
	Value   string        `json:"value,omitempty" doc:"mixed where several devices differ; left out where it may be at several"`
	About   bool          `json:"about,omitempty"`
	Near    string        `json:"near,omitempty"`
	May     []string      `json:"may,omitempty" doc:"Where it may be at several"`
	Word    control.Word  `json:"word" enum:"certain,believed,doubtful"`
	Phase   control.Phase `json:"phase,omitempty" enum:"off,warming,on,cooling,unfed"`
	Until   *time.Time    `json:"until,omitempty"`
	Moving  int           `json:"moving,omitempty"`
	Beside  []Gauge       `json:"beside,omitempty"`
}

// TileText is a tile as somebody wrote it.
type TileText struct {
	ID    string     `json:"id,omitempty" maxLength:"120" doc:"Left out of a new one"`
	Kind  board.Kind `json:"kind" enum:"control,key,device,occasion,sequence,errand,measurement,question,heading,note"`
	Of    string     `json:"of,omitempty" maxLength:"140"`
	Title string     `json:"title,omitempty" maxLength:"80"`
	Size  board.Size `json:"size,omitempty" enum:"small,wide,large"`
	Text  string     `json:"text,omitempty" maxLength:"500"`
}

// SectionText is a section as somebody wrote it.
type SectionText struct {
	Title string     `json:"title,omitempty" maxLength:"80"`
	Tiles []TileText `json:"tiles" maxItems:"500"`
}

// NewBoard adds a board.
type NewBoard struct {
	Slug      string        `json:"slug,omitempty" maxLength:"40" doc:"Without one it is made from the name"`
	Name      string        `json:"name" minLength:"1" maxLength:"80"`
	Automatic bool          `json:"automatic,omitempty" doc:"Let it be made from what the house has"`
	Sections  []SectionText `json:"sections,omitempty" maxItems:"60"`
}

// BoardChange changes what is given of a board.
type BoardChange struct {
	Slug      *string        `json:"slug,omitempty" maxLength:"40"`
	Name      *string        `json:"name,omitempty" maxLength:"80"`
	Automatic *bool          `json:"automatic,omitempty"`
	Sections  *[]SectionText `json:"sections,omitempty" maxItems:"60"`
	Version   *int           `json:"version,omitempty" doc:"The one that was seen: where it is another one now, nothing is changed"`
}

// TileUse is what somebody does with a tile. It takes only what that tile offers.
type TileUse struct {
	Wants  []control.Want `json:"wants,omitempty" maxItems:"24" doc:"Of a control, or of the controls of a device"`
	Key    string         `json:"key,omitempty" maxLength:"40" doc:"Of a device; a tile of a key presses that"`
	HoldMS int            `json:"hold_ms,omitempty" minimum:"0" maximum:"20000"`
	Do     string         `json:"do,omitempty" enum:"start,end,right,undo,on,off" doc:"start, end or right of an occasion; start, on or off of an errand; undo of a control"`
	Tell   string         `json:"tell,omitempty" maxLength:"40" doc:"What the control is at now, before anything is pressed"`
	Ask    bool           `json:"ask,omitempty" doc:"Press nothing where it would go on from something doubtful"`
}

// TileAnswer is what came of it.
type TileAnswer struct {
	Done    bool          `json:"done"`
	Presses int           `json:"presses"`
	Reason  string        `json:"reason,omitempty" doc:"Why it is not done"`
	Asks    []control.Ask `json:"asks,omitempty" doc:"What has to be known first"`
	Run     *Run          `json:"run,omitempty"`
}

// OpenQuestion is asked of people: what something is at that a run has to know.
type OpenQuestion struct {
	ID      string    `json:"id"`
	Text    string    `json:"text"`
	Choices []string  `json:"choices" doc:"The answers; none where a number is asked for"`
	Unit    string    `json:"unit,omitempty"`
	For     string    `json:"for" doc:"What asks"`
	By      string    `json:"by" doc:"Who started that"`
	Until   time.Time `json:"until" doc:"Nobody needs the answer afterwards"`
}

// QuestionAnswer answers a question.
type QuestionAnswer struct {
	Value string `json:"value" minLength:"1" maxLength:"40"`
}

// BoardsChanged says that boards are to be asked for again.
type BoardsChanged struct{}

// QuestionsChanged says that questions are to be asked for again.
type QuestionsChanged struct{}

// TilesChanged says to a guest that what the tiles are at is to be asked for again.
type TilesChanged struct{}
