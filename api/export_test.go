package api

import (
	"urbo/service"

	"github.com/go-chi/chi/v5"
)

// Operation is one call as it was registered.
type Operation struct{ Method, Path, ID, Right, Where string }

// Operations lists the calls of a house that need a right.
func Operations(house *service.House) (out []Operation) {
	a := &API{house: house, parts: []string{}}
	a.register(chi.NewRouter(), Options{})
	for _, o := range a.operations {
		if o.right != "" {
			out = append(out, Operation{o.method, o.path, o.id, string(o.right), string(o.where)})
		}
	}
	return out
}

// StatusOf is the status that an error is answered with.
var StatusOf = statusOf
