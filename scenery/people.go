package scenery

import (
	"context"
	"time"

	"urbo/core/grant"
	"urbo/service"
	"urbo/service/access"
)

// guestsFor is how long the link of the public night works.
const guestsFor = 30 * 24 * time.Hour

// letIn lets in who lives at the observatory and who speaks there, and makes a link for guests, whose code comes back.
func letIn(ctx context.Context, house *service.House, by grant.By) (string, error) {
	room, err := house.Rooms.Find("Lecture room")
	if err != nil {
		return "", err
	}
	night, err := house.Boards.Find("public-night")
	if err != nil {
		return "", err
	}
	const guests = "Guests of the public night"
	for _, p := range []access.NewPerson{
		{Name: "Warden", Role: grant.Resident, Where: grant.Everywhere},
		{Name: "Speaker", Role: grant.Visitor, Where: grant.Where{Rooms: []string{room.ID}}},
		{Name: guests, Role: grant.Guest, Where: grant.Where{Boards: []string{night.ID}},
			Until: time.Now().Add(guestsFor)},
	} {
		if _, err := house.Access.AddPerson(ctx, p, by); err != nil {
			return "", err
		}
	}
	_, code, _, err := house.Access.Link(ctx, guests, 5)
	return code, err
}
