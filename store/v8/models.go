// Package v8 holds the tables as they were until migration 0008, frozen: the migrations of that time make them, and
// migration 0009 reads them. It is never changed.
package v8

import "time"

// Room is a place in the home.
type Room struct {
	ID   string `gorm:"primaryKey"`
	Slug string `gorm:"uniqueIndex;not null"`
	Name string `gorm:"not null"`
}

// Device is one device of the library.
type Device struct {
	ID          string `gorm:"primaryKey"`
	Slug        string `gorm:"uniqueIndex;not null"`
	Name        string `gorm:"not null"`
	RoomID      *string
	Room        *Room
	Kind        string `gorm:"not null"`
	Maker       string `gorm:"not null"`
	Model       string `gorm:"not null"`
	Transmitter string `gorm:"not null"`            // STATION/PORT, empty for the first that fits
	Extra       string `gorm:"not null;default:''"` // what a pack said that this version does not know, as JSON
	Plate       string
	PlateHz     int
	Notes       string
	Power       string
	Inputs      string
	WarmUpMS    int
	GapMS       int
	Face        string `gorm:"type:text"`
	Picture     string `gorm:"not null;default:''"` // tag of its picture, empty where there is none
	Keys        []Key  `gorm:"constraint:OnDelete:CASCADE"`
	CreatedAt   time.Time
	UpdatedAt   time.Time
}

// Picture is what a device looks like.
type Picture struct {
	DeviceID string  `gorm:"primaryKey"`
	Device   *Device `gorm:"constraint:OnDelete:CASCADE"`
	Type     string  `gorm:"not null"` // image/png or image/jpeg
	Data     []byte  `gorm:"not null"`
}

// OldSlug is a short name that a device had: links to it go on working.
type OldSlug struct {
	Slug     string  `gorm:"primaryKey"`
	DeviceID string  `gorm:"not null"`
	Device   *Device `gorm:"constraint:OnDelete:CASCADE"`
}

// Key is one command of a device.
type Key struct {
	ID        string `gorm:"primaryKey"`
	DeviceID  string `gorm:"uniqueIndex:key_of_device;not null"`
	Name      string `gorm:"uniqueIndex:key_of_device;not null"`
	Position  int    `gorm:"not null"`
	Hold      string `gorm:"not null;default:''"` // what holding it does: once, repeat, or as the line code says
	Extra     string `gorm:"not null;default:''"`
	Codes     []Code `gorm:"constraint:OnDelete:CASCADE"`
	UpdatedAt time.Time
}

// Code is what a key sends, in one version of it. The highest version is in force; earlier ones are kept.
type Code struct {
	ID          string  `gorm:"primaryKey"`
	KeyID       string  `gorm:"index:code_of_key;not null"`
	Version     int     `gorm:"index:code_of_key;not null"`
	Position    int     `gorm:"not null"`                                // order within the version
	Sheet       string  `gorm:"not null"`                                // empty for a plain train
	Inline      string  `gorm:"not null;default:''"`                     // a line sheet of its own, whose fields are the bits
	Print       string  `gorm:"not null;default:''"`                     // fingerprint of the train
	Identity    string  `gorm:"index:code_identity;not null;default:''"` // what it is found by, from what was heard
	Fields      string  `gorm:"type:text"`
	UnitUS      float64 `gorm:"not null"`
	Train       string  `gorm:"type:text"`
	GapUS       int     `gorm:"not null"`
	CarrierHz   int     `gorm:"not null"`
	FrequencyHz int     `gorm:"not null"`
	Repeats     int     `gorm:"not null"`
	Source      string  `gorm:"not null"`
	Takes       int     `gorm:"not null;default:0"` // of its lesson, and how many of them agreed
	Agreed      int     `gorm:"not null;default:0"`
	Extra       string  `gorm:"not null;default:''"`
	CreatedAt   time.Time
}

// Indexed says how the codes of a line sheet got their identities: which of its fields change from press to press.
type Indexed struct {
	Sheet    string `gorm:"primaryKey"`
	Changing string `gorm:"not null"`
}

// TableName of Indexed.
func (Indexed) TableName() string { return "indexed" }

// Capture is one press as heard.
type Capture struct {
	ID       string    `gorm:"primaryKey"`
	At       time.Time `gorm:"index;not null"`
	Station  string    `gorm:"not null"`
	Port     string    `gorm:"not null"`
	Medium   string    `gorm:"not null"`
	Strength *float64
	Carrier  int    `gorm:"not null;default:0"` // Hz, where it was measured
	Count    int    `gorm:"not null;default:1"` // equal presses of a recording that this stands for
	Trains   string `gorm:"type:text;not null"`
	Readings string `gorm:"type:text;not null"`
	Held     string `gorm:"not null"`
	Echo     bool   `gorm:"not null"`
	PressID  string `gorm:"not null"`
}

// Press is the receipt of a key that Urbo pressed.
type Press struct {
	ID      string    `gorm:"primaryKey"`
	At      time.Time `gorm:"index;not null"`
	Device  string    `gorm:"not null"`
	Key     string    `gorm:"not null"`
	Times   int       `gorm:"not null"`
	By      string    `gorm:"not null"`
	Station string    `gorm:"not null"`
	Port    string    `gorm:"not null"`
	Outcome string    `gorm:"not null"`
	Reason  string    `gorm:"not null"`
	TookUS  int64     `gorm:"not null"`
}

// Entry is one line of the journal.
type Entry struct {
	ID      string    `gorm:"primaryKey"`
	At      time.Time `gorm:"index;not null"`
	Kind    string    `gorm:"not null"`
	CauseID string    `gorm:"index;not null"`
	By      string    `gorm:"not null"`
	Device  string    `gorm:"not null"`
	Key     string    `gorm:"not null"`
	Place   string    `gorm:"not null"`
	Outcome string    `gorm:"not null"`
	Text    string    `gorm:"not null"`
}

// TableName of the journal.
func (Entry) TableName() string { return "journal" }

// Token is a credential for a program. Only the hash of its secret is kept.
type Token struct {
	ID        string `gorm:"primaryKey"`
	Name      string `gorm:"uniqueIndex;not null"`
	Scope     string `gorm:"not null"`
	Hash      string `gorm:"uniqueIndex;not null"`
	CreatedAt time.Time
	UsedAt    *time.Time
}

// Session is a signed-in browser. Only the hash of its cookie is kept.
type Session struct {
	Hash    string    `gorm:"primaryKey"`
	Name    string    `gorm:"not null"`
	Scope   string    `gorm:"not null"`
	Expires time.Time `gorm:"index;not null"`
}

// Turn is what a device's line code sends next in a field that changes with every press: a toggle or a counter.
type Turn struct {
	DeviceID string `gorm:"primaryKey"`
	Sheet    string `gorm:"primaryKey"`
	Field    string `gorm:"primaryKey"`
	Next     int64  `gorm:"not null"`
}

// Lesson is a guided learning session as it stood after its last change. State and Codes are JSON: what the lesson's
// core knows, and what was settled.
type Lesson struct {
	ID      string    `gorm:"primaryKey"`
	Device  string    `gorm:"not null"`
	By      string    `gorm:"not null"`
	Started time.Time `gorm:"not null"`
	Touched time.Time `gorm:"index;not null"`
	State   string    `gorm:"not null"`
	Codes   string    `gorm:"not null"`
}

// CodeSet is the codes of a type of device. Keys and Extra are JSON, as in a pack.
type CodeSet struct {
	Slug    string `gorm:"primaryKey"`
	Name    string `gorm:"not null"`
	Kind    string `gorm:"not null"`
	Maker   string `gorm:"not null"`
	Model   string `gorm:"not null"`
	Keys    string `gorm:"not null"`
	Extra   string `gorm:"not null"`
	AddedAt time.Time
}

// Audition is a search for a code set as it stood after its last change. State is JSON.
type Audition struct {
	ID      string    `gorm:"primaryKey"`
	Device  string    `gorm:"not null"`
	By      string    `gorm:"not null"`
	PauseMS int       `gorm:"not null"`
	Started time.Time `gorm:"not null"`
	State   string    `gorm:"not null"`
}
