/* What no sketch can do, or its link does not ask of it: functions that have to be there, and that nobody calls.
   The export refuses a link that asks for the first four. */
#include "nuvrik.h"
#include "nuvrik_board.h"

uint8_t board_packet(uint8_t *into)
{
    (void)into;
    return 0;
}

void board_steps(const uint8_t *pins, uint8_t count, int32_t rate, int32_t left)
{
    (void)pins;
    (void)count;
    (void)rate;
    (void)left;
}

uint16_t board_edge(uint8_t pin, bool *into)
{
    (void)pin;
    (void)into;
    return 0;
}

bool board_emit(uint8_t pin, bool high, uint16_t us, uint16_t carrier_hz)
{
    (void)pin;
    (void)high;
    (void)us;
    (void)carrier_hz;
    return false;
}

#if !NUVRIK_SPI
void board_spi(uint8_t *box, uint8_t count)
{
    (void)box;
    (void)count;
}
#endif

#if !NUVRIK_PWM_PINS
void board_pwm(uint8_t pin, uint16_t on, uint16_t most)
{
    (void)pin;
    (void)on;
    (void)most;
}
#endif

#if !NUVRIK_PULSE_PINS
void board_pulse(uint8_t pin, uint16_t us)
{
    (void)pin;
    (void)us;
}
#endif
