package fault_test

import (
	"errors"
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"

	"urbo/core/fault"
)

func TestOf_IsTheOutermostKind(t *testing.T) {
	name, code := fault.New(fault.Invalid, "name"), fault.New(fault.Conflict, "code")
	assert.Equal(t, fault.Invalid, fault.Of(fmt.Errorf("add: %w: %w", name, code)))
	assert.Equal(t, fault.Conflict, fault.Of(fmt.Errorf("add: %w", fmt.Errorf("%w: %w", code, name))))
	assert.Equal(t, fault.None, fault.Of(errors.New("something")))
	assert.Equal(t, fault.None, fault.Of(nil))
}

func TestOf_AHouseThatIsNotInOrderCountsBeforeBadInput(t *testing.T) {
	full := fault.New(fault.Full, "the disk is full")
	assert.Equal(t, fault.Full, fault.Of(fmt.Errorf("%w: %w", fault.New(fault.Invalid, "name"), full)))
	assert.Equal(t, fault.Full, fault.Of(errors.Join(fault.New(fault.NotFound, "not there"), full)))
}

func TestGive_KeepsTextAndIdentity(t *testing.T) {
	other := errors.New("no such handset")
	given := fault.Give(fault.NotFound, fmt.Errorf("%w: lamp", other))
	assert.EqualError(t, given, "no such handset: lamp")
	assert.ErrorIs(t, given, other)
	assert.Equal(t, fault.NotFound, fault.Of(fmt.Errorf("press: %w", given)))
	assert.NoError(t, fault.Give(fault.NotFound, nil))
}
