/* What this board cannot do, or its link does not ask of it: functions that have to be there, and that nobody
   calls. The export refuses a link that asks a board for what it cannot do. */
#include "nuvrik.h"
#include "nuvrik_board.h"

/* Boards that leave out what their link does not ask of them. */
#define BOARD_LEAVES_OUT (NUVRIK_ON_AVR || NUVRIK_ON_SKETCH)

#if !(NUVRIK_ON_AVR && NUVRIK_PACKETS)
uint8_t board_packet(uint8_t *into)
{
    (void)into;
    return 0;
}
#endif

#if !(BOARD_LEAVES_OUT && NUVRIK_SPI)
void board_spi(uint8_t *box, uint8_t count)
{
    (void)box;
    (void)count;
}
#endif

#if !(NUVRIK_ON_AVR && NUVRIK_EDGE_PINS)
uint16_t board_edge(uint8_t pin, bool *high)
{
    (void)pin;
    (void)high;
    return 0;
}
#endif

#if !(NUVRIK_ON_AVR && NUVRIK_EMIT_PINS)
bool board_emit(uint8_t pin, bool high, uint16_t us, uint16_t carrier_hz)
{
    (void)pin;
    (void)high;
    (void)us;
    (void)carrier_hz;
    return false;
}
#endif

#if BOARD_LEAVES_OUT && !NUVRIK_PWM_PINS
void board_pwm(uint8_t pin, uint16_t on, uint16_t most)
{
    (void)pin;
    (void)on;
    (void)most;
}
#endif

#if BOARD_LEAVES_OUT && !NUVRIK_PULSE_PINS
void board_pulse(uint8_t pin, uint16_t us)
{
    (void)pin;
    (void)us;
}
#endif

#if NUVRIK_ON_SKETCH || (NUVRIK_ON_AVR && !NUVRIK_STEP_PINS)
void board_steps(const uint8_t *pins, uint8_t count, int32_t rate, int32_t left)
{
    (void)pins;
    (void)count;
    (void)rate;
    (void)left;
}
#endif
