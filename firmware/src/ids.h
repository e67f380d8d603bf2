// The answers to the last 64 sends, so that one that is asked for again is answered again and not sent again.
#pragma once

#include <stdbool.h>
#include <stdint.h>

struct answer {
	uint32_t took; // µs, as exactly as it is kept
};

// ids_put remembers the answer to an id, and rounds it to what is kept.
void ids_put(const char *id, struct answer *a);

// ids_find finds the answer to an id; false where it is not known.
bool ids_find(const char *id, struct answer *a);
