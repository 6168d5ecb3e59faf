/* The handset's end of a link, turn by turn: it hands readings to core, and what core makes of them to the
   board. Nothing is decided here. */
#include "nuvrik_keyed.h"

#ifndef NUVRIK_MOST_TAKEN
/* A flood is read a bounded amount a turn, so that it cannot keep a frame from being sent. */
#define NUVRIK_MOST_TAKEN 64
#endif

/* How often controls are read: several times while a contact bounces, and before every frame. */
#define NUVRIK_READ_MS 5

#define NUVRIK_TABLE (&NUVRIK_LINK)

static NuvrikHandsetEnd handset_end;
static uint32_t before_ms;
static uint32_t read_ms;

/* ---- controls ---- */

void nuvrik_read(uint8_t control, int32_t raw)
{
    nuvrik_handset_end_read(&handset_end, control, raw);
}

#if NUVRIK_TELLS_RAW

static bool telling;

static void put_number(char *text, uint8_t *at, int32_t number)
{
    char digits[11];
    uint8_t count = 0;
    uint32_t size = (uint32_t)(number < 0 ? -number : number);
    do {
        digits[count++] = (char)('0' + size % 10U);
        size /= 10U;
    } while (size != 0);
    if (number < 0) {
        digits[count++] = '-';
    }
    while (count > 0) {
        text[(*at)++] = digits[--count];
    }
}

/** A line of raw readings, as a recording has them. A control without one leaves its place empty. */
static void tell_raw(uint32_t now_ms)
{
    static char text[12 * (NUVRIK_INPUTS_COUNT + 1)];
    uint8_t at = 0;
    if (!board_give(BOARD_HOST, 0, 0)) {
        return;
    }
    put_number(text, &at, (int32_t)now_ms);
    for (uint8_t i = 0; i < NUVRIK_INPUTS_COUNT; i++) {
        int32_t raw = board_input(NUVRIK_U8(NUVRIK_INPUT_PINS[i].pin), NUVRIK_U8(NUVRIK_INPUT_PINS[i].what));
        text[at++] = ',';
        if (raw != BOARD_UNREAD) {
            put_number(text, &at, raw);
        }
    }
    text[at++] = '\n';
    (void)board_give(BOARD_HOST, (const uint8_t *)text, at);
}

/** What a host asks on its line: "r" for raw readings, fifty a second; anything else ends them. */
static void hear_host(void)
{
    int16_t byte = board_take(BOARD_HOST);
    if (byte < 0) {
        return;
    }
    telling = byte == 'r';
    if (telling) {
        (void)board_give(BOARD_HOST, (const uint8_t *)NUVRIK_INPUT_NAMES, sizeof NUVRIK_INPUT_NAMES - 1);
    }
}

#endif

#if NUVRIK_KNOBS

/** Look at the contacts of rotary encoders: in every turn, because they change quickly. */
static void look_at_knobs(void)
{
    for (uint8_t i = 0; i < NUVRIK_KNOBS; i++) {
        const NUVRIK_FLASH NuvrikKnobTable *knob = &NUVRIK_HANDSET_END_KNOBS(NUVRIK_TABLE)[i];
        int32_t a = board_input(NUVRIK_KNOB_PIN_A(knob), BOARD_DIGITAL);
        int32_t b = board_input(NUVRIK_KNOB_PIN_B(knob), BOARD_DIGITAL);
        if (a != BOARD_UNREAD && b != BOARD_UNREAD) {
            nuvrik_handset_end_turn(&handset_end, i, a != 0, b != 0);
        }
    }
}

#endif

/** Read the pins that controls are on. */
static void read_controls(void)
{
#if NUVRIK_INPUTS_COUNT
    for (uint8_t i = 0; i < NUVRIK_INPUTS_COUNT; i++) {
        int32_t raw = board_input(NUVRIK_U8(NUVRIK_INPUT_PINS[i].pin), NUVRIK_U8(NUVRIK_INPUT_PINS[i].what));
        if (raw != BOARD_UNREAD) {
            nuvrik_read(NUVRIK_U8(NUVRIK_INPUT_PINS[i].control), raw);
        }
    }
#endif
    nuvrik_before_frame();
    nuvrik_handset_end_have_read(&handset_end);
}

/* ---- what comes back, and what is sent ---- */

/** Take what has come back, or throw it away: after a gap it was sent to somebody who was not listening. */
static void take_what_came(bool listens)
{
#if NUVRIK_PACKETWISE
    static uint8_t packet[NUVRIK_MOST_PACKET];
    for (uint8_t taken = 0; taken < 4; taken++) {
        uint8_t count = NUVRIK_TAKE_PACKET(packet);
        if (count == 0) {
            return;
        }
        nuvrik_handset_end_begin_packet(&handset_end);
        for (uint8_t i = 0; listens && i < count; i++) {
            nuvrik_handset_end_packet_byte(&handset_end, packet[i]);
        }
        if (listens) {
            nuvrik_handset_end_end_packet(&handset_end);
        }
    }
#else
    for (uint8_t taken = 0; taken < NUVRIK_MOST_TAKEN; taken++) {
        int16_t byte = board_take(BOARD_LINK);
        if (byte < 0) {
            return;
        }
        if (listens) {
            nuvrik_handset_end_take(&handset_end, (uint8_t)byte);
        }
    }
#endif
}

#if NUVRIK_HAS_OUT_SLOTS

static NuvrikTrainMaker maker;
static bool sending;
static uint16_t next_us;

/** A train of pulses, level by level. */
static void send_what_is_due(void)
{
    const NUVRIK_FLASH NuvrikMediumTable *medium = NUVRIK_HANDSET_END_MEDIUM(NUVRIK_TABLE);
    uint8_t slots = NUVRIK_WRITER_CHANNELS_COUNT(NUVRIK_HANDSET_END_WRITER(NUVRIK_TABLE));
    bool high = NUVRIK_MEDIUM_ACTIVE_HIGH(medium);
    if (!sending && nuvrik_handset_end_send(&handset_end)) {
        nuvrik_train_maker_begin(&maker);
        next_us = nuvrik_train_maker_next(&maker, handset_end.writer.slots, slots);
        sending = true;
    }
    while (sending && board_emit(NUVRIK_MEDIUM_PIN_OUT(medium), maker.is_mark == high, next_us, 0)) {
        next_us = nuvrik_train_maker_next(&maker, handset_end.writer.slots, slots);
        sending = next_us != 0;
    }
}

#else

/** Send the frame that is due, as soon as it can be taken. */
static void send_what_is_due(void)
{
    if (NUVRIK_GIVE(0, 0) && nuvrik_handset_end_send(&handset_end)) {
        (void)NUVRIK_GIVE(handset_end.writer.sender.wire, handset_end.writer.sender.count);
    }
#if NUVRIK_KEYED
    nuvrik_keyed_turn();
#endif
}

#endif

/* ---- the loop ---- */

void nuvrik_begin(void)
{
    uint32_t boot = 0;
    board_begin();
    (void)board_start(&boot);
#if NUVRIK_KEYED
    nuvrik_keyed_begin(NUVRIK_HANDSET_END_MEDIUM(NUVRIK_TABLE));
#endif
    nuvrik_handset_end_init(&handset_end, NUVRIK_TABLE);
#if NUVRIK_HAS_OUT_SLOTS
    nuvrik_train_maker_init(&maker, NUVRIK_HANDSET_END_MEDIUM(NUVRIK_TABLE));
#endif
    nuvrik_handset_end_begin(&handset_end, (uint16_t)(boot & 0xFFFFU));
    before_ms = board_now_ms();
    read_ms = before_ms - NUVRIK_READ_MS;
}

void nuvrik_turn(void)
{
    uint32_t now_ms = board_now_ms();
    uint32_t gap_ms = now_ms - before_ms;
    before_ms = now_ms;
    uint8_t first = nuvrik_after_gap((uint16_t)(gap_ms > 65535U ? 65535U : gap_ms), NUVRIK_TIMEOUT_MS);
    if (first == NUVRIK_EXPIRES) {
        nuvrik_handset_end_expire(&handset_end, (uint16_t)(now_ms & 0xFFFFU));
    } else {
        nuvrik_handset_end_pass_time(&handset_end, (uint16_t)(now_ms & 0xFFFFU));
    }
    take_what_came(first == NUVRIK_LISTENS);
#if NUVRIK_KNOBS
    look_at_knobs();
#endif
    if (now_ms - read_ms >= NUVRIK_READ_MS) {
        read_ms = now_ms;
        read_controls();
#if NUVRIK_TELLS_RAW
        if (telling && now_ms % 20U < NUVRIK_READ_MS) {
            tell_raw(now_ms);
        }
#endif
    }
#if NUVRIK_TELLS_RAW
    hear_host();
#endif
    send_what_is_due();
    board_alive();
}

bool nuvrik_leave(void)
{
    static bool leaving;
    static uint32_t since_ms;
    if (!leaving) {
        leaving = true;
        since_ms = board_now_ms();
        nuvrik_handset_end_leave(&handset_end);
    }
    nuvrik_turn();
    /* For as long as a machine needs to believe it, and two frames more. */
    return board_now_ms() - since_ms > NUVRIK_TIMEOUT_MS + 2U * NUVRIK_PERIOD_MS;
}

bool nuvrik_armed(void)
{
    return handset_end.handset.arming.sent;
}
