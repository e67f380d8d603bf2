package api

import (
	"context"
	"net/http"

	"urbo/core/grant"
	"urbo/service/requests"
	"urbo/wire"
)

// RequestIn names a request in a path.
type RequestIn struct {
	Request string `path:"request" maxLength:"40"`
}

// requests registers where errands send something.
func (a *API) requests() {
	all := a.house.Requests
	call(a, operation{"GET", "/requests", "list-requests", "Where errands send something (send NAME)", grant.Keep,
		wholeHouse, 0}, func(context.Context, *nothing) ([]wire.Request, error) {
		return list(all.List(), requestOf), nil
	})
	call(a, operation{"POST", "/requests", "put-request", "Make a request, also in the place of one of its name",
		grant.Keep, wholeHouse, http.StatusCreated},
		func(ctx context.Context, in *struct{ Body wire.Request }) (wire.Request, error) {
			return as(requestOf)(all.Put(ctx, requests.Request{Name: in.Body.Name, URL: in.Body.URL,
				Method: in.Body.Method, Token: in.Body.Token}, asking(ctx)))
		})
	call(a, operation{"POST", "/requests/{request}/send", "send-request", "Send a request now, and wait for its answer",
		grant.Keep, wholeHouse, 0}, func(ctx context.Context, in *struct {
		RequestIn
		Body *wire.RequestText `required:"false"`
	}) (wire.Request, error) {
		text := ""
		if in.Body != nil {
			text = in.Body.Text
		}
		if err := all.Send(ctx, in.Request, text); err != nil {
			return wire.Request{}, err
		}
		return as(requestOf)(all.Find(in.Request))
	})
	remove(a, operation{method: "DELETE", path: "/requests/{request}", id: "remove-request",
		summary: "Remove a request", right: grant.Keep, where: wholeHouse},
		func(ctx context.Context, in *RequestIn) error { return all.Remove(ctx, in.Request, asking(ctx)) })
}

func requestOf(r requests.Request) wire.Request {
	return wire.Request{Name: r.Name, URL: r.URL, Method: r.Method, HasToken: r.Token != "", Last: wire.Time(r.Last),
		Error: r.Error}
}
