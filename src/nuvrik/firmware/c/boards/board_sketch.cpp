/* Any board that the common sketch framework knows: its pins, PWM, converter, line, milliseconds, pin
   interrupts and SPI library. What it has no word for, a watchdog, the reason of a reset, servo pulses, goes
   by the family of the chip. */
#include <Arduino.h>

#include "nuvrik.h"
#include "nuvrik_board.h"

#if NUVRIK_SPI
#include <SPI.h>
#endif

#if defined(__AVR__)
#include <avr/eeprom.h>
#include <avr/wdt.h>
#elif defined(ESP32)
#include <esp_system.h>
#include <esp_task_wdt.h>
#elif defined(ARDUINO_ARCH_RP2040)
#include <hardware/watchdog.h>
#else
#warning "this core has no watchdog that we know: a loop that hangs keeps motors on"
#endif

#if NUVRIK_PULSE_PINS && !defined(__AVR__)
#if defined(__has_include)
#if __has_include(<Servo.h>)
#include <Servo.h>
#define BOARD_HAS_SERVOS 1
#elif __has_include(<ESP32Servo.h>)
#include <ESP32Servo.h>
#define BOARD_HAS_SERVOS 1
#endif
#endif
#ifndef BOARD_HAS_SERVOS
#error "this core has no servo library: install one in the library manager, or take the servos to another board"
#endif
#endif

/* Three ticks must fit in. */
enum { WATCHDOG_MS = NUVRIK_TICK_MS > 80 ? 3 * NUVRIK_TICK_MS : 250 };

/* ---- start and watchdog ---- */

#if defined(__AVR__)

static uint8_t reset_flags __attribute__((section(".noinit")));

/* A watchdog that has bitten stays on, at its shortest, until its flag is put out: before anything else. */
extern "C" void board_keep_reset_flags(void) __attribute__((naked, used, section(".init3")));
void board_keep_reset_flags(void)
{
    reset_flags = MCUSR;
    MCUSR = 0;
    wdt_disable();
}

static uint32_t EEMEM boots;

uint8_t board_start(uint32_t *boot)
{
    *boot = eeprom_read_dword(&boots) + 1U;
    eeprom_update_dword(&boots, *boot);
    /* More than one may be on. Many loaders put all of them out: then nobody knows. */
    return reset_flags & _BV(WDRF) ? 3 : reset_flags & _BV(PORF) ? 1 : reset_flags & _BV(BORF) ? 4
           : reset_flags & _BV(EXTRF) ? 2 : 0;
}

static void guard(void)
{
    wdt_enable(WATCHDOG_MS <= 250 ? WDTO_250MS : WATCHDOG_MS <= 1000 ? WDTO_1S : WDTO_4S);
}

static void feed(void)
{
    wdt_reset();
}

#elif defined(ESP32)

uint8_t board_start(uint32_t *boot)
{
    *boot = esp_random();
    switch (esp_reset_reason()) {
    case ESP_RST_POWERON:
        return 1;
    case ESP_RST_EXT:
    case ESP_RST_SW:
        return 2;
    case ESP_RST_INT_WDT:
    case ESP_RST_TASK_WDT:
    case ESP_RST_WDT:
        return 3;
    case ESP_RST_BROWNOUT:
        return 4;
    default:
        return 0;
    }
}

static void guard(void)
{
#if ESP_IDF_VERSION_MAJOR >= 5
    esp_task_wdt_config_t config = {};
    config.timeout_ms = WATCHDOG_MS;
    config.trigger_panic = true;
    esp_task_wdt_reconfigure(&config);
#else
    /* Whole seconds only. */
    esp_task_wdt_init((WATCHDOG_MS + 999) / 1000, true);
#endif
    esp_task_wdt_add(NULL);
}

static void feed(void)
{
    esp_task_wdt_reset();
}

#else

/* Not there at any earlier start, most likely: the lowest bits of what nothing is connected to. */
uint8_t board_start(uint32_t *boot)
{
    uint32_t made = micros();
    for (uint8_t i = 0; i < 64; i++) {
        made = made * 69069U + (uint32_t)analogRead(A0) + micros();
    }
    *boot = made;
#if defined(ARDUINO_ARCH_RP2040)
    return watchdog_caused_reboot() ? 3 : 0;
#else
    return 0;
#endif
}

static void guard(void)
{
#if defined(ARDUINO_ARCH_RP2040)
    watchdog_enable(WATCHDOG_MS, true);
#endif
}

static void feed(void)
{
#if defined(ARDUINO_ARCH_RP2040)
    watchdog_update();
#endif
}

#endif

/* ---- the line ---- */

static const uint8_t *next_byte;
static uint16_t bytes_left;

/* As much as it takes at once: a line whose buffer is full would wait. */
static void go_on_sending(void)
{
    while (bytes_left > 0 && Serial.availableForWrite() > 0) {
        Serial.write(*next_byte++);
        bytes_left--;
    }
}

/* Where the link goes another way, the line is the host's. */
static bool is_ours(uint8_t line)
{
    return line == (NUVRIK_LINE_IS_HOSTS ? BOARD_HOST : BOARD_LINK);
}

int16_t board_take(uint8_t line)
{
    go_on_sending();
    return is_ours(line) ? (int16_t)Serial.read() : (int16_t)-1;
}

bool board_give(uint8_t line, const uint8_t *bytes, uint16_t count)
{
    go_on_sending();
    if (!is_ours(line) || bytes_left > 0) {
        return false;
    }
    next_byte = bytes;
    bytes_left = count;
    go_on_sending();
    return true;
}

/* ---- the clock ---- */

uint32_t board_now_ms(void)
{
    return millis();
}

/* ---- pins ---- */

/* Which pins have been made outputs, and which inputs. */
static uint8_t outputs[32];
static uint8_t inputs[32];

static bool first_time(uint8_t *pins, uint8_t pin)
{
    uint8_t bit = (uint8_t)(1U << (pin & 7U));
    bool first = (pins[pin >> 3] & bit) == 0;
    pins[pin >> 3] |= bit;
    return first;
}

void board_pin(uint8_t pin, bool high)
{
    digitalWrite(pin, high ? HIGH : LOW);
    if (first_time(outputs, pin)) {
        pinMode(pin, OUTPUT);
        /* Some cores forget a level that was there before. */
        digitalWrite(pin, high ? HIGH : LOW);
    }
}

#if NUVRIK_PWM_PINS

void board_pwm(uint8_t pin, uint16_t on, uint16_t most)
{
    if (first_time(outputs, pin)) {
        digitalWrite(pin, LOW);
        pinMode(pin, OUTPUT);
    }
    analogWrite(pin, (int)(((uint32_t)on * 255U + most / 2U) / most));
}

#endif

#if NUVRIK_PULSE_PINS && defined(__AVR__)

/* board_avr_servos.c times them; it asks for places. */
extern "C" {
#include "board_avr.h"

BoardPlace board_place(uint8_t pin)
{
    BoardPlace place = {portOutputRegister(digitalPinToPort(pin)), (uint8_t)digitalPinToBitMask(pin)};
    return place;
}

void board_make_low(BoardPlace place)
{
    BOARD_UNDISTURBED(*place.port &= (uint8_t)~place.mask; BOARD_DDR(place) |= place.mask);
}
}

#elif NUVRIK_PULSE_PINS

static Servo servos[NUVRIK_PULSE_PINS];
static uint8_t servo_pins[NUVRIK_PULSE_PINS];
static uint8_t servo_count;

void board_pulse(uint8_t pin, uint16_t us)
{
    uint8_t i = 0;
    while (i < servo_count && servo_pins[i] != pin) {
        i++;
    }
    if (i == servo_count) {
        if (i == NUVRIK_PULSE_PINS) {
            return;
        }
        servo_pins[i] = pin;
        servo_count++;
    }
    if (us == 0) {
        servos[i].detach();
        board_pin(pin, false);
    } else {
        if (!servos[i].attached()) {
            servos[i].attach(pin);
        }
        servos[i].writeMicroseconds(us);
    }
}

#endif

/* ---- inputs ---- */

#define WATCHED (NUVRIK_COUNTER_PINS + NUVRIK_END_SWITCHES)

#if WATCHED

/* 200 us: far longer than the sparks of a motor couple in, far shorter than any cam is on its switch. */
enum { LASTS_US = 200 };

/* For a counter, edges; for an end switch, when its level last changed, and whether one that lasted has come
   and gone since it was read. */
static struct Watched {
    uint8_t pin;
    volatile bool high, was, passed;
    volatile uint16_t edges;
    volatile uint32_t since;
} watched[WATCHED];
static uint8_t watching;

static void changed(Watched &one)
{
    bool high = digitalRead(one.pin) == HIGH;
    uint32_t now = micros();
    if (high == one.high) {
        return;
    }
    if (high) {
        one.edges++;
    }
    if (one.high != one.was && now - one.since >= LASTS_US) {
        one.passed = true;
    }
    one.since = now;
    one.high = high;
}

/* An interrupt is told nothing, so each pin has a function of its own. */
template <uint8_t AT> static void on_change(void)
{
    changed(watched[AT]);
}

template <uint8_t AT> struct Attach {
    static void to(uint8_t at, int interrupt)
    {
        if (at == AT - 1) {
            attachInterrupt(interrupt, on_change<AT - 1>, CHANGE);
        } else {
            Attach<AT - 1>::to(at, interrupt);
        }
    }
};
template <> struct Attach<0> {
    static void to(uint8_t, int) {}
};

static int32_t look_at(uint8_t pin, uint8_t what)
{
    uint8_t i = 0;
    while (i < watching && watched[i].pin != pin) {
        i++;
    }
    if (i == WATCHED) {
        return BOARD_UNREAD;
    }
    Watched &one = watched[i];
    if (i == watching) {
        one.pin = pin;
        one.high = one.was = digitalRead(pin) == HIGH;
        watching++;
        Attach<WATCHED>::to(i, digitalPinToInterrupt(pin));
    }
    noInterrupts();
    int32_t given = one.edges;
    if (what == BOARD_LATCHED) {
        /* A level that has only just come may be a spark: it is believed once it has lasted. */
        bool fresh = one.high != one.was && micros() - one.since < LASTS_US;
        bool level = fresh ? one.was : one.high;
        if (one.passed && level == one.was) {
            level = !level;
        }
        one.passed = false;
        if (!fresh) {
            one.was = one.high;
        }
        given = level ? 1 : 0;
    }
    interrupts();
    return given;
}

#endif

int32_t board_input(uint8_t pin, uint8_t what)
{
    if (what == BOARD_ANALOG) {
        return analogRead(pin);
    }
    if (first_time(inputs, pin)) {
        /* A pull-up, so that a wire that has come off reads as a contact that is open. */
        pinMode(pin, INPUT_PULLUP);
        return BOARD_UNREAD;
    }
#if WATCHED
    if (what == BOARD_COUNTER || what == BOARD_LATCHED) {
        return look_at(pin, what);
    }
#endif
    return digitalRead(pin) == HIGH ? 1 : 0;
}

/* ---- the SPI bus ---- */

#if NUVRIK_SPI

void board_spi(uint8_t *box, uint8_t count)
{
    SPI.beginTransaction(SPISettings(8000000, MSBFIRST, SPI_MODE0));
    for (uint8_t i = 0; i < count; i++) {
        box[i] = SPI.transfer(box[i]);
    }
    SPI.endTransaction();
}

#endif

/* ---- a turn ---- */

void board_begin(void)
{
    Serial.begin(NUVRIK_LINE_IS_HOSTS ? NUVRIK_HOST_BAUD : NUVRIK_LINK_BAUD);
#if NUVRIK_SPI
    SPI.begin();
#endif
#if NUVRIK_PULSE_PINS && defined(__AVR__)
    board_servos_begin();
#endif
    guard();
}

void board_alive(void)
{
    go_on_sending();
    feed();
}
