package assistant

import (
	"context"
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	jose "github.com/go-jose/go-jose/v4"
	"github.com/zitadel/oidc/v3/pkg/oidc"
	"github.com/zitadel/oidc/v3/pkg/op"

	"urbo/service/assistants"
)

// subject is whom tokens are about: the house. Nobody's identity is given away.
const subject = "house"

// storage is how the library of OAuth sees the house's assistants. It implements op.Storage.
type storage struct {
	all   *assistants.Assistants
	rooms func(slug string) (string, error)
	login string // where somebody says yes or no, up to the request's id
	key   *ecdsa.PrivateKey
}

func newStorage(all *assistants.Assistants, rooms func(string) (string, error), login string) (*storage, error) {
	key, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	return &storage{all, rooms, login, key}, err
}

var errNotHere = errors.New("there is no such thing here")

// refused is an error as the library passes it on.
func refused(err error) error {
	return oidc.ErrInvalidGrant().WithParent(err).WithDescription("%s", err.Error())
}

// CreateAuthRequest notes what an assistant asks for.
func (s *storage) CreateAuthRequest(_ context.Context, r *oidc.AuthRequest, _ string) (op.AuthRequest, error) {
	if r.CodeChallengeMethod != oidc.CodeChallengeMethodS256 {
		r.CodeChallenge = ""
	}
	one, err := s.all.Ask(assistants.Request{Client: r.ClientID, Redirect: r.RedirectURI, State: r.State,
		Challenge: r.CodeChallenge, Scopes: slices.Clone(r.Scopes)}, s.rooms)
	if err != nil {
		return nil, oidc.ErrInvalidRequest().WithDescription("%s", err.Error()).WithParent(err)
	}
	return request{one}, nil
}

// AuthRequestByID is a request that is to be answered.
func (s *storage) AuthRequestByID(_ context.Context, id string) (op.AuthRequest, error) {
	one, err := s.all.Asked(id)
	return request{one}, err
}

// AuthRequestByCode takes a code.
func (s *storage) AuthRequestByCode(ctx context.Context, code string) (op.AuthRequest, error) {
	one, err := s.all.Use(ctx, code)
	return request{one}, err
}

// SaveAuthCode is not used: codes are made where a request is answered.
func (s *storage) SaveAuthCode(context.Context, string, string) error { return errNotHere }

// DeleteAuthRequest does nothing: a code that was used is remembered, to notice when it comes again.
func (s *storage) DeleteAuthRequest(context.Context, string) error { return nil }

// CreateAccessToken makes the token of an assistant that does not stay.
func (s *storage) CreateAccessToken(ctx context.Context, r op.TokenRequest) (string, time.Time, error) {
	one, is := r.(request)
	if !is {
		return "", time.Time{}, errNotHere
	}
	token, _, expires, err := s.all.Begin(ctx, one.Request, false)
	if err != nil {
		err = refused(err)
	}
	return token, expires, err
}

// CreateAccessAndRefreshTokens makes the first tokens of an assistant that stays, or the next ones.
func (s *storage) CreateAccessAndRefreshTokens(ctx context.Context, r op.TokenRequest, current string) (token,
	next string, expires time.Time, err error) {
	switch one := r.(type) {
	case request:
		token, next, expires, err = s.all.Begin(ctx, one.Request, true)
	case *again:
		token, next, expires, err = s.all.Refresh(ctx, current)
	default:
		err = errNotHere
	}
	if err != nil {
		err = refused(err)
	}
	return token, next, expires, err
}

// TokenRequestByRefreshToken is the link that a token gets the next one of.
func (s *storage) TokenRequestByRefreshToken(ctx context.Context, refresh string) (op.RefreshTokenRequest, error) {
	l, err := s.all.Holder(ctx, refresh)
	if err != nil {
		return nil, refused(err)
	}
	return &again{l}, nil
}

// TerminateSession does nothing: there are none.
func (s *storage) TerminateSession(context.Context, string, string) error { return nil }

// RevokeToken ends the link of a token.
func (s *storage) RevokeToken(ctx context.Context, token, _, client string) *oidc.Error {
	if err := s.all.Revoke(ctx, token, client); err != nil {
		return oidc.ErrServerError().WithParent(err)
	}
	return nil
}

// GetRefreshTokenInfo says that a token that gets the next one is known by itself.
func (s *storage) GetRefreshTokenInfo(_ context.Context, _, token string) (string, string, error) {
	if !strings.Contains(token, ".") {
		return "", "", op.ErrInvalidRefreshToken
	}
	return subject, token, nil
}

// SigningKey signs what the library calls the id token, which nobody needs: it lives as long as the process.
func (s *storage) SigningKey(context.Context) (op.SigningKey, error) { return signing{s.key}, nil }

// SignatureAlgorithms are those of the key.
func (s *storage) SignatureAlgorithms(context.Context) ([]jose.SignatureAlgorithm, error) {
	return []jose.SignatureAlgorithm{jose.ES256}, nil
}

// KeySet is empty: nothing is verified by it.
func (s *storage) KeySet(context.Context) ([]op.Key, error) { return nil, nil }

// GetClientByClientID is an assistant.
func (s *storage) GetClientByClientID(_ context.Context, id string) (op.Client, error) {
	c, err := s.all.Client(id)
	return client{c, s.login}, err
}

// AuthorizeClientIDSecret checks an assistant's secret.
func (s *storage) AuthorizeClientIDSecret(_ context.Context, id, secret string) error {
	return s.all.CheckSecret(id, secret)
}

// SetUserinfoFromScopes gives nothing away.
func (s *storage) SetUserinfoFromScopes(context.Context, *oidc.UserInfo, string, string, []string) error {
	return nil
}

// SetUserinfoFromToken gives nothing away.
func (s *storage) SetUserinfoFromToken(context.Context, *oidc.UserInfo, string, string, string) error {
	return errNotHere
}

// SetIntrospectionFromToken gives nothing away.
func (s *storage) SetIntrospectionFromToken(context.Context, *oidc.IntrospectionResponse, string, string,
	string) error {
	return errNotHere
}

// GetPrivateClaimsFromScopes gives nothing away.
func (s *storage) GetPrivateClaimsFromScopes(context.Context, string, string, []string) (map[string]any, error) {
	return nil, nil
}

// GetKeyByIDAndClientID finds none: assistants have secrets.
func (s *storage) GetKeyByIDAndClientID(context.Context, string, string) (*jose.JSONWebKey, error) {
	return nil, errNotHere
}

// ValidateJWTProfileScopes finds none.
func (s *storage) ValidateJWTProfileScopes(context.Context, string, []string) ([]string, error) {
	return nil, errNotHere
}

// Health is fine.
func (s *storage) Health(context.Context) error { return nil }

// plainly is the library's way to write tokens: what the house made is what the assistant gets.
type plainly struct{}

// Encrypt gives the token of an id, which is the token itself.
func (plainly) Encrypt(s string) (string, error) {
	token, _, is := strings.Cut(s, ":")
	if !is {
		return "", fmt.Errorf("%w: codes are made where a request is answered", errNotHere)
	}
	return token, nil
}

// Decrypt gives the id of a token.
func (plainly) Decrypt(s string) (string, error) { return s + ":" + subject, nil }

// request is what an assistant asks for, as the library sees it.
type request struct{ assistants.Request }

// The methods of op.AuthRequest.
func (r request) GetID() string          { return r.ID }
func (r request) GetACR() string         { return "" }
func (r request) GetAMR() []string       { return nil }
func (r request) GetAudience() []string  { return []string{r.Client} }
func (r request) GetAuthTime() time.Time { return r.At }
func (r request) GetClientID() string    { return r.Client }
func (r request) GetCodeChallenge() *oidc.CodeChallenge {
	return &oidc.CodeChallenge{Challenge: r.Challenge, Method: oidc.CodeChallengeMethodS256}
}
func (r request) GetNonce() string                   { return "" }
func (r request) GetRedirectURI() string             { return r.Redirect }
func (r request) GetResponseType() oidc.ResponseType { return oidc.ResponseTypeCode }
func (r request) GetResponseMode() oidc.ResponseMode { return oidc.ResponseModeQuery }
func (r request) GetScopes() []string                { return r.Scopes }
func (r request) GetState() string                   { return r.State }
func (r request) GetSubject() string                 { return subject }
func (r request) Done() bool                         { return r.Request.Done }

// again is a link that gets its next tokens, as the library sees it.
type again struct{ assistants.Link }

// The methods of op.RefreshTokenRequest.
func (l *again) GetAMR() []string          { return nil }
func (l *again) GetAudience() []string     { return []string{l.Client} }
func (l *again) GetAuthTime() time.Time    { return l.Made }
func (l *again) GetClientID() string       { return l.Client }
func (l *again) GetScopes() []string       { return []string{assistants.ScopeStay} }
func (l *again) GetSubject() string        { return subject }
func (l *again) SetCurrentScopes([]string) {}

// client is an assistant, as the library sees it.
type client struct {
	assistants.Client
	login string
}

// The methods of op.Client.
func (c client) GetID() string                       { return c.ID }
func (c client) RedirectURIs() []string              { return c.Redirects }
func (c client) PostLogoutRedirectURIs() []string    { return nil }
func (c client) ApplicationType() op.ApplicationType { return op.ApplicationTypeWeb }
func (c client) AuthMethod() oidc.AuthMethod         { return oidc.AuthMethodBasic }
func (c client) ResponseTypes() []oidc.ResponseType {
	return []oidc.ResponseType{oidc.ResponseTypeCode}
}
func (c client) LoginURL(id string) string            { return c.login + id }
func (c client) AccessTokenType() op.AccessTokenType  { return op.AccessTokenTypeBearer }
func (c client) IDTokenLifetime() time.Duration       { return time.Minute }
func (c client) DevMode() bool                        { return false }
func (c client) IDTokenUserinfoClaimsAssertion() bool { return false }
func (c client) ClockSkew() time.Duration             { return 0 }
func (c client) GrantTypes() []oidc.GrantType {
	return []oidc.GrantType{oidc.GrantTypeCode, oidc.GrantTypeRefreshToken}
}
func (c client) RestrictAdditionalIdTokenScopes() func([]string) []string {
	return func([]string) []string { return nil }
}
func (c client) RestrictAdditionalAccessTokenScopes() func([]string) []string {
	return func(s []string) []string { return s }
}
func (c client) IsScopeAllowed(scope string) bool {
	return scope == assistants.ScopeSee || scope == assistants.ScopeUse || strings.HasPrefix(scope,
		assistants.ScopeRoom)
}

// signing is the key as the library sees it.
type signing struct{ key *ecdsa.PrivateKey }

// The methods of op.SigningKey.
func (s signing) SignatureAlgorithm() jose.SignatureAlgorithm { return jose.ES256 }
func (s signing) Key() any                                    { return s.key }
func (s signing) ID() string                                  { return "1" }
