#include "player.h"

#include "board.h"

code pool[POOL];
struct player players[MEDIA];

enum { ONCE, REPEAT, LAST, SILENCE };

void player_begin(struct player *p)
{
	p->held = p->ending = false;
	p->now = p->once;
	p->stage = ONCE;
	p->trailing = 0;
	p->started = p->due = board_us();
	p->state = PLAYING;
}

bool player_overdue(const struct player *p)
{
	uint8_t before = board_lock();
	bool is = p->state == PLAYING && (int32_t)(board_us() - p->due) > 100000L;
	board_unlock(before);
	return is;
}

static uint32_t next(struct player *p, bool *mark)
{
	while (p->now.length == 0) {
		switch (p->stage) {
		case ONCE:
		case REPEAT:
			if (!p->ending && p->repeat.length && (p->repeats || p->held)) {
				if (p->repeats)
					p->repeats--;
				p->now = p->repeat;
				p->stage = REPEAT;
			} else {
				p->now = p->last;
				p->stage = LAST;
			}
			break;
		case LAST:
			p->stage = SILENCE;
			if (p->gap > p->trailing) {
				*mark = false;
				return p->gap - p->trailing;
			}
			break;
		default:
			p->ended = board_us();
			p->state = PLAYED;
			return 0;
		}
	}
	*mark = p->now.length % 2 == 0; // every part has an even length, and begins with a mark
	p->trailing = code_us(pool[p->now.start++]);
	p->now.length--;
	return p->trailing;
}

uint32_t player_next(struct player *p, bool *mark)
{
	uint32_t us = next(p, mark);
	p->due = board_us() + us;
	return us;
}
