// What a board provides. Everything else of the firmware is the same on all of them: for another board, write one file
// with these functions, beside boards/atmega328p.c.
#pragma once

#include <stdbool.h>
#include <stdint.h>

// The ports: one receiver and one transmitter for each medium.
enum { INFRARED, RADIO, MEDIA };

// board_begin sets up clock, serial line, receivers and transmitters, and allows interrupts.
void board_begin(void);

// board_us is the clock in µs since the start. It wraps after 71 minutes.
uint32_t board_us(void);

// board_read takes the next byte that came in over the serial line; false where there is none.
bool board_read(uint8_t *byte);

// board_room is how many bytes can be written without waiting.
uint8_t board_room(void);

// board_write sends a byte over the serial line. It waits for room.
void board_write(uint8_t byte);

// board_play begins to play what player_next of a medium tells, from an interrupt at each edge. hz is the carrier of
// infrared.
void board_play(uint8_t medium, uint32_t hz);

// board_rest sleeps until something happens, about a millisecond at most.
void board_rest(void);

// board_lock keeps interrupts away until board_unlock gets what it returned.
uint8_t board_lock(void);
void board_unlock(uint8_t before);

// board_stop ends what a transmitter plays, whatever it was at.
void board_stop(uint8_t medium);

// BOARD_MODEL is the board in words. BOARD_FROM and BOARD_TO are the carriers that it can make, in Hz.
#define BOARD_MODEL "AVR board"
#define BOARD_FROM "32000"
#define BOARD_TO "60000"
#define BOARD_FROM_HZ 32000UL
#define BOARD_TO_HZ 60000UL

// The ports that are there, and the bands of receivers and radio; see the Makefile.
#ifndef IR_IN
#define IR_IN 1
#define IR_OUT 1
#define RADIO_IN 1
#define RADIO_OUT 1
#endif
#ifndef IR_IN_FROM
#define IR_IN_FROM 36000
#define IR_IN_TO 40000
#define RADIO_FROM 433670000
#define RADIO_TO 434170000
#endif
