package api

import (
	"context"
	"fmt"
	"slices"

	"urbo/core/control"
	"urbo/core/device"
	"urbo/core/grant"
	"urbo/core/line"
	"urbo/wire"
)

// ControlIn names a control in a path.
type ControlIn struct {
	DeviceIn
	Control string `path:"control" maxLength:"40"`
}

// controls registers the forms that say what can be set on a device. Each is changed by itself, so that two people who
// change two of them do not undo each other.
func (a *API) controls() {
	call(a, operation{"POST", "/devices/{device}/controls", "add-controls",
		"Give a device controls, in the place of those of the same names", grant.Teach, ofDevice, 0},
		func(ctx context.Context, in *struct {
			DeviceIn
			Body []control.Control `minItems:"1" maxItems:"24"`
		}) (wire.Device, error) {
			return a.changeControls(ctx, in.Device, func(d *device.Device) error {
				for _, c := range in.Body {
					d.PutControl(c.Name, c)
				}
				return nil
			})
		})
	call(a, operation{"POST", "/devices/{device}/controls/answers", "answer-controls",
		"Give a device controls, and put answers into the forms of its controls", grant.Teach, ofDevice, 0},
		func(ctx context.Context, in *struct {
			DeviceIn
			Body wire.Answers
		}) (wire.Device, error) {
			return a.changeControls(ctx, in.Device, func(d *device.Device) error {
				for _, c := range in.Body.Controls {
					d.PutControl(c.Name, c)
				}
				return d.Answered(in.Body.Answers)
			})
		})
	call(a, operation{"PUT", "/devices/{device}/controls/{control}", "put-control",
		"Give a device a control in the place of the named one; where it is called otherwise, it gets that name",
		grant.Teach, ofDevice, 0}, func(ctx context.Context, in *struct {
		ControlIn
		Body control.Control
	}) (wire.Device, error) {
		return a.changeControls(ctx, in.Device, func(d *device.Device) error {
			d.PutControl(in.Control, in.Body)
			return nil
		})
	})
	call(a, operation{"DELETE", "/devices/{device}/controls/{control}", "remove-control",
		"Take a control away, with its sensors", grant.Teach, ofDevice, 0},
		func(ctx context.Context, in *ControlIn) (wire.Device, error) {
			return a.changeDevice(ctx, in.Device, func(d *device.Device) error { return d.DropControl(in.Control) })
		})
	call(a, operation{"PUT", "/devices/{device}/keys/{key}/also", "put-key-effect",
		"Say what a key does to a control beside what the controls say", grant.Teach, ofDevice, 0},
		func(ctx context.Context, in *struct {
			KeyIn
			Body wire.KeyAlso
		}) (wire.Device, error) {
			return a.changeDevice(ctx, in.Device, func(d *device.Device) error {
				return d.KeyAlso(in.Key, in.Body.Control, in.Body.Does)
			})
		})
	call(a, operation{"PUT", "/devices/{device}/frames", "put-frames",
		"Let the frames of a line sheet carry controls, all at once; controls are made of what they carry",
		grant.Teach, ofDevice, 0},
		func(ctx context.Context, in *struct {
			DeviceIn
			Body wire.Frames
		}) (wire.Device, error) {
			if _, err := a.house.Book.Sheet(in.Body.Sheet); err != nil {
				return wire.Device{}, err
			}
			return a.changeDevice(ctx, in.Device, func(d *device.Device) error {
				return d.Carry(in.Body.Sheet, in.Body.Fixed, in.Body.Carries)
			})
		})
	call(a, operation{"DELETE", "/devices/{device}/frames", "remove-frames",
		"Let no frames carry controls; what only they set goes", grant.Teach, ofDevice, 0},
		func(ctx context.Context, in *DeviceIn) (wire.Device, error) {
			return a.changeDevice(ctx, in.Device, func(d *device.Device) error { return d.DropFrames() })
		})
	call(a, operation{"GET", "/sheets", "list-sheets",
		"The line codes that the house knows, with the fields of their frames",
		grant.See, anywhere, 0}, func(context.Context, *nothing) ([]wire.Sheet, error) {
		return list(a.house.Book.Sheets(), func(s *line.Sheet) wire.Sheet {
			w := wire.Sheet{Name: s.Name, Title: s.Title, Medium: string(s.Medium), Fields: []wire.SheetField{}}
			for _, f := range s.Fields() {
				w.Fields = append(w.Fields, wire.SheetField{Name: f.Name, Min: f.Min, Max: f.Max})
			}
			return w
		}), nil
	})
	a.sensors()
	a.links()
}

// links registers what other devices do to a device.
func (a *API) links() {
	call(a, operation{"PUT", "/devices/{device}/links", "put-link",
		"Let another device set a control of this one, over their cable", grant.Teach, ofDevice, 0},
		func(ctx context.Context, in *struct {
			DeviceIn
			Body wire.LinkRequest
		}) (wire.Device, error) {
			if err := a.mayOn(ctx, grant.See, in.Body.Device); err != nil {
				return wire.Device{}, err
			}
			return as(a.deviceFor(ctx))(a.house.Library.Link(ctx, in.Device, in.Body.Core(), note(ctx)))
		})
	call(a, operation{"DELETE", "/devices/{device}/links", "remove-link",
		"Take back that another device sets a control of this one", grant.Teach, ofDevice, 0},
		func(ctx context.Context, in *struct {
			DeviceIn
			Of      string `query:"of" maxLength:"40" required:"true" doc:"The other device"`
			Control string `query:"control" maxLength:"40" required:"true" doc:"Its control"`
			Value   string `query:"value" maxLength:"40" required:"true" doc:"To which that comes"`
			Sets    string `query:"sets" maxLength:"40" required:"true" doc:"Control of this device"`
		}) (wire.Device, error) {
			link := wire.LinkRequest{Device: in.Of, Control: in.Control, Value: in.Value, Sets: in.Sets}
			return as(a.deviceFor(ctx))(a.house.Library.Unlink(ctx, in.Device, link.Core(), note(ctx)))
		})
	call(a, operation{"PUT", "/devices/{device}/feed", "put-feed",
		"Let the power of another device feed this one, such as a socket strip", grant.Teach, ofDevice, 0},
		func(ctx context.Context, in *struct {
			DeviceIn
			Body wire.FeedRequest
		}) (wire.Device, error) {
			if err := a.mayOn(ctx, grant.See, in.Body.Device); err != nil {
				return wire.Device{}, err
			}
			return as(a.deviceFor(ctx))(a.house.Library.Feed(ctx, in.Device,
				control.Feed{Device: in.Body.Device, Control: in.Body.Control}, note(ctx)))
		})
	call(a, operation{"DELETE", "/devices/{device}/feed", "remove-feed", "Let no other device feed this one",
		grant.Teach, ofDevice, 0}, func(ctx context.Context, in *DeviceIn) (wire.Device, error) {
		return as(a.deviceFor(ctx))(a.house.Library.Feed(ctx, in.Device, control.Feed{}, note(ctx)))
	})
}

// changeControls changes the controls of a device, and remarks of what is not known any more: what was believed of a
// control is kept where it means the same.
func (a *API) changeControls(ctx context.Context, slug string, f func(*device.Device) error) (wire.Device, error) {
	before, _, _ := a.house.Beliefs.States(slug) // it may have none yet
	w, err := a.changeDevice(ctx, slug, f)
	if err != nil {
		return w, err
	}
	after, _, _ := a.house.Beliefs.States(w.Slug)
	for _, was := range before {
		i := slices.IndexFunc(after, func(s control.State) bool { return s.Control == was.Control })
		if was.Source != control.Assumed && i >= 0 && after[i].Source == control.Assumed {
			w.Remarks = append(w.Remarks, fmt.Sprintf(
				"What %s is at is not known any more: %s means something else now.", was.Control, was.Text()))
		}
	}
	return w, nil
}

// sensors registers what measures the controls of a device.
func (a *API) sensors() {
	call(a, operation{"PUT", "/devices/{device}/sensors", "put-sensor",
		"Let a measurement tell what a control is at, or be shown beside it", grant.Teach, ofDevice, 0},
		func(ctx context.Context, in *struct {
			DeviceIn
			Body device.Sensor
		}) (wire.Device, error) {
			return a.changeDevice(ctx, in.Device, func(d *device.Device) error {
				d.PutSensor(in.Body)
				return nil
			})
		})
	call(a, operation{"DELETE", "/devices/{device}/sensors", "remove-sensor", "Take a measurement from a control",
		grant.Teach, ofDevice, 0}, func(ctx context.Context, in *struct {
		DeviceIn
		Control     string `query:"control" maxLength:"40" required:"true"`
		Measurement string `query:"measurement" maxLength:"81" required:"true"`
	}) (wire.Device, error) {
		return a.changeDevice(ctx, in.Device, func(d *device.Device) error {
			if !d.DropSensor(in.Control, in.Measurement) {
				return fmt.Errorf("%w: %s of %s is not measured by %s", device.ErrTraits, in.Control, in.Device,
					in.Measurement)
			}
			return nil
		})
	})
}
