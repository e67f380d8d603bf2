package cli

import (
	"context"
	"errors"
	"fmt"
	"net"
	"net/http"
	"os"
	"slices"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"urbo/api"
	"urbo/assistant/standin"
	"urbo/core/grant"
	"urbo/scenery"
	"urbo/service"
	"urbo/service/access"
	"urbo/stage"
	"urbo/station"
	"urbo/station/mqtt"
	"urbo/station/onstage"
)

func (a *app) demo() *cobra.Command {
	var o serveOptions
	var s stage.Options
	var tour bool
	var faults []string
	var at string
	c := &cobra.Command{
		Use: "demo", Short: "Serve the demo: a made-up observatory with handsets and appliances",
		Args: args(0, 0, "none"), Example: "  urbo demo --listen 127.0.0.1:0 --pace 5",
		Long: `Serve the demo: the Saltmarsh Observatory, with simulated handsets to press and appliances that obey.
Everything it learns is in a scratch directory that goes when it ends, unless --data names one.
With --tour it tells the whole story by itself, from a handset's press to a replay, and ends.`,
		RunE: func(c *cobra.Command, _ []string) error {
			if s.Pace < 0.1 || s.Pace > 100 {
				return usageError{fmt.Errorf("--pace is 0.1 to 100, not %g", s.Pace)}
			}
			if tour && a.output == "json" {
				return usageError{errors.New("--tour tells a story in words: leave --output json out")}
			}
			if tour && !c.Flags().Changed("pace") {
				s.Pace = tourPace
			}
			if tour && !c.Flags().Changed("listen") {
				o.listen = "127.0.0.1:0"
			}
			if len(s.Unplug) > 0 && !tour {
				fmt.Fprintf(a.Err, "Not plugged in: %v\n", s.Unplug)
			}
			fault := onstage.Fault("")
			for _, f := range faults {
				of, err := s.Faults.ParseFault(f)
				switch {
				case err != nil:
					return usageError{fmt.Errorf("--fault %w", err)}
				case of:
				case !slices.Contains(onstage.Faults, onstage.Fault(f)):
					return usageError{fmt.Errorf("--fault %.20q: there are lose=N, unheard=N, mains=SECONDS, "+
						"and of the board %v", f, onstage.Faults)}
				case fault != "":
					return usageError{fmt.Errorf("--fault: one board has one fault, not %s and %s", fault, f)}
				default:
					fault = onstage.Fault(f)
				}
			}
			var shown span
			if at != "" {
				var err error
				if shown, err = spanOf(at, time.Now()); err != nil {
					return usageError{fmt.Errorf("--at: %w", err)}
				}
			}
			return a.runDemo(c.Context(), o, s, fault, shown.from, tour)
		},
	}
	o.flags(c, "data directory; without it a scratch one that goes at the end")
	c.Flags().Float64Var(&s.Pace, "pace", 1,
		"how many times faster than real time the stage and the calendar clock run")
	c.Flags().StringVar(&at, "at", "", "what the calendar clock shows at the start, such as \"2026-12-05 18:00\"")
	c.Flags().Uint64Var(&s.Seed, "seed", 1, "of the stage's noise")
	c.Flags().StringSliceVar(&s.Unplug, "unplug", nil,
		"appliances that are not plugged in, to see what Urbo makes of it")
	c.Flags().StringSliceVar(&faults, "fault", nil,
		"what goes wrong: lose=N (appliances miss every Nth press), unheard=N (every Nth press of a handset is heard "+
			"by nobody), mains=SECONDS (they fail again and again); or, of the board in the lecture room, to see what "+
			"urbo station test makes of it, dead, exchanged, swapped, frequency, weak or inexact")
	c.Flags().BoolVar(&tour, "tour", false, "tell the story from press to replay, and end: 0 if every appliance ended "+
		"as it should")
	return c
}

// stations are the simulated pieces of hardware of the observatory; the one outside is away. The dome has its own file.
func stations(s *stage.Stage, fault onstage.Fault) []station.Transport {
	return []station.Transport{
		onstage.NewFaulty(s, "lecture", fault),
		onstage.NewGone("outside"),
	}
}

func (a *app) runDemo(ctx context.Context, o serveOptions, so stage.Options, fault onstage.Fault, at time.Time,
	tour bool) error {
	if so.Begins = timeOfDay(at); tour && at.IsZero() {
		at = tourBegins
		so.Begins = timeOfDay(at)
	}
	s, err := stage.New(so)
	if err != nil {
		return usageError{err}
	}
	if o.data == "" {
		dir, err := os.MkdirTemp("", "urbo-demo-")
		if err != nil {
			return fmt.Errorf("make a scratch directory: %w", err)
		}
		defer os.RemoveAll(dir)
		o.data = dir
	}
	if err := scenery.BringSheets(o.data); err != nil {
		return err
	}
	config := service.Config{Transports: stations(s, fault), Extra: []service.Runner{s}, Calendar: at, Pace: so.Pace}
	ended := func() {}
	defer func() { ended() }()
	board, err := scenery.NewDome(s)
	if err != nil { // then it is attached to this process
		fmt.Fprintln(a.Err, "urbo: the board in the dome dials in from no other process:", err)
		config.Transports = append(config.Transports, onstage.NewRadio(s, "dome", scenery.DomeHz))
	}
	broker, err := demoBroker(&o, &config)
	if err != nil {
		return err
	}
	started := func(ctx context.Context, house *service.House, where address) error {
		if err := scenery.Furnish(ctx, house.Library, !tour); err != nil {
			return err
		}
		guests, err := scenery.Arrange(ctx, house)
		if err != nil {
			return err
		}
		if !tour { // there nothing is learned yet
			if err := scenery.Settle(house); err != nil {
				return err
			}
		}
		sensing := ctx
		if tour { // the house ends before ctx does
			var end func()
			sensing, end = context.WithCancel(ctx)
			defer end()
		}
		if err := a.sense(sensing, house, s, where, broker); err != nil {
			return err
		}
		if !tour {
			scenery.Errands(ctx, house)
		}
		if board != nil {
			end, err := board.Begin(ctx, house, scenery.Address{URL: where.bound, CA: where.ca})
			if err != nil {
				return err
			}
			ended = end
		}
		if tour {
			return a.tour(ctx, where)
		}
		a.announce(ctx, house, where)
		if a.output == "json" {
			return errServeOn
		}
		fmt.Fprintf(a.Out, "Other terminal: export URBO_SERVER=%s\n                then: urbo listen, urbo learn "+
			"projector, urbo press boardwalk/power\n", where.socket)
		if broker != "" {
			fmt.Fprintf(a.Out, "MQTT:           %s (urbo mqtt show)\n", broker)
		}
		if at, err := demoAssistant(ctx, house, where); err == nil {
			fmt.Fprintf(a.Out, "Assistant:      %s (a stand-in: link it there; urbo assistant list)\n", at)
		}
		if guests != "" {
			fmt.Fprintf(a.Out, "For guests:     %s\n                (the board Public night, on five phones)\n",
				api.SignInLink(where.url, guests))
		}
		return errServeOn
	}
	return a.run(ctx, o, config, []api.Face{api.StageFace(s)}, started)
}

// demoAssistant runs a stand-in for an assistant from outside, which the house knows and nobody has linked yet. It ends
// with ctx.
func demoAssistant(ctx context.Context, house *service.House, where address) (string, error) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return "", err
	}
	at := "http://" + l.Addr().String()
	by := grant.TheHouse("demo")
	_ = house.Assistants.Remove(ctx, "Stand-in", by) // of another port, where the directory was used before
	client, secret, err := house.Assistants.Add(ctx, "Stand-in", []string{at + standin.LinkedPath}, by)
	if err != nil {
		return "", errors.Join(err, l.Close())
	}
	go func() {
		_ = serveStandin(ctx, l, standin.Config{House: strings.TrimSuffix(where.url, "/"), Client: client.ID,
			Secret: secret, Address: at})
	}()
	return at, nil
}

// demoBroker lets the demo have a broker of its own on this machine, for the sensors that publish and for programs,
// where it was given none: at its usual port, or at a free one where that is taken. It returns its address, or "".
func demoBroker(o *serveOptions, config *service.Config) (string, error) {
	if o.broker.url != "" {
		return "", nil
	}
	l, err := net.Listen("tcp", o.broker.listen)
	if err != nil {
		l, err = net.Listen("tcp", "127.0.0.1:0")
	}
	if err != nil {
		return "", fmt.Errorf("the demo's broker: %w", err)
	}
	o.broker.listen = l.Addr().String()
	config.Broker = func(a *access.Access, m *service.Messages) station.Transport {
		return mqtt.NewOwn(mqtt.OwnOptions{Bound: l, Doorman: a, Telling: m})
	}
	return "mqtt://" + l.Addr().String(), nil
}

// sense lets the sensors of the stage tell what they measure.
func (a *app) sense(ctx context.Context, house *service.House, s *stage.Stage, where address, broker string) error {
	if err := scenery.Describe(ctx, house, broker != ""); err != nil {
		return err
	}
	client := &http.Client{}
	if where.ca != "" {
		roots, err := rootsOf(where.ca)
		if err != nil {
			return err
		}
		client.Transport = roots
	}
	sensors, err := scenery.NewSensors(ctx, house, s, client, where.bound, broker)
	if err != nil {
		return err
	}
	go sensors.Run(ctx)
	return nil
}

// timeOfDay is how long after midnight it is at the observatory.
func timeOfDay(at time.Time) time.Duration {
	if at.IsZero() {
		at = time.Now()
	}
	if zone, err := time.LoadLocation("Europe/London"); err == nil {
		at = at.In(zone)
	}
	h, m, s := at.Clock()
	return time.Duration(h)*time.Hour + time.Duration(m)*time.Minute + time.Duration(s)*time.Second
}
