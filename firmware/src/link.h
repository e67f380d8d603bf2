// The station link: what comes in is obeyed byte by byte, so that a message may be longer than the memory.
#pragma once

#include <stdbool.h>
#include <stdint.h>

// link_byte takes the next byte of the serial line.
void link_byte(uint8_t c);

// link_run does what time asks for: leases that end, sends that are over. free says that no other message is half
// written; the result says whether one of the link is now.
bool link_run(bool free);
