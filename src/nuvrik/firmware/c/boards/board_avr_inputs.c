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

#if NUVRIK_COUNTER_PINS

typedef struct {
    BoardPlace place;
    uint8_t pin;
    bool high;
    uint16_t edges;
} Counter;

static Counter counters[NUVRIK_COUNTER_PINS];
static uint8_t counting;

/* Rising edges count. */
static void look(void)
{
    for (uint8_t i = 0; i < counting; i++) {
        Counter *one = &counters[i];
        bool high = (BOARD_IN(one->place) & one->place.mask) != 0;
        if (high && !one->high) {
            one->edges++;
        }
        one->high = high;
    }
}

ISR(PCINT0_vect)
{
    look();
}

ISR(PCINT1_vect, ISR_ALIASOF(PCINT0_vect));
ISR(PCINT2_vect, ISR_ALIASOF(PCINT0_vect));

#ifdef PORTK
ISR(INT0_vect, ISR_ALIASOF(PCINT0_vect));
ISR(INT1_vect, ISR_ALIASOF(PCINT0_vect));
ISR(INT2_vect, ISR_ALIASOF(PCINT0_vect));
ISR(INT3_vect, ISR_ALIASOF(PCINT0_vect));
ISR(INT4_vect, ISR_ALIASOF(PCINT0_vect));
ISR(INT5_vect, ISR_ALIASOF(PCINT0_vect));

static void watch_pin(BoardPlace place)
{
    if (place.port == &PORTB) {
        PCMSK0 |= place.mask;
        PCICR |= (uint8_t)(1U << PCIE0);
    } else if (place.port == &PORTJ) {
        PCMSK1 |= (uint8_t)(place.mask << 1);
        PCICR |= (uint8_t)(1U << PCIE1);
    } else if (place.port == &PORTK) {
        PCMSK2 |= place.mask;
        PCICR |= (uint8_t)(1U << PCIE2);
    } else if (place.port == &PORTD) {
        /* Both edges of INT0 to INT3, which are bits 0 to 3. */
        for (uint8_t i = 0; i < 4; i++) {
            EICRA |= (uint8_t)(place.mask & (1U << i) ? 1U << (2U * i) : 0U);
        }
        EIMSK |= place.mask;
    } else {
        /* INT4 and INT5 are bits 4 and 5 of port E. */
        EICRB |= (uint8_t)(place.mask & 0x10U ? 1U << ISC40 : 1U << ISC50);
        EIMSK |= place.mask;
    }
}
#else
static void watch_pin(BoardPlace place)
{
    if (place.port == &PORTB) {
        PCMSK0 |= place.mask;
        PCICR |= (uint8_t)(1U << PCIE0);
    } else if (place.port == &PORTC) {
        PCMSK1 |= place.mask;
        PCICR |= (uint8_t)(1U << PCIE1);
    } else {
        PCMSK2 |= place.mask;
        PCICR |= (uint8_t)(1U << PCIE2);
    }
}
#endif

static int32_t counter(uint8_t pin)
{
    uint8_t i = 0;
    uint16_t edges;
    while (i < counting && counters[i].pin != pin) {
        i++;
    }
    if (i == NUVRIK_COUNTER_PINS) {
        return BOARD_UNREAD;
    }
    if (i == counting) {
        counters[i].pin = pin;
        counters[i].place = board_place(pin);
        counters[i].high = (BOARD_IN(counters[i].place) & counters[i].place.mask) != 0;
        BOARD_UNDISTURBED(counting++);
        watch_pin(counters[i].place);
    }
    BOARD_UNDISTURBED(edges = counters[i].edges);
    return edges;
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
    return (BOARD_IN(place) & place.mask) != 0 ? 1 : 0;
}
