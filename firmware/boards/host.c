// The firmware on the machine that builds it: an example of a station on any system with a serial port, and for tests with
// the compiler's sanitizers. Its transmitters print what they send, where another board drives a pin.
//
// With LINE=/dev/ttyS1 in its environment it speaks over that port, with LINE=pty over a pseudo terminal that it names, in
// real time. Without, its time passes only as it is told to; see sim/sim.c. "lose" on standard input loses the edges of
// what is on the air.
#define _GNU_SOURCE
#include <fcntl.h>
#include <poll.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <termios.h>
#include <time.h>
#include <unistd.h>

#include "../src/board.h"
#include "../src/ear.h"
#include "../src/player.h"

#define MOST 4000

static uint32_t now, until; // µs
static int line;
static bool real; // its time is the clock's

static struct {
	bool on;
	uint32_t next, hz, since;
	uint32_t train[MOST];
	int length;
	bool mark;
} play[MEDIA];

// command reads lines of standard input, and waits for some.
static void command(void)
{
	static char text[4096];
	static size_t length;
	ssize_t n = read(0, text + length, sizeof text - length - 1);
	if (n <= 0)
		exit(0);
	length += n;
	text[length] = 0;
	for (char *end; (end = strchr(text, '\n'));) {
		*end = 0;
		if (!strcmp(text, "lose")) // the edges of what is on the air, as a timer that stands still does
			play[INFRARED].on = play[RADIO].on = false;
		if (!strncmp(text, "until ", 6))
			until = strtoul(text + 6, 0, 10);
		length -= end + 1 - text;
		memmove(text, end + 1, length + 1);
	}
}

static void over(uint8_t medium)
{
	printf("sent %s %u", medium == INFRARED ? "ir-out" : "radio-out", play[medium].hz);
	for (int i = 0; i < play[medium].length; i++)
		printf(" %u", play[medium].train[i]);
	printf("\n");
	fflush(stdout);
	play[medium].on = false;
}

// edges plays what is due.
static void edges(void)
{
	for (uint8_t m = 0; m < MEDIA; m++)
		while (play[m].on && (int32_t)(now - play[m].next) >= 0) {
			bool mark = false;
			uint32_t us = player_next(&players[m], &mark);
			if (!us) {
				player_end(&players[m]);
				over(m);
				break;
			}
			if (play[m].length < MOST)
				play[m].train[play[m].length++] = us;
			play[m].next += us;
			players[m].due = play[m].next;
		}
}

void board_begin(void)
{
	struct termios t;
	const char *path = getenv("LINE");
	real = path && *path;
	if (real && strcmp(path, "pty")) {
		line = open(path, O_RDWR | O_NOCTTY | O_NONBLOCK);
		if (line < 0) {
			perror(path);
			exit(1);
		}
	} else {
		line = posix_openpt(O_RDWR | O_NOCTTY | O_NONBLOCK);
		if (line < 0 || grantpt(line) || unlockpt(line) || open(ptsname(line), O_RDWR | O_NOCTTY) < 0)
			exit(1);
		printf("%s\n", ptsname(line));
		fflush(stdout);
	}
	tcgetattr(line, &t);
	cfmakeraw(&t);
	cfsetspeed(&t, B115200);
	tcsetattr(line, TCSANOW, &t);
}

uint32_t board_us(void)
{
	if (real) {
		struct timespec t;
		clock_gettime(CLOCK_MONOTONIC, &t);
		now = (uint32_t)(t.tv_sec * 1000000ull + t.tv_nsec / 1000);
	}
	return now;
}

bool board_read(uint8_t *byte) { return read(line, byte, 1) == 1; }

uint8_t board_room(void) { return 63; }

void board_write(uint8_t byte)
{
	while (write(line, &byte, 1) != 1) {
		struct pollfd p = {.fd = line, .events = POLLOUT};
		poll(&p, 1, 1000);
	}
}

void board_play(uint8_t medium, uint32_t hz)
{
	play[medium].on = true;
	play[medium].hz = medium == INFRARED ? hz : 0;
	play[medium].length = 0;
	play[medium].next = now;
}

void board_stop(uint8_t medium) { over(medium); }

// board_rest lets a quarter of a millisecond pass, as soon as it may.
void board_rest(void)
{
	if (real) { // until something is said, or the next edge is due
		struct pollfd p = {.fd = line, .events = POLLIN};
		poll(&p, 1, play[INFRARED].on || play[RADIO].on ? 0 : 5);
		board_us();
		edges();
		return;
	}
	if ((int32_t)(now - until) >= 0) {
		if (until) {
			printf("at %u\n", now);
			fflush(stdout);
		}
		while ((int32_t)(now - until) >= 0)
			command();
	}
	now += 250;
	edges();
}

uint8_t board_lock(void) { return 0; }

void board_unlock(uint8_t before) { (void)before; }
