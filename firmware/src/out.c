#include "out.h"

#include "board.h"

void out_text(const char *s)
{
	for (; *s; s++) {
		if (*s == '"' || *s == '\\')
			board_write('\\');
		board_write(*s);
	}
}

void out_fixed(const char *program)
{
	for (uint8_t c; (c = TEXT_BYTE(program)); program++)
		board_write(c);
}

void out_number(uint32_t n)
{
	char digits[10];
	uint8_t i = 0;
	do
		digits[i++] = '0' + n % 10;
	while (n /= 10);
	while (i)
		board_write(digits[--i]);
}
