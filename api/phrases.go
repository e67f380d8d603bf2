package api

import (
	"context"
	"net/http"

	"urbo/core/grant"
	"urbo/core/run"
	"urbo/service/phrases"
	"urbo/wire"
)

// NameIn names another name in a path.
type NameIn struct {
	Name string `path:"name" maxLength:"120"`
}

// phrases registers what is said to the house, and what things are called as well.
func (a *API) phrases() {
	all := a.house.Phrases
	call(a, operation{"POST", "/phrase", "say-phrase", "What something that is said means and costs; " +
		"with act, it is done",
		grant.Use, filtered, 0}, func(ctx context.Context, in *struct{ Body wire.Phrase }) (wire.Understood, error) {
		who := a.house.Speaker(asking(ctx), Caller(ctx).Grant)
		if !in.Body.Act {
			return as(a.understood(ctx))(all.Understand(ctx, in.Body.Text, who))
		}
		return as(a.understood(ctx))(all.Do(ctx, in.Body.Text, in.Body.Shown, who))
	})
	call(a, operation{"GET", "/names", "list-names", "What things are called as well", grant.See, filtered, 0},
		func(ctx context.Context, _ *nothing) ([]wire.OtherName, error) {
			out := []wire.OtherName{}
			for _, n := range all.Names() {
				if a.mayAbout(ctx, grant.See, a.house.ReachedBy(n.Of)) == nil {
					out = append(out, nameOf(n))
				}
			}
			return out, nil
		})
	call(a, operation{"POST", "/names", "add-name", "Give something another name, by which it can be spoken of",
		grant.Arrange, filtered, http.StatusCreated},
		func(ctx context.Context, in *struct{ Body wire.OtherName }) (wire.OtherName, error) {
			of, err := all.Find(in.Body.Of)
			if sight := a.sight(ctx); sight != nil {
				err = sight(in.Body.Of, of, err)
			}
			if err != nil {
				return wire.OtherName{}, err
			}
			return as(nameOf)(all.AddName(ctx, in.Body.Name, of, asking(ctx)))
		})
	remove(a, operation{method: "DELETE", path: "/names/{name}", id: "remove-name", summary: "Take another name away",
		right: grant.Arrange, where: filtered}, func(ctx context.Context, in *NameIn) error {
		return all.RemoveName(ctx, in.Name, func(of run.Target) error {
			about := a.house.ReachedBy(of)
			if a.mayAbout(ctx, grant.See, about) != nil {
				return phrases.ErrUnknownName
			}
			return a.mayAbout(ctx, grant.Arrange, about)
		}, asking(ctx))
	})
}

func nameOf(n phrases.Called) wire.OtherName {
	return wire.OtherName{Name: n.Name, Of: n.Of.Was, Kind: string(n.Of.Kind)}
}

// understood translates what becomes of a phrase.
func (a *API) understood(ctx context.Context) func(phrases.Answer) wire.Understood {
	return func(p phrases.Answer) wire.Understood {
		w := wire.Understood{Does: p.Does, Words: p.Words, Steps: p.Text, Errands: p.Errands, Presses: p.Presses,
			TakesMS: p.Takes.Milliseconds(), Trouble: p.Trouble, Question: p.Question}
		for _, c := range p.Choices {
			w.Choices = append(w.Choices, wire.Choice{Words: c.Words, Say: c.Say})
		}
		if p.Question != "" {
			w.Does = "question"
		}
		if p.Run != nil {
			r := a.runOf(ctx)(*p.Run)
			w.Run = &r
		}
		if p.Came != nil {
			came := cameOf(*p.Came)
			w.Came = &came
		}
		return w
	}
}
