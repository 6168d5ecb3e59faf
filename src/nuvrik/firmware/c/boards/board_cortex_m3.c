/* A Cortex-M3 as an emulator has it: a UART, the system timer as a clock, and pins and PWM as memory that can be
   watched. What a real one adds is its own registers in place of board_pins. */
#include "nuvrik_board.h"

/* What each pin was last set to: 0 or 1, counts, microseconds, or steps a second. */
volatile uint16_t board_pins[64];
volatile uint32_t board_turns;

#define REGISTER(address) (*(volatile uint32_t *)(address))
#define UART_DATA REGISTER(0x40004000U)
#define UART_STATE REGISTER(0x40004004U)
#define UART_CONTROL REGISTER(0x40004008U)
#define UART_DIVISOR REGISTER(0x40004010U)
#define TIMER_CONTROL REGISTER(0xE000E010U)
#define TIMER_RELOAD REGISTER(0xE000E014U)
#define TIMER_NOW REGISTER(0xE000E018U)

#define CLOCK_HZ 25000000U

static volatile uint32_t now_ms;

/* The vectors name it. */
void board_each_ms(void);
void board_each_ms(void)
{
    now_ms++;
}

void board_begin(void)
{
    UART_DIVISOR = CLOCK_HZ / 57600U;
    UART_CONTROL = 3;
    TIMER_RELOAD = CLOCK_HZ / 1000U - 1U;
    TIMER_NOW = 0;
    TIMER_CONTROL = 7;
}

uint8_t board_start(uint32_t *boot)
{
    /* It has nothing that outlives its power. */
    *boot = 0;
    return 1;
}

uint32_t board_now_ms(void)
{
    return now_ms;
}

int16_t board_take(uint8_t line)
{
    return (int16_t)(line == BOARD_LINK && (UART_STATE & 2U) != 0 ? (int16_t)(UART_DATA & 0xFFU) : -1);
}

bool board_give(uint8_t line, const uint8_t *bytes, uint16_t count)
{
    /* The emulated UART sends in no time, so nothing waits here. */
    for (uint16_t i = 0; line == BOARD_LINK && i < count; i++) {
        UART_DATA = bytes[i];
    }
    return line == BOARD_LINK;
}

uint8_t board_packet(uint8_t *into)
{
    (void)into;
    return 0;
}

static void set(uint8_t pin, uint16_t level)
{
    if (pin < 64) {
        board_pins[pin] = level;
    }
}

void board_pin(uint8_t pin, bool high)
{
    set(pin, high ? 1 : 0);
}

void board_pwm(uint8_t pin, uint16_t on, uint16_t most)
{
    (void)most;
    set(pin, on);
}

void board_pulse(uint8_t pin, uint16_t us)
{
    set(pin, us);
}

void board_steps(uint8_t pin, uint16_t rate, int32_t left)
{
    (void)left;
    set(pin, rate);
}

int32_t board_input(uint8_t pin, uint8_t what)
{
    (void)pin;
    (void)what;
    return BOARD_UNREAD;
}

uint16_t board_edge(bool *high)
{
    (void)high;
    return 0;
}

bool board_emit(const uint16_t *lengths, uint8_t count, uint16_t carrier_hz)
{
    (void)lengths;
    (void)count;
    (void)carrier_hz;
    return false;
}

void board_alive(void)
{
    board_turns++;
}
