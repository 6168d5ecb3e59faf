/* From what outputs are told to what a board does with its pins. Nothing is decided here. */
#define NUVRIK_OUTPUTS_C
#include "nuvrik_outputs.h"

#if NUVRIK_IS_RECEIVER
#define ITS_PINS NUVRIK_RECEIVER_PINS(&NUVRIK_LINK)
#define ITS_PINS_COUNT NUVRIK_RECEIVER_PINS_COUNT(&NUVRIK_LINK)
#define ITS_MACHINE NUVRIK_RECEIVER_MACHINE(&NUVRIK_LINK)
#define FOLLOW(output) nuvrik_receiver_follow(&nuvrik_end, output)
#else
#define ITS_PINS NUVRIK_END_PINS(&NUVRIK_LINK)
#define ITS_PINS_COUNT NUVRIK_END_PINS_COUNT(&NUVRIK_LINK)
#define ITS_MACHINE NUVRIK_END_MACHINE(&NUVRIK_LINK)
#define FOLLOW(output) nuvrik_machine_end_follow(&nuvrik_end, output)
#endif

/** Where the pins of an output are in its table. */
static const NUVRIK_FLASH NuvrikPinTable *pins_of(uint8_t output)
{
    return &ITS_PINS[output];
}

/** One output in the tables of outputs. */
static const NUVRIK_FLASH NuvrikOutputTable *table_of(uint8_t output)
{
    const NUVRIK_FLASH NuvrikOutputsTable *all = NUVRIK_MACHINE_OUTPUTS(ITS_MACHINE);
    return &NUVRIK_OUTPUTS_OUTPUTS(all)[output];
}

/** How many steps are left to a stepper, or to what is none. */
static int32_t steps_left(uint8_t output)
{
    const NUVRIK_FLASH NuvrikOutputTable *one = table_of(output);
    return nuvrik_end.machine.outputs.steppers[NUVRIK_OUTPUT_AT(one)].steps_left;
}

/** Whether an output is a stepper. */
static bool steps(uint8_t output)
{
    return NUVRIK_STEP_PINS && NUVRIK_OUTPUT_KIND(table_of(output)) == NUVRIK_IS_STEPPER;
}

/** Let the board step. The four pins of a stepper's coils are told what a driver would be: how fast, which way,
    and whether there is current at all. */
static void write_steps(uint8_t output, uint8_t pin, uint16_t level)
{
    const NUVRIK_FLASH NuvrikPinTable *table = pins_of(output);
    uint8_t count = (uint8_t)(NUVRIK_PIN_USE(table) == NUVRIK_COILS ? 4U : 1U);
    uint8_t pins[4];
    for (uint8_t i = 0; i < count; i++) {
        pins[i] = NUVRIK_U8(NUVRIK_PIN_NUMBERS(table)[i]);
    }
    if (pin == 0) {
        int32_t rate = level;
        if (nuvrik_outputs_told(&nuvrik_end.machine.outputs, output)->way < 0) {
            rate = -rate;
        }
        board_steps(pins, count, rate, steps_left(output));
    } else if (pin == 2 && level == 0) {
        for (uint8_t i = 0; i < count; i++) {
            board_pin(pins[i], false);
        }
    }
}

/** Let the board set one pin of an output. */
static void write_pin(uint8_t output, uint8_t pin, uint16_t level)
{
    const NUVRIK_FLASH NuvrikPinTable *table = pins_of(output);
    uint8_t use = NUVRIK_PIN_USE(table);
    uint8_t number = NUVRIK_U8(NUVRIK_PIN_NUMBERS(table)[pin]);
    if (number == NUVRIK_NOBODY) {
        return;
    }
    if (NUVRIK_PULSE_PINS && use == NUVRIK_PULSED) {
        board_pulse(number, level);
    } else if (NUVRIK_STEP_PINS && steps(output) && (pin == 0 || use == NUVRIK_COILS)) {
        write_steps(output, pin, level);
    } else if (use == NUVRIK_TWO_POWERED || (pin == 0 && use < NUVRIK_SWITCHED_HIGH)) {
        board_pwm(number, level, NUVRIK_PIN_MOST(table));
    } else {
        board_pin(number, level != 0);
    }
}

void nuvrik_write_outputs(void)
{
#if !NUVRIK_IS_RECEIVER
    if (!nuvrik_end.told) {
        return;
    }
#endif
    for (uint8_t i = 0; i < ITS_PINS_COUNT; i++) {
        FOLLOW(i);
        for (uint8_t k = 0; k < nuvrik_end.writes.count; k++) {
            write_pin(i, nuvrik_end.writes.pin[k], nuvrik_end.writes.level[k]);
        }
    }
#if !NUVRIK_IS_RECEIVER
    nuvrik_machine_end_written(&nuvrik_end);
#endif
}

void nuvrik_write_steps_left(void)
{
    for (uint8_t i = 0; NUVRIK_STEP_PINS && i < ITS_PINS_COUNT; i++) {
        if (steps(i) && steps_left(i) >= 0) {
            write_pin(i, 0, nuvrik_outputs_told(&nuvrik_end.machine.outputs, i)->value);
        }
    }
}

void nuvrik_write_nothing_on(void)
{
    for (uint8_t i = 0; i < ITS_PINS_COUNT; i++) {
        const NUVRIK_FLASH NuvrikPinTable *table = pins_of(i);
        for (uint8_t k = 0; k < nuvrik_pins_of(NUVRIK_PIN_USE(table)); k++) {
            write_pin(i, k, nuvrik_level_of_pin(table, k, 0, 0, false));
        }
    }
}

bool nuvrik_at_rest(void)
{
    for (uint8_t i = 0; i < ITS_PINS_COUNT; i++) {
        if (nuvrik_outputs_told(&nuvrik_end.machine.outputs, i)->driven) {
            return false;
        }
    }
    return true;
}

bool nuvrik_limit(uint8_t output, int16_t most)
{
    if (output >= ITS_PINS_COUNT || most < 0 || most > NUVRIK_FULL) {
        return false;
    }
#if NUVRIK_IS_RECEIVER
    return nuvrik_receiver_cap(&nuvrik_end, output, most);
#else
    return nuvrik_machine_end_cap(&nuvrik_end, output, most);
#endif
}

void nuvrik_stop(uint8_t why)
{
#if NUVRIK_IS_RECEIVER
    nuvrik_receiver_own_stop(&nuvrik_end, why);
#else
    nuvrik_machine_end_own_stop(&nuvrik_end, why);
#endif
    nuvrik_write_outputs();
}

#if !NUVRIK_IS_RECEIVER

void nuvrik_lost_time(void)
{
    nuvrik_machine_end_lost_time(&nuvrik_end);
}

#endif

uint8_t nuvrik_state(void)
{
    return nuvrik_end.machine.watch.state;
}

int32_t nuvrik_channel(uint8_t channel)
{
    return nuvrik_end.values[channel];
}

const NuvrikDemand *nuvrik_told(uint8_t output)
{
    return nuvrik_outputs_told(&nuvrik_end.machine.outputs, output);
}
