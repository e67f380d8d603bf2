// A player holds what one transmitter plays: once, then repeat as often as it is asked to or held, then last, and then
// silence.
#pragma once

#include <stdbool.h>
#include <stdint.h>

#include "span.h"

#define POOL 208    // spans that can be kept for all transmitters together
#define LONGEST 200 // of one part
#define ID_SIZE 25  // of the id of a send, with the 0 at its end

struct part {
	uint16_t start, length; // in pool
};

enum { IDLE, PLAYING, PLAYED };

struct player {
	volatile uint8_t state;
	volatile bool held;   // it goes on repeating
	volatile bool ending; // it repeats no more
	uint32_t lease_end;   // of the holding, µs
	uint16_t repeats;     // that are left
	uint32_t gap;         // the least silence at the end, µs
	uint32_t started;     // µs
	volatile uint32_t ended;
	struct part once, repeat, last;
	char id[ID_SIZE];
	// where it is
	struct part now; // what is left of the part on the air
	uint8_t stage;
	span trailing; // the last space that was played
};

extern span pool[POOL];
extern struct player players[];

// player_begin makes a player ready, from its parts.
void player_begin(struct player *p);

// player_next tells how long the next mark or space lasts in µs. Where all was played it is 0, and the player is over.
// It is called from interrupts, when the one before has ended.
uint32_t player_next(struct player *p, bool *mark);
