#include "link.h"

#include <string.h>

#include "board.h"
#include "ids.h"
#include "out.h"
#include "player.h"

#ifndef STATION
#define STATION "board"
#endif
#define FIRMWARE "1"
#define STRINGIFY(n) #n
#define NUMBER(n) STRINGIFY(n)

static const char hello[] IN_PROGRAM =
	"{\"t\":\"hello\",\"link\":1,\"station\":\"" STATION "\",\"model\":\"AVR board\",\"firmware\":\"" FIRMWARE "\",\"ports\":["
	"{\"id\":\"ir-in\",\"direction\":\"receiver\",\"medium\":\"infrared\",\"from_hz\":36000,\"to_hz\":40000,\"longest\":1000},"
	"{\"id\":\"ir-out\",\"direction\":\"transmitter\",\"medium\":\"infrared\",\"from_hz\":" BOARD_FROM ",\"to_hz\":" BOARD_TO
	",\"longest\":" NUMBER(LONGEST) "},"
	"{\"id\":\"radio-in\",\"direction\":\"receiver\",\"medium\":\"radio\",\"from_hz\":433670000,\"to_hz\":434170000,"
	"\"longest\":110},"
	"{\"id\":\"radio-out\",\"direction\":\"transmitter\",\"medium\":\"radio\",\"from_hz\":433670000,\"to_hz\":434170000,"
	"\"longest\":" NUMBER(LONGEST) "}]}\n";

static const char *hello_left = hello; // what of it is to be written; 0 for none

// What is known of the message that comes in.
enum { T_NONE, T_SEND, T_HOLD, T_CANCEL, T_PING, T_WHO, T_OTHER };
enum { K_OTHER, K_T, K_ID, K_PORT, K_CARRIER, K_ONCE, K_REPEAT, K_REPEATS, K_LAST, K_GAP, K_LEASE };
enum { START, KEY, KEY_TEXT, COLON, VALUE, TEXT_VALUE, NUMBER_VALUE, SPANS, SKIP, SKIP_TEXT, WORD, AFTER, DONE, BAD };

static uint8_t state, depth, key, type;
static bool escaped, any, spoilt, too_long, too_short;
static char text[ID_SIZE]; // a key or a value
static uint8_t text_length;
static uint32_t number;
static bool in_number, fraction;
static char id[ID_SIZE];
static bool id_too_long;
static int8_t port; // -1 is none that is here
static uint32_t carrier, gap, lease;
static uint16_t repeats;
static struct part once, repeat, last;
static uint16_t from, limit, used; // of pool: where the parts may be

static uint8_t bad; // messages that could not be read, and are not told yet

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
	if (begin == POOL) {
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

static void begin_message(void)
{
	state = START;
	type = T_NONE;
	any = spoilt = too_long = too_short = id_too_long = false;
	id[0] = 0;
	port = -1;
	carrier = gap = lease = repeats = 0;
	memset(&once, 0, sizeof once);
	repeat = last = once;
	find_room();
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
	return key == K_ONCE ? &once : key == K_REPEAT ? &repeat : &last;
}

static void take_text(void)
{
	switch (key) {
	case K_T:
		type = says(TEXT("send")) ? T_SEND : says(TEXT("hold")) ? T_HOLD : says(TEXT("cancel")) ? T_CANCEL
			: says(TEXT("ping")) ? T_PING : says(TEXT("who")) ? T_WHO : T_OTHER;
		break;
	case K_ID:
		id_too_long = text_length >= ID_SIZE;
		strcpy(id, text);
		break;
	case K_PORT:
		port = says(TEXT("ir-out")) ? INFRARED : says(TEXT("radio-out")) ? RADIO : -1;
		break;
	}
}

static void take_number(void)
{
	switch (key) {
	case K_CARRIER: carrier = number; break;
	case K_GAP: gap = number; break;
	case K_LEASE: lease = number; break;
	case K_REPEATS: repeats = number > 0xffff ? 0xffff : number; break;
	}
}

static void take_span(void)
{
	struct part *p = part_of();
	if (number < 40)
		too_short = true;
	if (number > SPAN_LONGEST || used >= limit || p->length >= LONGEST) {
		too_long = true;
		return;
	}
	if (!p->length)
		p->start = used;
	pool[used++] = span_of(number);
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
			spoilt = true;
		if (c != '-')
			add_digit(c);
		state = NUMBER_VALUE;
	} else if (c == '[' && (key == K_ONCE || key == K_REPEAT || key == K_LAST)) {
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

static void message(void);
static uint8_t owed;

void link_byte(uint8_t c)
{
	if (c == '\n') {
		if (state == DONE)
			message();
		else if (any && bad < 255)
			bad++;
		if (!owed)
			begin_message();
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
			spoilt = spoilt || key != K_OTHER;
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
		state = BAD;
		break;
	}
}

// Answers. One that cannot be written at once, because another message is half written, is owed; nothing more is read
// until it is out.

enum { OWE_NOTHING, OWE_PONG, OWE_FAILED, OWE_SENT };
static const char *reason;
static struct answer known;

static void begin_answer(const char *type, const char *to)
{
	out_fixed(TEXT("{\"t\":\""));
	out_fixed(type);
	out_fixed(TEXT("\",\"id\":\""));
	out_text(to);
	board_write('"');
}

static void failed(const char *why)
{
	owed = OWE_FAILED;
	reason = why;
}

static void write_failed(void)
{
	begin_answer(TEXT("failed"), id);
	out_fixed(TEXT(",\"reason\":\""));
	out_fixed(reason);
	out_fixed(TEXT("\"}\n"));
}

static void sent(const char *to, const struct answer *a)
{
	begin_answer(TEXT("sent"), to);
	out_fixed(TEXT(",\"started\":"));
	out_number(a->started);
	out_fixed(TEXT(",\"took\":"));
	out_number(a->took);
	out_fixed(TEXT("}\n"));
}

static void send(void)
{
	if (id_too_long || !id[0])
		return failed(TEXT("an id has 1 to 24 characters"));
	if (ids_find(id, &known)) {
		owed = OWE_SENT;
		return;
	}
	for (uint8_t m = 0; m < MEDIA; m++)
		if (players[m].state != IDLE && !strcmp(players[m].id, id))
			return; // it is answered at its end
	if (port < 0)
		return failed(TEXT("no such transmitter here"));
	if (too_long)
		return failed(TEXT("a train is too long"));
	if (too_short)
		return failed(TEXT("a duration is under 40 us"));
	if (spoilt || once.length % 2 || repeat.length % 2 || last.length % 2)
		return failed(TEXT("a part has to end with a space, and numbers are plain"));
	if (!once.length && !(repeat.length && repeats) && !last.length)
		return failed(TEXT("there is nothing to send"));
	if (port == INFRARED && (carrier < BOARD_FROM_HZ || carrier > BOARD_TO_HZ))
		return failed(TEXT("this carrier cannot be made"));
	struct player *p = &players[port];
	if (p->state != IDLE)
		return failed(TEXT("still sending something else"));
	p->once = once;
	p->repeat = repeat;
	p->last = last;
	p->repeats = repeats;
	p->gap = gap > 60000000UL ? 60000000UL : gap;
	strcpy(p->id, id);
	player_begin(p);
	board_play(port, carrier);
}

// let finds what is on the air by the id of this message.
static struct player *on_air(void)
{
	for (uint8_t m = 0; m < MEDIA; m++)
		if (players[m].state == PLAYING && !strcmp(players[m].id, id))
			return &players[m];
	return 0;
}

static void message(void)
{
	struct player *p;
	switch (type) {
	case T_SEND:
		send();
		break;
	case T_HOLD:
		if ((p = on_air())) {
			p->lease_end = board_us() + (lease > 60000UL ? 60000UL : lease) * 1000;
			p->held = lease > 0;
		}
		break;
	case T_CANCEL:
		if ((p = on_air()))
			p->ending = true;
		break;
	case T_PING:
		owed = OWE_PONG;
		break;
	case T_WHO:
		hello_left = hello;
		break;
	}
}

static void finish(struct player *p)
{
	struct answer a = {p->started, p->ended - p->started};
	ids_put(p->id, &a);
	sent(p->id, &a);
	p->state = IDLE;
}

// read_line reads up to the end of a message, unless an answer is owed.
static void read_line(void)
{
	uint8_t c;
	while (!owed && board_read(&c)) {
		link_byte(c);
		if (c == '\n')
			return; // leave time for others
	}
}

// pay writes the answer that is owed.
static void pay(void)
{
	switch (owed) {
	case OWE_NOTHING:
		return;
	case OWE_PONG:
		out_fixed(TEXT("{\"t\":\"pong\"}\n"));
		break;
	case OWE_FAILED:
		write_failed();
		break;
	case OWE_SENT:
		sent(id, &known);
		break;
	}
	owed = OWE_NOTHING;
	begin_message();
}

bool link_run(bool free)
{
	static bool begun;
	if (!begun) {
		begun = true;
		begin_message();
	}
	for (uint8_t m = 0; m < MEDIA; m++) {
		struct player *p = &players[m];
		if (p->held && (int32_t)(board_us() - p->lease_end) >= 0)
			p->held = false;
	}
	read_line();
	if (!free)
		return false;
	while (hello_left && board_room() > 1) {
		board_write(TEXT_BYTE(hello_left++));
		if (!TEXT_BYTE(hello_left))
			hello_left = 0;
	}
	if (hello_left && hello_left != hello)
		return true;
	for (uint8_t m = 0; m < MEDIA; m++)
		if (players[m].state == PLAYED)
			finish(&players[m]);
	if (bad) {
		out_fixed(TEXT("{\"t\":\"note\",\"severity\":\"warning\",\"text\":\"Could not read a message\"}\n"));
		bad = 0;
	}
	pay();
	return false;
}
