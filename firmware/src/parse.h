// Reading of messages, byte by byte: what is passed over is never in memory, and the durations of a send go where they
// are played from.
#pragma once

#include <stdbool.h>
#include <stdint.h>

#include "player.h"

enum { T_NONE, T_SEND, T_HOLD, T_CANCEL, T_PING, T_WHO, T_OTHER };

// A message, as far as it has come in.
struct message {
	uint8_t type;
	char id[ID_SIZE];
	bool id_too_long;
	int8_t port; // a medium; -1 is none that is here
	uint32_t carrier, gap, lease; // Hz, µs, ms
	uint16_t repeats;
	struct part once, repeat, last;
	bool spoilt;    // a number cannot be read
	bool too_long;  // it has too many durations, or too long ones
	bool no_room;   // it does not fit beside what is on the air
	bool too_many;  // it has too many different durations
	bool too_short; // a duration is shorter than can be played
	bool long_mark; // a mark is longer than a transmitter may be on
};

extern struct message in;

enum { GOES_ON, EMPTY, WHOLE, UNREADABLE };

// parse_begin is called before each message.
void parse_begin(void);

// parse_byte takes the next byte, and says whether the message has ended with it, and how.
uint8_t parse_byte(uint8_t c);
