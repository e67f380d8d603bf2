// The station link: what the house says is obeyed, and answered.
#pragma once

#include <stdbool.h>
#include <stdint.h>

// link_run does what time asks for: leases that end, sends that are over. free says that no other message is half
// written; the result says whether one of the link is now.
bool link_run(bool free);
