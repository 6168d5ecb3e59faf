/* A board to be filled in: fifteen functions. What each must guarantee stands above it in nuvrik_board.h.

   As it is, it builds, turns nothing and hears nothing. Begin with board_begin, board_now_ms and board_pin;
   then the line; then PWM; the watchdog last, but before anything with a propeller on it. */
#include "nuvrik_board.h"

void board_begin(void)
{
    /* Clock, line, inputs, watchdog. Your chip's start-up code runs before this: see that it leaves pins
       alone. */
}

uint8_t board_start(uint32_t *boot)
{
    /* A count kept in flash or EEPROM, one more at each start; or noise from a converter that nothing is
       on. */
    *boot = 0;
    return 0;
}

uint32_t board_now_ms(void)
{
    /* A timer's count. Where an interrupt writes it, read it with interrupts off, or twice until it is the
       same. */
    return 0;
}

int16_t board_take(uint8_t line)
{
    /* From a ring that the receive interrupt fills. */
    (void)line;
    return -1;
}

bool board_give(uint8_t line, const uint8_t *bytes, uint16_t count)
{
    /* Note where they stand, for the interrupt that sends, if it is not sending others; with a count of 0 only
       say whether it is. */
    (void)line;
    (void)bytes;
    (void)count;
    return false;
}

uint8_t board_packet(uint8_t *into)
{
    /* From the radio module, if one is waiting there. */
    (void)into;
    return 0;
}

void board_spi(uint8_t *box, uint8_t count)
{
    /* Each byte out, and what comes in meanwhile into its place. */
    (void)box;
    (void)count;
}

void board_pin(uint8_t pin, bool high)
{
    (void)pin;
    (void)high;
}

void board_pwm(uint8_t pin, uint16_t on, uint16_t most)
{
    /* `on` 0 must take the pin from its timer and set it low, not leave a pulse of one count. */
    (void)pin;
    (void)on;
    (void)most;
}

void board_pulse(uint8_t pin, uint16_t us)
{
    (void)pin;
    (void)us;
}

void board_steps(const uint8_t *pins, uint8_t count, int32_t rate, int32_t left)
{
    /* From a timer: a pulse on the one pin, or the next phase on the four. */
    (void)pins;
    (void)count;
    (void)rate;
    (void)left;
}

int32_t board_input(uint8_t pin, uint8_t what)
{
    (void)pin;
    (void)what;
    return BOARD_UNREAD;
}

uint16_t board_edge(uint8_t pin, bool *high)
{
    /* From a ring that an interrupt on both edges fills, with the time that has gone by. */
    (void)pin;
    (void)high;
    return 0;
}

bool board_emit(uint8_t pin, bool high, uint16_t us, uint16_t carrier_hz)
{
    /* Into a ring that a timer empties, level by level. */
    (void)pin;
    (void)high;
    (void)us;
    (void)carrier_hz;
    return false;
}

void board_alive(void)
{
    /* Feed the watchdog, here and nowhere else. */
}
