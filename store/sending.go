package store

import (
	"gorm.io/gorm"

	"urbo/core/device"
)

// sending is migration 0012: how presses for a device are sent in this house, beside its transmitter.
func sending(tx *gorm.DB) error { return execute(tx, sendingColumns) }

var sendingColumns = []string{`ALTER TABLE devices ADD COLUMN sending TEXT NOT NULL DEFAULT ''`}

type sendingDocument struct {
	Also   []string `json:"also,omitempty"`
	Verify bool     `json:"verify,omitempty"`

	Sensors []device.Sensor `json:"sensors,omitempty"`
}

func readSending(text string, d *device.Device) error {
	var doc sendingDocument
	if err := readText(text, &doc); err != nil {
		return err
	}
	d.Also, d.Verify, d.Sensors = doc.Also, doc.Verify, doc.Sensors
	return nil
}

func writeSending(d *device.Device) (string, error) {
	return writeText(sendingDocument{d.Also, d.Verify, d.Sensors}, len(d.Also) == 0 && !d.Verify && len(d.Sensors) == 0)
}
