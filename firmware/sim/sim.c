// Runs the firmware in libsimavr, in real time or step by step, with its serial line on a pseudo terminal.
//
//   usage: sim FIRMWARE.elf
//
// The first line of standard output is the path of the serial line. Then each line tells a train that left a
// transmitter: "sent PORT HZ D D D …", marks and spaces in µs, and the carrier of infrared (0 for radio). On standard
// input, "press PORT D D D …" lets a receiver see a train, mark first, and "stop" ends it. "until US" lets the board's
// time pass up to so many µs, which is answered by "at US"; from the first one on, no other time passes.
// "stack" prints how many bytes of the stack were used at most, and how many there are.
#define _GNU_SOURCE
#include <fcntl.h>
#include <poll.h>
#include <stdbool.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <termios.h>
#include <time.h>
#include <unistd.h>

#include <simavr/avr_ioport.h>
#include <simavr/avr_uart.h>
#include <simavr/sim_avr.h>
#include <simavr/sim_elf.h>

#define HZ 16000000ULL
#define SILENCE 20000 // µs
#define MOST 4000     // durations of a train

static avr_t *avr;

static double us_now(void) { return avr->cycle / (HZ / 1e6); }

// What leaves a transmitter.
struct output {
	const char *name;
	bool carrier;         // its marks are bursts of a carrier
	double train[MOST];   // µs
	int length;
	bool up;              // the pin is
	bool on;              // in a mark
	double since, last;   // when it began; when the pin last went up or down
	double first;         // rising edge of the mark
	long cycles;          // of the carrier, in all marks that have some
	double cycles_us;
	long in_mark;         // rising edges of this mark
	double rose;
};

static struct output ir = {.name = "ir-out", .carrier = true}, radio = {.name = "radio-out"};

static void put(struct output *o, double us)
{
	if (o->length < MOST)
		o->train[o->length++] = us;
}

// mark_ends closes the mark of a carrier, which is over when the pin stayed down for more than a cycle: it lasts until
// the next cycle would have begun.
static void mark_ends(struct output *o)
{
	double end = o->last;
	if (o->in_mark > 1) {
		o->cycles += o->in_mark - 1;
		o->cycles_us += o->rose - o->first;
		end = o->rose + (o->rose - o->first) / (o->in_mark - 1);
	}
	put(o, end - o->since);
	o->on = false;
	o->since = end;
}

static void pin(struct output *o, bool up)
{
	double now = us_now();
	if (up == o->up)
		return;
	o->up = up;
	if (!o->carrier) {
		if (up && o->length) // the space before
			put(o, now - o->since);
		if (!up)
			put(o, now - o->since);
		o->on = up;
		o->since = now;
		return;
	}
	if (up) {
		if (!o->on) {
			if (o->length)
				put(o, now - o->since);
			o->on = true;
			o->since = o->first = now;
			o->in_mark = 0;
		}
		o->in_mark++;
		o->rose = now;
	}
	o->last = now;
}

// settle looks whether a mark or a train is over.
static void settle(struct output *o)
{
	double now = us_now();
	if (o->carrier && o->on && now - o->last > 50)
		mark_ends(o);
	if (o->on || !o->length || now - o->since < SILENCE)
		return;
	printf("sent %s %.0f", o->name, o->cycles ? o->cycles / o->cycles_us * 1e6 : 0);
	for (int i = 0; i < o->length; i++)
		printf(" %.1f", o->train[i]);
	printf("\n");
	fflush(stdout);
	o->length = 0;
	o->cycles = 0;
	o->cycles_us = 0;
}

static void ir_pin(struct avr_irq_t *irq, uint32_t value, void *param) { pin(&ir, value & 1); }

static void radio_pin(struct avr_irq_t *irq, uint32_t value, void *param) { pin(&radio, value & 1); }

// What a receiver sees.
struct input {
	avr_irq_t *irq;
	bool inverts; // it is low while there is a mark
	double train[MOST];
	int length, at;
};

static struct input ir_in = {.inverts = true}, radio_in;

static avr_cycle_count_t edge(avr_t *avr, avr_cycle_count_t when, void *param)
{
	struct input *in = param;
	bool mark = in->at % 2 == 0 && in->at < in->length;
	avr_raise_irq(in->irq, mark != in->inverts);
	if (in->at >= in->length) {
		in->length = in->at = 0;
		return 0;
	}
	return when + (avr_cycle_count_t)(in->train[in->at++] * (HZ / 1e6));
}

static void press(char *words)
{
	char *port = strtok(words, " ");
	struct input *in = port && !strcmp(port, "radio-in") ? &radio_in : &ir_in;
	if (in->length) // the one before is not over
		return;
	char *word;
	while ((word = strtok(NULL, " ")) && in->length < MOST)
		in->train[in->length++] = atof(word);
	in->at = 0;
	if (in->length)
		avr_cycle_timer_register(avr, 1, edge, in);
}

// The serial line.
static int line;
static avr_irq_t *to_uart;
static bool may_send = true;

static void from_uart(struct avr_irq_t *irq, uint32_t value, void *param)
{
	uint8_t c = value;
	if (write(line, &c, 1) < 0) // nobody reads: lost, as on a real line
		return;
}

static void xon(struct avr_irq_t *irq, uint32_t value, void *param) { may_send = true; }

static void xoff(struct avr_irq_t *irq, uint32_t value, void *param) { may_send = false; }

static int open_line(void)
{
	int fd = posix_openpt(O_RDWR | O_NOCTTY | O_NONBLOCK);
	if (fd < 0 || grantpt(fd) || unlockpt(fd)) {
		perror("pseudo terminal");
		exit(1);
	}
	struct termios t;
	if (open(ptsname(fd), O_RDWR | O_NOCTTY) < 0) // kept open, so that the line lasts when whoever opened it goes
		exit(1);
	tcgetattr(fd, &t);
	cfmakeraw(&t);
	tcsetattr(fd, TCSANOW, &t);
	printf("%s\n", ptsname(fd));
	fflush(stdout);
	return fd;
}

// feed passes on the bytes that came in over the line, one at the time that it takes at 115,200 baud.
static void feed(void)
{
	static avr_cycle_count_t next;
	uint8_t c;
	if (!may_send || avr->cycle < next)
		return;
	next = avr->cycle + HZ * 10 / 115200;
	if (read(line, &c, 1) == 1)
		avr_raise_irq(to_uart, c);
}

// What the stack has used is no longer as it was painted.
#define PAINT 0xa5
static int stack_from; // where memory for it begins

static void paint(void)
{
	for (int i = stack_from; i <= avr->ramend; i++)
		avr->data[i] = PAINT;
}

static void print_stack(void)
{
	int i = stack_from;
	while (i <= avr->ramend && avr->data[i] == PAINT)
		i++;
	printf("stack %d of %d\n", avr->ramend + 1 - i, avr->ramend + 1 - stack_from);
	fflush(stdout);
}

static double granted = -1; // µs that may pass; below 0 it is real time

// command reads lines of standard input, and waits for some where told to; false at its end.
static bool command(bool wait)
{
	static char text[64 * 1024];
	static size_t length;
	struct pollfd in = {.fd = 0, .events = POLLIN};
	if (poll(&in, 1, wait ? -1 : 0) <= 0)
		return true;
	ssize_t n = read(0, text + length, sizeof text - length - 1);
	if (n <= 0)
		return false;
	length += n;
	text[length] = 0;
	for (char *end; (end = strchr(text, '\n'));) {
		*end = 0;
		if (!strcmp(text, "stop"))
			return false;
		if (!strncmp(text, "press ", 6))
			press(text + 6);
		if (!strcmp(text, "stack"))
			print_stack();
		if (!strncmp(text, "until ", 6))
			granted = atof(text + 6);
		length -= end + 1 - text;
		memmove(text, end + 1, length + 1);
	}
	return true;
}

static double wall(void)
{
	struct timespec t;
	clock_gettime(CLOCK_MONOTONIC, &t);
	return t.tv_sec * 1e6 + t.tv_nsec / 1e3;
}

// sleeps is called where the processor sleeps: the time that passes is that of the main loop.
static void sleeps(avr_t *avr, avr_cycle_count_t cycles) {}

int main(int argc, char **argv)
{
	elf_firmware_t f = {0};
	if (argc != 2 || elf_read_firmware(argv[1], &f)) {
		fprintf(stderr, "usage: sim FIRMWARE.elf\n");
		return 2;
	}
	avr = avr_make_mcu_by_name("atmega328p");
	avr_init(avr);
	f.frequency = HZ;
	avr_load_firmware(avr, &f);
	stack_from = avr->ramend + 1 - 2048 + f.datasize + f.bsssize;
	paint();
	avr->log = LOG_ERROR;
	avr->sleep = sleeps;
	uint32_t flags = 0;
	avr_ioctl(avr, AVR_IOCTL_UART_GET_FLAGS('0'), &flags);
	flags &= ~(AVR_UART_FLAG_STDIO | AVR_UART_FLAG_POLL_SLEEP);
	avr_ioctl(avr, AVR_IOCTL_UART_SET_FLAGS('0'), &flags);
	line = open_line();
	to_uart = avr_io_getirq(avr, AVR_IOCTL_UART_GETIRQ('0'), UART_IRQ_INPUT);
	avr_irq_register_notify(avr_io_getirq(avr, AVR_IOCTL_UART_GETIRQ('0'), UART_IRQ_OUTPUT), from_uart, NULL);
	avr_irq_register_notify(avr_io_getirq(avr, AVR_IOCTL_UART_GETIRQ('0'), UART_IRQ_OUT_XON), xon, NULL);
	avr_irq_register_notify(avr_io_getirq(avr, AVR_IOCTL_UART_GETIRQ('0'), UART_IRQ_OUT_XOFF), xoff, NULL);
	avr_irq_register_notify(avr_io_getirq(avr, AVR_IOCTL_IOPORT_GETIRQ('D'), 3), ir_pin, NULL);
	avr_irq_register_notify(avr_io_getirq(avr, AVR_IOCTL_IOPORT_GETIRQ('B'), 2), radio_pin, NULL);
	ir_in.irq = avr_io_getirq(avr, AVR_IOCTL_IOPORT_GETIRQ('B'), 0);
	radio_in.irq = avr_io_getirq(avr, AVR_IOCTL_IOPORT_GETIRQ('D'), 2);
	avr_raise_irq(ir_in.irq, 1);

	double began = wall();
	for (avr_cycle_count_t next = 0;;) {
		int state = avr_run(avr);
		if (state == cpu_Done || state == cpu_Crashed) {
			fprintf(stderr, "the firmware crashed\n");
			return 1;
		}
		feed();
		if (avr->cycle < next)
			continue;
		next = avr->cycle + HZ / 4000; // each quarter of a millisecond
		settle(&ir);
		settle(&radio);
		if (!command(false))
			return 0;
		if (granted >= 0) {
			if (us_now() < granted)
				continue;
			printf("at %.0f\n", us_now());
			fflush(stdout);
			while (us_now() >= granted)
				if (!command(true))
					return 0;
			continue;
		}
		double ahead = us_now() - (wall() - began);
		if (ahead > 0)
			usleep(ahead);
		else if (ahead < -5000) // this machine was busy: go on from here, and never faster than a real board
			began = wall() - us_now();
	}
}
