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
} Steps;

static Steps steppers[NUVRIK_STEP_PINS];
static uint8_t count;

ISR(TIMER2_COMPA_vect)
{
    for (uint8_t i = 0; i < count; i++) {
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
            *one->place.port |= one->place.mask;
            one->high = true;
            if (one->left > 0) {
                one->left--;
            }
        }
        one->sum = sum;
    }
}

void board_steps(uint8_t pin, uint16_t rate, int32_t left)
{
    uint8_t i = 0;
    uint16_t add = (uint16_t)(((uint32_t)(rate < 10000U ? rate : 10000U) * 65536UL / 4UL) / (LOOKS_HZ / 4UL));
    while (i < count && steppers[i].pin != pin) {
        i++;
    }
    if (i == count) {
        if (i == NUVRIK_STEP_PINS) {
            return;
        }
        steppers[i].pin = pin;
        steppers[i].place = board_place(pin);
        board_make_low(steppers[i].place);
        count++;
    }
    BOARD_UNDISTURBED(steppers[i].add = add; steppers[i].left = left);
}

void board_steppers_begin(void)
{
    TCCR2A = (uint8_t)(1U << WGM21);
    OCR2A = (uint8_t)(F_CPU / 8UL / LOOKS_HZ - 1UL);
    TCCR2B = (uint8_t)(1U << CS21);
    TIMSK2 = (uint8_t)(1U << OCIE2A);
}

#else

void board_steps(uint8_t pin, uint16_t rate, int32_t left)
{
    (void)pin;
    (void)rate;
    (void)left;
}

#endif
