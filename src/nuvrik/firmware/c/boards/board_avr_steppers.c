/* Steps, from timer 2: 20,000 times a second it is worked out for each stepper whether a step is due.

   A rate is added up, and a step falls due whenever the sum goes round. So steps come at most 50 us beside
   where they belong, which a rotor does not notice, and any number of steppers share one timer. A step is
   high from one look to the next, so 10,000 steps a second are the most. The interrupt is on only while
   something turns. */
#include "board_avr.h"

#if NUVRIK_STEP_PINS

#define LOOKS_HZ 20000UL

typedef struct {
    BoardPlace place;
    uint8_t pin;
    bool high;
    uint16_t add;
    uint16_t sum;
    int32_t left;
#if NUVRIK_COIL_PINS
    /* The places of the other ends, and which of four phases the coils are in. */
    BoardPlace ends[3];
    uint8_t phase;
    bool coils;
    bool backward;
#endif
} Steps;

static Steps steppers[NUVRIK_STEP_PINS];
static uint8_t known;

#if NUVRIK_COIL_PINS

static void set(BoardPlace place, bool high)
{
    *place.port = (uint8_t)(high ? *place.port | place.mask : *place.port & (uint8_t)~place.mask);
}

/* Both coils always have current, each one way or the other: A + + - -, B - + + -. What goes off goes first,
   so that the two ends of a coil are never on together. */
static void set_coils(Steps *one)
{
    bool a = one->phase < 2;
    bool b = one->phase == 1 || one->phase == 2;
    set(a ? one->ends[0] : one->place, false);
    set(b ? one->ends[2] : one->ends[1], false);
    set(a ? one->place : one->ends[0], true);
    set(b ? one->ends[1] : one->ends[2], true);
}

#endif

static void step(Steps *one)
{
#if NUVRIK_COIL_PINS
    if (one->coils) {
        one->phase = (uint8_t)((one->phase + (one->backward ? 3U : 1U)) & 3U);
        set_coils(one);
        return;
    }
#endif
    *one->place.port |= one->place.mask;
    one->high = true;
}

ISR(TIMER2_COMPA_vect)
{
    for (uint8_t i = 0; i < known; i++) {
        Steps *one = &steppers[i];
        if (one->high) {
            *one->place.port &= (uint8_t)~one->place.mask;
            one->high = false;
        }
        if (one->add == 0 || one->left == 0) {
            continue;
        }
        uint16_t sum = (uint16_t)(one->sum + one->add);
        if (sum < one->sum) {
            step(one);
            if (one->left > 0) {
                one->left--;
            }
        }
        one->sum = sum;
    }
}

static void begin(Steps *one, const uint8_t *pins, uint8_t count)
{
    one->pin = pins[0];
    one->place = board_place(pins[0]);
    board_make_low(one->place);
#if NUVRIK_COIL_PINS
    one->coils = count == 4;
    for (uint8_t i = 1; i < count; i++) {
        one->ends[i - 1] = board_place(pins[i]);
        board_make_low(one->ends[i - 1]);
    }
#else
    (void)count;
#endif
    known++;
}

void board_steps(const uint8_t *pins, uint8_t count, int32_t rate, int32_t left)
{
    uint8_t i = 0;
    uint32_t size = (uint32_t)(rate < 0 ? -rate : rate);
    uint16_t add = (uint16_t)(((size < 10000U ? size : 10000U) * (65536UL / 4UL)) / (LOOKS_HZ / 4UL));
    while (i < known && steppers[i].pin != pins[0]) {
        i++;
    }
    if (i == known) {
        if (i == NUVRIK_STEP_PINS) {
            return;
        }
        begin(&steppers[i], pins, count);
    }
    BOARD_UNDISTURBED(steppers[i].add = add; steppers[i].left = left);
#if NUVRIK_COIL_PINS
    BOARD_UNDISTURBED(steppers[i].backward = rate < 0);
    if (rate != 0 && steppers[i].coils) {
        /* They may have been let go of. */
        BOARD_UNDISTURBED(set_coils(&steppers[i]));
    }
#endif
}

void board_steppers_begin(void)
{
    TCCR2A = (uint8_t)(1U << WGM21);
    OCR2A = (uint8_t)(F_CPU / 8UL / LOOKS_HZ - 1UL);
    TCCR2B = (uint8_t)(1U << CS21);
    TIMSK2 = (uint8_t)(1U << OCIE2A);
}

#endif
