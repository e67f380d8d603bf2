// Package wire holds the plain structs that cross the network: requests, answers and events. The OpenAPI document
// and the console's types are generated from them.
package wire

import (
	"time"
	"urbo/core/control"
	"urbo/core/reach"

	"urbo/core/happening"
	"urbo/core/line"
	"urbo/core/signal"
)

// Reading is what a decoder read out of a press.
type Reading struct {
	Sheet      string             `json:"sheet" doc:"Line sheet, such as nec"`
	Fields     map[string]any     `json:"fields" doc:"Values of the sheet's fields: whole numbers or texts"`
	Frames     int                `json:"frames" doc:"Whole frames with these fields"`
	Repeats    int                `json:"repeats" doc:"Short repeat frames after them"`
	Unit       float64            `json:"unit_us" doc:"Measured unit in µs"`
	Stretch    float64            `json:"stretch_us" doc:"What the receiver added to marks, in µs"`
	Deviation  float64            `json:"deviation_us" doc:"Largest difference from the clean frame, in µs"`
	Confidence float64            `json:"confidence" minimum:"0" maximum:"1"`
	Measured   []line.Measurement `json:"measured,omitempty" doc:"What a sensor says"`
	Rolling    bool               `json:"rolling,omitempty" doc:"The device obeys it once: it can be followed, not sent"`
	FromUS     int                `json:"from_us" doc:"Where in the press its frames begin, in µs"`
	ToUS       int                `json:"to_us" doc:"Where they end"`
}

// Decoded is what bench decode says of one train.
type Decoded struct {
	Readings []Reading `json:"readings" doc:"Best first; empty where no sheet fits"`
}

// Capture is one press as heard.
type Capture struct {
	ID       string             `json:"id"`
	At       time.Time          `json:"at"`
	Station  string             `json:"station"`
	Port     string             `json:"port"`
	Medium   string             `json:"medium" enum:"infrared,radio"`
	Strength *float64           `json:"strength,omitempty" doc:"0 to 1, where the receiver measures it"`
	Carrier  int                `json:"carrier_hz,omitempty" doc:"Measured; receiver modules do not tell it"`
	Count    int                `json:"count" doc:"Equal presses of a recording that this stands for"`
	Trains   []signal.Reception `json:"trains" doc:"Durations in µs, mark first"`
	Readings []Reading          `json:"readings" doc:"Best first; empty where no sheet fits"`
	Held     string             `json:"held,omitempty" doc:"Sheet whose short repeat frames stand alone here: a key still held"`
	Keys     []KeyRef           `json:"keys" doc:"Keys of the library that send this"`
	Sets     []SetKey           `json:"sets,omitempty" doc:"Code sets that have it, where no key does"`
	Echo     bool               `json:"echo" doc:"Urbo heard its own sending"`
	PressID  string             `json:"press_id,omitempty" doc:"The press that an echo belongs to"`
	Stored   bool               `json:"stored" doc:"False until it is safe on disk"`
}

// KeyRef names a key of a device.
type KeyRef struct {
	Device string `json:"device"`
	Key    string `json:"key"`
}

// String is DEVICE/KEY.
func (k KeyRef) String() string { return k.Device + "/" + k.Key }

// Press is the receipt of a key that Urbo pressed.
type Press struct {
	ID      string            `json:"id"`
	At      time.Time         `json:"at"`
	Device  string            `json:"device"`
	Key     string            `json:"key"`
	Times   int               `json:"times"`
	By      string            `json:"by" doc:"Who asked"`
	Station string            `json:"station"`
	Port    string            `json:"port"`
	Outcome happening.Outcome `json:"outcome" enum:"sent,failed,unknown" doc:"Unknown: the station did not answer, so it may or may not have gone out; it is never sent again by itself"`
	Reason  string            `json:"reason,omitempty"`
	TookMS  float64           `json:"took_ms" doc:"On the air, in ms"`
	Note    string            `json:"note,omitempty" doc:"What to mind, such as that the device still warms up"`
	Heard   *bool             `json:"heard,omitempty" doc:"Whether a receiver heard it, where that is verified"`
}

// PressFinding is one thing that was looked at because a press does nothing.
type PressFinding struct {
	About string     `json:"about" enum:"code,way,airtime,test,press,device,eyes"`
	Is    string     `json:"is" enum:"good,doubt,bad" doc:"Bad is why nothing happens, doubt may be"`
	Text  string     `json:"text"`
	Do    string     `json:"do,omitempty" doc:"What to do about it"`
	At    *time.Time `json:"at,omitempty" doc:"When that was; none where it is of now"`
}

// PressRequest asks for a press.
type PressRequest struct {
	Times    int    `json:"times,omitempty" minimum:"1" maximum:"50" default:"1" doc:"Presses one after another"`
	HoldMS   int    `json:"hold_ms,omitempty" minimum:"0" maximum:"20000" doc:"How long it is held down; 0 is a short press"`
	From     string `json:"from,omitempty" maxLength:"81" doc:"STATION/PORT to send from, instead of the device's"`
	WithinMS int    `json:"within_ms,omitempty" minimum:"0" maximum:"120000" doc:"Drop it where its turn has not come by then, rather than late; 0 is two minutes"`
	Anyway   bool   `json:"anyway,omitempty" doc:"Also from a transmitter that makes another channel, such as 433.92 for 433.42 MHz"`
}

// HoldRequest asks for a key to be held: it is let go by itself when it is not asked for again within the lease.
type HoldRequest struct {
	LeaseMS int `json:"lease_ms,omitempty" minimum:"0" maximum:"5000" doc:"How long it is held from now; 0 is 1500"`
}

// Held is a key that is held down.
type Held struct {
	ID      string `json:"id"`
	LeaseMS int    `json:"lease_ms"`
}

// Entry is one line of the journal.
type Entry struct {
	ID      string    `json:"id"`
	At      time.Time `json:"at"`
	Kind    string    `json:"kind" enum:"heard,echo,press,settled,lesson,audition,device,station,access,belief,run,house"`
	CauseID string    `json:"cause_id,omitempty" doc:"The capture, press or entry that led to this"`
	By      string    `json:"by,omitempty" doc:"Who asked"`
	ByKind  string    `json:"by_kind,omitempty" doc:"person, program, handset, errand, house or station"`
	Via     string    `json:"via,omitempty" doc:"By which browser or token it was asked"`
	Device  string    `json:"device,omitempty" doc:"By the slug that it had then"`
	Key     string    `json:"key,omitempty"`
	Place   string    `json:"place,omitempty" doc:"STATION/PORT"`
	Outcome string    `json:"outcome,omitempty"`
	Text    string    `json:"text" doc:"What happened, in words"`
}

// JournalPage is a part of the journal, the newest entry first.
type JournalPage struct {
	Entries []Entry `json:"entries"`
	More    string  `json:"more,omitempty" doc:"There are older ones: ask again for those before this id"`
}

// PortState is a port of a station and what it did last.
type PortState struct {
	ID        string     `json:"id"`
	Direction string     `json:"direction" enum:"receiver,transmitter"`
	Medium    string     `json:"medium" enum:"infrared,radio"`
	FromHz    int        `json:"from_hz"`
	ToHz      int        `json:"to_hz"`
	Last      *time.Time `json:"last,omitempty" doc:"When it last heard or sent"`
	Count     int        `json:"count" doc:"Presses heard or sent since the start"`
	// of a receiver
	Strength *float64 `json:"heard_strength,omitempty" doc:"Of what it heard last, 0 to 1, where it measures it"`
	// of a transmitter
	AirtimeMS  int               `json:"airtime_ms,omitempty" doc:"On the air in the last hour"`
	BudgetMS   int               `json:"budget_ms,omitempty" doc:"How long it may be on the air in an hour; none is no limit"`
	Share      float64           `json:"airtime_share,omitempty" doc:"Of the hour that the budget is"`
	Correction *reach.Correction `json:"correction,omitempty" doc:"What makes its durations true"`
}

// Station is a piece of hardware as Urbo sees it.
type Station struct {
	Name     string      `json:"name"`
	Room     string      `json:"room,omitempty"`
	Over     string      `json:"over" enum:"stage,serial,websocket,mqtt,kernel" doc:"How it is reached"`
	Address  string      `json:"address,omitempty" doc:"The device it is reached by; none for one that dials in"`
	Model    string      `json:"model"`
	Firmware string      `json:"firmware"`
	Here     bool        `json:"here" doc:"False while it is away"`
	Since    *time.Time  `json:"since,omitempty" doc:"Here or away since; none where it never was here"`
	Trouble  string      `json:"trouble,omitempty" doc:"Why it cannot be reached, while it is away"`
	Ports    []PortState `json:"ports"`
	Secret   string      `json:"secret,omitempty" doc:"Its token, shown once: when it is added, for one that dials in"`
	Files    []BoardFile `json:"files,omitempty" doc:"What to copy onto a Wi-Fi board, with its token in it: when it is added"`
	Pins     string      `json:"pins,omitempty" doc:"Of a Wi-Fi board, in words: which pins the files expect what at"`
}

// BoardFile is a file for a board.
type BoardFile struct {
	Name string `json:"name"`
	Text string `json:"text"`
}

// NewStation is a station to add.
type NewStation struct {
	Name    string `json:"name" minLength:"1" maxLength:"40"`
	Room    string `json:"room,omitempty" maxLength:"80"`
	Over    string `json:"over" enum:"serial,websocket,mqtt,kernel,stage" doc:"How it is reached"`
	Address string `json:"address,omitempty" maxLength:"200" doc:"The device, for serial and kernel; the name that it calls itself on the broker or the stage, where that is another"`
	Wifi    string `json:"wifi,omitempty" enum:"rp2040,esp32,other" doc:"For websocket: a board that runs MicroPython; the answer has its files"`
	House   string `json:"house,omitempty" maxLength:"200" doc:"For wifi: this house's address as the board reaches it, http://HOST:PORT"`
}

// StationChange changes what is given of a station.
type StationChange struct {
	Name *string `json:"name,omitempty" maxLength:"40"`
	Room *string `json:"room,omitempty" maxLength:"80" doc:"Empty is none"`
}

// TransmitterChange changes what is given of a transmitter.
type TransmitterChange struct {
	Share      *float64          `json:"airtime_share,omitempty" minimum:"0" maximum:"1" doc:"Of an hour that it may be on the air; 0 is no limit"`
	Correction *reach.Correction `json:"correction,omitempty" doc:"What makes its durations true; empty for none"`
}

// Lesson is a guided learning session for one device.
type Lesson struct {
	ID      string      `json:"id"`
	Device  string      `json:"device"`
	State   string      `json:"state" enum:"running,paused,done,ended"`
	Key     string      `json:"key,omitempty" doc:"The key that is asked for now"`
	Prompt  string      `json:"prompt" doc:"What to do now"`
	Hint    string      `json:"hint,omitempty" doc:"Why nothing may be heard, when nothing was for a while"`
	Needed  int         `json:"needed" doc:"Takes that must agree"`
	Free    bool        `json:"free,omitempty" doc:"Keys come in any order, and get their names later"`
	Keys    []LessonKey `json:"keys"`
	Takes   []Take      `json:"takes" doc:"Takes of the key that is asked for, oldest first"`
	Last    *Take       `json:"last,omitempty" doc:"The last press that was heard"`
	Started time.Time   `json:"started"`
}

// LessonKey is one key of a lesson.
type LessonKey struct {
	Name  string `json:"name"`
	State string `json:"state" enum:"waiting,asked,settled,skipped"`
	Takes int    `json:"takes,omitempty" doc:"Of a free lesson: how often it was pressed, until it is settled"`
	Code  *Code  `json:"code,omitempty"`

	Rolling bool `json:"rolling,omitempty" doc:"Its code cannot be sent again: it is only followed"`
}

// Take is one press in a lesson and the judgement of it.
type Take struct {
	CaptureID string       `json:"capture_id"`
	Key       string       `json:"key"`
	Verdict   string       `json:"verdict"`
	Accepted  bool         `json:"accepted"`
	Allowable bool         `json:"allowable,omitempty" doc:"It was refused, and may be taken after all (accept)"`
	Text      string       `json:"text" doc:"The verdict in words, and what to do"`
	Reading   *Reading     `json:"reading,omitempty"`
	Train     signal.Train `json:"train" doc:"For a drawing, in µs"`
}

// NewLesson asks for a lesson.
type NewLesson struct {
	Device string   `json:"device" maxLength:"40"`
	Keys   []string `json:"keys,omitempty" maxItems:"200" doc:"None is every key that is not learned yet"`
	Free   bool     `json:"free,omitempty" doc:"No key is asked for: they come in any order, and are named later"`
	Needed int      `json:"needed,omitempty" minimum:"0" maximum:"5" doc:"Takes that must agree, 1 to 5; 0 is two"`
}

// LessonStep moves a lesson.
type LessonStep struct {
	Do   string `json:"do" enum:"skip,back,redo,add,name,drop,accept,code,pause,resume,finish" doc:"skip the asked key, go back one, redo a key, add a key, name or drop a key of a free lesson, take the refused press after all, give the asked key a code, pause, resume, finish"`
	Key  string `json:"key,omitempty" maxLength:"40" doc:"For redo, add, name and drop"`
	As   string `json:"as,omitempty" maxLength:"40" doc:"For name: what it is called from now on"`
	Code string `json:"code,omitempty" maxLength:"65536" doc:"For code: what the asked key sends, as of HandCode"`
}

// Token is a credential for a program.
type Token struct {
	ID      string     `json:"id"`
	Name    string     `json:"name"`
	Scope   string     `json:"scope" doc:"In a word: owner, press, watch or station, or its rights"`
	Rights  []string   `json:"rights" doc:"What it may do: see, use, tell, arrange, teach, keep"`
	Where   Where      `json:"where" doc:"In which part of the house"`
	Created time.Time  `json:"created"`
	Used    *time.Time `json:"used,omitempty"`
	From    string     `json:"from,omitempty" doc:"Address that it was last used from"`
	Secret  string     `json:"secret,omitempty" doc:"Shown once, when it is made"`
}

// Session is a signed-in browser.
type Session struct {
	ID      string     `json:"id"`
	Person  string     `json:"person" doc:"Who is signed in"`
	Browser string     `json:"browser" doc:"What the browser calls itself"`
	Created *time.Time `json:"created,omitempty"`
	Expires time.Time  `json:"expires"`
	Used    *time.Time `json:"used,omitempty" doc:"When it was last used"`
	From    string     `json:"from,omitempty" doc:"Address that it was last used from"`
	This    bool       `json:"this" doc:"Whether it is the one that asks"`
}

// NewToken asks for a token.
type NewToken struct {
	Name   string   `json:"name" minLength:"1" maxLength:"80"`
	Scope  string   `json:"scope,omitempty" enum:"owner,press,watch,station" doc:"Rights in a word: press is see, use and tell; watch is see; station lets hardware in"`
	Rights []string `json:"rights,omitempty" maxItems:"6" doc:"Or each by its name: see, use, tell, arrange, teach, keep"`
	Where  Where    `json:"where,omitempty" doc:"For which part of the house; without it for all of it"`
}

// Where is a part of the house.
type Where struct {
	House        bool     `json:"house,omitempty" doc:"All of it"`
	Rooms        []string `json:"rooms,omitempty" maxItems:"100"`
	Devices      []string `json:"devices,omitempty" maxItems:"100" doc:"By their slugs"`
	Measurements []string `json:"measurements,omitempty" maxItems:"100"`
	Boards       []string `json:"boards,omitempty" maxItems:"100" doc:"Of a guest, who has nothing else; by their slugs"`
}

// Person is somebody who may sign in.
type Person struct {
	ID       string     `json:"id"`
	Name     string     `json:"name"`
	Role     string     `json:"role" doc:"owner, resident, visitor or guest"`
	Rights   []string   `json:"rights" doc:"What the role may do"`
	Where    Where      `json:"where"`
	Until    *time.Time `json:"until,omitempty" doc:"None is for ever"`
	Created  *time.Time `json:"created,omitempty"`
	Browsers int        `json:"browsers" doc:"That are signed in"`
	User     string     `json:"user,omitempty" doc:"User of Urbo's machine who is this person at a terminal"`
}

// NewPerson lets somebody in.
type NewPerson struct {
	Name  string     `json:"name" minLength:"1" maxLength:"80"`
	Role  string     `json:"role" enum:"owner,resident,visitor,guest"`
	Where Where      `json:"where,omitempty" doc:"For which rooms and devices; a resident without any has the whole house"`
	Until *time.Time `json:"until,omitempty"`
}

// PersonChange changes what is given of a person. What that person has open ends, and begins anew.
type PersonChange struct {
	Name   *string    `json:"name,omitempty" maxLength:"80"`
	Role   *string    `json:"role,omitempty" enum:"owner,resident,visitor,guest"`
	Where  *Where     `json:"where,omitempty"`
	Until  *time.Time `json:"until,omitempty"`
	Always bool       `json:"always,omitempty" doc:"Without an end"`
	User   *string    `json:"user,omitempty" maxLength:"64" doc:"User of Urbo's machine; empty for none"`
}

// House is what the house says of itself.
type House struct {
	Name        string   `json:"name"`
	Latitude    *float64 `json:"latitude,omitempty" doc:"In degrees, north is positive"`
	Longitude   *float64 `json:"longitude,omitempty" doc:"In degrees, east is positive"`
	Zone        string   `json:"zone" doc:"Such as Europe/London; empty is that of the machine"`
	Now         string   `json:"now" doc:"Date, time and day of the week there, by the calendar clock"`
	Plausible   bool     `json:"plausible" doc:"Whether that can be right; else what is bound to the clock waits"`
	Fahrenheit  bool     `json:"fahrenheit" doc:"Temperatures are shown in °F"`
	TwelveHours bool     `json:"twelve_hours" doc:"Times are shown like 9:04 pm"`
}

// HouseChange changes what is given of it.
type HouseChange struct {
	Name        *string  `json:"name,omitempty" maxLength:"80"`
	Latitude    *float64 `json:"latitude,omitempty" minimum:"-90" maximum:"90"`
	Longitude   *float64 `json:"longitude,omitempty" minimum:"-180" maximum:"180"`
	NoPlace     bool     `json:"no_place,omitempty"`
	Zone        *string  `json:"zone,omitempty" maxLength:"60"`
	Fahrenheit  *bool    `json:"fahrenheit,omitempty"`
	TwelveHours *bool    `json:"twelve_hours,omitempty"`
}

// Group is a named list of devices whose controls are set together.
type Group struct {
	Slug    string   `json:"slug"`
	Name    string   `json:"name"`
	Members []string `json:"members" doc:"Slugs of devices and groups; those that the caller does not see are left out"`
	Devices int      `json:"devices" doc:"In all, also in the groups in it"`
}

// NewGroup adds a group.
type NewGroup struct {
	Slug    string   `json:"slug,omitempty" maxLength:"40" doc:"Without one it is made from the name"`
	Name    string   `json:"name" minLength:"1" maxLength:"80"`
	Members []string `json:"members" maxItems:"500" doc:"Slugs of devices and groups"`
}

// GroupChange changes what is given of a group.
type GroupChange struct {
	Slug    *string   `json:"slug,omitempty" maxLength:"40"`
	Name    *string   `json:"name,omitempty" maxLength:"80"`
	Members *[]string `json:"members,omitempty" maxItems:"500"`
}

// GroupControl is a control of a group.
type GroupControl struct {
	Control string       `json:"control"`
	Kind    control.Kind `json:"kind"`
	Value   string       `json:"value,omitempty" doc:"mixed where its devices differ; left out where some are not known"`
	Choices []string     `json:"choices" doc:"Its values by name, of any of them; none of a number"`
	Devices []string     `json:"devices"`
	Word    control.Word `json:"word" doc:"The least of them"`
}

// GroupAnswer is what came of a wish for a group.
type GroupAnswer struct {
	Done    bool           `json:"done"`
	Devices []GroupOne     `json:"devices"`
	State   []GroupControl `json:"state"`
}

// GroupOne is what came of it for one device.
type GroupOne struct {
	Device string    `json:"device"`
	Answer SetAnswer `json:"answer"`
	Error  string    `json:"error,omitempty"`
}

// GroupsChanged says that groups are to be asked for again.
type GroupsChanged struct{}

// HouseChanged says that what the house says of itself is to be asked for again.
type HouseChanged struct{}

// Room is a place in the home.
type Room struct {
	ID       string `json:"id"`
	Name     string `json:"name"`
	Devices  int    `json:"devices" doc:"That stand in it"`
	Stations int    `json:"stations"`
}

// NewRoom names a room.
type NewRoom struct {
	Name string `json:"name" minLength:"1" maxLength:"80"`
}

// RoomsChanged says that rooms are to be asked for again, and what stands in them.
type RoomsChanged struct{}

// Ticket is a one-time sign-in code.
type Ticket struct {
	Person  string    `json:"person" doc:"Whom it signs in"`
	Link    string    `json:"link" doc:"Open it in a browser"`
	Expires time.Time `json:"expires"`
}

// LinkPhones says on how many phones a guest's link works.
type LinkPhones struct {
	Phones int `json:"phones,omitempty" minimum:"1" maximum:"50" default:"1" doc:"Of a guest; the link of anybody else works once"`
}

// SignIn trades a ticket for a session.
type SignIn struct {
	Ticket string `json:"ticket" minLength:"1" maxLength:"100"`
}

// Me is who is asking.
type Me struct {
	Name   string   `json:"name"`
	Kind   string   `json:"kind" doc:"person or program"`
	Role   string   `json:"role,omitempty" doc:"Of a person: owner, resident, visitor or guest"`
	Rights []string `json:"rights"`
	Where  Where    `json:"where"`
	Scope  string   `json:"scope" doc:"The rights in a word"`
	// Unnamed is for whoever signs in first.
	Unnamed bool `json:"unnamed,omitempty" doc:"The first owner, who was given no name yet"`
}

// About says what is running.
type About struct {
	Version string    `json:"version"`
	Started time.Time `json:"started"`
	Sheets  int       `json:"sheets" doc:"Line codes it knows"`
	Parts   []string  `json:"parts" doc:"Parts that not every house has, such as stage"`
	// TrustURL is open to everybody.
	TrustURL string `json:"trust_url,omitempty" doc:"Page that says how a phone comes to trust the house's own authority"`
}

// DeviceEvent says that a device was added, changed or removed: ask for it again.
type DeviceEvent struct {
	Slug string `json:"slug"`
	Was  string `json:"was,omitempty" doc:"Its slug before, where that changed"`
}

// SetEvent says that a code set was put on the shelf, or taken off it.
type SetEvent struct {
	Slug string `json:"slug"`
}

// StageChanged says that the true state of an appliance on the stage may have changed: ask for the stage again.
type StageChanged struct{}

// Reset says that too much was missed: ask for everything again.
type Reset struct{}

// Fact is one thing that is true of an appliance on the stage.
type Fact struct {
	Name  string `json:"name"`
	Value string `json:"value"`
}

// Appliance is a device on the stage with its true state.
type Appliance struct {
	Slug  string `json:"slug"`
	Title string `json:"title"`
	Room  string `json:"room"`
	Facts []Fact `json:"facts"`
}

// Handset is a handset on the stage.
type Handset struct {
	Slug        string   `json:"slug"`
	Title       string   `json:"title"`
	Room        string   `json:"room"`
	Medium      string   `json:"medium" enum:"infrared,radio"`
	Hz          int      `json:"hz" doc:"Carrier or channel"`
	WeakBattery bool     `json:"weak_battery"`
	About       string   `json:"about,omitempty" doc:"What it is for, where no appliance has its name"`
	Keys        []string `json:"keys"`
}

// Stage is the simulated surroundings.
type Stage struct {
	Handsets   []Handset   `json:"handsets"`
	Appliances []Appliance `json:"appliances"`
	Faults     StageFaults `json:"faults"`
}

// StageFaults are what goes wrong on the stage.
type StageFaults struct {
	Lose    int `json:"lose" minimum:"0" maximum:"10000" doc:"Each appliance misses every press of so many; 0 is none"`
	Unheard int `json:"unheard" minimum:"0" maximum:"10000" doc:"Every press of a handset of so many is heard by no receiver; 0 is none"`
	MainsS  int `json:"mains_s" minimum:"0" maximum:"10000" doc:"The mains fail for a moment each so many seconds; 0 is never"`
}

// HandsetPress pushes a key of a handset on the stage.
type HandsetPress struct {
	HoldMS int  `json:"hold_ms,omitempty" minimum:"0" maximum:"20000" doc:"How long it is held; 0 is a short press"`
	Far    bool `json:"far,omitempty" doc:"From the far end of the room"`
}

// PackItem is one thing of a pack, and what importing it would do.
type PackItem struct {
	What   string `json:"what" enum:"device,set,group,sequence,occasion,board"`
	Slug   string `json:"slug"`
	Name   string `json:"name"`
	Keys   int    `json:"keys"`
	Taken  bool   `json:"taken" doc:"One of this slug is there already"`
	Same   bool   `json:"same" doc:"The same is there already"`
	Action string `json:"action" enum:"add,skip,replace,copy" doc:"What is done with it"`
	As     string `json:"as,omitempty" doc:"The slug that it gets"`
}

// PackPlan is what importing a pack does, or did.
type PackPlan struct {
	Version string     `json:"version"`
	Done    bool       `json:"done" doc:"False for a preview: nothing was changed"`
	Items   []PackItem `json:"items"`
}

// Problem is why something was not done (RFC 9457).
type Problem struct {
	Title  string `json:"title"`
	Status int    `json:"status,omitempty"` // of HTTP
	Detail string `json:"detail"`
}

// Restored is the backup that takes a house's place.
type Restored struct {
	Created time.Time `json:"created" doc:"When it was made"`
	By      string    `json:"by" doc:"Version of Urbo that made it"`
}

// StationsChanged says that stations were added, changed or removed: ask for them again.
type StationsChanged struct{}

// Stored says which captures are safe on disk now.
type Stored struct {
	Captures []string `json:"captures" doc:"Their ids"`
}

// StationTest is what a test of the stations found.
type StationTest struct {
	Receivers []string  `json:"receivers" doc:"STATION/PORT, in the order of the cells"`
	Rows      []TestRow `json:"rows"`
}

// TestRow is one transmitter of a test.
type TestRow struct {
	Transmitter string            `json:"transmitter" doc:"STATION/PORT"`
	Fault       string            `json:"fault,omitempty" enum:"dead,exchanged,swapped,frequency,weak,not sent,no witness" doc:"None where it works"`
	Text        string            `json:"text" doc:"What was found, in words, and what to do"`
	Cells       []TestCell        `json:"cells" doc:"One for each receiver"`
	Correction  *reach.Correction `json:"correction,omitempty" doc:"What would make its durations true, where they surely are not"`
	Inexact     string            `json:"inexact,omitempty" doc:"What is to be corrected, in words"`
}

// TestCell is how a receiver heard a transmitter.
type TestCell struct {
	Heard      bool     `json:"heard"`
	Strength   *float64 `json:"strength,omitempty" doc:"0 to 1, where it measures it"`
	StretchUS  float64  `json:"stretch_us,omitempty" doc:"What was added to marks and taken from spaces"`
	Unit       float64  `json:"unit,omitempty" doc:"As heard, as a share of what was sent"`
	Confidence float64  `json:"confidence,omitempty" doc:"Of the reading, 0 to 1"`
}
