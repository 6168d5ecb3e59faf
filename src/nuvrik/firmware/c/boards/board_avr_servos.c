/* Servo pulses, up to twelve, one after the other from one timer of 16 bits.

   One pulse begins where the one before ends, so there is never more than one edge to be in time for. The
   interrupt comes a little early and then waits for the edge, so that another interrupt in between does not
   move it. All of the others in a row were seen to take 14 us; 16 are enough. Twelve servos at the far ends of
   their ways take longer than 20 ms together; then the next round begins that much later, which servos do not
   mind. */
#include "board_avr.h"

#if NUVRIK_PULSE_PINS

#define JOIN_(a, b, c) a##b##c
#define JOIN(a, b, c) JOIN_(a, b, c)
#define COUNTER JOIN(TCNT, BOARD_SERVO_TIMER, )
#define COMPARE JOIN(OCR, BOARD_SERVO_TIMER, A)
#define CONTROL_A JOIN(TCCR, BOARD_SERVO_TIMER, A)
#define CONTROL_B JOIN(TCCR, BOARD_SERVO_TIMER, B)
#define MASK JOIN(TIMSK, BOARD_SERVO_TIMER, )
#define FLAGS JOIN(TIFR, BOARD_SERVO_TIMER, )
#define COMPARED JOIN(OCF, BOARD_SERVO_TIMER, A)
#define COMPARES JOIN(OCIE, BOARD_SERVO_TIMER, A)
#define CLOCK_BY_8 JOIN(CS, BOARD_SERVO_TIMER, 1)
#define VECTOR JOIN(TIMER, BOARD_SERVO_TIMER, _COMPA_vect)

#define COUNTS(us) ((uint16_t)((uint32_t)(us) * (F_CPU / 1000000UL) / 8UL))
#define EARLY COUNTS(16)
#define ROUND COUNTS(20000)
#define REST COUNTS(100)

/* From the instruction that ends one pulse to that which begins the next: about 5 counts. */
#define BETWEEN 5U

typedef struct {
    BoardPlace place;
    uint8_t pin;
    uint16_t length;
} Pulse;

static Pulse pulses[NUVRIK_PULSE_PINS];
static uint8_t count;
static uint8_t at = NUVRIK_PULSE_PINS;
static uint16_t edge;
static uint16_t began;

ISR(VECTOR)
{
    uint8_t ended = at;
    while ((int16_t)(COUNTER - edge) < 0) {
    }
    if (ended < NUVRIK_PULSE_PINS) {
        *pulses[ended].place.port &= (uint8_t)~pulses[ended].place.mask;
    } else {
        began = edge;
        at = 0xFF;
    }
    do {
        at++;
    } while (at < count && pulses[at].length == 0);
    if (at < count) {
        *pulses[at].place.port |= pulses[at].place.mask;
        edge = (uint16_t)(edge + pulses[at].length);
    } else {
        at = NUVRIK_PULSE_PINS;
        edge = (uint16_t)((uint16_t)(edge - began) + REST < ROUND ? began + ROUND : edge + REST);
    }
    COMPARE = (uint16_t)(edge - EARLY);
}

void board_pulse(uint8_t pin, uint16_t us)
{
    uint8_t i = 0;
    uint16_t length = us == 0 ? 0 : (uint16_t)(COUNTS(us) + BETWEEN);
    while (i < count && pulses[i].pin != pin) {
        i++;
    }
    if (i == count) {
        if (i == NUVRIK_PULSE_PINS) {
            return;
        }
        pulses[i].pin = pin;
        pulses[i].place = board_place(pin);
        board_make_low(pulses[i].place);
        count++;
    }
    BOARD_UNDISTURBED(pulses[i].length = length);
}

void board_servos_begin(void)
{
    CONTROL_A = 0;
    CONTROL_B = (uint8_t)(1U << CLOCK_BY_8);
    edge = ROUND;
    COMPARE = (uint16_t)(edge - EARLY);
    FLAGS = (uint8_t)(1U << COMPARED);
    MASK = (uint8_t)(1U << COMPARES);
}

#endif
