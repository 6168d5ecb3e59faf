/* Levels of one pin, by timer 2. Without a carrier its compare says when each ends; with one, the timer makes
   the carrier on its own pin, and each round of it is counted. */
#include "board_avr.h"

#if NUVRIK_EMIT_PINS

#define LEVELS 32U
#define HIGH 0x8000U
#define MOST_COUNTS 0x7FFFU

/* What a level is counted in: 64 cycles, or rounds of the carrier. */
static volatile uint16_t levels[LEVELS];
static volatile uint8_t levels_in;
static volatile uint8_t levels_out;
static volatile uint16_t left;
static volatile bool running;
static BoardPlace its_place;
static uint16_t rest;

#if NUVRIK_CARRIER_PINS

/* A round of the carrier, in counts of a clock divided by 8. */
static uint8_t a_round;

#define PARTS_OF_COUNT a_round
#define PARTS_OF_US (F_CPU / 8000000UL)

#define GO_ON() (TIMSK2 |= (uint8_t)(1U << TOIE2))
#define STAY() (TIMSK2 &= (uint8_t)~(1U << TOIE2))

static void set_level(bool high)
{
    if (high) {
        TCCR2A |= (uint8_t)(1U << COM2B1);
    } else {
        TCCR2A &= (uint8_t)~(1U << COM2B1);
    }
}

#else

#define PARTS_OF_COUNT 64UL
#define PARTS_OF_US (F_CPU / 1000000UL)

/* A compare looks 250 counts ahead at most: one that lay further would be taken for one that has gone by. */
#define MOST_AHEAD 250U

#define GO_ON() (TIMSK2 |= (uint8_t)(1U << OCIE2A))
#define STAY() (TIMSK2 &= (uint8_t)~(1U << OCIE2A))

static void set_level(bool high)
{
    *its_place.port = (uint8_t)(high ? *its_place.port | its_place.mask : *its_place.port & (uint8_t)~its_place.mask);
}

#endif

/* The level that has begun has ended: begin the next. False: there is none. */
static bool next_level(void)
{
    uint8_t at = levels_out;
    if (at == levels_in) {
        running = false;
        STAY();
        return false;
    }
    uint16_t level = levels[at];
    levels_out = (uint8_t)((at + 1U) & (LEVELS - 1U));
    set_level((level & HIGH) != 0);
    left = level & MOST_COUNTS;
    return true;
}

#if NUVRIK_CARRIER_PINS

ISR(TIMER2_OVF_vect)
{
    uint16_t now = left;
    if (now > 1) {
        left = (uint16_t)(now - 1U);
        return;
    }
    (void)next_level();
}

/* The nearest whole count, and a third of it on: that is what receivers and the lamp are made for. */
static void begin(uint16_t carrier_hz)
{
    a_round = (uint8_t)((F_CPU / 8UL + carrier_hz / 2U) / carrier_hz);
    OCR2A = (uint8_t)(a_round - 1U);
    OCR2B = (uint8_t)(a_round / 3U);
    TCCR2A = (uint8_t)((1U << WGM21) | (1U << WGM20));
    TCCR2B = (uint8_t)((1U << WGM22) | (1U << CS21));
}

static void start(void)
{
    left = 1;
}

#else

ISR(TIMER2_COMPA_vect)
{
    for (;;) {
        if (left == 0 && !next_level()) {
            return;
        }
        uint8_t ahead = (uint8_t)(left < MOST_AHEAD ? left : MOST_AHEAD);
        uint8_t at = OCR2A;
        left = (uint16_t)(left - ahead);
        OCR2A = (uint8_t)(at + ahead);
        /* Where another interrupt has kept this one waiting, the next compare may have gone by already. */
        if ((uint8_t)(TCNT2 - at) < ahead) {
            return;
        }
    }
}

static void begin(uint16_t carrier_hz)
{
    (void)carrier_hz;
    TCCR2A = 0;
    TCCR2B = (uint8_t)(1U << CS22);
}

static void start(void)
{
    left = 0;
    OCR2A = (uint8_t)(TCNT2 + 2U);
    TIFR2 = (uint8_t)(1U << OCF2A);
}

#endif

bool board_emit(uint8_t pin, bool high, uint16_t us, uint16_t carrier_hz)
{
    uint8_t next = (uint8_t)((levels_in + 1U) & (LEVELS - 1U));
    if (its_place.port == 0) {
        its_place = board_place(pin);
        board_make_low(its_place);
        begin(carrier_hz);
    }
    if (next == levels_out) {
        return false;
    }
    /* What is beyond a whole count is part of the next level, so that rounding does not add up. */
    uint32_t parts = (uint32_t)us * PARTS_OF_US + rest;
    uint32_t counts = parts / PARTS_OF_COUNT;
    rest = (uint16_t)(parts - counts * PARTS_OF_COUNT);
    levels[levels_in] = (uint16_t)((counts < MOST_COUNTS ? counts : MOST_COUNTS) | (high ? HIGH : 0U));
    levels_in = next;
    BOARD_UNDISTURBED(if (!running) { running = true; start(); GO_ON(); });
    return true;
}

#endif
