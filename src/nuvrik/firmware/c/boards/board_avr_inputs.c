/* Inputs: the converter goes round all analog pins by itself, once a tick; what counts is looked at whenever
   a pin changes. */
#include "board_avr.h"

#if NUVRIK_ANALOG_PINS

static uint8_t channels[NUVRIK_ANALOG_PINS];
static volatile int16_t counts[NUVRIK_ANALOG_PINS];
static uint8_t known;
static volatile uint8_t converting = 0xFF;

static void convert(uint8_t at)
{
    uint8_t channel = channels[at];
#ifdef MUX5
    ADCSRB = (uint8_t)(channel & 8U ? 1U << MUX5 : 0U);
#endif
    ADMUX = (uint8_t)((1U << REFS0) | (channel & 7U));
    /* By 128: 125 kHz at 16 MHz, within the 50 to 200 kHz that all ten bits want. */
    ADCSRA = (uint8_t)((1U << ADEN) | (1U << ADSC) | (1U << ADIE) | (1U << ADPS2) | (1U << ADPS1) | (1U << ADPS0));
}

ISR(ADC_vect)
{
    uint8_t at = converting;
    counts[at] = (int16_t)ADC;
    at++;
    if (at < known) {
        converting = at;
        convert(at);
    } else {
        converting = 0xFF;
    }
}

static int32_t analog(uint8_t pin)
{
    uint8_t channel = (uint8_t)(pin - BOARD_FIRST_ANALOG);
    uint8_t i = 0;
    int16_t count;
    while (i < known && channels[i] != channel) {
        i++;
    }
    if (i == NUVRIK_ANALOG_PINS) {
        return BOARD_UNREAD;
    }
    if (i == known) {
        channels[i] = channel;
        counts[i] = -1;
        known++;
    }
    if (i == 0 && converting == 0xFF) {
        converting = 0;
        convert(0);
    }
    BOARD_UNDISTURBED(count = counts[i]);
    return count < 0 ? BOARD_UNREAD : count;
}

#endif

#if BOARD_WATCHED

/* For a counter, edges; for an end switch, when its level last changed, and whether one that lasted has come
   and gone since it was read. */
typedef struct {
    BoardPlace place;
    uint8_t pin;
    bool high;
#if NUVRIK_COUNTER_PINS
    uint16_t edges;
#endif
#if NUVRIK_END_SWITCHES
    uint16_t since;
    bool was;
    bool passed;
#endif
} Watched;

static Watched watched[BOARD_WATCHED];
static uint8_t watching;

#if NUVRIK_END_SWITCHES

/* 200 us: far longer than the sparks of a motor couple in, far shorter than any cam is on its switch. */
#define LASTS BOARD_COUNTS(200UL)

#endif

/* Rising edges count. */
void board_inputs_changed(void)
{
    for (uint8_t i = 0; i < watching; i++) {
        Watched *one = &watched[i];
        bool high = (BOARD_IN(one->place) & one->place.mask) != 0;
        if (high == one->high) {
            continue;
        }
#if NUVRIK_COUNTER_PINS
        if (high) {
            one->edges++;
        }
#endif
#if NUVRIK_END_SWITCHES
        uint16_t now = board_counts();
        if (one->high != one->was && (uint16_t)(now - one->since) >= LASTS) {
            one->passed = true;
        }
        one->since = now;
#endif
        one->high = high;
    }
}

/* The place of a pin that is watched, from its first reading on; BOARD_WATCHED where there is no room. */
static uint8_t place_of(uint8_t pin)
{
    uint8_t i = 0;
    while (i < watching && watched[i].pin != pin) {
        i++;
    }
    if (i == watching && i < BOARD_WATCHED) {
        watched[i].pin = pin;
        watched[i].place = board_place(pin);
        watched[i].high = (BOARD_IN(watched[i].place) & watched[i].place.mask) != 0;
#if NUVRIK_END_SWITCHES
        watched[i].was = watched[i].high;
#endif
        BOARD_UNDISTURBED(watching++);
        board_watch(watched[i].place);
    }
    return i;
}

#endif

#if NUVRIK_COUNTER_PINS

static int32_t counter(uint8_t pin)
{
    uint8_t i = place_of(pin);
    uint16_t edges;
    if (i == BOARD_WATCHED) {
        return BOARD_UNREAD;
    }
    BOARD_UNDISTURBED(edges = watched[i].edges);
    return edges;
}

#endif

#if NUVRIK_END_SWITCHES

static int32_t latched(uint8_t pin)
{
    uint8_t i = place_of(pin);
    bool given;
    if (i == BOARD_WATCHED) {
        return BOARD_UNREAD;
    }
    Watched *one = &watched[i];
    /* A level that has only just come may be a spark: it is believed once it has lasted, at the next look. */
    BOARD_UNDISTURBED(bool fresh = one->high != one->was && (uint16_t)(board_counts() - one->since) < LASTS;
                      given = fresh ? one->was : one->high; if (one->passed && given == one->was) { given = !given; }
                      one->passed = false; if (!fresh) { one->was = one->high; });
    return given ? 1 : 0;
}

#endif

int32_t board_input(uint8_t pin, uint8_t what)
{
    (void)what;
#if NUVRIK_ANALOG_PINS
    if (what == BOARD_ANALOG) {
        return analog(pin);
    }
#endif
    BoardPlace place = board_place(pin);
    if ((*place.port & place.mask) == 0) {
        /* A pull-up, so that a wire that has come off reads as a contact that is open. */
        BOARD_UNDISTURBED(*place.port |= place.mask);
        return BOARD_UNREAD;
    }
#if NUVRIK_COUNTER_PINS
    if (what == BOARD_COUNTER) {
        return counter(pin);
    }
#endif
#if NUVRIK_END_SWITCHES
    if (what == BOARD_LATCHED) {
        return latched(pin);
    }
#endif
    return (BOARD_IN(place) & place.mask) != 0 ? 1 : 0;
}
