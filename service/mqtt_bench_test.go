package service_test

import (
	"context"
	"fmt"
	"net"
	"slices"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"urbo/core/control"
	"urbo/core/device"
	"urbo/core/grant"
	"urbo/mqttface"
	"urbo/service"
	"urbo/service/access"
	"urbo/service/library"
	"urbo/station"
	"urbo/station/mqtt"
)

// faced is a house with a broker of its own and the MQTT face at it, and a program that is connected there.
func faced(b *testing.B, took func(mqtt.Message), transports ...station.Transport) (*service.House, *mqttface.Face,
	*mqtt.Visit) {
	b.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(b, err)
	var own *mqtt.Own
	h, err := service.Open(b.Context(), service.Config{Dir: b.TempDir(), Transports: transports,
		Broker: func(a *access.Access, m *service.Messages) station.Transport {
			own = mqtt.NewOwn(mqtt.OwnOptions{Bound: l, Doorman: a, Telling: m})
			return own
		}})
	require.NoError(b, err)
	face, err := mqttface.New(b.Context(), h, mqttface.Given{Own: true, On: true})
	require.NoError(b, err)
	own.Serve(face)
	ctx, cancel := context.WithCancel(context.Background())
	done := make(chan struct{}, 2)
	go func() { _ = h.Run(ctx); done <- struct{}{} }()
	go func() { _ = face.Run(ctx); done <- struct{}{} }()
	b.Cleanup(func() {
		cancel()
		<-done
		<-done
		require.NoError(b, h.Close())
	})
	_, token, err := h.Access.AddToken(b.Context(), access.NewToken{Name: "panel", Rights: []grant.Right{grant.See,
		grant.Use}, Where: grant.Everywhere}, grant.Named("test"))
	require.NoError(b, err)
	var v *mqtt.Visit
	require.Eventually(b, func() bool {
		v, err = mqtt.Connect(b.Context(), mqtt.Options{URL: "mqtt://" + l.Addr().String(), User: mqtt.ProgramUser,
			Password: token}, mqtt.Stay{ID: "panel", Topics: []string{"urbo/house/is/#", "urbo/house/here"},
			Took: took})
		return err == nil
	}, 10*time.Second, 10*time.Millisecond)
	b.Cleanup(v.Close)
	return h, face, v
}

// switched is a device with a key for on and one for off.
func switched(name string, command int64) device.Device {
	return device.Device{Name: name, Keys: []device.Key{{Name: "on", Codes: []device.Code{necCode(command)}},
		{Name: "off", Codes: []device.Code{necCode(command + 1)}}}, Traits: device.Traits{Forms: control.Forms{
		Controls: []control.Control{{Name: "power", Kind: control.Power, Keys: map[string]string{"on": "on",
			"off": "off"}}}}}}
}

// BenchmarkMQTT_WantToFirstByte is the way from a want at the house's own broker to the bytes at the station that
// sends. It tells the median of fifty wants, and the slowest.
func BenchmarkMQTT_WantToFirstByte(b *testing.B) {
	sent := make(chan time.Time, 100)
	board := newBoard(func(b *board, s station.Send) {
		sent <- time.Now()
		b.say(station.Sent{ID: s.ID, Took: int64(s.Airtime())})
	})
	h, _, v := faced(b, func(mqtt.Message) {}, board)
	<-board.here
	_, err := h.Library.Add(b.Context(), switched("Lamp", 1), library.Note{})
	require.NoError(b, err)
	took := []time.Duration{}
	for b.Loop() {
		for i := range 50 {
			time.Sleep(400 * time.Millisecond) // the want before is over
			began := time.Now()
			require.NoError(b, v.Publish(b.Context(), mqtt.Message{Topic: "urbo/house/want/lamp/power",
				Payload: []byte([]string{"on", "off"}[i%2])}))
			took = append(took, (<-sent).Sub(began))
			for len(sent) > 0 { // off again, and what else is pressed
				<-sent
			}
		}
	}
	slices.Sort(took)
	b.ReportMetric(float64(took[len(took)/2].Microseconds())/1000, "ms-median")
	b.ReportMetric(float64(took[len(took)-1].Microseconds())/1000, "ms-slowest")
}

// BenchmarkMQTT_500Devices switches the face of a house with 500 devices on, until it says that it is here: then all
// that they are at is published, and heard.
func BenchmarkMQTT_500Devices(b *testing.B) {
	var heard atomic.Int64
	here := make(chan string, 100)
	h, face, _ := faced(b, func(m mqtt.Message) {
		if m.Topic == "urbo/house/here" {
			here <- string(m.Payload)
		} else if len(m.Payload) > 0 {
			heard.Add(1)
		}
	})
	for i := range 500 {
		_, err := h.Library.Add(b.Context(), switched(fmt.Sprint("Lamp ", i), int64(i%100)), library.Note{})
		require.NoError(b, err)
	}
	require.Eventually(b, func() bool { return heard.Load() >= 500 }, 10*time.Second, 10*time.Millisecond)
	turn := func(on bool, says string) {
		_, err := face.Change(b.Context(), grant.Named("test"), func(s *mqttface.Settings) error {
			s.On = on
			return nil
		})
		require.NoError(b, err)
		for <-here != says {
		}
	}
	for b.Loop() {
		b.StopTimer()
		turn(false, "no")
		heard.Store(0)
		b.StartTimer()
		turn(true, "yes")
		require.GreaterOrEqual(b, heard.Load(), int64(500))
	}
}
