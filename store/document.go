package store

import (
	"context"
	"encoding/json"
	"fmt"
	"time"

	"gorm.io/gorm"

	"urbo/core/fault"
)

// A document is an object that a column keeps as JSON, with the version of its form in its member "version"; without
// one it is of version 1. One rule holds for all of them: what cannot be read, because it is damaged or of a newer
// version, stays as it is and means the strictest that it could; whoever reads it says so. It is moved to the table
// set_aside when that part is given anew, and never lost.

// ErrDocument is wrapped where a document cannot be read.
var ErrDocument = fault.New(fault.Broken, "cannot be read")

// ReadDocument reads a document of at most a version; an empty text is the zero value. The error wraps ErrDocument.
func ReadDocument(text string, newest int, out any) error {
	if text == "" {
		return nil
	}
	var head struct {
		Version int `json:"version"`
	}
	if err := json.Unmarshal([]byte(text), &head); err != nil {
		return fmt.Errorf("%w: %w", ErrDocument, err)
	}
	if err := CheckVersion(head.Version, newest); err != nil {
		return err
	}
	if err := json.Unmarshal([]byte(text), out); err != nil {
		return fmt.Errorf("%w: %w", ErrDocument, err)
	}
	return nil
}

// CheckVersion says whether a document of a version can be read where newest is known. The error wraps ErrDocument.
func CheckVersion(version, newest int) error {
	if version > newest {
		return fmt.Errorf("%w: it is of version %d, and this Urbo knows %d", ErrDocument, version, newest)
	}
	return nil
}

// WriteDocument writes an object as a document of a version.
func WriteDocument(version int, in any) (string, error) {
	text, err := json.Marshal(in)
	if err != nil || version == 1 {
		return string(text), err
	}
	if len(text) < 2 || text[0] != '{' {
		return "", fmt.Errorf("a document is an object, not %.20s", text)
	}
	head := fmt.Sprintf(`{"version":%d`, version)
	if len(text) > 2 {
		head += ","
	}
	return head + string(text[1:]), nil
}

// Aside is a document that could not be read, and was given anew since.
type Aside struct {
	Kind     string // which document it was: traits, sending, extra, settings, belief …
	Owner    string // id of what it belonged to
	Document string
	At       time.Time
}

// PutAside keeps a document that could not be read.
func (s *Store) PutAside(ctx context.Context, a Aside) error {
	return s.change(ctx, func(tx *gorm.DB) error { return putAside(tx, a) })
}

func putAside(tx *gorm.DB, a Aside) error {
	return tx.Exec("INSERT INTO set_aside (kind, owner, document, at_ms) VALUES (?, ?, ?, ?)", a.Kind, a.Owner,
		a.Document, millis(a.At)).Error
}

// SetAside lists what was set aside, the oldest first.
func (s *Store) SetAside(ctx context.Context) ([]Aside, error) {
	var rows []struct {
		Kind, Owner, Document string
		AtMS                  int64 `gorm:"column:at_ms"`
	}
	err := s.read.WithContext(ctx).Raw("SELECT kind, owner, document, at_ms FROM set_aside ORDER BY seq").Scan(
		&rows).Error
	out := make([]Aside, len(rows))
	for i, r := range rows {
		out[i] = Aside{r.Kind, r.Owner, r.Document, fromMillis(r.AtMS)}
	}
	return out, Explain(err)
}
