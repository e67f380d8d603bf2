#include "ids.h"

#define REMEMBERED 64

// An id is kept as 26 bits of its hash, and the time it took in 12 bits with a scale of 2.
static uint8_t kept[REMEMBERED][5];
static uint8_t next, count;

static uint32_t hash_of(const char *id)
{
	uint32_t h = 2166136261UL; // FNV-1a
	for (; *id; id++)
		h = (h ^ (uint8_t)*id) * 16777619UL;
	return (h ^ h >> 26) & 0x3ffffffUL;
}

static uint32_t hash_at(uint8_t i)
{
	return (uint32_t)kept[i][0] << 18 | (uint32_t)kept[i][1] << 10 | (uint16_t)kept[i][2] << 2 | kept[i][3] >> 6;
}

static void recall(uint8_t i, struct answer *a)
{
	uint16_t took = (uint16_t)(kept[i][3] & 0x3f) << 8 | kept[i][4];
	a->took = (uint32_t)(took & 0xfff) << (4 + 5 * (took >> 12));
}

void ids_put(const char *id, struct answer *a)
{
	uint8_t scale = 0;
	while (a->took >> (4 + 5 * scale) > 0xfff && scale < 3)
		scale++;
	uint32_t value = a->took >> (4 + 5 * scale);
	uint16_t took = (uint16_t)scale << 12 | (uint16_t)(value > 0xfff ? 0xfff : value);
	uint32_t h = hash_of(id);
	kept[next][0] = h >> 18;
	kept[next][1] = h >> 10;
	kept[next][2] = h >> 2;
	kept[next][3] = (uint8_t)(h << 6) | took >> 8;
	kept[next][4] = took;
	recall(next, a);
	next = (next + 1) % REMEMBERED;
	if (count < REMEMBERED)
		count++;
}

bool ids_find(const char *id, struct answer *a)
{
	uint32_t h = hash_of(id);
	for (uint8_t i = 0; i < count; i++)
		if (hash_at(i) == h) {
			recall(i, a);
			return true;
		}
	return false;
}
