// A player holds what one transmitter plays: once, then repeat as often as it is asked to or held, then last, and then
// silence.
#pragma once

#include <stdbool.h>
#include <stdint.h>

#include "span.h"

#define POOL 700    // durations that can be kept for all transmitters together
#define LONGEST 700 // of all parts of a send
#define LONGEST_MARK 200000UL // µs: no transmitter is on for longer
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
	volatile uint32_t due; // when the mark or space on the air ends, µs; the board says it at each edge
	// where it is
	struct part now; // what is left of the part on the air
	uint8_t stage;
	uint32_t trailing; // µs of the last space that was played
};

extern code pool[POOL];
extern struct player players[];

// player_begin makes a player ready, from its parts.
void player_begin(struct player *p);

// player_overdue says whether a mark or space should have ended long ago: the board lost its edge.
bool player_overdue(const struct player *p);

// player_next tells how long the next mark or space lasts in µs; 0 where all was played. It is called from interrupts.
uint32_t player_next(struct player *p, bool *mark);

// player_end is called when all that player_next told has left.
void player_end(struct player *p);
