/* The machine's end of a link, turn by turn: it hands what arrives to core, and what core decides to the
   board. Nothing is decided here. */
#include "nuvrik.h"
#include "nuvrik_keyed.h"
#include "nuvrik_outputs.h"

#ifndef NUVRIK_MOST_TAKEN
/* A flood is read a bounded amount a turn, so that it cannot keep a tick from coming. */
#define NUVRIK_MOST_TAKEN 64
#endif

#define NUVRIK_TABLE (&NUVRIK_LINK)

NuvrikMachineEnd nuvrik_end;
static NuvrikLoop loop;
static uint32_t before_ms;

static bool in_hook;
#if NUVRIK_HAS_ASKS_CALL
static NuvrikCall call;
static bool calling;
#endif

/* ---- the builder's own code ---- */

#if NUVRIK_HAS_ASKS_CALL

/** A request has been accepted that the builder's own code carries out. */
static void begin_call(void)
{
    nuvrik_end.calls = false;
    if (calling) {
        /* What went on before has been ended already, and comes to put itself away before it is another. */
        call.over = true;
        (void)NUVRIK_HOOKS[call.request](&call);
    }
    call.request = nuvrik_end.machine.desk.code;
    for (uint8_t i = 0; i < NUVRIK_MOST_ARGUMENTS; i++) {
        call.arguments[i] = nuvrik_end.machine.desk.arguments[i];
    }
    call.first = true;
    call.over = false;
    call.value = 0;
    in_hook = true;
    uint8_t status = NUVRIK_HOOKS[call.request](&call);
    in_hook = false;
    call.first = false;
    calling = status == NUVRIK_RUNNING;
    nuvrik_machine_called(&nuvrik_end.machine, status, call.value);
}

/** Once a tick, what goes on. Outputs have been told already if it may not. */
static void go_on_with_call(void)
{
    if (!calling) {
        return;
    }
    bool over = nuvrik_end.machine.desk.motion != NUVRIK_OWN_MOTION;
    call.over = over;
    if (!over) {
        nuvrik_machine_let_go(&nuvrik_end.machine);
    }
    in_hook = true;
    uint8_t status = NUVRIK_HOOKS[call.request](&call);
    in_hook = false;
    if (over || status != NUVRIK_RUNNING) {
        calling = false;
    }
    if (!over && status != NUVRIK_RUNNING) {
        nuvrik_machine_own_over(&nuvrik_end.machine, status, call.value);
    }
}

#endif

bool nuvrik_move(uint8_t output, int16_t level)
{
    if (!in_hook || level < -NUVRIK_FULL || level > NUVRIK_FULL
        || output >= NUVRIK_END_PINS_COUNT(NUVRIK_TABLE)) {
        return false;
    }
    nuvrik_machine_wish(&nuvrik_end.machine, output, level);
    return true;
}

/* ---- what arrives, and what is sent ---- */

/** Something has been taken: outputs first, then the builder's own code. */
static void obey(void)
{
    nuvrik_write_outputs();
#if NUVRIK_HAS_ASKS_CALL
    if (nuvrik_end.calls) {
        begin_call();
    }
#endif
}

#if NUVRIK_PACKETWISE

/** Take what has arrived, in packets. */
static void take_what_came(void)
{
    static uint8_t packet[NUVRIK_MOST_PACKET];
    for (uint8_t taken = 0; taken < 4; taken++) {
        uint8_t count = NUVRIK_TAKE_PACKET(packet);
        if (count == 0) {
            return;
        }
        nuvrik_machine_end_begin_packet(&nuvrik_end);
        for (uint8_t i = 0; i < count; i++) {
            nuvrik_machine_end_packet_byte(&nuvrik_end, packet[i]);
        }
        nuvrik_machine_end_end_packet(&nuvrik_end);
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
        uint16_t us = board_edge(NUVRIK_MEDIUM_PIN_IN(NUVRIK_END_MEDIUM(NUVRIK_TABLE)), &high);
        if (us == 0) {
            return;
        }
        slot_us = (uint16_t)(us > 65535U - slot_us ? 65535U : slot_us + us);
        if (high != active_high) {
            nuvrik_machine_end_slot(&nuvrik_end, slot_us);
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
        if (nuvrik_machine_end_take(&nuvrik_end, (uint8_t)byte) == NUVRIK_ACCEPTED) {
            obey();
        }
    }
}

#endif

/** Send what is due, as soon as the line takes it. */
static void send_what_is_due(void)
{
#if NUVRIK_ANSWERS
    if (NUVRIK_GIVE(0, 0) && nuvrik_machine_end_send(&nuvrik_end)) {
        (void)NUVRIK_GIVE(nuvrik_end.sender.wire, nuvrik_end.sender.count);
    }
#endif
}

/* ---- sensors ---- */

#if NUVRIK_SENSORS

static int32_t readings[NUVRIK_MOST_ITEMS];

void nuvrik_tell(uint8_t sensor, int32_t raw)
{
    readings[sensor] = raw;
    nuvrik_telling_take(&nuvrik_end.telling, sensor, raw);
}

void nuvrik_tell_axes(uint8_t sensor, int32_t x, int32_t y, int32_t z)
{
    readings[sensor] = x;
    nuvrik_telling_take_axis(&nuvrik_end.telling, sensor, 0, x);
    nuvrik_telling_take_axis(&nuvrik_end.telling, sensor, 1, y);
    nuvrik_telling_take_axis(&nuvrik_end.telling, sensor, 2, z);
}

int32_t nuvrik_sensor(uint8_t sensor)
{
    return readings[sensor];
}

/** What is read on the pin of a sensor. */
static uint8_t read_as(uint8_t sensor, uint8_t tells)
{
#if NUVRIK_END_SWITCHES
    const NUVRIK_FLASH NuvrikOutputsTable *all = NUVRIK_MACHINE_OUTPUTS(NUVRIK_END_MACHINE(NUVRIK_TABLE));
    for (uint8_t i = 0; i < NUVRIK_OUTPUTS_LIMITS_COUNT(all); i++) {
        const NUVRIK_FLASH NuvrikLimitsTable *one = &NUVRIK_OUTPUTS_LIMITS(all)[i];
        if (NUVRIK_LIMITS_END_FORWARD(one) == sensor || NUVRIK_LIMITS_END_BACKWARD(one) == sensor) {
            return BOARD_LATCHED;
        }
    }
#else
    (void)sensor;
#endif
    if (tells == NUVRIK_TELLS_DIGITAL) {
        return BOARD_DIGITAL;
    }
    return (uint8_t)(tells == NUVRIK_TELLS_COUNT ? BOARD_COUNTER : BOARD_ANALOG);
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
        int32_t raw = board_input(pin, read_as(i, tells));
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
    nuvrik_write_nothing_on();
    board_begin();
    uint8_t start = board_start(&boot);
#if NUVRIK_KEYED
    nuvrik_keyed_begin(NUVRIK_END_MEDIUM(NUVRIK_TABLE));
#endif
    nuvrik_loop_init(&loop, NUVRIK_END_LOOP(NUVRIK_TABLE));
    nuvrik_machine_end_init(&nuvrik_end, NUVRIK_TABLE);
#if NUVRIK_SENSORS
    for (uint8_t i = 0; i < NUVRIK_MOST_ITEMS; i++) {
        readings[i] = NUVRIK_NOTHING_THERE;
    }
#endif
    nuvrik_machine_end_begin(&nuvrik_end, (uint16_t)(boot & 0xFFFFU), (uint16_t)(boot >> 16), start);
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
    nuvrik_machine_end_turn(&nuvrik_end);
    nuvrik_before_outputs();
    nuvrik_write_outputs();
    nuvrik_write_steps_left();
    board_alive();
}

void nuvrik_turn(void)
{
    uint32_t now_ms = board_now_ms();
    uint32_t gap_ms = now_ms - before_ms;
    before_ms = now_ms;
    uint8_t first = nuvrik_loop_turn(&loop, (uint16_t)(gap_ms > 65535U ? 65535U : gap_ms));
    if (first == NUVRIK_EXPIRES) {
        nuvrik_machine_end_expire(&nuvrik_end, (uint16_t)(now_ms & 0xFFFFU));
    } else {
        nuvrik_machine_end_pass_time(&nuvrik_end, (uint16_t)(now_ms & 0xFFFFU));
    }
    if (first != NUVRIK_LISTENS) {
        nuvrik_machine_end_skip(&nuvrik_end, true);
        take_what_came();
        nuvrik_machine_end_skip(&nuvrik_end, false);
    } else {
        take_what_came();
    }
    if (nuvrik_loop_ticks(&loop)) {
        tick();
    }
    send_what_is_due();
#if NUVRIK_KEYED
    nuvrik_keyed_turn();
#endif
}

bool nuvrik_leave(void)
{
    uint32_t now_ms = board_now_ms();
    nuvrik_machine_end_pass_time(&nuvrik_end, (uint16_t)(now_ms & 0xFFFFU));
    if (nuvrik_end.machine.watch.state == NUVRIK_ARMED) {
        nuvrik_machine_end_expire(&nuvrik_end, (uint16_t)(now_ms & 0xFFFFU));
    }
    nuvrik_loop_turn(&loop, (uint16_t)(now_ms - before_ms));
    before_ms = now_ms;
    if (nuvrik_loop_ticks(&loop)) {
        tick();
    }
    return nuvrik_at_rest();
}
