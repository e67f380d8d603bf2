#include "link.h"

#include <string.h>

#include "board.h"
#include "ear.h"
#include "ids.h"
#include "out.h"
#include "parse.h"
#include "player.h"

#ifndef STATION
#define STATION "board"
#endif
#define FIRMWARE "2"
#define STRINGIFY(n) #n
#define NUMBER(n) STRINGIFY(n)

// The ports that are there, set when the firmware is built.
#define IR_BAND "\"medium\":\"infrared\",\"from_hz\":"
#define RADIO_BAND "\"medium\":\"radio\",\"from_hz\":" NUMBER(RADIO_FROM) ",\"to_hz\":" NUMBER(RADIO_TO)
#if IR_IN
#define PORT_IR_IN "{\"id\":\"ir-in\",\"direction\":\"receiver\"," IR_BAND NUMBER(IR_IN_FROM) ",\"to_hz\":" \
	NUMBER(IR_IN_TO) ",\"longest\":1000}"
#else
#define PORT_IR_IN ""
#endif
#if IR_OUT
#define PORT_IR_OUT "{\"id\":\"ir-out\",\"direction\":\"transmitter\"," IR_BAND BOARD_FROM ",\"to_hz\":" BOARD_TO \
	",\"longest\":" NUMBER(LONGEST) ",\"duty\":0.5}"
#else
#define PORT_IR_OUT ""
#endif
#if RADIO_IN
#define PORT_RADIO_IN "{\"id\":\"radio-in\",\"direction\":\"receiver\"," RADIO_BAND ",\"longest\":" NUMBER(FRAME) "}"
#else
#define PORT_RADIO_IN ""
#endif
#if RADIO_OUT
#define PORT_RADIO_OUT "{\"id\":\"radio-out\",\"direction\":\"transmitter\"," RADIO_BAND ",\"longest\":" \
	NUMBER(LONGEST) "}"
#else
#define PORT_RADIO_OUT ""
#endif
#if IR_IN && (IR_OUT || RADIO_IN || RADIO_OUT)
#define COMMA_1 ","
#else
#define COMMA_1 ""
#endif
#if IR_OUT && (RADIO_IN || RADIO_OUT)
#define COMMA_2 ","
#else
#define COMMA_2 ""
#endif
#if RADIO_IN && RADIO_OUT
#define COMMA_3 ","
#else
#define COMMA_3 ""
#endif

static const char hello[] IN_PROGRAM =
	"{\"t\":\"hello\",\"link\":1,\"station\":\"" STATION "\",\"model\":\"" BOARD_MODEL "\",\"firmware\":\"" FIRMWARE
	"\",\"sum\":true,\"ports\":[" PORT_IR_IN COMMA_1 PORT_IR_OUT COMMA_2 PORT_RADIO_IN COMMA_3 PORT_RADIO_OUT "]}\n";

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
	out_byte('"');
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
	out_fixed(TEXT("\"}"));
	out_end();
}

static void sent(const char *to, const struct answer *a)
{
	begin_answer(TEXT("sent"), to);
	out_fixed(TEXT(",\"took\":"));
	out_number(a->took);
	out_byte('}');
	out_end();
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
	struct player *p = &players[in.port];
	if (p->state != IDLE)
		return failed(TEXT("still sending something else"));
	if (in.too_long)
		return failed(TEXT("it is too long"));
	if (in.no_room)
		return failed(TEXT("there is no room for it beside what the other transmitter sends"));
	if (in.too_many)
		return failed(TEXT("it has too many different durations"));
	if (in.too_short)
		return failed(TEXT("a duration is under 40 us"));
	if (in.long_mark)
		return failed(TEXT("a mark is over 200 ms"));
	if (in.spoilt || in.once.length % 2 || in.repeat.length % 2 || in.last.length % 2)
		return failed(TEXT("a part has to end with a space, and numbers are plain"));
	if (!in.once.length && !(in.repeat.length && in.repeats) && !in.last.length)
		return failed(TEXT("there is nothing to send"));
	if (in.port == INFRARED && (in.carrier < BOARD_FROM_HZ || in.carrier > BOARD_TO_HZ))
		return failed(TEXT("this carrier cannot be made"));
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
	struct answer a = {p->ended - p->started};
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
		out_fixed(TEXT("{\"t\":\"pong\"}"));
		out_end();
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
		if (player_overdue(p)) { // nothing stays on for ever
			board_stop(m);
			player_end(p);
		}
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
	static uint32_t noted;
	if (bad && board_us() - noted > 1000000UL) { // seldom: while it is written, other messages come in
		noted = board_us();
		out_fixed(TEXT("{\"t\":\"note\",\"severity\":\"warning\",\"text\":\"Messages that could not be read: "));
		out_number(bad);
		out_fixed(TEXT("\"}"));
		out_end();
		bad = 0;
	}
	pay();
	return false;
}
