// Durations as they are kept.
#pragma once

#include <stdbool.h>
#include <stdint.h>

// A span is a duration in 16 bits: up to 131 ms in steps of 4 µs, up to 2 s in steps of 64 µs.
typedef uint16_t span;

#define SPAN_LONGEST 2097088UL // µs

static inline span span_of(uint32_t us)
{
	if (us < 131070UL)
		return (us + 2) >> 2;
	if (us > SPAN_LONGEST)
		us = SPAN_LONGEST;
	return 0x8000 | (uint16_t)((us + 32) >> 6);
}

static inline uint32_t span_us(span s)
{
	return s & 0x8000 ? (uint32_t)(s & 0x7fff) << 6 : (uint32_t)s << 2;
}

// A pulse is a duration up to 20 ms in 8 bits, as a radio receiver hears it: in steps of 8 µs up to 1 ms, of 32 µs up to
// 3 ms, and of 268 µs.
typedef uint8_t pulse;

static inline pulse pulse_of(uint32_t us)
{
	if (us < 1024)
		return us >> 3;
	if (us < 3072)
		return 128 + ((us - 1024) >> 5);
	if (us >= 20000)
		return 255;
	return 192 + ((uint32_t)(uint16_t)(us - 3072) * 244 >> 16); // of 65536: by 268; a division would take 40 µs
}

static inline uint16_t pulse_us(pulse p)
{
	if (p < 128)
		return ((uint16_t)p << 3) + 4;
	if (p < 192)
		return 1024 + ((uint16_t)(p - 128) << 5) + 16;
	return 3072 + (uint16_t)(p - 192) * 268 + 134;
}

// A code is a duration of a send in 8 bits. A handset has few different durations: the first of them stand in a palette,
// and are played as they are. What comes on top is told by its octave and a sixteenth of that, within 3 %.
typedef uint8_t code;

#define PALETTE 24
#define OCTAVES_FROM 40 // µs

// code_begin empties the palette: nothing is kept that has codes.
void code_begin(void);

// code_of is the code of a duration; false where there is none that is near.
bool code_of(uint32_t us, code *c);

// code_us is the duration of a code.
uint32_t code_us(code c);
