// Fixed texts stay in the program's memory where a board has little of the other kind.
#pragma once

#ifdef __AVR__
#include <avr/pgmspace.h>
#define TEXT(s) PSTR(s)
#define TEXT_BYTE(p) pgm_read_byte(p)
#define IN_PROGRAM PROGMEM
#else
#define TEXT(s) (s)
#define TEXT_BYTE(p) (*(const unsigned char *)(p))
#define IN_PROGRAM
#endif
