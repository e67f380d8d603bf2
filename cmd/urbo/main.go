// Urbo learns codes from existing remote controls, keeps them, and replays them.
package main

import (
	"context"
	"os"
	"os/signal"
	"syscall"
	_ "time/tzdata" // small boards come without it

	"urbo/cli"
	"urbo/recogniser"
)

// version is set by the build.
var version = "dev"

func main() {
	recogniser.Enter()
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	go func() { // who interrupts twice means it
		<-ctx.Done()
		stop()
	}()
	code := cli.Execute(ctx, version, os.Args[1:], cli.Streams{In: os.Stdin, Out: os.Stdout, Err: os.Stderr})
	stop()
	os.Exit(code)
}
