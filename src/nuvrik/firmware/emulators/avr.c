/* An emulated AVR as a shared library: real firmware, with bytes in and out of its line, readings on its
   pins, and a look at its registers after every instruction. It is built on the spot against the emulator's
   own library. */
#include <stdbool.h>
#include <stdint.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include <simavr/avr_adc.h>
#include <simavr/avr_ioport.h>
#include <simavr/avr_uart.h>
#include <simavr/sim_avr.h>
#include <simavr/sim_elf.h>
#include <simavr/sim_io.h>

enum { SPCR_AT = 0x4C, SPSR_AT = 0x4D, SPDR_AT = 0x4E, A_BYTE = 16 };
enum { ON_BUS, SELECTED, ENABLED };
enum { MOST_WATCHED = 64, MOST_CHANGES = 1 << 16, MOST_BYTES = 1 << 14, SREG_AT = 0x5F, MCUSR_AT = 0x54 };

typedef struct {
    uint64_t cycle;
    uint32_t what;
    uint32_t value;
} Change;

/* What hangs on the SPI bus: a byte for it, or a level on one of two wires; and when. */
typedef uint8_t (*OnBus)(uint32_t what, uint32_t value, uint64_t cycle);

typedef struct {
    avr_t *avr;
    OnBus on_bus;
    uint64_t byte_done_at;
    bool byte_waits;
    avr_irq_t *into;
    avr_uart_t *uart;
    uint16_t watched[MOST_WATCHED];
    uint8_t seen[MOST_WATCHED];
    uint16_t lowest, highest;
    uint8_t shadow[0x200];
    uint32_t watched_count;
    Change changes[MOST_CHANGES];
    uint32_t changes_count;
    uint32_t changes_lost;
    uint16_t waiting[MOST_BYTES];
    uint32_t waiting_in, waiting_out;
    uint64_t free_at;
    uint32_t byte_cycles;
    Change said[MOST_BYTES];
    uint32_t said_count;
    uint64_t off_since, off_longest;
    bool once_on;
    uint32_t resets;
    uint32_t deepest;
    uint8_t held[26][2];
    uint8_t kept[1 << 14];
    uint16_t kept_from, kept_size, kept_when;
    uint8_t kept_was;
} Emulated;

static void note(Emulated *self, uint32_t what, uint32_t value)
{
    if (self->changes_count == MOST_CHANGES) {
        self->changes_lost++;
        return;
    }
    self->changes[self->changes_count++] = (Change){self->avr->cycle, what, value};
}

static void hear(struct avr_irq_t *irq, uint32_t value, void *given)
{
    Emulated *self = given;
    (void)irq;
    if (self->said_count < MOST_BYTES) {
        self->said[self->said_count++] = (Change){self->avr->cycle, 0, value & 0xFFU};
    }
}

static void say_nothing(avr_t *avr, const int level, const char *format, va_list words)
{
    (void)avr;
    (void)level;
    (void)format;
    (void)words;
}

/* From now on a chip's line is this one: where it is, and that it prints nothing of its own. */
void emulated_line(Emulated *self, char name)
{
    uint32_t flags = 0;
    avr_ioctl(self->avr, AVR_IOCTL_UART_SET_FLAGS(name), &flags);
    if (self->uart != NULL) {
        char before = self->uart->name;
        avr_irq_unregister_notify(avr_io_getirq(self->avr, AVR_IOCTL_UART_GETIRQ(before), UART_IRQ_OUTPUT), hear, self);
    }
    self->into = avr_io_getirq(self->avr, AVR_IOCTL_UART_GETIRQ(name), UART_IRQ_INPUT);
    avr_irq_register_notify(avr_io_getirq(self->avr, AVR_IOCTL_UART_GETIRQ(name), UART_IRQ_OUTPUT), hear, self);
    for (avr_io_t *one = self->avr->io_port; one != NULL; one = one->next) {
        if (strcmp(one->kind, "uart") == 0 && ((avr_uart_t *)one)->name == name) {
            self->uart = (avr_uart_t *)one;
        }
    }
}

Emulated *emulated_open(const char *path, const char *chip, uint32_t hz)
{
    elf_firmware_t firmware;
    Emulated *self = calloc(1, sizeof *self);
    memset(&firmware, 0, sizeof firmware);
    avr_global_logger_set(say_nothing);
    if (self == NULL || elf_read_firmware(path, &firmware) != 0) {
        free(self);
        return NULL;
    }
    self->avr = avr_make_mcu_by_name(chip);
    if (self->avr == NULL) {
        free(self);
        return NULL;
    }
    avr_init(self->avr);
    firmware.frequency = hz;
    avr_load_firmware(self->avr, &firmware);
    self->avr->frequency = hz;
    self->avr->log = LOG_NONE;
    /* Volts come from outside, and the supply is 5 V. */
    self->avr->vcc = self->avr->avcc = self->avr->aref = 5000;
    /* One instruction at a time, or a change could be seen late. */
    self->avr->run_cycle_limit = 1;
    self->avr->run_cycle_count = 1;
    self->deepest = self->avr->ramend;
    emulated_line(self, '0');
    return self;
}

void emulated_close(Emulated *self)
{
    avr_terminate(self->avr);
    free(self->avr);
    free(self);
}

/* Note every change of the byte at an address of data memory from now on. */
void emulated_watch(Emulated *self, uint16_t address)
{
    if (self->watched_count < MOST_WATCHED && address < sizeof self->shadow) {
        self->lowest = self->watched_count == 0 || address < self->lowest ? address : self->lowest;
        self->highest = address > self->highest ? address : self->highest;
        memcpy(self->shadow, self->avr->data, sizeof self->shadow);
        self->seen[self->watched_count] = self->avr->data[address];
        self->watched[self->watched_count++] = address;
    }
}

/* Keep a piece of memory as it is whenever the byte at `when` becomes 0; gives where. */
uint8_t *emulated_keep(Emulated *self, uint16_t from, uint16_t size, uint16_t when)
{
    self->kept_from = from;
    self->kept_size = size;
    self->kept_when = when;
    memcpy(self->kept, self->avr->data + from, size);
    return self->kept;
}

/* Bytes for the line, one after the other. byte_cycles: how long each takes, 0 for as long as at the line's
   speed. */
void emulated_send(Emulated *self, const uint8_t *bytes, uint32_t count, uint32_t byte_cycles)
{
    self->byte_cycles = byte_cycles;
    for (uint32_t i = 0; i < count && self->waiting_in - self->waiting_out < MOST_BYTES; i++) {
        self->waiting[self->waiting_in++ % MOST_BYTES] = bytes[i];
    }
}

static void send_waiting(Emulated *self)
{
    if (self->waiting_out == self->waiting_in || self->avr->cycle < self->free_at) {
        return;
    }
    uint64_t takes = self->uart->cycles_per_byte;
    if (self->byte_cycles != 0) {
        takes = self->byte_cycles;
        self->uart->cycles_per_byte = takes > 1 ? takes - 1 : 1;
    }
    avr_raise_irq(self->into, self->waiting[self->waiting_out++ % MOST_BYTES]);
    self->free_at = self->avr->cycle + takes;
}

static void look(Emulated *self)
{
    const uint8_t *data = self->avr->data;
    if (self->kept_size != 0) {
        if (self->kept_was != 0 && data[self->kept_when] == 0) {
            memcpy(self->kept, data + self->kept_from, self->kept_size);
        }
        self->kept_was = data[self->kept_when];
    }
    size_t span = (size_t)(self->highest - self->lowest) + 1;
    /* Nearly always nothing has changed in all of it, and that is soon seen. */
    if (self->watched_count != 0 && memcmp(self->shadow + self->lowest, data + self->lowest, span) != 0) {
        memcpy(self->shadow + self->lowest, data + self->lowest, span);
        for (uint32_t i = 0; i < self->watched_count; i++) {
            uint8_t now = data[self->watched[i]];
            if (now != self->seen[i]) {
                self->seen[i] = now;
                note(self, self->watched[i], now);
            }
        }
    }
    if (self->avr->sreg[S_I]) {
        if (self->off_since != 0) {
            uint64_t off = self->avr->cycle - self->off_since;
            self->off_longest = off > self->off_longest ? off : self->off_longest;
            self->off_since = 0;
        }
        self->once_on = true;
    } else if (self->once_on && self->off_since == 0) {
        self->off_since = self->avr->cycle;
    }
    uint32_t stack = data[0x5D] | (uint32_t)data[0x5E] << 8;
    if (self->once_on && stack < self->deepest) {
        self->deepest = stack;
    }
}

/* Run to a cycle. 0: there; 1: the program has crashed; 2: it has been reset, and stands at its beginning. */
int emulated_run(Emulated *self, uint64_t until)
{
    while (self->avr->cycle < until) {
        uint32_t before = self->avr->pc;
        send_waiting(self);
        int state = avr_run(self->avr);
        if (state == cpu_Crashed || state == cpu_Done) {
            return 1;
        }
        look(self);
        if (self->avr->pc == 0 && before != 0) {
            self->resets++;
            self->off_since = 0;
            self->once_on = false;
            return 2;
        }
    }
    return 0;
}

/* Reset it, with these flags for why: power, a pin, or a supply too low. Memory stays, pins become inputs. */
void emulated_reset(Emulated *self, uint8_t flags)
{
    avr_reset(self->avr);
    self->avr->data[MCUSR_AT] = flags;
    self->off_since = 0;
    self->once_on = false;
    look(self);
}

/* Look only about every so many cycles from now on: that is faster, and coarser. */
void emulated_look_every(Emulated *self, uint32_t cycles)
{
    self->avr->run_cycle_limit = cycles;
}

/* The emulator's own bus takes as long as it likes; this one takes sixteen cycles a byte, and answers. */
static void write_bus(avr_t *avr, avr_io_addr_t at, uint8_t value, void *given)
{
    Emulated *self = given;
    avr->data[at] = value;
    if (at == SPDR_AT) {
        avr->data[at] = self->on_bus(ON_BUS, value, avr->cycle);
        self->byte_done_at = avr->cycle + A_BYTE;
        self->byte_waits = true;
    }
}

static uint8_t read_bus(avr_t *avr, avr_io_addr_t at, void *given)
{
    Emulated *self = given;
    if (at == SPSR_AT) {
        bool done = self->byte_waits && avr->cycle >= self->byte_done_at;
        avr->data[at] = (uint8_t)((avr->data[at] & 0x7FU) | (done ? 0x80U : 0U));
    } else if (at == SPDR_AT) {
        self->byte_waits = false;
    }
    return avr->data[at];
}

static void on_select(struct avr_irq_t *irq, uint32_t value, void *given)
{
    Emulated *self = given;
    (void)irq;
    self->on_bus(SELECTED, value & 1U, self->avr->cycle);
}

static void on_enable(struct avr_irq_t *irq, uint32_t value, void *given)
{
    Emulated *self = given;
    (void)irq;
    self->on_bus(ENABLED, value & 1U, self->avr->cycle);
}

/* From now on something hangs on its SPI bus, selected by one pin and let work by another. */
void emulated_bus(Emulated *self, OnBus on_bus, char select, uint8_t select_bit, char enable, uint8_t enable_bit)
{
    self->on_bus = on_bus;
    for (avr_io_addr_t at = SPCR_AT; at <= SPDR_AT; at++) {
        self->avr->io[AVR_DATA_TO_IO(at)].w.c = write_bus;
        self->avr->io[AVR_DATA_TO_IO(at)].w.param = self;
        self->avr->io[AVR_DATA_TO_IO(at)].r.c = read_bus;
        self->avr->io[AVR_DATA_TO_IO(at)].r.param = self;
    }
    avr_irq_register_notify(avr_io_getirq(self->avr, AVR_IOCTL_IOPORT_GETIRQ(select), select_bit), on_select, self);
    avr_irq_register_notify(avr_io_getirq(self->avr, AVR_IOCTL_IOPORT_GETIRQ(enable), enable_bit), on_enable, self);
}

uint64_t emulated_cycle(const Emulated *self)
{
    return self->avr->cycle;
}

uint8_t *emulated_data(Emulated *self)
{
    return self->avr->data;
}

uint32_t emulated_changes(Emulated *self, Change *into, uint32_t most)
{
    uint32_t count = self->changes_count < most ? self->changes_count : most;
    memcpy(into, self->changes, count * sizeof *into);
    self->changes_count -= count;
    memmove(self->changes, self->changes + count, self->changes_count * sizeof *into);
    return count;
}

uint32_t emulated_said(Emulated *self, Change *into, uint32_t most)
{
    uint32_t count = self->said_count < most ? self->said_count : most;
    memcpy(into, self->said, count * sizeof *into);
    self->said_count -= count;
    memmove(self->said, self->said + count, self->said_count * sizeof *into);
    return count;
}

void emulated_volts(Emulated *self, uint8_t channel, uint32_t millivolts)
{
    avr_raise_irq(avr_io_getirq(self->avr, AVR_IOCTL_ADC_GETIRQ, ADC_IRQ_ADC0 + channel), millivolts);
}

/* A level from outside stays, whatever the program writes to other pins of the port: without being told so,
   the emulator puts every input back to its pull-up then. */
void emulated_level(Emulated *self, char port, uint8_t bit, uint8_t high)
{
    uint8_t *held = self->held[port - 'A'];
    held[0] |= (uint8_t)(1U << bit);
    held[1] = (uint8_t)(high ? held[1] | (1U << bit) : held[1] & ~(1U << bit));
    avr_ioport_external_t external = {.name = (unsigned long)port, .mask = held[0], .value = held[1]};
    avr_ioctl(self->avr, AVR_IOCTL_IOPORT_SET_EXTERNAL(port), &external);
    avr_raise_irq(avr_io_getirq(self->avr, AVR_IOCTL_IOPORT_GETIRQ(port), bit), high);
}

/* What has been measured: resets, the longest that interrupts were off, how deep the stack has gone, changes
   lost. */
void emulated_measured(const Emulated *self, uint64_t *into)
{
    into[0] = self->resets;
    into[1] = self->off_longest;
    into[2] = self->deepest;
    into[3] = self->changes_lost;
}
