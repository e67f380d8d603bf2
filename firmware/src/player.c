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

void player_end(struct player *p)
{
	p->ended = board_us();
	p->state = PLAYED;
}

bool player_overdue(const struct player *p)
{
	if (p->state != PLAYING)
		return false;
	uint32_t due;
	do // an edge may change it while it is read; interrupts are not kept away, since edges would be late
		due = p->due;
	while (due != p->due);
	return (int32_t)(board_us() - due) > 100000L;
}

uint32_t player_next(struct player *p, bool *mark)
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
			return 0;
		}
	}
	*mark = p->now.length % 2 == 0; // every part has an even length, and begins with a mark
	p->trailing = code_us(pool[p->now.start++]);
	p->now.length--;
	return p->trailing;
}
