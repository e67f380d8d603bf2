// A span is a duration in 16 bits: up to 131 ms in steps of 4 µs, up to 2 s in steps of 64 µs.
#pragma once

#include <stdint.h>

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
