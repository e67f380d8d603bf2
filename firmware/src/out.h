// Writing of text, number by number: a message is never in memory as a whole.
#pragma once

#include <stdint.h>

#include "text.h"

void out_text(const char *s);        // from memory
void out_fixed(const char *program); // from the program, TEXT("…")
void out_number(uint32_t n);
