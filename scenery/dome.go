package scenery

import (
	"context"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"runtime"
	"sync"
	"syscall"
	"time"

	"urbo/core/grant"
	"urbo/service"
	"urbo/stage"
	"urbo/station"
	"urbo/station/onstage"
	"urbo/station/pty"
)

// DomeHz is the channel of the board in the dome, which is the shutter's.
const DomeHz = 433_420_000

// Address is where this machine reaches the house that the dome belongs to.
type Address struct {
	URL string
	CA  string // file of the authority that it is checked against; "" is the system's
}

// domePatience is how long the outpost in the dome may take to dial in.
const domePatience = 20 * time.Second

// Dome is the observatory's dome: a board at the end of a serial line, plugged into another machine, whose outpost
// dials in. The other machine is a process of its own.
type Dome struct {
	board *onstage.Station
	line  *pty.Line
}

// NewDome makes the dome, on a stage. The error says that this machine has no pseudo terminals.
func NewDome(s *stage.Stage) (*Dome, error) {
	line, err := pty.Open()
	if err != nil {
		return nil, err
	}
	return &Dome{onstage.NewRadio(s, "dome", DomeHz), line}, nil
}

// Begin plugs the board in, starts the other machine, and waits until its station is here. ended takes it all away.
func (d *Dome) Begin(ctx context.Context, house *service.House, at Address) (ended func(), err error) {
	if s, known := house.Stations.State("dome"); known { // of a demo before this one, which kept its data
		if err := house.RemoveStation(ctx, s.Name, grant.Named("demo")); err != nil {
			return nil, err
		}
	}
	_, token, err := house.AddStation(ctx, "dome", station.Origin{Over: station.WebSocket}, "Dome", grant.Named("demo"))
	if err != nil {
		return nil, err
	}
	ctx, cancel := context.WithCancel(context.WithoutCancel(ctx))
	var group sync.WaitGroup
	ended = func() {
		cancel()
		group.Wait()
	}
	group.Go(func() { d.serve(ctx) })
	follow := house.Stream.Subscribe()
	defer house.Stream.Leave(follow)
	failed := make(chan error, 1)
	group.Go(func() { failed <- d.outpost(ctx, at, token) })
	wait, stop := context.WithTimeout(ctx, domePatience)
	defer stop()
	for {
		if s, _ := house.Stations.State("dome"); s.Here && len(s.Ports) > 0 {
			return ended, nil
		}
		_, err := follow.Next(wait)
		if err == nil {
			continue
		}
		select {
		case err = <-failed:
		default:
			err = errors.New("it does not dial in")
		}
		ended()
		return nil, fmt.Errorf("the outpost in the dome: %w", err)
	}
}

// serve is the board's end of the line.
func (d *Dome) serve(ctx context.Context) {
	_ = d.board.Run(ctx, func(ctx context.Context, l station.Link) error {
		return station.Relay(ctx, l,
			station.NewLines(station.Origin{Over: station.Serial, Address: d.line.Path}, d.line))
	})
}

// outpost runs the other machine. Its thread lasts as long as the process does: the kernel ends the child with it, even
// where the demo is killed.
func (d *Dome) outpost(ctx context.Context, house Address, token string) error {
	self, err := os.Executable()
	if err != nil {
		return err
	}
	runtime.LockOSThread()
	defer runtime.UnlockOSThread()
	c := exec.CommandContext(ctx, self, "outpost", "--to", house.URL, "--name", "dome", "--serial", d.line.Path)
	c.Env = append(os.Environ(), "URBO_TOKEN="+token, "URBO_CA="+house.CA)
	c.Cancel = func() error { return c.Process.Signal(syscall.SIGTERM) }
	c.WaitDelay = 2 * time.Second
	c.SysProcAttr = &syscall.SysProcAttr{Pdeathsig: syscall.SIGKILL}
	return c.Run()
}
