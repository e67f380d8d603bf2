// An ear turns the edges of one receiver into "heard" messages.
#pragma once

#include <stdbool.h>
#include <stdint.h>

#define FRAME 152 // durations of a radio frame, which is written when it is whole

// ear_edge takes an edge, from an interrupt: a mark begins or ends at a time in µs.
void ear_edge(uint8_t medium, bool begins, uint32_t us);

// ears_run writes what there is to write, as far as there is room. free says that no other message is half written;
// the result says whether one of an ear is now.
bool ears_run(bool free);
