#include "ear.h"

#include "board.h"
#include "out.h"
#include "span.h"

#define SILENCE 20000UL // µs: the end of a train
#define STREAMED 1000   // durations of an infrared train, which is written while it comes in
#define FRAME_LEAST 24  // fewer are noise
#define SHORTEST 100    // µs: what is shorter on the radio is noise

// Infrared: a receiver is quiet when nobody sends, so a train is written as it comes in. The ring holds spans; 0 says
// that a train begins, and is followed by the time in two halves.
#define RING 64
static volatile span ring[RING];
static volatile uint8_t head, tail;
static uint32_t last_us;
static bool on, lost;

// Radio: a receiver without a signal delivers noise all the time. A frame is what has no pulse shorter than noise has;
// while one waits to be written, the next is not heard.
static pulse frame[FRAME];
static volatile uint8_t frame_length;
static volatile bool frame_ready;
static uint32_t frame_at, frame_gap, frame_last;
static bool frame_on;

static uint8_t ring_room(void) { return (uint8_t)(tail - head - 1) % RING; }

static void ring_put(span s)
{
	ring[head] = s;
	head = (head + 1) % RING;
}

static void infrared_edge(bool begins, uint32_t us)
{
	uint32_t d = us - last_us;
	if (begins == on) // an edge was missed
		lost = true;
	if (begins) {
		if (d >= SILENCE || lost) {
			if (ring_room() < 4) {
				lost = true;
			} else {
				lost = false;
				ring_put(0);
				ring_put(us >> 16);
				ring_put(us);
			}
		} else if (ring_room() < 2) {
			lost = true;
		} else {
			ring_put(span_of(d) ? span_of(d) : 1);
		}
	} else if (!lost) {
		if (ring_room() < 1)
			lost = true;
		else
			ring_put(span_of(d) ? span_of(d) : 1);
	}
	on = begins;
	last_us = us;
}

static void radio_ends(uint32_t gap)
{
	uint8_t n = frame_length;
	if (n % 2 == 0 && n) // the last space belongs to the silence
		gap += pulse_us(frame[--n]);
	if (n < FRAME_LEAST) {
		frame_length = 0;
		return;
	}
	frame_length = n;
	frame_gap = gap;
	frame_ready = true;
}

static void radio_edge(bool begins, uint32_t us)
{
	uint32_t d = us - frame_last;
	frame_last = us;
	if (frame_ready)
		return;
	bool noise = d < SHORTEST || begins == frame_on;
	frame_on = begins;
	if (frame_length && (noise || (begins && d >= SILENCE))) {
		radio_ends(begins && !noise ? d : 0);
		if (frame_ready)
			return;
	}
	if (noise) {
		frame_length = 0;
		if (begins)
			frame_at = us;
		return;
	}
	if (frame_length == 0 && begins) { // the mark that begins now is the first
		frame_at = us;
		return;
	}
	if (frame_length == 0 && !begins)
		frame_at = us - d;
	frame[frame_length++] = pulse_of(d);
	if (frame_length == FRAME)
		radio_ends(0);
}

void ear_edge(uint8_t medium, bool begins, uint32_t us)
{
	if (medium == INFRARED)
		infrared_edge(begins, us);
	else
		radio_edge(begins, us);
}

// What of an infrared train is written.
static bool open;        // its line is begun
static uint16_t written; // durations
static span space;       // read, and not written until a mark comes after it
static uint32_t position; // where the last mark ends, µs

static void open_line(const char *port, uint32_t at)
{
	out_fixed(TEXT("{\"t\":\"heard\",\"port\":\""));
	out_fixed(port);
	out_fixed(TEXT("\",\"at\":"));
	out_number(at);
	out_fixed(TEXT(",\"train\":["));
}

static void close_line(uint32_t gap, bool more)
{
	out_fixed(TEXT("],\"gap_us\":"));
	out_number(gap);
	if (more)
		out_fixed(TEXT(",\"more\":true"));
	out_byte('}');
	out_end();
}

static void end_train(uint32_t gap, bool more)
{
	close_line(gap, more);
	open = false;
	written = 0;
	space = 0;
}

static span ring_take(void)
{
	span s = ring[tail];
	tail = (tail + 1) % RING;
	return s;
}

static bool quiet(void)
{
	uint8_t before = board_lock();
	bool is = head == tail && !on && board_us() - last_us >= SILENCE;
	board_unlock(before);
	return is;
}

static bool write_infrared(bool may)
{
	static uint32_t at;
	while (board_room() >= 50) {
		if (head == tail) {
			if (open && quiet())
				end_train(SILENCE, false);
			break;
		}
		if (!open && !may)
			break;
		if (ring[tail] == 0) {
			if (open) {
				end_train(space ? span_us(space) : SILENCE, false);
				continue;
			}
			ring_take();
			at = (uint32_t)ring_take() << 16;
			at |= ring_take();
			position = at;
			continue;
		}
		span s = ring_take();
		if (written % 2 == 1 && !space) {
			space = s;
			position += span_us(s);
			if (written >= STREAMED)
				end_train(span_us(s), true);
			continue;
		}
		if (!open) {
			open_line(TEXT("ir-in"), position);
			open = true;
		}
		if (space) {
			out_byte(',');
			out_number(span_us(space));
			out_byte(',');
			written++;
			space = 0;
		}
		out_number(span_us(s));
		position += span_us(s);
		written++;
	}
	return open;
}

static bool write_radio(bool may)
{
	static uint8_t done;
	uint8_t before = board_lock();
	if (!frame_ready && frame_length && !frame_on && board_us() - frame_last >= SILENCE)
		radio_ends(SILENCE);
	board_unlock(before);
	if (!frame_ready || (!done && !may))
		return false;
	while (board_room() >= 50 && done < frame_length) {
		if (!done)
			open_line(TEXT("radio-in"), frame_at);
		else
			out_byte(',');
		out_number(pulse_us(frame[done++]));
	}
	if (done < frame_length || board_room() < 50)
		return true;
	close_line(frame_gap, false);
	done = 0;
	before = board_lock();
	frame_length = 0;
	frame_ready = false;
	board_unlock(before);
	return false;
}

bool ears_run(bool free)
{
	static uint8_t writing; // 1 + the medium whose line is half written
	if (writing != 1 + RADIO)
		writing = write_infrared(free || writing) ? 1 + INFRARED : 0;
	if (writing != 1 + INFRARED)
		writing = write_radio(free || writing) ? 1 + RADIO : 0;
	return writing;
}
