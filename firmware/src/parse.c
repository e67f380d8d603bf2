#include "parse.h"

#include <string.h>

#include "board.h"
#include "out.h"
#include "player.h"
#include "text.h"

struct message in;

enum { K_OTHER, K_T, K_ID, K_PORT, K_CARRIER, K_ONCE, K_REPEAT, K_REPEATS, K_LAST, K_GAP, K_LEASE };
enum { START, KEY, KEY_TEXT, COLON, VALUE, TEXT_VALUE, NUMBER_VALUE, SPANS, SKIP, SKIP_TEXT, WORD, AFTER, DONE, SUM,
	SUMMED, BAD };

static uint8_t state, depth, key;
static uint16_t crc, sum; // of the message so far; as it is told behind it
static uint8_t digits;    // of the sum, that are still to come
static bool escaped, any;
static char text[ID_SIZE]; // a key or a value
static uint8_t text_length;
static uint32_t number;
static bool in_number, fraction;
static uint16_t from, limit, used; // of pool: where the parts may be
static bool room; // it is known where they may be

static bool says(const char *program)
{
	const char *s = text;
	uint8_t c;
	while ((c = TEXT_BYTE(program++)) && c == (uint8_t)*s)
		s++;
	return !c && !*s;
}

// find_room finds where in pool there is most room beside what is on the air.
static void find_room(void)
{
	uint16_t begin = POOL, end = 0;
	for (uint8_t m = 0; m < MEDIA; m++) {
		struct player *p = &players[m];
		if (p->state == IDLE)
			continue;
		const struct part *parts[] = {&p->once, &p->repeat, &p->last};
		for (uint8_t i = 0; i < 3; i++) {
			if (!parts[i]->length)
				continue;
			if (parts[i]->start < begin)
				begin = parts[i]->start;
			if (parts[i]->start + parts[i]->length > end)
				end = parts[i]->start + parts[i]->length;
		}
	}
	room = true;
	if (begin == POOL) {
		code_begin();
		from = 0;
		limit = POOL;
	} else if (begin >= POOL - end) {
		from = 0;
		limit = begin;
	} else {
		from = end;
		limit = POOL;
	}
	used = from;
}

void parse_begin(void)
{
	state = START;
	in.type = T_NONE;
	any = in.spoilt = in.too_long = in.too_short = in.id_too_long = in.no_room = in.too_many = in.long_mark = false;
	crc = OUT_SUM_BEGIN;
	room = false;
	in.id[0] = 0;
	in.port = -1;
	in.carrier = in.gap = in.lease = in.repeats = 0;
	memset(&in.once, 0, sizeof in.once);
	in.repeat = in.last = in.once;
}

static uint8_t key_of(void)
{
	if (says(TEXT("t"))) return K_T;
	if (says(TEXT("id"))) return K_ID;
	if (says(TEXT("port"))) return K_PORT;
	if (says(TEXT("carrier_hz"))) return K_CARRIER;
	if (says(TEXT("once"))) return K_ONCE;
	if (says(TEXT("repeat"))) return K_REPEAT;
	if (says(TEXT("repeats"))) return K_REPEATS;
	if (says(TEXT("last"))) return K_LAST;
	if (says(TEXT("gap_us"))) return K_GAP;
	if (says(TEXT("lease_ms"))) return K_LEASE;
	return K_OTHER;
}

static struct part *part_of(void)
{
	return key == K_ONCE ? &in.once : key == K_REPEAT ? &in.repeat : &in.last;
}

static void take_text(void)
{
	switch (key) {
	case K_T:
		in.type = says(TEXT("send")) ? T_SEND : says(TEXT("hold")) ? T_HOLD : says(TEXT("cancel")) ? T_CANCEL
			: says(TEXT("ping")) ? T_PING : says(TEXT("who")) ? T_WHO : T_OTHER;
		break;
	case K_ID:
		in.id_too_long = text_length >= ID_SIZE;
		strcpy(in.id, text);
		break;
	case K_PORT:
		in.port = IR_OUT && says(TEXT("ir-out")) ? INFRARED : RADIO_OUT && says(TEXT("radio-out")) ? RADIO : -1;
		break;
	}
}

static void take_number(void)
{
	switch (key) {
	case K_CARRIER: in.carrier = number; break;
	case K_GAP: in.gap = number; break;
	case K_LEASE: in.lease = number; break;
	case K_REPEATS: in.repeats = number > 0xffff ? 0xffff : number; break;
	}
}

static void take_span(void)
{
	struct part *p = part_of();
	code c = 0;
	if (number < 40)
		in.too_short = true;
	if (p->length % 2 == 0 && number > LONGEST_MARK)
		in.long_mark = true;
	if (number > SPAN_LONGEST || in.once.length + in.repeat.length + in.last.length >= LONGEST) {
		in.too_long = true;
		return;
	}
	if (used >= limit) {
		in.no_room = true;
		return;
	}
	if (!code_of(number, &c)) {
		in.too_many = true;
		return;
	}
	if (!p->length)
		p->start = used;
	pool[used++] = c;
	p->length++;
}

static void add_digit(uint8_t c)
{
	if (fraction)
		return;
	number = number > 400000000UL ? 0xffffffffUL : number * 10 + (c - '0');
}

static void add_text(uint8_t c)
{
	if (text_length < ID_SIZE - 1)
		text[text_length] = c, text[text_length + 1] = 0;
	if (text_length < ID_SIZE)
		text_length++;
}

static void begin_text(void)
{
	text_length = 0;
	text[0] = 0;
	escaped = false;
}

static bool digit(uint8_t c) { return c >= '0' && c <= '9'; }

static void begin_value(uint8_t c)
{
	if (c == '"') {
		begin_text();
		state = TEXT_VALUE;
	} else if (digit(c) || c == '-') {
		number = 0;
		fraction = false;
		if (c == '-' && key != K_OTHER)
			in.spoilt = true;
		if (c != '-')
			add_digit(c);
		state = NUMBER_VALUE;
	} else if (c == '[' && (key == K_ONCE || key == K_REPEAT || key == K_LAST)) {
		if (!room) // now, and not when the message before was still on the air
			find_room();
		part_of()->length = 0;
		in_number = false;
		state = SPANS;
	} else if (c == '[' || c == '{') {
		depth = 1;
		state = SKIP;
	} else if (c >= 'a' && c <= 'z') {
		state = WORD;
	} else {
		state = BAD;
	}
}

static void after(uint8_t c) { state = c == ',' ? KEY : c == '}' ? DONE : BAD; }

static void spans_byte(uint8_t c)
{
	if (digit(c)) {
		if (!in_number) {
			in_number = true;
			fraction = false;
			number = 0;
		}
		add_digit(c);
	} else if (c == '.' && in_number) {
		fraction = true;
	} else if (c == ',' || c == ']' || c == ' ') {
		if (in_number)
			take_span();
		in_number = false;
		if (c == ']')
			state = AFTER;
	} else {
		state = BAD;
	}
}

static void take(uint8_t c);

uint8_t parse_byte(uint8_t c)
{
	if (c == '\n') {
		if (state == SUMMED && sum == crc)
			out_sums = true;
		else if (state == DONE && out_sums && in.type != T_WHO && in.type != T_PING) // its sum is lost
			state = BAD;
		else if (state == SUMMED || state == SUM)
			state = BAD;
		if (state == DONE && in.type == T_WHO) // whoever asks may not know of sums
			out_sums = false;
		return state == DONE || state == SUMMED ? WHOLE : any ? UNREADABLE : EMPTY;
	}
	if (state < DONE)
		crc = out_sum(crc, c);
	take(c);
	return GOES_ON;
}

static void take(uint8_t c)
{
	if (!c) { // bytes were damaged or lost here
		any = true;
		state = BAD;
		return;
	}
	if (c == '\r' || c == '\t')
		c = ' ';
	if (c != ' ')
		any = true;
	bool in_text = state == TEXT_VALUE || state == KEY_TEXT || state == SKIP_TEXT;
	if (c == ' ' && !in_text && state != SPANS && state != NUMBER_VALUE && state != WORD)
		return;
	if (in_text) {
		if (escaped) {
			escaped = false;
			if (state != SKIP_TEXT)
				add_text(c);
		} else if (c == '\\') {
			escaped = true;
		} else if (c != '"') {
			if (state != SKIP_TEXT)
				add_text(c);
		} else if (state == KEY_TEXT) {
			key = key_of();
			state = COLON;
		} else if (state == SKIP_TEXT) {
			state = SKIP;
		} else {
			take_text();
			state = AFTER;
		}
		return;
	}
	switch (state) {
	case START:
		state = c == '{' ? KEY : BAD;
		break;
	case KEY:
		if (c == '"') {
			begin_text();
			state = KEY_TEXT;
		} else {
			state = c == '}' ? DONE : BAD;
		}
		break;
	case COLON:
		state = c == ':' ? VALUE : BAD;
		break;
	case VALUE:
		begin_value(c);
		break;
	case NUMBER_VALUE:
		if (digit(c)) {
			add_digit(c);
		} else if (c == '.') {
			fraction = true;
		} else if (c == 'e' || c == 'E' || c == '+' || c == '-') {
			fraction = true; // only what is passed over is written so
			in.spoilt = in.spoilt || key != K_OTHER;
		} else {
			take_number();
			state = AFTER;
			if (c != ' ')
				after(c);
		}
		break;
	case WORD:
		if (c < 'a' || c > 'z') {
			state = AFTER;
			if (c != ' ')
				after(c);
		}
		break;
	case SPANS:
		spans_byte(c);
		break;
	case SKIP:
		if (c == '"')
			state = SKIP_TEXT, escaped = false;
		else if (c == '[' || c == '{')
			depth++;
		else if ((c == ']' || c == '}') && --depth == 0)
			state = AFTER;
		break;
	case AFTER:
		after(c);
		break;
	case DONE:
		state = c == '#' ? SUM : BAD;
		sum = 0;
		digits = 4;
		break;
	case SUM:
		if (!digit(c) && (c < 'A' || c > 'F')) {
			state = BAD;
			break;
		}
		sum = sum << 4 | (digit(c) ? c - '0' : c - 'A' + 10);
		if (--digits == 0)
			state = SUMMED;
		break;
	case SUMMED:
		state = BAD;
		break;
	}
}
