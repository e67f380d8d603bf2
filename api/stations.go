package api

import (
	"context"
	"errors"
	"log/slog"
	"net/http"

	"github.com/go-chi/chi/v5"

	"urbo/core/fault"
	"urbo/core/grant"
	"urbo/core/reach"
	"urbo/firmware/wifi"
	"urbo/service/stations"
	"urbo/station"
	"urbo/station/websocket"
	"urbo/wire"
)

// StationIn names a station.
type StationIn struct {
	Station string `path:"station" maxLength:"40"`
}

// board is what a Wi-Fi board is to be.
func (a *API) board(n wire.NewStation, name, secret string) wifi.Config {
	c := wifi.Config{Board: n.Wifi, Name: name, House: n.House, Token: secret}
	if a.authority != nil {
		c.Authority, c.Certified = string(a.authority.Boards), a.authority.Name()
	}
	return c
}

// stations registers looking after the hardware.
func (a *API) stations() {
	call(a, operation{"GET", "/stations", "list-stations", "Stations and their ports", grant.See, wholeHouse, 0},
		func(context.Context, *nothing) ([]wire.Station, error) {
			return list(a.house.Stations.List(), stationOf), nil
		})
	call(a, operation{"GET", "/stations/{station}", "get-station", "One station", grant.See, wholeHouse, 0},
		func(_ context.Context, in *StationIn) (wire.Station, error) {
			return as(stationOf)(a.house.Stations.Find(in.Station))
		})
	call(a, operation{"POST", "/stations", "add-station",
		"Add a station; the answer shows the token of one that dials in",
		grant.Keep, wholeHouse, http.StatusCreated},
		func(ctx context.Context, in *struct{ Body wire.NewStation }) (wire.Station, error) {
			n := in.Body
			if n.Wifi != "" { // what is wrong with it is said before there is a station
				_, err := wifi.Files(a.board(n, "", ""))
				if n.Over != string(station.WebSocket) {
					err = errors.New("a Wi-Fi board dials in: over is websocket")
				}
				if err != nil {
					return wire.Station{}, fault.Give(fault.Invalid, err)
				}
			}
			s, secret, err := a.house.AddStation(ctx, n.Name, station.Origin{Over: station.Over(n.Over),
				Address: n.Address}, n.Room, asking(ctx))
			w := stationOf(s)
			w.Secret = secret
			if n.Wifi == "" || err != nil {
				return w, err
			}
			files, err := wifi.Files(a.board(n, s.Name, secret))
			w.Files = list(files, func(f wifi.File) wire.BoardFile { return wire.BoardFile(f) })
			if b, err := wifi.Find(n.Wifi); err == nil {
				w.Pins = b.Pins()
			}
			return w, err
		})
	call(a, operation{"PATCH", "/stations/{station}", "change-station", "Change what is given", grant.Keep, wholeHouse,
		0},
		func(ctx context.Context, in *struct {
			StationIn
			Body wire.StationChange
		}) (wire.Station, error) {
			return as(stationOf)(a.house.AlterStation(ctx, in.Station, stations.Change(in.Body), asking(ctx)))
		})
	call(a, operation{"PATCH", "/stations/{station}/transmitters/{port}", "change-transmitter", "Change what is given",
		grant.Keep, wholeHouse, 0},
		func(ctx context.Context, in *struct {
			StationIn
			Port string `path:"port" maxLength:"40"`
			Body wire.TransmitterChange
		}) (wire.Station, error) {
			if share := in.Body.Share; share != nil {
				err := a.house.Stations.SetShare(ctx, in.Station, in.Port, *share, asking(ctx))
				if err != nil {
					return wire.Station{}, err
				}
			}
			if c := in.Body.Correction; c != nil {
				if err := a.house.Stations.Correct(ctx, in.Station, in.Port, *c, asking(ctx)); err != nil {
					return wire.Station{}, err
				}
			}
			return as(stationOf)(a.house.Stations.Find(in.Station))
		})
	call(a, operation{"POST", "/stations/test", "test-stations",
		"Let every transmitter send a test signal, and tell who heard it", grant.Keep, wholeHouse, 0},
		func(ctx context.Context, in *struct {
			Only string `query:"station" maxLength:"40" doc:"Only the transmitters of this one"`
		}) (wire.StationTest, error) {
			m, err := a.house.SelfTest.Run(ctx, in.Only, asking(ctx))
			return a.testOf(m), err
		})
	remove(a, operation{method: "DELETE", path: "/stations/{station}", id: "remove-station",
		summary: "Remove a station, and what let it in", right: grant.Keep, where: wholeHouse},
		func(ctx context.Context, in *StationIn) error {
			return a.house.RemoveStation(ctx, in.Station, asking(ctx))
		})
}

func stationOf(s stations.State) wire.Station {
	w := wire.Station{Name: s.Name, Room: s.Room, Over: string(s.Origin.Over), Model: s.Model, Firmware: s.Firmware,
		Here: s.Here, Since: wire.Time(s.Since), Trouble: s.Trouble, Ports: list(s.Ports, portOf)}
	if s.Origin.Over != station.WebSocket { // there it is the token's id, which says nothing
		w.Address = s.Origin.Address
	}
	return w
}

func portOf(p stations.PortState) wire.PortState {
	w := wire.PortState{ID: p.ID, Direction: string(p.Direction), Medium: p.Medium, FromHz: p.FromHz, ToHz: p.ToHz,
		Count: p.Count, Last: wire.Time(p.Last), Strength: p.Peak, AirtimeMS: int(p.Air.Used.Milliseconds()),
		BudgetMS: int(p.Air.Budget.Milliseconds()), Share: p.Air.Share}
	if !p.Correction.None() {
		w.Correction = &p.Correction
	}
	return w
}

// testOf translates what a test found. What it proposes to correct is told as it would be set: with what is corrected
// already.
func (a *API) testOf(m reach.Matrix) wire.StationTest {
	w := wire.StationTest{Receivers: list(m.Receivers, func(r reach.Receiver) string { return r.Place() }),
		Rows: []wire.TestRow{}}
	now, found := map[string]reach.Correction{}, m.Corrections()
	for _, s := range a.house.Stations.List() {
		for _, p := range s.Ports {
			now[s.Name+"/"+p.ID] = p.Correction
		}
	}
	for _, v := range m.Verdicts() {
		row := wire.TestRow{Transmitter: v.Transmitter, Fault: string(v.Fault), Text: v.Text, Cells: []wire.TestCell{}}
		for _, r := range w.Receivers {
			c, heard := m.Cells[reach.Heard{Transmitter: v.Transmitter, Receiver: r}]
			row.Cells = append(row.Cells, wire.TestCell{Heard: heard, Strength: c.Strength, StretchUS: c.Stretch,
				Unit: c.Unit, Confidence: c.Confidence})
		}
		if c, off := found[v.Transmitter]; off {
			row.Inexact = c.Text
			if set := now[v.Transmitter].And(c.Correction); c.Sure {
				row.Correction = &set
			}
		}
		w.Rows = append(w.Rows, row)
	}
	return w
}

// dialIn takes stations that dial in, by their tokens. A link ends when its token is removed.
func (a *API) dialIn(r chi.Router, door Door) {
	r.Get(websocket.Path, func(w http.ResponseWriter, r *http.Request) {
		who := Caller(r.Context())
		switch {
		case who.err != nil:
			writeProblem(w, statusOf(who.err), who.err.Error())
			return
		case !who.Station:
			writeProblem(w, http.StatusForbidden, "This is for stations: use the token of one (urbo station add NAME).")
			return
		case door == nil:
			writeProblem(w, http.StatusNotFound, "No station can dial in here.")
			return
		}
		ctx, end := context.WithCancel(context.WithoutCancel(r.Context()))
		defer end()
		revoked, err := a.house.Access.Revoked(ctx, who.Caller)
		if err != nil {
			writeProblem(w, statusOf(err), err.Error())
			return
		}
		go func() {
			select {
			case <-revoked:
				end()
			case <-ctx.Done():
			}
		}()
		err = door.Accept(ctx, w, r, who.Door.ID)
		switch {
		case errors.Is(err, websocket.ErrEnding):
			writeProblem(w, http.StatusServiceUnavailable, "The service is ending: dial again in a moment.")
		case err != nil && !errors.Is(err, station.ErrAway):
			slog.Warn("a station dialled in and its link ended", "from", address(r), "error", err)
		}
	})
}
