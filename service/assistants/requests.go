package assistants

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"urbo/core/grant"
	"urbo/service/access"
	"urbo/store"
)

// Scopes that an assistant may ask for, beside the rooms.
const (
	ScopeSee, ScopeUse, ScopeStay = "see", "use", "offline_access"
	// ScopeRoom begins the scope of a room, by its slug; without one it is the whole house.
	ScopeRoom = "room:"
)

// Ask notes what an assistant asks for. rooms gives the id of a room by its slug. Errors wrap ErrAssistant.
func (a *Assistants) Ask(r Request, rooms func(slug string) (string, error)) (Request, error) {
	if r.Challenge == "" {
		return r, fmt.Errorf("%w: it has to send a code_challenge with the method S256", ErrAssistant)
	}
	for _, s := range r.Scopes {
		switch room, isRoom := strings.CutPrefix(s, ScopeRoom); {
		case s == ScopeSee:
			r.Rights = append(r.Rights, grant.See)
		case s == ScopeUse:
			r.Rights = append(r.Rights, grant.Use)
		case isRoom:
			id, err := rooms(room)
			if err != nil {
				return r, fmt.Errorf("%w: it asks for a room that is not here", ErrAssistant)
			}
			r.Rooms = append(r.Rooms, id)
		}
	}
	if slices.Contains(r.Rights, grant.Use) && !slices.Contains(r.Rights, grant.See) {
		r.Rights = append(r.Rights, grant.See) // what is used is seen
	}
	if len(r.Rights) == 0 {
		return r, fmt.Errorf("%w: it asks for nothing: its scope has to have see or use", ErrAssistant)
	}
	r.ID, r.At = access.NewSecret(), a.Now()
	a.mu.Lock()
	defer a.mu.Unlock()
	if len(a.requests) >= mostRequests { // the oldest gives way
		oldest := ""
		for id, o := range a.requests {
			if oldest == "" || o.At.Before(a.requests[oldest].At) {
				oldest = id
			}
		}
		delete(a.requests, oldest)
	}
	a.requests[r.ID] = &r
	return r, nil
}

// Asked is a request that is to be answered. The error wraps ErrNoRequest.
func (a *Assistants) Asked(id string) (Request, error) {
	a.mu.Lock()
	defer a.mu.Unlock()
	r := a.requests[id]
	if r == nil || a.Now().Sub(r.At) > RequestLife {
		return Request{}, ErrNoRequest
	}
	return *r, nil
}

// Answer answers a request once: yes, with the rights and the part of the house that were said, or no. The code that
// the assistant gets where it is yes comes back.
func (a *Assistants) Answer(id string, yes bool, rights []grant.Right, where grant.Where, by grant.By) (r Request,
	code string, err error) {
	a.mu.Lock()
	defer a.mu.Unlock()
	one := a.requests[id]
	if one == nil || a.Now().Sub(one.At) > RequestLife || one.Done {
		return r, "", ErrNoRequest
	}
	if !yes {
		delete(a.requests, id)
		return *one, "", nil
	}
	if len(rights) == 0 || where.Empty() || slices.ContainsFunc(rights, func(x grant.Right) bool {
		return !slices.Contains(one.Rights, x)
	}) {
		return r, "", fmt.Errorf("%w: say which of what it asks for it may do, and where", ErrAssistant)
	}
	code = access.NewSecret()
	one.Done, one.code, one.coded = true, access.HashOf(code), a.Now()
	one.Link = Link{ID: store.NewID(), Client: one.Client, By: by.String(), Rights: rights, Where: where}
	if by.Kind == grant.Person {
		one.Link.Person = by.ID
	}
	return *one, code, nil
}

// Use takes a code, once, within a minute. A code that comes again ends the link that was made of it.
func (a *Assistants) Use(ctx context.Context, code string) (Request, error) {
	a.mu.Lock()
	var one *Request
	for _, r := range a.requests {
		if r.Done && same(r.code, code) {
			one = r
		}
	}
	switch {
	case one == nil || a.Now().Sub(one.coded) > CodeLife && !one.used:
		a.mu.Unlock()
		return Request{}, fmt.Errorf("%w: its code is unknown, or too old", ErrRefused)
	case one.used:
		one.revoked = true
		link, name := one.Link.ID, a.nameOf(one.Client)
		a.mu.Unlock()
		a.say(grant.TheHouse("assistant"), "The code of a link of the assistant "+name+" was used twice, so the link "+
			"is ended: "+
			"somebody may have listened")
		return Request{}, joined(fmt.Errorf("%w: its code was used before", ErrRefused), a.end(ctx, link))
	}
	one.used = true
	r := *one
	a.mu.Unlock()
	return r, nil
}

func joined(err, other error) error {
	if other != nil {
		return fmt.Errorf("%w; %w", err, other)
	}
	return err
}

// Begin makes the link of a request whose code was used, and gives what the assistant holds from now on.
func (a *Assistants) Begin(ctx context.Context, r Request, stays bool) (token, refresh string, expires time.Time,
	err error) {
	a.writer.Lock()
	defer a.writer.Unlock()
	a.mu.Lock()
	one := a.requests[r.ID]
	over := one == nil || one.revoked
	a.mu.Unlock()
	if over {
		return "", "", time.Time{}, fmt.Errorf("%w: its code was used twice", ErrRefused)
	}
	l := r.Link
	if len(a.doc.Get().Links) >= mostLinks {
		return "", "", time.Time{}, fmt.Errorf("%w: there are %d links, which is the most: end one", ErrAssistant,
			mostLinks)
	}
	next := ""
	if stays {
		next = access.NewSecret()
		l.Refresh, refresh = access.HashOf(next), l.ID+"."+next
	}
	made, token, err := a.token(ctx, l)
	if err != nil {
		return "", "", time.Time{}, err
	}
	l.Token, l.Made = made, a.Now()
	l.Expires = a.Now().Add(TokenLife)
	if _, _, err = a.doc.Change(ctx, func(all list) (list, error) {
		return list{all.Clients, append(slices.Clip(all.Links), l)}, nil
	}); err != nil {
		return "", "", time.Time{}, joined(err, a.Access.DropToken(ctx, made))
	}
	a.say(grant.By{Actor: grant.Actor{ID: l.Person, Kind: grant.Person, Name: l.By}}, "Linked the assistant "+
		a.nameOf(l.Client)+" ("+grant.RightsText(l.Rights)+")")
	a.soon()
	return token, refresh, l.Expires, nil
}

// soon lets Run look at what expires when.
func (a *Assistants) soon() {
	select {
	case a.changed <- struct{}{}:
	default:
	}
}

// token makes the token that an assistant holds.
func (a *Assistants) token(ctx context.Context, l Link) (id, token string, err error) {
	by := grant.By{}
	if l.Person != "" {
		by = grant.By{Actor: grant.Actor{ID: l.Person, Kind: grant.Person}}
	}
	t, token, err := a.Access.AddToken(ctx, access.NewToken{Name: "assistant " + a.nameOf(l.Client) + " " +
		store.NewID(),
		Rights: l.Rights, Where: l.Where, Quiet: true}, by)
	return t.ID, token, err
}

// Holder is the link of a token that gets the next one. One that was good before ends the link: somebody else has it,
// too. The error wraps ErrRefused.
func (a *Assistants) Holder(ctx context.Context, refresh string) (Link, error) {
	id, next, _ := strings.Cut(refresh, ".")
	l, err := a.link(id)
	switch {
	case err != nil || l.Refresh == "":
		return Link{}, fmt.Errorf("%w: it is not linked", ErrRefused)
	case !same(l.Refresh, next):
		a.say(grant.TheHouse("assistant"), "An old token of the assistant "+a.nameOf(l.Client)+" came again, so its "+
			"link is "+
			"ended: somebody may have copied it")
		return Link{}, joined(fmt.Errorf("%w: this token was used before", ErrRefused), a.end(ctx, id))
	case l.Person != "" && !a.stillOwner(l.Person):
		return Link{}, joined(fmt.Errorf("%w: who linked it is no owner any more", ErrRefused), a.end(ctx, id))
	}
	return l, nil
}

func (a *Assistants) stillOwner(person string) bool {
	return slices.ContainsFunc(a.Access.People(), func(p access.Person) bool {
		return p.ID == person && p.Role == grant.Owner
	})
}

// Refresh gives an assistant its next tokens; the ones before are worthless. The error wraps ErrRefused.
func (a *Assistants) Refresh(ctx context.Context, refresh string) (token, nextRefresh string, expires time.Time,
	err error) {
	l, err := a.Holder(ctx, refresh)
	if err != nil {
		return "", "", time.Time{}, err
	}
	a.writer.Lock()
	defer a.writer.Unlock()
	_, next, _ := strings.Cut(refresh, ".")
	if l, err = a.link(l.ID); err != nil || !same(l.Refresh, next) { // another request was first
		return "", "", time.Time{}, fmt.Errorf("%w: this token was used before", ErrRefused)
	}
	made, token, err := a.token(ctx, l)
	if err != nil {
		return "", "", time.Time{}, err
	}
	next = access.NewSecret()
	expires = a.Now().Add(TokenLife)
	if _, _, err = a.changeLink(ctx, l.ID, func(o *Link) {
		o.Refresh, o.Token, o.Expires = access.HashOf(next), made, expires
	}); err != nil {
		return "", "", time.Time{}, joined(err, a.Access.DropToken(ctx, made))
	}
	if l.Token != "" {
		if err := a.Access.DropToken(ctx, l.Token); err != nil {
			return "", "", time.Time{}, err
		}
	}
	a.soon()
	return token, l.ID + "." + next, expires, nil
}

// Revoke ends the link of what an assistant holds, of either kind. What it does not know is over already.
func (a *Assistants) Revoke(ctx context.Context, held, client string) error {
	id, next, isRefresh := strings.Cut(held, ".")
	var found Link
	if isRefresh {
		if l, err := a.link(id); err == nil && same(l.Refresh, next) {
			found = l
		}
	} else if c, err := a.Access.Token(ctx, held, ""); err == nil {
		for _, l := range a.doc.Get().Links {
			if l.Token == c.Door.ID {
				found = l
			}
		}
	}
	if found.ID == "" || found.Client != client {
		return nil
	}
	if err := a.end(ctx, found.ID); err != nil {
		return err
	}
	a.say(grant.TheHouse("assistant"), "The assistant "+a.nameOf(client)+" ended its link")
	return nil
}
