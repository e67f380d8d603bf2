package api

import (
	"context"
	"fmt"
	"strings"

	"urbo/core/grant"
	"urbo/mqttface"
	"urbo/wire"
)

// mqtt registers the MQTT face.
func (a *API) mqtt(face *mqttface.Face) {
	call(a, operation{"GET", "/mqtt", "get-mqtt", "The MQTT face", grant.Keep, wholeHouse, 0},
		func(context.Context, *nothing) (wire.MQTT, error) { return a.mqttOf(face), nil })
	call(a, operation{"PATCH", "/mqtt", "change-mqtt", "Change what is given of the MQTT face", grant.Keep, wholeHouse,
		0},
		func(ctx context.Context, in *struct{ Body wire.MQTTChange }) (wire.MQTT, error) {
			_, err := face.Change(ctx, asking(ctx), func(s *mqttface.Settings) error {
				return a.mqttChange(in.Body,
					s)
			})
			return a.mqttOf(face), err
		})
	call(a, operation{"POST", "/mqtt/test", "test-mqtt", "Try to reach a broker: with what is given, and else as it " +
		"is set",
		grant.Keep, wholeHouse, 0}, func(ctx context.Context, in *struct {
		Body *wire.MQTTChange `required:"false"`
	}) (wire.MQTTTest, error) {
		s := face.Settings()
		if in.Body != nil {
			if err := a.mqttChange(*in.Body, &s); err != nil {
				return wire.MQTTTest{}, err
			}
		}
		version, took, err := face.Test(ctx, s)
		return wire.MQTTTest{Version: version, TookMS: took.Milliseconds()}, err
	})
}

// mqttChange changes settings by what is given.
func (a *API) mqttChange(c wire.MQTTChange, s *mqttface.Settings) error {
	set := func(to, from *string) {
		if from != nil {
			*to = strings.TrimSpace(*from)
		}
	}
	if c.On != nil {
		s.On = *c.On
	}
	if c.Broker != nil && *c.Broker == "" {
		s.User, s.Password, s.CA = "", "", ""
	}
	set(&s.Broker, c.Broker)
	set(&s.User, c.User)
	set(&s.CA, c.CA)
	set(&s.Base, c.Base)
	if c.Password != nil {
		s.Password = *c.Password
	}
	if c.Rights != nil {
		rights, err := grant.ParseRights(*c.Rights)
		if err != nil {
			return err
		}
		s.Grant.Rights = rights
	}
	if c.Where != nil {
		where, err := a.whereOf(*c.Where, true)
		if err != nil {
			return err
		}
		s.Grant.Where = where
	}
	if c.Words == nil {
		return nil
	}
	s.Words = nil
	for _, w := range *c.Words {
		slug, control, _ := strings.Cut(w.Control, "/")
		id, err := a.house.Library.ID(slug)
		if err == nil {
			err = a.mayBe(id, control, w.Means)
		}
		if err != nil {
			return fmt.Errorf("%w: %w", mqttface.ErrSettings, err)
		}
		s.Words = append(s.Words, mqttface.Word{Device: id, Control: control, Says: w.Says, Means: w.Means})
	}
	return nil
}

// mayBe says whether a control of a device can be at a value.
func (a *API) mayBe(id, control, value string) error {
	spec, err := a.house.Beliefs.Spec(id)
	if err == nil {
		err = spec.Check(control, value)
	}
	return err
}

func (a *API) mqttOf(face *mqttface.Face) wire.MQTT {
	s, is := face.Settings(), face.Status()
	w := wire.MQTT{On: s.On, Broker: s.Broker, User: s.User, Secret: s.Password != "", CA: s.CA, Base: is.Base,
		Rights: []string{}, Where: a.whereWords(s.Grant.Where), Words: []wire.MQTTWord{}, At: is.At,
		Listens: is.Listens, Here: is.Here, Version: is.Version, Since: wire.Time(is.Since), Error: is.Error,
		Topics: is.Topics, Took: is.Took}
	for _, r := range s.Grant.Rights {
		w.Rights = append(w.Rights, string(r))
	}
	for _, o := range s.Words {
		if slug := a.house.Library.Slug(o.Device); slug != "" {
			w.Words = append(w.Words, wire.MQTTWord{Control: slug + "/" + o.Control, Says: o.Says, Means: o.Means})
		}
	}
	if !is.Last.At.IsZero() {
		w.Last = &wire.MQTTAsker{Name: is.Last.Name, What: is.Last.What, At: is.Last.At}
	}
	return w
}
