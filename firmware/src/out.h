// Writing of text, number by number: a message is never in memory as a whole.
#pragma once

#include <stdbool.h>
#include <stdint.h>

#include "text.h"

#define OUT_SUM_BEGIN 0xffff

// out_sums says that the other side reads check sums: each line ends with one then.
extern bool out_sums;

// out_sum goes on with a check sum (CRC-16, polynomial 0x1021).
uint16_t out_sum(uint16_t sum, uint8_t byte);

void out_byte(uint8_t byte);
void out_text(const char *s);        // from memory
void out_fixed(const char *program); // from the program, TEXT("…")
void out_number(uint32_t n);
void out_end(void); // of the line
