package store

import (
	"gorm.io/gorm"

	"urbo/core/device"
)

// sending is migration 0012: how presses for a device are sent in this house, beside its transmitter.
func sending(tx *gorm.DB) error { return execute(tx, sendingColumns) }

var sendingColumns = []string{`ALTER TABLE devices ADD COLUMN sending TEXT NOT NULL DEFAULT ''`}

const sendingVersion = 1

type sendingDocument struct {
	Also   []string `json:"also,omitempty"`
	Verify bool     `json:"verify,omitempty"`

	Sensors []device.Sensor `json:"sensors,omitempty"`
}

func readSending(text string, d *device.Device) error {
	var doc sendingDocument
	if err := ReadDocument(text, sendingVersion, &doc); err != nil {
		return err
	}
	for _, place := range doc.Also {
		d.Also = append(d.Also, device.ParsePlace(place))
	}
	d.Verify, d.Sensors = doc.Verify, doc.Sensors
	return nil
}

func writeSending(d *device.Device) (string, error) {
	if len(d.Also) == 0 && !d.Verify && len(d.Sensors) == 0 {
		return "", nil
	}
	doc := sendingDocument{Verify: d.Verify, Sensors: d.Sensors}
	for _, place := range d.Also {
		doc.Also = append(doc.Also, place.String())
	}
	return WriteDocument(sendingVersion, doc)
}
