package mqttface

import (
	"context"
	"fmt"
	"regexp"
	"slices"
	"strings"

	"urbo/core/device"
	"urbo/core/fault"
	"urbo/core/grant"
	"urbo/core/happening"
	"urbo/service/kept"
	broker "urbo/station/mqtt"
)

// ErrSettings is wrapped where settings of the face cannot be: the text says why.
var ErrSettings = fault.New(fault.Invalid, "MQTT")

const (
	// version is that of the documents.
	version = 1
	// mostWords is the most words of one's own.
	mostWords = 500
)

// Settings of the face.
type Settings struct {
	On bool `json:"on"`
	// Broker is where it is reached: mqtt://HOST:PORT, or mqtts:// for TLS; "" is the broker that the house was started
	// with.
	Broker   string `json:"broker,omitempty"`
	User     string `json:"user,omitempty"`
	Password string `json:"password,omitempty"`
	CA       string `json:"ca,omitempty"` // certificates in PEM, that the broker's is checked against; "" is the system's
	// Base begins all topics; "" is urbo/ and the name of the house.
	Base string `json:"base,omitempty"`
	// Grant is what whoever speaks at a broker of somebody else's may do: that is one program.
	Grant grant.Grant `json:"grant"`
	Words []Word      `json:"words,omitempty"`
}

// Word is a word of one's own for a value of a control.
type Word struct {
	Device  string `json:"device"` // id
	Control string `json:"control"`
	Says    string `json:"says"`
	Means   string `json:"means"`
}

var baseRule = regexp.MustCompile(`^[a-z0-9][a-z0-9_.-]*(/[a-z0-9][a-z0-9_.-]*){0,5}$`)

// check says what is wrong with settings.
func (s Settings) check() error {
	wrong := func(format string, args ...any) error {
		return fmt.Errorf("%w: "+format, append([]any{ErrSettings}, args...)...)
	}
	if s.Broker != "" {
		if err := s.options().Check(); err != nil {
			return wrong("%w", err)
		}
	}
	switch {
	case s.Broker == "" && (s.User != "" || s.Password != "" || s.CA != ""):
		return wrong("user, password and CA go with a broker: give its address, too")
	case len(s.User) > 200 || len(s.Password) > 500 || len(s.CA) > 64<<10:
		return wrong("the user has at most 200 bytes, the password 500, the CA 65536")
	case s.Base != "" && (len(s.Base) > 100 || !baseRule.MatchString(s.Base)):
		return wrong("topics begin with words of a-z, 0-9, - and _, with / between them, not %.60q", s.Base)
	case s.Base == "urbo/station" || strings.HasPrefix(s.Base, "urbo/station/"):
		return wrong("urbo/station is where stations speak: begin the topics with another word")
	case len(s.Words) > mostWords:
		return wrong("there are %d words of your own, the most is %d", len(s.Words), mostWords)
	case slices.Contains(s.Grant.Rights, grant.Keep) || slices.Contains(s.Grant.Rights, grant.Teach):
		return wrong("a broker may be given see, use, tell and arrange")
	}
	for _, w := range s.Words {
		if w.Says == "" || len(w.Says) > 40 || w.Means == "" || len(w.Means) > 40 {
			return wrong("a word of your own, and what it means, have 1 to 40 bytes")
		}
	}
	return nil
}

// options are how its broker is reached.
func (s Settings) options() broker.Options {
	return broker.Options{URL: s.Broker, User: s.User, Password: s.Password, CAText: s.CA}
}

// base begins all topics.
func (f *Face) base(s Settings) string {
	if s.Base != "" {
		return s.Base
	}
	name := device.Slug(f.house.Home.Home().Name)
	if name == "" || name == "station" {
		name = "house"
	}
	return "urbo/" + name
}

// topics is which topics a broker may keep messages of.
type topics struct {
	Topics []string `json:"topics"`
}

// open reads the settings, and which topics were published before. What cannot be read is told, and the face is off.
func (f *Face) open(ctx context.Context) (err error) {
	f.doc, err = kept.Open[*Settings](ctx, f.house.Texts(), kept.Kind{Row: "mqtt", Version: version,
		What: "the settings of MQTT", Until: ": it is off until they are given anew"}, f.house.Stream)
	if err != nil {
		return err
	}
	f.known, err = kept.Open[topics](ctx, f.house.Texts(), kept.Kind{Row: "mqtt-topics", Version: version,
		What: "which topics were published", Until: ": it is found out anew"}, f.house.Stream)
	return err
}

// watching is what whoever speaks at a broker of somebody else's may do where nothing else was said.
var watching = grant.Grant{Rights: []grant.Right{grant.See}, Where: grant.Everywhere}

// Settings are those of now.
func (f *Face) Settings() Settings {
	if s := f.doc.Get(); s != nil {
		return *s
	}
	return Settings{On: f.given.On && f.doc.Readable(), Grant: watching}
}

// Change changes the settings: do gets them as they are. The error wraps ErrSettings, or is the store's.
func (f *Face) Change(ctx context.Context, by grant.By, do func(*Settings) error) (Settings, error) {
	next := Settings{}
	_, _, err := f.doc.Change(ctx, func(*Settings) (*Settings, error) {
		next = f.Settings()
		next.Words = slices.Clone(next.Words)
		if err := do(&next); err != nil {
			return nil, err
		}
		return &next, next.check()
	})
	if err != nil {
		return next, err
	}
	f.mu.Lock()
	close(f.changed)
	f.changed = make(chan struct{})
	f.mu.Unlock()
	f.house.Stream.Publish(happening.Happening{By: by, What: happening.HouseChanged{Changes: []string{"MQTT"}}})
	return next, nil
}
