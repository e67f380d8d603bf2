package service

import (
	"urbo/core/grant"
	"urbo/service/runs"
)

// RunSequence runs a sequence, by its slug; with follow, after one of the same that is under way. Errors are those of
// sequences.Find, sequences.Program and runs.Start.
func (h *House) RunSequence(slug string, follow bool, by grant.By, cause string) (runs.Run, error) {
	one, err := h.Sequences.Find(slug)
	if err != nil {
		return runs.Run{}, err
	}
	p, err := h.Sequences.Program(one)
	if err != nil {
		return runs.Run{}, err
	}
	return h.Runs.Start(runs.Order{Name: one.Slug, Of: one.ID, Program: p, By: by, Cause: cause, Follow: follow})
}

// RunHookSequence runs a sequence for a hook.
func (h *House) RunHookSequence(id string, by grant.By) error {
	_, err := h.RunSequence(id, true, by, "")
	return err
}
