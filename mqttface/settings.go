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
	"urbo/store"

	broker "urbo/station/mqtt"
)

// ErrSettings is wrapped where settings of the face cannot be: the text says why.
var ErrSettings = fault.New(fault.Invalid, "MQTT")

const (
	// settingsRow and topicsRow are the names of the documents in the store, version that of both.
	settingsRow, topicsRow = "mqtt", "mqtt-topics"
	version                = 1
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

// open reads the settings, and which topics were published before. What cannot be read is told, and the face is off.
func (f *Face) open(ctx context.Context) error {
	text, err := f.house.Text(ctx, settingsRow)
	if err != nil {
		return fmt.Errorf("read the settings of MQTT: %w", err)
	}
	f.settings = Settings{On: f.given.On, Grant: watching}
	var kept Settings
	if err := store.ReadDocument(text, version, &kept); err != nil {
		f.unread = text
		f.house.Stream.Publish(happening.Happening{What: happening.HouseNote{Severity: "error",
			Text: fmt.Sprintf("The settings of MQTT %v: it is off until they are given anew", err)}})
		f.settings.On = false
	} else if text != "" {
		f.settings = kept
	}
	if text, err = f.house.Text(ctx, topicsRow); err != nil {
		return fmt.Errorf("read which topics were published: %w", err)
	}
	var topics struct {
		Topics []string `json:"topics"`
	}
	if err := store.ReadDocument(text, version, &topics); err == nil { // else they are made anew
		f.kept = topics.Topics
	}
	return nil
}

// watching is what whoever speaks at a broker of somebody else's may do where nothing else was said.
var watching = grant.Grant{Rights: []grant.Right{grant.See}, Where: grant.Everywhere}

// Settings are those of now.
func (f *Face) Settings() Settings {
	f.mu.Lock()
	defer f.mu.Unlock()
	return f.settings
}

// Change changes the settings: do gets them as they are. The error wraps ErrSettings, or is the store's.
func (f *Face) Change(ctx context.Context, by grant.By, do func(*Settings) error) (Settings, error) {
	f.writer.Lock()
	defer f.writer.Unlock()
	f.mu.Lock()
	next, unread := f.settings, f.unread
	f.mu.Unlock()
	next.Words = slices.Clone(next.Words)
	if err := do(&next); err != nil {
		return next, err
	}
	if err := next.check(); err != nil {
		return next, err
	}
	text, err := store.WriteDocument(version, next)
	if err != nil {
		return next, err
	}
	if unread != "" {
		if err := f.house.SetAside(ctx, settingsRow, unread); err != nil {
			return next, err
		}
	}
	if err := f.house.PutText(ctx, settingsRow, text); err != nil {
		return next, fmt.Errorf("keep the settings of MQTT: %w", err)
	}
	f.mu.Lock()
	f.settings, f.unread = next, ""
	close(f.changed)
	f.changed = make(chan struct{})
	f.mu.Unlock()
	f.house.Stream.Publish(happening.Happening{By: by, What: happening.HouseChanged{Changes: []string{"MQTT"}}})
	return next, nil
}
