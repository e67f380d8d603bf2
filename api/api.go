// Package api is the HTTP face: it translates requests into calls of the service and back, and decides nothing.
// Operations are typed, validated and described in OpenAPI 3.1 by huma; errors are RFC 9457 problems.
package api

import (
	"context"
	"fmt"
	"net/http"
	"net/netip"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/adapters/humachi"
	"github.com/go-chi/chi/v5"
	"github.com/go-chi/chi/v5/middleware"
	"github.com/prometheus/client_golang/prometheus/promhttp"

	"urbo/core/grant"
	"urbo/discovery"
	"urbo/mqttface"
	"urbo/service"
	"urbo/service/certs"
	"urbo/station/websocket"
)

// Options of the HTTP face.
type Options struct {
	URL   string   // where browsers reach the console, for sign-in links
	Hosts []string // names and addresses, beside loopback, that requests may be for
	Faces []Face   // parts that not every house has
	Door  Door     // takes stations that dial in; nil where none can
	// Proxies are the networks of reverse proxies whose word counts about who asks and for what.
	Proxies   []netip.Prefix
	Authority *certs.Authority // that signed the certificate of the service; nil for none
	MQTT      *mqttface.Face   // nil where there is none
	Discovery Discovery        // nil where nobody on the network can find the house
}

// Discovery says where the house can be found on the network.
type Discovery interface {
	Places() ([]discovery.Place, error)
}

// Door takes the link of a station that dials in. It returns when the link has ended, also where ctx ends.
type Door interface {
	Accept(ctx context.Context, w http.ResponseWriter, r *http.Request, address string) error
}

// Face adds operations to the API.
type Face struct {
	Part     string // its name in About
	Register func(*API)
}

// API is the operations of a house.
type API struct {
	huma  huma.API
	house *service.House
	parts []string
	url   string

	operations []operation // as they were registered

	cookie    string           // name of the session's
	authority *certs.Authority // there is a page that says how to trust it; nil for none
	attempts  attempts
	streams   streams
}

// New makes the handler that serves API, events and console.
func New(house *service.House, o Options) http.Handler {
	router := chi.NewRouter()
	router.Use(middleware.Recoverer, forwarded(o.Proxies), headers, allowHosts(o.Hosts),
		http.NewCrossOriginProtection().Handler,
		compressed)
	router.Get("/healthz", func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Type", "text/plain; charset=utf-8")
		_, _ = w.Write([]byte("ok\n"))
	})
	if o.Authority != nil {
		trustPages(router, *o.Authority)
	}
	router.Group(func(r chi.Router) {
		a := &API{house: house, parts: []string{}, url: o.URL, cookie: sessionCookie + "_" + house.ID,
			authority: o.Authority}
		r.Use(a.identify)
		a.register(r, o)
	})
	router.NotFound(console)
	return router
}

// compressed compresses answers, but for the links of stations, which are no answers.
func compressed(next http.Handler) http.Handler {
	with := middleware.Compress(5)(next)
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.URL.Path == websocket.Path {
			next.ServeHTTP(w, r)
			return
		}
		with.ServeHTTP(w, r)
	})
}

// register builds the typed operations on a router.
func (a *API) register(r chi.Router, o Options) {
	plainWords()
	huma.DefaultArrayNullable = false // answers have empty lists, never null
	config := huma.DefaultConfig("Urbo", a.house.Version)
	config.Info.Description = "Learns codes from existing infrared and 433 MHz handsets, keeps them " +
		"device by device, and replays them."
	config.Info.License = &huma.License{Name: "Apache 2.0", Identifier: "Apache-2.0"}
	config.Servers = []*huma.Server{{URL: "http://127.0.0.1:8433",
		Description: "As it is made; urbo serve prints another address as its first line"}}
	// the document is served below, to callers only
	config.OpenAPIPath, config.DocsPath, config.SchemasPath = "", "", ""
	config.CreateHooks = nil // no $schema links in answers
	config.Components.SecuritySchemes = map[string]*huma.SecurityScheme{
		"token": {Type: "http", Scheme: "bearer"},
		"session": {Type: "apiKey", In: "cookie", Name: sessionCookie,
			Description: "The house's id stands behind the name."},
	}
	a.huma = humachi.New(r, config)
	a.access()
	a.people()
	a.rooms()
	a.houseFacts()
	a.groups()
	a.sequences()
	a.phrases()
	a.speech()
	a.hooks(r)
	a.things(r, o.MQTT)
	a.assistants(r)
	a.faces(o.Discovery)
	a.requests()
	a.agendas()
	if o.MQTT != nil {
		a.mqtt(o.MQTT)
	}
	a.occasions()
	a.errands()
	a.boards()
	a.history()
	a.devices()
	a.beliefs()
	a.lessons()
	a.shelf()
	a.auditions()
	a.signals()
	a.stations()
	a.dialIn(r, o.Door)
	a.bench()
	a.packs()
	a.backup()
	a.events()
	for _, f := range o.Faces {
		a.parts = append(a.parts, f.Part)
		f.Register(a)
	}
	document, err := a.huma.OpenAPI().MarshalJSON()
	if err != nil {
		panic(err) // the document is made of this package's own types
	}
	r.With(needs(grant.See)).Get("/api/openapi.json", func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Type", "application/openapi+json")
		_, _ = w.Write(document)
	})
	figures := promhttp.HandlerFor(a.house.Metrics.Figures(), promhttp.HandlerOpts{})
	r.With(needs(grant.See)).Get("/metrics", func(w http.ResponseWriter, r *http.Request) {
		if err := Caller(r.Context()).Grant.May(grant.See); err != nil { // they are of the whole house
			writeProblem(w, statusOf(err), err.Error())
			return
		}
		figures.ServeHTTP(w, r)
	})
	r.With(needs(grant.See)).NotFound(func(w http.ResponseWriter, r *http.Request) { console(w, r) })
}

// operation describes one call: method, path, what it does, and the right it needs ("" is open to everybody), where.
type operation struct {
	method, path, id, summary string
	right                     grant.Right
	where                     where
	status                    int // of success; 0 is 200, or 204 where there is no answer
}

// describe turns an operation into huma's.
func (o operation) describe(a *API) huma.Operation {
	h := huma.Operation{Method: o.method, Path: "/api" + o.path, OperationID: o.id, Summary: o.summary,
		DefaultStatus: o.status, MaxBodyBytes: 1 << 20, BodyReadTimeout: -1, // timedBody has one
		Errors: []int{http.StatusBadRequest, http.StatusUnauthorized, http.StatusForbidden, http.StatusNotFound,
			http.StatusConflict}}
	if (o.right == "") != (o.where == "") {
		panic(o.id + " does not say which right it needs, and where")
	}
	a.operations = append(a.operations, o)
	if o.right != "" {
		h.Description = fmt.Sprintf("Needs the right to %s, for %s.", o.right, o.where)
		h.Security = []map[string][]string{{"token": {}}, {"session": {}}}
		h.Middlewares = huma.Middlewares{func(ctx huma.Context, next func(huma.Context)) {
			if err := a.allowed(ctx, o); err != nil {
				_ = huma.WriteErr(a.huma, ctx, statusOf(err), err.Error())
				return
			}
			next(ctx)
		}}
	}
	return h
}

// answer wraps a body for huma.
type answer[T any] struct{ Body T }

// call registers an operation whose handler gets the request's parts and returns the answer's body.
func call[In, Out any](a *API, o operation, f func(context.Context, *In) (Out, error)) {
	huma.Register(a.huma, o.describe(a), func(ctx context.Context, in *In) (*answer[Out], error) {
		out, err := f(ctx, in)
		if err != nil {
			return nil, problem(err)
		}
		return &answer[Out]{out}, nil
	})
}

// nothing is the input of operations that take none.
type nothing struct{}
