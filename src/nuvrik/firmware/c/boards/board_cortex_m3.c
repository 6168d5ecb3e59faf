/* An emulated Cortex-M3 (its emulator calls it mps2-an385): a line, a clock, a watchdog, and pins that are memory,
   for whoever watches them to read. Nothing hangs on it, so it is there to be driven and looked at:

       make
       make run          # its line is the port socket://127.0.0.1:4711 */
#include "nuvrik_board.h"
#include "nuvrik.h"

#define REGISTER(address) (*(volatile uint32_t *)(address))

#define UART_DATA REGISTER(0x40004000U)
#define UART_STATE REGISTER(0x40004004U)
#define UART_CONTROL REGISTER(0x40004008U)
#define UART_DIVISOR REGISTER(0x40004010U)

#define WATCHDOG_LOAD REGISTER(0x40008000U)
#define WATCHDOG_CONTROL REGISTER(0x40008008U)
#define WATCHDOG_CLEAR REGISTER(0x4000800CU)

#define TICK_CONTROL REGISTER(0xE000E010U)
#define TICK_LOAD REGISTER(0xE000E014U)

#define CLOCK_HZ 25000000U

enum { PINS = 64 };

/* What each pin is at, as it was told: a level, counts of PWM, microseconds of a pulse, or steps a second. */
volatile uint16_t board_pins[PINS];

/* What each pin reads, for whoever looks after this board to write; BOARD_UNREAD where nobody has. */
volatile int32_t board_reads[PINS];

static volatile uint32_t now_ms;

static const uint8_t *volatile send_next;
static const uint8_t *volatile send_end;

/* What the line takes now; an emulated one takes nearly always all of it. */
static void send_on(void)
{
    while (send_next != send_end && (UART_STATE & 1U) == 0) {
        UART_DATA = *send_next;
        send_next++;
    }
}

void board_each_ms(void)
{
    now_ms++;
    send_on();
}

void board_begin(void)
{
    for (uint8_t i = 0; i < PINS; i++) {
        board_reads[i] = BOARD_UNREAD;
    }
    UART_DIVISOR = CLOCK_HZ / NUVRIK_LINK_BAUD;
    UART_CONTROL = 3;
    TICK_LOAD = CLOCK_HZ / 1000U - 1U;
    TICK_CONTROL = 7;
    /* It bites when it has run down twice, and three ticks must fit in. */
    WATCHDOG_LOAD = CLOCK_HZ / 1000U * (NUVRIK_TICK_MS <= 80 ? 125U : 2U * NUVRIK_TICK_MS);
    WATCHDOG_CONTROL = 3;
}

uint8_t board_start(uint32_t *boot)
{
    /* Nothing in it outlasts a reset or differs from one to the next, so this falls short of what a board owes:
       a request from before a reset could be taken for a new one after it. */
    *boot = 1;
    return 1;
}

uint32_t board_now_ms(void)
{
    return now_ms;
}

int16_t board_take(uint8_t line)
{
    /* What nobody takes is kept by the emulator, in its far end. */
    if (line != BOARD_LINK || (UART_STATE & 2U) == 0) {
        return -1;
    }
    return (int16_t)(UART_DATA & 0xFFU);
}

bool board_give(uint8_t line, const uint8_t *bytes, uint16_t count)
{
    if (line != BOARD_LINK || send_next != send_end) {
        return false;
    }
    if (count != 0) {
        TICK_CONTROL &= ~2U;
        send_next = bytes;
        send_end = bytes + count;
        send_on();
        TICK_CONTROL |= 2U;
    }
    return true;
}

void board_pin(uint8_t pin, bool high)
{
    board_pins[pin % PINS] = high ? 1U : 0U;
}

void board_pwm(uint8_t pin, uint16_t on, uint16_t most)
{
    (void)most;
    board_pins[pin % PINS] = on;
}

void board_pulse(uint8_t pin, uint16_t us)
{
    board_pins[pin % PINS] = us;
}

void board_steps(const uint8_t *pins, uint8_t count, int32_t rate, int32_t left)
{
    (void)count;
    (void)left;
    board_pins[pins[0] % PINS] = (uint16_t)(rate < 0 ? -rate : rate);
}

int32_t board_input(uint8_t pin, uint8_t what)
{
    (void)what;
    return board_reads[pin % PINS];
}

void board_alive(void)
{
    WATCHDOG_CLEAR = 1;
}
