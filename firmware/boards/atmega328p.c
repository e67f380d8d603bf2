// ATmega328P at 16 MHz, the commonest hobby board. docs/hardware.md shows the wiring.
//
//   infrared receiver  PB0 (D8), input capture: its edges are timed by the timer itself, to 0.5 µs
//   radio receiver     PD2 (D2), interrupt at each edge
//   infrared LED       PD3 (D3), carrier by timer 2, half of each cycle on
//   radio transmitter  PB2 (D10)
#include <avr/interrupt.h>
#include <avr/io.h>
#include <avr/sleep.h>
#include <avr/wdt.h>

#include "../src/board.h"
#include "../src/ear.h"
#include "../src/player.h"

#define BAUD 115200UL
#define RX 128
#define TX 64
// Every edge leaves this many ticks after its time, so that it is the same for all, whatever else was interrupted. It is
// less than the shortest duration.
#define DELAY 70
// What comes next is looked up so many ticks before it begins, or as long before as a duration is short.
#define LEAD 500

static volatile uint32_t overflows; // of timer 1, each 32.768 ms
static volatile uint8_t rx[RX], rx_head, rx_tail;
static volatile uint8_t tx[TX], tx_head, tx_tail;
static volatile uint32_t left[MEDIA]; // ticks of the duration on the air that are not in the timer yet

uint8_t board_lock(void)
{
	uint8_t before = SREG;
	cli();
	return before;
}

void board_unlock(uint8_t before) { SREG = before; }

// us_at is the time when timer 1 was at t, a moment ago. Interrupts are off.
static uint32_t us_at(uint16_t t)
{
	uint32_t o = overflows;
	if ((TIFR1 & _BV(TOV1)) && t < 0x8000)
		o++;
	return (o << 15) + (t >> 1);
}

uint32_t board_us(void)
{
	uint8_t before = board_lock();
	uint32_t us = us_at(TCNT1);
	board_unlock(before);
	return us;
}

ISR(TIMER1_OVF_vect) { overflows++; }

ISR(TIMER1_CAPT_vect)
{
	uint16_t t = ICR1;
	bool rose = TCCR1B & _BV(ICES1);
	TCCR1B ^= _BV(ICES1);
	TIFR1 = _BV(ICF1); // the change of the edge may look like one
	ear_edge(INFRARED, !rose, us_at(t)); // a receiver module pulls down while it sees a carrier
}

ISR(INT0_vect)
{
	uint16_t t = TCNT1;
	ear_edge(RADIO, PIND & _BV(PD2), us_at(t));
}

static void show(uint8_t medium, bool mark)
{
	if (medium == RADIO) {
		if (mark)
			PORTB |= _BV(PB2);
		else
			PORTB &= ~_BV(PB2);
	} else if (mark) {
		TCNT2 = OCR2A - 1; // the first half cycle begins now
		TCCR2A = _BV(COM2B0) | _BV(WGM21);
	} else {
		TCCR2A = _BV(WGM21);
		PORTD &= ~_BV(PD3);
	}
}

// What comes after the duration on the air. It is looked up before its time comes, as that takes longer than an edge may
// wait.
static volatile struct {
	uint32_t us; // 0 at the end
	bool mark;
} after[MEDIA];

// advance puts as much of a duration into the timer as fits. The last piece is short, so that what comes after it is
// looked up late: whoever holds a key may let go until then.
static void advance(uint8_t medium, volatile uint16_t *compare)
{
	uint32_t ticks = left[medium];
	uint16_t piece = ticks > 16000 ? 16000 : ticks > 2 * LEAD ? ticks - LEAD : ticks;
	left[medium] = ticks - piece;
	*compare += piece;
	if ((int16_t)(*compare - TCNT1) < 8) // it is late already
		*compare = TCNT1 + 8;
	if (!left[medium]) {
		bool mark = false;
		after[medium].us = player_next(&players[medium], &mark);
		after[medium].mark = mark;
	}
}

static void edge(uint8_t medium, volatile uint16_t *compare, uint8_t interrupt)
{
	if (left[medium]) {
		advance(medium, compare);
		return;
	}
	uint32_t us = after[medium].us;
	while ((uint16_t)(TCNT1 - *compare) < DELAY)
		;
	show(medium, us && after[medium].mark);
	if (!us) {
		TIMSK1 &= ~interrupt;
		player_end(&players[medium]);
		return;
	}
	left[medium] = us * 2;
	advance(medium, compare);
	players[medium].due = us_at(TCNT1) + us;
}

ISR(TIMER1_COMPA_vect) { edge(INFRARED, &OCR1A, _BV(OCIE1A)); }

ISR(TIMER1_COMPB_vect) { edge(RADIO, &OCR1B, _BV(OCIE1B)); }

void board_play(uint8_t medium, uint32_t hz)
{
	uint8_t half = medium == INFRARED ? (F_CPU / 2 + hz / 2) / hz - 1 : 0;
	bool mark = false;
	after[medium].us = player_next(&players[medium], &mark);
	after[medium].mark = mark;
	uint8_t before = board_lock();
	left[medium] = 0;
	if (medium == INFRARED) {
		OCR2A = OCR2B = half;
		TCCR2A = _BV(WGM21);
		TCCR2B = _BV(CS20);
		OCR1A = TCNT1 + 100;
		TIFR1 = _BV(OCF1A);
		TIMSK1 |= _BV(OCIE1A);
	} else {
		OCR1B = TCNT1 + 100;
		TIFR1 = _BV(OCF1B);
		TIMSK1 |= _BV(OCIE1B);
	}
	board_unlock(before);
}

// A byte that was damaged or lost stands in the ring as 0, which no message has. It is short: edges wait for it.
ISR(USART_RX_vect)
{
	static bool lost;
	bool damaged = UCSR0A & (_BV(FE0) | _BV(DOR0) | _BV(UPE0));
	uint8_t c = UDR0, next = (rx_head + 1) % RX;
	if (next == rx_tail) {
		lost = true;
		return;
	}
	if (lost || damaged)
		c = 0;
	lost = false;
	rx[rx_head] = c;
	rx_head = next;
}

ISR(USART_UDRE_vect)
{
	if (tx_head == tx_tail) {
		UCSR0B &= ~_BV(UDRIE0);
		return;
	}
	UDR0 = tx[tx_tail];
	tx_tail = (tx_tail + 1) % TX;
}

bool board_read(uint8_t *byte)
{
	if (rx_head == rx_tail)
		return false;
	*byte = rx[rx_tail];
	rx_tail = (rx_tail + 1) % RX;
	return true;
}

uint8_t board_room(void) { return (uint8_t)(tx_tail - tx_head - 1) % TX; }

void board_write(uint8_t byte)
{
	while (!board_room())
		;
	tx[tx_head] = byte;
	tx_head = (tx_head + 1) % TX;
	UCSR0B |= _BV(UDRIE0);
}

EMPTY_INTERRUPT(TIMER0_OVF_vect) // ends a rest

void board_stop(uint8_t medium)
{
	uint8_t before = board_lock();
	TIMSK1 &= ~(medium == INFRARED ? _BV(OCIE1A) : _BV(OCIE1B));
	left[medium] = 0;
	show(medium, false);
	board_unlock(before);
}

void board_rest(void)
{
	wdt_reset();
	sleep_mode();
}

// A reset by the watchdog leaves it on: it is stopped before anything else, so that there is time to begin.
void stop_watchdog(void) __attribute__((naked, used, section(".init3")));

void stop_watchdog(void)
{
	MCUSR = 0;
	wdt_disable();
}

void board_begin(void)
{
	DDRB = RADIO_OUT ? _BV(PB2) : 0;
	DDRD = (IR_OUT ? _BV(PD3) : 0) | _BV(PD1);
	PORTB = _BV(PB0); // pulled up where no receiver is attached
	TCCR1A = 0;
	TCCR1B = _BV(ICNC1) | _BV(CS11); // 0.5 µs a tick; falling edge first
	TIMSK1 = _BV(TOIE1) | (IR_IN ? _BV(ICIE1) : 0);
	TCCR0B = _BV(CS01) | _BV(CS00); // 1.024 ms
	TIMSK0 = _BV(TOIE0);
	set_sleep_mode(SLEEP_MODE_IDLE);
	EICRA = _BV(ISC00) | _BV(ISC10); // INT1 is not used, and must not wait for a low level
	EIMSK = RADIO_IN ? _BV(INT0) : 0;
	UBRR0 = (F_CPU / 4 / BAUD - 1) / 2;
	UCSR0A = _BV(U2X0);
	UCSR0C = _BV(UCSZ01) | _BV(UCSZ00);
	UCSR0B = _BV(RXEN0) | _BV(TXEN0) | _BV(RXCIE0);
	wdt_enable(WDTO_500MS);
	sei();
}
