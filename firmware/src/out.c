#include "out.h"

#include "board.h"

bool out_sums;

static uint16_t sum = OUT_SUM_BEGIN; // of the line so far

uint16_t out_sum(uint16_t sum, uint8_t byte)
{
	sum ^= (uint16_t)byte << 8;
	for (uint8_t i = 0; i < 8; i++)
		sum = sum & 0x8000 ? (uint16_t)(sum << 1) ^ 0x1021 : (uint16_t)(sum << 1);
	return sum;
}

void out_byte(uint8_t byte)
{
	sum = out_sum(sum, byte);
	board_write(byte);
}

void out_text(const char *s)
{
	for (; *s; s++) {
		if (*s == '"' || *s == '\\')
			out_byte('\\');
		out_byte(*s);
	}
}

void out_fixed(const char *program)
{
	for (uint8_t c; (c = TEXT_BYTE(program)); program++)
		out_byte(c);
}

void out_number(uint32_t n)
{
	char digits[10];
	uint8_t i = 0;
	do
		digits[i++] = '0' + n % 10;
	while (n /= 10);
	while (i)
		out_byte(digits[--i]);
}

void out_end(void)
{
	if (out_sums) {
		board_write(' ');
		board_write('#');
		for (int8_t shift = 12; shift >= 0; shift -= 4) {
			uint8_t digit = sum >> shift & 15;
			board_write(digit < 10 ? '0' + digit : 'A' - 10 + digit);
		}
	}
	board_write('\n');
	sum = OUT_SUM_BEGIN;
}
