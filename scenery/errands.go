package scenery

import (
	"context"
	"log/slog"
	"slices"

	"urbo/core/grant"
	"urbo/core/happening"
	"urbo/service"
	"urbo/service/boards"
)

// theErrands are what the observatory does by itself. Some are about the projector, which is not learned yet: these
// come when it is.
var theErrands = []string{
	"errand dusk when 10 min after dusk not after 22:30 do set (boardwalk/power on, boardwalk/colour amber) " +
		"if missed run within 2 h",
	"errand dry while dome/humidity above 85 % until 75 % do set dew/power to on afterwards set dew/power to off " +
		"if unknown end after 30 min",
	"errand close when at 02:30 do start closed-up if missed skip",
	"errand door when door/opened pressed only if sun down do set (boardwalk/power on, boardwalk/colour red) " +
		"for 10 min and back if busy stretch",
	"errand film when on 2026-12-05 at 20:10 do set radio/channel to 47",
	"errand lived-in when dusk give or take 20 min only if not marker guests-stay " +
		"do set boardwalk/power to on for 2 h and back",
	"errand warm when phrase \"talk in ten minutes\" do set heat-pump/target to 20 °C then wait 10 min " +
		"then start public-talk",
	"errand late when projector/power becomes on by person only if between 23:00 and 06:00 " +
		"do notify \"the projector is on\"",
	"errand off when projector/power becomes off for 10 min do set amplifier/power to off",
}

// Errands lets the observatory do things by itself, where it does nothing yet. What is about a device that is not
// learned comes when it is, as long as the context lasts.
func Errands(ctx context.Context, house *service.House) {
	if len(house.Errands.List()) > 0 {
		return
	}
	by := grant.Named("demo")
	add := func(text string) bool {
		_, err := house.Errands.Add(ctx, text, nil, by)
		return err == nil
	}
	left := slices.DeleteFunc(slices.Clone(theErrands), add)
	if one, err := house.Errands.Find("dry"); err == nil && one.Readable() {
		sections := dome(true)
		if _, err := house.Boards.Alter(ctx, "dome", boards.Change{Sections: &sections}, by); err != nil {
			slog.Warn("the board of the dome", "error", err)
		}
	}
	if len(left) == 0 {
		return
	}
	q := house.Stream.Subscribe()
	go func() {
		defer house.Stream.Leave(q)
		for len(left) > 0 {
			batch, err := q.Next(ctx)
			if err != nil {
				return
			}
			for _, h := range batch {
				if _, is := h.What.(happening.DeviceChanged); is {
					left = slices.DeleteFunc(left, add)
					break
				}
			}
		}
	}()
}
