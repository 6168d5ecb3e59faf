/* The machine's end of a link, turn by turn: it hands what arrives to core, and what core decides to the
   board. Nothing is decided here. */
#include "nuvrik.h"

#ifndef NUVRIK_MOST_TAKEN
/* A flood is read a bounded amount a turn, so that it cannot keep a tick from coming. */
#define NUVRIK_MOST_TAKEN 64
#endif

#define NUVRIK_TABLE (&NUVRIK_LINK)

static NuvrikMachineEnd machine_end;
static NuvrikLoop loop;
static uint32_t before_ms;

#if NUVRIK_HAS_ASKS_CALL
static NuvrikCall call;
static bool calling;
#endif

/* ---- outputs ---- */

/** Where the pins of an output are in its table. */
static const NUVRIK_FLASH NuvrikPinTable *pins_of(uint8_t output)
{
    return &NUVRIK_END_PINS(NUVRIK_TABLE)[output];
}

/** One output in the tables of outputs. */
static const NUVRIK_FLASH NuvrikOutputTable *table_of(uint8_t output)
{
    const NUVRIK_FLASH NuvrikOutputsTable *all = NUVRIK_MACHINE_OUTPUTS(NUVRIK_END_MACHINE(NUVRIK_TABLE));
    return &NUVRIK_OUTPUTS_OUTPUTS(all)[output];
}

/** How many steps are left to a stepper, or to what is none. */
static int32_t steps_left(uint8_t output)
{
    const NUVRIK_FLASH NuvrikOutputTable *one = table_of(output);
    return machine_end.machine.outputs.steppers[NUVRIK_OUTPUT_AT(one)].steps_left;
}

/** Whether an output is a stepper. */
static bool steps(uint8_t output)
{
    return NUVRIK_STEP_PINS && NUVRIK_OUTPUT_KIND(table_of(output)) == NUVRIK_IS_STEPPER;
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
    } else if (NUVRIK_STEP_PINS && steps(output) && pin == 0) {
        board_steps(number, level, steps_left(output));
    } else if (use == NUVRIK_TWO_POWERED || (pin == 0 && use < NUVRIK_SWITCHED_HIGH)) {
        board_pwm(number, level, NUVRIK_PIN_MOST(table));
    } else {
        board_pin(number, level != 0);
    }
}

/** Carry out what outputs have been told, at once and in the order that core gives. */
static void write_outputs(void)
{
    if (!machine_end.told) {
        return;
    }
    for (uint8_t i = 0; i < NUVRIK_END_PINS_COUNT(NUVRIK_TABLE); i++) {
        nuvrik_machine_end_follow(&machine_end, i);
        for (uint8_t k = 0; k < machine_end.writes.count; k++) {
            write_pin(i, machine_end.writes.pin[k], machine_end.writes.level[k]);
        }
    }
    nuvrik_machine_end_written(&machine_end);
}

/** Tell steppers that move by steps how many are left: that changes while their rate does not. */
static void write_steps_left(void)
{
    for (uint8_t i = 0; NUVRIK_STEP_PINS && i < NUVRIK_END_PINS_COUNT(NUVRIK_TABLE); i++) {
        if (steps(i) && steps_left(i) >= 0) {
            write_pin(i, 0, nuvrik_outputs_told(&machine_end.machine.outputs, i)->value);
        }
    }
}

/** Every output off, before anything else runs. */
static void write_nothing_on(void)
{
    for (uint8_t i = 0; i < NUVRIK_END_PINS_COUNT(NUVRIK_TABLE); i++) {
        const NUVRIK_FLASH NuvrikPinTable *table = pins_of(i);
        for (uint8_t k = 0; k < nuvrik_pins_of(NUVRIK_PIN_USE(table)); k++) {
            write_pin(i, k, nuvrik_level_of_pin(table, k, 0, 0, false));
        }
    }
}

/* ---- the builder's own code ---- */

#if NUVRIK_HAS_ASKS_CALL

/** A request has been accepted that the builder's own code carries out. */
static void begin_call(void)
{
    machine_end.calls = false;
    if (calling) {
        /* What went on before has been ended already, and comes to put itself away before it is another. */
        call.over = true;
        (void)NUVRIK_HOOKS[call.request](&call);
    }
    call.request = machine_end.machine.desk.code;
    for (uint8_t i = 0; i < NUVRIK_MOST_ARGUMENTS; i++) {
        call.arguments[i] = machine_end.machine.desk.arguments[i];
    }
    call.first = true;
    call.over = false;
    call.value = 0;
    uint8_t status = NUVRIK_HOOKS[call.request](&call);
    call.first = false;
    calling = status == NUVRIK_RUNNING;
    nuvrik_machine_called(&machine_end.machine, status, call.value);
}

/** Once a tick, what goes on. Outputs have been told already if it may not. */
static void go_on_with_call(void)
{
    if (!calling) {
        return;
    }
    bool over = machine_end.machine.desk.motion != NUVRIK_OWN_MOTION;
    call.over = over;
    if (!over) {
        nuvrik_machine_let_go(&machine_end.machine);
    }
    uint8_t status = NUVRIK_HOOKS[call.request](&call);
    if (over || status != NUVRIK_RUNNING) {
        calling = false;
    }
    if (!over && status != NUVRIK_RUNNING) {
        nuvrik_machine_own_over(&machine_end.machine, status, call.value);
    }
}

#endif

void nuvrik_move(uint8_t output, int16_t level)
{
    nuvrik_machine_wish(&machine_end.machine, output, level);
}

/* ---- what arrives, and what is sent ---- */

/** Something has been taken: outputs first, then the builder's own code. */
static void obey(void)
{
    write_outputs();
#if NUVRIK_HAS_ASKS_CALL
    if (machine_end.calls) {
        begin_call();
    }
#endif
}

#if NUVRIK_PACKETS

/** Take what has arrived, in packets. */
static void take_what_came(void)
{
    static uint8_t packet[255];
    for (uint8_t taken = 0; taken < 4; taken++) {
        uint8_t count = board_packet(packet);
        if (count == 0) {
            return;
        }
        nuvrik_machine_end_begin_packet(&machine_end);
        for (uint8_t i = 0; i < count; i++) {
            nuvrik_machine_end_packet_byte(&machine_end, packet[i]);
        }
        nuvrik_machine_end_end_packet(&machine_end);
        obey();
    }
}

#elif NUVRIK_HAS_IN_SLOTS

/** Take the slots of a train: from the start of each pulse to that of the next. */
static void take_what_came(void)
{
    static uint16_t slot_us;
    bool active_high = NUVRIK_MEDIUM_ACTIVE_HIGH(NUVRIK_END_MEDIUM(NUVRIK_TABLE));
    bool high = false;
    for (uint8_t taken = 0; taken < NUVRIK_MOST_TAKEN; taken++) {
        uint16_t us = board_edge(&high);
        if (us == 0) {
            return;
        }
        slot_us = (uint16_t)(us > 65535U - slot_us ? 65535U : slot_us + us);
        if (high != active_high) {
            nuvrik_machine_end_slot(&machine_end, slot_us);
            slot_us = 0;
            obey();
        }
    }
}

#else

/** Take what has arrived, byte by byte. */
static void take_what_came(void)
{
    for (uint8_t taken = 0; taken < NUVRIK_MOST_TAKEN; taken++) {
        int16_t byte = board_take(BOARD_LINK);
        if (byte < 0) {
            return;
        }
        if (nuvrik_machine_end_take(&machine_end, (uint8_t)byte) == NUVRIK_ACCEPTED) {
            obey();
        }
    }
}

#endif

/** Send what is due, as soon as the line takes it. */
static void send_what_is_due(void)
{
#if NUVRIK_ANSWERS
    if (board_give(BOARD_LINK, 0, 0) && nuvrik_machine_end_send(&machine_end)) {
        (void)board_give(BOARD_LINK, machine_end.sender.wire, machine_end.sender.count);
    }
#endif
}

/* ---- sensors ---- */

#if NUVRIK_SENSORS

static int32_t readings[NUVRIK_MOST_ITEMS];

void nuvrik_tell(uint8_t sensor, int32_t raw)
{
    readings[sensor] = raw;
    nuvrik_telling_take(&machine_end.telling, sensor, raw);
}

void nuvrik_tell_axes(uint8_t sensor, int32_t x, int32_t y, int32_t z)
{
    readings[sensor] = x;
    nuvrik_telling_take_axis(&machine_end.telling, sensor, 0, x);
    nuvrik_telling_take_axis(&machine_end.telling, sensor, 1, y);
    nuvrik_telling_take_axis(&machine_end.telling, sensor, 2, z);
}

int32_t nuvrik_sensor(uint8_t sensor)
{
    return readings[sensor];
}

/** Read the pins that sensors are on. */
static void read_sensors(void)
{
    const NUVRIK_FLASH NuvrikTellingTable *table = NUVRIK_END_TELLING(NUVRIK_TABLE);
    for (uint8_t i = 0; i < NUVRIK_TELLING_ITEMS_COUNT(table); i++) {
        const NUVRIK_FLASH NuvrikItemTable *item = &NUVRIK_TELLING_ITEMS(table)[i];
        uint8_t pin = NUVRIK_ITEM_PIN(item);
        uint8_t tells = NUVRIK_ITEM_TELLS(item);
        if (pin == NUVRIK_NOBODY || tells == NUVRIK_TELLS_AXES || tells > NUVRIK_TELLS_COUNT) {
            continue;
        }
        uint8_t what = BOARD_ANALOG;
        if (tells == NUVRIK_TELLS_DIGITAL) {
            what = BOARD_DIGITAL;
        } else if (tells == NUVRIK_TELLS_COUNT) {
            what = BOARD_COUNTER;
        }
        int32_t raw = board_input(pin, what);
        if (raw != BOARD_UNREAD) {
            nuvrik_tell(i, raw);
        }
    }
}

#endif

/* ---- the loop ---- */

void nuvrik_begin(void)
{
    uint32_t boot = 0;
    write_nothing_on();
    board_begin();
    uint8_t start = board_start(&boot);
    nuvrik_loop_init(&loop, NUVRIK_END_LOOP(NUVRIK_TABLE));
    nuvrik_machine_end_init(&machine_end, NUVRIK_TABLE);
#if NUVRIK_SENSORS
    for (uint8_t i = 0; i < NUVRIK_MOST_ITEMS; i++) {
        readings[i] = NUVRIK_NOTHING_THERE;
    }
#endif
    nuvrik_machine_end_begin(&machine_end, (uint16_t)(boot & 0xFFFFU), (uint16_t)(boot >> 16), start);
    before_ms = board_now_ms();
}

/** Everything that is done once a tick. */
static void tick(void)
{
#if NUVRIK_SENSORS
    read_sensors();
#endif
#if NUVRIK_HAS_ASKS_CALL
    go_on_with_call();
#endif
    nuvrik_machine_end_turn(&machine_end);
    nuvrik_before_outputs();
    write_outputs();
    write_steps_left();
    board_alive();
}

void nuvrik_turn(void)
{
    uint32_t now_ms = board_now_ms();
    uint32_t gap_ms = now_ms - before_ms;
    before_ms = now_ms;
    uint8_t first = nuvrik_loop_turn(&loop, (uint16_t)(gap_ms > 65535U ? 65535U : gap_ms));
    if (first == NUVRIK_EXPIRES) {
        nuvrik_machine_end_expire(&machine_end, (uint16_t)(now_ms & 0xFFFFU));
    } else {
        nuvrik_machine_end_pass_time(&machine_end, (uint16_t)(now_ms & 0xFFFFU));
    }
    if (first != NUVRIK_LISTENS) {
        nuvrik_machine_end_skip(&machine_end, true);
        take_what_came();
        nuvrik_machine_end_skip(&machine_end, false);
    } else {
        take_what_came();
    }
    if (nuvrik_loop_ticks(&loop)) {
        tick();
    }
    send_what_is_due();
}

bool nuvrik_leave(void)
{
    uint32_t now_ms = board_now_ms();
    bool at_rest = true;
    nuvrik_machine_end_pass_time(&machine_end, (uint16_t)(now_ms & 0xFFFFU));
    if (machine_end.machine.watch.state == NUVRIK_ARMED) {
        nuvrik_machine_end_expire(&machine_end, (uint16_t)(now_ms & 0xFFFFU));
    }
    nuvrik_loop_turn(&loop, (uint16_t)(now_ms - before_ms));
    before_ms = now_ms;
    if (nuvrik_loop_ticks(&loop)) {
        tick();
    }
    for (uint8_t i = 0; i < NUVRIK_END_PINS_COUNT(NUVRIK_TABLE); i++) {
        at_rest = at_rest && !nuvrik_outputs_told(&machine_end.machine.outputs, i)->driven;
    }
    return at_rest;
}

uint8_t nuvrik_state(void)
{
    return machine_end.machine.watch.state;
}

int32_t nuvrik_channel(uint8_t channel)
{
    return machine_end.values[channel];
}

const NuvrikDemand *nuvrik_told(uint8_t output)
{
    return nuvrik_outputs_told(&machine_end.machine.outputs, output);
}
