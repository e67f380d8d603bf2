// Package assistant is how assistants from outside are linked (OAuth 2.0, as RFC 9700 asks): an authorization code with
// PKCE, tokens that rotate, revocation. The protocol is a library's; what it decides by is service/assistants. It is
// narrower than that library: see Handler.
package assistant

import (
	"encoding/json"
	"net/http"
	"net/url"
	"strings"

	"github.com/zitadel/oidc/v3/pkg/oidc"
	"github.com/zitadel/oidc/v3/pkg/op"

	"urbo/service/assistants"
)

// Paths of the face. The page on which somebody says yes or no is the console's.
const (
	AuthorizePath = "/assistant/authorize"
	TokenPath     = "/assistant/token"
	RevokePath    = "/assistant/revoke"
	MetadataPath  = "/.well-known/oauth-authorization-server"
	ConsentPath   = "/link?request="
)

// mostBody is the longest request of an assistant.
const mostBody = 16 << 10

// Provider lets assistants be linked.
type Provider struct {
	issuer string
	op     *op.Provider
}

// New makes the provider of a house at an address.
func New(all *assistants.Assistants, address string, rooms func(slug string) (string, error)) (*Provider, error) {
	issuer := strings.TrimSuffix(address, "/")
	s, err := newStorage(all, rooms, ConsentPath)
	if err != nil {
		return nil, err
	}
	p, err := op.NewProvider(&op.Config{CodeMethodS256: true, GrantTypeRefreshToken: true}, s, op.StaticIssuer(issuer),
		op.WithAllowInsecure(), op.WithCrypto(plainly{}))
	return &Provider{issuer, p}, err
}

// Answer is the address that somebody is sent back to with a code, or, where it is "", because they said no.
func (p *Provider) Answer(r assistants.Request, code string) (string, error) {
	u, err := url.Parse(r.Redirect)
	if err != nil {
		return "", err
	}
	q := u.Query()
	if code != "" {
		q.Set("code", code)
	} else {
		q.Set("error", "access_denied")
	}
	if r.State != "" {
		q.Set("state", r.State)
	}
	q.Set("iss", p.issuer)
	u.RawQuery = q.Encode()
	return u.String(), nil
}

// Authorize begins a link: it leads to the page on which somebody says yes or no.
func (p *Provider) Authorize(w http.ResponseWriter, r *http.Request) {
	r.Body = http.MaxBytesReader(w, r.Body, mostBody)
	if r.Method != http.MethodGet {
		w.Header().Set("Allow", http.MethodGet)
		http.Error(w, "A link begins with GET.", http.StatusMethodNotAllowed)
		return
	}
	q := r.URL.Query()
	if q.Get("response_mode") != "" && q.Get("response_mode") != "query" { // nothing is posted from a page of ours
		http.Error(w, "The answer comes in the address: leave response_mode out.", http.StatusBadRequest)
		return
	}
	op.Authorize(&withIssuer{w, p.issuer}, r.WithContext(op.ContextWithIssuer(r.Context(), p.issuer)), p.op)
}

// withIssuer says in answers to the assistant who they are from (RFC 9207).
type withIssuer struct {
	http.ResponseWriter
	issuer string
}

// WriteHeader adds the issuer where somebody is sent back to the assistant.
func (w *withIssuer) WriteHeader(status int) {
	if u, err := url.Parse(w.Header().Get("Location")); err == nil && u.IsAbs() && status/100 == 3 {
		q := u.Query()
		q.Set("iss", w.issuer)
		u.RawQuery = q.Encode()
		w.Header().Set("Location", u.String())
	}
	w.ResponseWriter.WriteHeader(status)
}

// Token gives tokens for a code, or for the token that gets the next ones. Nothing else is taken.
func (p *Provider) Token(w http.ResponseWriter, r *http.Request) {
	r.Body = http.MaxBytesReader(w, r.Body, mostBody)
	w.Header().Set("Cache-Control", "no-store")
	switch r.FormValue("grant_type") {
	case string(oidc.GrantTypeCode), string(oidc.GrantTypeRefreshToken), "":
		op.Exchange(&withoutIdentity{ResponseWriter: w}, r.WithContext(op.ContextWithIssuer(r.Context(), p.issuer)),
			p.op)
	default:
		op.RequestError(w, r, oidc.ErrUnsupportedGrantType(), nil)
	}
}

// withoutIdentity leaves out the id token that the library makes: it is about nobody.
type withoutIdentity struct {
	http.ResponseWriter
	failed bool
}

// WriteHeader notes a failure.
func (w *withoutIdentity) WriteHeader(status int) {
	w.failed = status >= http.StatusBadRequest
	w.ResponseWriter.WriteHeader(status)
}

// Write writes an answer, which comes in one piece.
func (w *withoutIdentity) Write(data []byte) (int, error) {
	var answer map[string]any
	if w.failed || json.Unmarshal(data, &answer) != nil || answer["access_token"] == nil {
		return w.ResponseWriter.Write(data)
	}
	delete(answer, "id_token")
	delete(answer, "scope")
	short, err := json.Marshal(answer)
	if err != nil {
		return 0, err
	}
	if _, err := w.ResponseWriter.Write(short); err != nil {
		return 0, err
	}
	return len(data), nil
}

// Revoke ends a link (RFC 7009).
func (p *Provider) Revoke(w http.ResponseWriter, r *http.Request) {
	r.Body = http.MaxBytesReader(w, r.Body, mostBody)
	w.Header().Set("Cache-Control", "no-store")
	if r.Method != http.MethodPost {
		w.Header().Set("Allow", http.MethodPost)
		http.Error(w, "A token is revoked with POST.", http.StatusMethodNotAllowed)
		return
	}
	op.Revoke(w, r.WithContext(op.ContextWithIssuer(r.Context(), p.issuer)), p.op)
}

// Metadata says how to link an assistant (RFC 8414).
func (p *Provider) Metadata(w http.ResponseWriter, _ *http.Request) {
	w.Header().Set("Content-Type", "application/json")
	_ = json.NewEncoder(w).Encode(map[string]any{
		"issuer":                                p.issuer,
		"authorization_endpoint":                p.issuer + AuthorizePath,
		"token_endpoint":                        p.issuer + TokenPath,
		"revocation_endpoint":                   p.issuer + RevokePath,
		"response_types_supported":              []string{"code"},
		"response_modes_supported":              []string{"query"},
		"grant_types_supported":                 []string{"authorization_code", "refresh_token"},
		"code_challenge_methods_supported":      []string{"S256"},
		"token_endpoint_auth_methods_supported": []string{"client_secret_basic"},
		"scopes_supported": []string{assistants.ScopeSee, assistants.ScopeUse,
			assistants.ScopeStay},
		"authorization_response_iss_parameter_supported": true,
	})
}
