#include "link.h"

#include <string.h>

#include "board.h"
#include "ids.h"
#include "out.h"
#include "parse.h"
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

static uint8_t bad; // messages that could not be read, and are not told yet

static const char *hello_left = hello; // what of it is to be written; 0 for none

// Answers. One that cannot be written at once, because another message is half written, is owed; nothing more is read
// until it is out.

enum { OWE_NOTHING, OWE_PONG, OWE_FAILED, OWE_SENT };
static uint8_t owed;
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
	begin_answer(TEXT("failed"), in.id);
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
	if (in.id_too_long || !in.id[0])
		return failed(TEXT("an id has 1 to 24 characters"));
	if (ids_find(in.id, &known)) {
		owed = OWE_SENT;
		return;
	}
	for (uint8_t m = 0; m < MEDIA; m++)
		if (players[m].state != IDLE && !strcmp(players[m].id, in.id))
			return; // it is answered at its end
	if (in.port < 0)
		return failed(TEXT("no such transmitter here"));
	if (in.too_long)
		return failed(TEXT("a train is too long"));
	if (in.too_short)
		return failed(TEXT("a duration is under 40 us"));
	if (in.spoilt || in.once.length % 2 || in.repeat.length % 2 || in.last.length % 2)
		return failed(TEXT("a part has to end with a space, and numbers are plain"));
	if (!in.once.length && !(in.repeat.length && in.repeats) && !in.last.length)
		return failed(TEXT("there is nothing to send"));
	if (in.port == INFRARED && (in.carrier < BOARD_FROM_HZ || in.carrier > BOARD_TO_HZ))
		return failed(TEXT("this carrier cannot be made"));
	struct player *p = &players[in.port];
	if (p->state != IDLE)
		return failed(TEXT("still sending something else"));
	p->once = in.once;
	p->repeat = in.repeat;
	p->last = in.last;
	p->repeats = in.repeats;
	p->gap = in.gap > 60000000UL ? 60000000UL : in.gap;
	strcpy(p->id, in.id);
	player_begin(p);
	board_play(in.port, in.carrier);
}

// on_air finds what is on the air by the id of this message.
static struct player *on_air(void)
{
	for (uint8_t m = 0; m < MEDIA; m++)
		if (players[m].state == PLAYING && !strcmp(players[m].id, in.id))
			return &players[m];
	return 0;
}

static void message(void)
{
	struct player *p;
	switch (in.type) {
	case T_SEND:
		send();
		break;
	case T_HOLD:
		if ((p = on_air())) {
			p->lease_end = board_us() + (in.lease > 60000UL ? 60000UL : in.lease) * 1000;
			p->held = in.lease > 0;
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
		uint8_t how = parse_byte(c);
		if (how == GOES_ON)
			continue;
		if (how == WHOLE)
			message();
		else if (how == UNREADABLE && bad < 255)
			bad++;
		if (!owed)
			parse_begin();
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
		sent(in.id, &known);
		break;
	}
	owed = OWE_NOTHING;
	parse_begin();
}

bool link_run(bool free)
{
	static bool begun;
	if (!begun) {
		begun = true;
		parse_begin();
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
