// Package standin is a small assistant, of the kind that listens elsewhere: a web page that is linked to a house by
// OAuth 2.0, lists what is there, and passes on what somebody writes. It stands in for the real ones in the demo and in
// tests, and speaks to the house only as those do.
package standin

import (
	"bytes"
	"context"
	"crypto/rand"
	_ "embed"
	"encoding/json"
	"errors"
	"fmt"
	"html/template"
	"io"
	"log/slog"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"sync"
	"time"

	"golang.org/x/oauth2"
)

// Config of the stand-in.
type Config struct {
	House          string // address of the house
	Client, Secret string
	Address        string // of the stand-in itself, which people are sent back to
	Rooms          []string
}

// LinkedPath is where people are sent back to.
const LinkedPath = "/linked"

// patience is how long the house may take, and mostAnswer how much of its answers is read.
const (
	patience   = 20 * time.Second
	mostAnswer = 4 << 20
)

// Assistant is the stand-in.
type Assistant struct {
	Config
	oauth oauth2.Config

	mu       sync.Mutex
	state    string // of the link that is begun
	verifier string
	token    *oauth2.Token
	said     string // what came of what was said last
}

// New makes the stand-in, which is not linked yet.
func New(c Config) *Assistant {
	scopes := []string{"see", "use", "offline_access"}
	for _, r := range c.Rooms {
		scopes = append(scopes, "room:"+r)
	}
	return &Assistant{Config: c, oauth: oauth2.Config{ClientID: c.Client, ClientSecret: c.Secret, Scopes: scopes,
		RedirectURL: c.Address + LinkedPath, Endpoint: oauth2.Endpoint{AuthURL: c.House + "/assistant/authorize",
			TokenURL: c.House + "/assistant/token", AuthStyle: oauth2.AuthStyleInHeader}}}
}

// Handler serves its page.
func (a *Assistant) Handler() http.Handler {
	m := http.NewServeMux()
	m.HandleFunc("GET /{$}", a.page)
	m.HandleFunc("POST /begin", a.begin)
	m.HandleFunc("GET "+LinkedPath, a.linked)
	m.HandleFunc("POST /say", a.say)
	m.HandleFunc("POST /unlink", a.unlink)
	return http.NewCrossOriginProtection().Handler(m)
}

// begin leads to the house.
func (a *Assistant) begin(w http.ResponseWriter, r *http.Request) {
	a.mu.Lock()
	a.state, a.verifier = rand.Text(), oauth2.GenerateVerifier()
	to := a.oauth.AuthCodeURL(a.state, oauth2.S256ChallengeOption(a.verifier))
	a.mu.Unlock()
	http.Redirect(w, r, to, http.StatusSeeOther)
}

// linked takes what the house sends back.
func (a *Assistant) linked(w http.ResponseWriter, r *http.Request) {
	q := r.URL.Query()
	a.mu.Lock()
	state, verifier := a.state, a.verifier
	a.state = ""
	a.mu.Unlock()
	var token *oauth2.Token
	err := errors.New("nobody began this link here: begin again")
	switch {
	case state == "" || q.Get("state") != state:
	case q.Get("iss") != a.House:
		err = fmt.Errorf("the answer is from another house, %.80q", q.Get("iss"))
	case q.Get("error") != "":
		err = fmt.Errorf("the house said no: %.80s", q.Get("error"))
	default:
		ctx, end := context.WithTimeout(r.Context(), patience)
		defer end()
		token, err = a.oauth.Exchange(ctx, q.Get("code"), oauth2.VerifierOption(verifier))
	}
	a.mu.Lock()
	if err != nil {
		a.said = "Not linked: " + err.Error()
	} else {
		a.token, a.said = token, "Linked."
	}
	a.mu.Unlock()
	http.Redirect(w, r, "/", http.StatusSeeOther)
}

// call calls the house as whoever it is linked as. Tokens that are worn out are changed for the next ones.
func (a *Assistant) call(ctx context.Context, method, path string, in, out any) error {
	a.mu.Lock()
	defer a.mu.Unlock()
	if a.token == nil {
		return errors.New("it is not linked")
	}
	ctx, end := context.WithTimeout(ctx, patience)
	defer end()
	token, err := a.oauth.TokenSource(ctx, a.token).Token()
	if err != nil {
		a.token = nil
		return fmt.Errorf("the house does not know this link any more: %w", err)
	}
	a.token = token
	body := io.Reader(http.NoBody)
	if in != nil {
		data, err := json.Marshal(in)
		if err != nil {
			return err
		}
		body = bytes.NewReader(data)
	}
	req, err := http.NewRequestWithContext(ctx, method, a.House+path, body)
	if err != nil {
		return err
	}
	req.Header.Set("Content-Type", "application/json")
	token.SetAuthHeader(req)
	resp, err := http.DefaultClient.Do(req)
	if err != nil {
		return err
	}
	defer resp.Body.Close()
	data, err := io.ReadAll(io.LimitReader(resp.Body, mostAnswer))
	if err != nil {
		return err
	}
	if resp.StatusCode == http.StatusUnauthorized {
		a.token = nil
	}
	if resp.StatusCode >= http.StatusBadRequest {
		var p struct{ Detail string }
		_ = json.Unmarshal(data, &p)
		return fmt.Errorf("%s: %s", resp.Status, p.Detail)
	}
	if out == nil {
		return nil
	}
	return json.Unmarshal(data, out)
}

// say passes on what somebody wrote.
func (a *Assistant) say(w http.ResponseWriter, r *http.Request) {
	var done struct{ Does, Words, Question, Trouble string }
	err := a.call(r.Context(), http.MethodPost, "/api/phrase", map[string]any{"text": r.FormValue("text"), "act": true},
		&done)
	said := done.Words
	if err != nil {
		said = err.Error()
	}
	a.mu.Lock()
	a.said = said
	a.mu.Unlock()
	http.Redirect(w, r, "/", http.StatusSeeOther)
}

// unlink ends the link at the house.
func (a *Assistant) unlink(w http.ResponseWriter, r *http.Request) {
	a.mu.Lock()
	token := a.token
	a.token, a.said = nil, "The link is ended."
	a.mu.Unlock()
	if token != nil {
		ctx, end := context.WithTimeout(r.Context(), patience)
		defer end()
		form := url.Values{"token": {token.RefreshToken}, "token_type_hint": {"refresh_token"}}
		if req, err := http.NewRequestWithContext(ctx, http.MethodPost, a.House+"/assistant/revoke",
			strings.NewReader(form.Encode())); err == nil {
			req.Header.Set("Content-Type", "application/x-www-form-urlencoded")
			req.SetBasicAuth(url.QueryEscape(a.Client), url.QueryEscape(a.Secret))
			if resp, err := http.DefaultClient.Do(req); err == nil {
				_ = resp.Body.Close()
			}
		}
	}
	http.Redirect(w, r, "/", http.StatusSeeOther)
}

// thing is a device, as far as the page shows it.
type thing struct {
	Title      string
	Properties map[string]struct{ ReadOnly bool }
}

// Controls are the names of what can be set.
func (t thing) Controls() string {
	var out []string
	for name, p := range t.Properties {
		if !p.ReadOnly {
			out = append(out, name)
		}
	}
	slices.Sort(out)
	return strings.Join(out, ", ")
}

// page shows whether it is linked, and what is there.
func (a *Assistant) page(w http.ResponseWriter, r *http.Request) {
	var things []thing
	err := a.call(r.Context(), http.MethodGet, "/api/things", nil, &things)
	a.mu.Lock()
	view := map[string]any{"Linked": a.token != nil, "Said": a.said, "Things": things, "House": a.House}
	if err != nil && a.token != nil {
		view["Said"] = err.Error()
	}
	a.mu.Unlock()
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	w.Header().Set("Content-Security-Policy", "default-src 'none'; style-src 'unsafe-inline'; frame-ancestors 'none'")
	if err := html.Execute(w, view); err != nil {
		slog.Error("the stand-in's page", "error", err)
	}
}

//go:embed page.html
var pageText string

var html = template.Must(template.New("page").Parse(pageText))
