#include "span.h"

static span palette[PALETTE];
static uint8_t used;

void code_begin(void) { used = 0; }

uint32_t code_us(code c)
{
	if (c < PALETTE)
		return span_us(palette[c]);
	c -= PALETTE;
	return ((uint32_t)OCTAVES_FROM << (c >> 4)) / 16 * (16 + (c & 15));
}

static uint32_t apart(uint32_t a, uint32_t b) { return a > b ? a - b : b - a; }

bool code_of(uint32_t us, code *c)
{
	span s = span_of(us);
	uint32_t least = 0xffffffffUL;
	for (uint8_t i = 0; i < used; i++) {
		if (palette[i] == s) {
			*c = i;
			return true;
		}
		uint32_t d = apart(span_us(palette[i]), us);
		if (d < least) {
			least = d;
			*c = i;
		}
	}
	if (used < PALETTE) {
		palette[used] = s;
		*c = used++;
		return true;
	}
	uint8_t octave = 0;
	while (octave < 13 && us >= (uint32_t)OCTAVES_FROM << (octave + 1))
		octave++;
	uint32_t step = ((uint32_t)OCTAVES_FROM << octave) / 16;
	uint32_t base = step * 16;
	uint32_t n = us < base ? 0 : (us - base + step / 2) / step;
	if (n > 15)
		n = 15;
	code told = PALETTE + (octave << 4) + n;
	if (apart(code_us(told), us) < least) {
		least = apart(code_us(told), us);
		*c = told;
	}
	return least <= us / 16 + 4;
}
