package cli

import (
	"context"
	"errors"
	"fmt"
	"net"
	"net/http"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"urbo/core/plain"
	"urbo/station"
	"urbo/station/conform"
	"urbo/station/hardware"
	"urbo/station/websocket"
)

func (a *app) stationCheck() *cobra.Command {
	return &cobra.Command{Use: "check ADDRESS", Short: "Try whether a board keeps the rules of the station link",
		Long: `Try whether a board keeps the rules of the station link, for those who build one. No service is
needed; it must not hold the board at the same time. ADDRESS is a serial port (/dev/ttyUSB0), unix:PATH or
tcp:HOST:PORT for one that listens, or dial-in:HOST:PORT to wait there for one that dials in, with any token. It
sends test signals for ten to twenty seconds.`,
		Args:    args(1, 1, "an ADDRESS"),
		Example: "  urbo station check /dev/ttyUSB0",
		RunE: func(c *cobra.Command, argv []string) error {
			l, err := a.reachOne(c.Context(), argv[0])
			if err != nil {
				return err
			}
			defer l.Close()
			var all []map[string]any
			wrong := 0
			err = conform.Check(c.Context(), l, conform.RealTime{}, func(r conform.Report) {
				says := "keeps it"
				if r.Err != nil {
					wrong++
					says = r.Err.Error()
				}
				all = append(all, map[string]any{"rule": r.Rule, "kept": r.Err == nil, "says": says})
				if a.output != "json" {
					fmt.Fprintf(a.Out, "%-50s %s\n", r.Rule, says)
				}
			})
			if a.output == "json" {
				if err := a.json(all); err != nil {
					return err
				}
			}
			if err == nil && wrong > 0 {
				err = fmt.Errorf("%s broken: see docs/station-link.md", plain.Count(wrong, "rule is", "rules are"))
			}
			return err
		}}
}

// reachOne makes one link to a station at an address.
func (a *app) reachOne(ctx context.Context, address string) (station.Link, error) {
	kind, rest, _ := strings.Cut(address, ":")
	switch kind {
	case "unix", "tcp":
		var d net.Dialer
		conn, err := d.DialContext(ctx, kind, rest)
		if err != nil {
			return nil, fmt.Errorf("reach the station: %w", err)
		}
		return station.NewLines(station.Origin{Over: station.Serial, Address: address}, conn), nil
	case "dial-in":
		return a.waitFor(ctx, rest)
	}
	t, err := hardware.Reach(station.Origin{Over: station.Serial, Address: address})
	if err != nil {
		return nil, usageError{err}
	}
	return first(ctx, t, address)
}

// first is the first link of a transport, which runs until that is closed.
func first(ctx context.Context, t station.Transport, address string) (station.Link, error) {
	found := make(chan station.Link)
	failed := make(chan error, 1)
	go func() {
		failed <- t.Run(ctx, func(ctx context.Context, l station.Link) error {
			select {
			case found <- l:
			case <-ctx.Done():
			}
			<-ctx.Done()
			return nil
		})
	}()
	select {
	case l := <-found:
		return l, nil
	case err := <-failed:
		return nil, err
	case <-time.After(dialing):
		return nil, fmt.Errorf("%s: it is not plugged in", address)
	}
}

// waitFor waits for a station that dials in.
func (a *app) waitFor(ctx context.Context, listen string) (station.Link, error) {
	l, err := net.Listen("tcp", listen)
	if err != nil {
		return nil, listenError(listen, err)
	}
	fmt.Fprintf(a.Err, "Waiting for a station to dial ws://%s%s. End with Ctrl-C.\n", l.Addr(), websocket.Path)
	door := &websocket.Door{}
	server := &http.Server{ReadHeaderTimeout: dialing,
		Handler: http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			if r.URL.Path != websocket.Path {
				http.NotFound(w, r)
				return
			}
			_ = door.Accept(ctx, w, r, "check")
		})}
	go func() {
		if err := server.Serve(l); !errors.Is(err, http.ErrServerClosed) {
			fmt.Fprintln(a.Err, "urbo:", err)
		}
	}()
	found := make(chan station.Link)
	go func() {
		_ = door.Run(ctx, func(ctx context.Context, l station.Link) error {
			select {
			case found <- l:
				<-ctx.Done()
			case <-ctx.Done():
			}
			return nil
		})
	}()
	select {
	case l := <-found:
		return l, nil
	case <-ctx.Done():
		return nil, ctx.Err()
	}
}
