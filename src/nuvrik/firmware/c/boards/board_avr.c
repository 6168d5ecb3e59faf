/* ATmega328P and ATmega2560: clock, line, plain pins, PWM and watchdog. Servos, steppers and inputs have
   files of their own.

   Timers. Timer 0 is the clock, and its two pins still do PWM, at 976 Hz. Timer 2 steps steppers, where there
   are any, or does PWM. One timer of 16 bits times servo pulses, where there are any; the others do PWM, and
   each counts to what the link file calls full on. At 16 MHz: 976 Hz up to 255 counts, 7,800 Hz down to 1,950
   Hz up to 1,023, 16 MHz by the count beyond. */
#include "board_avr.h"

#include <avr/eeprom.h>
#if NUVRIK_HAS_KEY
#include "link_key.h"
#endif
#include <avr/pgmspace.h>
#include <avr/wdt.h>

/* ---- before everything ---- */

static uint8_t reset_flags __attribute__((section(".noinit")));

/* A watchdog that has bitten stays on, at its shortest, until its flag is put out. This runs before main, and
   before variables are set, so that nothing in the way can take too long. After any reset every pin is an
   input. */
void board_keep_reset_flags(void) __attribute__((naked, used, section(".init3")));
void board_keep_reset_flags(void)
{
    reset_flags = MCUSR;
    MCUSR = 0;
    wdt_disable();
}

/* ---- plain pins ---- */

#define PLACE(pin, port, bit) {(uint16_t)&PORT##port, (uint8_t)(1U << (bit))},
static const struct {
    uint16_t port;
    uint8_t mask;
} PLACES[] PROGMEM = {BOARD_PINS(PLACE)};

BoardPlace board_place(uint8_t pin)
{
    BoardPlace place;
    if (pin >= sizeof PLACES / sizeof *PLACES) {
        /* There is no such pin: a place with no bit in it, which nothing that is written changes. */
        place.port = (volatile uint8_t *)pgm_read_word(&PLACES[0].port);
        place.mask = 0;
        return place;
    }
    place.port = (volatile uint8_t *)pgm_read_word(&PLACES[pin].port);
    place.mask = pgm_read_byte(&PLACES[pin].mask);
    return place;
}

static void set_place(BoardPlace place, bool high)
{
    BOARD_UNDISTURBED(
        *place.port = (uint8_t)(high ? *place.port | place.mask : *place.port & (uint8_t)~place.mask);
        BOARD_DDR(place) |= place.mask);
}

void board_make_low(BoardPlace place)
{
    set_place(place, false);
}

void board_pin(uint8_t pin, bool high)
{
    set_place(board_place(pin), high);
}

/* ---- PWM ---- */

#if NUVRIK_PWM_PINS

#define CHANNEL(pin, timer, channel) \
    {pin, (uint8_t)(1U << COM##timer##channel##1), (uint16_t)&TCCR##timer##A, (uint16_t)&OCR##timer##channel},
static const struct {
    uint8_t pin;
    uint8_t connects;
    uint16_t control;
    uint16_t compare;
} CHANNELS[] PROGMEM = {BOARD_PWM_NARROW(CHANNEL) BOARD_PWM_WIDE(CHANNEL)};

#define COUNT_ONE(pin, timer, channel) +1
#define NARROW (0 BOARD_PWM_NARROW(COUNT_ONE))

void board_pwm(uint8_t pin, uint16_t on, uint16_t most)
{
    uint8_t at = 0;
    while (pgm_read_byte(&CHANNELS[at].pin) != pin) {
        at++;
        if (at == sizeof CHANNELS / sizeof *CHANNELS) {
            return; /* It has no PWM, or another use. */
        }
    }
    volatile uint8_t *control = (volatile uint8_t *)pgm_read_word(&CHANNELS[at].control);
    uint8_t connects = pgm_read_byte(&CHANNELS[at].connects);
    uint16_t compare = pgm_read_word(&CHANNELS[at].compare);
    uint16_t top = at < NARROW ? 255U : NUVRIK_PWM_MOST;
    if (most != top) {
        on = (uint16_t)(((uint32_t)on * top + most / 2U) / most);
    }
    if (on == 0) {
        /* Off its timer first, and the pin is what PORT says: low. A compare of 0 would leave a spike of one
           count. */
        *control &= (uint8_t)~connects;
        board_make_low(board_place(pin));
    }
    /* Counts are set at the end of a period, so one that was on before comes back at 0 and not at what it
       was. */
    if (at < NARROW) {
        *(volatile uint8_t *)compare = (uint8_t)on;
    } else {
        /* Its two halves go through a register that interrupts use for other timers. */
        BOARD_UNDISTURBED(*(volatile uint16_t *)compare = on);
    }
    if (on != 0) {
        *control |= connects;
    }
}

/* Fast PWM that counts to its ICR. */
#if NUVRIK_PWM_MOST > 1023
#define WIDE_PRESCALER(timer) (1U << CS##timer##0)
#elif NUVRIK_PWM_MOST > 255
#define WIDE_PRESCALER(timer) (1U << CS##timer##1)
#else
#define WIDE_PRESCALER(timer) ((1U << CS##timer##1) | (1U << CS##timer##0))
#endif
#define BEGIN_WIDE(timer)                                                                            \
    if (timer != BOARD_SERVO_TIMER) {                                                                \
        ICR##timer = NUVRIK_PWM_MOST;                                                                \
        TCCR##timer##A |= (uint8_t)(1U << WGM##timer##1);                                            \
        TCCR##timer##B = (uint8_t)((1U << WGM##timer##3) | (1U << WGM##timer##2) | WIDE_PRESCALER(timer)); \
    }

static void begin_pwm(void)
{
    BOARD_WIDE_TIMERS(BEGIN_WIDE)
#if !NUVRIK_STEP_PINS && !NUVRIK_EMIT_PINS
    TCCR2A |= (uint8_t)((1U << WGM21) | (1U << WGM20));
    TCCR2B = (uint8_t)(1U << CS22);
#endif
}

#endif

/* ---- the clock ---- */

static volatile uint32_t now_ms;
#if BOARD_COUNTS_US
static volatile uint8_t rounds;
#endif

/* Timer 0 goes round every 256 * 64 cycles: 1.024 ms at 16 MHz. What is beyond a millisecond is kept. */
#define ROUND_US (256UL * 64UL * 1000UL / (F_CPU / 1000UL))

ISR(TIMER0_OVF_vect)
{
#if BOARD_COUNTS_US
    rounds++;
#endif
    static uint16_t beyond_us;
    uint16_t us = (uint16_t)(beyond_us + ROUND_US % 1000UL);
    uint32_t ms = now_ms + ROUND_US / 1000UL;
    if (us >= 1000U) {
        us = (uint16_t)(us - 1000U);
        ms++;
    }
    beyond_us = us;
    now_ms = ms;
}

#if BOARD_COUNTS_US

uint16_t board_counts(void)
{
    uint8_t count = TCNT0;
    uint8_t round = rounds;
    /* It may just have gone round, and its interrupt be waiting for this one to end. */
    if ((TIFR0 & (1U << TOV0)) != 0 && count < 128U) {
        round++;
    }
    return (uint16_t)((uint16_t)(round << 8) | count);
}

#endif

uint32_t board_now_ms(void)
{
    uint32_t now;
    BOARD_UNDISTURBED(now = now_ms);
    return now;
}

/* ---- lines ---- */

#define LINE 0
#define LINE_BAUD NUVRIK_LINK_BAUD
#define LINE_RX_VECT BOARD_RX_VECT
#define LINE_UDRE_VECT BOARD_UDRE_VECT
#include "board_avr_line.h"

#if NUVRIK_HOST_LINE
#define LINE 1
#define LINE_BAUD NUVRIK_HOST_BAUD
#define LINE_RX_VECT USART1_RX_vect
#define LINE_UDRE_VECT USART1_UDRE_vect
#include "board_avr_line.h"
#endif

/* Where the link goes another way, the first line is the host's. */
#define OUR_LINE (NUVRIK_LINE_IS_HOSTS ? BOARD_HOST : BOARD_LINK)

int16_t board_take(uint8_t line)
{
#if NUVRIK_HOST_LINE
    if (line == BOARD_HOST) {
        return line1_take();
    }
#endif
    return line == OUR_LINE ? line0_take() : (int16_t)-1;
}

static bool send_on_line(uint8_t line, const uint8_t *bytes, uint16_t count)
{
#if NUVRIK_HOST_LINE
    if (line == BOARD_HOST) {
        return line1_give(bytes, count);
    }
#endif
    return line == OUR_LINE && line0_give(bytes, count);
}

static void begin_lines(void)
{
    line0_begin();
#if NUVRIK_HOST_LINE
    line1_begin();
#endif
}

#if NUVRIK_PACKETS

#include "radio.h"

uint8_t board_packet(uint8_t *into)
{
    return radio_receive(into);
}

bool board_give(uint8_t line, const uint8_t *bytes, uint16_t count)
{
    if (line != BOARD_LINK) {
        return send_on_line(line, bytes, count);
    }
    return count == 0 ? radio_free() : radio_send(bytes, (uint8_t)count);
}

#else

bool board_give(uint8_t line, const uint8_t *bytes, uint16_t count)
{
    return send_on_line(line, bytes, count);
}

#endif

/* ---- start and watchdog ---- */

#if NUVRIK_HAS_KEY

/* The chip has no random numbers. What core keeps in memory that lasts is a count of its starts; beside that
   stands what its two clocks say of one another while power comes up. */
static uint8_t run_apart[4];
static volatile bool has_bitten;

ISR(WDT_vect)
{
    has_bitten = true;
}

static void take_jitter(void)
{
    cli();
    wdt_reset();
    WDTCSR = (uint8_t)((1U << WDCE) | (1U << WDE));
    WDTCSR = (uint8_t)(1U << WDIE);
    sei();
    for (uint8_t i = 0; i < 32; i++) {
        /* A period of it is 16 ms. Where there is none, time goes on all the same. */
        uint32_t until_ms = board_now_ms() + 40U;
        has_bitten = false;
        while (!has_bitten && (int32_t)(board_now_ms() - until_ms) < 0) {
        }
        uint8_t *one = &run_apart[i & 3U];
        *one = (uint8_t)((uint8_t)(*one << 1) | (uint8_t)(*one >> 7));
        *one ^= TCNT0;
    }
    wdt_disable();
}

uint8_t board_key(uint8_t at)
{
    return LINK_KEY[at];
}

uint8_t board_kept(uint16_t at)
{
    return eeprom_read_byte((const uint8_t *)at);
}

bool board_keep(uint16_t at, uint8_t byte)
{
    if (!eeprom_is_ready()) {
        return false;
    }
    eeprom_write_byte((uint8_t *)at, byte);
    return true;
}

void board_jitter(uint8_t *into)
{
    for (uint8_t i = 0; i < sizeof run_apart; i++) {
        into[i] = run_apart[i];
    }
}

static uint32_t next_start(void)
{
    return 0;
}

#else

static uint32_t EEMEM boots;

static uint32_t next_start(void)
{
    uint32_t count = eeprom_read_dword(&boots) + 1U;
    eeprom_update_dword(&boots, count);
    return count;
}

#endif

uint8_t board_start(uint32_t *boot)
{
    *boot = next_start();
    /* More than one may be on: power that rises slowly is a brown-out too. */
    if (reset_flags & (1U << WDRF)) {
        return 3;
    }
    if (reset_flags & (1U << PORF)) {
        return 1;
    }
    if (reset_flags & (1U << BORF)) {
        return 4;
    }
    return (uint8_t)(reset_flags & (1U << EXTRF) ? 2U : 0U);
}

void board_begin(void)
{
    TCCR0A |= (uint8_t)((1U << WGM01) | (1U << WGM00));
    TCCR0B = (uint8_t)((1U << CS01) | (1U << CS00));
    TIMSK0 = (uint8_t)(1U << TOIE0);
#if NUVRIK_PWM_PINS
    begin_pwm();
#endif
#if NUVRIK_PULSE_PINS
    board_servos_begin();
#endif
#if NUVRIK_STEP_PINS
    board_steppers_begin();
#endif
    begin_lines();
#if NUVRIK_PACKETS
    radio_begin();
#endif
#if NUVRIK_SPI
    board_spi_begin();
#endif
    sei();
#if NUVRIK_HAS_KEY
    take_jitter();
#endif
    /* Three ticks must fit in. */
    wdt_enable(NUVRIK_TICK_MS <= 80 ? WDTO_250MS : NUVRIK_TICK_MS <= 300 ? WDTO_1S : WDTO_4S);
}

void board_alive(void)
{
    wdt_reset();
}
