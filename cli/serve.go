package cli

import (
	"context"
	"crypto/tls"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"net/http"
	"net/netip"
	"net/url"
	"os"
	"os/user"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"sync"
	"syscall"
	"time"

	"github.com/spf13/cobra"
	"golang.org/x/sys/unix"

	"urbo/api"
	"urbo/discovery"
	"urbo/mqttface"
	"urbo/outgoing"
	"urbo/recogniser"
	"urbo/service"
	"urbo/service/access"
	"urbo/service/backup"
	"urbo/service/certs"
	"urbo/station"
	"urbo/station/hardware"
	"urbo/station/mqtt"
	"urbo/station/websocket"
)

// DefaultListen is where the service listens until told otherwise.
const DefaultListen = "127.0.0.1:8433"

// serveOptions are the flags that serve and demo share.
type serveOptions struct {
	data   string
	listen string
	hosts  []string
	broker brokerOptions
	tls    tlsOptions
	public string   // where browsers reach it, where that is another address
	behind []string // proxies whose word counts
	speech string   // the program that recognises it
	found  string   // whether programs on the network can find the house: auto or off
}

func (o *serveOptions) flags(c *cobra.Command, data string) {
	c.Flags().StringVar(&o.data, "data", "", data)
	c.Flags().StringVar(&o.listen, "listen", DefaultListen, "address and port to listen on; port 0 picks a free one")
	c.Flags().StringSliceVar(&o.hosts, "host", nil, "another name that browsers reach this machine by")
	c.Flags().StringVar(&o.broker.url, "broker", os.Getenv("URBO_BROKER"),
		"MQTT broker that stations speak through, mqtt://HOST:PORT or mqtts://HOST:PORT; own runs one (URBO_BROKER)")
	c.Flags().StringVar(&o.broker.listen, "broker-listen", "127.0.0.1:1883",
		"where a broker of our own listens; with --tls it speaks that")
	o.broker.flags(c)
	o.tls.flags(c)
	c.Flags().StringVar(&o.speech, "speech", "auto",
		"program that recognises speech, with its arguments: {wav}, {grammar} and {dictionary} name its files; auto "+
			"is "+
			"PocketSphinx where it is installed; off is none")
	c.Flags().StringVar(&o.found, "discovery", "auto",
		"let programs on the same network find the house (DNS-SD): auto is wherever it listens beyond this machine; "+
			"or off")
	c.Flags().StringVar(&o.public, "url", "",
		"address that browsers reach the console by, where a proxy stands before it: "+
			"https://NAME")
	c.Flags().StringSliceVar(&o.behind, "proxy", nil,
		"address or network of a reverse proxy whose X-Forwarded- headers count, such as 127.0.0.1 or 10.0.0.0/24")
}

func (a *app) serve() *cobra.Command {
	var o serveOptions
	c := &cobra.Command{
		Use: "serve", Short: "Run the service", Args: args(0, 0, "none"),
		Example: "  urbo serve --listen 127.0.0.1:0 --data ./urbo-data",
		Long: `Run the service and its console. The first line on standard output is its address.

Each flag can stand in the environment, too,
	as URBO_LISTEN for --listen; the command line wins (urbo config shows it).`,
		RunE: func(c *cobra.Command, _ []string) error {
			if o.data == "" {
				dir, err := dataDir()
				if err != nil {
					return err
				}
				o.data = dir
			}
			return a.run(c.Context(), o, service.Config{}, nil, nil)
		},
	}
	o.flags(c, "data directory (URBO_DATA); without it the user's own")
	c.PreRunE = func(c *cobra.Command, _ []string) error { return fromEnvironment(c) }
	return c
}

// run opens the house and serves it until ctx ends, and again where a backup took its place. started, where given, is
// called once it serves; when it returns, the house is closed.
func (a *app) run(ctx context.Context, o serveOptions, c service.Config, faces []api.Face,
	started func(context.Context, *service.House, address) error) (err error) {
	a.serves.Store(true)
	slog.SetDefault(slog.New(slog.NewTextHandler(a.Err, &slog.HandlerOptions{Level: slog.LevelWarn})))
	if o.data, err = filepath.Abs(o.data); err != nil {
		return fmt.Errorf("data directory: %w", err)
	}
	if err := os.MkdirAll(o.data, 0o700); err != nil {
		return fmt.Errorf("make data directory: %w", err)
	}
	c.Dir, c.Version, c.Send, c.Fetch = o.data, a.version, outgoing.Send, outgoing.Fetch
	if o.found != "auto" && o.found != "off" {
		return usageError{fmt.Errorf("--discovery %q: write auto or off", o.found)}
	}
	program, err := recogniser.New(o.speech)
	if err != nil {
		return usageError{err}
	}
	if program != nil {
		c.Recogniser, c.Words = program, program.Words
	}
	if started == nil {
		started = func(ctx context.Context, house *service.House, at address) error {
			a.announce(ctx, house, at)
			return errServeOn
		}
	}
	for {
		staged, err := a.serveHouse(ctx, &o, c, faces, started)
		if ctx.Err() != nil && errors.Is(err, context.Canceled) { // it was opened anew just then
			return nil
		}
		if err != nil || staged == nil {
			return err
		}
		if err := service.Restore(context.WithoutCancel(ctx), o.data, staged); err != nil {
			slog.Error("restore a backup; the house goes on as it was", "error", err)
			c.News = "A backup could not be restored, and the house goes on as it was: " + err.Error()
		} else {
			c.News = "Restored the backup of " + staged.Made.Local().Format(time.DateTime)
		}
		started = func(context.Context, *service.House, address) error { return errServeOn }
	}
}

// serveHouse opens the house and serves it until ctx ends, or until a backup is to take its place, which it returns.
func (a *app) serveHouse(ctx context.Context, o *serveOptions, c service.Config, faces []api.Face,
	started func(context.Context, *service.House, address) error) (staged *backup.Staged, err error) {
	door := &websocket.Door{} // each house has its own
	c.Transports = append(slices.Clip(c.Transports), door)
	c.Reach, c.Lasting = hardware.Reach, hardware.Lasting
	proxies, err := api.ParseProxies(o.behind)
	if err != nil {
		return nil, usageError{err}
	}
	secure, authority, err := o.tls.keep(o.data)
	if err != nil {
		return nil, err
	}
	given, err := o.attach(&c, secure)
	if err != nil {
		return nil, err
	}
	house, err := service.Open(ctx, c)
	if err != nil {
		return nil, err
	}
	defer func() { err = errors.Join(err, house.Close()) }()
	face, err := mqttface.New(ctx, house, given.Given)
	if err != nil {
		return nil, err
	}
	if given.broker != nil {
		given.broker.Serve(face)
	}
	tcp, err := net.Listen("tcp", o.listen)
	if err != nil {
		return nil, listenError(o.listen, err)
	}
	o.listen = tcp.Addr().String() // the same port, when the house is opened again
	socket, err := listenSocket(filepath.Join(o.data, socketName))
	if err != nil {
		return nil, errors.Join(err, tcp.Close())
	}

	houseCtx, endHouse := context.WithCancel(context.WithoutCancel(ctx))
	defer endHouse()
	requestCtx, endRequests := context.WithCancel(context.WithoutCancel(ctx))
	defer endRequests()
	hosts := append([]string{}, o.hosts...)
	if host, _, err := net.SplitHostPort(o.listen); err == nil && host != "" {
		hosts = append(hosts, host)
	}
	at, err := o.address(tcp.Addr())
	if err != nil {
		return nil, errors.Join(err, tcp.Close(), socket.Close())
	}
	if u, err := url.Parse(at.url); err == nil {
		hosts = append(hosts, u.Hostname())
	}
	finder := o.finder(house, tcp.Addr(), secure != nil)
	options := api.Options{URL: at.url, Faces: faces, Door: door, Proxies: proxies, Authority: authority, MQTT: face}
	if finder != nil {
		hosts, options.Discovery = append(hosts, finder.Host+".local"), finder
	}
	options.Hosts = hosts
	handler := api.New(house, options)
	network := api.Server(requestCtx, handler, func(ctx context.Context, _ net.Conn) context.Context { return ctx })
	local := api.Server(requestCtx, handler, peerContext) // of its own, so that nobody outside can fill it
	var group sync.WaitGroup
	group.Go(func() { _ = house.Run(houseCtx) })
	faceCtx, endFace := context.WithCancel(context.WithoutCancel(ctx))
	defer endFace()
	var faced sync.WaitGroup
	faced.Go(func() { _ = face.Run(faceCtx) })
	if finder != nil {
		faced.Go(func() { _ = finder.Run(faceCtx) })
	}
	serve := func(server *http.Server, l net.Listener) {
		group.Go(func() {
			if err := server.Serve(l); !errors.Is(err, http.ErrServerClosed) {
				slog.Error("serve", "address", l.Addr(), "error", err)
			}
		})
	}
	connections := api.NewConnections()
	house.Access.OnRevoked(connections.Revoked)
	listener := connections.Listener(tcp)
	if secure != nil {
		listener = tls.NewListener(listener, secure.Config())
	}
	serve(network, listener)
	serve(local, socket)
	if err = started(ctx, house, at); err == errServeOn {
		err = nil
		select {
		case <-ctx.Done():
		case <-house.Replaced():
		}
	}
	// Streams of events end first, then requests get a moment to finish, then the house.
	endRequests()
	quit, cancel := context.WithTimeout(context.WithoutCancel(ctx), 5*time.Second)
	defer cancel()
	connections.Empty()
	for _, server := range []*http.Server{network, local} {
		if e := server.Shutdown(quit); e != nil {
			_ = server.Close()
		}
	}
	endFace()
	faced.Wait()
	endHouse()
	group.Wait()
	return house.Staged(), err
}

// finder lets programs on the network find a house that listens beyond this machine; nil where nothing is to.
func (o *serveOptions) finder(house *service.House, at net.Addr, secure bool) *discovery.Responder {
	tcp, is := at.(*net.TCPAddr)
	if !is || o.found == "off" || tcp.IP.IsLoopback() {
		return nil
	}
	scheme := map[bool]string{true: "https", false: "http"}[secure]
	web := "_" + scheme + "._tcp"
	listen, _ := netip.AddrFromSlice(tcp.IP)
	return discovery.New(discovery.Config{
		Name: func() string { return house.Home.Home().Name + " (" + house.ID + ")" },
		Host: "urbo-" + strings.ToLower(house.ID), Port: tcp.Port, Listen: listen,
		Services: []discovery.Service{
			{Type: "_urbo._tcp", Text: []string{"scheme=" + scheme, "path=/", "version=" + house.Version}},
			{Type: web, Text: []string{"path=/"}},
			{Type: "_wot._tcp", Text: []string{"td=/.well-known/wot", "type=Directory", "scheme=" + scheme}},
		}})
}

// attached is the broker that a house is started with.
type attached struct {
	mqttface.Given
	broker *mqtt.Own // nil where it is somebody else's, or none
}

// attach adds the broker that stations speak through, if there is one.
func (o *serveOptions) attach(c *service.Config, secure *certs.Keeper) (*attached, error) {
	out := &attached{}
	switch {
	case c.Broker != nil: // the demo's
		bring := c.Broker
		c.Broker = func(a *access.Access, m *service.Messages) station.Transport {
			t := bring(a, m)
			out.broker, _ = t.(*mqtt.Own)
			return t
		}
		out.Own, out.On, out.Listens = true, true, o.broker.listen
	case o.broker.url == "":
	case o.broker.url == own:
		options := mqtt.OwnOptions{Listen: o.broker.listen}
		if secure != nil {
			options.TLS = secure.Config()
		}
		out.Own, out.Listens = true, o.broker.listen
		c.Broker = func(a *access.Access, m *service.Messages) station.Transport {
			options.Doorman, options.Telling = a, m
			out.broker = mqtt.NewOwn(options)
			return out.broker
		}
	default:
		options, err := o.broker.options()
		if err != nil {
			return out, err
		}
		broker, err := mqtt.New(options)
		if err != nil {
			return out, err
		}
		out.Outside = &options
		c.Transports = append(c.Transports, broker)
		c.Listen = func(m *service.Messages) { broker.Listen(m) }
	}
	return out, nil
}

// errServeOn is what started returns to go on serving until the end.
var errServeOn = errors.New("serve on")

// address is where a running service is reached.
type address struct {
	url    string // as browsers may call it
	bound  string // as this machine can always call it
	ca     string // file of the authority that it is checked against; "" is the system's
	socket string
}

// address is where the service is reached: where a proxy says so, by the first name that was given for this machine, or
// by its address.
func (o *serveOptions) address(bound net.Addr) (address, error) {
	host, port, _ := net.SplitHostPort(bound.String())
	if len(o.hosts) > 0 {
		host = o.hosts[0]
	} else if ip := net.ParseIP(host); ip != nil && ip.IsUnspecified() {
		host = "127.0.0.1"
	}
	ip := bound.(*net.TCPAddr).IP
	if ip.IsUnspecified() {
		ip = net.IPv4(127, 0, 0, 1)
	}
	scheme := "http://"
	if o.tls.is() {
		scheme = "https://"
	}
	at := address{url: scheme + net.JoinHostPort(host, port), socket: "unix:" + filepath.Join(o.data, socketName),
		bound: scheme + net.JoinHostPort(ip.String(), port)}
	if o.tls.local {
		at.ca = filepath.Join(o.data, certs.Dir, "authority.pem")
	}
	if o.public != "" {
		u, err := url.Parse(o.public)
		if err != nil || u.Scheme != "http" && u.Scheme != "https" || u.Host == "" || strings.Trim(u.Path, "/") != "" {
			return at, usageError{fmt.Errorf("--url %.100q: write https://NAME, without a path", o.public)}
		}
		at.url = strings.TrimSuffix(o.public, "/")
	}
	return at, nil
}

// announce prints where the service is; the address is the first line. A sign-in link comes with it while no owner is
// signed in.
func (a *app) announce(ctx context.Context, house *service.House, at address) {
	link := ""
	if !house.Access.OwnerSignedIn(ctx) {
		if _, code, _, err := house.Access.Link(ctx, house.Access.Owner().ID, 1); err == nil {
			link = api.SignInLink(at.url, code)
		}
	}
	if a.output == "json" {
		_ = a.jsonLine(map[string]string{"url": at.url, "sign_in": link, "server": at.socket})
		return
	}
	fmt.Fprintln(a.Out, at.url)
	if link == "" {
		fmt.Fprintln(a.Out, "                (urbo person link prints a sign-in link for another browser)")
		return
	}
	fmt.Fprintf(a.Out, "Sign in:        %s\n                (works once, for %d minutes; urbo person link prints "+
		"another)\n", link,
		int(access.TicketLife.Minutes()))
}

func listenError(listen string, err error) error {
	if errors.Is(err, syscall.EADDRINUSE) {
		return fmt.Errorf("%s is in use by another program: choose another with --listen, or --listen 127.0.0.1:0 for "+
			"a free one", listen)
	}
	return fmt.Errorf("listen on %s: %w: choose another address with --listen", listen, err)
}

// listenSocket opens the Unix socket for the command line on this machine. A socket left by a crash is replaced:
// the lock on the data directory says that nobody uses it.
func listenSocket(path string) (net.Listener, error) {
	if err := os.Remove(path); err != nil && !errors.Is(err, os.ErrNotExist) {
		return nil, fmt.Errorf("replace the old socket: %w", err)
	}
	old := syscall.Umask(0o177)
	l, err := net.Listen("unix", path)
	syscall.Umask(old)
	if err != nil {
		if len(path) > 100 {
			return nil, fmt.Errorf("open socket %s: its path has %d characters, the most is about 100: choose a "+
				"shorter --data", path, len(path))
		}
		return nil, fmt.Errorf("open socket %s: %w", path, err)
	}
	return l, nil
}

// peerContext trusts the peer of a Unix socket when it is the user that runs the service, or root.
func peerContext(ctx context.Context, c net.Conn) context.Context {
	u, ok := c.(*net.UnixConn)
	if !ok {
		return ctx
	}
	raw, err := u.SyscallConn()
	if err != nil {
		return ctx
	}
	var cred *unix.Ucred
	var credErr error
	if err := raw.Control(func(fd uintptr) {
		cred, credErr = unix.GetsockoptUcred(int(fd), unix.SOL_SOCKET,
			unix.SO_PEERCRED)
	}); err != nil || credErr != nil {
		return ctx
	}
	if int(cred.Uid) != os.Getuid() && cred.Uid != 0 {
		return ctx
	}
	name := "user " + strconv.Itoa(int(cred.Uid))
	if who, err := user.LookupId(strconv.Itoa(int(cred.Uid))); err == nil {
		name = who.Username
	}
	return api.WithCaller(ctx, access.Local(name))
}
