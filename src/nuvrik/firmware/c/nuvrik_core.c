/* Made from core/sizes.py, core/levels.py, core/loop.py, core/bits.py, core/sealed.py, core/ramp.py,
   core/demand.py, core/motor.py, core/servo.py, core/stepper.py, core/pins.py, core/watch.py,
   core/commands.py, core/mix.py, core/outputs.py, core/desk.py, core/machine.py, core/sender.py,
   core/answers.py, core/asks.py, core/text.py, core/keys.py, core/on_off.py, core/medium.py, core/train.py,
   core/writer.py, core/telling.py, core/inputs.py, core/incoming.py, core/machine_end.py, core/controls.py,
   core/hands.py, core/sources.py, core/arming.py, core/handset.py, core/hearing.py, core/asking.py,
   core/knob.py, core/handset_end.py, core/marks.py, core/burst.py, core/families.py, core/shape.py,
   core/infrared.py, core/codes.py, core/remote.py, core/receiver.py, core/bridge.py by Nuvrik. Read it, step
   through it, port it, but do not edit it: the next making would undo that. */
#include "nuvrik_core.h"

#include <string.h>

#include "link_tables.h"

static int16_t nuvrik_abs16(int16_t x)
{
    return (int16_t)(x < 0 ? -x : x);
}

static int32_t nuvrik_abs32(int32_t x)
{
    return (int32_t)(x < 0 ? -x : x);
}

/* ---- sizes ---- */

/* ---- levels ---- */

/** a / b, rounded half away from zero. b must not be 0. */
int32_t nuvrik_div(int32_t a, int32_t b)
{
    int32_t size = (nuvrik_abs32(a) + (nuvrik_abs32(b) / 2)) / nuvrik_abs32(b);
    if ((a < 0) == (b < 0)) {
        return size;
    }
    return -size;
}

/** The product of two numbers in Q14, rounded half away from zero. It has to fit in 31 bits. */
int32_t nuvrik_mul(int32_t a, int32_t b)
{
    int32_t exact = a * b;
    /* FULL is a power of two, so rounding is a shift; of nothing negative, because there C does as it likes.
       */
    if (exact >= 0) {
        return (exact + (NUVRIK_FULL / 2)) >> NUVRIK_FULL_BITS;
    }
    return -(((NUVRIK_FULL / 2) - exact) >> NUVRIK_FULL_BITS);
}

/** value, or the nearer end of low to high. */
int32_t nuvrik_clamp(int32_t value, int32_t low, int32_t high)
{
    if (value < low) {
        return low;
    }
    if (value > high) {
        return high;
    }
    return value;
}

/** A timer after so many milliseconds more. It stops at the most that it can hold. */
uint16_t nuvrik_later(uint16_t timer, uint16_t dt_ms)
{
    uint16_t room = (uint16_t)(NUVRIK_TIMER_MAX - timer);
    return (uint16_t)((dt_ms > room) ? (int32_t)NUVRIK_TIMER_MAX : ((int32_t)timer + dt_ms));
}

/** Where a straight line through two points is at x, which lies between them. */
int16_t nuvrik_between(int16_t x, int16_t from_x, int16_t from_y, int16_t to_x, int16_t to_y)
{
    int32_t run = (int32_t)to_x - from_x;
    int32_t rise = (int32_t)to_y - from_y;
    int32_t way = (int32_t)x - from_x;
    int32_t area = way * rise;
    int32_t climbed = nuvrik_div(area, run);
    return (int16_t)(from_y + climbed);
}

/* ---- loop ---- */

/** What a turn of either end has to do first, so long after the one before; TIMER_MAX for longer. */
uint8_t nuvrik_after_gap(uint16_t gap_ms, uint16_t timeout_ms)
{
    if (gap_ms > NUVRIK_LONGEST_GAP_MS) {
        return NUVRIK_EXPIRES;
    }
    return (uint8_t)((gap_ms >= timeout_ms) ? NUVRIK_SKIPS : NUVRIK_LISTENS);
}

/** When something is due again that is overdue: aim at whole intervals, but do not make up for missed
 *  ones.
 */
uint16_t nuvrik_next_due(int16_t due_ms, uint16_t every_ms)
{
    int32_t next = (int32_t)due_ms + every_ms;
    return (uint16_t)((next <= 0) ? (int32_t)every_ms : next);
}

void nuvrik_loop_init(NuvrikLoop *self, const NUVRIK_FLASH NuvrikLoopTable *table)
{
    memset(self, 0, sizeof *self);
    self->table = table;
}

/** A turn begins, so long after the one before: what after_gap says of that. */
uint8_t nuvrik_loop_turn(NuvrikLoop *self, uint16_t gap_ms)
{
    int32_t left = (int32_t)self->due_ms - gap_ms;
    self->due_ms = (int16_t)nuvrik_clamp(left, -32767 - 1, 32767);
    return nuvrik_after_gap(gap_ms, NUVRIK_LOOP_TIMEOUT_MS(self->table));
}

/** Whether the machine ticks in this turn. */
bool nuvrik_loop_ticks(NuvrikLoop *self)
{
    if (self->due_ms > 0) {
        return false;
    }
    self->due_ms = (int16_t)nuvrik_next_due(self->due_ms, NUVRIK_LOOP_TICK_MS(self->table));
    return true;
}

/* ---- bits ---- */

/** All ones, so many. */
uint16_t nuvrik_mask_of(uint8_t bits)
{
    return (uint16_t)(0xffffU >> (16 - bits));
}

/** The code of so many bits from bit at on. Two bytes more than the code's own are read. */
uint16_t nuvrik_got(const uint8_t *data, uint16_t at, uint8_t bits)
{
    uint8_t byte = (uint8_t)(at >> 3);
    uint8_t shift = (uint8_t)(at & 7);
    uint32_t word = (uint32_t)(data[byte] + (uint16_t)((uint16_t)data[byte + 1] << 8));
    if ((shift + bits) > 16) {
        word = (uint32_t)((int32_t)word + ((int32_t)data[byte + 2] << 16));
    }
    return (uint16_t)(((int32_t)word >> shift) & nuvrik_mask_of(bits));
}

/** A code of so many bits from bit at on, into bytes that are zero there. */
void nuvrik_put(uint8_t *data, uint16_t at, uint8_t bits, uint16_t code)
{
    uint8_t byte = (uint8_t)(at >> 3);
    uint8_t shift = (uint8_t)(at & 7);
    uint32_t word = (uint32_t)((int32_t)(code & nuvrik_mask_of(bits)) << shift);
    data[byte] = (uint8_t)(data[byte] | (uint8_t)word);
    if ((shift + bits) > 8) {
        data[byte + 1] = (uint8_t)((int32_t)word >> 8);
    }
    if ((shift + bits) > 16) {
        data[byte + 2] = (uint8_t)((int32_t)word >> 16);
    }
}

/** The two's complement code of a level, as unsigned bits. */
uint16_t nuvrik_level_code(int16_t value, uint8_t bits)
{
    uint16_t most = (uint16_t)(nuvrik_mask_of(bits) >> 1);
    int32_t code = nuvrik_div((int32_t)value * most, NUVRIK_FULL);
    if (code >= 0) {
        return (uint16_t)code;
    }
    return (uint16_t)((int32_t)nuvrik_mask_of(bits) - ((uint16_t)(-code) - 1));
}

/** The level of a code; NO_READING for the most negative one, which has no positive partner. */
int32_t nuvrik_level_from_code(uint16_t code, uint8_t bits)
{
    uint16_t most = (uint16_t)(nuvrik_mask_of(bits) >> 1);
    if (code <= most) {
        return nuvrik_div((int32_t)code * NUVRIK_FULL, most);
    }
    uint16_t below = (uint16_t)(((int32_t)nuvrik_mask_of(bits) - code) + 1);
    if (below > most) {
        return NUVRIK_NO_READING;
    }
    int16_t size = (int16_t)nuvrik_div((int32_t)below * NUVRIK_FULL, most);
    return -size;
}

/** The code of a share. */
uint16_t nuvrik_share_code(int16_t value, uint8_t bits)
{
    uint16_t most = (uint16_t)((int32_t)nuvrik_mask_of(bits) - 1);
    return (uint16_t)nuvrik_div((int32_t)value * most, NUVRIK_FULL);
}

/** The share of a code; NO_READING for all ones. */
int32_t nuvrik_share_from_code(uint16_t code, uint8_t bits)
{
    uint16_t most = (uint16_t)((int32_t)nuvrik_mask_of(bits) - 1);
    return (code > most) ? (int32_t)NUVRIK_NO_READING : nuvrik_div((int32_t)code * NUVRIK_FULL, most);
}

/** The value of a channel's code. */
int32_t nuvrik_value_from_code(const NUVRIK_FLASH NuvrikChannelTable *channel, uint16_t code)
{
    if (NUVRIK_CHANNEL_KIND(channel) == NUVRIK_IS_LEVEL) {
        return nuvrik_level_from_code(code, NUVRIK_CHANNEL_BITS(channel));
    }
    if (NUVRIK_CHANNEL_KIND(channel) == NUVRIK_IS_SHARE) {
        return nuvrik_share_from_code(code, NUVRIK_CHANNEL_BITS(channel));
    }
    if (NUVRIK_CHANNEL_KIND(channel) == NUVRIK_IS_CHOICE
        && code == nuvrik_mask_of(NUVRIK_CHANNEL_BITS(channel))) {
        return NUVRIK_NO_READING;
    }
    return code;
}

/** The code of a channel's value; of none, where its kind has a code for that, and else 0. */
uint16_t nuvrik_code_of_value(const NUVRIK_FLASH NuvrikChannelTable *channel, int32_t value)
{
    if (NUVRIK_CHANNEL_KIND(channel) == NUVRIK_IS_LEVEL) {
        return (uint16_t)((value == NUVRIK_NO_READING)
            ? ((uint16_t)(nuvrik_mask_of(NUVRIK_CHANNEL_BITS(channel)) >> 1) + 1)
            : nuvrik_level_code((int16_t)value, NUVRIK_CHANNEL_BITS(channel)));
    }
    if (NUVRIK_CHANNEL_KIND(channel) == NUVRIK_IS_SHARE) {
        return (value == NUVRIK_NO_READING) ? nuvrik_mask_of(NUVRIK_CHANNEL_BITS(channel))
            : nuvrik_share_code((int16_t)value, NUVRIK_CHANNEL_BITS(channel));
    }
    if (NUVRIK_CHANNEL_KIND(channel) == NUVRIK_IS_CHOICE && value == NUVRIK_NO_READING) {
        return nuvrik_mask_of(NUVRIK_CHANNEL_BITS(channel));
    }
    if (value < 0) {
        return 0;
    }
    return (uint16_t)(value & nuvrik_mask_of(NUVRIK_CHANNEL_BITS(channel)));
}

/** One byte more of the CRC with polynomial 0x1021, not reflected. */
uint16_t nuvrik_crc16(uint16_t crc, uint8_t byte)
{
    /* The eight steps of a byte at once: each bit of high comes back in four places. */
    uint8_t high = (uint8_t)((int16_t)(crc >> 8) ^ byte);
    high = (uint8_t)(high ^ (high >> 4));
    return (uint16_t)((uint16_t)((uint16_t)((uint16_t)((uint16_t)crc << 8)
        ^ (uint16_t)((uint16_t)high << 12)) ^ (uint16_t)((uint16_t)high << 5)) ^ high);
}

/** The crc before a byte of zeros: each step undone, the last first. */
uint16_t nuvrik_crc16_back(uint16_t crc)
{
    uint16_t before = crc;
    for (uint8_t i = 0; i < 8; i++) {
        /* The polynomial is odd, so the lowest bit tells whether it was subtracted in this step. */
        if ((int16_t)(before & 1) != 0) {
            before = (uint16_t)((uint16_t)((uint16_t)(before ^ 4129) >> 1) + 32768U);
        } else {
            before = (uint16_t)(before >> 1);
        }
    }
    return before;
}

/** One byte more of the CRC with polynomial 0x07, not reflected. */
uint8_t nuvrik_crc8(uint8_t crc, uint8_t byte)
{
    uint16_t after = (uint16_t)(crc ^ byte);
    for (uint8_t i = 0; i < 8; i++) {
        after = (uint16_t)((int32_t)after << 1);
        if (after > 0xff) {
            after = (uint16_t)(after ^ 263);
        }
    }
    return (uint8_t)after;
}

/** Whether what is left of the last of size bytes, from bit at on, is zero: what is not is not ours,
 *  whatever its check says.
 */
bool nuvrik_ends_in_zeros(const uint8_t *body, uint16_t at, uint16_t size)
{
    if (at == ((int32_t)8 * size)) {
        return true;
    }
    uint8_t used = (uint8_t)(((int32_t)at + 8) - ((int32_t)8 * size));
    uint8_t last = (uint8_t)((int32_t)size - 1);
    return (body[last] >> used) == 0;
}

/* ---- sealed ---- */

void nuvrik_sealed_init(NuvrikSealed *self, const NUVRIK_FLASH NuvrikSealedTable *table)
{
    self->table = table;
}

/** A new body. */
void nuvrik_sealed_begin(NuvrikSealed *self)
{
    self->length = 0;
}

/** One byte more. */
void nuvrik_sealed_put(NuvrikSealed *self, uint8_t byte)
{
    if (self->length == 0) {
        bool hello = (NUVRIK_HAS_KIND_HELLO && (byte & 15) == NUVRIK_KIND_HELLO);
        self->crc = hello ? (uint16_t)NUVRIK_HELLO_INITIAL : NUVRIK_SEALED_TAG(self->table);
    }
    self->crc = nuvrik_crc16(self->crc, byte);
    if (self->length < NUVRIK_MOST_KEPT) {
        self->body[self->length] = byte;
    }
    self->length++;
}

/** What the body is that has ended, as far as every frame is alike. ACCEPTED: it is sound and for this
 *  end; kind, seq and payload, its length, say what it is.
 */
uint8_t nuvrik_sealed_look(NuvrikSealed *self)
{
    if (self->length < NUVRIK_SHORTEST) {
        return NUVRIK_TOO_SHORT;
    }
    self->kind = (uint8_t)(self->body[0] & 15);
    if (self->crc != 0) {
        return nuvrik_sealed_unsound(self);
    }
    /* From here on somebody meant every bit of it; what is asked is for whom. */
    if ((self->body[0] >> 4) != NUVRIK_THIS_VERSION) {
        return NUVRIK_VERSION;
    }
    if (self->body[1] != NUVRIK_SEALED_PAIR(self->table) && !nuvrik_sealed_asks_anybody(self)) {
        return NUVRIK_WRONG_PAIR;
    }
    if (self->kind > NUVRIK_KIND_ECHO || ((NUVRIK_SEALED_TAKES(self->table) >> (self->kind & 7)) & 1) == 0) {
        return NUVRIK_WRONG_KIND;
    }
    self->seq = self->body[3];
    self->payload = (uint16_t)((int32_t)self->length - NUVRIK_SHORTEST);
    return NUVRIK_ACCEPTED;
}

/** Whether it is a hello that asks whoever is there. */
bool nuvrik_sealed_asks_anybody(const NuvrikSealed *self)
{
    bool asks = self->length > NUVRIK_SHORTEST && self->body[NUVRIK_HEAD] == 0;
    return (NUVRIK_HAS_KIND_HELLO && self->kind == NUVRIK_KIND_HELLO) && self->body[1] == NUVRIK_ANY_PAIR
        && asks;
}

/** Why a body fails its check. */
uint8_t nuvrik_sealed_unsound(const NuvrikSealed *self)
{
    /* A hello's check tells nothing of the layout. */
    if ((self->body[0] >> 4) != NUVRIK_THIS_VERSION || (NUVRIK_HAS_KIND_HELLO
        && self->kind == NUVRIK_KIND_HELLO)) {
        return NUVRIK_CHECK;
    }
    uint16_t difference = self->crc;
    for (uint16_t i = 0; i < self->length; i++) {
        difference = nuvrik_crc16_back(difference);
    }
    if (difference == 0 || (uint8_t)(difference ^ NUVRIK_SEALED_TAG(self->table)) != self->body[2]) {
        return NUVRIK_CHECK;
    }
    return (uint8_t)((self->body[1] == NUVRIK_SEALED_PAIR(self->table)) ? NUVRIK_WRONG_LAYOUT
        : NUVRIK_WRONG_PAIR);
}

/** Two bytes of the payload, the low one first. */
uint16_t nuvrik_sealed_two(const NuvrikSealed *self, uint8_t at)
{
    return (uint16_t)(self->body[NUVRIK_HEAD + at] + (uint16_t)((uint16_t)self->body[(NUVRIK_HEAD + at)
        + 1] << 8));
}

/** What the number of a sound frame says: ACCEPTED, REPEATED or OUT_OF_ORDER. */
uint8_t nuvrik_sealed_newness(const NuvrikSealed *self)
{
    if (self->has_last) {
        uint8_t ahead = (uint8_t)(self->seq - self->last);
        if (ahead == 0) {
            return NUVRIK_REPEATED;
        }
        if (ahead >= 128 && !self->worn) {
            return NUVRIK_OUT_OF_ORDER;
        }
    }
    return NUVRIK_ACCEPTED;
}

/** It is accepted, and its number is the last. */
void nuvrik_sealed_move(NuvrikSealed *self)
{
    self->has_last = true;
    self->last = self->seq;
    self->worn = false;
}

/** Whatever comes next is taken as it is. */
void nuvrik_sealed_forget(NuvrikSealed *self)
{
    self->has_last = false;
}

/** The sender of the last one may have gone: any other number is taken, but not the same again. */
void nuvrik_sealed_wear(NuvrikSealed *self)
{
    self->worn = true;
}

/** One byte of the stream. ACCEPTED: a body has ended, and may be looked at. */
uint8_t nuvrik_cobs_reader_take(NuvrikCobsReader *self, uint8_t byte, NuvrikSealed *sealed)
{
    if (byte == 0) {
        return nuvrik_cobs_reader_end(self);
    }
    if (self->skipping) {
        return NUVRIK_NO_EVENT;
    }
    if (self->stuffed == NUVRIK_MOST_STUFFED) {
        /* Said once, at the byte that overflows; the rest is skipped up to the next end. */
        self->skipping = true;
        return NUVRIK_TOO_LONG;
    }
    if (self->left > 0) {
        self->left--;
        nuvrik_sealed_put(sealed, byte);
    } else {
        /* A code: it stands for a zero, but for the first. */
        if (self->stuffed > 0) {
            nuvrik_sealed_put(sealed, 0);
        } else {
            nuvrik_sealed_begin(sealed);
        }
        self->left = (uint8_t)(byte - 1);
    }
    self->stuffed++;
    return NUVRIK_NO_EVENT;
}

/** A zero has come. */
uint8_t nuvrik_cobs_reader_end(NuvrikCobsReader *self)
{
    bool there = self->stuffed > 0 && !self->skipping;
    bool whole = self->left == 0;
    self->left = 0;
    self->stuffed = 0;
    self->skipping = false;
    if (!there) {
        return NUVRIK_NO_EVENT;
    }
    return (uint8_t)(whole ? NUVRIK_ACCEPTED : NUVRIK_STUFFING);
}

/** One byte of the stream. ACCEPTED: a body has ended, and may be looked at. */
uint8_t nuvrik_slip_reader_take(NuvrikSlipReader *self, uint8_t byte, NuvrikSealed *sealed)
{
    if (byte == NUVRIK_SLIP_END) {
        return nuvrik_slip_reader_end(self);
    }
    if (self->length > NUVRIK_MOST_ESCAPED) {
        return NUVRIK_NO_EVENT;
    }
    if (self->length == NUVRIK_MOST_ESCAPED) {
        self->length++;
        return NUVRIK_TOO_LONG;
    }
    if (self->length == 0) {
        nuvrik_sealed_begin(sealed);
    }
    self->length++;
    if (self->escaped) {
        self->escaped = false;
        if (byte == NUVRIK_SLIP_ESC_END) {
            nuvrik_sealed_put(sealed, NUVRIK_SLIP_END);
        } else if (byte == NUVRIK_SLIP_ESC_ESC) {
            nuvrik_sealed_put(sealed, NUVRIK_SLIP_ESC);
        } else {
            self->broken = true;
        }
    } else if (byte == NUVRIK_SLIP_ESC) {
        self->escaped = true;
    } else {
        nuvrik_sealed_put(sealed, byte);
    }
    return NUVRIK_NO_EVENT;
}

/** An END has come. */
uint8_t nuvrik_slip_reader_end(NuvrikSlipReader *self)
{
    bool there = self->length > 0 && self->length <= NUVRIK_MOST_ESCAPED;
    bool whole = !self->escaped && !self->broken;
    self->length = 0;
    self->escaped = false;
    self->broken = false;
    if (!there) {
        return NUVRIK_NO_EVENT;
    }
    return (uint8_t)(whole ? NUVRIK_ACCEPTED : NUVRIK_STUFFING);
}

/* ---- ramp ---- */

/** How far from here towards a goal dt_ms reaches. */
int32_t nuvrik_toward(const NUVRIK_FLASH NuvrikRampTable *table, int32_t here, int32_t goal, uint16_t dt_ms)
{
    if (NUVRIK_RAMP_RATE(table) == 0 || goal == here) {
        return goal;
    }
    /* A gap in the loop longer than the whole way must not overflow the product. */
    uint16_t capped = (dt_ms < NUVRIK_RAMP_DT_MOST(table)) ? dt_ms : NUVRIK_RAMP_DT_MOST(table);
    int32_t reach = (int32_t)NUVRIK_RAMP_RATE(table) * capped;
    if (goal > here) {
        return ((goal - here) <= reach) ? goal : (here + reach);
    }
    return ((here - goal) <= reach) ? goal : (here - reach);
}

/** A finer level as a level, rounded towards zero. */
int16_t nuvrik_coarse(int32_t here)
{
    if (here >= 0) {
        return (int16_t)(here >> NUVRIK_FINE_BITS);
    }
    return (int16_t)(-(int16_t)((-here) >> NUVRIK_FINE_BITS));
}

/** By how many levels it can move in dt_ms at most. */
int16_t nuvrik_change(const NUVRIK_FLASH NuvrikRampTable *table, uint16_t dt_ms)
{
    if (NUVRIK_RAMP_RATE(table) == 0) {
        return NUVRIK_FULL;
    }
    uint16_t capped = (dt_ms < NUVRIK_RAMP_DT_MOST(table)) ? dt_ms : NUVRIK_RAMP_DT_MOST(table);
    uint32_t way = NUVRIK_RAMP_RATE(table) * capped;
    uint32_t reach = (uint32_t)((((int32_t)way + NUVRIK_FINE) - 1) >> NUVRIK_FINE_BITS);
    return (int16_t)(((int32_t)reach < NUVRIK_FULL) ? reach : (uint32_t)NUVRIK_FULL);
}

void nuvrik_slew_init(NuvrikSlew *self, const NUVRIK_FLASH NuvrikRampTable *table)
{
    self->table = table;
}

/** Where it is. */
int16_t nuvrik_slew_at(const NuvrikSlew *self)
{
    return nuvrik_coarse(self->fine);
}

/** Be at a level at once. */
void nuvrik_slew_put(NuvrikSlew *self, int16_t place)
{
    self->fine = (int32_t)place * NUVRIK_FINE;
}

/** Move towards a level; whether it moved at all. */
bool nuvrik_slew_towards(NuvrikSlew *self, int16_t target, uint16_t dt_ms)
{
    int32_t before = self->fine;
    self->fine = nuvrik_toward(self->table, before, (int32_t)target * NUVRIK_FINE, dt_ms);
    return self->fine != before;
}

void nuvrik_ramp_init(NuvrikRamp *self, const NUVRIK_FLASH NuvrikRampTable *table)
{
    self->table = table;
    /* At power-up it has been at rest for longer than any pause. */
    self->at_rest_ms = NUVRIK_TIMER_MAX;
}

/** Where it is. */
int16_t nuvrik_ramp_at(const NuvrikRamp *self)
{
    return nuvrik_coarse(self->fine);
}

/** Milliseconds still to rest before it may turn towards a level. */
uint16_t nuvrik_ramp_pause_left(const NuvrikRamp *self, int16_t target)
{
    if (self->fine != 0 || (target * self->last_sign) >= 0
        || self->at_rest_ms >= NUVRIK_RAMP_PAUSE_MS(self->table)) {
        return 0;
    }
    return (uint16_t)((int32_t)NUVRIK_RAMP_PAUSE_MS(self->table) - self->at_rest_ms);
}

/** At once to zero, without a ramp. Its time at rest counts from the tick that comes next: what has gone
 *  by before that may have passed while it still turned.
 */
void nuvrik_ramp_halt(NuvrikRamp *self)
{
    if (self->fine != 0) {
        self->fine = 0;
        self->at_rest_ms = 0;
        self->cut = true;
    }
}

/** Move towards a level; whether it moved at all. */
bool nuvrik_ramp_towards(NuvrikRamp *self, int16_t target, uint16_t dt_ms)
{
    int32_t here = self->fine;
    int32_t goal = (int32_t)target * NUVRIK_FINE;
    if (here == 0) {
        if (!self->cut) {
            self->at_rest_ms = nuvrik_later(self->at_rest_ms, dt_ms);
        }
        self->cut = false;
        if (target == 0 || nuvrik_ramp_pause_left(self, target) != 0) {
            return false;
        }
    } else if (goal == here) {
        return false;
    }
    goal = nuvrik_toward(self->table, here, goal, dt_ms);
    /* However long the tick, it never passes zero in one: the pause has to begin there. */
    if ((here > 0 && goal < 0) || (here < 0 && goal > 0)) {
        goal = 0;
    }
    self->fine = goal;
    if (goal == 0) {
        self->at_rest_ms = 0;
    } else if (goal > 0) {
        self->last_sign = 1;
    } else {
        self->last_sign = -1;
    }
    return true;
}

/* ---- demand ---- */

/** Be told something else. */
void nuvrik_demand_put(NuvrikDemand *self, int16_t at, uint16_t value, int8_t way, bool driven, bool braked)
{
    self->at = at;
    self->value = value;
    self->way = way;
    self->driven = driven;
    self->braked = braked;
}

/* ---- motor ---- */

/** The value at a level on a curve that has points; level beyond the ends. */
int16_t nuvrik_along(const NUVRIK_FLASH NuvrikCurveTable *curve, int16_t at)
{
    const NUVRIK_FLASH NuvrikPoint *before = &NUVRIK_CURVE_POINTS(curve)[0];
    if (at <= NUVRIK_POINT_X(before)) {
        return NUVRIK_POINT_Y(before);
    }
    for (uint8_t point_at = 0; point_at < NUVRIK_CURVE_POINTS_COUNT(curve); point_at++) {
        const NUVRIK_FLASH NuvrikPoint *point = &NUVRIK_CURVE_POINTS(curve)[point_at];
        if (at <= NUVRIK_POINT_X(point)) {
            return nuvrik_between(at, NUVRIK_POINT_X(before), NUVRIK_POINT_Y(before), NUVRIK_POINT_X(point),
                NUVRIK_POINT_Y(point));
        }
        before = point;
    }
    return NUVRIK_POINT_Y(before);
}

/** Duty for a size: nothing at rest, and from the start to the top beyond. */
uint16_t nuvrik_above(int16_t size, uint16_t start, uint16_t top)
{
    uint16_t room = (uint16_t)((int32_t)top - start);
    if (size <= 0) {
        return start;
    }
    uint32_t area = (uint32_t)size * room;
    /* FULL is a power of two, so rounding is a shift: a division is the slowest thing a chip does. */
    uint16_t grown = (uint16_t)(((int32_t)area + (NUVRIK_FULL / 2)) >> NUVRIK_FULL_BITS);
    return (uint16_t)((int32_t)start + grown);
}

void nuvrik_motor_init(NuvrikMotor *self, const NUVRIK_FLASH NuvrikMotorTable *table)
{
    self->table = table;
    nuvrik_ramp_init(&self->ramp, NUVRIK_MOTOR_RAMP(table));
}

/** At power-up: off, as the driver is to be told. */
void nuvrik_motor_begin(NuvrikMotor *self)
{
    nuvrik_motor_idle(self, NUVRIK_MOTOR_BRAKES_IDLE(self->table));
}

/** Let no power make it turn. A speed controller is told its pulse at rest all the time: without pulses it
 *  would beep or sleep.
 */
void nuvrik_motor_idle(NuvrikMotor *self, bool braked)
{
    if (NUVRIK_MOTOR_PULSES(self->table)) {
        nuvrik_demand_put(&self->demand, 0, NUVRIK_MOTOR_REST(self->table), 1, false, braked);
    } else {
        nuvrik_demand_put(&self->demand, 0, 0, 0, false, braked);
    }
}

/** One turn of the loop: follow target, if it is asked for and the mode lets it; else come to rest. */
void nuvrik_motor_tick(NuvrikMotor *self, int16_t target, bool asked, uint16_t dt_ms, uint8_t mode)
{
    int16_t wanted = (asked && mode == NUVRIK_FOLLOW) ? target : 0;
    if (mode == NUVRIK_LOST && !NUVRIK_MOTOR_RAMPS_ON_LOSS(self->table)) {
        /* Halted, and then moved by nothing, so that the time at rest counts from this tick. */
        nuvrik_ramp_halt(&self->ramp);
        (void)nuvrik_ramp_towards(&self->ramp, 0, dt_ms);
        nuvrik_motor_idle(self, NUVRIK_MOTOR_BRAKES_LOST(self->table));
        nuvrik_motor_disarmed(self);
        self->lost = true;
        return;
    }
    if (self->lost) {
        self->lost = false;
        nuvrik_motor_idle(self, NUVRIK_MOTOR_BRAKES_IDLE(self->table));
    }
    bool begins = mode == NUVRIK_FOLLOW && !self->armed;
    if (mode != NUVRIK_FOLLOW) {
        nuvrik_motor_disarmed(self);
    } else if (begins) {
        /* A load that is up when the machine is armed may have to be held from then on. */
        self->armed = true;
        self->has_turned = NUVRIK_MOTOR_HOLD_FROM_ARMING(self->table);
        self->held_ms = 0;
    }
    bool moved = nuvrik_ramp_towards(&self->ramp, wanted, dt_ms);
    if (moved) {
        nuvrik_motor_drive(self, nuvrik_coarse(self->ramp.fine));
        self->has_turned = true;
        self->held_ms = 0;
    }
    if (NUVRIK_MOTOR_HOLD(self->table) != 0 && self->ramp.fine == 0) {
        /* In the tick that reaches rest too: a gap of one tick lets the load drop a little each time. */
        nuvrik_motor_keep_holding(self, wanted, (uint16_t)((moved || begins) ? 0 : dt_ms), mode);
    }
}

/** Nothing that was moved before counts as moved since arming. */
void nuvrik_motor_disarmed(NuvrikMotor *self)
{
    self->armed = false;
    self->has_turned = false;
}

/** Tell the driver a level. */
void nuvrik_motor_drive(NuvrikMotor *self, int16_t at)
{
    if (at == 0) {
        nuvrik_motor_idle(self, NUVRIK_MOTOR_BRAKES_IDLE(self->table));
    } else if (NUVRIK_MOTOR_PULSES(self->table)) {
        nuvrik_motor_pulse(self, at);
    } else {
        int16_t size = nuvrik_abs16(at);
        if (NUVRIK_CURVE_POINTS_COUNT(NUVRIK_MOTOR_CURVE(self->table)) != 0) {
            size = nuvrik_along(NUVRIK_MOTOR_CURVE(self->table), size);
        }
        uint16_t duty = nuvrik_above(size, NUVRIK_MOTOR_START(self->table), NUVRIK_MOTOR_TOP(self->table));
        int8_t way = (int8_t)((at > 0) ? NUVRIK_MOTOR_FACING(self->table)
            : (-(int16_t)NUVRIK_MOTOR_FACING(self->table)));
        if (duty == 0) {
            nuvrik_demand_put(&self->demand, at, 0, 0, false, false);
        } else {
            nuvrik_demand_put(&self->demand, at, duty, way, true, false);
        }
    }
}

/** Tell a speed controller a level. */
void nuvrik_motor_pulse(NuvrikMotor *self, int16_t at)
{
    if ((at > 0) == (NUVRIK_MOTOR_FACING(self->table) > 0)) {
        uint16_t ahead = nuvrik_above(nuvrik_abs16(at), NUVRIK_MOTOR_START(self->table),
            NUVRIK_MOTOR_TOP(self->table));
        nuvrik_demand_put(&self->demand, at, (uint16_t)((int32_t)NUVRIK_MOTOR_REST(self->table) + ahead), 1,
            ahead != 0, false);
    } else {
        uint16_t back = nuvrik_above(nuvrik_abs16(at), NUVRIK_MOTOR_BACK_START(self->table),
            NUVRIK_MOTOR_BACK_TOP(self->table));
        nuvrik_demand_put(&self->demand, at, (uint16_t)((int32_t)NUVRIK_MOTOR_REST(self->table) - back), 1,
            back != 0, false);
    }
}

/** Whether it is driven only to hold its load. */
bool nuvrik_motor_holding(const NuvrikMotor *self)
{
    return self->demand.driven && self->demand.at == 0;
}

/** How long it goes on holding, where that has an end. */
uint16_t nuvrik_motor_hold_left_ms(const NuvrikMotor *self)
{
    return (uint16_t)((self->held_ms < NUVRIK_MOTOR_HOLD_MS(self->table))
        ? ((int32_t)NUVRIK_MOTOR_HOLD_MS(self->table) - self->held_ms) : (int32_t)0);
}

/** Whether it holds a load and will let go of it within HOLD_ENDS_MS. */
bool nuvrik_motor_hold_ends(const NuvrikMotor *self)
{
    return nuvrik_motor_holding(self) && NUVRIK_MOTOR_HOLD_MS(self->table) != 0
        && nuvrik_motor_hold_left_ms(self) <= NUVRIK_HOLD_ENDS_MS;
}

/** Hold what has been moved since arming while nothing is asked of it, for hold_ms if there is a limit. A
 *  reverse pause wins: the driver may not be made to push the other way yet.
 */
void nuvrik_motor_keep_holding(NuvrikMotor *self, int16_t wanted, uint16_t dt_ms, uint8_t mode)
{
    /* The time at rest counts whether or not it is held: a hold that has ended does not begin again. */
    self->held_ms = nuvrik_later(self->held_ms, dt_ms);
    bool goes_on = self->has_turned && (NUVRIK_MOTOR_HOLD_MS(self->table) == 0
        || self->held_ms < NUVRIK_MOTOR_HOLD_MS(self->table));
    bool hold = goes_on && mode == NUVRIK_FOLLOW && wanted == 0;
    if (hold && nuvrik_ramp_pause_left(&self->ramp, NUVRIK_MOTOR_HOLD_TOWARD(self->table)) != 0) {
        hold = false;
    }
    if (hold && !nuvrik_motor_holding(self)) {
        nuvrik_demand_put(&self->demand, 0, NUVRIK_MOTOR_HOLD(self->table),
            (int8_t)(NUVRIK_MOTOR_FACING(self->table) * NUVRIK_MOTOR_HOLD_TOWARD(self->table)), true, false);
    } else if (nuvrik_motor_holding(self) && !hold) {
        nuvrik_motor_idle(self, NUVRIK_MOTOR_BRAKES_IDLE(self->table));
    }
}

/** At an end of its way: to rest at once, and a load is held. */
void nuvrik_motor_cut_short(NuvrikMotor *self)
{
    nuvrik_ramp_halt(&self->ramp);
    self->held_ms = 0;
    nuvrik_motor_idle(self, NUVRIK_MOTOR_BRAKES_IDLE(self->table));
}

/** To rest at once, without a ramp. */
void nuvrik_motor_halt(NuvrikMotor *self)
{
    nuvrik_ramp_halt(&self->ramp);
    nuvrik_motor_disarmed(self);
    self->lost = false;
    nuvrik_motor_idle(self, NUVRIK_MOTOR_BRAKES_IDLE(self->table));
}

/* ---- servo ---- */

/** The pulse for a place, in microseconds. Each half of the travel has a length of its own. */
uint16_t nuvrik_pulse_at(const NUVRIK_FLASH NuvrikServoTable *table, int16_t place)
{
    int16_t turned = (int16_t)(place * NUVRIK_SERVO_FACING(table));
    uint16_t room = (uint16_t)((int32_t)NUVRIK_SERVO_PULSE_HIGH(table) - NUVRIK_SERVO_PULSE_CENTRE(table));
    if (turned < 0) {
        room = (uint16_t)((int32_t)NUVRIK_SERVO_PULSE_CENTRE(table) - NUVRIK_SERVO_PULSE_LOW(table));
    }
    int32_t away = nuvrik_mul(turned, room);
    return (uint16_t)(NUVRIK_SERVO_PULSE_CENTRE(table) + away);
}

void nuvrik_servo_init(NuvrikServo *self, const NUVRIK_FLASH NuvrikServoTable *table)
{
    self->table = table;
    nuvrik_slew_init(&self->slew, NUVRIK_SERVO_SLEW(table));
    self->released = NUVRIK_SERVO_SILENT(table);
    self->started = !NUVRIK_SERVO_SILENT(table);
}

/** At power-up: in the centre, as far as anybody knows. */
void nuvrik_servo_begin(NuvrikServo *self)
{
    nuvrik_servo_tell(self);
}

/** Tell the servo where to be. */
void nuvrik_servo_tell(NuvrikServo *self)
{
    int16_t place = nuvrik_slew_at(&self->slew);
    if (self->released) {
        nuvrik_demand_put(&self->demand, place, 0, 1, false, false);
    } else {
        nuvrik_demand_put(&self->demand, place, nuvrik_pulse_at(self->table, place), 1, false, false);
    }
}

/** One turn of the loop: go towards target, if a reading asks for it, or a jog or a motion leads there,
 *  and the mode lets it; else stay. Once it had a reading, and then none for timeout_ms, it does what
 *  on_loss says.
 */
void nuvrik_servo_tick(NuvrikServo *self, int16_t target, bool asked, bool led, uint16_t dt_ms, uint8_t mode,
    uint16_t timeout_ms)
{
    if ((mode == NUVRIK_FOLLOW) != self->following) {
        /* Leaving ARMED freezes it, and what a loss began is not finished in ARMED. */
        nuvrik_servo_halt(self);
        self->following = mode == NUVRIK_FOLLOW;
    }
    if (mode == NUVRIK_FOLLOW) {
        nuvrik_servo_follow(self, target, asked, led, dt_ms, timeout_ms);
    } else if (mode == NUVRIK_LOST && self->started) {
        /* One that was never told a place gets no pulses for being lost either. */
        nuvrik_servo_lose(self);
    }
    bool moved = nuvrik_slew_towards(&self->slew, self->goal, dt_ms);
    if (moved || self->released == (self->demand.value != 0)) {
        nuvrik_servo_tell(self);
    }
}

/** In ARMED. */
void nuvrik_servo_follow(NuvrikServo *self, int16_t target, bool asked, bool led, uint16_t dt_ms,
    uint16_t timeout_ms)
{
    if (asked || led) {
        self->goal = (int16_t)nuvrik_clamp(target, NUVRIK_SERVO_LOW(self->table),
            NUVRIK_SERVO_HIGH(self->table));
        if (!self->started) {
            nuvrik_slew_put(&self->slew, self->goal);
        }
        self->released = false;
        self->started = true;
    } else if (self->asked || self->led) {
        self->goal = nuvrik_slew_at(&self->slew);
    }
    self->asked = asked;
    self->led = led;
    if (asked) {
        self->given = true;
        self->unread_ms = 0;
    } else if (self->given) {
        self->unread_ms = nuvrik_later(self->unread_ms, dt_ms);
        if (self->unread_ms >= timeout_ms) {
            self->given = false;
            nuvrik_servo_lose(self);
        }
    }
}

/** Nobody says any more where it is to be. */
void nuvrik_servo_lose(NuvrikServo *self)
{
    self->released = NUVRIK_SERVO_ON_LOSS(self->table) == NUVRIK_RELEASES;
    if (NUVRIK_SERVO_ON_LOSS(self->table) == NUVRIK_GOES) {
        self->goal = NUVRIK_SERVO_LOST_PLACE(self->table);
    }
}

/** Stay where it is now. */
void nuvrik_servo_halt(NuvrikServo *self)
{
    /* Where it is on its way, not where it was going: a stop must not let it go on to its goal. */
    self->goal = nuvrik_slew_at(&self->slew);
    self->asked = false;
    self->led = false;
    self->given = false;
}

void nuvrik_switch_init(NuvrikSwitch *self, const NUVRIK_FLASH NuvrikSwitchTable *table)
{
    self->table = table;
}

/** Be on, or off. */
void nuvrik_switch_put(NuvrikSwitch *self, bool on)
{
    if (on) {
        nuvrik_demand_put(&self->demand, NUVRIK_FULL, 1, 1, false, false);
    } else {
        nuvrik_demand_put(&self->demand, 0, 0, 1, false, false);
    }
}

/** At power-up: off. */
void nuvrik_switch_begin(NuvrikSwitch *self)
{
    nuvrik_switch_put(self, false);
}

/** One turn of the loop: on if target is above zero; if nothing is asked for, as it was. */
void nuvrik_switch_tick(NuvrikSwitch *self, int16_t target, bool asked, uint8_t mode)
{
    if (mode == NUVRIK_FOLLOW) {
        if (asked) {
            nuvrik_switch_put(self, target > 0);
        }
    } else if (mode == NUVRIK_SAFE || !NUVRIK_SWITCH_HOLDS(self->table)) {
        nuvrik_switch_put(self, false);
    }
}

/** Off. */
void nuvrik_switch_halt(NuvrikSwitch *self)
{
    nuvrik_switch_put(self, false);
}

/* ---- stepper ---- */

/** Steps a second at a level of that size. */
uint16_t nuvrik_rate_of(const NUVRIK_FLASH NuvrikStepperTable *table, int16_t size)
{
    uint32_t exact = (uint32_t)size * NUVRIK_STEPPER_RATE_MAX(table);
    return (uint16_t)(((int32_t)exact + (NUVRIK_FULL / 2)) >> NUVRIK_FULL_BITS);
}

/** At most how many thousandths of a step pass at a level (0 to FULL) for dt_ms and then down the ramp to
 *  rest. One step a second more than the rate pays for the rounding of every rate on the way.
 */
uint32_t nuvrik_reach(const NUVRIK_FLASH NuvrikStepperTable *table, int16_t size, uint16_t dt_ms)
{
    uint32_t slowing = (uint32_t)size * NUVRIK_STEPPER_RAMP_MS(table);
    uint16_t down_ms = (uint16_t)((((int32_t)slowing + NUVRIK_FULL) - 1) >> NUVRIK_FULL_BITS);
    /* A triangle of down_ms and a block of dt_ms, which counts in full; each half by itself, to stay small.
       */
    uint16_t both = (uint16_t)(down_ms + ((int32_t)2 * dt_ms));
    uint32_t rate = (uint32_t)((int32_t)nuvrik_rate_of(table, size) + 1);
    uint32_t halves = rate * (uint32_t)(both >> 1);
    if ((int16_t)(both & 1) != 0) {
        return (uint32_t)((int32_t)halves + (((int32_t)rate + 1) >> 1));
    }
    return halves;
}

void nuvrik_stepper_init(NuvrikStepper *self, const NUVRIK_FLASH NuvrikStepperTable *table)
{
    self->table = table;
    nuvrik_ramp_init(&self->ramp, NUVRIK_STEPPER_RAMP(table));
    self->most = NUVRIK_FULL;
    self->steps_left = NUVRIK_NO_LIMIT;
}

/** At power-up: at rest, and without current, because that would pull the rotor into place. */
void nuvrik_stepper_begin(NuvrikStepper *self)
{
    self->turned = false;
    nuvrik_stepper_rest(self);
}

/** Give no steps. */
void nuvrik_stepper_rest(NuvrikStepper *self)
{
    self->steps_left = NUVRIK_NO_LIMIT;
    nuvrik_demand_put(&self->demand, 0, 0, 0, false, NUVRIK_STEPPER_HOLDS(self->table) && self->turned);
}

/** Count the steps of the time gone by; in a move, none beyond its goal. */
void nuvrik_stepper_count_on(NuvrikStepper *self, uint16_t dt_ms)
{
    if (self->demand.value == 0) {
        return;
    }
    uint16_t seconds = (uint16_t)(dt_ms / 1000);
    uint16_t rest_ms = (uint16_t)((int32_t)dt_ms - (seconds * 1000));
    uint32_t parts = (uint32_t)self->demand.value * rest_ms;
    uint32_t more = (uint32_t)((int32_t)parts / NUVRIK_WHOLE);
    uint32_t steps = (uint32_t)(((int32_t)self->demand.value * seconds) + (int32_t)more);
    uint16_t part = (uint16_t)((int32_t)parts - ((int32_t)more * NUVRIK_WHOLE));
    bool ahead = (self->demand.way > 0) == (NUVRIK_STEPPER_FACING(self->table) > 0);
    if (self->moving && (nuvrik_stepper_there(self) || ahead != nuvrik_stepper_behind(self))
        && nuvrik_stepper_beyond(self, steps, part)) {
        self->whole = self->goal_whole;
        self->part = self->goal_part;
    } else if (ahead) {
        self->part = (uint16_t)((int32_t)self->part + part);
        if (self->part >= NUVRIK_WHOLE) {
            self->part = (uint16_t)((int32_t)self->part - NUVRIK_WHOLE);
            steps++;
        }
        self->whole = (self->whole + steps) & UINT32_C(0x3fffffff);
    } else {
        if (self->part < part) {
            self->part = (uint16_t)((int32_t)self->part + NUVRIK_WHOLE);
            steps++;
        }
        self->part = (uint16_t)((int32_t)self->part - part);
        self->whole = (self->whole - steps) & UINT32_C(0x3fffffff);
    }
}

/** Whether the goal lies behind, in the negative direction. */
bool nuvrik_stepper_behind(const NuvrikStepper *self)
{
    uint32_t away = (self->goal_whole - self->whole) & UINT32_C(0x3fffffff);
    return (int32_t)away >= NUVRIK_HALF_TURNS || ((int32_t)away == 0 && self->goal_part < self->part);
}

/** The whole steps to the goal, either way. */
uint32_t nuvrik_stepper_steps_away(const NuvrikStepper *self)
{
    if (nuvrik_stepper_behind(self)) {
        uint32_t back = (self->whole - self->goal_whole) & UINT32_C(0x3fffffff);
        return (uint32_t)((self->part < self->goal_part) ? ((int32_t)back - 1) : (int32_t)back);
    }
    uint32_t ahead = (self->goal_whole - self->whole) & UINT32_C(0x3fffffff);
    return (uint32_t)((self->goal_part < self->part) ? ((int32_t)ahead - 1) : (int32_t)ahead);
}

/** What is left beside the whole steps to the goal, either way, in thousandths. */
uint16_t nuvrik_stepper_part_away(const NuvrikStepper *self)
{
    if (nuvrik_stepper_behind(self)) {
        return (uint16_t)((self->part >= self->goal_part) ? ((int32_t)self->part - self->goal_part)
            : (((int32_t)self->part + NUVRIK_WHOLE) - self->goal_part));
    }
    return (uint16_t)((self->goal_part >= self->part) ? ((int32_t)self->goal_part - self->part)
        : (((int32_t)self->goal_part + NUVRIK_WHOLE) - self->part));
}

/** Whether so many steps lead to the goal or past it. */
bool nuvrik_stepper_beyond(const NuvrikStepper *self, uint32_t steps, uint16_t part)
{
    uint32_t away = nuvrik_stepper_steps_away(self);
    return (int32_t)steps > (int32_t)away || ((int32_t)steps == (int32_t)away
        && part >= nuvrik_stepper_part_away(self));
}

/** One turn of the loop: follow target, if it is asked for and the mode lets it; else come to rest. */
void nuvrik_stepper_tick(NuvrikStepper *self, int16_t target, bool asked, uint16_t dt_ms, uint8_t mode)
{
    int16_t wanted = (asked && mode == NUVRIK_FOLLOW) ? target : 0;
    bool turned = nuvrik_ramp_towards(&self->ramp, wanted, dt_ms);
    /* In a move it is told anew even at one rate, because what is left to turn has changed. */
    if (!(turned || self->moving)) {
        return;
    }
    int16_t at = nuvrik_ramp_at(&self->ramp);
    uint16_t rate = nuvrik_rate_of(self->table, nuvrik_abs16(at));
    if (rate == 0) {
        nuvrik_stepper_rest(self);
    } else {
        self->turned = true;
        self->steps_left = (self->moving) ? nuvrik_stepper_limit(self, at > 0) : (int32_t)NUVRIK_NO_LIMIT;
        nuvrik_demand_put(&self->demand, at, rate, (int8_t)((at > 0) ? NUVRIK_STEPPER_FACING(self->table)
            : (-(int16_t)NUVRIK_STEPPER_FACING(self->table))), true, false);
    }
}

/** The whole steps up to the goal in a direction, 0 where it lies in the other. */
int32_t nuvrik_stepper_limit(const NuvrikStepper *self, bool ahead)
{
    if (ahead) {
        uint32_t away = (self->goal_whole - self->whole) & UINT32_C(0x3fffffff);
        return ((int32_t)away < NUVRIK_HALF_TURNS) ? (int32_t)away : (int32_t)0;
    }
    /* Counted down from the next whole step above, on both sides. */
    uint32_t from_whole = (self->part != 0) ? ((self->whole + 1) & UINT32_C(0x3fffffff)) : self->whole;
    uint32_t to_whole = (self->goal_part != 0) ? ((self->goal_whole + 1) & UINT32_C(0x3fffffff))
        : self->goal_whole;
    uint32_t back = (from_whole - to_whole) & UINT32_C(0x3fffffff);
    return ((int32_t)back < NUVRIK_HALF_TURNS) ? (int32_t)back : (int32_t)0;
}

/** The count as whole steps, rounded half away from zero; it goes round. */
uint32_t nuvrik_stepper_rounded(const NuvrikStepper *self)
{
    bool negative = (int32_t)self->whole >= NUVRIK_HALF_TURNS;
    bool up = negative ? (self->part > (uint16_t)(NUVRIK_WHOLE / 2))
        : (self->part >= (uint16_t)(NUVRIK_WHOLE / 2));
    return up ? ((self->whole + 1) & UINT32_C(0x3fffffff)) : self->whole;
}

/** From now on, turn no further than a place. Begin from rest. */
void nuvrik_stepper_go_to(NuvrikStepper *self, uint32_t place, uint16_t part)
{
    self->moving = true;
    self->goal_whole = place;
    self->goal_part = part;
}

/** This is where the count begins. */
void nuvrik_stepper_count_from_here(NuvrikStepper *self)
{
    self->whole = 0;
    self->part = 0;
}

/** The move is over, or must not go on. */
void nuvrik_stepper_let_go(NuvrikStepper *self)
{
    self->moving = false;
    self->most = NUVRIK_FULL;
}

/** Whether it is at the goal, or passing it. */
bool nuvrik_stepper_there(const NuvrikStepper *self)
{
    return (int32_t)self->whole == (int32_t)self->goal_whole && self->part == self->goal_part;
}

/** Whether it stands at the goal. */
bool nuvrik_stepper_arrived(const NuvrikStepper *self)
{
    return nuvrik_stepper_there(self) && self->ramp.fine == 0;
}

/** The level towards the goal for the next dt_ms: the greatest, of those that the ramp can reach in that
 *  time, from which it can still stop there; at least that of one step a second.
 */
int16_t nuvrik_stepper_wanted(const NuvrikStepper *self, uint16_t dt_ms)
{
    uint32_t away = nuvrik_stepper_steps_away(self);
    bool behind = nuvrik_stepper_behind(self);
    int16_t now = nuvrik_ramp_at(&self->ramp);
    if (nuvrik_stepper_there(self) || (now != 0 && (now < 0) != behind)) {
        return 0;
    }
    uint32_t left = NUVRIK_FAR * NUVRIK_WHOLE;
    if ((int32_t)away < NUVRIK_FAR) {
        left = (uint32_t)(((int32_t)away * NUVRIK_WHOLE) + nuvrik_stepper_part_away(self));
    }
    uint16_t time_ms = dt_ms;
    if (time_ms < 1) {
        time_ms = 1;
    }
    if (time_ms > NUVRIK_LONGEST_TICK_MS) {
        time_ms = NUVRIK_LONGEST_TICK_MS;
    }
    int16_t size = nuvrik_stepper_fastest(self, nuvrik_abs16(now), left, time_ms);
    if (size < NUVRIK_STEPPER_LEAST(self->table)) {
        size = NUVRIK_STEPPER_LEAST(self->table);
    }
    return (int16_t)(behind ? (-size) : size);
}

/** The greatest size of a level, of those that the ramp can reach, from which left is enough to stop. */
int16_t nuvrik_stepper_fastest(const NuvrikStepper *self, int16_t now, uint32_t left, uint16_t time_ms)
{
    int16_t most = nuvrik_change(NUVRIK_STEPPER_RAMP(self->table), time_ms);
    int16_t low = (int16_t)((now > most) ? (now - most) : 0);
    int16_t top = (int16_t)((most < (NUVRIK_FULL - now)) ? (now + most) : (int16_t)NUVRIK_FULL);
    if (top > self->most) {
        top = (self->most > low) ? self->most : low;
    }
    if (nuvrik_reach(self->table, top, time_ms) <= left) {
        return top;
    }
    /* By halving: the way to rest only grows with the level. */
    while (low < top) {
        int16_t middle = (int16_t)((uint16_t)((uint16_t)((uint16_t)low + (uint16_t)top) + 1) >> 1);
        if (nuvrik_reach(self->table, middle, time_ms) <= left) {
            low = middle;
        } else {
            top = (int16_t)(middle - 1);
        }
    }
    return top;
}

/** To rest at once, without a ramp. */
void nuvrik_stepper_halt(NuvrikStepper *self)
{
    nuvrik_ramp_halt(&self->ramp);
    nuvrik_stepper_rest(self);
}

/* ---- pins ---- */

/** What one pin of an output is at under a demand. Of two directions or two of power the first is forward. */
uint16_t nuvrik_level_of_pin(const NUVRIK_FLASH NuvrikPinTable *table, uint8_t pin, uint16_t value,
    int8_t way, bool braked)
{
    if (NUVRIK_PIN_USE(table) >= NUVRIK_SWITCHED_HIGH) {
        return (uint16_t)(((value != 0) == (NUVRIK_PIN_USE(table) == NUVRIK_SWITCHED_HIGH)) ? 1 : 0);
    }
    if (NUVRIK_PIN_USE(table) == NUVRIK_TWO_POWERED) {
        if (way == ((pin == 0) ? 1 : (-1))) {
            return value;
        }
        return (uint16_t)(braked ? NUVRIK_PIN_MOST(table) : 0);
    }
    if (pin == 0) {
        return value;
    }
    if (pin == 1) {
        return (uint16_t)((way > 0 || (NUVRIK_PIN_USE(table) == NUVRIK_TWO_DIRECTIONS && braked)) ? 1 : 0);
    }
    if (NUVRIK_PIN_USE(table) == NUVRIK_TWO_DIRECTIONS) {
        return (uint16_t)((way < 0 || braked) ? 1 : 0);
    }
    return (uint16_t)(((value != 0 || braked) != NUVRIK_PIN_ENABLE_LOW(table)) ? 1 : 0);
}

/** How many pins it has. */
uint8_t nuvrik_pins_of(uint8_t use)
{
    if (use == NUVRIK_ONE_DIRECTION || use == NUVRIK_TWO_POWERED) {
        return 2;
    }
    return (uint8_t)((use == NUVRIK_TWO_DIRECTIONS || use == NUVRIK_STEPPED || use == NUVRIK_COILS) ? 3 : 1);
}

/** One more. */
void nuvrik_writes_put(NuvrikWrites *self, uint8_t pin, uint16_t to)
{
    self->pin[self->count] = pin;
    self->level[self->count] = to;
    self->count++;
}

void nuvrik_pins_init(NuvrikPins *self, const NUVRIK_FLASH NuvrikPinTable *table)
{
    self->table = table;
}

/** Say what a new demand asks to be written. */
void nuvrik_pins_follow(NuvrikPins *self, uint16_t value, int8_t way, bool braked, NuvrikWrites *writes)
{
    writes->count = 0;
    bool same = self->known && way == self->way && braked == self->braked;
    self->way = way;
    self->braked = braked;
    if (same && NUVRIK_PIN_USE(self->table) < NUVRIK_SWITCHED_HIGH && !braked) {
        /* Nearly always only the value changes, and with it one pin. */
        uint8_t at = (uint8_t)((NUVRIK_PIN_USE(self->table) == NUVRIK_TWO_POWERED && way < 0) ? 1 : 0);
        if (way != 0 && self->levels[at] != value) {
            nuvrik_pins_put(self, at, value, writes);
        }
        return;
    }
    self->known = true;
    nuvrik_pins_change(self, value, way, braked, writes);
}

/** Say every level once more, behind what has changed: whatever else has set a pin meanwhile has no say in
 *  it. Never pulses or steps, which would begin anew.
 */
void nuvrik_pins_repeat(NuvrikPins *self, NuvrikWrites *writes)
{
    /* By way of a local: a compiler for AVR (GCC 5.4) fails at the field itself. */
    uint16_t full = NUVRIK_PIN_MOST(self->table);
    bool counts = full > 0;
    uint8_t pins = (uint8_t)((self->known && NUVRIK_PIN_USE(self->table) != NUVRIK_PULSED)
        ? nuvrik_pins_of(NUVRIK_PIN_USE(self->table)) : 0);
    for (uint8_t i = 0; i < pins; i++) {
        if (!nuvrik_pins_powers(self, i) || (counts && self->levels[i] == 0)) {
            nuvrik_writes_put(writes, i, self->levels[i]);
        }
    }
    for (uint8_t i = 0; i < pins; i++) {
        if (nuvrik_pins_powers(self, i) && counts && self->levels[i] != 0) {
            nuvrik_writes_put(writes, i, self->levels[i]);
        }
    }
}

/** The same, where a direction or everything may change. */
void nuvrik_pins_change(NuvrikPins *self, uint16_t value, int8_t way, bool braked, NuvrikWrites *writes)
{
    uint8_t pins = nuvrik_pins_of(NUVRIK_PIN_USE(self->table));
    bool turned = false;
    for (uint8_t i = 0; i < pins; i++) {
        writes->wanted[i] = nuvrik_level_of_pin(self->table, i, value, way, braked);
        writes->changed[i] = self->levels[i] != writes->wanted[i];
        if (writes->changed[i] && !nuvrik_pins_powers(self, i)) {
            turned = true;
        }
    }
    if (turned) {
        for (uint8_t i = 0; i < pins; i++) {
            if (nuvrik_pins_powers(self, i) && self->levels[i] != 0) {
                nuvrik_pins_put(self, i, 0, writes);
                writes->changed[i] = writes->wanted[i] != 0;
            }
        }
    }
    nuvrik_pins_put_changed(self, pins, false, writes);
    nuvrik_pins_put_changed(self, pins, true, writes);
}

/** Whether a pin makes the output turn; the others only say which way. */
bool nuvrik_pins_powers(const NuvrikPins *self, uint8_t pin)
{
    return pin == 0 || NUVRIK_PIN_USE(self->table) == NUVRIK_TWO_POWERED;
}

/** Write the pins of one sort that change. What goes down goes first, so that the two sides are never on
 *  together, except to brake.
 */
void nuvrik_pins_put_changed(NuvrikPins *self, uint8_t pins, bool power, NuvrikWrites *writes)
{
    for (uint8_t i = 0; i < pins; i++) {
        if (writes->changed[i] && nuvrik_pins_powers(self, i) == power && writes->wanted[i] == 0) {
            nuvrik_pins_put(self, i, 0, writes);
        }
    }
    for (uint8_t i = 0; i < pins; i++) {
        if (writes->changed[i] && nuvrik_pins_powers(self, i) == power && writes->wanted[i] != 0) {
            nuvrik_pins_put(self, i, writes->wanted[i], writes);
        }
    }
}

/** One more write. */
void nuvrik_pins_put(NuvrikPins *self, uint8_t pin, uint16_t to, NuvrikWrites *writes)
{
    self->levels[pin] = to;
    nuvrik_writes_put(writes, pin, to);
}

/** A stop. */
void nuvrik_again_stop(NuvrikAgain *self)
{
    self->now = true;
}

/** One turn of the loop, dt_ms after the one before. */
void nuvrik_again_turn(NuvrikAgain *self, uint16_t dt_ms, bool armed)
{
    self->since_ms = nuvrik_later(self->since_ms, dt_ms);
    if ((self->armed && !armed) || self->since_ms >= NUVRIK_AGAIN_MS) {
        self->now = true;
    }
    self->armed = armed;
}

/** They have been written. */
void nuvrik_again_done(NuvrikAgain *self)
{
    if (self->now) {
        self->now = false;
        self->since_ms = 0;
    }
}

/* ---- watch ---- */

void nuvrik_watch_init(NuvrikWatch *self, const NUVRIK_FLASH NuvrikWatchTable *table)
{
    self->table = table;
    self->why = NUVRIK_WHY_FIRST_FRAME;
    self->place = NUVRIK_NOBODY;
    /* Before the first drive frame there is nothing yet that a silence could end. */
    self->silent = true;
    self->driven_ms = NUVRIK_TIMER_MAX;
    self->stopped_by = NUVRIK_WHY_STOPPED;
    self->stopped_at = NUVRIK_NOBODY;
}

/** Let dt_ms go by, before anything that arrived in that time is looked at. True if a silence begins:
 *  there has now been no drive frame for timeout_ms, and the caller forgets the last sequence number,
 *  once. Were it forgotten at every call of a long silence, an old echo could be accepted every time.
 */
bool nuvrik_watch_pass_time(NuvrikWatch *self, uint16_t dt_ms)
{
    self->driven_ms = nuvrik_later(self->driven_ms, dt_ms);
    if (NUVRIK_WATCH_GIVES_UP(self->table)) {
        /* First, because it leads to WAITING, where the silence that is judged next changes nothing more. */
        self->entered_ms = nuvrik_later(self->entered_ms, dt_ms);
        if (self->entered_ms >= NUVRIK_WATCH_GIVE_UP_MS(self->table)) {
            nuvrik_watch_happen(self, NUVRIK_GIVE_UP, NUVRIK_NOBODY, 0);
        }
    }
    if (self->driven_ms < NUVRIK_WATCH_TIMEOUT_MS(self->table)) {
        return false;
    }
    nuvrik_watch_happen(self, NUVRIK_SILENCE, NUVRIK_NOBODY, NUVRIK_WATCH_TIMEOUT_MS(self->table));
    bool begins = !self->silent;
    self->silent = true;
    return begins;
}

/** The machine has had a turn, and the run of good frames may rise again. However many frames come between
 *  two ticks, as when a backlog is read after the loop was held up, they count as one.
 */
void nuvrik_watch_ticked(NuvrikWatch *self)
{
    self->counted = false;
}

/** A drive frame. moved: the place of the first channel that turns something and is not at rest. */
void nuvrik_watch_drive(NuvrikWatch *self, bool arm, uint8_t moved)
{
    self->driven_ms = 0;
    self->silent = false;
    if (!(arm || NUVRIK_WATCH_ARMLESS(self->table))) {
        nuvrik_watch_happen(self, NUVRIK_DRIVE_OFF, NUVRIK_NOBODY, 0);
    } else if (moved == NUVRIK_NOBODY) {
        nuvrik_watch_happen(self, NUVRIK_DRIVE_REST, NUVRIK_NOBODY, 0);
    } else {
        nuvrik_watch_happen(self, NUVRIK_DRIVE_MOVED, moved, 0);
    }
}

/** A command that lacks a required reading: no drive frame, and no sign of life. */
void nuvrik_watch_bare(NuvrikWatch *self, bool arm, uint8_t missing)
{
    if (arm || NUVRIK_WATCH_ARMLESS(self->table)) {
        nuvrik_watch_happen(self, NUVRIK_BARE_ON, missing, 0);
    } else {
        nuvrik_watch_happen(self, NUVRIK_BARE_OFF, missing, 0);
    }
}

/** A stop: a frame, WHY_STOPPED, or one of the machine's own. */
void nuvrik_watch_stop(NuvrikWatch *self, uint8_t why, uint8_t place)
{
    self->stopped_by = why;
    self->stopped_at = place;
    nuvrik_watch_happen(self, NUVRIK_STOP, NUVRIK_NOBODY, 0);
}

/** Look an event up, do what its cell says, and say why nothing moves. */
void nuvrik_watch_happen(NuvrikWatch *self, uint8_t event, uint8_t place, uint16_t number)
{
    const NUVRIK_FLASH NuvrikCell *cell = &NUVRIK_WATCH_CELLS(self->table)[(event * NUVRIK_STATES)
        + self->state];
    if (NUVRIK_CELL_ACTS(cell)) {
        nuvrik_watch_carry_out(self, cell);
    } else if (event == NUVRIK_GIVE_UP) {
        /* It means nothing in this state, and changes no reason. */
        return;
    }
    if (self->state == NUVRIK_ARMED && event != NUVRIK_BARE_ON) {
        /* Written out, because nearly every frame of a drive comes here. */
        self->why = NUVRIK_WHY_NOTHING;
        self->place = NUVRIK_NOBODY;
        self->number = 0;
    } else {
        nuvrik_watch_explain(self, event, cell, place, number);
    }
}

/** Do what a cell says. */
void nuvrik_watch_carry_out(NuvrikWatch *self, const NUVRIK_FLASH NuvrikCell *cell)
{
    if (NUVRIK_CELL_TO(cell) != NUVRIK_NOWHERE) {
        nuvrik_watch_enter(self, NUVRIK_CELL_TO(cell));
    }
    /* The order matters: entering a state clears run and off_seen, and the cell may set them again. */
    if (NUVRIK_CELL_RUN(cell) != NUVRIK_NOWHERE) {
        self->run = NUVRIK_CELL_RUN(cell);
        self->counted = self->counted || NUVRIK_CELL_RUN(cell) > 0;
    } else if (NUVRIK_CELL_COUNTS_TO(cell) != NUVRIK_NOWHERE && !self->counted) {
        if (self->run < NUVRIK_WATCH_GOOD_FRAMES(self->table)) {
            self->run++;
        }
        self->counted = true;
    }
    if (NUVRIK_CELL_OFF_SEEN(cell) != NUVRIK_NOWHERE) {
        self->off_seen = NUVRIK_CELL_OFF_SEEN(cell);
    }
    if (NUVRIK_CELL_COUNTS_TO(cell) < NUVRIK_STATES && self->run >= NUVRIK_WATCH_GOOD_FRAMES(self->table)) {
        nuvrik_watch_enter(self, NUVRIK_CELL_COUNTS_TO(cell));
    }
    if (NUVRIK_CELL_EDGE_TO(cell) != NUVRIK_NOWHERE && (self->off_seen != 0
        || NUVRIK_WATCH_ARMLESS(self->table))) {
        nuvrik_watch_enter(self, NUVRIK_CELL_EDGE_TO(cell));
    }
}

/** Be in a state, with nothing counted yet. */
void nuvrik_watch_enter(NuvrikWatch *self, uint8_t state)
{
    self->entered_ms = 0;
    self->state = state;
    self->run = 0;
    self->off_seen = 0;
}

/** Say why nothing moves, with the code that helps most. */
void nuvrik_watch_explain(NuvrikWatch *self, uint8_t event, const NUVRIK_FLASH NuvrikCell *cell,
    uint8_t place, uint16_t number)
{
    if (self->state == NUVRIK_STOPPED) {
        nuvrik_watch_say(self, self->stopped_by, self->stopped_at, self->run);
    } else if (NUVRIK_CELL_COUNTS_TO(cell) != NUVRIK_NOWHERE && self->run > 0
        && self->run < NUVRIK_WATCH_GOOD_FRAMES(self->table)) {
        nuvrik_watch_say(self, NUVRIK_WHY_GOOD_FRAMES, NUVRIK_NOBODY, self->run);
    } else if (event != NUVRIK_SILENCE || self->why != NUVRIK_WHY_FIRST_FRAME) {
        /* Before the first frame "no drive frame for 400 ms" would be true and would help nobody. */
        nuvrik_watch_say(self, NUVRIK_CELL_WHY(cell), place, number);
    }
}

/** Keep a reason. */
void nuvrik_watch_say(NuvrikWatch *self, uint8_t why, uint8_t place, uint16_t number)
{
    self->why = why;
    self->place = place;
    self->number = number;
}

/* ---- commands ---- */

void nuvrik_commands_init(NuvrikCommands *self, const NUVRIK_FLASH NuvrikCommandTable *table)
{
    self->table = table;
    self->missing = NUVRIK_NOBODY;
    self->moved = NUVRIK_NOBODY;
    self->unready = NUVRIK_COMMAND_OPTIONAL_COUNT(table);
}

/** Say what a command is. */
void nuvrik_commands_sort(NuvrikCommands *self, const int32_t *values)
{
    const NUVRIK_FLASH NuvrikCommandTable *table = self->table;
    int16_t band = NUVRIK_COMMAND_BAND(table);
    self->arm = NUVRIK_COMMAND_ARM(table) != NUVRIK_NOBODY && values[NUVRIK_COMMAND_ARM(table)] != 0;
    self->missing = NUVRIK_NOBODY;
    self->moved = NUVRIK_NOBODY;
    /* Optional channels first: their readiness has to be followed in every command, drive frame or not. */
    if (NUVRIK_COMMAND_OPTIONAL_COUNT(table) != 0) {
        nuvrik_commands_look_at_optional(self, values);
    }
    for (uint8_t i = 0; i < NUVRIK_COMMAND_REQUIRED_COUNT(table); i++) {
        uint8_t place = NUVRIK_U8(NUVRIK_COMMAND_REQUIRED(table)[i]);
        int32_t value = values[place];
        if (value == NUVRIK_NO_READING) {
            self->missing = place;
            self->moved = NUVRIK_NOBODY;
            return;
        }
        /* Of several that are not at rest the first is named: one is enough to act on. */
        if (self->moved == NUVRIK_NOBODY && (value > band || value < (-band))) {
            self->moved = place;
        }
    }
}

/** Follow which of the optional channels have a say. */
void nuvrik_commands_look_at_optional(NuvrikCommands *self, const int32_t *values)
{
    int16_t band = NUVRIK_COMMAND_BAND(self->table);
    self->unready = 0;
    for (uint8_t i = 0; i < NUVRIK_COMMAND_OPTIONAL_COUNT(self->table); i++) {
        uint8_t place = NUVRIK_U8(NUVRIK_COMMAND_OPTIONAL(self->table)[i]);
        int32_t value = values[place];
        if (value == NUVRIK_NO_READING) {
            self->ready[i] = false;
        } else if (value <= band && value >= (-band)) {
            self->ready[i] = true;
        } else if (self->moved == NUVRIK_NOBODY) {
            self->moved = place;
        }
        if (!self->ready[i]) {
            self->unready++;
        }
    }
}

/** Let what has no say enter the mix as zero. */
void nuvrik_commands_enter(NuvrikCommands *self, int32_t *values)
{
    if (self->unready == 0) {
        return;
    }
    for (uint8_t i = 0; i < NUVRIK_COMMAND_OPTIONAL_COUNT(self->table); i++) {
        if (!self->ready[i]) {
            values[NUVRIK_U8(NUVRIK_COMMAND_OPTIONAL(self->table)[i])] = 0;
        }
    }
}

/* ---- mix ---- */

/** Whether a channel counts as zero: without a reading, or at rest. */
bool nuvrik_rests(const NUVRIK_FLASH NuvrikRoute *route, int32_t value)
{
    return value == NUVRIK_NO_READING || (value <= NUVRIK_ROUTE_BAND(route)
        && (int16_t)value >= (-NUVRIK_ROUTE_BAND(route)));
}

/** The weighed sum. A channel without a reading adds nothing, nor does one that is at rest: so what was at
 *  rest when the machine was armed puts no start duty on a motor.
 */
int32_t nuvrik_total(const NUVRIK_FLASH NuvrikRoute *route, const int32_t *values)
{
    int32_t sum = 0;
    for (uint8_t term_at = 0; term_at < NUVRIK_ROUTE_TERMS_COUNT(route); term_at++) {
        const NUVRIK_FLASH NuvrikTerm *term = &NUVRIK_ROUTE_TERMS(route)[term_at];
        int32_t value = values[NUVRIK_TERM_PLACE(term)];
        if (!nuvrik_rests(route, value)) {
            /* A weight of 1 needs no product, and is by far the commonest. */
            int32_t weighed = (NUVRIK_TERM_WEIGHT(term) == NUVRIK_FULL) ? value
                : nuvrik_mul(NUVRIK_TERM_WEIGHT(term), value);
            sum = sum + weighed;
        }
    }
    return sum;
}

/** A side's sum, made so much smaller that it and the other side's fit into full scale. */
int32_t nuvrik_fit_side(int32_t sum, int32_t other)
{
    int32_t widest = nuvrik_abs32(other);
    if (nuvrik_abs32(sum) > widest) {
        widest = nuvrik_abs32(sum);
    }
    if (widest <= NUVRIK_FULL) {
        return sum;
    }
    int32_t exact = sum * NUVRIK_FULL;
    return nuvrik_div(exact, widest);
}

/** A side's sum, slowed while it is the inner one of a turn. On the outer one the product is negative. */
int32_t nuvrik_slowed(const NUVRIK_FLASH NuvrikRoute *route, int32_t sum, const int32_t *values)
{
    int32_t turned = values[NUVRIK_ROUTE_TURN(route)];
    if (!nuvrik_rests(route, turned)) {
        int32_t slowing = turned * NUVRIK_ROUTE_INNER(route);
        if (slowing > 0) {
            return nuvrik_mul(sum, NUVRIK_FULL - slowing);
        }
    }
    return sum;
}

/* ---- outputs ---- */

void nuvrik_outputs_init(NuvrikOutputs *self, const NUVRIK_FLASH NuvrikOutputsTable *table)
{
    self->table = table;
    for (uint8_t i = 0; i < NUVRIK_OUTPUTS_MOTORS_COUNT(table); i++) {
        nuvrik_motor_init(&self->motors[i], &NUVRIK_OUTPUTS_MOTORS(table)[i]);
    }
    for (uint8_t i = 0; i < NUVRIK_OUTPUTS_SERVOS_COUNT(table); i++) {
        nuvrik_servo_init(&self->servos[i], &NUVRIK_OUTPUTS_SERVOS(table)[i]);
    }
    for (uint8_t i = 0; i < NUVRIK_OUTPUTS_STEPPERS_COUNT(table); i++) {
        nuvrik_stepper_init(&self->steppers[i], &NUVRIK_OUTPUTS_STEPPERS(table)[i]);
    }
    for (uint8_t i = 0; i < NUVRIK_OUTPUTS_SWITCHES_COUNT(table); i++) {
        nuvrik_switch_init(&self->switches[i], &NUVRIK_OUTPUTS_SWITCHES(table)[i]);
    }
    self->jogged = NUVRIK_NOBODY;
    self->goes_back = NUVRIK_NOBODY;
    for (uint8_t i = 0; i < NUVRIK_MOST_LIMITS; i++) {
        self->factors[i] = NUVRIK_FULL;
    }
    for (uint8_t i = 0; i < NUVRIK_MOST_OUTPUTS; i++) {
        self->caps[i] = NUVRIK_FULL;
    }
    for (uint8_t i = 0; i < NUVRIK_MOST_OUTPUTS; i++) {
        self->said[i] = NUVRIK_NOT_SAID;
    }
}

/** At power-up. */
void nuvrik_outputs_begin(NuvrikOutputs *self)
{
    for (uint8_t i = 0; i < NUVRIK_OUTPUTS_MOTORS_COUNT(self->table); i++) {
        nuvrik_motor_begin(&self->motors[i]);
    }
    for (uint8_t i = 0; i < NUVRIK_OUTPUTS_SERVOS_COUNT(self->table); i++) {
        nuvrik_servo_begin(&self->servos[i]);
    }
    for (uint8_t i = 0; i < NUVRIK_OUTPUTS_STEPPERS_COUNT(self->table); i++) {
        nuvrik_stepper_begin(&self->steppers[i]);
    }
    for (uint8_t i = 0; i < NUVRIK_OUTPUTS_SWITCHES_COUNT(self->table); i++) {
        nuvrik_switch_begin(&self->switches[i]);
    }
}

/** Let dt_ms go by. */
void nuvrik_outputs_pass_time(NuvrikOutputs *self, uint16_t dt_ms)
{
    if (self->jogged != NUVRIK_NOBODY) {
        self->jog_ms = nuvrik_later(self->jog_ms, dt_ms);
    }
}

/** A drive frame is followed. */
void nuvrik_outputs_follow(NuvrikOutputs *self, const int32_t *values)
{
    self->asked = true;
    for (uint8_t i = 0; i < NUVRIK_OUTPUTS_OUTPUTS_COUNT(self->table); i++) {
        self->sums[i] = nuvrik_total(NUVRIK_OUTPUT_ROUTE(&NUVRIK_OUTPUTS_OUTPUTS(self->table)[i]), values);
    }
    for (uint8_t i = 0; i < NUVRIK_OUTPUTS_OUTPUTS_COUNT(self->table); i++) {
        const NUVRIK_FLASH NuvrikRoute *route = NUVRIK_OUTPUT_ROUTE(&NUVRIK_OUTPUTS_OUTPUTS(self->table)[i]);
        if ((NUVRIK_HAS_IS_SERVO
            && NUVRIK_OUTPUT_KIND(&NUVRIK_OUTPUTS_OUTPUTS(self->table)[i]) == NUVRIK_IS_SERVO)) {
            self->given[i] = nuvrik_outputs_says_where(self, route, values);
        } else if (self->capped && self->waits[i] && self->caps[i] != 0 && nuvrik_all_rest(route, values)) {
            self->waits[i] = false;
        }
        int32_t sum = self->sums[i];
        if (NUVRIK_ROUTE_PARTNER(route) != NUVRIK_NOBODY) {
            sum = nuvrik_fit_side(sum, self->sums[NUVRIK_ROUTE_PARTNER(route)]);
        }
        if (NUVRIK_ROUTE_TURN(route) != NUVRIK_NOBODY) {
            sum = nuvrik_slowed(route, sum, values);
        }
        /* Clipped once, at the end: the sum of two halves may pass full scale on the way. And a flag is 0 */
        /* or 1, not a level: it is made full, so that a switch need not know the difference. */
        if (sum > NUVRIK_FULL || (NUVRIK_ROUTE_SWITCHED(route) && sum != 0)) {
            sum = NUVRIK_FULL;
        } else if (sum < (-NUVRIK_FULL)) {
            sum = -NUVRIK_FULL;
        }
        self->targets[i] = (int16_t)sum;
    }
}

/** Whether a drive frame says where a place is to be. One that is fed by several channels stays while one
 *  of them has no reading; only an optional one that has had none since arming adds nothing. (What turns
 *  something too has one in every drive frame, or has entered as zero.)
 */
bool nuvrik_outputs_says_where(NuvrikOutputs *self, const NUVRIK_FLASH NuvrikRoute *route,
    const int32_t *values)
{
    bool any = false;
    bool all = true;
    for (uint8_t term_at = 0; term_at < NUVRIK_ROUTE_TERMS_COUNT(route); term_at++) {
        const NUVRIK_FLASH NuvrikTerm *term = &NUVRIK_ROUTE_TERMS(route)[term_at];
        if (values[NUVRIK_TERM_PLACE(term)] != NUVRIK_NO_READING) {
            any = true;
            if (NUVRIK_TERM_EXTRA(term) != NUVRIK_NOBODY) {
                self->read[NUVRIK_TERM_EXTRA(term)] = true;
            }
        } else if (NUVRIK_TERM_EXTRA(term) == NUVRIK_NOBODY || self->read[NUVRIK_TERM_EXTRA(term)]) {
            all = false;
        }
    }
    return any && all;
}

/** A required reading is missing: what turns comes to rest, places stay. */
void nuvrik_outputs_let_rest(NuvrikOutputs *self)
{
    self->asked = false;
}

/** Move one output a little, whatever the mix says, for so long. A place goes so far from where it was
 *  told last, and back; one that was never told a place stays where it is, wherever that may be.
 */
void nuvrik_outputs_jog(NuvrikOutputs *self, uint8_t output, int16_t to, uint16_t for_ms)
{
    nuvrik_outputs_end_jog(self);
    self->jog_level = to;
    if ((NUVRIK_HAS_IS_SERVO
        && NUVRIK_OUTPUT_KIND(&NUVRIK_OUTPUTS_OUTPUTS(self->table)[output]) == NUVRIK_IS_SERVO)) {
        NuvrikServo *servo = &self->servos[NUVRIK_OUTPUT_AT(&NUVRIK_OUTPUTS_OUTPUTS(self->table)[output])];
        if (!servo->started) {
            return;
        }
        if (self->goes_back != output) {
            self->back_to = nuvrik_slew_at(&servo->slew);
        }
        self->goes_back = output;
        self->jog_level = (int16_t)nuvrik_clamp((int32_t)self->back_to + to, -NUVRIK_FULL, NUVRIK_FULL);
    }
    self->jogged = output;
    self->jog_for_ms = for_ms;
    self->jog_ms = 0;
}

/** Let it follow the mix again, or stand where it stood. */
void nuvrik_outputs_end_jog(NuvrikOutputs *self)
{
    self->jogged = NUVRIK_NOBODY;
}

/** Whether an output turns; the others stand in a place, or are off or on. */
bool nuvrik_outputs_turns(const NuvrikOutputs *self, uint8_t output)
{
    uint8_t kind = NUVRIK_OUTPUT_KIND(&NUVRIK_OUTPUTS_OUTPUTS(self->table)[output]);
    return (NUVRIK_HAS_IS_MOTOR && kind == NUVRIK_IS_MOTOR) || (NUVRIK_HAS_IS_STEPPER
        && kind == NUVRIK_IS_STEPPER);
}

/** Whether an output is off or on, and nothing between. */
bool nuvrik_outputs_switches_only(const NuvrikOutputs *self, uint8_t output)
{
    return (NUVRIK_HAS_IS_SWITCH
        && NUVRIK_OUTPUT_KIND(&NUVRIK_OUTPUTS_OUTPUTS(self->table)[output]) == NUVRIK_IS_SWITCH);
}

/** Whether a hand, or a jog, moves an output that a motion is to move, or may no longer let it. */
bool nuvrik_outputs_a_hand_moves(const NuvrikOutputs *self, uint8_t output)
{
    if (self->jogged == output) {
        return nuvrik_outputs_turns(self, output) && self->jog_level != 0;
    }
    return !self->asked || (nuvrik_outputs_turns(self, output) && self->targets[output] != 0);
}

/** Whether a motion would take an output beyond an end. */
bool nuvrik_outputs_ends_here(const NuvrikOutputs *self, uint8_t output)
{
    return nuvrik_outputs_turns(self, output) && nuvrik_outputs_barred(self, output, self->wishes[output]);
}

/** A motion moves an output so far, until it is let go. */
void nuvrik_outputs_wish(NuvrikOutputs *self, uint8_t output, int16_t to)
{
    self->moving = true;
    self->moves[output] = true;
    self->wishes[output] = to;
}

/** No motion moves anything. */
void nuvrik_outputs_let_go(NuvrikOutputs *self)
{
    self->moving = false;
    for (uint8_t i = 0; i < NUVRIK_OUTPUTS_OUTPUTS_COUNT(self->table); i++) {
        self->moves[i] = false;
    }
}

/** The builder's own code leaves an output that turns no more than so much of full scale, either way, from
 *  the next tick on and until it says otherwise; of several that are said between two ticks the least.
 *  False for what does not turn: that has no way of being less.
 */
bool nuvrik_outputs_cap(NuvrikOutputs *self, uint8_t output, int16_t most)
{
    if (!nuvrik_outputs_turns(self, output)) {
        return false;
    }
    if (self->said[output] == NUVRIK_NOT_SAID || most < self->said[output]) {
        self->said[output] = most;
    }
    self->capped = true;
    return true;
}

/** What the builder's own code leaves of a target. Once it has left nothing, and leaves something again,
 *  the output counts again when its channels have rested: a stick that was held over all the while starts
 *  nothing.
 */
int16_t nuvrik_outputs_within_cap(NuvrikOutputs *self, uint8_t output, int16_t target)
{
    if (self->said[output] != NUVRIK_NOT_SAID) {
        self->caps[output] = self->said[output];
        self->said[output] = NUVRIK_NOT_SAID;
    }
    if (self->caps[output] == 0) {
        self->waits[output] = true;
    }
    if (self->waits[output]) {
        return 0;
    }
    return (int16_t)nuvrik_clamp(target, -self->caps[output], self->caps[output]);
}

/** Leave so much of full scale to an output that turns, and let it go no further the ways that at_end
 *  says.
 */
void nuvrik_outputs_limit(NuvrikOutputs *self, uint8_t output, int16_t factor, uint8_t at_end)
{
    self->factors[output] = factor;
    self->ends[output] = at_end;
}

/** Whether an output is at one of its ends, or that end's switch has no reading. */
bool nuvrik_outputs_at_end(const NuvrikOutputs *self, uint8_t output, uint8_t which)
{
    return NUVRIK_OUTPUTS_LIMITS_COUNT(self->table) > 0 && (self->ends[output] & which) != 0;
}

/** Which way a level above 0 turns what turns. */
int8_t nuvrik_outputs_facing(const NuvrikOutputs *self, uint8_t output)
{
    uint8_t at = NUVRIK_OUTPUT_AT(&NUVRIK_OUTPUTS_OUTPUTS(self->table)[output]);
    if ((NUVRIK_HAS_IS_MOTOR
        && NUVRIK_OUTPUT_KIND(&NUVRIK_OUTPUTS_OUTPUTS(self->table)[output]) == NUVRIK_IS_MOTOR)) {
        return NUVRIK_MOTOR_FACING(&NUVRIK_OUTPUTS_MOTORS(self->table)[at]);
    }
    return NUVRIK_STEPPER_FACING(&NUVRIK_OUTPUTS_STEPPERS(self->table)[at]);
}

/** Whether a level would turn an output further beyond an end. */
bool nuvrik_outputs_barred(const NuvrikOutputs *self, uint8_t output, int32_t to)
{
    if (NUVRIK_OUTPUTS_LIMITS_COUNT(self->table) == 0 || self->ends[output] == 0 || to == 0) {
        return false;
    }
    bool forward = (to > 0) == (nuvrik_outputs_facing(self, output) > 0);
    return (self->ends[output] & (forward ? NUVRIK_AT_FORWARD_END : NUVRIK_AT_BACKWARD_END)) != 0;
}

/** What is left of a target. What still turns beyond its end is cut short, without a ramp. */
int16_t nuvrik_outputs_within_limits(NuvrikOutputs *self, uint8_t output, int16_t target)
{
    uint8_t at = NUVRIK_OUTPUT_AT(&NUVRIK_OUTPUTS_OUTPUTS(self->table)[output]);
    uint8_t kind = NUVRIK_OUTPUT_KIND(&NUVRIK_OUTPUTS_OUTPUTS(self->table)[output]);
    if ((NUVRIK_HAS_IS_MOTOR && kind == NUVRIK_IS_MOTOR) && nuvrik_outputs_barred(self, output,
        self->motors[at].ramp.fine)) {
        nuvrik_motor_cut_short(&self->motors[at]);
    } else if ((NUVRIK_HAS_IS_STEPPER && kind == NUVRIK_IS_STEPPER) && nuvrik_outputs_barred(self, output,
        self->steppers[at].ramp.fine)) {
        nuvrik_stepper_halt(&self->steppers[at]);
    }
    if (nuvrik_outputs_barred(self, output, target)) {
        return 0;
    }
    return (int16_t)nuvrik_mul(target, self->factors[output]);
}

/** What passed was turned at the rates told before, so it is counted before new ones are told. */
void nuvrik_outputs_count_on(NuvrikOutputs *self, uint16_t dt_ms)
{
    for (uint8_t i = 0; i < NUVRIK_OUTPUTS_STEPPERS_COUNT(self->table); i++) {
        nuvrik_stepper_count_on(&self->steppers[i], dt_ms);
    }
}

/** One turn of the loop for all of them, decided together. timeout_ms: that of the link, which is a
 *  place's too.
 */
void nuvrik_outputs_tick(NuvrikOutputs *self, uint16_t dt_ms, uint8_t mode, uint16_t timeout_ms)
{
    if (self->jogged != NUVRIK_NOBODY && (mode != NUVRIK_FOLLOW || self->jog_ms >= self->jog_for_ms)) {
        self->jogged = NUVRIK_NOBODY;
    }
    if (mode != NUVRIK_FOLLOW) {
        self->goes_back = NUVRIK_NOBODY;
        for (uint8_t i = 0; i < NUVRIK_OUTPUTS_EXTRA_COUNT(self->table); i++) {
            self->read[i] = false;
        }
    }
    for (uint8_t i = 0; i < NUVRIK_OUTPUTS_OUTPUTS_COUNT(self->table); i++) {
        const NUVRIK_FLASH NuvrikOutputTable *one = &NUVRIK_OUTPUTS_OUTPUTS(self->table)[i];
        int16_t target = self->targets[i];
        bool led = false;
        if (self->jogged == i) {
            target = self->jog_level;
            led = true;
        }
        if (self->moving && self->moves[i]) {
            target = self->wishes[i];
            led = true;
        }
        if (NUVRIK_OUTPUTS_LIMITS_COUNT(self->table) > 0 && nuvrik_outputs_turns(self, i)) {
            target = nuvrik_outputs_within_limits(self, i, target);
        }
        if (self->capped && nuvrik_outputs_turns(self, i)) {
            target = nuvrik_outputs_within_cap(self, i, target);
        }
        bool asked = self->asked || led;
        if ((NUVRIK_HAS_IS_MOTOR && NUVRIK_OUTPUT_KIND(one) == NUVRIK_IS_MOTOR)) {
            nuvrik_motor_tick(&self->motors[NUVRIK_OUTPUT_AT(one)], target, asked, dt_ms, mode);
        } else if ((NUVRIK_HAS_IS_SERVO && NUVRIK_OUTPUT_KIND(one) == NUVRIK_IS_SERVO)) {
            nuvrik_outputs_place(self, i, target, led, dt_ms, mode, timeout_ms);
        } else if ((NUVRIK_HAS_IS_STEPPER && NUVRIK_OUTPUT_KIND(one) == NUVRIK_IS_STEPPER)) {
            nuvrik_stepper_tick(&self->steppers[NUVRIK_OUTPUT_AT(one)], target, asked, dt_ms, mode);
        } else {
            nuvrik_switch_tick(&self->switches[NUVRIK_OUTPUT_AT(one)], target, asked, mode);
        }
    }
}

/** One turn for what stands somewhere: a jog that is over leads it back, unless a reading says where it is
 *  to be.
 */
void nuvrik_outputs_place(NuvrikOutputs *self, uint8_t output, int16_t target, bool led, uint16_t dt_ms,
    uint8_t mode, uint16_t timeout_ms)
{
    NuvrikServo *servo = &self->servos[NUVRIK_OUTPUT_AT(&NUVRIK_OUTPUTS_OUTPUTS(self->table)[output])];
    bool given = self->asked && self->given[output];
    if (self->goes_back != output || led) {
        nuvrik_servo_tick(servo, target, given, led, dt_ms, mode, timeout_ms);
    } else if (given || nuvrik_slew_at(&servo->slew) == self->back_to) {
        self->goes_back = NUVRIK_NOBODY;
        nuvrik_servo_tick(servo, target, given, false, dt_ms, mode, timeout_ms);
    } else {
        nuvrik_servo_tick(servo, self->back_to, false, true, dt_ms, mode, timeout_ms);
    }
}

/** Every output to rest at once, without a ramp. */
void nuvrik_outputs_halt(NuvrikOutputs *self)
{
    for (uint8_t i = 0; i < NUVRIK_OUTPUTS_MOTORS_COUNT(self->table); i++) {
        nuvrik_motor_halt(&self->motors[i]);
    }
    for (uint8_t i = 0; i < NUVRIK_OUTPUTS_SERVOS_COUNT(self->table); i++) {
        nuvrik_servo_halt(&self->servos[i]);
    }
    for (uint8_t i = 0; i < NUVRIK_OUTPUTS_STEPPERS_COUNT(self->table); i++) {
        nuvrik_stepper_halt(&self->steppers[i]);
    }
    for (uint8_t i = 0; i < NUVRIK_OUTPUTS_SWITCHES_COUNT(self->table); i++) {
        nuvrik_switch_halt(&self->switches[i]);
    }
}

/** What an output is told now. */
NuvrikDemand *nuvrik_outputs_told(NuvrikOutputs *self, uint8_t output)
{
    uint8_t kind = NUVRIK_OUTPUT_KIND(&NUVRIK_OUTPUTS_OUTPUTS(self->table)[output]);
    uint8_t at = NUVRIK_OUTPUT_AT(&NUVRIK_OUTPUTS_OUTPUTS(self->table)[output]);
    if ((NUVRIK_HAS_IS_MOTOR && kind == NUVRIK_IS_MOTOR)) {
        return &self->motors[at].demand;
    }
    if ((NUVRIK_HAS_IS_SERVO && kind == NUVRIK_IS_SERVO)) {
        return &self->servos[at].demand;
    }
    if ((NUVRIK_HAS_IS_STEPPER && kind == NUVRIK_IS_STEPPER)) {
        return &self->steppers[at].demand;
    }
    return &self->switches[at].demand;
}

/** Whether an output is about to let go of a load that it holds. */
bool nuvrik_outputs_hold_ends(const NuvrikOutputs *self)
{
    for (uint8_t i = 0; i < NUVRIK_OUTPUTS_MOTORS_COUNT(self->table); i++) {
        if (nuvrik_motor_hold_ends(&self->motors[i])) {
            return true;
        }
    }
    return false;
}

/** Whether every channel of a route is at rest. */
bool nuvrik_all_rest(const NUVRIK_FLASH NuvrikRoute *route, const int32_t *values)
{
    for (uint8_t term_at = 0; term_at < NUVRIK_ROUTE_TERMS_COUNT(route); term_at++) {
        const NUVRIK_FLASH NuvrikTerm *term = &NUVRIK_ROUTE_TERMS(route)[term_at];
        if (values[NUVRIK_TERM_PLACE(term)] == NUVRIK_NO_READING || !nuvrik_rests(route,
            values[NUVRIK_TERM_PLACE(term)])) {
            return false;
        }
    }
    return true;
}

/* ---- desk ---- */

/** The steps from one place to another, rounded half away from zero. */
int32_t nuvrik_steps_between(uint32_t whole_to, uint16_t part_to, uint32_t whole_from, uint16_t part_from)
{
    /* Counted from below, so that what is beside the whole steps is never negative. */
    uint32_t steps = (whole_to - whole_from) & UINT32_C(0x3fffffff);
    uint16_t part = (uint16_t)((part_to >= part_from) ? ((int32_t)part_to - part_from) : (((int32_t)part_to
        + NUVRIK_WHOLE) - part_from));
    if (part_to < part_from) {
        steps = (steps - 1) & UINT32_C(0x3fffffff);
    }
    if (part > (uint16_t)(NUVRIK_WHOLE / 2) || ((int16_t)part == (NUVRIK_WHOLE / 2)
        && (int32_t)steps < NUVRIK_HALF_TURNS)) {
        steps = (steps + 1) & UINT32_C(0x3fffffff);
    }
    if ((int32_t)steps < NUVRIK_HALF_TURNS) {
        return (int32_t)steps;
    }
    return -((NUVRIK_TURNS - (int32_t)steps) + 1);
}

/** How fast a move is to be at most: per cent of full; 0 and what is more than full are full. */
int16_t nuvrik_speed_of(int32_t per_cent)
{
    int32_t asked = nuvrik_clamp(per_cent, 0, 100);
    if (asked == 0) {
        return NUVRIK_FULL;
    }
    return (int16_t)nuvrik_div(asked * NUVRIK_FULL, 100);
}

void nuvrik_desk_init(NuvrikDesk *self, const NUVRIK_FLASH NuvrikDeskTable *table)
{
    self->table = table;
    self->most = NUVRIK_FULL;
}

/** Answer who is there, or how it has fared; a new session makes all that the old one sent stale. Session
 *  0 only asks.
 */
void nuvrik_desk_hello(NuvrikDesk *self, uint16_t session, uint8_t page, NuvrikOutputs *outputs)
{
    if (session != 0 && !(self->met && session == self->session)) {
        if (self->met) {
            if (self->boot_low == 0xffffU) {
                self->boot_high = (uint16_t)(self->boot_high + 1);
            }
            self->boot_low = (uint16_t)(self->boot_low + 1);
        }
        nuvrik_desk_over(self, NUVRIK_ENDED, 0, outputs);
        self->met = true;
        self->session = session;
        self->number = 0;
        self->replied = false;
    }
    if (NUVRIK_DESK_SAYS_HELLO(self->table) && page == NUVRIK_WHO) {
        self->who_waits = true;
    } else if (NUVRIK_DESK_SAYS_HELLO(self->table)) {
        self->how_waits = true;
    }
}

/** A place for one more answer. The oldest goes where there is none. */
uint8_t nuvrik_desk_place(NuvrikDesk *self)
{
    if (self->waiting == NUVRIK_MOST_WAITING) {
        nuvrik_desk_drop(self);
    }
    self->waiting++;
    return (uint8_t)(((self->first + self->waiting) - 1) & (NUVRIK_MOST_WAITING - 1));
}

/** The first answer has been sent, or goes for nothing. */
void nuvrik_desk_drop(NuvrikDesk *self)
{
    self->first = (uint8_t)((self->first + 1) & (NUVRIK_MOST_WAITING - 1));
    self->waiting--;
}

/** Say what becomes of a request. */
void nuvrik_desk_reply(NuvrikDesk *self, uint8_t code, uint16_t session, uint16_t number, uint8_t status,
    int32_t value)
{
    uint8_t at = nuvrik_desk_place(self);
    self->kinds[at] = NUVRIK_ANSWERS_REPLY;
    self->codes[at] = code;
    self->sessions[at] = session;
    self->numbers[at] = number;
    self->statuses[at] = status;
    self->values[at] = value;
}

/** Take a request, once, and answer it. True: the builder's own code is to be called now. */
bool nuvrik_desk_ask(NuvrikDesk *self, uint8_t code, uint16_t boot_low, uint16_t boot_high, uint16_t session,
    uint16_t number, bool armed)
{
    bool here = boot_low == self->boot_low && boot_high == self->boot_high;
    if (!(here && self->met && session == self->session)) {
        nuvrik_desk_reply(self, code, session, number, NUVRIK_STRANGER, 0);
        return false;
    }
    if (number == self->number && self->replied) {
        nuvrik_desk_reply(self, self->code, self->session, self->number, self->status, self->value);
        return false;
    }
    uint16_t ahead = (uint16_t)(number - self->number);
    if (ahead == 0 || ahead >= 32768U) {
        /* Older than one that has been answered since: nobody waits for it. */
        return false;
    }
    self->number = number;
    self->code = code;
    return nuvrik_desk_begin(self, &NUVRIK_DESK_REQUESTS(self->table)[code], armed);
}

/** Carry it out, or begin to. */
bool nuvrik_desk_begin(NuvrikDesk *self, const NUVRIK_FLASH NuvrikRequestTable *request, bool armed)
{
    if (NUVRIK_REQUEST_MOVES(request) && !armed) {
        nuvrik_desk_answer(self, NUVRIK_NOT_ARMED, 0);
    } else if (NUVRIK_REQUEST_MOVES(request) && self->motion != NUVRIK_NO_MOTION) {
        nuvrik_desk_answer(self, NUVRIK_BUSY, 0);
    } else if ((NUVRIK_HAS_ASKS_CALL && NUVRIK_REQUEST_KIND(request) == NUVRIK_ASKS_CALL)) {
        return true;
    } else if ((NUVRIK_HAS_ASKS_STEPS && NUVRIK_REQUEST_KIND(request) == NUVRIK_ASKS_STEPS)
        || (NUVRIK_HAS_ASKS_HOME && NUVRIK_REQUEST_KIND(request) == NUVRIK_ASKS_HOME)) {
        self->motion = NUVRIK_STEPS_MOTION;
        self->begun = false;
        self->blind = false;
        int32_t asked = ((NUVRIK_HAS_ASKS_STEPS && NUVRIK_REQUEST_KIND(request) == NUVRIK_ASKS_STEPS))
            ? self->arguments[0] : (int32_t)0;
        self->back = asked < 0;
        self->steps = (uint16_t)nuvrik_abs32(asked);
        self->most = NUVRIK_FULL;
        if (NUVRIK_REQUEST_SPEEDS(request)) {
            uint8_t last = (uint8_t)(((NUVRIK_HAS_ASKS_STEPS
                && NUVRIK_REQUEST_KIND(request) == NUVRIK_ASKS_STEPS)) ? 1 : 0);
            self->most = nuvrik_speed_of(self->arguments[last]);
        }
        nuvrik_desk_answer(self, NUVRIK_RUNNING, 0);
    } else if ((NUVRIK_HAS_ASKS_ROUTINE && NUVRIK_REQUEST_KIND(request) == NUVRIK_ASKS_ROUTINE)) {
        self->motion = NUVRIK_ROUTINE_MOTION;
        self->begun = false;
        nuvrik_desk_answer(self, NUVRIK_RUNNING, 0);
    }
    return false;
}

/** What the builder's own code says of the request that it was called for. RUNNING: it goes on. */
void nuvrik_desk_called(NuvrikDesk *self, uint8_t status, int32_t value)
{
    if (status == NUVRIK_RUNNING) {
        self->motion = NUVRIK_OWN_MOTION;
    }
    nuvrik_desk_answer(self, status, value);
}

/** Say what becomes of the request taken last, and keep that for whoever asks again. */
void nuvrik_desk_answer(NuvrikDesk *self, uint8_t status, int32_t value)
{
    self->replied = true;
    self->status = status;
    self->value = value;
    if (status == NUVRIK_RUNNING) {
        self->move_code = self->code;
        self->move_session = self->session;
        self->move_number = self->number;
    }
    nuvrik_desk_reply(self, self->code, self->session, self->number, status, value);
}

/** Let the motion that goes on move what it moves. It ends with the right to move, where a required
 *  reading is missing, at the end of a way, and where a hand moves what it moves: the hand wins.
 */
void nuvrik_desk_overlay(NuvrikDesk *self, NuvrikOutputs *outputs, uint16_t dt_ms, uint8_t mode)
{
    if (NUVRIK_DESK_REQUESTS_COUNT(self->table) == 0 || self->motion == NUVRIK_NO_MOTION) {
        return;
    }
    if (mode != NUVRIK_FOLLOW) {
        nuvrik_desk_over(self, NUVRIK_ENDED, 0, outputs);
        return;
    }
    if ((NUVRIK_HAS_STEPS_MOTION && self->motion == NUVRIK_STEPS_MOTION) && !nuvrik_desk_step(self, outputs,
        dt_ms)) {
        nuvrik_desk_over(self, (uint8_t)((self->blind) ? NUVRIK_FAILED : NUVRIK_DONE), 0, outputs);
        return;
    }
    if ((NUVRIK_HAS_ROUTINE_MOTION && self->motion == NUVRIK_ROUTINE_MOTION) && !nuvrik_desk_go_through(self,
        outputs, dt_ms)) {
        nuvrik_desk_over(self, NUVRIK_DONE, 0, outputs);
        return;
    }
    for (uint8_t i = 0; i < NUVRIK_OUTPUTS_OUTPUTS_COUNT(outputs->table); i++) {
        if (outputs->moves[i] && (nuvrik_outputs_a_hand_moves(outputs, i)
            || nuvrik_outputs_ends_here(outputs, i))) {
            nuvrik_desk_over(self, NUVRIK_ENDED, 0, outputs);
            return;
        }
    }
}

/** A move by steps, one tick of it. False: it is there. */
bool nuvrik_desk_step(NuvrikDesk *self, NuvrikOutputs *outputs, uint16_t dt_ms)
{
    const NUVRIK_FLASH NuvrikRequestTable *request = &NUVRIK_DESK_REQUESTS(self->table)[self->move_code];
    NuvrikStepper *stepper = &outputs->steppers[NUVRIK_REQUEST_STEPPER(request)];
    if (!self->begun) {
        /* A move counts from rest: what a hand still turns is not part of it. */
        if (stepper->ramp.fine != 0) {
            nuvrik_outputs_wish(outputs, NUVRIK_REQUEST_OUTPUT(request), 0);
            return true;
        }
        self->begun = true;
        stepper->most = self->most;
        self->from_whole = stepper->whole;
        self->from_part = stepper->part;
        if (NUVRIK_REQUEST_AGAINST(request) != 0) {
            bool forward = NUVRIK_REQUEST_AGAINST(request) == NUVRIK_AT_FORWARD_END;
            bool up = forward == (NUVRIK_STEPPER_FACING(stepper->table) > 0);
            uint32_t far = (stepper->whole + NUVRIK_FURTHEST) & UINT32_C(0x3fffffff);
            nuvrik_stepper_go_to(stepper, up ? far : ((stepper->whole
                - NUVRIK_FURTHEST) & UINT32_C(0x3fffffff)), stepper->part);
        } else if ((NUVRIK_HAS_ASKS_HOME && NUVRIK_REQUEST_KIND(request) == NUVRIK_ASKS_HOME)) {
            nuvrik_stepper_go_to(stepper, 0, 0);
        } else if (self->back) {
            nuvrik_stepper_go_to(stepper, (stepper->whole - self->steps) & UINT32_C(0x3fffffff),
                stepper->part);
        } else {
            nuvrik_stepper_go_to(stepper, (stepper->whole + self->steps) & UINT32_C(0x3fffffff),
                stepper->part);
        }
    }
    if (NUVRIK_REQUEST_AGAINST(request) != 0) {
        /* Both ways are barred where a switch cannot be read; that is no place to count from. */
        self->blind = nuvrik_outputs_at_end(outputs, NUVRIK_REQUEST_OUTPUT(request),
            (uint8_t)(NUVRIK_END_UNREAD * NUVRIK_REQUEST_AGAINST(request)));
        if (self->blind || nuvrik_outputs_at_end(outputs, NUVRIK_REQUEST_OUTPUT(request),
            NUVRIK_REQUEST_AGAINST(request))) {
            return false;
        }
    }
    if (nuvrik_stepper_arrived(stepper)) {
        return false;
    }
    nuvrik_outputs_wish(outputs, NUVRIK_REQUEST_OUTPUT(request), nuvrik_stepper_wanted(stepper, dt_ms));
    return true;
}

/** A routine, one tick of it. False: its last step has had its time. A step lasts at least a tick; what a
 *  tick comes late is taken from the next step, so that the whole lasts as long as it says.
 */
bool nuvrik_desk_go_through(NuvrikDesk *self, NuvrikOutputs *outputs, uint16_t dt_ms)
{
    const NUVRIK_FLASH NuvrikRequestTable *request = &NUVRIK_DESK_REQUESTS(self->table)[self->move_code];
    if (!self->begun) {
        self->begun = true;
        self->step_at = 0;
        self->step_ms = 0;
        self->rounds = NUVRIK_REQUEST_TIMES(request);
    } else {
        self->step_ms = nuvrik_later(self->step_ms, dt_ms);
        uint16_t for_ms = NUVRIK_ROUTINE_STEP_FOR_MS(&NUVRIK_REQUEST_ROUTINE(request)[self->step_at]);
        if (self->step_ms < for_ms) {
            return true;
        }
        self->step_ms = nuvrik_later(0, (uint16_t)((int32_t)self->step_ms - for_ms));
        self->step_at++;
        if (self->step_at == NUVRIK_REQUEST_ROUTINE_COUNT(request)) {
            self->step_at = 0;
            self->rounds--;
            if (self->rounds == 0) {
                return false;
            }
        }
    }
    const NUVRIK_FLASH NuvrikRoutineStepTable *step = &NUVRIK_REQUEST_ROUTINE(request)[self->step_at];
    for (uint8_t i = 0; i < NUVRIK_ROUTINE_STEP_WISHES_COUNT(step); i++) {
        nuvrik_outputs_wish(outputs, NUVRIK_WISH_OUTPUT(&NUVRIK_ROUTINE_STEP_WISHES(step)[i]),
            NUVRIK_WISH_TO(&NUVRIK_ROUTINE_STEP_WISHES(step)[i]));
    }
    return true;
}

/** Let no motion go on. value: what the builder's own code came to. */
void nuvrik_desk_over(NuvrikDesk *self, uint8_t status, int32_t value, NuvrikOutputs *outputs)
{
    if (NUVRIK_DESK_REQUESTS_COUNT(self->table) == 0 || self->motion == NUVRIK_NO_MOTION) {
        return;
    }
    int32_t came_to = value;
    if ((NUVRIK_HAS_STEPS_MOTION && self->motion == NUVRIK_STEPS_MOTION)) {
        const NUVRIK_FLASH NuvrikRequestTable *request = &NUVRIK_DESK_REQUESTS(self->table)[self->move_code];
        NuvrikStepper *stepper = &outputs->steppers[NUVRIK_REQUEST_STEPPER(request)];
        came_to = 0;
        if (self->begun) {
            came_to = nuvrik_steps_between(stepper->whole, stepper->part, self->from_whole, self->from_part);
        }
        nuvrik_stepper_let_go(stepper);
        if (status == NUVRIK_DONE && NUVRIK_REQUEST_AGAINST(request) != 0) {
            nuvrik_stepper_count_from_here(stepper);
        }
    }
    self->motion = NUVRIK_NO_MOTION;
    nuvrik_outputs_let_go(outputs);
    if (self->replied && self->number == self->move_number && self->session == self->move_session) {
        self->status = status;
        self->value = came_to;
    }
    nuvrik_desk_reply(self, self->move_code, self->move_session, self->move_number, status, came_to);
}

/** The lower half of an answer's value, in two's complement. */
uint16_t nuvrik_desk_low_of(const NuvrikDesk *self, uint8_t at)
{
    return (uint16_t)self->values[at];
}

/** The upper half. */
uint16_t nuvrik_desk_high_of(const NuvrikDesk *self, uint8_t at)
{
    int32_t value = self->values[at];
    if (value >= 0) {
        return (uint16_t)(value >> 16);
    }
    return (uint16_t)(0xffffU - (uint16_t)((-(value + 1)) >> 16));
}

/** Send so many bytes back, which are put into token. An echo that still waits has had its time. */
void nuvrik_desk_echo(NuvrikDesk *self, uint8_t length)
{
    self->length = length;
    for (uint8_t i = 0; i < self->waiting; i++) {
        if (self->kinds[(self->first + i) & (NUVRIK_MOST_WAITING - 1)] == NUVRIK_ANSWERS_ECHO) {
            return;
        }
    }
    self->kinds[nuvrik_desk_place(self)] = NUVRIK_ANSWERS_ECHO;
}

/* ---- machine ---- */

void nuvrik_machine_init(NuvrikMachine *self, const NUVRIK_FLASH NuvrikMachineTable *table)
{
    self->table = table;
    nuvrik_watch_init(&self->watch, NUVRIK_MACHINE_WATCH(table));
    nuvrik_commands_init(&self->commands, NUVRIK_MACHINE_COMMANDS(table));
    nuvrik_outputs_init(&self->outputs, NUVRIK_MACHINE_OUTPUTS(table));
    nuvrik_desk_init(&self->desk, NUVRIK_MACHINE_DESK(table));
}

/** At power-up, with a number that differs from boot to boot. */
void nuvrik_machine_begin(NuvrikMachine *self, uint16_t boot_low, uint16_t boot_high)
{
    self->desk.boot_low = boot_low;
    self->desk.boot_high = boot_high;
    nuvrik_outputs_begin(&self->outputs);
}

/** What the state lets outputs do. */
uint8_t nuvrik_machine_mode(const NuvrikMachine *self)
{
    if (self->watch.state == NUVRIK_ARMED) {
        return NUVRIK_FOLLOW;
    }
    if (self->watch.state == NUVRIK_FAILSAFE) {
        return NUVRIK_LOST;
    }
    return (uint8_t)((self->holding) ? NUVRIK_HELD : NUVRIK_SAFE);
}

/** How long it has been since the last call that said what time it is. */
uint16_t nuvrik_machine_elapsed(const NuvrikMachine *self, uint16_t now_ms)
{
    return (uint16_t)((self->started) ? (uint16_t)(now_ms - self->now_ms) : 0);
}

/** Let it be now_ms. The same moment is judged once, however much arrives in it: looked at again, a loss
 *  that is given up at once would be over before the outputs had a turn in it.
 */
uint8_t nuvrik_machine_pass_time(NuvrikMachine *self, uint16_t now_ms)
{
    uint16_t dt_ms = nuvrik_machine_elapsed(self, now_ms);
    if (dt_ms == 0 && self->started) {
        return NUVRIK_NOTHING;
    }
    self->started = true;
    self->now_ms = now_ms;
    self->since_ms = nuvrik_later(self->since_ms, dt_ms);
    nuvrik_outputs_pass_time(&self->outputs, dt_ms);
    if (nuvrik_watch_pass_time(&self->watch, dt_ms)) {
        nuvrik_machine_fall_silent(self);
        return NUVRIK_FORGET;
    }
    if (self->heard) {
        /* Where no command comes no silence begins, and yet whoever asked something, and has gone since, */
        /* must not have the last word about what is new. */
        self->heard_ms = nuvrik_later(self->heard_ms, dt_ms);
        if (self->heard_ms >= NUVRIK_WATCH_TIMEOUT_MS(NUVRIK_MACHINE_WATCH(self->table))) {
            self->heard = false;
            return NUVRIK_WEAR;
        }
    }
    return NUVRIK_NOTHING;
}

/** Count the link as silent from now_ms on, for a loop that was held up for longer than the clock can
 *  tell. The next tick counts its time from here, so that what turns still ramps down.
 */
void nuvrik_machine_expire(NuvrikMachine *self, uint16_t now_ms)
{
    self->started = true;
    self->now_ms = now_ms;
    self->since_ms = 0;
    (void)nuvrik_watch_pass_time(&self->watch, NUVRIK_TIMER_MAX);
    nuvrik_machine_fall_silent(self);
}

/** Nothing that was heard before counts any more. */
void nuvrik_machine_fall_silent(NuvrikMachine *self)
{
    self->heard = false;
    self->followed = false;
    nuvrik_machine_end_motions(self);
}

/** Whatever was asked for ends with the right to move, even if that is back before the next tick. */
void nuvrik_machine_end_motions(NuvrikMachine *self)
{
    nuvrik_outputs_end_jog(&self->outputs);
    nuvrik_desk_over(&self->desk, NUVRIK_ENDED, 0, &self->outputs);
}

/** A frame of any kind has been accepted. */
void nuvrik_machine_hear(NuvrikMachine *self)
{
    self->heard = true;
    self->heard_ms = 0;
}

/** An accepted command. */
void nuvrik_machine_command(NuvrikMachine *self, int32_t *values)
{
    nuvrik_commands_sort(&self->commands, values);
    uint8_t missing = self->commands.missing;
    uint8_t moved = self->commands.moved;
    self->resting = missing == NUVRIK_NOBODY && moved == NUVRIK_NOBODY;
    if (missing != NUVRIK_NOBODY) {
        nuvrik_watch_bare(&self->watch, self->commands.arm, missing);
        nuvrik_outputs_let_rest(&self->outputs);
        nuvrik_machine_end_motions(self);
        return;
    }
    nuvrik_watch_drive(&self->watch, self->commands.arm, moved);
    if (self->watch.state != NUVRIK_ARMED) {
        nuvrik_machine_end_motions(self);
        return;
    }
    self->holding = false;
    if (moved != NUVRIK_NOBODY) {
        /* A hand wins over a jog. */
        nuvrik_outputs_end_jog(&self->outputs);
    }
    nuvrik_commands_enter(&self->commands, values);
    nuvrik_outputs_follow(&self->outputs, values);
}

/** The command that was accepted last had this number; telemetry says so. */
void nuvrik_machine_numbered(NuvrikMachine *self, uint8_t seq)
{
    self->followed = true;
    self->last_command = seq;
}

/** A stop frame. */
void nuvrik_machine_stop(NuvrikMachine *self)
{
    nuvrik_machine_press_stop(self, NUVRIK_WHY_STOPPED, NUVRIK_NOBODY);
}

/** A stop: a frame; an input of the machine's own, for as long as it says so; or the builder's own code.
 *  Outputs first, then motions, then the builder's own code; and here, not at the next tick: the state may
 *  have moved on by then.
 */
void nuvrik_machine_press_stop(NuvrikMachine *self, uint8_t why, uint8_t place)
{
    nuvrik_watch_stop(&self->watch, why, place);
    self->holding = false;
    nuvrik_outputs_halt(&self->outputs);
    nuvrik_machine_end_motions(self);
}

/** The builder's own code stops it, and gives a number for that, 1 to 15. */
void nuvrik_machine_own_stop(NuvrikMachine *self, uint8_t number)
{
    nuvrik_machine_press_stop(self, NUVRIK_WHY_OWN_CODE, (uint8_t)(number & 15));
}

/** The number that the builder's own code gave for the stop that holds it, 0 for none. */
uint8_t nuvrik_machine_own_number(const NuvrikMachine *self)
{
    if (self->watch.state != NUVRIK_STOPPED || self->watch.stopped_by != NUVRIK_WHY_OWN_CODE) {
        return 0;
    }
    return self->watch.stopped_at;
}

/** The builder's own code leaves an output no more than that. False: it does not turn. */
bool nuvrik_machine_cap(NuvrikMachine *self, uint8_t output, int16_t most)
{
    return nuvrik_outputs_cap(&self->outputs, output, most);
}

/** Move one output a little. A jog is for a machine at rest: what a hand moves is not to be jogged. */
void nuvrik_machine_jog(NuvrikMachine *self, uint8_t output, int16_t to, uint16_t for_ms)
{
    if (self->watch.state == NUVRIK_ARMED && self->resting) {
        nuvrik_outputs_jog(&self->outputs, output, to, for_ms);
    }
}

/** An argument of the request that is asked next. */
void nuvrik_machine_argument(NuvrikMachine *self, uint8_t at, int32_t value)
{
    self->desk.arguments[at] = value;
}

/** A request. True: the builder's own code is to be called now. */
bool nuvrik_machine_ask(NuvrikMachine *self, uint8_t code, uint16_t boot_low, uint16_t boot_high,
    uint16_t session, uint16_t number)
{
    return nuvrik_desk_ask(&self->desk, code, boot_low, boot_high, session, number,
        self->watch.state == NUVRIK_ARMED);
}

/** What the builder's own code said when it was called; RUNNING: it goes on. */
void nuvrik_machine_called(NuvrikMachine *self, uint8_t status, int32_t value)
{
    nuvrik_desk_called(&self->desk, status, value);
}

/** The builder's own code, which goes on, moves an output so far from the next turn on. */
void nuvrik_machine_wish(NuvrikMachine *self, uint8_t output, int16_t to)
{
    if ((NUVRIK_HAS_OWN_MOTION && self->desk.motion == NUVRIK_OWN_MOTION)) {
        nuvrik_outputs_wish(&self->outputs, output, to);
    }
}

/** It moves nothing any more, but what it wishes next. */
void nuvrik_machine_let_go(NuvrikMachine *self)
{
    if ((NUVRIK_HAS_OWN_MOTION && self->desk.motion == NUVRIK_OWN_MOTION)) {
        nuvrik_outputs_let_go(&self->outputs);
    }
}

/** It has come to its end. */
void nuvrik_machine_own_over(NuvrikMachine *self, uint8_t status, int32_t value)
{
    if ((NUVRIK_HAS_OWN_MOTION && self->desk.motion == NUVRIK_OWN_MOTION)) {
        nuvrik_desk_over(&self->desk, status, value, &self->outputs);
    }
}

/** Somebody asks for a page of what there is to know of this machine. */
void nuvrik_machine_hello(NuvrikMachine *self, uint16_t session, uint8_t page)
{
    nuvrik_desk_hello(&self->desk, session, page, &self->outputs);
}

/** One turn of the loop: what each output is to do, all decided together. */
void nuvrik_machine_turn(NuvrikMachine *self)
{
    uint16_t dt_ms = (uint16_t)((self->ticked) ? self->since_ms : 0);
    self->since_ms = 0;
    self->ticked = true;
    nuvrik_watch_ticked(&self->watch);
    uint8_t mode = nuvrik_machine_mode(self);
    nuvrik_outputs_count_on(&self->outputs, dt_ms);
    nuvrik_desk_overlay(&self->desk, &self->outputs, dt_ms, mode);
    nuvrik_outputs_tick(&self->outputs, dt_ms, mode,
        NUVRIK_WATCH_TIMEOUT_MS(NUVRIK_MACHINE_WATCH(self->table)));
}

/* ---- sender ---- */

/** A hex digit as a character. */
uint8_t nuvrik_digit(uint8_t code)
{
    return (uint8_t)((code < 10) ? (code + 48) : (code + 87));
}

void nuvrik_sender_init(NuvrikSender *self, const NUVRIK_FLASH NuvrikSenderTable *table)
{
    self->table = table;
}

/** A frame of a kind, with the next number. */
void nuvrik_sender_begin(NuvrikSender *self, uint8_t kind)
{
    for (uint8_t i = 0; i < NUVRIK_MOST_SENT; i++) {
        self->body[i] = 0;
    }
    self->body[0] = (uint8_t)((NUVRIK_THIS_VERSION << 4) + kind);
    self->body[1] = NUVRIK_SENDER_PAIR(self->table);
    self->body[2] = (uint8_t)NUVRIK_SENDER_TAG(self->table);
    self->body[3] = self->seq;
    self->at = (uint16_t)(8 * NUVRIK_HEAD);
}

/** One code more in the payload. */
void nuvrik_sender_bits(NuvrikSender *self, uint16_t code, uint8_t bits)
{
    nuvrik_put(self->body, self->at, bits, code);
    self->at = (uint16_t)((int32_t)self->at + bits);
}

/** One byte more. */
void nuvrik_sender_byte(NuvrikSender *self, uint8_t value)
{
    nuvrik_sender_bits(self, value, 8);
}

/** Two bytes more, the low one first. */
void nuvrik_sender_word(NuvrikSender *self, uint16_t value)
{
    nuvrik_sender_bits(self, value, 16);
}

/** The payload is whole: add the check, and put it into the form in which it travels. */
void nuvrik_sender_seal(NuvrikSender *self)
{
    self->seq = (uint8_t)(self->seq + 1);
    uint8_t length = (uint8_t)(((int32_t)self->at + 7) >> 3);
    uint16_t crc = ((NUVRIK_HAS_KIND_HELLO && (self->body[0] & 15) == NUVRIK_KIND_HELLO))
        ? (uint16_t)NUVRIK_HELLO_INITIAL : NUVRIK_SENDER_TAG(self->table);
    for (uint8_t i = 0; i < length; i++) {
        crc = nuvrik_crc16(crc, self->body[i]);
    }
    self->body[length] = (uint8_t)(crc >> 8);
    self->body[length + 1] = (uint8_t)crc;
    self->length = (uint8_t)(length + 2);
    nuvrik_sender_travel(self);
}

/** The body is whole: put it into the form in which it travels. */
void nuvrik_sender_travel(NuvrikSender *self)
{
    self->count = 0;
    if ((NUVRIK_HAS_STUFFED && NUVRIK_SENDER_WAY(self->table) == NUVRIK_STUFFED)) {
        nuvrik_sender_stuff(self);
    } else if ((NUVRIK_HAS_ESCAPED && NUVRIK_SENDER_WAY(self->table) == NUVRIK_ESCAPED)) {
        nuvrik_sender_escape(self);
    } else if ((NUVRIK_HAS_IN_HEX && NUVRIK_SENDER_WAY(self->table) == NUVRIK_IN_HEX)) {
        nuvrik_sender_write_out(self);
    } else {
        for (uint8_t i = 0; i < self->length; i++) {
            nuvrik_sender_put(self, self->body[i]);
        }
    }
}

/** One byte more of what travels. */
void nuvrik_sender_put(NuvrikSender *self, uint8_t byte)
{
    self->wire[self->count] = byte;
    self->count++;
}

/** Between zeros: each zero is replaced by the distance to the next. */
void nuvrik_sender_stuff(NuvrikSender *self)
{
    if (NUVRIK_SENDER_LEADS(self->table)) {
        nuvrik_sender_put(self, 0);
    }
    uint16_t code = self->count;
    nuvrik_sender_put(self, 0);
    for (uint8_t i = 0; i < self->length; i++) {
        if (self->body[i] == 0) {
            self->wire[code] = (uint8_t)((int32_t)self->count - code);
            code = self->count;
        }
        nuvrik_sender_put(self, self->body[i]);
    }
    self->wire[code] = (uint8_t)((int32_t)self->count - code);
    nuvrik_sender_put(self, 0);
}

/** Between ENDs. */
void nuvrik_sender_escape(NuvrikSender *self)
{
    if (NUVRIK_SENDER_LEADS(self->table)) {
        nuvrik_sender_put(self, NUVRIK_SLIP_END);
    }
    for (uint8_t i = 0; i < self->length; i++) {
        if (self->body[i] == NUVRIK_SLIP_END) {
            nuvrik_sender_put(self, NUVRIK_SLIP_ESC);
            nuvrik_sender_put(self, NUVRIK_SLIP_ESC_END);
        } else if (self->body[i] == NUVRIK_SLIP_ESC) {
            nuvrik_sender_put(self, NUVRIK_SLIP_ESC);
            nuvrik_sender_put(self, NUVRIK_SLIP_ESC_ESC);
        } else {
            nuvrik_sender_put(self, self->body[i]);
        }
    }
    nuvrik_sender_put(self, NUVRIK_SLIP_END);
}

/** As a line of hex digits. */
void nuvrik_sender_write_out(NuvrikSender *self)
{
    if (NUVRIK_SENDER_LEADS(self->table)) {
        nuvrik_sender_put_ending(self);
    }
    nuvrik_sender_put(self, NUVRIK_HEX_MARK);
    for (uint8_t i = 0; i < self->length; i++) {
        nuvrik_sender_put(self, nuvrik_digit((uint8_t)(self->body[i] >> 4)));
        nuvrik_sender_put(self, nuvrik_digit((uint8_t)(self->body[i] & 15)));
    }
    nuvrik_sender_put_ending(self);
}

/** What ends a line. */
void nuvrik_sender_put_ending(NuvrikSender *self)
{
    for (uint8_t character_at = 0; character_at < NUVRIK_SENDER_ENDING_COUNT(self->table); character_at++) {
        uint8_t character = NUVRIK_U8(NUVRIK_SENDER_ENDING(self->table)[character_at]);
        nuvrik_sender_put(self, character);
    }
}

/* ---- answers ---- */

/** Put the answer at a place into the sender. */
void nuvrik_say(NuvrikDesk *desk, uint8_t at, NuvrikSender *sender)
{
    if (desk->kinds[at] == NUVRIK_ANSWERS_REPLY) {
        nuvrik_sender_begin(sender, NUVRIK_KIND_REPLY);
        nuvrik_sender_byte(sender, desk->codes[at]);
        nuvrik_sender_word(sender, desk->sessions[at]);
        nuvrik_sender_word(sender, desk->numbers[at]);
        nuvrik_sender_byte(sender, desk->statuses[at]);
        nuvrik_sender_word(sender, nuvrik_desk_low_of(desk, at));
        nuvrik_sender_word(sender, nuvrik_desk_high_of(desk, at));
    } else {
        nuvrik_sender_begin(sender, NUVRIK_KIND_ECHO);
        nuvrik_sender_byte(sender, 1);
        for (uint8_t i = 0; i < desk->length; i++) {
            nuvrik_sender_byte(sender, desk->token[i]);
        }
    }
}

/* ---- asks ---- */

/** How far a jog goes. */
int32_t nuvrik_jog_step(NuvrikSealed *sealed)
{
    uint8_t step = sealed->body[NUVRIK_HEAD + 2];
    return (step < 128) ? step : (step - 256);
}

/** Whether there is a jog in the payload that this link could mean. */
bool nuvrik_jog_fits(NuvrikSealed *sealed, NuvrikOutputs *outputs)
{
    uint8_t place = sealed->body[NUVRIK_HEAD + 1];
    uint8_t time = sealed->body[NUVRIK_HEAD + 3];
    if (sealed->payload != NUVRIK_JOG_BYTES || place >= NUVRIK_OUTPUTS_OUTPUTS_COUNT(outputs->table)) {
        return false;
    }
    if (time < 1 || time > NUVRIK_JOG_MOST_TIME || sealed->body[NUVRIK_HEAD + 2] == 128) {
        return false;
    }
    /* A switch is on or off: there is no "a little" of it. */
    if (nuvrik_outputs_switches_only(outputs, place)) {
        return false;
    }
    return !nuvrik_outputs_turns(outputs, place)
        || (uint16_t)nuvrik_abs32(nuvrik_jog_step(sealed)) <= NUVRIK_JOG_MOST_TURNING;
}

/** Whether there is a request in the payload that this link knows. */
bool nuvrik_request_fits(NuvrikSealed *sealed, const NUVRIK_FLASH NuvrikDeskTable *desk)
{
    uint8_t code = sealed->body[NUVRIK_HEAD];
    if (code >= NUVRIK_DESK_REQUESTS_COUNT(desk)) {
        return false;
    }
    const NUVRIK_FLASH NuvrikRequestTable *request = &NUVRIK_DESK_REQUESTS(desk)[code];
    uint16_t bits = 0;
    for (uint8_t argument_at = 0; argument_at < NUVRIK_REQUEST_ARGUMENTS_COUNT(request); argument_at++) {
        const NUVRIK_FLASH NuvrikArgumentTable *argument = &NUVRIK_REQUEST_ARGUMENTS(request)[argument_at];
        bits = (uint16_t)((int32_t)bits + NUVRIK_ARGUMENT_BITS(argument));
    }
    if (sealed->payload != (uint16_t)(NUVRIK_ASK_BYTES + (int16_t)(((int32_t)bits + 7) >> 3))) {
        return false;
    }
    uint16_t at = (uint16_t)(8 * (NUVRIK_HEAD + NUVRIK_ASK_BYTES));
    for (uint8_t argument_at = 0; argument_at < NUVRIK_REQUEST_ARGUMENTS_COUNT(request); argument_at++) {
        const NUVRIK_FLASH NuvrikArgumentTable *argument = &NUVRIK_REQUEST_ARGUMENTS(request)[argument_at];
        /* An option past the last: who sent it was built from another list of them. */
        if (nuvrik_got(sealed->body, at, NUVRIK_ARGUMENT_BITS(argument)) > NUVRIK_ARGUMENT_MOST(argument)) {
            return false;
        }
        at = (uint16_t)((int32_t)at + NUVRIK_ARGUMENT_BITS(argument));
    }
    return nuvrik_ends_in_zeros(sealed->body, (uint16_t)((int32_t)(8 * (NUVRIK_HEAD + NUVRIK_ASK_BYTES))
        + bits), (uint16_t)((int32_t)NUVRIK_HEAD + sealed->payload));
}

/** The argument that begins at a bit of the body. */
int32_t nuvrik_argument_given(NuvrikSealed *sealed, const NUVRIK_FLASH NuvrikArgumentTable *about,
    uint16_t at)
{
    uint8_t bits = NUVRIK_ARGUMENT_BITS(about);
    uint16_t given = nuvrik_got(sealed->body, at, bits);
    bool negative = NUVRIK_ARGUMENT_EITHER_SIGN(about) && given > (uint16_t)(nuvrik_mask_of(bits) >> 1);
    return negative ? (((int32_t)given - nuvrik_mask_of(bits)) - 1) : (int32_t)given;
}

/* ---- text ---- */

/** How many hex digits a check is. */
uint8_t nuvrik_check_digits(uint8_t check)
{
    if (check == NUVRIK_NO_CHECK) {
        return 0;
    }
    return (uint8_t)((check == NUVRIK_CHECK_CRC16) ? 4 : 2);
}

/** A check over one byte more. */
uint16_t nuvrik_check_over(uint8_t check, uint16_t so_far, uint8_t byte)
{
    if (check == NUVRIK_CHECK_XOR8) {
        return (uint16_t)(so_far ^ byte);
    }
    if (check == NUVRIK_CHECK_SUM8) {
        return (uint8_t)(so_far + byte);
    }
    if (check == NUVRIK_CHECK_CRC8) {
        return nuvrik_crc8((uint8_t)so_far, byte);
    }
    return nuvrik_crc16(so_far, byte);
}

/** What a check begins with. */
uint16_t nuvrik_check_begins(uint8_t check)
{
    return (uint16_t)((check == NUVRIK_CHECK_CRC16) ? 0xffffU : 0);
}

/** What a hex digit stands for, 16 for what is none. */
uint8_t nuvrik_hex_value(uint8_t character)
{
    if (character >= 48 && character <= 57) {
        return (uint8_t)(character - 48);
    }
    if (character >= 65 && character <= 70) {
        return (uint8_t)(character - 55);
    }
    if (character >= 97 && character <= 102) {
        return (uint8_t)(character - 87);
    }
    return 16;
}

/** The value that a number within its form's range stands for. */
int32_t nuvrik_value_of_number(const NUVRIK_FLASH NuvrikFormTable *form, int32_t given)
{
    if (!NUVRIK_FORM_SCALED(form)) {
        return given;
    }
    uint16_t steps = (uint16_t)nuvrik_abs32(NUVRIK_FORM_HIGH(form) - NUVRIK_FORM_LOW(form));
    uint16_t away = (uint16_t)nuvrik_abs32(given - NUVRIK_FORM_LOW(form));
    uint32_t part = (uint32_t)away * NUVRIK_FULL;
    if (NUVRIK_FORM_ONE_SIDED(form)) {
        return nuvrik_div((int32_t)part, steps);
    }
    /* Twice as much fits no 31 bits, so the whole steps and the rest are doubled apart. */
    int16_t whole_steps = (int16_t)((int32_t)part / steps);
    uint16_t rest = (uint16_t)((int32_t)part - ((int32_t)whole_steps * steps));
    int32_t doubled = ((uint16_t)2 * (uint16_t)whole_steps) + ((((int32_t)2 * rest) + (steps / 2)) / steps);
    return doubled - NUVRIK_FULL;
}

/** The number that stands for a value. */
int32_t nuvrik_number_of_value(const NUVRIK_FLASH NuvrikFormTable *form, int32_t value)
{
    if (!NUVRIK_FORM_SCALED(form)) {
        return value;
    }
    uint16_t steps = (uint16_t)nuvrik_abs32(NUVRIK_FORM_HIGH(form) - NUVRIK_FORM_LOW(form));
    int16_t here = (int16_t)value;
    uint16_t along = (uint16_t)((NUVRIK_FORM_ONE_SIDED(form)) ? (int32_t)here : ((int32_t)here
        + NUVRIK_FULL));
    uint32_t up = (uint32_t)along * (uint32_t)(steps >> 1);
    if (NUVRIK_FORM_ONE_SIDED(form)) {
        uint32_t exact = (uint32_t)along * steps;
        up = (uint32_t)(((int32_t)exact + (NUVRIK_FULL / 2)) >> NUVRIK_FULL_BITS);
    } else {
        /* along * steps / (2 * FULL), rounded: half of steps first, so that it fits 31 bits. */
        uint16_t odd = (uint16_t)(((int16_t)(steps & 1) != 0) ? along : 0);
        up = (uint32_t)(((int32_t)up + ((uint16_t)(odd + NUVRIK_FULL) >> 1)) >> NUVRIK_FULL_BITS);
    }
    return (NUVRIK_FORM_HIGH(form) > NUVRIK_FORM_LOW(form)) ? (NUVRIK_FORM_LOW(form) + (int32_t)up)
        : (NUVRIK_FORM_LOW(form) - (int32_t)up);
}

/** Ten times as much, or what is beyond every range. */
uint32_t nuvrik_ten_times(uint32_t size)
{
    if ((int32_t)size >= (NUVRIK_BEYOND / 10)) {
        return (uint32_t)(NUVRIK_BEYOND - 10);
    }
    uint32_t grown = size * 10;
    return grown;
}

void nuvrik_text_reader_init(NuvrikTextReader *self, const NUVRIK_FLASH NuvrikTextTable *table)
{
    self->table = table;
}

/** A new line, or a packet. */
void nuvrik_text_reader_begin(NuvrikTextReader *self)
{
    self->length = 0;
    self->ended = false;
}

/** One character more. */
void nuvrik_text_reader_keep(NuvrikTextReader *self, uint8_t byte)
{
    if (self->length < NUVRIK_MOST_PIECE) {
        self->piece[self->length] = byte;
    }
    if (self->length < 0xffffU) {
        self->length++;
    }
}

/** One character of a stream. ACCEPTED: a line has ended, and may be read. */
uint8_t nuvrik_text_reader_take(NuvrikTextReader *self, uint8_t byte)
{
    uint8_t ends = NUVRIK_TEXT_ENDING_COUNT(self->table);
    if (self->ended) {
        nuvrik_text_reader_begin(self);
    }
    for (uint8_t i = 0; i < (NUVRIK_MOST_END - 1); i++) {
        self->tail[i] = self->tail[i + 1];
    }
    self->tail[NUVRIK_MOST_END - 1] = byte;
    nuvrik_text_reader_keep(self, byte);
    if (self->length >= ends && nuvrik_text_reader_ends_here(self, ends)) {
        bool skipped = self->skipping;
        self->skipping = false;
        self->ended = true;
        self->length = (uint16_t)((int32_t)self->length - ends);
        if (skipped || self->length == 0) {
            return NUVRIK_NO_EVENT;
        }
        return (uint8_t)((self->length > NUVRIK_LONGEST_LINE) ? NUVRIK_TOO_LONG : NUVRIK_ACCEPTED);
    }
    if (!self->skipping && self->length >= (uint16_t)(NUVRIK_LONGEST_LINE + ends)) {
        /* Said once, at the character that overflows; the rest is skipped up to the next end. */
        self->skipping = true;
        return NUVRIK_TOO_LONG;
    }
    return NUVRIK_NO_EVENT;
}

/** Whether the last characters are what ends a line. */
bool nuvrik_text_reader_ends_here(const NuvrikTextReader *self, uint8_t ends)
{
    uint8_t first = (uint8_t)(NUVRIK_MOST_END - ends);
    for (uint8_t i = 0; i < ends; i++) {
        if (self->tail[first + i] != NUVRIK_U8(NUVRIK_TEXT_ENDING(self->table)[i])) {
            return false;
        }
    }
    return true;
}

/** In a packet the end of the line may be there or not. */
void nuvrik_text_reader_without_ending(NuvrikTextReader *self)
{
    uint8_t ends = NUVRIK_TEXT_ENDING_COUNT(self->table);
    if (self->length < ends) {
        return;
    }
    uint16_t from_here = (uint16_t)((int32_t)self->length - ends);
    for (uint8_t i = 0; i < ends; i++) {
        if (self->piece[(int32_t)from_here + i] != NUVRIK_U8(NUVRIK_TEXT_ENDING(self->table)[i])) {
            return;
        }
    }
    self->length = from_here;
}

/** Whether it is a line of hex digits. */
bool nuvrik_text_reader_is_hex(const NuvrikTextReader *self)
{
    return self->length > 0 && self->piece[0] == NUVRIK_HEX_MARK;
}

/** A line of hex digits to a body. ACCEPTED: it may be looked at. */
uint8_t nuvrik_text_reader_unhex(NuvrikTextReader *self, NuvrikSealed *sealed)
{
    if (((int32_t)self->length - 1) > (2 * NUVRIK_LONGEST)) {
        return NUVRIK_TOO_LONG;
    }
    if ((int16_t)(self->length & 1) == 0) {
        return NUVRIK_STUFFING;
    }
    for (uint16_t i = 0; i < ((int32_t)self->length - 1); i++) {
        if (nuvrik_hex_value(self->piece[i + 1]) > 15) {
            return NUVRIK_STUFFING;
        }
    }
    nuvrik_sealed_begin(sealed);
    for (uint16_t i = 0; i < (self->length >> 1); i++) {
        uint8_t high = nuvrik_hex_value(self->piece[(uint16_t)(2 * i) + 1]);
        nuvrik_sealed_put(sealed, (uint8_t)((high << 4) + nuvrik_hex_value(self->piece[(uint16_t)(2 * i)
            + 2])));
    }
    return NUVRIK_ACCEPTED;
}

/** A line that is no hex digits to values. ACCEPTED: it is a command, or a stop. */
uint8_t nuvrik_text_reader_read(NuvrikTextReader *self, int32_t *values)
{
    self->stop = false;
    uint16_t length = self->length;
    uint8_t digits = nuvrik_check_digits(NUVRIK_TEXT_CHECK(self->table));
    if (digits > 0) {
        /* The check first: what is damaged may look like a stop, or like another kind. */
        if (!nuvrik_text_reader_sound(self, digits)) {
            return NUVRIK_CHECK;
        }
        length = (uint16_t)(((int32_t)length - digits) - 1);
    }
    if (length > 0 && length == NUVRIK_TEXT_STOP_COUNT(self->table)
        && nuvrik_text_reader_begins_with_stop(self)) {
        self->stop = true;
        return NUVRIK_ACCEPTED;
    }
    if (length < NUVRIK_TEXT_TAG_COUNT(self->table) || !nuvrik_text_reader_begins_with_tag(self)) {
        return NUVRIK_WRONG_KIND;
    }
    if (NUVRIK_TEXT_COLUMNS(self->table)) {
        return nuvrik_text_reader_read_columns(self, NUVRIK_TEXT_TAG_COUNT(self->table), length, values);
    }
    return nuvrik_text_reader_read_line(self, NUVRIK_TEXT_TAG_COUNT(self->table), length, values);
}

/** Whether the line has a check, and it is that of the rest. */
bool nuvrik_text_reader_sound(const NuvrikTextReader *self, uint8_t digits)
{
    return self->length > digits && nuvrik_text_reader_checked(self, digits);
}

/** Whether the check at the end of the line is that of all before it. */
bool nuvrik_text_reader_checked(const NuvrikTextReader *self, uint8_t digits)
{
    uint16_t mark = (uint16_t)(((int32_t)self->length - digits) - 1);
    if (self->piece[mark] != NUVRIK_CHECK_MARK) {
        return false;
    }
    uint16_t over = nuvrik_check_begins(NUVRIK_TEXT_CHECK(self->table));
    for (uint16_t i = 0; i < mark; i++) {
        over = nuvrik_check_over(NUVRIK_TEXT_CHECK(self->table), over, self->piece[i]);
    }
    uint16_t said = 0;
    for (uint8_t i = 0; i < digits; i++) {
        uint8_t digit = nuvrik_hex_value(self->piece[(int32_t)(mark + 1) + i]);
        if (digit > 15) {
            return false;
        }
        said = (uint16_t)((int32_t)(uint16_t)((uint16_t)said << 4) + digit);
    }
    return said == over;
}

/** Whether the line is the text of a stop, of whose length it is. */
bool nuvrik_text_reader_begins_with_stop(const NuvrikTextReader *self)
{
    for (uint8_t i = 0; i < NUVRIK_TEXT_STOP_COUNT(self->table); i++) {
        if (self->piece[i] != NUVRIK_U8(NUVRIK_TEXT_STOP(self->table)[i])) {
            return false;
        }
    }
    return true;
}

/** Whether it begins as every command does. */
bool nuvrik_text_reader_begins_with_tag(const NuvrikTextReader *self)
{
    for (uint8_t i = 0; i < NUVRIK_TEXT_TAG_COUNT(self->table); i++) {
        if (self->piece[i] != NUVRIK_U8(NUVRIK_TEXT_TAG(self->table)[i])) {
            return false;
        }
    }
    return true;
}

/** Fields by their places. */
uint8_t nuvrik_text_reader_read_columns(NuvrikTextReader *self, uint8_t begins, uint16_t length,
    int32_t *values)
{
    uint16_t at = begins;
    for (uint8_t column_at = 0; column_at < NUVRIK_TEXT_FORMS_COUNT(self->table); column_at++) {
        const NUVRIK_FLASH NuvrikFormTable *column = &NUVRIK_TEXT_FORMS(self->table)[column_at];
        at = (uint16_t)((int32_t)at + NUVRIK_FORM_WIDTH(column));
    }
    if (at != length) {
        return NUVRIK_BAD_FIELD;
    }
    at = begins;
    for (uint8_t i = 0; i < NUVRIK_TEXT_FORMS_COUNT(self->table); i++) {
        const NUVRIK_FLASH NuvrikFormTable *form = &NUVRIK_TEXT_FORMS(self->table)[i];
        if (!nuvrik_text_reader_read_field(self, form, at, (uint16_t)((int32_t)at
            + NUVRIK_FORM_WIDTH(form)))) {
            return NUVRIK_BAD_FIELD;
        }
        values[i] = self->value;
        at = (uint16_t)((int32_t)at + NUVRIK_FORM_WIDTH(form));
    }
    return NUVRIK_ACCEPTED;
}

/** Fields between separators. */
uint8_t nuvrik_text_reader_read_line(NuvrikTextReader *self, uint8_t begins, uint16_t length, int32_t *values)
{
    uint8_t fields = 0;
    uint16_t from_here = begins;
    uint16_t at = begins;
    bool sound = true;
    while (true) {
        bool ends = at == length;
        if (ends || nuvrik_text_reader_separates(self, at, length)) {
            if (fields == NUVRIK_TEXT_FORMS_COUNT(self->table)) {
                return NUVRIK_BAD_FIELD;
            }
            /* A wrong number of fields and a field that is wrong are the same to whoever sent them. */
            if (sound && nuvrik_text_reader_read_field(self, &NUVRIK_TEXT_FORMS(self->table)[fields],
                from_here, at)) {
                values[fields] = self->value;
            } else {
                sound = false;
            }
            fields++;
            if (ends) {
                break;
            }
            at = (uint16_t)((int32_t)at + NUVRIK_TEXT_SEPARATOR_COUNT(self->table));
            from_here = at;
        } else {
            at++;
        }
    }
    return (uint8_t)((sound && fields == NUVRIK_TEXT_FORMS_COUNT(self->table)) ? NUVRIK_ACCEPTED
        : NUVRIK_BAD_FIELD);
}

/** Whether a separator stands here. */
bool nuvrik_text_reader_separates(const NuvrikTextReader *self, uint16_t at, uint16_t length)
{
    if (((int32_t)at + NUVRIK_TEXT_SEPARATOR_COUNT(self->table)) > length) {
        return false;
    }
    for (uint8_t i = 0; i < NUVRIK_TEXT_SEPARATOR_COUNT(self->table); i++) {
        if (self->piece[(int32_t)at + i] != NUVRIK_U8(NUVRIK_TEXT_SEPARATOR(self->table)[i])) {
            return false;
        }
    }
    return true;
}

/** One field: a sign, digits, decimals. False where it means nothing. */
bool nuvrik_text_reader_read_field(NuvrikTextReader *self, const NUVRIK_FLASH NuvrikFormTable *form,
    uint16_t begins, uint16_t ends)
{
    uint16_t at = begins;
    uint16_t until = ends;
    if (NUVRIK_TEXT_SPACES(self->table)) {
        while (at < until && self->piece[at] == 32) {
            at++;
        }
        while (until > at && self->piece[until - 1] == 32) {
            until--;
        }
    }
    if (at == until && NUVRIK_TEXT_BLANKS(self->table)) {
        self->value = (NUVRIK_FORM_EMPTY(form)) ? NUVRIK_NO_READING : 0;
        return true;
    }
    bool negative = at < until && self->piece[at] == 45;
    if (negative || (at < until && self->piece[at] == 43)) {
        at++;
    }
    return nuvrik_text_reader_read_digits(self, form, at, until, negative);
}

/** The digits of a field, with a point among them or not. */
bool nuvrik_text_reader_read_digits(NuvrikTextReader *self, const NUVRIK_FLASH NuvrikFormTable *form,
    uint16_t begins, uint16_t ends, bool negative)
{
    uint16_t at = begins;
    uint32_t size = 0;
    uint8_t digits = 0;
    bool any = false;
    while (at < ends && nuvrik_text_reader_is_digit(self, at)) {
        any = true;
        if (digits > 0 || self->piece[at] != 48) {
            digits++;
        }
        if (digits > NUVRIK_MOST_DIGITS) {
            return false;
        }
        uint8_t digit = (uint8_t)(self->piece[at] - 48);
        size = (uint32_t)((int32_t)nuvrik_ten_times(size) + digit);
        at++;
    }
    if (!any) {
        return false;
    }
    uint8_t decimals = 0;
    if (at < ends) {
        /* A point, and at least one digit behind it. */
        if (self->piece[at] != 46 || (uint16_t)(at + 1) == ends) {
            return false;
        }
        at++;
    }
    while (at < ends) {
        if (!nuvrik_text_reader_is_digit(self, at) || decimals == NUVRIK_FORM_DECIMALS(form)) {
            return false;
        }
        size = (uint32_t)((int32_t)nuvrik_ten_times(size) + (self->piece[at] - 48));
        decimals++;
        at++;
    }
    while (decimals < NUVRIK_FORM_DECIMALS(form)) {
        size = nuvrik_ten_times(size);
        decimals++;
    }
    return nuvrik_text_reader_within(self, form, negative ? (-(int32_t)size) : (int32_t)size);
}

/** Whether a digit stands here. */
bool nuvrik_text_reader_is_digit(const NuvrikTextReader *self, uint16_t at)
{
    return self->piece[at] >= 48 && self->piece[at] <= 57;
}

/** Whether a number is within the range of a field; its value, if it is. */
bool nuvrik_text_reader_within(NuvrikTextReader *self, const NUVRIK_FLASH NuvrikFormTable *form,
    int32_t given)
{
    if (NUVRIK_FORM_LOW(form) < NUVRIK_FORM_HIGH(form)) {
        if (given < NUVRIK_FORM_LOW(form) || given > NUVRIK_FORM_HIGH(form)) {
            return false;
        }
    } else if (given < NUVRIK_FORM_HIGH(form) || given > NUVRIK_FORM_LOW(form)) {
        return false;
    }
    self->value = nuvrik_value_of_number(form, given);
    return true;
}

/* ---- keys ---- */

/** What a key does to the values of the channels. */
void nuvrik_change_all(const NUVRIK_FLASH NuvrikKeyTable *key, int32_t *state)
{
    for (uint8_t change_at = 0; change_at < NUVRIK_KEY_CHANGES_COUNT(key); change_at++) {
        const NUVRIK_FLASH NuvrikChangeTable *change = &NUVRIK_KEY_CHANGES(key)[change_at];
        int32_t before = (NUVRIK_CHANGE_ADDS(change)) ? state[NUVRIK_CHANGE_PLACE(change)] : (int32_t)0;
        state[NUVRIK_CHANGE_PLACE(change)] = nuvrik_clamp(NUVRIK_CHANGE_VALUE(change) + before,
            NUVRIK_CHANGE_LOW(change), NUVRIK_CHANGE_HIGH(change));
    }
}

/** Whether a key changes the channel at a place. */
bool nuvrik_changes(const NUVRIK_FLASH NuvrikKeyTable *key, uint8_t place)
{
    for (uint8_t change_at = 0; change_at < NUVRIK_KEY_CHANGES_COUNT(key); change_at++) {
        const NUVRIK_FLASH NuvrikChangeTable *change = &NUVRIK_KEY_CHANGES(key)[change_at];
        if (NUVRIK_CHANGE_PLACE(change) == place) {
            return true;
        }
    }
    return false;
}

/** Whether a key changes something that nobody wants anywhere, because it has no reading. */
bool nuvrik_unwanted(const NUVRIK_FLASH NuvrikKeyTable *key, const int32_t *wanted)
{
    for (uint8_t change_at = 0; change_at < NUVRIK_KEY_CHANGES_COUNT(key); change_at++) {
        const NUVRIK_FLASH NuvrikChangeTable *change = &NUVRIK_KEY_CHANGES(key)[change_at];
        if (wanted[NUVRIK_CHANGE_PLACE(change)] == NUVRIK_NO_READING) {
            return true;
        }
    }
    return false;
}

void nuvrik_keys_init(NuvrikKeys *self, const NUVRIK_FLASH NuvrikKeysTable *table)
{
    self->table = table;
}

/** Whether a byte is a key of this link. */
bool nuvrik_keys_known(const NuvrikKeys *self, uint8_t code)
{
    for (uint8_t key_at = 0; key_at < NUVRIK_KEYS_KEYS_COUNT(self->table); key_at++) {
        const NUVRIK_FLASH NuvrikKeyTable *key = &NUVRIK_KEYS_KEYS(self->table)[key_at];
        if (NUVRIK_KEY_CODE(key) == code) {
            return true;
        }
    }
    return false;
}

/** Whether a key stops everything. */
bool nuvrik_keys_stops(const NuvrikKeys *self, uint8_t code)
{
    for (uint8_t key_at = 0; key_at < NUVRIK_KEYS_KEYS_COUNT(self->table); key_at++) {
        const NUVRIK_FLASH NuvrikKeyTable *key = &NUVRIK_KEYS_KEYS(self->table)[key_at];
        if (NUVRIK_KEY_CODE(key) == code) {
            return NUVRIK_KEY_STOP(key);
        }
    }
    return false;
}

/** A key that stops nothing: the values of the command that it is. */
void nuvrik_keys_press(NuvrikKeys *self, uint8_t code, int32_t *values)
{
    for (uint8_t i = 0; i < NUVRIK_KEYS_KEYS_COUNT(self->table); i++) {
        if (NUVRIK_KEY_CODE(&NUVRIK_KEYS_KEYS(self->table)[i]) == code) {
            nuvrik_keys_take(self, i);
        }
    }
    for (uint8_t i = 0; i < NUVRIK_KEYS_PLACES_COUNT(self->table); i++) {
        bool unread = NUVRIK_U8(NUVRIK_KEYS_PLACES(self->table)[i]) && !self->given[i] && !self->touched[i];
        values[i] = unread ? (int32_t)NUVRIK_NO_READING : self->state[i];
    }
}

/** The key at a place of the table is commanded. */
void nuvrik_keys_take(NuvrikKeys *self, uint8_t at)
{
    const NUVRIK_FLASH NuvrikKeyTable *key = &NUVRIK_KEYS_KEYS(self->table)[at];
    nuvrik_change_all(key, self->state);
    for (uint8_t i = 0; i < NUVRIK_KEYS_PLACES_COUNT(self->table); i++) {
        self->touched[i] = NUVRIK_U8(NUVRIK_KEYS_PLACES(self->table)[i]) && nuvrik_changes(key, i);
    }
}

/** Whether the machine follows what was commanded last. */
void nuvrik_keys_told(NuvrikKeys *self, bool followed)
{
    for (uint8_t i = 0; i < NUVRIK_KEYS_PLACES_COUNT(self->table); i++) {
        if (followed) {
            self->kept[i] = self->state[i];
            self->given[i] = self->given[i] || self->touched[i];
        } else if (NUVRIK_U8(NUVRIK_KEYS_PLACES(self->table)[i])) {
            self->state[i] = self->kept[i];
            self->given[i] = false;
        }
        self->touched[i] = false;
    }
}

/** Everything at rest and off again; no place has a reading. */
void nuvrik_keys_forget(NuvrikKeys *self)
{
    for (uint8_t i = 0; i < NUVRIK_KEYS_PLACES_COUNT(self->table); i++) {
        self->state[i] = (NUVRIK_U8(NUVRIK_KEYS_PLACES(self->table)[i])) ? self->kept[i] : (int32_t)0;
        self->given[i] = false;
        self->touched[i] = false;
    }
}

void nuvrik_chooser_init(NuvrikChooser *self, const NUVRIK_FLASH NuvrikChooserTable *table)
{
    self->table = table;
    nuvrik_keys_init(&self->keys, NUVRIK_CHOOSER_KEYS(table));
    for (uint8_t i = 0; i < NUVRIK_MOST_KEYS; i++) {
        self->ages[i] = NUVRIK_TIMER_MAX;
    }
}

/** The place of the key to send, NOBODY if every key there is would lead further away. */
uint8_t nuvrik_chooser_choose(NuvrikChooser *self, const int32_t *wanted)
{
    uint8_t nearest = NUVRIK_NOBODY;
    uint8_t same = NUVRIK_NOBODY;
    uint32_t least = 0;
    for (uint8_t i = 0; i < NUVRIK_KEYS_KEYS_COUNT(NUVRIK_CHOOSER_KEYS(self->table)); i++) {
        const NUVRIK_FLASH NuvrikKeyTable *key = &NUVRIK_KEYS_KEYS(NUVRIK_CHOOSER_KEYS(self->table))[i];
        if (NUVRIK_KEY_STOP(key) || nuvrik_unwanted(key, wanted)) {
            continue;
        }
        nuvrik_chooser_begin_trying(self);
        nuvrik_change_all(key, self->tried);
        uint32_t far = nuvrik_chooser_away(self, wanted, self->tried) + nuvrik_chooser_unsaid(self, wanted,
            i);
        if (nearest == NUVRIK_NOBODY || (int32_t)far < (int32_t)least) {
            nearest = i;
            least = far;
        }
        /* Of those that change nothing, the one sent longest ago. */
        if (nuvrik_chooser_stays(self, key) && (same == NUVRIK_NOBODY || self->ages[i] > self->ages[same])) {
            same = i;
        }
    }
    if (nearest == NUVRIK_NOBODY) {
        return NUVRIK_NOBODY;
    }
    uint32_t here = nuvrik_chooser_away(self, wanted, self->keys.state) + nuvrik_chooser_unsaid(self, wanted,
        NUVRIK_NOBODY);
    int16_t trembles = (same != NUVRIK_NOBODY) ? NUVRIK_CHOOSER_TREMBLES(self->table) : 0;
    /* Where nothing leads nearer and nothing leaves it as it is, silence is better than a wrong key. */
    if (((int32_t)least + trembles) >= (int32_t)here) {
        nearest = same;
    }
    if (nearest != NUVRIK_NOBODY) {
        nuvrik_chooser_send(self, nearest);
    }
    return nearest;
}

/** That key goes out now. */
void nuvrik_chooser_send(NuvrikChooser *self, uint8_t place)
{
    nuvrik_keys_take(&self->keys, place);
    /* A machine that is not armed moves no place. */
    nuvrik_keys_told(&self->keys, NUVRIK_CHOOSER_ARM(self->table) == NUVRIK_NOBODY
        || self->keys.state[NUVRIK_CHOOSER_ARM(self->table)] != 0);
    for (uint8_t i = 0; i < NUVRIK_KEYS_KEYS_COUNT(NUVRIK_CHOOSER_KEYS(self->table)); i++) {
        self->ages[i] = nuvrik_later(self->ages[i], 1);
    }
    self->ages[place] = 0;
}

/** The place of the key that stops. */
uint8_t nuvrik_chooser_stop(NuvrikChooser *self)
{
    nuvrik_keys_forget(&self->keys);
    for (uint8_t i = 0; i < NUVRIK_KEYS_KEYS_COUNT(NUVRIK_CHOOSER_KEYS(self->table)); i++) {
        if (NUVRIK_KEY_STOP(&NUVRIK_KEYS_KEYS(NUVRIK_CHOOSER_KEYS(self->table))[i])) {
            return i;
        }
    }
    return NUVRIK_NOBODY;
}

/** Try from where the values are. */
void nuvrik_chooser_begin_trying(NuvrikChooser *self)
{
    for (uint8_t i = 0; i < NUVRIK_KEYS_PLACES_COUNT(NUVRIK_CHOOSER_KEYS(self->table)); i++) {
        self->tried[i] = self->keys.state[i];
    }
}

/** Whether what was tried, with a key, changes nothing. */
bool nuvrik_chooser_stays(const NuvrikChooser *self, const NUVRIK_FLASH NuvrikKeyTable *key)
{
    for (uint8_t i = 0; i < NUVRIK_KEYS_PLACES_COUNT(NUVRIK_CHOOSER_KEYS(self->table)); i++) {
        if (self->tried[i] != self->keys.state[i]) {
            return false;
        }
        if (NUVRIK_U8(NUVRIK_KEYS_PLACES(NUVRIK_CHOOSER_KEYS(self->table))[i]) && !self->keys.given[i]
            && nuvrik_changes(key, i)) {
            return false;
        }
    }
    return true;
}

/** How far the values are from being said at all, if a key is sent, NOBODY for none: more than a hand
 *  trembles for each place that is wanted somewhere and still has no reading then.
 */
uint32_t nuvrik_chooser_unsaid(const NuvrikChooser *self, const int32_t *wanted, uint8_t place)
{
    uint32_t sum = 0;
    for (uint8_t i = 0; i < NUVRIK_KEYS_PLACES_COUNT(NUVRIK_CHOOSER_KEYS(self->table)); i++) {
        bool unread = NUVRIK_U8(NUVRIK_KEYS_PLACES(NUVRIK_CHOOSER_KEYS(self->table))[i])
            && !self->keys.given[i] && wanted[i] != NUVRIK_NO_READING;
        if (unread && (place == NUVRIK_NOBODY
            || !nuvrik_changes(&NUVRIK_KEYS_KEYS(NUVRIK_CHOOSER_KEYS(self->table))[place], i))) {
            sum = (uint32_t)((int32_t)sum + (NUVRIK_CHOOSER_TREMBLES(self->table) + 1));
        }
    }
    return sum;
}

/** How far the values are from those wanted. */
uint32_t nuvrik_chooser_away(const NuvrikChooser *self, const int32_t *wanted, const int32_t *state)
{
    uint32_t sum = 0;
    for (uint8_t i = 0; i < NUVRIK_KEYS_PLACES_COUNT(NUVRIK_CHOOSER_KEYS(self->table)); i++) {
        if (wanted[i] == NUVRIK_NO_READING) {
            continue;
        }
        int32_t here = state[i];
        int32_t there = wanted[i];
        uint16_t apart = (uint16_t)nuvrik_abs32(here - there);
        uint32_t far = (uint32_t)apart * (uint32_t)NUVRIK_I16(NUVRIK_CHOOSER_WEIGHTS(self->table)[i]);
        sum = sum + far;
    }
    return sum;
}

/* ---- on_off ---- */

void nuvrik_on_off_reader_init(NuvrikOnOffReader *self, const NUVRIK_FLASH NuvrikOnOffTable *table)
{
    memset(self, 0, sizeof *self);
    self->table = table;
    self->first = NUVRIK_NO_HALF;
}

/** So many microseconds of mark or of space. True: a body has ended. */
bool nuvrik_on_off_reader_take(NuvrikOnOffReader *self, bool mark, uint32_t us)
{
    uint16_t length = (uint16_t)nuvrik_clamp((int32_t)us, 0, NUVRIK_LONGEST_RUN_US);
    if (length == 0) {
        return false;
    }
    bool ended = false;
    if (self->run_us > 0 && mark != self->mark
        && (((int32_t)3 * length) * NUVRIK_UNIT) >= NUVRIK_ON_OFF_HALF(self->table)) {
        ended = nuvrik_on_off_reader_run_ended(self, self->mark, self->run_us);
        self->run_us = length;
        self->mark = mark;
    } else {
        if (self->run_us == 0) {
            self->mark = mark;
        }
        /* A glitch, or the rest of what a glitch cut in two: the level goes on. */
        self->run_us = (uint16_t)nuvrik_clamp((int32_t)self->run_us + length, 0, NUVRIK_LONGEST_RUN_US);
    }
    return ended;
}

/** A level has ended. True: a body has, too. */
bool nuvrik_on_off_reader_run_ended(NuvrikOnOffReader *self, bool mark, uint16_t us)
{
    uint8_t count = nuvrik_on_off_reader_follow(self, mark, us);
    bool ended = false;
    for (uint8_t i = 0; i < 2; i++) {
        if (i < count && nuvrik_on_off_reader_half_bit(self, (uint8_t)(mark ? 1 : 0))) {
            ended = true;
        }
    }
    if (count < 1 || count > 2) {
        nuvrik_on_off_reader_lose(self);
    }
    return ended;
}

/** How many halves a level is, 3 for more; and follow the clock if it is 1 or 2, as in every frame. Each
 *  edge is held against a grid, not against the edge before, whose own jitter would count twice.
 */
uint8_t nuvrik_on_off_reader_follow(NuvrikOnOffReader *self, bool mark, uint16_t us)
{
    if (self->half == 0) {
        self->half = NUVRIK_ON_OFF_HALF(self->table);
    }
    int32_t lean = mark ? self->lean : (-self->lean);
    int32_t reach = ((int32_t)us * NUVRIK_UNIT) + self->late;
    int32_t twice = 2 * (reach - lean);
    if (twice < self->half) {
        return 0;
    }
    if (twice >= (5 * self->half)) {
        return 3;
    }
    uint8_t count = (uint8_t)((twice < (3 * self->half)) ? 1 : 2);
    int32_t late = reach - (count * self->half);
    int32_t error = late - lean;
    int32_t step = nuvrik_div(error, (self->reading) ? NUVRIK_KEEPING_PHASE : NUVRIK_FINDING_PHASE);
    self->late = late - step;
    int32_t pace = nuvrik_div(error, count * ((self->reading) ? NUVRIK_KEEPING_PACE : NUVRIK_FINDING_PACE));
    self->half = nuvrik_clamp(self->half + pace, NUVRIK_ON_OFF_FASTEST(self->table),
        NUVRIK_ON_OFF_SLOWEST(self->table));
    int32_t leaning = nuvrik_div(error, (self->reading) ? NUVRIK_KEEPING_LEAN : NUVRIK_FINDING_LEAN);
    int32_t most = NUVRIK_ON_OFF_MOST_LEAN(self->table);
    self->lean = nuvrik_clamp(mark ? (self->lean + leaning) : (self->lean - leaning), -most, most);
    return count;
}

/** No clock any more: whatever was being read is not a frame. */
void nuvrik_on_off_reader_lose(NuvrikOnOffReader *self)
{
    self->half = NUVRIK_ON_OFF_HALF(self->table);
    self->late = 0;
    self->lean = 0;
    nuvrik_on_off_reader_look(self);
}

/** Look for a sync word from here on. */
void nuvrik_on_off_reader_look(NuvrikOnOffReader *self)
{
    self->early = 0;
    self->recent = 0;
    self->reading = false;
}

/** Half a bit more. True: a body has ended. */
bool nuvrik_on_off_reader_half_bit(NuvrikOnOffReader *self, uint8_t now)
{
    if (!self->reading) {
        self->early = (uint16_t)((uint16_t)((uint16_t)self->early << 1) | (uint16_t)(self->recent >> 15));
        self->recent = (uint16_t)((uint16_t)((uint16_t)self->recent << 1) | now);
        if (self->early == NUVRIK_SYNC_EARLY && self->recent == NUVRIK_SYNC_RECENT) {
            self->reading = true;
            self->bits = 0;
            self->first = NUVRIK_NO_HALF;
        }
        return false;
    }
    if (self->first == NUVRIK_NO_HALF) {
        self->first = now;
        return false;
    }
    uint8_t before = self->first;
    self->first = NUVRIK_NO_HALF;
    if (before == now) {
        /* No bit is two halves alike: the frame is damaged, and its check would say so in the end. */
        nuvrik_on_off_reader_look(self);
        return false;
    }
    return nuvrik_on_off_reader_bit(self, now);
}

/** One bit more of the length or the body. True: the body has ended. */
bool nuvrik_on_off_reader_bit(NuvrikOnOffReader *self, uint8_t one)
{
    self->gathered = (uint8_t)((self->gathered >> 1) | ((one != 0) ? 128 : 0));
    self->bits++;
    if ((int16_t)(self->bits & 7) != 0) {
        return false;
    }
    if (self->bits == NUVRIK_LENGTH_BITS) {
        self->length = self->gathered;
        /* No frame of this link is longer than what is kept, and noise may say any length. */
        if (self->length == 0 || self->length > NUVRIK_MOST_KEPT) {
            nuvrik_on_off_reader_look(self);
        }
        return false;
    }
    uint16_t place = (uint16_t)((int16_t)(self->bits >> 3) - 2);
    self->body[place] = self->gathered;
    if (((int16_t)place + 1) < self->length) {
        return false;
    }
    nuvrik_on_off_reader_look(self);
    return true;
}

void nuvrik_on_off_maker_init(NuvrikOnOffMaker *self, const NUVRIK_FLASH NuvrikOnOffTable *table)
{
    memset(self, 0, sizeof *self);
    self->table = table;
}

/** A new body; add its bytes, and then call next until it gives 0. */
void nuvrik_on_off_maker_begin(NuvrikOnOffMaker *self)
{
    self->size = 0;
    self->place = 0;
    self->halves = (uint16_t)(2 * ((NUVRIK_ON_OFF_TRAINING_BITS(self->table) + NUVRIK_SYNC_BITS)
        + NUVRIK_LENGTH_BITS));
    self->part = (uint32_t)((int32_t)NUVRIK_ON_OFF_BITRATE(self->table) / 2);
}

/** One byte more. */
void nuvrik_on_off_maker_add(NuvrikOnOffMaker *self, uint8_t byte)
{
    if (self->size < NUVRIK_MOST_SENT) {
        self->sent[self->size] = byte;
        self->size++;
        self->halves = (uint16_t)((int32_t)self->halves + 16);
    }
}

/** The length of the next mark or space, in microseconds; is_mark says which. 0: all is sent. */
uint16_t nuvrik_on_off_maker_next(NuvrikOnOffMaker *self)
{
    if (self->place > self->halves) {
        return 0;
    }
    self->is_mark = nuvrik_on_off_maker_carrier(self, self->place);
    uint16_t us = 0;
    while (self->place < self->halves && nuvrik_on_off_maker_carrier(self, self->place) == self->is_mark) {
        us = (uint16_t)((int32_t)us + nuvrik_on_off_maker_half_us(self));
        self->place++;
    }
    if (self->place >= self->halves && !self->is_mark) {
        /* The space that ends the frame; what is left of the last bit is part of it. */
        us = 0;
        for (uint8_t _ = 0; _ < NUVRIK_SILENT_HALVES; _++) {
            us = (uint16_t)((int32_t)us + nuvrik_on_off_maker_half_us(self));
        }
        self->place = (uint16_t)((int32_t)self->halves + 1);
    }
    return us;
}

/** How long the next half bit lasts, in whole microseconds. */
uint16_t nuvrik_on_off_maker_half_us(NuvrikOnOffMaker *self)
{
    uint32_t parts = (uint32_t)((int32_t)self->part + INT32_C(500000));
    uint16_t whole_us = (uint16_t)((int32_t)parts / (int32_t)NUVRIK_ON_OFF_BITRATE(self->table));
    uint32_t taken = whole_us * NUVRIK_ON_OFF_BITRATE(self->table);
    self->part = (uint32_t)((int32_t)parts - (int32_t)taken);
    return whole_us;
}

/** Whether the carrier is on in a half bit. */
bool nuvrik_on_off_maker_carrier(const NuvrikOnOffMaker *self, uint16_t half)
{
    if (half >= self->halves) {
        return false;
    }
    bool second = (int16_t)(half & 1) != 0;
    return nuvrik_on_off_maker_one(self, (uint16_t)(half >> 1)) == second;
}

/** Whether a bit is a one. */
bool nuvrik_on_off_maker_one(const NuvrikOnOffMaker *self, uint16_t place)
{
    if (place < NUVRIK_ON_OFF_TRAINING_BITS(self->table)) {
        return true;
    }
    uint16_t at = (uint16_t)((int32_t)place - NUVRIK_ON_OFF_TRAINING_BITS(self->table));
    if (at < NUVRIK_SYNC_BITS) {
        uint8_t sync = (uint8_t)((NUVRIK_SYNC_BITS - 1) - (int16_t)at);
        return (int16_t)((uint16_t)(NUVRIK_SYNC_WORD >> sync) & 1) != 0;
    }
    at = (uint16_t)((int32_t)at - NUVRIK_SYNC_BITS);
    if (at < NUVRIK_LENGTH_BITS) {
        return ((self->size >> at) & 1) != 0;
    }
    at = (uint16_t)((int32_t)at - NUVRIK_LENGTH_BITS);
    return ((self->sent[at >> 3] >> (at & 7)) & 1) != 0;
}

/* ---- medium ---- */

/* ---- train ---- */

/** The value of a slot, the nearest end's where it is a little beyond: a transmitter's trims reach there,
 *  and that is full, not more than full.
 */
int32_t nuvrik_value_of_slot(const NUVRIK_FLASH NuvrikTrainTable *table,
    const NUVRIK_FLASH NuvrikChannelTable *channel, uint16_t slot_us)
{
    uint16_t low = (NUVRIK_TRAIN_LOW_US(table) < NUVRIK_TRAIN_HIGH_US(table)) ? NUVRIK_TRAIN_LOW_US(table)
        : NUVRIK_TRAIN_HIGH_US(table);
    uint16_t high = (NUVRIK_TRAIN_LOW_US(table) < NUVRIK_TRAIN_HIGH_US(table))
        ? NUVRIK_TRAIN_HIGH_US(table) : NUVRIK_TRAIN_LOW_US(table);
    uint16_t kept = (uint16_t)nuvrik_clamp(slot_us, low, high);
    int32_t away = (int32_t)kept - NUVRIK_TRAIN_LOW_US(table);
    int32_t steps = (int32_t)NUVRIK_TRAIN_HIGH_US(table) - NUVRIK_TRAIN_LOW_US(table);
    if (NUVRIK_CHANNEL_KIND(channel) == NUVRIK_IS_LEVEL) {
        int32_t twice = away * ((uint16_t)2 * NUVRIK_FULL);
        int32_t along = nuvrik_div(twice, steps);
        return along - NUVRIK_FULL;
    }
    uint16_t most = (uint16_t)((NUVRIK_CHANNEL_KIND(channel) == NUVRIK_IS_SHARE) ? (uint16_t)NUVRIK_FULL
        : NUVRIK_CHANNEL_MOST(channel));
    int32_t once = away * most;
    return nuvrik_div(once, steps);
}

/** The length of the slot of a value. */
uint16_t nuvrik_slot_of_value(const NUVRIK_FLASH NuvrikTrainTable *table,
    const NUVRIK_FLASH NuvrikChannelTable *channel, int32_t value)
{
    int32_t steps = (int32_t)NUVRIK_TRAIN_HIGH_US(table) - NUVRIK_TRAIN_LOW_US(table);
    if (NUVRIK_CHANNEL_KIND(channel) == NUVRIK_IS_LEVEL) {
        int16_t at = (int16_t)value;
        int32_t twice = ((int32_t)at + NUVRIK_FULL) * steps;
        int32_t far = nuvrik_div(twice, (uint16_t)2 * NUVRIK_FULL);
        return (uint16_t)(NUVRIK_TRAIN_LOW_US(table) + far);
    }
    uint16_t most = (uint16_t)((NUVRIK_CHANNEL_KIND(channel) == NUVRIK_IS_SHARE) ? (uint16_t)NUVRIK_FULL
        : NUVRIK_CHANNEL_MOST(channel));
    int32_t once = value * steps;
    int32_t way = nuvrik_div(once, most);
    return (uint16_t)(NUVRIK_TRAIN_LOW_US(table) + way);
}

void nuvrik_train_reader_init(NuvrikTrainReader *self, const NUVRIK_FLASH NuvrikTrainTable *table)
{
    self->table = table;
}

/** The time from one pulse to the next. ACCEPTED: a train has ended, and values are a command. */
uint8_t nuvrik_train_reader_take(NuvrikTrainReader *self, uint16_t slot_us, int32_t *values)
{
    if (slot_us < NUVRIK_TRAIN_GAP_US(self->table)) {
        if (self->count < NUVRIK_MOST_SLOTS) {
            self->slots[self->count] = slot_us;
        }
        if (self->count < 0xff) {
            self->count++;
        }
        return NUVRIK_NO_EVENT;
    }
    uint8_t event = NUVRIK_NO_EVENT;
    if (self->begun && self->count > 0) {
        event = nuvrik_train_reader_end(self, values);
    }
    self->begun = true;
    self->count = 0;
    return event;
}

/** A gap has ended a train: as many slots as there are channels, none of them further out than they may
 *  be, or it is none.
 */
uint8_t nuvrik_train_reader_end(const NuvrikTrainReader *self, int32_t *values)
{
    if (self->count > NUVRIK_LONGEST_TRAIN) {
        return NUVRIK_TOO_LONG;
    }
    if (self->count != NUVRIK_TRAIN_CHANNELS_COUNT(self->table)) {
        return NUVRIK_BAD_FIELD;
    }
    for (uint8_t i = 0; i < self->count; i++) {
        if (self->slots[i] < NUVRIK_TRAIN_SHORTEST_US(self->table)
            || self->slots[i] > NUVRIK_TRAIN_LONGEST_US(self->table)) {
            return NUVRIK_BAD_FIELD;
        }
    }
    for (uint8_t i = 0; i < self->count; i++) {
        values[i] = nuvrik_value_of_slot(self->table, &NUVRIK_TRAIN_CHANNELS(self->table)[i], self->slots[i]);
    }
    return NUVRIK_ACCEPTED;
}

void nuvrik_train_maker_init(NuvrikTrainMaker *self, const NUVRIK_FLASH NuvrikMediumTable *table)
{
    memset(self, 0, sizeof *self);
    self->table = table;
}

/** A new train; call next until it gives 0. */
void nuvrik_train_maker_begin(NuvrikTrainMaker *self)
{
    self->place = 0;
    self->spent_us = 0;
}

/** The length of the next mark or space of so many slots, in microseconds; is_mark says which. 0: all is
 *  sent. A slot is longer than its pulse, and a train than its slots.
 */
uint16_t nuvrik_train_maker_next(NuvrikTrainMaker *self, const uint16_t *slots, uint8_t count)
{
    uint8_t at = self->place;
    if (at > ((2 * count) + 1)) {
        return 0;
    }
    self->place++;
    self->is_mark = (at & 1) == 0;
    if (self->is_mark) {
        return NUVRIK_MEDIUM_PULSE_US(self->table);
    }
    uint16_t length = (uint16_t)((int32_t)NUVRIK_MEDIUM_FRAME_US(self->table) - self->spent_us);
    if ((at >> 1) < count) {
        length = slots[at >> 1];
        self->spent_us = (uint16_t)((int32_t)self->spent_us + length);
    }
    return (uint16_t)((int32_t)length - NUVRIK_MEDIUM_PULSE_US(self->table));
}

/* ---- writer ---- */

/** A hex digit of a check as a character. */
uint8_t nuvrik_upper(uint8_t code)
{
    return (uint8_t)((code < 10) ? (code + 48) : (code + 55));
}

void nuvrik_writer_init(NuvrikWriter *self, const NUVRIK_FLASH NuvrikWriterTable *table)
{
    self->table = table;
    nuvrik_sender_init(&self->sender, NUVRIK_WRITER_SENDER(table));
    nuvrik_chooser_init(&self->chooser, NUVRIK_WRITER_KEYS(table));
    for (uint8_t i = 0; i < NUVRIK_MOST_STAYS; i++) {
        self->last[i] = NUVRIK_NO_READING;
    }
    self->unsaid = NUVRIK_NOBODY;
}

/** Write a command. False: the style has no way of saying this. */
bool nuvrik_writer_command(NuvrikWriter *self, const int32_t *values)
{
    if ((NUVRIK_HAS_OUT_SEALED && NUVRIK_WRITER_WAY_OUT(self->table) == NUVRIK_OUT_SEALED)) {
        nuvrik_writer_pack(self, values);
        return true;
    }
    nuvrik_writer_begin_plain(self);
    for (uint8_t i = 0; i < NUVRIK_WRITER_CHANNELS_COUNT(self->table); i++) {
        self->said[i] = values[i];
    }
    return nuvrik_writer_plain(self);
}

/** Write a stop; in a style that knows none, everything at rest, arm off, and places as they are. */
bool nuvrik_writer_stop(NuvrikWriter *self)
{
    if ((NUVRIK_HAS_OUT_SEALED && NUVRIK_WRITER_WAY_OUT(self->table) == NUVRIK_OUT_SEALED)) {
        nuvrik_sender_begin(&self->sender, NUVRIK_KIND_STOP);
        nuvrik_sender_seal(&self->sender);
        return true;
    }
    nuvrik_writer_begin_plain(self);
    if ((NUVRIK_HAS_OUT_KEYS && NUVRIK_WRITER_WAY_OUT(self->table) == NUVRIK_OUT_KEYS)) {
        return nuvrik_writer_press(self, nuvrik_chooser_stop(&self->chooser));
    }
    if ((NUVRIK_HAS_OUT_SLOTS && NUVRIK_WRITER_WAY_OUT(self->table) == NUVRIK_OUT_SLOTS)
        || NUVRIK_TEXT_STOP_COUNT(NUVRIK_WRITER_TEXT(self->table)) == 0) {
        for (uint8_t i = 0; i < NUVRIK_WRITER_CHANNELS_COUNT(self->table); i++) {
            self->said[i] = (NUVRIK_U8(NUVRIK_WRITER_STAYS(self->table)[i])) ? NUVRIK_NO_READING : 0;
        }
        return nuvrik_writer_plain(self);
    }
    nuvrik_writer_put_lead(self);
    for (uint8_t character_at
        = 0; character_at < NUVRIK_TEXT_STOP_COUNT(NUVRIK_WRITER_TEXT(self->table)); character_at++) {
        uint8_t character = NUVRIK_U8(NUVRIK_TEXT_STOP(NUVRIK_WRITER_TEXT(self->table))[character_at]);
        nuvrik_sender_put(&self->sender, character);
    }
    nuvrik_writer_put_check(self);
    return true;
}

/** A command that is no sealed body, of what is said. */
bool nuvrik_writer_plain(NuvrikWriter *self)
{
    self->unsaid = nuvrik_writer_not_to_be_said(self);
    if (self->unsaid != NUVRIK_NOBODY) {
        return false;
    }
    if ((NUVRIK_HAS_OUT_TEXT && NUVRIK_WRITER_WAY_OUT(self->table) == NUVRIK_OUT_TEXT)) {
        nuvrik_writer_write_command(self, self->said);
    } else if ((NUVRIK_HAS_OUT_KEYS && NUVRIK_WRITER_WAY_OUT(self->table) == NUVRIK_OUT_KEYS)) {
        return nuvrik_writer_press(self, nuvrik_chooser_choose(&self->chooser, self->said));
    } else if ((NUVRIK_HAS_OUT_SLOTS && NUVRIK_WRITER_WAY_OUT(self->table) == NUVRIK_OUT_SLOTS)) {
        for (uint8_t i = 0; i < NUVRIK_WRITER_CHANNELS_COUNT(self->table); i++) {
            self->slots[i] = nuvrik_slot_of_value(NUVRIK_WRITER_TRAIN(self->table),
                &NUVRIK_WRITER_CHANNELS(self->table)[i], self->said[i]);
        }
    }
    return true;
}

/** A frame that is no sealed body, and counts all the same. */
void nuvrik_writer_begin_plain(NuvrikWriter *self)
{
    self->sender.seq = (uint8_t)(self->sender.seq + 1);
    self->sender.count = 0;
}

/** The first channel that has no reading, where nothing can be written for that; NOBODY if there is none.
 *  What stays is what was sent last; a key leaves it alone by itself.
 */
uint8_t nuvrik_writer_not_to_be_said(NuvrikWriter *self)
{
    uint8_t found = NUVRIK_NOBODY;
    for (uint8_t i = 0; i < NUVRIK_WRITER_CHANNELS_COUNT(self->table); i++) {
        if (self->said[i] != NUVRIK_NO_READING) {
            if (NUVRIK_U8(NUVRIK_WRITER_STAYS(self->table)[i])) {
                self->last[i] = self->said[i];
            }
        } else if (!nuvrik_writer_has_a_way(self, i)) {
            if (NUVRIK_U8(NUVRIK_WRITER_STAYS(self->table)[i])) {
                self->said[i] = self->last[i];
            }
            if (self->said[i] == NUVRIK_NO_READING && found == NUVRIK_NOBODY) {
                found = i;
            }
        }
    }
    return found;
}

/** Whether the style has a way of saying that a channel has no reading. */
bool nuvrik_writer_has_a_way(const NuvrikWriter *self, uint8_t channel)
{
    if ((NUVRIK_HAS_OUT_KEYS && NUVRIK_WRITER_WAY_OUT(self->table) == NUVRIK_OUT_KEYS)) {
        return NUVRIK_U8(NUVRIK_WRITER_STAYS(self->table)[channel]);
    }
    return (NUVRIK_HAS_OUT_TEXT && NUVRIK_WRITER_WAY_OUT(self->table) == NUVRIK_OUT_TEXT)
        && NUVRIK_TEXT_BLANKS(NUVRIK_WRITER_TEXT(self->table))
        && NUVRIK_FORM_EMPTY(&NUVRIK_TEXT_FORMS(NUVRIK_WRITER_TEXT(self->table))[channel]);
}

/** Values to a sealed body. */
void nuvrik_writer_pack(NuvrikWriter *self, const int32_t *values)
{
    nuvrik_sender_begin(&self->sender, NUVRIK_KIND_COMMAND);
    if (NUVRIK_WRITER_GUARDED(self->table)) {
        nuvrik_sender_byte(&self->sender, self->echo);
    }
    for (uint8_t i = 0; i < NUVRIK_WRITER_CHANNELS_COUNT(self->table); i++) {
        const NUVRIK_FLASH NuvrikChannelTable *one = &NUVRIK_WRITER_CHANNELS(self->table)[i];
        nuvrik_sender_bits(&self->sender, nuvrik_code_of_value(one, values[i]), NUVRIK_CHANNEL_BITS(one));
    }
    nuvrik_sender_seal(&self->sender);
}

/** One key, if there is one. */
bool nuvrik_writer_press(NuvrikWriter *self, uint8_t key)
{
    if (key == NUVRIK_NOBODY) {
        return false;
    }
    nuvrik_sender_put(&self->sender,
        NUVRIK_KEY_CODE(&NUVRIK_KEYS_KEYS(NUVRIK_CHOOSER_KEYS(NUVRIK_WRITER_KEYS(self->table)))[key]));
    return true;
}

/** Values to text. */
void nuvrik_writer_write_command(NuvrikWriter *self, const int32_t *values)
{
    const NUVRIK_FLASH NuvrikTextTable *text = NUVRIK_WRITER_TEXT(self->table);
    nuvrik_writer_put_lead(self);
    for (uint8_t character_at = 0; character_at < NUVRIK_TEXT_TAG_COUNT(text); character_at++) {
        uint8_t character = NUVRIK_U8(NUVRIK_TEXT_TAG(text)[character_at]);
        nuvrik_sender_put(&self->sender, character);
    }
    for (uint8_t i = 0; i < NUVRIK_TEXT_FORMS_COUNT(text); i++) {
        const NUVRIK_FLASH NuvrikFormTable *form = &NUVRIK_TEXT_FORMS(text)[i];
        if (i > 0) {
            for (uint8_t character_at = 0; character_at < NUVRIK_TEXT_SEPARATOR_COUNT(text); character_at++) {
                uint8_t character = NUVRIK_U8(NUVRIK_TEXT_SEPARATOR(text)[character_at]);
                nuvrik_sender_put(&self->sender, character);
            }
        }
        if (values[i] != NUVRIK_NO_READING) {
            int32_t value = values[i];
            if (NUVRIK_FORM_COUNTS(form)) {
                value = nuvrik_code_of_value(&NUVRIK_WRITER_CHANNELS(self->table)[i], value);
            }
            nuvrik_writer_write_number(self, form, nuvrik_number_of_value(form, value));
        }
    }
    nuvrik_writer_put_check(self);
}

/** A sign, zeros up to the width, digits, and a point before the decimals. */
void nuvrik_writer_write_number(NuvrikWriter *self, const NUVRIK_FLASH NuvrikFormTable *form, int32_t number)
{
    uint32_t left = (uint32_t)nuvrik_abs32(number);
    uint8_t count = 0;
    while ((int32_t)left != 0 || count <= NUVRIK_FORM_DECIMALS(form)) {
        uint32_t tenth = (uint32_t)((int32_t)left / 10);
        self->figures[count] = (uint8_t)((int32_t)left - ((int32_t)tenth * 10));
        left = tenth;
        count++;
    }
    uint8_t length = count;
    if (NUVRIK_FORM_DECIMALS(form) > 0) {
        length++;
    }
    if (number < 0 || (NUVRIK_FORM_SIGNS(form) && NUVRIK_FORM_WIDTH(form) > 0)) {
        nuvrik_sender_put(&self->sender, (uint8_t)((number < 0) ? 45 : 43));
        length++;
    }
    while (length < NUVRIK_FORM_WIDTH(form)) {
        nuvrik_sender_put(&self->sender, 48);
        length++;
    }
    while (count > 0) {
        if (count == NUVRIK_FORM_DECIMALS(form)) {
            nuvrik_sender_put(&self->sender, 46);
        }
        count--;
        nuvrik_sender_put(&self->sender, (uint8_t)(self->figures[count] + 48));
    }
}

/** The end of a line before it too, where it leads. */
void nuvrik_writer_put_lead(NuvrikWriter *self)
{
    if (NUVRIK_SENDER_LEADS(NUVRIK_WRITER_SENDER(self->table))) {
        nuvrik_sender_put_ending(&self->sender);
    }
}

/** The check over all that is written, and the end of the line. */
void nuvrik_writer_put_check(NuvrikWriter *self)
{
    uint8_t check = NUVRIK_TEXT_CHECK(NUVRIK_WRITER_TEXT(self->table));
    if (check != NUVRIK_NO_CHECK) {
        uint16_t begins = (uint16_t)((NUVRIK_SENDER_LEADS(NUVRIK_WRITER_SENDER(self->table)))
            ? NUVRIK_SENDER_ENDING_COUNT(NUVRIK_WRITER_SENDER(self->table)) : 0);
        uint16_t sum = nuvrik_check_begins(check);
        for (uint16_t i = 0; i < ((int32_t)self->sender.count - begins); i++) {
            sum = nuvrik_check_over(check, sum, self->sender.wire[(int32_t)begins + i]);
        }
        nuvrik_sender_put(&self->sender, NUVRIK_CHECK_MARK);
        if (nuvrik_check_digits(check) == 4) {
            nuvrik_sender_put(&self->sender, nuvrik_upper((uint8_t)(sum >> 12)));
            nuvrik_sender_put(&self->sender, nuvrik_upper((uint8_t)((int16_t)(sum >> 8) & 15)));
        }
        nuvrik_sender_put(&self->sender, nuvrik_upper((uint8_t)((int16_t)(sum >> 4) & 15)));
        nuvrik_sender_put(&self->sender, nuvrik_upper((uint8_t)(sum & 15)));
    }
    nuvrik_sender_put_ending(&self->sender);
}

/* ---- telling ---- */

/** A reading as a share of its range, -FULL for what is below: clipped, 0 to FULL. */
int32_t nuvrik_scaled(const NUVRIK_FLASH NuvrikItemTable *item, int32_t raw)
{
    int32_t low = (NUVRIK_ITEM_LOW(item) < NUVRIK_ITEM_HIGH(item)) ? NUVRIK_ITEM_LOW(item)
        : NUVRIK_ITEM_HIGH(item);
    int32_t high = (NUVRIK_ITEM_LOW(item) < NUVRIK_ITEM_HIGH(item)) ? NUVRIK_ITEM_HIGH(item)
        : NUVRIK_ITEM_LOW(item);
    int32_t kept = nuvrik_clamp(raw, low, high);
    int32_t away = (kept - NUVRIK_ITEM_LOW(item)) * NUVRIK_FULL;
    return nuvrik_div(away, NUVRIK_ITEM_HIGH(item) - NUVRIK_ITEM_LOW(item));
}

void nuvrik_telling_init(NuvrikTelling *self, const NUVRIK_FLASH NuvrikTellingTable *table)
{
    self->table = table;
    for (uint8_t i = 0; i < NUVRIK_MOST_ITEMS; i++) {
        self->read_ms[i] = NUVRIK_TIMER_MAX;
    }
    self->told_ms = NUVRIK_TIMER_MAX;
}

/** Let dt_ms go by. */
void nuvrik_telling_pass_time(NuvrikTelling *self, uint16_t dt_ms)
{
    self->since_ms = nuvrik_later(self->since_ms, dt_ms);
}

/** Bring every timer up to now. */
void nuvrik_telling_catch_up(NuvrikTelling *self)
{
    uint16_t dt_ms = self->since_ms;
    if (dt_ms == 0) {
        return;
    }
    self->since_ms = 0;
    self->told_ms = nuvrik_later(self->told_ms, dt_ms);
    for (uint8_t i = 0; i < NUVRIK_TELLING_ITEMS_COUNT(self->table); i++) {
        self->read_ms[i] = nuvrik_later(self->read_ms[i], dt_ms);
        /* Long overdue is as good as overdue. */
        int32_t left = (int32_t)self->due_ms[i] - dt_ms;
        self->due_ms[i] = (int16_t)nuvrik_clamp(left, -32767 - 1, 32767);
    }
    for (uint8_t i = 0; i < self->noted; i++) {
        uint8_t at = nuvrik_telling_place(self, i);
        self->ages_ms[at] = nuvrik_later(self->ages_ms[at], dt_ms);
    }
}

/** Whether its reading is not too old; after catch_up. */
bool nuvrik_telling_is_fresh(const NuvrikTelling *self, uint8_t item)
{
    return self->known[item]
        && self->read_ms[item] < NUVRIK_ITEM_STALE_MS(&NUVRIK_TELLING_ITEMS(self->table)[item]);
}

/** Where a reading within a range stands, 0 to FULL, NO_READING for none that is fresh; after catch_up. */
int32_t nuvrik_telling_share_of(NuvrikTelling *self, uint8_t item)
{
    const NUVRIK_FLASH NuvrikItemTable *about = &NUVRIK_TELLING_ITEMS(self->table)[item];
    if (!nuvrik_telling_is_fresh(self, item)) {
        return NUVRIK_NO_READING;
    }
    return nuvrik_share_from_code(self->codes[NUVRIK_ITEM_FIRST(about)], NUVRIK_ITEM_BITS(about));
}

/** A reading, NOTHING_THERE for none. What is commanded has none. */
void nuvrik_telling_take(NuvrikTelling *self, uint8_t item, int32_t raw)
{
    const NUVRIK_FLASH NuvrikItemTable *about = &NUVRIK_TELLING_ITEMS(self->table)[item];
    if (NUVRIK_ITEM_TELLS(about) >= NUVRIK_TELLS_STEPS) {
        return;
    }
    nuvrik_telling_catch_up(self);
    self->known[item] = true;
    self->read_ms[item] = 0;
    if (raw == NUVRIK_NOTHING_THERE) {
        self->codes[NUVRIK_ITEM_FIRST(about)] = 0xffffU;
    } else if ((NUVRIK_HAS_TELLS_COUNT && NUVRIK_ITEM_TELLS(about) == NUVRIK_TELLS_COUNT)) {
        self->codes[NUVRIK_ITEM_FIRST(about)] = (uint16_t)raw;
    } else if ((NUVRIK_HAS_TELLS_DIGITAL && NUVRIK_ITEM_TELLS(about) == NUVRIK_TELLS_DIGITAL)) {
        self->codes[NUVRIK_ITEM_FIRST(about)] = (uint16_t)(((raw != 0) == NUVRIK_ITEM_HIGH_ON(about)) ? 1
            : 0);
    } else {
        self->codes[NUVRIK_ITEM_FIRST(about)] = nuvrik_share_code((int16_t)nuvrik_scaled(about, raw),
            NUVRIK_ITEM_BITS(about));
    }
}

/** One of the three readings of a vector. */
void nuvrik_telling_take_axis(NuvrikTelling *self, uint8_t item, uint8_t axis, int32_t raw)
{
    nuvrik_telling_catch_up(self);
    const NUVRIK_FLASH NuvrikItemTable *about = &NUVRIK_TELLING_ITEMS(self->table)[item];
    self->known[item] = true;
    self->read_ms[item] = 0;
    int32_t low = (NUVRIK_ITEM_LOW(about) < NUVRIK_ITEM_HIGH(about)) ? NUVRIK_ITEM_LOW(about)
        : NUVRIK_ITEM_HIGH(about);
    int32_t high = (NUVRIK_ITEM_LOW(about) < NUVRIK_ITEM_HIGH(about)) ? NUVRIK_ITEM_HIGH(about)
        : NUVRIK_ITEM_LOW(about);
    int32_t kept = nuvrik_clamp(raw, low, high);
    uint16_t away = (uint16_t)nuvrik_abs32(kept - NUVRIK_ITEM_LOW(about));
    uint16_t whole_way = (uint16_t)(high - low);
    /* Sensors of 16 bits read over all of them, and twice that product would not fit in 31 bits. So the */
    /* half is divided, and then what was left over. */
    uint32_t area = (uint32_t)away * NUVRIK_FULL;
    int16_t once = (int16_t)((int32_t)area / whole_way);
    uint32_t done = (uint32_t)once * whole_way;
    uint16_t rest = (uint16_t)((int32_t)area - (int32_t)done);
    uint8_t more = (uint8_t)nuvrik_div((int32_t)2 * rest, whole_way);
    int32_t along = (uint16_t)((uint16_t)2 * (uint16_t)once) + more;
    self->codes[NUVRIK_ITEM_FIRST(about) + axis] = nuvrik_level_code((int16_t)(along - NUVRIK_FULL),
        NUVRIK_ITEM_BITS(about));
}

/** Choose the items that are due and known, as many as fit. False: there are none. */
bool nuvrik_telling_choose(NuvrikTelling *self, uint16_t room)
{
    bool any = false;
    for (uint8_t i = 0; i < NUVRIK_TELLING_ITEMS_COUNT(self->table); i++) {
        const NUVRIK_FLASH NuvrikItemTable *item = &NUVRIK_TELLING_ITEMS(self->table)[i];
        uint16_t size = (uint16_t)(((NUVRIK_HAS_TELLS_AXES
            && NUVRIK_ITEM_TELLS(item) == NUVRIK_TELLS_AXES)) ? (NUVRIK_AXES * NUVRIK_ITEM_BITS(item))
            : NUVRIK_ITEM_BITS(item));
        bool fresh = NUVRIK_ITEM_TELLS(item) >= NUVRIK_TELLS_STEPS || nuvrik_telling_is_fresh(self, i);
        self->chosen[i] = self->due_ms[i] <= 0 && fresh && size <= room;
        if (self->chosen[i]) {
            any = true;
            room = (uint16_t)((int32_t)room - size);
            /* Aim at whole intervals, but after a gap do not send everything at once. */
            int32_t half = NUVRIK_ITEM_EVERY_MS(item) / 2;
            int32_t next = (int32_t)self->due_ms[i] + NUVRIK_ITEM_EVERY_MS(item);
            self->due_ms[i] = (int16_t)((next < half) ? half : next);
        }
    }
    return any;
}

/** The telemetry that is due now goes into the sender. own: the number that the builder's own code gave
 *  for the stop that holds the machine, 0 for none. False: none is due.
 */
bool nuvrik_telling_due(NuvrikTelling *self, uint8_t state, uint8_t own, bool followed, uint8_t last_command,
    NuvrikOutputs *outputs, NuvrikSender *sender)
{
    if (NUVRIK_TELLING_ITEMS_COUNT(self->table) == 0) {
        return false;
    }
    nuvrik_telling_catch_up(self);
    uint8_t more = (uint8_t)((own == 0) ? 0 : 8);
    bool some = nuvrik_telling_choose(self, (uint16_t)((NUVRIK_TELLING_ROOM(self->table) > more)
        ? ((int32_t)NUVRIK_TELLING_ROOM(self->table) - more) : (int32_t)0));
    uint8_t said = (uint8_t)(nuvrik_outputs_hold_ends(outputs) ? (state + 16) : state);
    said = (uint8_t)(said + ((own != 0) ? 32 : 0));
    /* A change of state, a hold about to end, or another stop of the builder's own, is news by itself. */
    bool news = said != self->said || own != self->said_own;
    if (!some && !news && self->told_ms < NUVRIK_TELLING_TELL_MS(self->table)) {
        return false;
    }
    self->said = said;
    self->said_own = own;
    self->told_ms = 0;
    if (NUVRIK_TELLING_GUARD_MS(self->table) != 0) {
        nuvrik_telling_note(self, sender->seq);
    }
    nuvrik_sender_begin(sender, NUVRIK_KIND_TELEMETRY);
    nuvrik_sender_byte(sender, (uint8_t)(followed ? (said + 8) : said));
    nuvrik_sender_byte(sender, (uint8_t)(followed ? last_command : 0));
    if (own != 0) {
        nuvrik_sender_byte(sender, own);
    }
    for (uint8_t i = 0; i < NUVRIK_TELLING_ITEMS_COUNT(self->table); i++) {
        nuvrik_sender_bits(sender, (uint16_t)((self->chosen[i]) ? 1 : 0), 1);
    }
    sender->at = (uint16_t)((((int32_t)sender->at + 7) >> 3) << 3);
    for (uint8_t i = 0; i < NUVRIK_TELLING_ITEMS_COUNT(self->table); i++) {
        if (self->chosen[i]) {
            nuvrik_telling_say(self, i, outputs, sender);
        }
    }
    nuvrik_sender_seal(sender);
    return true;
}

/** The codes of one item. */
void nuvrik_telling_say(NuvrikTelling *self, uint8_t item, NuvrikOutputs *outputs, NuvrikSender *sender)
{
    const NUVRIK_FLASH NuvrikItemTable *about = &NUVRIK_TELLING_ITEMS(self->table)[item];
    if ((NUVRIK_HAS_TELLS_DEMAND && NUVRIK_ITEM_TELLS(about) == NUVRIK_TELLS_DEMAND)) {
        nuvrik_sender_bits(sender, nuvrik_level_code(nuvrik_outputs_told(outputs, NUVRIK_ITEM_OF(about))->at,
            NUVRIK_ITEM_BITS(about)), NUVRIK_ITEM_BITS(about));
    } else if ((NUVRIK_HAS_TELLS_STEPS && NUVRIK_ITEM_TELLS(about) == NUVRIK_TELLS_STEPS)) {
        nuvrik_sender_bits(sender, (uint16_t)nuvrik_steps_of(outputs, NUVRIK_ITEM_OF(about)),
            NUVRIK_ITEM_BITS(about));
    } else if ((NUVRIK_HAS_TELLS_AXES && NUVRIK_ITEM_TELLS(about) == NUVRIK_TELLS_AXES)) {
        for (uint8_t i = 0; i < NUVRIK_AXES; i++) {
            nuvrik_sender_bits(sender, self->codes[NUVRIK_ITEM_FIRST(about) + i], NUVRIK_ITEM_BITS(about));
        }
    } else {
        nuvrik_sender_bits(sender, self->codes[NUVRIK_ITEM_FIRST(about)], NUVRIK_ITEM_BITS(about));
    }
}

/** Where a note stands, the oldest first. */
uint8_t nuvrik_telling_place(const NuvrikTelling *self, uint8_t note)
{
    uint8_t at = (uint8_t)(self->first + note);
    return (uint8_t)((at >= NUVRIK_MOST_NOTES) ? (at - NUVRIK_MOST_NOTES) : at);
}

/** Telemetry with that number goes out now. */
void nuvrik_telling_note(NuvrikTelling *self, uint8_t seq)
{
    uint8_t steps = (uint8_t)(seq - self->last_seq);
    if (self->sent == 0) {
        steps = 1;
    }
    self->sent = nuvrik_later(self->sent, steps);
    self->last_seq = seq;
    uint8_t newest = (uint8_t)((self->noted > 0) ? nuvrik_telling_place(self, (uint8_t)(self->noted - 1))
        : 0);
    for (uint8_t i = 0; i < self->noted; i++) {
        uint8_t at = nuvrik_telling_place(self, i);
        self->counts[at] = nuvrik_later(self->counts[at], steps);
    }
    if (self->noted == 0 || self->ages_ms[newest] >= NUVRIK_TELLING_PIECE_MS(self->table)) {
        if (self->noted == NUVRIK_MOST_NOTES) {
            self->first = nuvrik_telling_place(self, 1);
            self->noted--;
        }
        self->noted++;
        newest = nuvrik_telling_place(self, (uint8_t)(self->noted - 1));
        self->counts[newest] = 0;
        self->ages_ms[newest] = 0;
    }
}

/** Whether telemetry of that number was sent no longer ago than the guard allows. */
bool nuvrik_telling_recent(NuvrikTelling *self, uint8_t seq)
{
    nuvrik_telling_catch_up(self);
    uint8_t back = (uint8_t)(self->last_seq - seq);
    for (uint8_t i = 0; i < self->noted; i++) {
        uint8_t at = nuvrik_telling_place(self, (uint8_t)((self->noted - 1) - i));
        if (self->counts[at] >= back) {
            return self->sent > back && self->ages_ms[at] <= NUVRIK_TELLING_GUARD_MS(self->table);
        }
    }
    return false;
}

/** The steps that a stepper has turned. */
uint32_t nuvrik_steps_of(NuvrikOutputs *outputs, uint8_t stepper)
{
    NuvrikStepper *one = &outputs->steppers[stepper];
    return nuvrik_stepper_rounded(one);
}

/* ---- inputs ---- */

void nuvrik_inputs_init(NuvrikInputs *self, const NUVRIK_FLASH NuvrikInputsTable *table)
{
    self->table = table;
}

/** Before each turn: what they say now, dt_ms after the last one. */
void nuvrik_inputs_look(NuvrikInputs *self, NuvrikTelling *telling, NuvrikMachine *machine, uint16_t dt_ms)
{
    if (!NUVRIK_INPUTS_USED(self->table)) {
        return;
    }
    nuvrik_telling_catch_up(telling);
    if (NUVRIK_INPUTS_BATTERY(self->table) != NUVRIK_NOBODY) {
        nuvrik_inputs_look_at_battery(self, telling, dt_ms);
    }
    int16_t most = (self->too_low) ? NUVRIK_INPUTS_BATTERY_TO(self->table) : (int16_t)NUVRIK_FULL;
    for (uint8_t i = 0; i < NUVRIK_OUTPUTS_LIMITS_COUNT(machine->outputs.table); i++) {
        const NUVRIK_FLASH NuvrikLimitsTable *one = &NUVRIK_OUTPUTS_LIMITS(machine->outputs.table)[i];
        int16_t factor = most;
        if (NUVRIK_LIMITS_DIAL(one) != NUVRIK_NOBODY) {
            factor = (int16_t)nuvrik_mul(most, nuvrik_dialled(telling, NUVRIK_LIMITS_DIAL(one)));
        }
        uint8_t at_end = 0;
        if (NUVRIK_LIMITS_END_FORWARD(one) != NUVRIK_NOBODY && nuvrik_on_or_unread(telling,
            NUVRIK_LIMITS_END_FORWARD(one))) {
            at_end = (uint8_t)(at_end + NUVRIK_AT_FORWARD_END);
            if (nuvrik_unreadable(telling, NUVRIK_LIMITS_END_FORWARD(one))) {
                at_end = (uint8_t)(at_end + NUVRIK_FORWARD_UNREAD);
            }
        }
        if (NUVRIK_LIMITS_END_BACKWARD(one) != NUVRIK_NOBODY && nuvrik_on_or_unread(telling,
            NUVRIK_LIMITS_END_BACKWARD(one))) {
            at_end = (uint8_t)(at_end + NUVRIK_AT_BACKWARD_END);
            if (nuvrik_unreadable(telling, NUVRIK_LIMITS_END_BACKWARD(one))) {
                at_end = (uint8_t)(at_end + NUVRIK_BACKWARD_UNREAD);
            }
        }
        nuvrik_outputs_limit(&machine->outputs, i, factor, at_end);
    }
    if (NUVRIK_INPUTS_STOP(self->table) != NUVRIK_NOBODY && nuvrik_on_or_unread(telling,
        NUVRIK_INPUTS_STOP(self->table))) {
        nuvrik_machine_press_stop(machine, NUVRIK_WHY_STOP_SWITCH, NUVRIK_INPUTS_STOP(self->table));
    } else if (self->too_low && NUVRIK_INPUTS_BATTERY_TO(self->table) == 0) {
        nuvrik_machine_press_stop(machine, NUVRIK_WHY_LOW_BATTERY, NUVRIK_INPUTS_BATTERY(self->table));
    }
}

/** Whether it is too low. What cannot be read says nothing. */
void nuvrik_inputs_look_at_battery(NuvrikInputs *self, NuvrikTelling *telling, uint16_t dt_ms)
{
    int32_t at = nuvrik_telling_share_of(telling, NUVRIK_INPUTS_BATTERY(self->table));
    bool changes = at < NUVRIK_INPUTS_BATTERY_LOW(self->table);
    if (self->too_low) {
        changes = at >= NUVRIK_INPUTS_BATTERY_HIGH(self->table);
    }
    if (at == NUVRIK_NO_READING || !changes) {
        self->changing_ms = 0;
        return;
    }
    self->changing_ms = nuvrik_later(self->changing_ms, dt_ms);
    if (self->changing_ms >= NUVRIK_INPUTS_BATTERY_MS(self->table)) {
        self->too_low = !self->too_low;
        self->changing_ms = 0;
    }
}

/** Whether nobody knows if a switch is on: it has no fresh reading, or one of nothing there. */
bool nuvrik_unreadable(NuvrikTelling *telling, uint8_t item)
{
    return !nuvrik_telling_is_fresh(telling, item)
        || telling->codes[NUVRIK_ITEM_FIRST(&NUVRIK_TELLING_ITEMS(telling->table)[item])] > 1;
}

/** Whether a switch is on, or has no fresh reading. */
bool nuvrik_on_or_unread(NuvrikTelling *telling, uint8_t item)
{
    const NUVRIK_FLASH NuvrikItemTable *about = &NUVRIK_TELLING_ITEMS(telling->table)[item];
    return !nuvrik_telling_is_fresh(telling, item) || telling->codes[NUVRIK_ITEM_FIRST(about)] != 0;
}

/** How far a dial is turned, 0 where nobody knows. */
int16_t nuvrik_dialled(NuvrikTelling *telling, uint8_t item)
{
    int32_t at = nuvrik_telling_share_of(telling, item);
    return (int16_t)((at == NUVRIK_NO_READING) ? (int32_t)0 : at);
}

/* ---- incoming ---- */

void nuvrik_incoming_init(NuvrikIncoming *self, const NUVRIK_FLASH NuvrikIncomingTable *table)
{
    self->table = table;
    nuvrik_text_reader_init(&self->text, NUVRIK_INCOMING_TEXT(table));
}

/** One byte of a stream. */
uint8_t nuvrik_incoming_take(NuvrikIncoming *self, uint8_t byte, NuvrikSealed *sealed)
{
    if ((NUVRIK_HAS_IN_COBS && NUVRIK_INCOMING_WAY_IN(self->table) == NUVRIK_IN_COBS)) {
        return nuvrik_cobs_reader_take(&self->cobs, byte, sealed);
    }
    if ((NUVRIK_HAS_IN_SLIP && NUVRIK_INCOMING_WAY_IN(self->table) == NUVRIK_IN_SLIP)) {
        return nuvrik_slip_reader_take(&self->slip, byte, sealed);
    }
    if ((NUVRIK_HAS_IN_LINES && NUVRIK_INCOMING_WAY_IN(self->table) == NUVRIK_IN_LINES)) {
        return nuvrik_text_reader_take(&self->text, byte);
    }
    return NUVRIK_NO_EVENT;
}

/** A packet begins. */
void nuvrik_incoming_begin_packet(NuvrikIncoming *self, NuvrikSealed *sealed)
{
    nuvrik_sealed_begin(sealed);
    nuvrik_text_reader_begin(&self->text);
}

/** One byte of a packet. */
void nuvrik_incoming_packet_byte(NuvrikIncoming *self, uint8_t byte, NuvrikSealed *sealed)
{
    if (NUVRIK_INCOMING_LINES(self->table)) {
        nuvrik_text_reader_keep(&self->text, byte);
    } else {
        nuvrik_sealed_put(sealed, byte);
    }
}

/** It has ended. An empty one is nothing. */
uint8_t nuvrik_incoming_end_packet(NuvrikIncoming *self, NuvrikSealed *sealed)
{
    uint16_t length = (NUVRIK_INCOMING_LINES(self->table)) ? self->text.length : sealed->length;
    if (length == 0) {
        return NUVRIK_NO_EVENT;
    }
    if (length > NUVRIK_LONGEST) {
        return NUVRIK_TOO_LONG;
    }
    if (NUVRIK_INCOMING_LINES(self->table)) {
        nuvrik_text_reader_without_ending(&self->text);
    }
    return NUVRIK_ACCEPTED;
}

/* ---- machine_end ---- */

void nuvrik_machine_end_init(NuvrikMachineEnd *self, const NUVRIK_FLASH NuvrikEndTable *table)
{
    memset(self, 0, sizeof *self);
    self->table = table;
    nuvrik_machine_init(&self->machine, NUVRIK_END_MACHINE(table));
    nuvrik_sealed_init(&self->sealed, NUVRIK_END_SEALED(table));
    nuvrik_incoming_init(&self->incoming, NUVRIK_END_INCOMING(table));
    nuvrik_keys_init(&self->keys, NUVRIK_END_KEYS(table));
    nuvrik_train_reader_init(&self->train, NUVRIK_END_TRAIN(table));
    nuvrik_telling_init(&self->telling, NUVRIK_END_TELLING(table));
    nuvrik_inputs_init(&self->inputs, NUVRIK_END_INPUTS(table));
    nuvrik_sender_init(&self->sender, NUVRIK_END_SENDER(table));
    for (uint8_t i = 0; i < NUVRIK_END_PINS_COUNT(table); i++) {
        nuvrik_pins_init(&self->pins[i], &NUVRIK_END_PINS(table)[i]);
    }
}

/** At power-up, with a number that differs from boot to boot, and why it has started, 0 where nobody
 *  knows.
 */
void nuvrik_machine_end_begin(NuvrikMachineEnd *self, uint16_t boot_low, uint16_t boot_high, uint8_t start)
{
    self->start = start;
    nuvrik_machine_begin(&self->machine, boot_low, boot_high);
}

/** Let it be now_ms. Comes first in every turn of the loop, and before anything that has arrived. */
void nuvrik_machine_end_pass_time(NuvrikMachineEnd *self, uint16_t now_ms)
{
    uint16_t dt_ms = nuvrik_machine_elapsed(&self->machine, now_ms);
    if (dt_ms != 0) {
        nuvrik_machine_end_count_up(self, dt_ms);
    }
    uint8_t becomes = nuvrik_machine_pass_time(&self->machine, now_ms);
    if (becomes == NUVRIK_FORGET) {
        nuvrik_machine_end_forget(self);
    } else if (becomes == NUVRIK_WEAR) {
        nuvrik_sealed_wear(&self->sealed);
    }
}

/** So much time has gone by. */
void nuvrik_machine_end_count_up(NuvrikMachineEnd *self, uint16_t dt_ms)
{
    nuvrik_telling_pass_time(&self->telling, dt_ms);
    uint16_t seconds = (uint16_t)(dt_ms / 1000);
    self->up_s = (uint32_t)((int32_t)self->up_s + seconds);
    self->up_part = (uint16_t)(self->up_part + ((int32_t)dt_ms - (seconds * 1000)));
    if (self->up_part >= 1000) {
        self->up_part = (uint16_t)((int32_t)self->up_part - 1000);
        self->up_s++;
    }
}

/** Count the link as silent from now_ms on, for a loop that was held up for too long to tell. */
void nuvrik_machine_end_expire(NuvrikMachineEnd *self, uint16_t now_ms)
{
    nuvrik_machine_end_count_up(self, NUVRIK_TIMER_MAX);
    nuvrik_machine_expire(&self->machine, now_ms);
    nuvrik_machine_end_forget(self);
}

/** Whatever was heard before counts no more. */
void nuvrik_machine_end_forget(NuvrikMachineEnd *self)
{
    nuvrik_sealed_forget(&self->sealed);
    nuvrik_keys_forget(&self->keys);
}

/** What has queued up while nobody read it was sent to somebody who was not listening: from here on only
 *  stops count, until it ends. For after a gap of timeout_ms or more in the loop.
 */
void nuvrik_machine_end_skip(NuvrikMachineEnd *self, bool begins)
{
    self->skips = begins;
    if (!begins) {
        nuvrik_machine_end_forget(self);
    }
}

/** One byte of a stream. */
uint8_t nuvrik_machine_end_take(NuvrikMachineEnd *self, uint8_t byte)
{
    if (NUVRIK_INCOMING_WAY_IN(NUVRIK_END_INCOMING(self->table)) >= NUVRIK_IN_KEYS) {
        return nuvrik_machine_end_count(self, nuvrik_machine_end_press(self, byte));
    }
    return nuvrik_machine_end_piece(self, nuvrik_incoming_take(&self->incoming, byte, &self->sealed));
}

/** A body or a line, if one has ended. */
uint8_t nuvrik_machine_end_piece(NuvrikMachineEnd *self, uint8_t event)
{
    if (event == NUVRIK_ACCEPTED) {
        event = (NUVRIK_INCOMING_LINES(NUVRIK_END_INCOMING(self->table)))
            ? nuvrik_machine_end_judge_line(self) : nuvrik_machine_end_judge(self);
    }
    return (event != NUVRIK_NO_EVENT) ? nuvrik_machine_end_count(self, event) : event;
}

/** The time from the start of one pulse to that of the next, in a train. */
uint8_t nuvrik_machine_end_slot(NuvrikMachineEnd *self, uint16_t slot_us)
{
    uint8_t event = nuvrik_train_reader_take(&self->train, slot_us, self->values);
    if (event == NUVRIK_ACCEPTED) {
        event = nuvrik_machine_end_plain(self, false);
    }
    return (event != NUVRIK_NO_EVENT) ? nuvrik_machine_end_count(self, event) : event;
}

/** A packet begins. */
void nuvrik_machine_end_begin_packet(NuvrikMachineEnd *self)
{
    nuvrik_incoming_begin_packet(&self->incoming, &self->sealed);
}

/** One byte of a packet. */
void nuvrik_machine_end_packet_byte(NuvrikMachineEnd *self, uint8_t byte)
{
    nuvrik_incoming_packet_byte(&self->incoming, byte, &self->sealed);
}

/** It has ended. */
uint8_t nuvrik_machine_end_end_packet(NuvrikMachineEnd *self)
{
    return nuvrik_machine_end_piece(self, nuvrik_incoming_end_packet(&self->incoming, &self->sealed));
}

/** Count what became of a frame. */
uint8_t nuvrik_machine_end_count(NuvrikMachineEnd *self, uint8_t event)
{
    if (event == NUVRIK_ACCEPTED) {
        if ((int32_t)self->accepted < NUVRIK_HELLO_MOST) {
            self->accepted++;
        }
        return event;
    }
    self->refused = nuvrik_later(self->refused, 1);
    return (uint8_t)((self->skips) ? (uint8_t)NUVRIK_QUEUED_UP : event);
}

/** A line has ended: what it is, and what it does. */
uint8_t nuvrik_machine_end_judge_line(NuvrikMachineEnd *self)
{
    if (nuvrik_text_reader_is_hex(&self->incoming.text)) {
        uint8_t event = nuvrik_text_reader_unhex(&self->incoming.text, &self->sealed);
        return (event == NUVRIK_ACCEPTED) ? nuvrik_machine_end_judge(self) : event;
    }
    uint8_t sound = nuvrik_text_reader_read(&self->incoming.text, self->values);
    return (sound == NUVRIK_ACCEPTED) ? nuvrik_machine_end_plain(self, self->incoming.text.stop) : sound;
}

/** A command, whose values are in values, or a stop, that carries no number. */
uint8_t nuvrik_machine_end_plain(NuvrikMachineEnd *self, bool stop)
{
    if (self->skips && !stop) {
        return NUVRIK_QUEUED_UP;
    }
    nuvrik_machine_hear(&self->machine);
    if (stop) {
        nuvrik_machine_end_stop(self);
    } else {
        nuvrik_machine_command(&self->machine, self->values);
    }
    return NUVRIK_ACCEPTED;
}

/** A key. */
uint8_t nuvrik_machine_end_press(NuvrikMachineEnd *self, uint8_t code)
{
    if (!nuvrik_keys_known(&self->keys, code)) {
        return NUVRIK_BAD_FIELD;
    }
    if (nuvrik_keys_stops(&self->keys, code)) {
        nuvrik_keys_forget(&self->keys);
        return nuvrik_machine_end_plain(self, true);
    }
    nuvrik_keys_press(&self->keys, code, self->values);
    uint8_t event = nuvrik_machine_end_plain(self, false);
    if (event == NUVRIK_ACCEPTED) {
        nuvrik_keys_told(&self->keys, self->machine.watch.state == NUVRIK_ARMED);
    }
    return event;
}

/** A body has ended: what it is, and what it does. */
uint8_t nuvrik_machine_end_judge(NuvrikMachineEnd *self)
{
    uint8_t event = nuvrik_sealed_look(&self->sealed);
    if (event != NUVRIK_ACCEPTED) {
        return event;
    }
    uint8_t kind = self->sealed.kind;
    event = nuvrik_machine_end_understand(self, kind);
    if (event != NUVRIK_ACCEPTED) {
        return event;
    }
    if ((NUVRIK_HAS_KIND_HELLO && kind == NUVRIK_KIND_HELLO) && nuvrik_sealed_two(&self->sealed, 1) == 0) {
        /* Anybody may ask who is there, numbering for themselves: that must not make the handset look old. */
        if (self->skips) {
            return NUVRIK_QUEUED_UP;
        }
        nuvrik_machine_end_obey(self, kind);
        return NUVRIK_ACCEPTED;
    }
    event = nuvrik_sealed_newness(&self->sealed);
    if (event != NUVRIK_ACCEPTED) {
        if (kind != NUVRIK_KIND_STOP) {
            return event;
        }
    } else if (kind == NUVRIK_KIND_COMMAND && NUVRIK_END_GUARDED(self->table)
        && !nuvrik_telling_recent(&self->telling, self->sealed.body[NUVRIK_HEAD])) {
        /* Lateness last, and before the number moves: a late frame leaves room for the one behind it. */
        return NUVRIK_LATE;
    } else {
        nuvrik_sealed_move(&self->sealed);
    }
    if (self->skips && kind != NUVRIK_KIND_STOP) {
        return NUVRIK_QUEUED_UP;
    }
    nuvrik_machine_end_obey(self, kind);
    return NUVRIK_ACCEPTED;
}

/** Whether the payload is one that can be. A command's values are in values afterwards. */
uint8_t nuvrik_machine_end_understand(NuvrikMachineEnd *self, uint8_t kind)
{
    uint8_t first = self->sealed.body[NUVRIK_HEAD];
    uint16_t size = self->sealed.payload;
    if (kind == NUVRIK_KIND_COMMAND) {
        return nuvrik_machine_end_unpack(self);
    }
    if (kind == NUVRIK_KIND_STOP) {
        return (uint8_t)((size == 0) ? NUVRIK_ACCEPTED : NUVRIK_BAD_FIELD);
    }
    if ((NUVRIK_HAS_KIND_REQUEST && kind == NUVRIK_KIND_REQUEST)) {
        if (size == 0) {
            return NUVRIK_BAD_FIELD;
        }
        bool jogs = first == NUVRIK_JOG_CODE;
        bool fits = jogs && nuvrik_jog_fits(&self->sealed, &self->machine.outputs);
        fits = fits || (!jogs && nuvrik_request_fits(&self->sealed,
            NUVRIK_MACHINE_DESK(NUVRIK_END_MACHINE(self->table))));
        return (uint8_t)(fits ? NUVRIK_ACCEPTED : NUVRIK_BAD_FIELD);
    }
    /* The first byte of a hello or an echo says which way it goes: 0 asks, 1 answers. */
    if (size > 0 && first == 1) {
        return NUVRIK_WRONG_KIND;
    }
    if (size == 0 || first != 0) {
        return NUVRIK_BAD_FIELD;
    }
    if ((NUVRIK_HAS_KIND_HELLO && kind == NUVRIK_KIND_HELLO)) {
        bool asks = size == 4 && self->sealed.body[NUVRIK_HEAD + 3] <= NUVRIK_HOW;
        return (uint8_t)(asks ? NUVRIK_ACCEPTED : NUVRIK_BAD_FIELD);
    }
    return (uint8_t)((size >= 2 && size <= (uint16_t)(NUVRIK_MOST_TOKEN + 1)) ? NUVRIK_ACCEPTED
        : NUVRIK_BAD_FIELD);
}

/** A command's payload to values. */
uint8_t nuvrik_machine_end_unpack(NuvrikMachineEnd *self)
{
    uint16_t at = (uint16_t)(8 * NUVRIK_HEAD);
    if (NUVRIK_END_GUARDED(self->table)) {
        at = (uint16_t)((int32_t)at + 8);
    }
    uint16_t bits = at;
    for (uint8_t channel_at = 0; channel_at < NUVRIK_END_CHANNELS_COUNT(self->table); channel_at++) {
        const NUVRIK_FLASH NuvrikChannelTable *channel = &NUVRIK_END_CHANNELS(self->table)[channel_at];
        bits = (uint16_t)((int32_t)bits + NUVRIK_CHANNEL_BITS(channel));
    }
    uint16_t size = (uint16_t)(((int32_t)bits + 7) >> 3);
    if (((int32_t)self->sealed.payload + NUVRIK_HEAD) != size) {
        return NUVRIK_BAD_FIELD;
    }
    for (uint8_t i = 0; i < NUVRIK_END_CHANNELS_COUNT(self->table); i++) {
        const NUVRIK_FLASH NuvrikChannelTable *one = &NUVRIK_END_CHANNELS(self->table)[i];
        uint16_t code = nuvrik_got(self->sealed.body, at, NUVRIK_CHANNEL_BITS(one));
        if (NUVRIK_CHANNEL_KIND(one) == NUVRIK_IS_CHOICE && code > NUVRIK_CHANNEL_MOST(one)
            && code != nuvrik_mask_of(NUVRIK_CHANNEL_BITS(one))) {
            return NUVRIK_BAD_FIELD;
        }
        self->values[i] = nuvrik_value_from_code(one, code);
        at = (uint16_t)((int32_t)at + NUVRIK_CHANNEL_BITS(one));
    }
    return (uint8_t)(nuvrik_ends_in_zeros(self->sealed.body, at, size) ? NUVRIK_ACCEPTED : NUVRIK_BAD_FIELD);
}

/** Do what an accepted frame says. */
void nuvrik_machine_end_obey(NuvrikMachineEnd *self, uint8_t kind)
{
    nuvrik_machine_hear(&self->machine);
    if (kind == NUVRIK_KIND_COMMAND) {
        nuvrik_machine_numbered(&self->machine, self->sealed.seq);
        nuvrik_machine_command(&self->machine, self->values);
    } else if (kind == NUVRIK_KIND_STOP) {
        nuvrik_machine_end_stop(self);
    } else if ((NUVRIK_HAS_KIND_HELLO && kind == NUVRIK_KIND_HELLO)) {
        nuvrik_machine_hello(&self->machine, nuvrik_sealed_two(&self->sealed, 1),
            self->sealed.body[NUVRIK_HEAD + 3]);
    } else if ((NUVRIK_HAS_KIND_ECHO && kind == NUVRIK_KIND_ECHO)) {
        uint8_t length = (uint8_t)((int32_t)self->sealed.payload - 1);
        nuvrik_desk_echo(&self->machine.desk, length);
        for (uint8_t i = 0; i < length; i++) {
            self->machine.desk.token[i] = self->sealed.body[(NUVRIK_HEAD + 1) + i];
        }
    } else if ((NUVRIK_HAS_KIND_REQUEST && kind == NUVRIK_KIND_REQUEST)
        && self->sealed.body[NUVRIK_HEAD] == NUVRIK_JOG_CODE) {
        uint16_t time = self->sealed.body[NUVRIK_HEAD + 3];
        int16_t to = (int16_t)nuvrik_div(nuvrik_jog_step(&self->sealed) * NUVRIK_FULL, NUVRIK_JOG_STEPS);
        nuvrik_machine_jog(&self->machine, self->sealed.body[NUVRIK_HEAD + 1], to,
            (uint16_t)((int16_t)time * NUVRIK_JOG_UNIT_MS));
    } else if ((NUVRIK_HAS_KIND_REQUEST && kind == NUVRIK_KIND_REQUEST)
        && NUVRIK_DESK_REQUESTS_COUNT(NUVRIK_MACHINE_DESK(NUVRIK_END_MACHINE(self->table))) > 0) {
        nuvrik_machine_end_ask(self, self->sealed.body[NUVRIK_HEAD]);
    }
}

/** A request that fits. */
void nuvrik_machine_end_ask(NuvrikMachineEnd *self, uint8_t code)
{
    uint16_t at = (uint16_t)(8 * (NUVRIK_HEAD + NUVRIK_ASK_BYTES));
    const NUVRIK_FLASH NuvrikRequestTable *request
        = &NUVRIK_DESK_REQUESTS(NUVRIK_MACHINE_DESK(NUVRIK_END_MACHINE(self->table)))[code];
    for (uint8_t i = 0; i < NUVRIK_REQUEST_ARGUMENTS_COUNT(request); i++) {
        const NUVRIK_FLASH NuvrikArgumentTable *about = &NUVRIK_REQUEST_ARGUMENTS(request)[i];
        nuvrik_machine_argument(&self->machine, i, nuvrik_argument_given(&self->sealed, about, at));
        at = (uint16_t)((int32_t)at + NUVRIK_ARGUMENT_BITS(about));
    }
    if (nuvrik_machine_ask(&self->machine, code, nuvrik_sealed_two(&self->sealed, 1),
        nuvrik_sealed_two(&self->sealed, 3), nuvrik_sealed_two(&self->sealed, 5),
        nuvrik_sealed_two(&self->sealed, 7))) {
        self->calls = true;
    }
}

/** One turn of the loop. */
void nuvrik_machine_end_turn(NuvrikMachineEnd *self)
{
    uint16_t dt_ms = self->machine.since_ms;
    nuvrik_machine_end_look(self);
    nuvrik_machine_turn(&self->machine);
    nuvrik_again_turn(&self->again, dt_ms, self->machine.watch.state == NUVRIK_ARMED);
    self->told = true;
}

/** See what the machine's own inputs say. */
void nuvrik_machine_end_look(NuvrikMachineEnd *self)
{
    nuvrik_inputs_look(&self->inputs, &self->telling, &self->machine, self->machine.since_ms);
}

/** Say in writes what is to be written to the pins of an output. */
void nuvrik_machine_end_follow(NuvrikMachineEnd *self, uint8_t output)
{
    NuvrikDemand *told = nuvrik_outputs_told(&self->machine.outputs, output);
    nuvrik_pins_follow(&self->pins[output], told->value, told->way, told->braked, &self->writes);
    if (self->again.now) {
        nuvrik_pins_repeat(&self->pins[output], &self->writes);
    }
}

/** Every output has been followed. */
void nuvrik_machine_end_written(NuvrikMachineEnd *self)
{
    self->told = false;
    nuvrik_again_done(&self->again);
}

/** Stop, as a stop frame does. */
void nuvrik_machine_end_stop(NuvrikMachineEnd *self)
{
    nuvrik_machine_stop(&self->machine);
    nuvrik_again_stop(&self->again);
    self->told = true;
}

/** Every output to rest at once, without a ramp: for a board that has to leave. */
void nuvrik_machine_end_halt(NuvrikMachineEnd *self)
{
    nuvrik_outputs_halt(&self->machine.outputs);
    nuvrik_again_stop(&self->again);
    self->told = true;
}

/** Stop, as a stop frame does, and say why with a number from 1 to 15. */
void nuvrik_machine_end_own_stop(NuvrikMachineEnd *self, uint8_t number)
{
    nuvrik_machine_own_stop(&self->machine, number);
    self->noted = (uint8_t)((self->noted & NUVRIK_NOTES_LATE) + (number & 15));
    nuvrik_again_stop(&self->again);
    self->told = true;
}

/** Leave an output that turns no more than so much of full scale. False: it does not turn. */
bool nuvrik_machine_end_cap(NuvrikMachineEnd *self, uint8_t output, int16_t most)
{
    return nuvrik_machine_cap(&self->machine, output, most);
}

/** The board has found out that its clock has lost more time than the link file allows for. */
void nuvrik_machine_end_lost_time(NuvrikMachineEnd *self)
{
    self->noted = (uint8_t)((self->noted & 15) + NUVRIK_NOTES_LATE);
}

/** Put the frame that is due now, if one is, into the sender. Answers first: somebody waits for them, and
 *  telemetry loses nothing by coming a little later.
 */
bool nuvrik_machine_end_send(NuvrikMachineEnd *self)
{
    if (NUVRIK_DESK_ANSWERS(NUVRIK_MACHINE_DESK(NUVRIK_END_MACHINE(self->table)))
        && nuvrik_machine_end_answers(self)) {
        return true;
    }
    return nuvrik_telling_due(&self->telling, self->machine.watch.state,
        nuvrik_machine_own_number(&self->machine), self->machine.followed, self->machine.last_command,
        &self->machine.outputs, &self->sender);
}

/** One of the answers that wait. False: none does. */
bool nuvrik_machine_end_answers(NuvrikMachineEnd *self)
{
    NuvrikDesk *desk = &self->machine.desk;
    if (desk->waiting > 0) {
        nuvrik_say(desk, desk->first, &self->sender);
        nuvrik_desk_drop(desk);
    } else if (desk->who_waits) {
        desk->who_waits = false;
        nuvrik_machine_end_say_who(self);
    } else if (desk->how_waits) {
        desk->how_waits = false;
        nuvrik_machine_end_say_how(self);
    } else {
        return false;
    }
    nuvrik_sender_seal(&self->sender);
    return true;
}

/** Who this machine is: what it was built from. */
void nuvrik_machine_end_say_who(NuvrikMachineEnd *self)
{
    nuvrik_sender_begin(&self->sender, NUVRIK_KIND_HELLO);
    nuvrik_sender_byte(&self->sender, 1);
    nuvrik_sender_byte(&self->sender, NUVRIK_WHO);
    nuvrik_sender_word(&self->sender, NUVRIK_SEALED_TAG(NUVRIK_END_SEALED(self->table)));
    for (uint8_t tag_at = 0; tag_at < NUVRIK_END_BUILD_COUNT(self->table); tag_at++) {
        uint16_t tag = NUVRIK_U16(NUVRIK_END_BUILD(self->table)[tag_at]);
        nuvrik_sender_word(&self->sender, tag);
    }
    nuvrik_sender_word(&self->sender, self->machine.desk.boot_low);
    nuvrik_sender_word(&self->sender, self->machine.desk.boot_high);
    for (uint8_t part_at = 0; part_at < NUVRIK_END_VERSION_COUNT(self->table); part_at++) {
        uint8_t part = NUVRIK_U8(NUVRIK_END_VERSION(self->table)[part_at]);
        nuvrik_sender_byte(&self->sender, part);
    }
    nuvrik_sender_byte(&self->sender, self->start);
    for (uint8_t i = 0; i < NUVRIK_END_NAME_FIRST(self->table); i++) {
        nuvrik_sender_byte(&self->sender, NUVRIK_U8(NUVRIK_END_NAME(self->table)[i]));
    }
}

/** How it has fared. */
void nuvrik_machine_end_say_how(NuvrikMachineEnd *self)
{
    nuvrik_sender_begin(&self->sender, NUVRIK_KIND_HELLO);
    nuvrik_sender_byte(&self->sender, 1);
    nuvrik_sender_byte(&self->sender, NUVRIK_HOW);
    nuvrik_sender_word(&self->sender, (uint16_t)self->up_s);
    nuvrik_sender_word(&self->sender, (uint16_t)((int32_t)self->up_s >> 16));
    nuvrik_sender_word(&self->sender, (uint16_t)self->accepted);
    nuvrik_sender_word(&self->sender, (uint16_t)((int32_t)self->accepted >> 16));
    nuvrik_sender_word(&self->sender, self->refused);
    nuvrik_sender_byte(&self->sender, self->noted);
    for (uint8_t i = 0; i < NUVRIK_END_NAME_COUNT(self->table); i++) {
        if (i >= NUVRIK_END_NAME_FIRST(self->table)) {
            nuvrik_sender_byte(&self->sender, NUVRIK_U8(NUVRIK_END_NAME(self->table)[i]));
        }
    }
}

/* ---- controls ---- */

/** The level before any curve: 0 at rest, each half scaled to its own end. */
int16_t nuvrik_straight(const NUVRIK_FLASH NuvrikMovedTable *table, int32_t raw)
{
    int32_t away = raw - NUVRIK_MOVED_REST(table);
    if (away == 0) {
        return 0;
    }
    int32_t upper = NUVRIK_MOVED_HIGH(table) - NUVRIK_MOVED_REST(table);
    int32_t scaled = away * NUVRIK_FULL;
    if (upper != 0 && (away > 0) == (NUVRIK_MOVED_HIGH(table) > NUVRIK_MOVED_LOW(table))) {
        return (int16_t)nuvrik_div(scaled, upper);
    }
    int16_t down = (int16_t)nuvrik_div(scaled, NUVRIK_MOVED_LOW(table) - NUVRIK_MOVED_REST(table));
    return (int16_t)(-down);
}

/** 0 within zone of rest; beyond it what is left of the travel, stretched, so that nothing jumps. */
int16_t nuvrik_without_dead_zone(int16_t at, int16_t zone)
{
    int16_t size = nuvrik_abs16(at);
    if (size <= zone) {
        return 0;
    }
    int32_t left = (int32_t)(size - zone) * NUVRIK_FULL;
    int16_t stretched = (int16_t)nuvrik_div(left, NUVRIK_FULL - zone);
    return (int16_t)((at > 0) ? stretched : (-stretched));
}

/** (1 - expo) * x + expo * x**3. */
int16_t nuvrik_with_expo(int16_t at, int16_t expo)
{
    int16_t square = (int16_t)nuvrik_mul(at, at);
    int16_t cube = (int16_t)nuvrik_mul(square, at);
    int16_t line = (int16_t)nuvrik_mul(NUVRIK_FULL - expo, at);
    int16_t bend = (int16_t)nuvrik_mul(expo, cube);
    return (int16_t)((int32_t)line + bend);
}

/** The level of a reading; readings beyond the range count as its ends. */
int16_t nuvrik_bent_level(const NUVRIK_FLASH NuvrikMovedTable *table, int32_t raw)
{
    int32_t bottom = (NUVRIK_MOVED_LOW(table) < NUVRIK_MOVED_HIGH(table)) ? NUVRIK_MOVED_LOW(table)
        : NUVRIK_MOVED_HIGH(table);
    int32_t top = (NUVRIK_MOVED_LOW(table) < NUVRIK_MOVED_HIGH(table)) ? NUVRIK_MOVED_HIGH(table)
        : NUVRIK_MOVED_LOW(table);
    int16_t at = nuvrik_without_dead_zone(nuvrik_straight(table, nuvrik_clamp(raw, bottom, top)),
        NUVRIK_MOVED_DEAD_ZONE(table));
    int32_t bent = (NUVRIK_CURVE_POINTS_COUNT(NUVRIK_MOVED_CURVE(table)) != 0)
        ? nuvrik_along(NUVRIK_MOVED_CURVE(table), at) : nuvrik_with_expo(at, NUVRIK_MOVED_EXPO(table));
    if (NUVRIK_MOVED_REVERSE(table)) {
        /* A curve may lead a slider below nothing. */
        bent = (NUVRIK_MOVED_ONE_SIDED(table)) ? (NUVRIK_FULL - bent) : (int32_t)(-(int16_t)bent);
    }
    return (int16_t)nuvrik_clamp(bent + NUVRIK_MOVED_TRIM(table), (NUVRIK_MOVED_ONE_SIDED(table)) ? 0
        : (-NUVRIK_FULL), NUVRIK_FULL);
}

void nuvrik_moved_init(NuvrikMoved *self, const NUVRIK_FLASH NuvrikMovedTable *table)
{
    self->table = table;
    self->value = NUVRIK_NO_READING;
    nuvrik_slew_init(&self->slew, NUVRIK_MOVED_RAMP(table));
}

/** A reading, dt_ms after the one before. */
void nuvrik_moved_read(NuvrikMoved *self, int32_t raw, uint16_t dt_ms)
{
    for (uint8_t none_at = 0; none_at < NUVRIK_MOVED_IGNORE_COUNT(self->table); none_at++) {
        int32_t none = NUVRIK_I32(NUVRIK_MOVED_IGNORE(self->table)[none_at]);
        if (raw == none) {
            self->value = NUVRIK_NO_READING;
            return;
        }
    }
    int16_t at = nuvrik_bent_level(self->table, raw);
    if (!NUVRIK_MOVED_PLAIN(self->table)) {
        at = nuvrik_moved_follow(self, at, dt_ms);
    }
    self->value = at;
}

/** Where the value is on its way to a level. */
int16_t nuvrik_moved_follow(NuvrikMoved *self, int16_t at, uint16_t dt_ms)
{
    int16_t goal = (NUVRIK_MOVED_HOLDS(self->table)) ? nuvrik_moved_keep(self, at) : at;
    /* Behind a gap a place goes on from the value sent last, and what turns begins from rest: what passed */
    /* in the gap is no time of moving. Only the first reading of all is taken as it is. */
    uint16_t passed_ms = (uint16_t)((self->value == NUVRIK_NO_READING) ? 0 : dt_ms);
    bool first = !self->begun;
    if (self->value == NUVRIK_NO_READING && NUVRIK_MOVED_TURNS(self->table) && !first) {
        self->fine = 0;
        nuvrik_slew_put(&self->slew, 0);
    }
    self->begun = true;
    if (NUVRIK_MOVED_SMOOTH_MS(self->table) != 0) {
        goal = nuvrik_moved_smooth(self, goal, passed_ms, first);
    }
    if (NUVRIK_MOVED_SLOWS(self->table)) {
        if (first) {
            nuvrik_slew_put(&self->slew, goal);
        }
        (void)nuvrik_slew_towards(&self->slew, goal, passed_ms);
        goal = nuvrik_slew_at(&self->slew);
    }
    return goal;
}

/** A noisy level, ironed out. */
int16_t nuvrik_moved_smooth(NuvrikMoved *self, int16_t goal, uint16_t passed_ms, bool first)
{
    if (first) {
        self->fine = (int32_t)goal * NUVRIK_SMOOTH;
    }
    uint16_t here_ms = (passed_ms < NUVRIK_MOVED_SMOOTH_MS(self->table)) ? passed_ms
        : NUVRIK_MOVED_SMOOTH_MS(self->table);
    int32_t way = (((int32_t)goal * NUVRIK_SMOOTH) - self->fine) * here_ms;
    int32_t nearer = nuvrik_div(way, (int32_t)NUVRIK_MOVED_SMOOTH_MS(self->table) + here_ms);
    self->fine = self->fine + nearer;
    return (int16_t)nuvrik_div(self->fine, NUVRIK_SMOOTH);
}

/** Where the furthest point of the last push was. */
int16_t nuvrik_moved_keep(NuvrikMoved *self, int16_t at)
{
    if (at == 0) {
        self->pushed = 0;
    } else if (nuvrik_abs16(at) > nuvrik_abs16(self->pushed) || (at < 0) != (self->pushed < 0)) {
        self->pushed = at;
        self->held = at;
    }
    self->latched = at == 0 && self->held != 0;
    return self->held;
}

/** There is no reading, until the next one. */
void nuvrik_moved_withdraw(NuvrikMoved *self)
{
    self->value = NUVRIK_NO_READING;
    /* What was held is not known to be wanted any more. */
    self->held = 0;
    self->pushed = 0;
    self->latched = false;
}

void nuvrik_button_init(NuvrikButton *self, const NUVRIK_FLASH NuvrikButtonTable *table)
{
    self->table = table;
    self->value = NUVRIK_NO_READING;
}

/** A reading, dt_ms after the one before. */
void nuvrik_button_read(NuvrikButton *self, int32_t raw, uint16_t dt_ms)
{
    bool pressed = (raw != 0) == (NUVRIK_BUTTON_PRESSED(self->table) != 0);
    if (self->known && pressed == self->down) {
        self->changing = false;
    } else if (!self->known) {
        self->known = true;
        self->down = pressed;
    } else {
        self->changed_ms = (uint16_t)((self->changing) ? nuvrik_later(self->changed_ms, dt_ms) : 0);
        self->changing = true;
        if (self->changed_ms >= NUVRIK_BUTTON_DEBOUNCE_MS(self->table)) {
            self->down = pressed;
            self->changing = false;
            if (pressed) {
                nuvrik_button_press(self);
            }
        }
    }
    nuvrik_button_say(self);
}

/** It has been pressed. */
void nuvrik_button_press(NuvrikButton *self)
{
    self->presses = (uint16_t)(self->presses + 1);
    if (NUVRIK_BUTTON_TOGGLES(self->table) && (self->live || !NUVRIK_BUTTON_WAITS(self->table))) {
        self->latched = !self->latched;
        self->given = true;
    }
}

/** Its value, from what it is. */
void nuvrik_button_say(NuvrikButton *self)
{
    bool on = (NUVRIK_BUTTON_TOGGLES(self->table)) ? self->latched : self->down;
    self->value = on ? NUVRIK_FULL : 0;
    if (NUVRIK_BUTTON_WAITS(self->table) && !self->given) {
        self->value = NUVRIK_NO_READING;
    }
}

/** Whether a press may move something now. Once it may not, what was pressed before is over. */
void nuvrik_button_may_move(NuvrikButton *self, bool live)
{
    self->live = live;
    if (!live) {
        self->given = false;
        if (self->known) {
            nuvrik_button_say(self);
        }
    }
}

/** A toggle that is on goes off; nothing else changes. */
void nuvrik_button_switch_off(NuvrikButton *self)
{
    if (self->latched) {
        self->latched = false;
        if (self->value != NUVRIK_NO_READING) {
            self->value = 0;
        }
    }
}

/** There is no reading, until the next one. */
void nuvrik_button_withdraw(NuvrikButton *self)
{
    self->value = NUVRIK_NO_READING;
    /* A press that began before the gap is not known to have lasted through it; and what the button reads */
    /* after the gap is, again, where it starts. */
    self->known = false;
    self->changing = false;
}

void nuvrik_key_init(NuvrikKey *self, const NUVRIK_FLASH NuvrikKeyControlTable *table)
{
    self->table = table;
    self->value = (NUVRIK_KEY_CONTROL_WAITS(table)) ? NUVRIK_NO_READING : 0;
}

/** How often it has arrived so far. True: it has arrived. */
bool nuvrik_key_read(NuvrikKey *self, uint16_t count)
{
    bool arrives = self->counted && count != self->count;
    self->counted = true;
    self->count = count;
    if (arrives) {
        nuvrik_key_arrive(self, !self->down);
    }
    return arrives;
}

/** Its code has arrived: for a press, or because it is held. One that is known to be held keeps it down,
 *  or brings it down again after a gap, and never counts as another press of a toggle.
 */
void nuvrik_key_arrive(NuvrikKey *self, bool fresh)
{
    if (fresh || NUVRIK_KEY_CONTROL_EVERY(self->table)) {
        self->presses = (uint16_t)(self->presses + 1);
    }
    if (NUVRIK_KEY_CONTROL_TOGGLES(self->table) && fresh && (self->live
        || !NUVRIK_KEY_CONTROL_WAITS(self->table))) {
        self->latched = !self->latched;
        self->given = true;
    }
    self->down = true;
    nuvrik_key_say(self);
}

/** Its value, from what it is. */
void nuvrik_key_say(NuvrikKey *self)
{
    bool on = (NUVRIK_KEY_CONTROL_TOGGLES(self->table)) ? self->latched : self->down;
    self->value = on ? NUVRIK_FULL : 0;
    if (NUVRIK_KEY_CONTROL_WAITS(self->table) && !self->given) {
        self->value = NUVRIK_NO_READING;
    }
}

/** Whether a press may move something now. Once it may not, what was pressed before is over. */
void nuvrik_key_may_move(NuvrikKey *self, bool live)
{
    self->live = live;
    if (!live) {
        self->given = false;
        nuvrik_key_say(self);
    }
}

/** A toggle that is on goes off; nothing else changes. */
void nuvrik_key_switch_off(NuvrikKey *self)
{
    if (self->latched) {
        self->latched = false;
        if (self->value != NUVRIK_NO_READING) {
            self->value = 0;
        }
    }
}

/** Nothing has come for so long that it is released. */
void nuvrik_key_withdraw(NuvrikKey *self)
{
    self->down = false;
    nuvrik_key_say(self);
}

/* ---- hands ---- */

void nuvrik_hands_init(NuvrikHands *self, const NUVRIK_FLASH NuvrikHandsTable *table)
{
    self->table = table;
    for (uint8_t i = 0; i < NUVRIK_HANDS_MOVED_COUNT(table); i++) {
        nuvrik_moved_init(&self->moved[i], &NUVRIK_HANDS_MOVED(table)[i]);
    }
    for (uint8_t i = 0; i < NUVRIK_HANDS_BUTTONS_COUNT(table); i++) {
        nuvrik_button_init(&self->buttons[i], &NUVRIK_HANDS_BUTTONS(table)[i]);
    }
    for (uint8_t i = 0; i < NUVRIK_HANDS_KEYS_COUNT(table); i++) {
        nuvrik_key_init(&self->keys[i], &NUVRIK_HANDS_KEYS(table)[i]);
    }
    for (uint8_t i = 0; i < NUVRIK_MOST_ROCKERS; i++) {
        self->rocked[i] = NUVRIK_NO_READING;
    }
    for (uint8_t i = 0; i < NUVRIK_MOST_NUDGES; i++) {
        self->nudged[i] = NUVRIK_NO_READING;
    }
    for (uint8_t i = 0; i < NUVRIK_MOST_SELECTORS; i++) {
        self->selected[i] = NUVRIK_NO_READING;
    }
    for (uint8_t i = 0; i < NUVRIK_MOST_CONTROLS; i++) {
        self->since_ms[i] = NUVRIK_TIMER_MAX;
    }
}

/** At power-up. */
void nuvrik_hands_begin(NuvrikHands *self)
{
    for (uint8_t i = 0; i < NUVRIK_HANDS_NUDGES_COUNT(self->table); i++) {
        self->stored[i] = NUVRIK_NUDGE_START(&NUVRIK_HANDS_NUDGES(self->table)[i]);
    }
    for (uint8_t i = 0; i < NUVRIK_HANDS_SELECTORS_COUNT(self->table); i++) {
        self->chosen[i] = NUVRIK_SELECTOR_START(&NUVRIK_HANDS_SELECTORS(self->table)[i]);
    }
}

/** The level of a control, 0 or FULL for a button, NO_READING for none. */
int32_t nuvrik_hands_value(const NuvrikHands *self, uint8_t control)
{
    uint8_t kind = NUVRIK_CONTROL_KIND(&NUVRIK_HANDS_CONTROLS(self->table)[control]);
    uint8_t at = NUVRIK_CONTROL_AT(&NUVRIK_HANDS_CONTROLS(self->table)[control]);
    if ((NUVRIK_HAS_IS_MOVED && kind == NUVRIK_IS_MOVED)) {
        return self->moved[at].value;
    }
    if ((NUVRIK_HAS_IS_BUTTON && kind == NUVRIK_IS_BUTTON)) {
        return self->buttons[at].value;
    }
    if ((NUVRIK_HAS_IS_KEY && kind == NUVRIK_IS_KEY)) {
        return self->keys[at].value;
    }
    if ((NUVRIK_HAS_IS_ROCKER && kind == NUVRIK_IS_ROCKER)) {
        return self->rocked[at];
    }
    if ((NUVRIK_HAS_IS_NUDGE && kind == NUVRIK_IS_NUDGE)) {
        return self->nudged[at];
    }
    return self->selected[at];
}

/** Whether its value is held although no hand holds it: a toggle that is on, a stick that holds, a nudge
 *  or a selector away from where it starts.
 */
bool nuvrik_hands_latched(const NuvrikHands *self, uint8_t control)
{
    uint8_t kind = NUVRIK_CONTROL_KIND(&NUVRIK_HANDS_CONTROLS(self->table)[control]);
    uint8_t at = NUVRIK_CONTROL_AT(&NUVRIK_HANDS_CONTROLS(self->table)[control]);
    if ((NUVRIK_HAS_IS_MOVED && kind == NUVRIK_IS_MOVED)) {
        return self->moved[at].latched;
    }
    if ((NUVRIK_HAS_IS_BUTTON && kind == NUVRIK_IS_BUTTON)) {
        return self->buttons[at].latched;
    }
    if ((NUVRIK_HAS_IS_KEY && kind == NUVRIK_IS_KEY)) {
        return self->keys[at].latched;
    }
    if ((NUVRIK_HAS_IS_NUDGE && kind == NUVRIK_IS_NUDGE)) {
        return self->stored[at] != NUVRIK_NUDGE_START(&NUVRIK_HANDS_NUDGES(self->table)[at]);
    }
    return (NUVRIK_HAS_IS_SELECTOR && kind == NUVRIK_IS_SELECTOR)
        && self->chosen[at] != NUVRIK_SELECTOR_START(&NUVRIK_HANDS_SELECTORS(self->table)[at]);
}

/** How often a button or a key has been pressed. */
uint16_t nuvrik_hands_presses(const NuvrikHands *self, uint8_t control)
{
    uint8_t kind = NUVRIK_CONTROL_KIND(&NUVRIK_HANDS_CONTROLS(self->table)[control]);
    uint8_t at = NUVRIK_CONTROL_AT(&NUVRIK_HANDS_CONTROLS(self->table)[control]);
    if ((NUVRIK_HAS_IS_BUTTON && kind == NUVRIK_IS_BUTTON)) {
        return self->buttons[at].presses;
    }
    return (uint16_t)(((NUVRIK_HAS_IS_KEY && kind == NUVRIK_IS_KEY)) ? self->keys[at].presses : 0);
}

/** A toggle goes off; whatever else it is stays as it is. */
void nuvrik_hands_switch_off(NuvrikHands *self, uint8_t control)
{
    uint8_t kind = NUVRIK_CONTROL_KIND(&NUVRIK_HANDS_CONTROLS(self->table)[control]);
    uint8_t at = NUVRIK_CONTROL_AT(&NUVRIK_HANDS_CONTROLS(self->table)[control]);
    if ((NUVRIK_HAS_IS_BUTTON && kind == NUVRIK_IS_BUTTON)) {
        nuvrik_button_switch_off(&self->buttons[at]);
    } else if ((NUVRIK_HAS_IS_KEY && kind == NUVRIK_IS_KEY)) {
        nuvrik_key_switch_off(&self->keys[at]);
    }
}

/** Let dt_ms go by. True: some reading has become too old. */
bool nuvrik_hands_pass_time(NuvrikHands *self, uint16_t dt_ms)
{
    self->waited_ms = nuvrik_later(self->waited_ms, dt_ms);
    bool ended = false;
    for (uint8_t i = 0; i < NUVRIK_HANDS_CONTROLS_COUNT(self->table); i++) {
        const NUVRIK_FLASH NuvrikControlTable *one = &NUVRIK_HANDS_CONTROLS(self->table)[i];
        if (NUVRIK_CONTROL_KIND(one) <= NUVRIK_IS_KEY && (self->since_ms[i]
            + self->waited_ms) >= NUVRIK_CONTROL_STALE_MS(one) && nuvrik_hands_is_fresh(self, i)) {
            nuvrik_hands_withdraw(self, i);
            ended = true;
        }
    }
    if (self->waited_ms >= 20000) {
        nuvrik_hands_catch_up(self);
    }
    return ended;
}

/** Bring every timer up to now. */
void nuvrik_hands_catch_up(NuvrikHands *self)
{
    for (uint8_t i = 0; i < NUVRIK_HANDS_CONTROLS_COUNT(self->table); i++) {
        self->since_ms[i] = nuvrik_clamp(self->since_ms[i] + self->waited_ms, 0, NUVRIK_TIMER_MAX);
    }
    self->waited_ms = 0;
}

/** Whether a reading of it can still become too old. */
bool nuvrik_hands_is_fresh(NuvrikHands *self, uint8_t control)
{
    uint8_t kind = NUVRIK_CONTROL_KIND(&NUVRIK_HANDS_CONTROLS(self->table)[control]);
    if ((NUVRIK_HAS_IS_KEY && kind == NUVRIK_IS_KEY)) {
        return self->keys[NUVRIK_CONTROL_AT(&NUVRIK_HANDS_CONTROLS(self->table)[control])].down;
    }
    if ((NUVRIK_HAS_IS_BUTTON && kind == NUVRIK_IS_BUTTON)) {
        return self->buttons[NUVRIK_CONTROL_AT(&NUVRIK_HANDS_CONTROLS(self->table)[control])].known;
    }
    return nuvrik_hands_value(self, control) != NUVRIK_NO_READING;
}

/** There is no reading of it any more. */
void nuvrik_hands_withdraw(NuvrikHands *self, uint8_t control)
{
    uint8_t kind = NUVRIK_CONTROL_KIND(&NUVRIK_HANDS_CONTROLS(self->table)[control]);
    uint8_t at = NUVRIK_CONTROL_AT(&NUVRIK_HANDS_CONTROLS(self->table)[control]);
    if ((NUVRIK_HAS_IS_MOVED && kind == NUVRIK_IS_MOVED)) {
        nuvrik_moved_withdraw(&self->moved[at]);
    } else if ((NUVRIK_HAS_IS_BUTTON && kind == NUVRIK_IS_BUTTON)) {
        nuvrik_button_withdraw(&self->buttons[at]);
    } else if ((NUVRIK_HAS_IS_KEY && kind == NUVRIK_IS_KEY)) {
        nuvrik_key_withdraw(&self->keys[at]);
    }
}

/** A reading of a control that has readings of its own. A key's is how often it has arrived, modulo 65536. */
void nuvrik_hands_read(NuvrikHands *self, uint8_t control, int32_t raw)
{
    uint8_t kind = NUVRIK_CONTROL_KIND(&NUVRIK_HANDS_CONTROLS(self->table)[control]);
    uint8_t at = NUVRIK_CONTROL_AT(&NUVRIK_HANDS_CONTROLS(self->table)[control]);
    uint16_t dt_ms = (uint16_t)nuvrik_clamp(self->since_ms[control] + self->waited_ms, 0, NUVRIK_TIMER_MAX);
    if ((NUVRIK_HAS_IS_KEY && kind == NUVRIK_IS_KEY)) {
        if (nuvrik_key_read(&self->keys[at], (uint16_t)raw)) {
            self->since_ms[control] = -(int32_t)self->waited_ms;
        }
        return;
    }
    self->since_ms[control] = -(int32_t)self->waited_ms;
    if ((NUVRIK_HAS_IS_MOVED && kind == NUVRIK_IS_MOVED)) {
        nuvrik_moved_read(&self->moved[at], raw, dt_ms);
    } else {
        nuvrik_button_read(&self->buttons[at], raw, dt_ms);
    }
}

/** The code of a key has arrived. */
void nuvrik_hands_arrive(NuvrikHands *self, uint8_t control, bool fresh)
{
    nuvrik_key_arrive(&self->keys[NUVRIK_CONTROL_AT(&NUVRIK_HANDS_CONTROLS(self->table)[control])], fresh);
    self->since_ms[control] = -(int32_t)self->waited_ms;
}

/** How many presses of a button are new to whoever looks at it from a place. */
uint16_t nuvrik_hands_fresh_presses(NuvrikHands *self, uint8_t place, uint8_t control)
{
    uint16_t count = nuvrik_hands_presses(self, control);
    uint16_t more = (uint16_t)(count - self->presses_seen[place]);
    self->presses_seen[place] = count;
    return more;
}

/** Whether presses may move places: while arm is sent on. Whatever they did before is over once they may
 *  not; then refresh comes.
 */
void nuvrik_hands_may_move(NuvrikHands *self, bool live)
{
    if (live == self->live) {
        return;
    }
    self->live = live;
    for (uint8_t i = 0; i < NUVRIK_HANDS_BUTTONS_COUNT(self->table); i++) {
        if (NUVRIK_BUTTON_WAITS(&NUVRIK_HANDS_BUTTONS(self->table)[i])) {
            nuvrik_button_may_move(&self->buttons[i], live);
        }
    }
    for (uint8_t i = 0; i < NUVRIK_HANDS_KEYS_COUNT(self->table); i++) {
        if (NUVRIK_KEY_CONTROL_WAITS(&NUVRIK_HANDS_KEYS(self->table)[i])) {
            nuvrik_key_may_move(&self->keys[i], live);
        }
    }
    for (uint8_t i = 0; i < NUVRIK_HANDS_NUDGES_COUNT(self->table); i++) {
        self->nudge_given[i] = false;
    }
    for (uint8_t i = 0; i < NUVRIK_HANDS_SELECTORS_COUNT(self->table); i++) {
        self->choice_given[i] = false;
    }
    nuvrik_hands_refresh(self);
}

/** Let what is made of controls follow them: what switches toggles off first. */
void nuvrik_hands_refresh(NuvrikHands *self)
{
    uint8_t place = 0;
    for (uint8_t i = 0; i < NUVRIK_HANDS_CONTROLS_COUNT(self->table); i++) {
        uint8_t button = NUVRIK_CONTROL_OFF_BY(&NUVRIK_HANDS_CONTROLS(self->table)[i]);
        if (button != NUVRIK_NOBODY) {
            if (nuvrik_hands_fresh_presses(self, place, button) != 0) {
                nuvrik_hands_switch_off(self, i);
            }
            place++;
        }
    }
    for (uint8_t one_at = 0; one_at < NUVRIK_HANDS_CONTROLS_COUNT(self->table); one_at++) {
        const NUVRIK_FLASH NuvrikControlTable *one = &NUVRIK_HANDS_CONTROLS(self->table)[one_at];
        if ((NUVRIK_HAS_IS_ROCKER && NUVRIK_CONTROL_KIND(one) == NUVRIK_IS_ROCKER)) {
            nuvrik_hands_rock(self, NUVRIK_CONTROL_AT(one));
        } else if ((NUVRIK_HAS_IS_NUDGE && NUVRIK_CONTROL_KIND(one) == NUVRIK_IS_NUDGE)) {
            place = nuvrik_hands_nudge(self, NUVRIK_CONTROL_AT(one), place);
        } else if ((NUVRIK_HAS_IS_SELECTOR && NUVRIK_CONTROL_KIND(one) == NUVRIK_IS_SELECTOR)) {
            place = nuvrik_hands_choose(self, NUVRIK_CONTROL_AT(one), place);
        }
    }
}

/** Two directions; both at once is rest. */
void nuvrik_hands_rock(NuvrikHands *self, uint8_t at)
{
    int32_t plus = nuvrik_hands_value(self, NUVRIK_ROCKER_PLUS(&NUVRIK_HANDS_ROCKERS(self->table)[at]));
    int32_t minus = nuvrik_hands_value(self, NUVRIK_ROCKER_MINUS(&NUVRIK_HANDS_ROCKERS(self->table)[at]));
    if (plus == NUVRIK_NO_READING || minus == NUVRIK_NO_READING) {
        self->rocked[at] = NUVRIK_NO_READING;
    } else {
        self->rocked[at] = plus - minus;
    }
}

/** A stored value that presses step up and down, within limits. It outlives a press, not a gap. */
uint8_t nuvrik_hands_nudge(NuvrikHands *self, uint8_t at, uint8_t place)
{
    const NUVRIK_FLASH NuvrikNudgeTable *one = &NUVRIK_HANDS_NUDGES(self->table)[at];
    uint16_t up = nuvrik_hands_fresh_presses(self, place, NUVRIK_NUDGE_UP(one));
    uint16_t down = nuvrik_hands_fresh_presses(self, (uint8_t)(place + 1), NUVRIK_NUDGE_DOWN(one));
    uint8_t next = (uint8_t)(place + 2);
    int32_t steps = (int32_t)up - down;
    bool counts = self->live || !NUVRIK_NUDGE_WAITS(one);
    if (steps != 0 && counts) {
        int32_t way = steps * NUVRIK_NUDGE_STEP(one);
        self->stored[at] = (int16_t)nuvrik_clamp(self->stored[at] + way, NUVRIK_NUDGE_LOW(one),
            NUVRIK_NUDGE_HIGH(one));
        self->nudge_given[at] = true;
    }
    if (NUVRIK_NUDGE_BACK(one) != NUVRIK_NOBODY) {
        if (nuvrik_hands_fresh_presses(self, next, NUVRIK_NUDGE_BACK(one)) != 0 && counts) {
            self->stored[at] = NUVRIK_NUDGE_START(one);
            self->nudge_given[at] = true;
        }
        next++;
    }
    bool known = nuvrik_hands_value(self, NUVRIK_NUDGE_UP(one)) != NUVRIK_NO_READING
        && nuvrik_hands_value(self, NUVRIK_NUDGE_DOWN(one)) != NUVRIK_NO_READING;
    known = known && (self->nudge_given[at] || !NUVRIK_NUDGE_WAITS(one));
    self->nudged[at] = known ? self->stored[at] : (int16_t)NUVRIK_NO_READING;
    return next;
}

/** The last button pressed chooses. */
uint8_t nuvrik_hands_choose(NuvrikHands *self, uint8_t at, uint8_t place)
{
    const NUVRIK_FLASH NuvrikSelectorTable *one = &NUVRIK_HANDS_SELECTORS(self->table)[at];
    bool known = true;
    for (uint8_t i = 0; i < NUVRIK_SELECTOR_BUTTONS_COUNT(one); i++) {
        if (nuvrik_hands_fresh_presses(self, (uint8_t)(place + i),
            NUVRIK_U8(NUVRIK_SELECTOR_BUTTONS(one)[i])) != 0 && (self->live || !NUVRIK_SELECTOR_WAITS(one))) {
            self->chosen[at] = i;
            self->choice_given[at] = true;
        }
        if (nuvrik_hands_value(self, NUVRIK_U8(NUVRIK_SELECTOR_BUTTONS(one)[i])) == NUVRIK_NO_READING) {
            known = false;
        }
    }
    known = known && (self->choice_given[at] || !NUVRIK_SELECTOR_WAITS(one));
    self->selected[at] = known ? NUVRIK_I16(NUVRIK_SELECTOR_VALUES(one)[self->chosen[at]])
        : (int16_t)NUVRIK_NO_READING;
    return (uint8_t)(place + NUVRIK_SELECTOR_BUTTONS_COUNT(one));
}

/* ---- sources ---- */

void nuvrik_sources_init(NuvrikSources *self, const NUVRIK_FLASH NuvrikSourcesTable *table)
{
    self->table = table;
    for (uint8_t i = 0; i < NUVRIK_MOST_READY; i++) {
        self->marks[i] = NUVRIK_ANY_PLACE;
    }
    for (uint8_t i = 0; i < NUVRIK_MOST_READY; i++) {
        self->before[i] = NUVRIK_NO_READING;
    }
    for (uint8_t i = 0; i < NUVRIK_MOST_SOURCES; i++) {
        self->owner[i] = NUVRIK_NOBODY;
    }
}

/** Controls have been read, or have lost their readings. */
void nuvrik_sources_refresh(NuvrikSources *self, NuvrikHands *hands)
{
    for (uint8_t i = 0; i < NUVRIK_SOURCES_SOURCES_COUNT(self->table); i++) {
        const NUVRIK_FLASH NuvrikSourceTable *source = &NUVRIK_SOURCES_SOURCES(self->table)[i];
        if (NUVRIK_SOURCE_TAKES(source) >= NUVRIK_FROM_FIRST_READY
            && NUVRIK_SOURCE_TAKES(source) <= NUVRIK_FROM_ALL) {
            uint8_t keeps = nuvrik_sources_ended(self, i, source, hands);
            for (uint8_t k = 0; k < NUVRIK_SOURCE_ORIGINS_COUNT(source); k++) {
                uint8_t at = (uint8_t)(NUVRIK_SOURCE_FIRST(source) + k);
                int32_t value = nuvrik_hands_value(hands,
                    NUVRIK_ORIGIN_CONTROL(&NUVRIK_SOURCE_ORIGINS(source)[k]));
                if (value == NUVRIK_NO_READING) {
                    self->ready[at] = false;
                    if (keeps != NUVRIK_NOBODY || self->before[at] != NUVRIK_NO_READING) {
                        self->marks[at] = NUVRIK_NO_READING;
                    }
                } else if (keeps != NUVRIK_NOBODY && k != keeps) {
                    self->ready[at] = false;
                    self->marks[at] = value;
                }
                self->ready[at] = self->ready[at] || nuvrik_sources_becomes_ready(self, source, at, value);
                self->before[at] = value;
            }
            self->owner[i] = nuvrik_sources_who(self, source, i, hands);
        }
    }
}

/** The origin that had the say and has just ended, NOBODY for none: under the rule first also one that is
 *  at rest again, under sum any that ended away from rest. The say of all others is over with it.
 */
uint8_t nuvrik_sources_ended(NuvrikSources *self, uint8_t channel,
    const NUVRIK_FLASH NuvrikSourceTable *source, NuvrikHands *hands)
{
    for (uint8_t k = 0; k < NUVRIK_SOURCE_ORIGINS_COUNT(source); k++) {
        uint8_t at = (uint8_t)(NUVRIK_SOURCE_FIRST(source) + k);
        int32_t value = nuvrik_hands_value(hands, NUVRIK_ORIGIN_CONTROL(&NUVRIK_SOURCE_ORIGINS(source)[k]));
        if (NUVRIK_SOURCE_TAKES(source) == NUVRIK_FROM_ALL) {
            int32_t said = self->before[at];
            if (self->ready[at] && value == NUVRIK_NO_READING && (said > NUVRIK_SOURCE_REST(source)
                || (int16_t)said < (-NUVRIK_SOURCE_REST(source)))) {
                return k;
            }
        } else if (self->owner[channel] == k && self->ready[at]) {
            if (value == NUVRIK_NO_READING) {
                return k;
            }
            if (NUVRIK_SOURCE_TAKES(source) == NUVRIK_FROM_FIRST_MOVED
                && value <= NUVRIK_SOURCE_REST(source) && (int16_t)value >= (-NUVRIK_SOURCE_REST(source))) {
                return k;
            }
        }
    }
    return NUVRIK_NOBODY;
}

/** Whether a control that is not ready becomes so with what it says now. */
bool nuvrik_sources_becomes_ready(NuvrikSources *self, const NUVRIK_FLASH NuvrikSourceTable *source,
    uint8_t at, int32_t value)
{
    if (value == NUVRIK_NO_READING) {
        return false;
    }
    if (!NUVRIK_SOURCE_PLACE(source)) {
        return value >= (-NUVRIK_SOURCE_BAND(source)) && value <= NUVRIK_SOURCE_BAND(source);
    }
    int32_t mark = self->marks[at];
    if (mark == NUVRIK_ANY_PLACE) {
        return true;
    }
    if (mark == NUVRIK_NO_READING) {
        /* Its readings have begun again: from here it has to move. */
        self->marks[at] = value;
        return false;
    }
    return value > (mark + NUVRIK_SOURCE_BAND(source)) || value < (mark - NUVRIK_SOURCE_BAND(source));
}

/** The origin that has the say, NOBODY for none; where all have, it is nobody's. */
uint8_t nuvrik_sources_who(NuvrikSources *self, const NUVRIK_FLASH NuvrikSourceTable *source,
    uint8_t channel, NuvrikHands *hands)
{
    uint8_t owner = self->owner[channel];
    if (NUVRIK_SOURCE_TAKES(source) == NUVRIK_FROM_FIRST_MOVED && owner != NUVRIK_NOBODY
        && nuvrik_sources_moved(self, source, owner, hands)) {
        return owner;
    }
    for (uint8_t k = 0; k < NUVRIK_SOURCE_ORIGINS_COUNT(source); k++) {
        if (NUVRIK_SOURCE_TAKES(source) == NUVRIK_FROM_FIRST_MOVED && nuvrik_sources_moved(self, source, k,
            hands)) {
            return k;
        }
        if (NUVRIK_SOURCE_TAKES(source) == NUVRIK_FROM_FIRST_READY
            && self->ready[NUVRIK_SOURCE_FIRST(source) + k]) {
            return k;
        }
    }
    return NUVRIK_NOBODY;
}

/** A control that must be read at rest before a channel has a reading, NOBODY for none. */
uint8_t nuvrik_sources_unready(NuvrikSources *self, uint8_t source, NuvrikHands *hands)
{
    const NUVRIK_FLASH NuvrikSourceTable *one = &NUVRIK_SOURCES_SOURCES(self->table)[source];
    if (NUVRIK_SOURCE_TAKES(one) < NUVRIK_FROM_FIRST_READY || NUVRIK_SOURCE_TAKES(one) > NUVRIK_FROM_ALL) {
        return NUVRIK_NOBODY;
    }
    uint8_t found = NUVRIK_NOBODY;
    for (uint8_t i = 0; i < NUVRIK_SOURCE_ORIGINS_COUNT(one); i++) {
        if (self->ready[NUVRIK_SOURCE_FIRST(one) + i]) {
            return NUVRIK_NOBODY;
        }
        if (found == NUVRIK_NOBODY && nuvrik_hands_value(hands,
            NUVRIK_ORIGIN_CONTROL(&NUVRIK_SOURCE_ORIGINS(one)[i])) != NUVRIK_NO_READING) {
            found = NUVRIK_ORIGIN_CONTROL(&NUVRIK_SOURCE_ORIGINS(one)[i]);
        }
    }
    return found;
}

/** A channel's value now, NO_READING for none. */
int32_t nuvrik_sources_value(NuvrikSources *self, uint8_t source, NuvrikHands *hands)
{
    const NUVRIK_FLASH NuvrikSourceTable *one = &NUVRIK_SOURCES_SOURCES(self->table)[source];
    if (NUVRIK_SOURCE_TAKES(one) == NUVRIK_FROM_FLAG) {
        return nuvrik_sources_flag(self, source, one, hands);
    }
    if (NUVRIK_SOURCE_TAKES(one) == NUVRIK_FROM_CHOICE) {
        return nuvrik_chosen(one, hands);
    }
    if (NUVRIK_SOURCE_TAKES(one) == NUVRIK_FROM_PRESSES) {
        return (NUVRIK_SOURCE_ORIGINS_COUNT(one) != 0) ? nuvrik_hands_presses(hands,
            NUVRIK_ORIGIN_CONTROL(&NUVRIK_SOURCE_ORIGINS(one)[0])) : 0;
    }
    int32_t value = nuvrik_sources_origin(self, source, one, hands);
    if (NUVRIK_SOURCE_BARE(one) || value == NUVRIK_NO_READING) {
        return value;
    }
    return nuvrik_shaped(one, value, hands);
}

/** What the controls of a level or a share say, before anything is done to it. */
int32_t nuvrik_sources_origin(NuvrikSources *self, uint8_t source, const NUVRIK_FLASH NuvrikSourceTable *one,
    NuvrikHands *hands)
{
    if (NUVRIK_SOURCE_TAKES(one) == NUVRIK_FROM_NOTHING) {
        return NUVRIK_NO_READING;
    }
    if (NUVRIK_SOURCE_TAKES(one) == NUVRIK_FROM_ONE) {
        return nuvrik_hands_value(hands, NUVRIK_ORIGIN_CONTROL(&NUVRIK_SOURCE_ORIGINS(one)[0]));
    }
    if (NUVRIK_SOURCE_TAKES(one) == NUVRIK_FROM_TWO) {
        int32_t pressed = nuvrik_hands_value(hands, NUVRIK_ORIGIN_CONTROL(&NUVRIK_SOURCE_ORIGINS(one)[0]));
        if (pressed == NUVRIK_NO_READING) {
            return NUVRIK_NO_READING;
        }
        return (pressed != 0) ? NUVRIK_SOURCE_WHEN_ON(one) : NUVRIK_SOURCE_WHEN_OFF(one);
    }
    if (NUVRIK_SOURCE_TAKES(one) == NUVRIK_FROM_WEIGHTS) {
        return nuvrik_weighed(one, hands);
    }
    if (self->owner[source] != NUVRIK_NOBODY) {
        return nuvrik_hands_value(hands,
            NUVRIK_ORIGIN_CONTROL(&NUVRIK_SOURCE_ORIGINS(one)[self->owner[source]]));
    }
    int32_t sum = 0;
    bool any = false;
    for (uint8_t i = 0; i < NUVRIK_SOURCE_ORIGINS_COUNT(one); i++) {
        if (self->ready[NUVRIK_SOURCE_FIRST(one) + i]) {
            any = true;
            /* Under the rule first nobody has left rest. */
            if (NUVRIK_SOURCE_TAKES(one) == NUVRIK_FROM_ALL) {
                sum = sum + nuvrik_hands_value(hands, NUVRIK_ORIGIN_CONTROL(&NUVRIK_SOURCE_ORIGINS(one)[i]));
            }
        }
    }
    return any ? nuvrik_clamp(sum, -NUVRIK_FULL, NUVRIK_FULL) : (int32_t)NUVRIK_NO_READING;
}

/** Whether a control that is ready has left rest. */
bool nuvrik_sources_moved(NuvrikSources *self, const NUVRIK_FLASH NuvrikSourceTable *one, uint8_t origin,
    NuvrikHands *hands)
{
    int32_t value = nuvrik_hands_value(hands, NUVRIK_ORIGIN_CONTROL(&NUVRIK_SOURCE_ORIGINS(one)[origin]));
    return self->ready[NUVRIK_SOURCE_FIRST(one) + origin] && (value > NUVRIK_SOURCE_REST(one)
        || (int16_t)value < (-NUVRIK_SOURCE_REST(one)));
}

/** Off or on; off without a reading. An axis or a slider switches it with hysteresis. */
uint8_t nuvrik_sources_flag(NuvrikSources *self, uint8_t source, const NUVRIK_FLASH NuvrikSourceTable *one,
    NuvrikHands *hands)
{
    int32_t value = (NUVRIK_SOURCE_ORIGINS_COUNT(one) != 0) ? nuvrik_hands_value(hands,
        NUVRIK_ORIGIN_CONTROL(&NUVRIK_SOURCE_ORIGINS(one)[0])) : (int32_t)NUVRIK_NO_READING;
    int32_t edge = (self->on[source]) ? NUVRIK_SOURCE_OFF_BELOW(one) : (int32_t)NUVRIK_SOURCE_ON_FROM(one);
    self->on[source] = value != NUVRIK_NO_READING && value >= edge;
    return (uint8_t)((self->on[source]) ? 1 : 0);
}

/** The option that a selector has chosen. */
uint8_t nuvrik_chosen(const NUVRIK_FLASH NuvrikSourceTable *one, NuvrikHands *hands)
{
    if (NUVRIK_SOURCE_ORIGINS_COUNT(one) == 0) {
        return 0;
    }
    uint8_t control = NUVRIK_ORIGIN_CONTROL(&NUVRIK_SOURCE_ORIGINS(one)[0]);
    if ((!NUVRIK_HAS_IS_SELECTOR
        || NUVRIK_CONTROL_KIND(&NUVRIK_HANDS_CONTROLS(hands->table)[control]) != NUVRIK_IS_SELECTOR)) {
        return 0;
    }
    return hands->chosen[NUVRIK_CONTROL_AT(&NUVRIK_HANDS_CONTROLS(hands->table)[control])];
}

/** A weighted sum, which needs every reading. */
int32_t nuvrik_weighed(const NUVRIK_FLASH NuvrikSourceTable *one, NuvrikHands *hands)
{
    int32_t sum = 0;
    for (uint8_t part_at = 0; part_at < NUVRIK_SOURCE_ORIGINS_COUNT(one); part_at++) {
        const NUVRIK_FLASH NuvrikOrigin *part = &NUVRIK_SOURCE_ORIGINS(one)[part_at];
        int32_t value = nuvrik_hands_value(hands, NUVRIK_ORIGIN_CONTROL(part));
        if (value == NUVRIK_NO_READING) {
            return NUVRIK_NO_READING;
        }
        int32_t weighed_part = nuvrik_mul(NUVRIK_ORIGIN_WEIGHT(part), value);
        sum = sum + weighed_part;
    }
    return nuvrik_clamp(sum, -NUVRIK_FULL, NUVRIK_FULL);
}

/** A level or a share with all that is done to it; NO_READING where what it needs has none. */
int32_t nuvrik_shaped(const NUVRIK_FLASH NuvrikSourceTable *one, int32_t given, NuvrikHands *hands)
{
    int32_t value = given;
    if (NUVRIK_SOURCE_MULTIPLIED_BY(one) != NUVRIK_NOBODY) {
        int32_t factor = nuvrik_hands_value(hands, NUVRIK_SOURCE_MULTIPLIED_BY(one));
        if (factor == NUVRIK_NO_READING) {
            return NUVRIK_NO_READING;
        }
        value = nuvrik_mul(value, factor);
    }
    if (NUVRIK_SOURCE_SLOW_WHEN(one) != NUVRIK_NOBODY && nuvrik_hands_value(hands,
        NUVRIK_SOURCE_SLOW_WHEN(one)) != 0) {
        /* A switch that has no reading may be on: slow is the safe side for what turns, and a place stays. */
        if (NUVRIK_SOURCE_PLACE(one) && nuvrik_hands_value(hands,
            NUVRIK_SOURCE_SLOW_WHEN(one)) == NUVRIK_NO_READING) {
            return NUVRIK_NO_READING;
        }
        value = nuvrik_mul(value, NUVRIK_SOURCE_SLOW_TO(one));
    }
    if (NUVRIK_SOURCE_PRESET_WHEN(one) != NUVRIK_NOBODY) {
        int32_t set = nuvrik_hands_value(hands, NUVRIK_SOURCE_PRESET_WHEN(one));
        if (set == NUVRIK_NO_READING) {
            return NUVRIK_NO_READING;
        }
        if (set != 0) {
            value = NUVRIK_SOURCE_PRESET(one);
        }
    }
    return nuvrik_clamp(value, NUVRIK_SOURCE_LOW(one), NUVRIK_FULL);
}

/* ---- arming ---- */

void nuvrik_arming_init(NuvrikArming *self, const NUVRIK_FLASH NuvrikArmingTable *table)
{
    self->table = table;
    self->stopped_ms = NUVRIK_TIMER_MAX;
}

/** Let dt_ms go by. */
void nuvrik_arming_pass_time(NuvrikArming *self, uint16_t dt_ms)
{
    self->off_ms = nuvrik_later(self->off_ms, dt_ms);
    self->stopped_ms = nuvrik_later(self->stopped_ms, dt_ms);
}

/** Look at the stop control. True where a stop has just begun: whatever keeps arm on is to fall. */
bool nuvrik_arming_stop(NuvrikArming *self, bool control_pressed)
{
    if (self->parting) {
        return false;
    }
    bool pressed = self->begun && (control_pressed || self->stop_put);
    bool began = pressed && !self->stopping;
    if (began && self->put == NUVRIK_READ_ON) {
        self->put = NUVRIK_READ_OFF;
    }
    if (pressed) {
        self->stopping = true;
        self->allowed = false;
        self->stopped_ms = 0;
    } else if (self->stopping && self->stopped_ms >= NUVRIK_ARMING_STOP_MS(self->table)) {
        /* A stop that was only touched has been sent long enough to be heard through losses. */
        self->stopping = false;
        nuvrik_arming_begin_off(self);
    }
    return began;
}

/** Follow the arm control, or what a program says in its place. To be called at every reading and not only
 *  at every frame, so that an off between two frames counts too.
 */
void nuvrik_arming_follow(NuvrikArming *self, uint8_t control)
{
    uint8_t wanted = (self->put == NUVRIK_UNREAD) ? control : self->put;
    if (self->parting || wanted == NUVRIK_UNREAD) {
        self->allowed = false;
    } else if (wanted == NUVRIK_READ_OFF) {
        self->allowed = true;
    }
    bool on = self->allowed && wanted == NUVRIK_READ_ON;
    if (on == self->sent) {
        return;
    }
    /* Off is sent at once; on has to wait until the off before it has been sent for long enough. */
    if (!on) {
        nuvrik_arming_begin_off(self);
    } else if (self->off_ms >= NUVRIK_ARMING_TIMEOUT_MS(self->table)) {
        self->sent = true;
    }
}

/** What was read or set before is not to be believed any more: arm has to be read off again. */
void nuvrik_arming_forget(NuvrikArming *self)
{
    self->allowed = false;
    self->put = NUVRIK_UNREAD;
}

/** From now on arm is off, whatever is read, and no stop is sent. */
void nuvrik_arming_leave(NuvrikArming *self)
{
    self->parting = true;
    self->stopping = false;
    self->begun = true;
}

/** Off, from now on and for a while. */
void nuvrik_arming_begin_off(NuvrikArming *self)
{
    self->sent = false;
    self->off_ms = 0;
}

/* ---- handset ---- */

void nuvrik_handset_init(NuvrikHandset *self, const NUVRIK_FLASH NuvrikHandsetTable *table)
{
    self->table = table;
    nuvrik_hands_init(&self->hands, NUVRIK_HANDSET_HANDS(table));
    nuvrik_sources_init(&self->sources, NUVRIK_HANDSET_SOURCES(table));
    nuvrik_arming_init(&self->arming, NUVRIK_HANDSET_ARMING(table));
    self->told_ms = NUVRIK_TIMER_MAX;
}

/** At power-up. */
void nuvrik_handset_begin(NuvrikHandset *self)
{
    nuvrik_hands_begin(&self->hands);
    nuvrik_handset_follow_hands(self);
}

/** Let it be now_ms; every reading that is too old by then ends. */
void nuvrik_handset_pass_time(NuvrikHandset *self, uint16_t now_ms)
{
    uint16_t dt_ms = (uint16_t)((self->started) ? (uint16_t)(now_ms - self->now_ms) : 0);
    if (self->started && dt_ms == 0) {
        /* Read and sent in one turn of a loop. */
        return;
    }
    self->started = true;
    self->now_ms = now_ms;
    self->followed = false;
    nuvrik_arming_pass_time(&self->arming, dt_ms);
    self->told_ms = nuvrik_later(self->told_ms, dt_ms);
    self->due_ms = (int16_t)nuvrik_clamp((int32_t)self->due_ms - dt_ms, -32767 - 1, 32767);
    if (nuvrik_hands_pass_time(&self->hands, dt_ms)) {
        /* Judged now, and not when the next reading is there: that revives nothing, whatever it says. */
        nuvrik_handset_refresh(self);
        nuvrik_handset_look_at_stop(self);
        nuvrik_handset_follow_arm(self);
    }
}

/** A reading of a control. */
void nuvrik_handset_read(NuvrikHandset *self, uint8_t control, int32_t raw)
{
    nuvrik_hands_read(&self->hands, control, raw);
}

/** What follows from new readings. */
void nuvrik_handset_have_read(NuvrikHandset *self)
{
    self->arming.begun = true;
    nuvrik_handset_refresh(self);
    nuvrik_handset_look_at_stop(self);
    self->followed = false;
    nuvrik_handset_follow_arm(self);
    self->followed = true;
}

/** Let what is made of controls follow them. */
void nuvrik_handset_refresh(NuvrikHandset *self)
{
    nuvrik_hands_refresh(&self->hands);
    nuvrik_sources_refresh(&self->sources, &self->hands);
}

/** A stop button without a reading counts as pressed: its wire may be broken. A key that does not come is
 *  released; it always has a value.
 */
bool nuvrik_handset_stop_pressed(NuvrikHandset *self)
{
    return NUVRIK_HANDSET_STOP(self->table) != NUVRIK_NOBODY && !self->without_stop
        && nuvrik_hands_value(&self->hands, NUVRIK_HANDSET_STOP(self->table)) != 0;
}

/** Whether nothing but stops is sent. */
void nuvrik_handset_look_at_stop(NuvrikHandset *self)
{
    if (nuvrik_arming_stop(&self->arming, nuvrik_handset_stop_pressed(self))) {
        /* What keeps arm on by itself falls, so that the way back is one press and not two. */
        nuvrik_handset_arm_falls(self);
    }
    nuvrik_handset_follow_hands(self);
}

/** A toggle that arms goes off; whatever else arms is left as it is. */
void nuvrik_handset_arm_falls(NuvrikHandset *self)
{
    if (NUVRIK_HANDSET_ARM_CONTROL(self->table) != NUVRIK_NOBODY) {
        nuvrik_hands_switch_off(&self->hands, NUVRIK_HANDSET_ARM_CONTROL(self->table));
    }
}

/** Somebody else drives from here on, and arms anew; what was pressed before counts no more. */
void nuvrik_handset_change_hands(NuvrikHandset *self)
{
    nuvrik_handset_arm_falls(self);
    nuvrik_arming_forget(&self->arming);
    self->followed = false;
    nuvrik_handset_follow_arm(self);
    nuvrik_hands_may_move(&self->hands, false);
    nuvrik_handset_follow_hands(self);
}

/** Whether a stop, leaving or arm off has come since this was last asked: what somebody asked for before
 *  is not wanted any more.
 */
bool nuvrik_handset_forgets(NuvrikHandset *self)
{
    bool live = self->hands.live;
    bool halted = self->arming.stopping || self->arming.parting;
    bool forgets = (self->was_live && !live) || (halted && !self->was_halted);
    self->was_live = live;
    self->was_halted = halted;
    return forgets;
}

/** Whether presses may move places: while arm is sent on, or there is none; never in a stop. */
void nuvrik_handset_follow_hands(NuvrikHandset *self)
{
    bool live = NUVRIK_HANDSET_ARM(self->table) == NUVRIK_NOBODY || self->arming.sent;
    live = live && !self->arming.stopping && !self->arming.parting;
    if (live != self->hands.live) {
        nuvrik_hands_may_move(&self->hands, live);
        nuvrik_sources_refresh(&self->sources, &self->hands);
    }
}

/** Decide whether arm is sent on, once for each reading and each frame. */
void nuvrik_handset_follow_arm(NuvrikHandset *self)
{
    if (NUVRIK_HANDSET_ARM(self->table) == NUVRIK_NOBODY || self->followed) {
        return;
    }
    uint8_t wanted = NUVRIK_UNREAD;
    if (NUVRIK_HANDSET_ARM_CONTROL(self->table) != NUVRIK_NOBODY && nuvrik_hands_value(&self->hands,
        NUVRIK_HANDSET_ARM_CONTROL(self->table)) != NUVRIK_NO_READING) {
        int32_t on = nuvrik_sources_value(&self->sources, NUVRIK_HANDSET_ARM(self->table), &self->hands);
        wanted = (uint8_t)((on != 0) ? NUVRIK_READ_ON : NUVRIK_READ_OFF);
    }
    nuvrik_arming_follow(&self->arming, wanted);
    nuvrik_handset_follow_hands(self);
}

/** Arm or disarm from a program, in place of the arm control. Like a control, it starts off. */
void nuvrik_handset_put_arm(NuvrikHandset *self, bool on)
{
    self->arming.put = (uint8_t)(on ? NUVRIK_READ_ON : NUVRIK_READ_OFF);
    self->arming.begun = true;
    self->followed = false;
}

/** A stop of a program's own, where no control is there to be pressed. */
void nuvrik_handset_press_stop(NuvrikHandset *self, bool pressed)
{
    self->arming.begun = true;
    self->arming.stop_put = pressed;
    nuvrik_handset_look_at_stop(self);
}

/** From now on, whatever is read: everything at rest and arm off. */
void nuvrik_handset_leave(NuvrikHandset *self)
{
    nuvrik_arming_leave(&self->arming);
    self->followed = false;
    nuvrik_handset_follow_arm(self);
    nuvrik_handset_follow_hands(self);
}

/** The loop has been held up for longer than a timer counts: nothing that was read before now_ms holds any
 *  more, and arm has to be read off, or put off and on, before it is sent on again.
 */
void nuvrik_handset_expire(NuvrikHandset *self, uint16_t now_ms)
{
    self->started = true;
    self->now_ms = now_ms;
    nuvrik_arming_pass_time(&self->arming, NUVRIK_TIMER_MAX);
    self->told_ms = NUVRIK_TIMER_MAX;
    self->due_ms = -32767 - 1;
    (void)nuvrik_hands_pass_time(&self->hands, NUVRIK_TIMER_MAX);
    nuvrik_handset_refresh(self);
    nuvrik_handset_look_at_stop(self);
    nuvrik_arming_forget(&self->arming);
    self->followed = false;
    nuvrik_handset_follow_arm(self);
}

/** Telemetry has come back. */
void nuvrik_handset_hear(NuvrikHandset *self)
{
    self->told_ms = 0;
}

/** What is to be sent now. SENDS_ANYTHING: a question, if may_ask, or else what command says. */
uint8_t nuvrik_handset_turn(NuvrikHandset *self)
{
    if (self->due_ms > 0) {
        return NUVRIK_SENDS_NOTHING;
    }
    self->due_ms = (int16_t)nuvrik_next_due(self->due_ms, NUVRIK_HANDSET_PERIOD_MS(self->table));
    nuvrik_handset_follow_arm(self);
    if (self->arming.stopping) {
        nuvrik_handset_look_at_stop(self);
    }
    return (uint8_t)((self->arming.stopping) ? NUVRIK_SENDS_STOP : NUVRIK_SENDS_ANYTHING);
}

/** Whether this frame may be a question. Never two in a row are: commands keep the machine alive. */
bool nuvrik_handset_may_ask(NuvrikHandset *self)
{
    self->between = !self->between;
    return self->between && NUVRIK_HANDSET_ASKS(self->table) && !self->arming.parting;
}

/** Whether a command is sent, SENDS_COMMAND, or nothing; fill says its values. */
uint8_t nuvrik_handset_command(const NuvrikHandset *self)
{
    if (!self->arming.begun) {
        return NUVRIK_SENDS_NOTHING;
    }
    if (NUVRIK_HANDSET_GUARD_MS(self->table) != 0 && self->told_ms > NUVRIK_HANDSET_GUARD_MS(self->table)) {
        /* Nothing has come back by which the machine could tell that this is not old: it would refuse it. */
        return NUVRIK_SENDS_NOTHING;
    }
    return NUVRIK_SENDS_COMMAND;
}

/** Put the value of every channel as it would be sent now into values, NO_READING for none. */
void nuvrik_handset_fill(NuvrikHandset *self)
{
    bool rests = self->arming.parting || self->hands_off;
    for (uint8_t i = 0; i < NUVRIK_SOURCES_SOURCES_COUNT(NUVRIK_HANDSET_SOURCES(self->table)); i++) {
        if (!rests) {
            self->values[i] = nuvrik_sources_value(&self->sources, i, &self->hands);
        } else if (NUVRIK_U8(NUVRIK_HANDSET_LEFT(self->table)[i]) != NUVRIK_LEFT_AS_SENT) {
            self->values[i] = nuvrik_handset_left_at(self, i);
        }
    }
    if (NUVRIK_HANDSET_ARM(self->table) != NUVRIK_NOBODY) {
        self->values[NUVRIK_HANDSET_ARM(self->table)] = (self->arming.sent) ? 1 : 0;
    }
}

/** What is sent of a channel that no hand is to move, or on leaving. */
int32_t nuvrik_handset_left_at(const NuvrikHandset *self, uint8_t channel)
{
    uint8_t left = NUVRIK_U8(NUVRIK_HANDSET_LEFT(self->table)[channel]);
    if (left == NUVRIK_LEFT_ALONE || (left == NUVRIK_LEFT_UNREAD && self->arming.parting)) {
        return NUVRIK_NO_READING;
    }
    return 0;
}

/** A control of several for one channel that has no say yet, NOBODY for none. */
uint8_t nuvrik_handset_unready(NuvrikHandset *self)
{
    for (uint8_t i = 0; i < NUVRIK_SOURCES_SOURCES_COUNT(NUVRIK_HANDSET_SOURCES(self->table)); i++) {
        uint8_t control = nuvrik_sources_unready(&self->sources, i, &self->hands);
        if (control != NUVRIK_NOBODY) {
            return control;
        }
    }
    return NUVRIK_NOBODY;
}

/** The level of a control. */
int32_t nuvrik_handset_value(NuvrikHandset *self, uint8_t control)
{
    return nuvrik_hands_value(&self->hands, control);
}

/* ---- hearing ---- */

/** The byte of telemetry at which it says which items are there. */
uint8_t nuvrik_first_mark(NuvrikSealed *sealed)
{
    return (uint8_t)(((sealed->body[NUVRIK_HEAD] & NUVRIK_OWN_STOP) != 0) ? (NUVRIK_HEAD + 3)
        : (NUVRIK_HEAD + 2));
}

/** Whether an item is in the telemetry. */
bool nuvrik_there(NuvrikSealed *sealed, uint8_t item)
{
    return nuvrik_got(sealed->body, (uint16_t)((8 * nuvrik_first_mark(sealed)) + item), 1) != 0;
}

void nuvrik_hearing_init(NuvrikHearing *self, const NUVRIK_FLASH NuvrikHearingTable *table)
{
    self->table = table;
    self->heard_ms = NUVRIK_TIMER_MAX;
    self->told_ms = NUVRIK_TIMER_MAX;
    self->state_told = NUVRIK_NEVER_HEARD;
    for (uint8_t i = 0; i < NUVRIK_MOST_ITEMS; i++) {
        self->ages_ms[i] = NUVRIK_TIMER_MAX;
    }
}

/** Let dt_ms go by. */
void nuvrik_hearing_pass_time(NuvrikHearing *self, uint16_t dt_ms)
{
    self->heard_ms = nuvrik_later(self->heard_ms, dt_ms);
    self->told_ms = nuvrik_later(self->told_ms, dt_ms);
    for (uint8_t i = 0; i < NUVRIK_TELLING_ITEMS_COUNT(NUVRIK_HEARING_TELLING(self->table)); i++) {
        self->ages_ms[i] = nuvrik_later(self->ages_ms[i], dt_ms);
    }
}

/** Whether the machine tells its state at all. */
bool nuvrik_hearing_tells(const NuvrikHearing *self)
{
    return NUVRIK_TELLING_ITEMS_COUNT(NUVRIK_HEARING_TELLING(self->table)) > 0;
}

/** The state as last told, NEVER_HEARD if that is too long ago. */
uint8_t nuvrik_hearing_state(const NuvrikHearing *self)
{
    return (uint8_t)((self->told_ms < NUVRIK_HEARING_LOST_MS(self->table)) ? self->state_told
        : (uint8_t)NUVRIK_NEVER_HEARD);
}

/** Whether the payload is one that can be. */
uint8_t nuvrik_hearing_understand(const NuvrikHearing *self, NuvrikSealed *sealed)
{
    uint16_t size = sealed->payload;
    if ((NUVRIK_HAS_KIND_TELEMETRY && sealed->kind == NUVRIK_KIND_TELEMETRY)) {
        return (uint8_t)(nuvrik_hearing_fits(self, sealed) ? NUVRIK_ACCEPTED : NUVRIK_BAD_FIELD);
    }
    if ((NUVRIK_HAS_KIND_REPLY && sealed->kind == NUVRIK_KIND_REPLY)) {
        return (uint8_t)((size == NUVRIK_REPLY_BYTES && sealed->body[NUVRIK_HEAD + 5] <= NUVRIK_STRANGER)
            ? NUVRIK_ACCEPTED : NUVRIK_BAD_FIELD);
    }
    /* The first byte of a hello or an echo says which way it goes: 0 asks, 1 answers. */
    if (size > 0 && sealed->body[NUVRIK_HEAD] == 0) {
        return NUVRIK_WRONG_KIND;
    }
    if (size == 0 || sealed->body[NUVRIK_HEAD] != 1) {
        return NUVRIK_BAD_FIELD;
    }
    if ((NUVRIK_HAS_KIND_HELLO && sealed->kind == NUVRIK_KIND_HELLO)) {
        uint8_t page = sealed->body[NUVRIK_HEAD + 1];
        bool whole_page = (page == NUVRIK_WHO && size >= NUVRIK_WHO_BYTES) || (page == NUVRIK_HOW
            && size >= NUVRIK_HOW_BYTES);
        return (uint8_t)(whole_page ? NUVRIK_ACCEPTED : NUVRIK_BAD_FIELD);
    }
    return (uint8_t)((size >= 2 && size <= (uint16_t)(NUVRIK_MOST_TOKEN + 1)) ? NUVRIK_ACCEPTED
        : NUVRIK_BAD_FIELD);
}

/** The bit at which the codes begin. */
uint16_t nuvrik_hearing_first_code(const NuvrikHearing *self, NuvrikSealed *sealed)
{
    uint16_t marks = (uint16_t)((NUVRIK_TELLING_ITEMS_COUNT(NUVRIK_HEARING_TELLING(self->table)) + 7) >> 3);
    return (uint16_t)(8 * (nuvrik_first_mark(sealed) + (int16_t)marks));
}

/** Whether this link could mean that telemetry: every bit that means nothing is zero. */
bool nuvrik_hearing_fits(const NuvrikHearing *self, NuvrikSealed *sealed)
{
    uint16_t at = nuvrik_hearing_first_code(self, sealed);
    if (((int32_t)sealed->payload + NUVRIK_HEAD) < (at >> 3)
        || sealed->body[NUVRIK_HEAD] >= NUVRIK_MEANS_NOTHING) {
        return false;
    }
    if ((sealed->body[NUVRIK_HEAD] & NUVRIK_STATE_BITS) >= NUVRIK_STATES) {
        return false;
    }
    if ((sealed->body[NUVRIK_HEAD] & NUVRIK_OWN_STOP) != 0 && (sealed->body[NUVRIK_HEAD + 2] < 1
        || sealed->body[NUVRIK_HEAD + 2] > 15)) {
        return false;
    }
    for (uint16_t i = 0; i < (((int32_t)at - (8 * nuvrik_first_mark(sealed)))
        - NUVRIK_TELLING_ITEMS_COUNT(NUVRIK_HEARING_TELLING(self->table))); i++) {
        if (nuvrik_there(sealed,
            (uint8_t)((int32_t)NUVRIK_TELLING_ITEMS_COUNT(NUVRIK_HEARING_TELLING(self->table)) + i))) {
            return false;
        }
    }
    for (uint8_t i = 0; i < NUVRIK_TELLING_ITEMS_COUNT(NUVRIK_HEARING_TELLING(self->table)); i++) {
        const NUVRIK_FLASH NuvrikItemTable *item
            = &NUVRIK_TELLING_ITEMS(NUVRIK_HEARING_TELLING(self->table))[i];
        if (nuvrik_there(sealed, i)) {
            at = (uint16_t)((int32_t)at + (((NUVRIK_HAS_TELLS_AXES
                && NUVRIK_ITEM_TELLS(item) == NUVRIK_TELLS_AXES)) ? (NUVRIK_AXES * NUVRIK_ITEM_BITS(item))
                : NUVRIK_ITEM_BITS(item)));
        }
    }
    if (((int32_t)sealed->payload + NUVRIK_HEAD) != (((int32_t)at + 7) >> 3)) {
        return false;
    }
    return (int16_t)(at & 7) == 0 || (sealed->body[at >> 3] >> (at & 7)) == 0;
}

/** A frame that has been accepted. */
void nuvrik_hearing_take(NuvrikHearing *self, NuvrikSealed *sealed)
{
    self->heard_ms = 0;
    if ((NUVRIK_HAS_KIND_TELEMETRY && sealed->kind == NUVRIK_KIND_TELEMETRY)) {
        nuvrik_hearing_take_telemetry(self, sealed);
    } else if ((NUVRIK_HAS_KIND_REPLY && sealed->kind == NUVRIK_KIND_REPLY)) {
        self->code = sealed->body[NUVRIK_HEAD];
        self->session = nuvrik_sealed_two(sealed, 1);
        self->number = nuvrik_sealed_two(sealed, 3);
        self->status = sealed->body[NUVRIK_HEAD + 5];
        self->value_low = nuvrik_sealed_two(sealed, 6);
        self->value_high = nuvrik_sealed_two(sealed, 8);
    } else if ((NUVRIK_HAS_KIND_HELLO && sealed->kind == NUVRIK_KIND_HELLO)) {
        if (sealed->body[NUVRIK_HEAD + 1] == NUVRIK_WHO) {
            self->tag = nuvrik_sealed_two(sealed, 2);
            self->boot_low = nuvrik_sealed_two(sealed, 10);
            self->boot_high = nuvrik_sealed_two(sealed, 12);
        }
    } else {
        self->length = (uint8_t)((int32_t)sealed->payload - 1);
        for (uint8_t i = 0; i < self->length; i++) {
            self->token[i] = sealed->body[(NUVRIK_HEAD + 1) + i];
        }
    }
}

/** What the machine says of itself. */
void nuvrik_hearing_take_telemetry(NuvrikHearing *self, NuvrikSealed *sealed)
{
    self->told_ms = 0;
    self->seq = sealed->seq;
    self->state_told = (uint8_t)(sealed->body[NUVRIK_HEAD] & NUVRIK_STATE_BITS);
    self->followed = (sealed->body[NUVRIK_HEAD] & NUVRIK_FOLLOWS) != 0;
    self->hold_ends = (sealed->body[NUVRIK_HEAD] & NUVRIK_HOLD_ENDS) != 0;
    self->last_command = sealed->body[NUVRIK_HEAD + 1];
    self->own_number = (uint8_t)(((sealed->body[NUVRIK_HEAD] & NUVRIK_OWN_STOP) != 0)
        ? sealed->body[NUVRIK_HEAD + 2] : 0);
    uint16_t at = nuvrik_hearing_first_code(self, sealed);
    for (uint8_t i = 0; i < NUVRIK_TELLING_ITEMS_COUNT(NUVRIK_HEARING_TELLING(self->table)); i++) {
        const NUVRIK_FLASH NuvrikItemTable *item
            = &NUVRIK_TELLING_ITEMS(NUVRIK_HEARING_TELLING(self->table))[i];
        if (nuvrik_there(sealed, i)) {
            self->ages_ms[i] = 0;
            uint8_t parts = (uint8_t)(((NUVRIK_HAS_TELLS_AXES
                && NUVRIK_ITEM_TELLS(item) == NUVRIK_TELLS_AXES)) ? NUVRIK_AXES : 1);
            for (uint8_t part = 0; part < parts; part++) {
                self->codes[NUVRIK_ITEM_FIRST(item) + part] = nuvrik_got(sealed->body, at,
                    NUVRIK_ITEM_BITS(item));
                at = (uint16_t)((int32_t)at + NUVRIK_ITEM_BITS(item));
            }
        }
    }
}

/* ---- asking ---- */

void nuvrik_asking_init(NuvrikAsking *self, const NUVRIK_FLASH NuvrikAskingTable *table)
{
    self->table = table;
    self->session = 1;
    self->retry_ms = NUVRIK_FIRST_RETRY_MS;
    self->trip_ms = NUVRIK_TIMER_MAX;
}

/** At power-up, with the lower half of a number that differs from boot to boot: a session that was used
 *  before would bring the answer to an old request for the first new one.
 */
void nuvrik_asking_begin(NuvrikAsking *self, uint16_t boot_low)
{
    self->session = (uint16_t)((boot_low == 0) ? 1 : boot_low);
}

/** Let dt_ms go by. */
void nuvrik_asking_pass_time(NuvrikAsking *self, uint16_t dt_ms)
{
    self->left_ms = (uint16_t)((self->left_ms > dt_ms) ? ((int32_t)self->left_ms - dt_ms) : (int32_t)0);
    self->news_ms = nuvrik_later(self->news_ms, dt_ms);
    self->echo_ms = nuvrik_later(self->echo_ms, dt_ms);
}

/** An argument of the request that is asked next; none while another is under way. */
void nuvrik_asking_argument(NuvrikAsking *self, uint8_t at, int32_t value)
{
    if (!self->asked) {
        self->arguments[at] = value;
    }
}

/** Ask the machine to do something, once. False: another request is under way, or it would move something
 *  that may not move now, which is its outcome then.
 */
bool nuvrik_asking_ask(NuvrikAsking *self, uint8_t code, bool may_move)
{
    if (self->asked) {
        return false;
    }
    self->code = code;
    self->number = 0;
    self->tries = 0;
    if (NUVRIK_REQUEST_MOVES(&NUVRIK_ASKING_REQUESTS(self->table)[code]) && !may_move) {
        nuvrik_asking_settle(self, NUVRIK_NOT_ARMED, 0, 0);
        return false;
    }
    self->asked = true;
    self->outcome = NUVRIK_NOT_SENT;
    self->value_low = 0;
    self->value_high = 0;
    return true;
}

/** A trigger that has been pressed since the last look, NOBODY for none; of several the first. */
uint8_t nuvrik_asking_pressed(NuvrikAsking *self, NuvrikHands *hands)
{
    uint8_t found = NUVRIK_NOBODY;
    for (uint8_t i = 0; i < NUVRIK_ASKING_TRIGGERS_COUNT(self->table); i++) {
        uint16_t presses = nuvrik_hands_presses(hands,
            NUVRIK_TRIGGER_CONTROL(&NUVRIK_ASKING_TRIGGERS(self->table)[i]));
        if (presses != self->presses_met[i]) {
            self->presses_met[i] = presses;
            if (found == NUVRIK_NOBODY) {
                found = i;
            }
        }
    }
    return found;
}

/** Ask for what a trigger starts. While another request is under way it starts nothing: what is late is
 *  not what a hand wanted then.
 */
void nuvrik_asking_start(NuvrikAsking *self, uint8_t trigger, bool may_move)
{
    for (uint8_t i
        = 0; i < NUVRIK_TRIGGER_ARGUMENTS_COUNT(&NUVRIK_ASKING_TRIGGERS(self->table)[trigger]); i++) {
        nuvrik_asking_argument(self, i,
            NUVRIK_I32(NUVRIK_TRIGGER_ARGUMENTS(&NUVRIK_ASKING_TRIGGERS(self->table)[trigger])[i]));
    }
    (void)nuvrik_asking_ask(self, NUVRIK_TRIGGER_CODE(&NUVRIK_ASKING_TRIGGERS(self->table)[trigger]),
        may_move);
}

/** Ask who is there, at once and until there is an answer. */
void nuvrik_asking_greet(NuvrikAsking *self)
{
    self->greets = true;
    self->left_ms = 0;
    self->retry_ms = NUVRIK_FIRST_RETRY_MS;
}

/** Send two bytes there and back. */
void nuvrik_asking_echo(NuvrikAsking *self)
{
    self->token = (uint16_t)(self->token + 1);
    self->trip_ms = NUVRIK_TIMER_MAX;
    self->echo_waits = true;
    self->echo_out = false;
}

/** Ask the machine, in place of a command, to move one output a little. False: nothing may move now. */
bool nuvrik_asking_jog(NuvrikAsking *self, uint8_t output, int16_t to, uint16_t for_ms, bool may_move)
{
    if (!may_move) {
        return false;
    }
    int32_t step = (int32_t)to * NUVRIK_JOG_STEPS;
    uint8_t most = NUVRIK_U8(NUVRIK_ASKING_JOG_MOST(self->table)[output]);
    self->jog_step = nuvrik_clamp(nuvrik_div(step, NUVRIK_FULL), -(int16_t)most, most);
    self->jog_time = (uint8_t)nuvrik_clamp(nuvrik_div(for_ms, NUVRIK_JOG_UNIT_MS), 1, NUVRIK_JOG_MOST_TIME);
    self->jog_output = output;
    self->jogs = true;
    return true;
}

/** Whatever has been asked and not begun is not wanted any more. What has begun ends at the machine by the
 *  same cause, and says so.
 */
void nuvrik_asking_forget(NuvrikAsking *self)
{
    self->jogs = false;
    if (!self->asked || self->outcome == NUVRIK_RUNNING) {
        return;
    }
    if (self->tries > 0) {
        nuvrik_asking_end_session(self);
    }
    nuvrik_asking_settle(self, NUVRIK_FORGOTTEN, 0, 0);
}

/** What has been sent may still arrive; another session makes it too old for that. */
void nuvrik_asking_end_session(NuvrikAsking *self)
{
    self->session = (uint16_t)((self->session == 0xffffU) ? (int32_t)1 : ((int32_t)self->session + 1));
    self->boot_known = false;
}

/** Whether question may have anything to say. */
bool nuvrik_asking_wants(const NuvrikAsking *self)
{
    return self->asked || self->greets || self->hows > 0 || self->echo_waits || self->jogs;
}

/** What is to be sent in place of a command now, if anything; write makes a frame of it. */
uint8_t nuvrik_asking_question(NuvrikAsking *self, bool may_jog)
{
    if (self->echo_waits) {
        self->echo_waits = false;
        self->echo_out = true;
        self->echo_ms = 0;
        return NUVRIK_QUESTION_ECHO;
    }
    if (self->asked) {
        if (!self->waits) {
            self->waits = true;
            self->news_ms = 0;
        }
        if (self->news_ms >= NUVRIK_PATIENCE_MS) {
            nuvrik_asking_give_up(self);
        }
    }
    uint8_t due = (uint8_t)((self->left_ms == 0) ? nuvrik_asking_due(self) : (uint8_t)NUVRIK_QUESTION_NONE);
    if (due == NUVRIK_QUESTION_NONE && self->jogs && may_jog) {
        self->jogs = false;
        return NUVRIK_QUESTION_JOG;
    }
    return due;
}

/** The time has come to ask something again. */
uint8_t nuvrik_asking_due(NuvrikAsking *self)
{
    if (!self->asked && !self->greets) {
        if (self->hows == 0) {
            return NUVRIK_QUESTION_NONE;
        }
        self->hows--;
        self->left_ms = NUVRIK_GREET_MS;
        return NUVRIK_QUESTION_HOW;
    }
    if (!self->asked || !self->boot_known || self->greets) {
        /* A board that is starting is to be met as soon as it runs, so these do not grow apart. */
        self->left_ms = NUVRIK_GREET_MS;
        return NUVRIK_QUESTION_WHO;
    }
    /* Twice as long each time: a link that is jammed is not to be jammed by questions as well. */
    self->left_ms = self->retry_ms;
    self->retry_ms = (uint16_t)nuvrik_clamp((int32_t)2 * self->retry_ms, 0, NUVRIK_LONGEST_RETRY_MS);
    if (self->number == 0) {
        self->last_number = (uint16_t)((self->last_number == 0xffffU) ? (int32_t)1
            : ((int32_t)self->last_number + 1));
        self->number = self->last_number;
    }
    self->tries = nuvrik_later(self->tries, 1);
    if (self->outcome == NUVRIK_NOT_SENT) {
        self->outcome = NUVRIK_SENT;
    }
    return NUVRIK_QUESTION_REQUEST;
}

/** Make the frame of a question. */
void nuvrik_asking_write(NuvrikAsking *self, uint8_t what, NuvrikSender *sender)
{
    if (what == NUVRIK_QUESTION_ECHO) {
        nuvrik_sender_begin(sender, NUVRIK_KIND_ECHO);
        nuvrik_sender_byte(sender, 0);
        nuvrik_sender_word(sender, self->token);
    } else if (what == NUVRIK_QUESTION_WHO || what == NUVRIK_QUESTION_HOW) {
        nuvrik_sender_begin(sender, NUVRIK_KIND_HELLO);
        nuvrik_sender_byte(sender, 0);
        nuvrik_sender_word(sender, self->session);
        nuvrik_sender_byte(sender, (uint8_t)((what == NUVRIK_QUESTION_HOW) ? NUVRIK_HOW : NUVRIK_WHO));
    } else {
        nuvrik_sender_begin(sender, NUVRIK_KIND_REQUEST);
        if (what == NUVRIK_QUESTION_JOG) {
            nuvrik_sender_byte(sender, NUVRIK_JOG_CODE);
            nuvrik_sender_byte(sender, self->jog_output);
            nuvrik_sender_byte(sender, (uint8_t)self->jog_step);
            nuvrik_sender_byte(sender, self->jog_time);
        } else {
            nuvrik_asking_write_request(self, sender);
        }
    }
    nuvrik_sender_seal(sender);
}

/** The request under way. */
void nuvrik_asking_write_request(NuvrikAsking *self, NuvrikSender *sender)
{
    nuvrik_sender_byte(sender, self->code);
    nuvrik_sender_word(sender, self->boot_low);
    nuvrik_sender_word(sender, self->boot_high);
    nuvrik_sender_word(sender, self->session);
    nuvrik_sender_word(sender, self->number);
    const NUVRIK_FLASH NuvrikRequestTable *request = &NUVRIK_ASKING_REQUESTS(self->table)[self->code];
    for (uint8_t i = 0; i < NUVRIK_REQUEST_ARGUMENTS_COUNT(request); i++) {
        const NUVRIK_FLASH NuvrikArgumentTable *about = &NUVRIK_REQUEST_ARGUMENTS(request)[i];
        uint8_t bits = NUVRIK_ARGUMENT_BITS(about);
        nuvrik_sender_bits(sender, (uint16_t)((uint16_t)self->arguments[i] & nuvrik_mask_of(bits)), bits);
    }
}

/** The machine has said who it is. */
void nuvrik_asking_hear_who(NuvrikAsking *self, uint16_t boot_low, uint16_t boot_high)
{
    bool same = self->boot_known && boot_low == self->boot_low && boot_high == self->boot_high;
    if (self->greets) {
        self->hows = NUVRIK_MOST_HOWS;
    }
    self->greets = false;
    if (self->asked && self->tries > 0 && !same) {
        /* What was sent to the boot before may or may not have been done; it is not sent again. */
        nuvrik_asking_settle(self, NUVRIK_STRANGER, 0, 0);
    }
    self->boot_known = true;
    self->boot_low = boot_low;
    self->boot_high = boot_high;
    nuvrik_asking_have_news(self);
}

/** The machine has said how it has fared. */
void nuvrik_asking_hear_how(NuvrikAsking *self)
{
    self->hows = 0;
}

/** An answer; one to anything but the request under way is of no interest any more. */
void nuvrik_asking_hear_reply(NuvrikAsking *self, uint8_t code, uint16_t session, uint16_t number,
    uint8_t status, uint16_t low, uint16_t high)
{
    if (!self->asked || code != self->code || session != self->session || number != self->number) {
        return;
    }
    if (status == NUVRIK_RUNNING) {
        self->outcome = NUVRIK_RUNNING;
        self->value_low = low;
        self->value_high = high;
        nuvrik_asking_have_news(self);
        self->left_ms = NUVRIK_POLL_MS;
        self->retry_ms = NUVRIK_POLL_MS;
        return;
    }
    if (status == NUVRIK_STRANGER) {
        /* It does not know us: its boot number is asked for again before anything else is sent. */
        self->boot_known = false;
    }
    nuvrik_asking_settle(self, status, low, high);
    nuvrik_asking_have_news(self);
}

/** Two bytes are back. */
void nuvrik_asking_hear_echo(NuvrikAsking *self, uint16_t token)
{
    if (self->echo_out && token == self->token) {
        self->echo_out = false;
        self->trip_ms = self->echo_ms;
    }
}

/** The machine has said something about what was asked. */
void nuvrik_asking_have_news(NuvrikAsking *self)
{
    self->waits = self->asked;
    self->news_ms = 0;
    self->left_ms = 0;
    self->retry_ms = NUVRIK_FIRST_RETRY_MS;
}

/** Nobody answers. */
void nuvrik_asking_give_up(NuvrikAsking *self)
{
    if (self->tries > 0) {
        nuvrik_asking_settle(self, NUVRIK_NO_ANSWER, self->value_low, self->value_high);
        nuvrik_asking_end_session(self);
    } else {
        nuvrik_asking_settle(self, NUVRIK_NEVER_SENT, 0, 0);
    }
}

/** Nothing more becomes of it. */
void nuvrik_asking_settle(NuvrikAsking *self, uint8_t outcome, uint16_t low, uint16_t high)
{
    self->asked = false;
    self->waits = false;
    self->outcome = outcome;
    self->value_low = low;
    self->value_high = high;
}

/* ---- knob ---- */

void nuvrik_knob_init(NuvrikKnob *self, const NUVRIK_FLASH NuvrikKnobTable *table)
{
    self->table = table;
}

/** What its contacts are at now; often enough, and it misses nothing. */
void nuvrik_knob_look(NuvrikKnob *self, bool a, bool b)
{
    if (!self->seen) {
        self->at = NUVRIK_KNOB_START(self->table);
    } else if ((a != self->a) != (b != self->b)) {
        bool ahead = a != self->b;
        if (ahead && self->at < NUVRIK_KNOB_HIGH(self->table)) {
            self->at++;
        } else if (!ahead && self->at > NUVRIK_KNOB_LOW(self->table)) {
            self->at--;
        }
    }
    self->seen = true;
    self->a = a;
    self->b = b;
}

/* ---- handset_end ---- */

void nuvrik_handset_end_init(NuvrikHandsetEnd *self, const NUVRIK_FLASH NuvrikHandsetEndTable *table)
{
    memset(self, 0, sizeof *self);
    self->table = table;
    nuvrik_handset_init(&self->handset, NUVRIK_HANDSET_END_HANDSET(table));
    nuvrik_writer_init(&self->writer, NUVRIK_HANDSET_END_WRITER(table));
    nuvrik_sealed_init(&self->sealed, NUVRIK_HANDSET_END_SEALED(table));
    nuvrik_incoming_init(&self->incoming, NUVRIK_HANDSET_END_INCOMING(table));
    nuvrik_hearing_init(&self->hearing, NUVRIK_HANDSET_END_HEARING(table));
    nuvrik_asking_init(&self->asking, NUVRIK_HANDSET_END_ASKING(table));
    for (uint8_t i = 0; i < NUVRIK_HANDSET_END_KNOBS_COUNT(table); i++) {
        nuvrik_knob_init(&self->knobs[i], &NUVRIK_HANDSET_END_KNOBS(table)[i]);
    }
}

/** At power-up, with the lower half of a number that differs from boot to boot. */
void nuvrik_handset_end_begin(NuvrikHandsetEnd *self, uint16_t boot_low)
{
    nuvrik_handset_begin(&self->handset);
    nuvrik_asking_begin(&self->asking, boot_low);
}

/** Let it be now_ms. */
void nuvrik_handset_end_pass_time(NuvrikHandsetEnd *self, uint16_t now_ms)
{
    if (self->handset.started) {
        uint16_t dt_ms = (uint16_t)(now_ms - self->handset.now_ms);
        nuvrik_hearing_pass_time(&self->hearing, dt_ms);
        nuvrik_asking_pass_time(&self->asking, dt_ms);
    }
    nuvrik_handset_pass_time(&self->handset, now_ms);
    nuvrik_handset_end_follow(self);
}

/** The loop has been held up for longer than a timer counts. */
void nuvrik_handset_end_expire(NuvrikHandsetEnd *self, uint16_t now_ms)
{
    nuvrik_hearing_pass_time(&self->hearing, NUVRIK_TIMER_MAX);
    nuvrik_asking_pass_time(&self->asking, NUVRIK_TIMER_MAX);
    nuvrik_handset_expire(&self->handset, now_ms);
    /* Of the machine too nothing is known any more: its next frame is accepted as it is. */
    nuvrik_sealed_forget(&self->sealed);
    nuvrik_asking_forget(&self->asking);
    nuvrik_handset_end_follow(self);
}

/** What was asked before and not begun may not be wanted any more. */
void nuvrik_handset_end_follow(NuvrikHandsetEnd *self)
{
    if (nuvrik_handset_forgets(&self->handset)) {
        nuvrik_asking_forget(&self->asking);
    }
}

/** Whether what moves something may be asked now: arm is sent on and, where the machine says so, it is
 *  ARMED.
 */
bool nuvrik_handset_end_may_move(const NuvrikHandsetEnd *self)
{
    return self->handset.hands.live && (!nuvrik_hearing_tells(&self->hearing)
        || nuvrik_hearing_state(&self->hearing) == NUVRIK_ARMED);
}

/** A reading of a control; have_read comes after the last of them. */
void nuvrik_handset_end_read(NuvrikHandsetEnd *self, uint8_t control, int32_t raw)
{
    nuvrik_handset_read(&self->handset, control, raw);
}

/** What the contacts of a knob are at; in every turn of the loop. */
void nuvrik_handset_end_turn(NuvrikHandsetEnd *self, uint8_t knob, bool a, bool b)
{
    nuvrik_knob_look(&self->knobs[knob], a, b);
    nuvrik_handset_end_read(self, NUVRIK_KNOB_CONTROL(&NUVRIK_HANDSET_END_KNOBS(self->table)[knob]),
        self->knobs[knob].at);
}

/** What follows from new readings. */
void nuvrik_handset_end_have_read(NuvrikHandsetEnd *self)
{
    nuvrik_handset_have_read(&self->handset);
    nuvrik_handset_end_follow(self);
    uint8_t trigger = nuvrik_asking_pressed(&self->asking, &self->handset.hands);
    if (trigger != NUVRIK_NOBODY) {
        nuvrik_asking_start(&self->asking, trigger, nuvrik_handset_end_may_move(self));
    }
}

/** A stop of a program's own. */
void nuvrik_handset_end_press_stop(NuvrikHandsetEnd *self, bool pressed)
{
    nuvrik_handset_press_stop(&self->handset, pressed);
    nuvrik_handset_end_follow(self);
}

/** From now on, whatever is read: everything at rest and arm off. */
void nuvrik_handset_end_leave(NuvrikHandsetEnd *self)
{
    nuvrik_handset_leave(&self->handset);
    nuvrik_handset_end_follow(self);
}

/** An argument of the request that is asked next. */
void nuvrik_handset_end_argument(NuvrikHandsetEnd *self, uint8_t at, int32_t value)
{
    nuvrik_asking_argument(&self->asking, at, value);
}

/** Ask the machine to do something, once. False: another request is under way, or it may not move now. */
bool nuvrik_handset_end_ask(NuvrikHandsetEnd *self, uint8_t code)
{
    return nuvrik_asking_ask(&self->asking, code, nuvrik_handset_end_may_move(self));
}

/** Ask who is there. */
void nuvrik_handset_end_greet(NuvrikHandsetEnd *self)
{
    nuvrik_asking_greet(&self->asking);
}

/** Send two bytes there and back. */
void nuvrik_handset_end_echo(NuvrikHandsetEnd *self)
{
    nuvrik_asking_echo(&self->asking);
}

/** Ask the machine to move one output a little. False: nothing may move now. */
bool nuvrik_handset_end_jog(NuvrikHandsetEnd *self, uint8_t output, int16_t to, uint16_t for_ms)
{
    return nuvrik_asking_jog(&self->asking, output, to, for_ms, nuvrik_handset_end_may_move(self));
}

/** Write the frame that is due now, if one is: into writer.sender, or writer.slots. */
bool nuvrik_handset_end_send(NuvrikHandsetEnd *self)
{
    uint8_t turn = nuvrik_handset_turn(&self->handset);
    if (turn == NUVRIK_SENDS_NOTHING) {
        return false;
    }
    nuvrik_handset_end_follow(self);
    if (turn == NUVRIK_SENDS_STOP) {
        return nuvrik_writer_stop(&self->writer);
    }
    /* A stop goes before everything, a question before a command: it is answered while frames go on. */
    if (nuvrik_asking_wants(&self->asking) && nuvrik_handset_may_ask(&self->handset)) {
        uint8_t what = nuvrik_asking_question(&self->asking, self->handset.hands.live);
        if (what != NUVRIK_QUESTION_NONE) {
            nuvrik_asking_write(&self->asking, what, &self->writer.sender);
            return true;
        }
    }
    if (nuvrik_handset_command(&self->handset) == NUVRIK_SENDS_NOTHING) {
        return false;
    }
    nuvrik_handset_fill(&self->handset);
    self->writer.echo = self->hearing.seq;
    return nuvrik_writer_command(&self->writer, self->handset.values);
}

/** One byte of a stream. */
uint8_t nuvrik_handset_end_take(NuvrikHandsetEnd *self, uint8_t byte)
{
    return nuvrik_handset_end_piece(self, nuvrik_incoming_take(&self->incoming, byte, &self->sealed));
}

/** A body or a line, if one has ended. */
uint8_t nuvrik_handset_end_piece(NuvrikHandsetEnd *self, uint8_t event)
{
    if (event == NUVRIK_ACCEPTED) {
        event = (NUVRIK_INCOMING_LINES(NUVRIK_HANDSET_END_INCOMING(self->table)))
            ? nuvrik_handset_end_judge_line(self) : nuvrik_handset_end_judge(self);
    }
    return nuvrik_handset_end_count(self, event);
}

/** A packet begins. */
void nuvrik_handset_end_begin_packet(NuvrikHandsetEnd *self)
{
    nuvrik_incoming_begin_packet(&self->incoming, &self->sealed);
}

/** One byte of a packet. */
void nuvrik_handset_end_packet_byte(NuvrikHandsetEnd *self, uint8_t byte)
{
    nuvrik_incoming_packet_byte(&self->incoming, byte, &self->sealed);
}

/** It has ended. */
uint8_t nuvrik_handset_end_end_packet(NuvrikHandsetEnd *self)
{
    return nuvrik_handset_end_piece(self, nuvrik_incoming_end_packet(&self->incoming, &self->sealed));
}

/** Count what is refused. */
uint8_t nuvrik_handset_end_count(NuvrikHandsetEnd *self, uint8_t event)
{
    if (event != NUVRIK_NO_EVENT && event != NUVRIK_ACCEPTED) {
        self->refused = nuvrik_later(self->refused, 1);
    }
    return event;
}

/** A line has ended. One that is no hex digits is a command, which is for the other end. */
uint8_t nuvrik_handset_end_judge_line(NuvrikHandsetEnd *self)
{
    if (!nuvrik_text_reader_is_hex(&self->incoming.text)) {
        uint8_t check = NUVRIK_TEXT_CHECK(NUVRIK_WRITER_TEXT(NUVRIK_HANDSET_END_WRITER(self->table)));
        return (uint8_t)((check == NUVRIK_NO_CHECK || nuvrik_text_reader_sound(&self->incoming.text,
            nuvrik_check_digits(check))) ? NUVRIK_WRONG_KIND : NUVRIK_CHECK);
    }
    uint8_t event = nuvrik_text_reader_unhex(&self->incoming.text, &self->sealed);
    return (event == NUVRIK_ACCEPTED) ? nuvrik_handset_end_judge(self) : event;
}

/** A body has ended: what it is, and what it tells. */
uint8_t nuvrik_handset_end_judge(NuvrikHandsetEnd *self)
{
    /* After a silence the machine may have started again, and its numbers with it. */
    if (self->hearing.heard_ms >= NUVRIK_HEARING_TIMEOUT_MS(NUVRIK_HANDSET_END_HEARING(self->table))) {
        nuvrik_sealed_forget(&self->sealed);
    }
    uint8_t event = nuvrik_sealed_look(&self->sealed);
    if (event == NUVRIK_ACCEPTED) {
        event = nuvrik_hearing_understand(&self->hearing, &self->sealed);
    }
    if (event == NUVRIK_ACCEPTED) {
        event = nuvrik_sealed_newness(&self->sealed);
    }
    if (event != NUVRIK_ACCEPTED) {
        return event;
    }
    nuvrik_sealed_move(&self->sealed);
    nuvrik_hearing_take(&self->hearing, &self->sealed);
    if ((NUVRIK_HAS_KIND_TELEMETRY && self->sealed.kind == NUVRIK_KIND_TELEMETRY)) {
        nuvrik_handset_hear(&self->handset);
    } else {
        nuvrik_handset_end_answered(self);
    }
    return NUVRIK_ACCEPTED;
}

/** An answer to something that was asked. */
void nuvrik_handset_end_answered(NuvrikHandsetEnd *self)
{
    NuvrikHearing *heard = &self->hearing;
    if ((NUVRIK_HAS_KIND_REPLY && self->sealed.kind == NUVRIK_KIND_REPLY)) {
        nuvrik_asking_hear_reply(&self->asking, heard->code, heard->session, heard->number, heard->status,
            heard->value_low, heard->value_high);
    } else if ((NUVRIK_HAS_KIND_ECHO && self->sealed.kind == NUVRIK_KIND_ECHO)) {
        if (heard->length == 2) {
            nuvrik_asking_hear_echo(&self->asking, nuvrik_sealed_two(&self->sealed, 1));
        }
    } else if (self->sealed.body[NUVRIK_HEAD + 1] == NUVRIK_WHO) {
        nuvrik_asking_hear_who(&self->asking, heard->boot_low, heard->boot_high);
    } else {
        nuvrik_asking_hear_how(&self->asking);
    }
}

/* ---- marks ---- */

/** Two lengths together, as far as they are told. */
uint32_t nuvrik_longer(uint32_t a, uint32_t b)
{
    return (uint32_t)(((int32_t)a >= NUVRIK_MOST_US || (int32_t)b >= (NUVRIK_MOST_US - (int32_t)a))
        ? (int32_t)NUVRIK_MOST_US : ((int32_t)a + (int32_t)b));
}

/** So many microseconds of mark or of space; two of a kind in a row are one. The length of what has ended
 *  by it, 0 for none.
 */
uint32_t nuvrik_cleaner_take(NuvrikCleaner *self, bool mark, uint32_t us)
{
    uint32_t ended = 0;
    if ((int32_t)us == 0) {
        return 0;
    }
    if ((int32_t)self->brief > 0 && mark == self->is_mark) {
        /* The level is back to what it was. */
        self->pending = nuvrik_longer(nuvrik_longer(self->pending, self->brief), us);
        self->brief = 0;
    } else if (mark == self->is_mark) {
        self->pending = nuvrik_longer(self->pending, us);
    } else {
        self->brief = nuvrik_longer(self->brief, us);
        if ((int32_t)self->brief > NUVRIK_GLITCH_US) {
            ended = self->pending;
            self->pending = self->brief;
            self->is_mark = mark;
            self->brief = 0;
        }
    }
    return ended;
}

/* ---- burst ---- */

void nuvrik_burst_init(NuvrikBurst *self)
{
    for (uint8_t i = 0; i < NUVRIK_MOST_LENGTHS; i++) {
        self->units[i] = 1;
    }
}

/** Nothing has come yet. */
void nuvrik_burst_empty(NuvrikBurst *self)
{
    self->kept = 0;
    self->first = 0;
}

/** One length more. Of a burst that is too long only that is kept. */
void nuvrik_burst_keep(NuvrikBurst *self, int32_t us)
{
    if (self->kept < NUVRIK_MOST_LENGTHS) {
        self->times[self->kept] = (uint16_t)nuvrik_clamp(us, 0, NUVRIK_LONGEST_US);
        self->kept++;
    } else {
        self->kept = (uint8_t)(NUVRIK_MOST_LENGTHS + 1);
    }
}

/** How many lengths there are from the first on. */
uint8_t nuvrik_burst_count(const NuvrikBurst *self)
{
    return (uint8_t)((self->kept > self->first) ? (self->kept - self->first) : 0);
}

/** The length at a place. */
uint16_t nuvrik_burst_time(const NuvrikBurst *self, uint8_t place)
{
    return self->times[self->first + place];
}

/** Half way between the shortest and the longest of every other length from a place on; 0 where they are
 *  of one kind (1.4 is nearer to 1 than to the 2 or 3 that would be the other kind).
 */
uint16_t nuvrik_burst_middle(NuvrikBurst *self, uint8_t start)
{
    uint16_t least = NUVRIK_LONGEST_US;
    uint16_t most = 0;
    uint8_t place = start;
    while (place < nuvrik_burst_count(self)) {
        uint16_t length = nuvrik_burst_time(self, place);
        if (length < least) {
            least = length;
        }
        if (length > most) {
            most = length;
        }
        place = (uint8_t)(place + 2);
    }
    return (uint16_t)((((int32_t)5 * most) < ((int32_t)7 * least)) ? 0 : (((int32_t)least + most) / 2));
}

/** The longest mark behind the leader. */
uint16_t nuvrik_burst_longest_mark(NuvrikBurst *self)
{
    uint16_t most = 0;
    uint8_t place = 2;
    while (place < nuvrik_burst_count(self)) {
        if (nuvrik_burst_time(self, place) > most) {
            most = nuvrik_burst_time(self, place);
        }
        place = (uint8_t)(place + 2);
    }
    return most;
}

/** Units of a bi-phase code: from a place on there are so many of mark and so many of space, and from that
 *  alone unit and stretch follow. False if a length is not 1 to 3 units, or the sum differs.
 */
bool nuvrik_burst_balance(NuvrikBurst *self, uint8_t start, uint8_t marks, uint8_t spaces)
{
    int32_t mark_us = 0;
    int32_t space_us = 0;
    uint8_t mark_count = 0;
    uint8_t space_count = 0;
    uint8_t place = start;
    while (place < nuvrik_burst_count(self)) {
        if ((place & 1) == 0) {
            mark_us = mark_us + nuvrik_burst_time(self, place);
            mark_count++;
        } else {
            space_us = space_us + nuvrik_burst_time(self, place);
            space_count++;
        }
        place++;
    }
    uint32_t more = (uint32_t)mark_us * spaces;
    uint32_t less = (uint32_t)space_us * marks;
    int32_t stretch = nuvrik_div((int32_t)more - (int32_t)less, (int32_t)((uint16_t)mark_count * spaces)
        + ((uint16_t)space_count * marks));
    if (nuvrik_abs32(stretch) > (2 * NUVRIK_MOST_STRETCH_US)) {
        return false;
    }
    int32_t given = stretch * mark_count;
    int32_t unit = nuvrik_div(mark_us - given, marks);
    if (unit < 200 || unit > 2000) {
        return false;
    }
    uint16_t total = 0;
    place = start;
    while (place < nuvrik_burst_count(self)) {
        int32_t length = (int32_t)nuvrik_burst_time(self, place) + ((int16_t)unit / 2);
        length = ((place & 1) == 0) ? (length - stretch) : (length + stretch);
        if (length < unit || length >= (4 * (int16_t)unit)) {
            return false;
        }
        uint8_t units = (uint8_t)((int16_t)length / (int16_t)unit);
        self->units[place] = units;
        total = (uint16_t)((int32_t)total + units);
        place++;
    }
    return total == (uint16_t)(marks + spaces);
}

/** A length for one unit of it, in quarters of a microsecond. */
int32_t nuvrik_burst_for_one(const NuvrikBurst *self, uint8_t place)
{
    return ((int32_t)NUVRIK_QUARTERS * nuvrik_burst_time(self, place)) / self->units[place];
}

/** What of the stretch falls on one unit of a length. */
int32_t nuvrik_burst_lean(const NuvrikBurst *self, uint8_t place, int32_t stretch)
{
    return nuvrik_div(((place & 1) == 0) ? stretch : (-stretch), self->units[place]);
}

/** How well the lengths are so many units each; NO_FIT if they are not. nominal: a unit in quarters of a
 *  microsecond; each: how far off one length may be, in thousandths of its unit.
 */
uint16_t nuvrik_burst_score(NuvrikBurst *self, uint16_t nominal, uint16_t each)
{
    int32_t mark_sum = 0;
    int32_t space_sum = 0;
    uint16_t mark_parts = 0;
    uint16_t space_parts = 0;
    for (uint8_t place = 0; place < nuvrik_burst_count(self); place++) {
        uint8_t part = (uint8_t)(NUVRIK_PARTS / self->units[place]);
        if ((place & 1) == 0) {
            mark_sum = mark_sum + nuvrik_burst_for_one(self, place);
            mark_parts = (uint16_t)((int32_t)mark_parts + part);
        } else {
            space_sum = space_sum + nuvrik_burst_for_one(self, place);
            space_parts = (uint16_t)((int32_t)space_parts + part);
        }
    }
    uint8_t space_count = (uint8_t)(nuvrik_burst_count(self) / 2);
    uint8_t mark_count = (uint8_t)(nuvrik_burst_count(self) - space_count);
    int32_t mark = nuvrik_div(mark_sum, mark_count);
    uint8_t mark_part = (uint8_t)nuvrik_div(mark_parts, mark_count);
    int32_t space = nuvrik_div(space_sum, space_count);
    int32_t apart = (mark - space) * NUVRIK_PARTS;
    uint8_t space_part = (uint8_t)nuvrik_div(space_parts, space_count);
    int32_t stretch = nuvrik_div(apart, mark_part + space_part);
    if (nuvrik_abs32(stretch) > (NUVRIK_QUARTERS * NUVRIK_MOST_STRETCH_US)) {
        return NUVRIK_NO_FIT;
    }
    int32_t lent = stretch * mark_part;
    int32_t given = nuvrik_div(lent, NUVRIK_PARTS);
    int32_t unit = mark - given;
    if (unit < 1 || unit > 8000 || (100 * unit) < ((int32_t)NUVRIK_SLOWEST * nominal)
        || (100 * unit) > ((int32_t)NUVRIK_FASTEST * nominal)) {
        return NUVRIK_NO_FIT;
    }
    return nuvrik_burst_scored(self, (uint16_t)unit, stretch, each);
}

/** The same, where the unit and the stretch are known. */
uint16_t nuvrik_burst_scored(NuvrikBurst *self, uint16_t unit, int32_t stretch, uint16_t each)
{
    uint32_t worst = 0;
    uint32_t errors = 0;
    for (uint8_t place = 0; place < nuvrik_burst_count(self); place++) {
        uint32_t error = (uint32_t)nuvrik_abs32((nuvrik_burst_for_one(self, place) - unit)
            - nuvrik_burst_lean(self, place, stretch));
        errors = (uint32_t)((int32_t)errors + (int32_t)error);
        if ((int32_t)error > (int32_t)worst) {
            worst = error;
        }
    }
    uint32_t off = 1000 * worst;
    if ((int32_t)off > ((int32_t)NUVRIK_RIVAL_EACH * unit)) {
        return NUVRIK_NO_FIT;
    }
    uint32_t total = 1000 * errors;
    int32_t score = (((int32_t)total / nuvrik_burst_count(self)) / unit)
        + (nuvrik_abs32(stretch) / (2 * NUVRIK_QUARTERS));
    if (score > NUVRIK_RIVAL_SCORE) {
        return NUVRIK_NO_FIT;
    }
    /* One length too far off: it fits only as a rival does. */
    return (uint16_t)((off > ((uint32_t)each * unit) && (int16_t)score <= NUVRIK_MOST_SCORE)
        ? (NUVRIK_MOST_SCORE + 1) : score);
}

/* ---- families ---- */

void nuvrik_found_init(NuvrikFound *self)
{
    self->best = NUVRIK_NO_FIT;
    self->second = NUVRIK_NO_FIT;
}

/** Nothing fits yet. */
void nuvrik_found_clear(NuvrikFound *self)
{
    self->best = NUVRIK_NO_FIT;
    self->second = NUVRIK_NO_FIT;
    self->protocol = NUVRIK_NO_CODE;
    self->address = 0;
    self->command = 0;
    self->toggle = 0;
}

/** A code that fits so well. */
void nuvrik_found_enter(NuvrikFound *self, uint16_t score, uint8_t protocol, uint16_t address,
    uint8_t command, uint8_t toggle)
{
    if (score == NUVRIK_NO_FIT) {
        return;
    }
    bool same = protocol == self->protocol && address == self->address && toggle == self->toggle;
    if (same && command == self->command) {
        if (score < self->best) {
            self->best = score;
        }
    } else if (score >= self->best) {
        if (score < self->second) {
            self->second = score;
        }
    } else {
        self->second = self->best;
        self->best = score;
        self->protocol = protocol;
        self->address = address;
        self->command = command;
        self->toggle = toggle;
    }
}

/** Whether it fits well enough, and no other nearly as well. */
bool nuvrik_found_certain(const NuvrikFound *self)
{
    return self->best <= NUVRIK_MOST_SCORE && self->second >= ((int32_t)self->best + NUVRIK_MARGIN);
}

/** Find the code that a burst is, or that begins at a leader in it; False if it is none, or may be two.
 *  The burst begins where the code does, afterwards.
 */
bool nuvrik_judge(NuvrikBurst *burst, NuvrikFound *found)
{
    burst->first = 0;
    if (burst->kept > NUVRIK_MOST_LENGTHS) {
        return false;
    }
    for (uint8_t _ = 0; _ < NUVRIK_TRIES; _++) {
        nuvrik_found_clear(found);
        nuvrik_try_all(burst, found);
        if (found->best != NUVRIK_NO_FIT) {
            return nuvrik_found_certain(found);
        }
        uint8_t place = (uint8_t)(burst->first + 2);
        while (place < burst->kept && burst->times[place] < NUVRIK_LATER_LEADER_US) {
            place = (uint8_t)(place + 2);
        }
        burst->first = place;
    }
    return false;
}

/** Every family that can have so many lengths. Later in the burst only those that begin with a leader,
 *  because part of an rc5 frame is one as well.
 */
void nuvrik_try_all(NuvrikBurst *burst, NuvrikFound *found)
{
    uint8_t count = nuvrik_burst_count(burst);
    if (count < 3) {
        return;
    }
    uint16_t leader = nuvrik_burst_time(burst, 0);
    if (count == 3) {
        nuvrik_try_nec_again(burst, found);
    }
    if (count == 67 && leader > 5000) {
        nuvrik_try_nec(burst, found);
    }
    if (count >= 13 && count <= 27 && leader < 2800 && burst->first == 0) {
        nuvrik_try_rc5(burst, found, 12);
        nuvrik_try_rc5(burst, found, 13);
    }
    if (count >= 23 && count <= 45 && leader > 1500 && leader < 4200) {
        nuvrik_try_rc6(burst, found, 21);
        nuvrik_try_rc6(burst, found, 22);
    }
    if (leader > 1350 && leader < 3800) {
        if (count == 25) {
            nuvrik_try_sirc(burst, found, NUVRIK_SIRC12);
        } else if (count == 31) {
            nuvrik_try_sirc(burst, found, NUVRIK_SIRC15);
        } else if (count == 41) {
            nuvrik_try_sirc(burst, found, NUVRIK_SIRC20);
        }
    }
}

/** A leader of 16 and 4 units and one mark: too few lengths to find a stretch from, so they are bounded,
 *  by the clock and the stretch that a remote and a receiver may have.
 */
void nuvrik_try_nec_again(NuvrikBurst *burst, NuvrikFound *found)
{
    uint16_t mark = nuvrik_burst_time(burst, 0);
    uint16_t space = nuvrik_burst_time(burst, 1);
    uint16_t last = nuvrik_burst_time(burst, 2);
    if (mark < 6000 || mark > 12700 || last < 150 || last > 930 || space > 9600) {
        return;
    }
    /* A quarter of the leader, where a frame has half. */
    if (((int32_t)40 * space) < ((int32_t)6 * mark) || ((int32_t)40 * space) > ((int32_t)15 * mark)
        || ((int16_t)mark + (int16_t)space) < 7600 || ((int16_t)mark + (int16_t)space) > 15600) {
        return;
    }
    nuvrik_found_enter(found, 0, NUVRIK_NEC_AGAIN, 0, 0, 0);
}

/** A byte of a nec frame, lowest bit first, whose first mark is at a place; a space over the middle is a
 *  one.
 */
uint8_t nuvrik_nec_byte(NuvrikBurst *burst, uint8_t start, uint16_t middle)
{
    uint8_t value = 0;
    for (uint8_t bit = 0; bit < 8; bit++) {
        uint8_t space = (uint8_t)((start + (2 * bit)) + 1);
        bool one = nuvrik_burst_time(burst, space) > middle;
        burst->units[space - 1] = 1;
        burst->units[space] = (uint8_t)(one ? 3 : 1);
        if (one) {
            value = (uint8_t)(value | (1 << bit));
        }
    }
    return value;
}

/** Leader 16 and 8; marks of 1, spaces of 1 or 3; the third byte's complement is the fourth. */
void nuvrik_try_nec(NuvrikBurst *burst, NuvrikFound *found)
{
    uint16_t middle = nuvrik_burst_middle(burst, 3);
    if (middle == 0) {
        return;
    }
    uint8_t low = nuvrik_nec_byte(burst, 2, middle);
    uint8_t high = nuvrik_nec_byte(burst, 18, middle);
    uint8_t command = nuvrik_nec_byte(burst, 34, middle);
    uint8_t complement = nuvrik_nec_byte(burst, 50, middle);
    if ((command ^ complement) != 0xff) {
        return;
    }
    burst->units[0] = 16;
    burst->units[1] = 8;
    burst->units[66] = 1;
    uint16_t score = nuvrik_burst_score(burst, NUVRIK_NEC_UNIT, NUVRIK_NEC_EACH);
    if ((low ^ high) == 0xff) {
        nuvrik_found_enter(found, score, NUVRIK_NEC, low, command, 0);
    } else {
        nuvrik_found_enter(found, score, NUVRIK_NEC_EXTENDED, (uint16_t)(low
            + (uint16_t)((uint16_t)256 * high)), command, 0);
    }
}

/** Leader 4, spaces 1, marks 1 or 2. They may be of both kinds, or all of the one or the other: where they
 *  scatter, only the fit can tell.
 */
void nuvrik_try_sirc(NuvrikBurst *burst, NuvrikFound *found, uint8_t protocol)
{
    uint16_t middle = nuvrik_burst_middle(burst, 2);
    nuvrik_sirc_as(burst, found, protocol, 0);
    nuvrik_sirc_as(burst, found, protocol, nuvrik_burst_longest_mark(burst));
    if (middle != 0) {
        nuvrik_sirc_as(burst, found, protocol, middle);
    }
}

/** sirc, if marks longer than the middle are ones: 7 bits of command, lowest first, then the address. */
void nuvrik_sirc_as(NuvrikBurst *burst, NuvrikFound *found, uint8_t protocol, uint16_t middle)
{
    uint8_t command = 0;
    uint16_t address = 0;
    uint16_t weight = 1;
    burst->units[0] = 4;
    uint8_t place = 1;
    while (place < nuvrik_burst_count(burst)) {
        bool one = (place & 1) == 0 && nuvrik_burst_time(burst, place) > middle;
        burst->units[place] = (uint8_t)(one ? 2 : 1);
        if ((place & 1) == 0) {
            if (place <= 14) {
                command = (uint8_t)(command | (one ? (weight & 127) : 0));
            } else {
                address = (uint16_t)(address | (uint16_t)(one ? weight : 0));
            }
            weight = (uint16_t)((place == 14) ? 1 : (uint16_t)((int32_t)2 * weight));
        }
        place++;
    }
    nuvrik_found_enter(found, nuvrik_burst_score(burst, NUVRIK_SIRC_UNIT, NUVRIK_SIRC_EACH), protocol,
        address, command, 0);
}

/** 14 bits; a 1 is space then mark. The first space is not seen, nor the last of a 0: 12 spaces or 13. */
void nuvrik_try_rc5(NuvrikBurst *burst, NuvrikFound *found, uint8_t spaces)
{
    if (!nuvrik_burst_balance(burst, 0, 14, spaces)) {
        return;
    }
    uint8_t half = 1;
    bool before = false;
    uint16_t value = 0;
    for (uint8_t place = 0; place < nuvrik_burst_count(burst); place++) {
        bool mark = (place & 1) == 0;
        uint8_t units = burst->units[place];
        if (units > 2) {
            return;
        }
        for (uint8_t _ = 0; _ < units; _++) {
            if ((half & 1) != 0) {
                if (before == mark) {
                    return;
                }
                value = (uint16_t)((((int32_t)2 * value) + (mark ? 1 : 0)) & 16383);
            }
            before = mark;
            half++;
        }
    }
    if (half == 27) {
        /* The last bit is a 0, whose space nobody sees. */
        value = (uint16_t)(((int32_t)2 * value) & 16383);
    }
    uint8_t field = (uint8_t)((((int16_t)(value >> 12) & 1) != 0) ? 0 : 64);
    uint8_t command = (uint8_t)((int16_t)(value & 63) + field);
    nuvrik_found_enter(found, nuvrik_burst_score(burst, NUVRIK_RC5_UNIT, NUVRIK_RC5_EACH), NUVRIK_RC5,
        (uint16_t)((int16_t)(value >> 6) & 31), command, (uint8_t)((int16_t)(value >> 11) & 1));
}

/** Leader 6 and 2; start bit 1, mode 000, a toggle of double width, 16 bits; a 1 is mark then space. */
void nuvrik_try_rc6(NuvrikBurst *burst, NuvrikFound *found, uint8_t spaces)
{
    if (!nuvrik_burst_balance(burst, 2, 22, spaces)) {
        return;
    }
    burst->units[0] = 6;
    burst->units[1] = 2;
    uint8_t half = 0;
    bool before = false;
    uint32_t bits = 0;
    uint8_t toggle = 0;
    uint8_t place = 2;
    while (place < nuvrik_burst_count(burst)) {
        bool mark = (place & 1) == 0;
        for (uint8_t _ = 0; _ < burst->units[place]; _++) {
            if (half == 9 || half == 11) {
                /* The second halves of the toggle's halves. */
                if (before != mark) {
                    return;
                }
            } else if (half == 10 || (half & 1) != 0) {
                if (before == mark) {
                    return;
                }
                if (half == 10) {
                    toggle = (uint8_t)(before ? 1 : 0);
                } else {
                    bits = (uint32_t)((((int32_t)2 * (int32_t)bits) + (before ? 1 : 0)) & INT32_C(1048575));
                }
            }
            before = mark;
            half++;
        }
        place++;
    }
    if (half == 43) {
        /* The last bit is a 1, whose space nobody sees. */
        bits = (uint32_t)((((int32_t)2 * (int32_t)bits) + (before ? 1 : 0)) & INT32_C(1048575));
    }
    if ((int16_t)((int32_t)bits >> 16) != 8) {
        return;
    }
    nuvrik_found_enter(found, nuvrik_burst_score(burst, NUVRIK_RC6_UNIT, NUVRIK_RC6_EACH), NUVRIK_RC6,
        (uint8_t)((int32_t)bits >> 8), (uint8_t)bits, toggle);
}

/* ---- shape ---- */

/** Whether a length may have been meant to be another. */
bool nuvrik_near(uint16_t length, uint16_t wanted)
{
    int32_t off = (int32_t)length - wanted;
    return (4 * nuvrik_abs32(off)) <= ((int32_t)wanted + (4 * NUVRIK_SLACK_US));
}

/** One bit more at the low end of a code. */
void nuvrik_push(uint16_t *words, bool bit)
{
    uint16_t carry = (uint16_t)(bit ? 1 : 0);
    for (uint8_t i = 0; i < NUVRIK_WORDS; i++) {
        uint16_t out = (uint16_t)(words[i] >> 15);
        words[i] = (uint16_t)((uint16_t)((uint16_t)(words[i] & 32767) << 1) | carry);
        carry = out;
    }
}

void nuvrik_tail_init(NuvrikTail *self, const NUVRIK_FLASH NuvrikShapeTable *table)
{
    self->table = table;
}

/** Nothing has come yet. */
void nuvrik_tail_clear(NuvrikTail *self)
{
    self->next = 0;
    self->count = 0;
}

/** One length more. */
void nuvrik_tail_keep(NuvrikTail *self, uint32_t us)
{
    if (NUVRIK_SHAPE_TAIL_COUNT(self->table) == 0) {
        return;
    }
    self->lengths[self->next] = (uint16_t)nuvrik_clamp((int32_t)us, 0, 0xffffU);
    self->next = (uint8_t)(((self->next + 1) < NUVRIK_SHAPE_TAIL_COUNT(self->table)) ? (self->next + 1) : 0);
    if (self->count < NUVRIK_SHAPE_TAIL_COUNT(self->table)) {
        self->count++;
    }
}

/** The length at a place of the frame. */
uint16_t nuvrik_tail_length(const NuvrikTail *self, uint8_t place)
{
    uint16_t at = (uint16_t)(self->next + place);
    if ((int16_t)at >= NUVRIK_SHAPE_TAIL_COUNT(self->table)) {
        at = (uint16_t)((int32_t)at - NUVRIK_SHAPE_TAIL_COUNT(self->table));
    }
    return self->lengths[at];
}

/** How long the frame is. */
uint32_t nuvrik_tail_us(NuvrikTail *self)
{
    uint32_t total = 0;
    for (uint8_t place = 0; place < self->count; place++) {
        total = (uint32_t)((int32_t)total + nuvrik_tail_length(self, place));
    }
    return total;
}

/** Whether so many lengths are a frame of this shape; its code is in words then. */
bool nuvrik_tail_match(NuvrikTail *self)
{
    const NUVRIK_FLASH NuvrikShapeTable *shape = self->table;
    if (self->count == 0 || self->count < NUVRIK_SHAPE_TAIL_COUNT(shape)) {
        return false;
    }
    uint8_t start = 0;
    if (NUVRIK_SHAPE_HEADER_MARK(shape) > 0) {
        if (!nuvrik_near(nuvrik_tail_length(self, 0), NUVRIK_SHAPE_HEADER_MARK(shape))
            || !nuvrik_near(nuvrik_tail_length(self, 1), NUVRIK_SHAPE_HEADER_SPACE(shape))) {
            return false;
        }
        start = 2;
    }
    for (uint8_t i = 0; i < NUVRIK_WORDS; i++) {
        self->words[i] = 0;
    }
    bool by_space = NUVRIK_SHAPE_ZERO_MARK(shape) == NUVRIK_SHAPE_ONE_MARK(shape);
    for (uint8_t bit = 0; bit < NUVRIK_SHAPE_BITS(shape); bit++) {
        uint8_t place = (uint8_t)(start + (2 * bit));
        if (!nuvrik_tail_match_bit(self, place, by_space)) {
            return false;
        }
    }
    /* A last mark ends the last space; where marks differ, the last bit's own mark is the end. */
    return !by_space || nuvrik_near(nuvrik_tail_length(self, (uint8_t)(NUVRIK_SHAPE_TAIL_COUNT(shape) - 1)),
        NUVRIK_SHAPE_ZERO_MARK(shape));
}

/** One bit, whose mark is at a place. */
bool nuvrik_tail_match_bit(NuvrikTail *self, uint8_t place, bool by_space)
{
    const NUVRIK_FLASH NuvrikShapeTable *shape = self->table;
    uint16_t mark = nuvrik_tail_length(self, place);
    bool has_space = (place + 1) < NUVRIK_SHAPE_TAIL_COUNT(shape);
    uint16_t space = (uint16_t)(has_space ? nuvrik_tail_length(self, (uint8_t)(place + 1)) : 0);
    uint16_t told = by_space ? space : mark;
    uint16_t zero = by_space ? NUVRIK_SHAPE_ZERO_SPACE(shape) : NUVRIK_SHAPE_ZERO_MARK(shape);
    uint16_t other = by_space ? NUVRIK_SHAPE_ONE_SPACE(shape) : NUVRIK_SHAPE_ONE_MARK(shape);
    bool one = (((int32_t)2 * told) > ((int32_t)zero + other)) == (other > zero);
    nuvrik_push(self->words, one);
    if (!nuvrik_near(mark, one ? NUVRIK_SHAPE_ONE_MARK(shape) : NUVRIK_SHAPE_ZERO_MARK(shape))) {
        return false;
    }
    return !has_space || nuvrik_near(space, one ? NUVRIK_SHAPE_ONE_SPACE(shape)
        : NUVRIK_SHAPE_ZERO_SPACE(shape));
}

/* ---- infrared ---- */

void nuvrik_infrared_reader_init(NuvrikInfraredReader *self, const NUVRIK_FLASH NuvrikShapeTable *table)
{
    self->table = table;
    nuvrik_burst_init(&self->burst);
    nuvrik_tail_init(&self->tail, table);
    nuvrik_found_init(&self->found);
}

/** So many microseconds of mark or of space. A last space may still grow: what ends a frame is told as
 *  soon as the silence is long enough.
 */
uint8_t nuvrik_infrared_reader_take(NuvrikInfraredReader *self, bool mark, uint32_t us)
{
    uint8_t event = NUVRIK_NOT_YET;
    bool was_mark = self->cleaner.is_mark;
    uint32_t ended = nuvrik_cleaner_take(&self->cleaner, mark, us);
    if ((int32_t)ended > 0) {
        event = nuvrik_infrared_reader_length(self, was_mark, ended);
    }
    if (!self->cleaner.is_mark && event == NUVRIK_NOT_YET) {
        event = nuvrik_infrared_reader_quiet(self, self->cleaner.pending, true);
    }
    return event;
}

/** A length has ended. */
uint8_t nuvrik_infrared_reader_length(NuvrikInfraredReader *self, bool mark, uint32_t us)
{
    uint8_t event = NUVRIK_NOT_YET;
    if (mark) {
        if ((int32_t)us > NUVRIK_LEADER_US) {
            /* No code has such a mark but at its beginning. */
            nuvrik_burst_empty(&self->burst);
        }
        nuvrik_burst_keep(&self->burst, (int32_t)us);
    } else {
        event = nuvrik_infrared_reader_quiet(self, us, false);
        if (self->burst.kept > 0) {
            nuvrik_burst_keep(&self->burst, (int32_t)us);
        }
    }
    nuvrik_tail_keep(&self->tail, us);
    self->since_us = nuvrik_longer(self->since_us, us);
    return event;
}

/** A silence, so far so long: what it ends. */
uint8_t nuvrik_infrared_reader_quiet(NuvrikInfraredReader *self, uint32_t us, bool grows)
{
    bool leader = self->burst.kept == 1 && self->burst.times[0] > NUVRIK_LEADER_US;
    if (self->burst.kept > 0 && (int32_t)us >= (leader ? NUVRIK_LEADER_END_US : NUVRIK_END_US)) {
        bool sure = nuvrik_judge(&self->burst, &self->found);
        if (sure) {
            self->us = 0;
            for (uint8_t place = 0; place < nuvrik_burst_count(&self->burst); place++) {
                self->us = (uint32_t)((int32_t)self->us + nuvrik_burst_time(&self->burst, place));
            }
        }
        nuvrik_burst_empty(&self->burst);
        if (sure) {
            /* What published codes can read is theirs. */
            nuvrik_tail_clear(&self->tail);
            return nuvrik_infrared_reader_published(self);
        }
    }
    /* A learned code waits for the published ones. */
    if (self->tail.count > 0 && (int32_t)us >= (int32_t)NUVRIK_SHAPE_GAP_US(self->table) && (!grows
        || self->burst.kept == 0)) {
        bool matches = nuvrik_tail_match(&self->tail);
        if (matches) {
            self->us = nuvrik_tail_us(&self->tail);
        }
        nuvrik_tail_clear(&self->tail);
        if (matches) {
            return nuvrik_infrared_reader_learned(self);
        }
    }
    return NUVRIK_NOT_YET;
}

/** Whether the code that has just ended began no later than that after the one before. */
bool nuvrik_infrared_reader_within(const NuvrikInfraredReader *self, uint32_t most_us)
{
    return self->read && self->since_us <= (most_us + self->us);
}

/** What has been found, with what it repeats. */
uint8_t nuvrik_infrared_reader_published(NuvrikInfraredReader *self)
{
    if (self->found.protocol == NUVRIK_NEC_AGAIN) {
        bool last_nec = self->protocol == NUVRIK_NEC || self->protocol == NUVRIK_NEC_EXTENDED;
        if (!last_nec || !nuvrik_infrared_reader_within(self, NUVRIK_NEC_REPEAT_US)) {
            return NUVRIK_AGAIN_ONLY;
        }
        self->since_us = self->us;
        return NUVRIK_SAME_PRESS;
    }
    uint32_t most_us = NUVRIK_SIRC_REPEAT_US;
    if (self->found.protocol <= NUVRIK_NEC_EXTENDED) {
        most_us = NUVRIK_NEC_REPEAT_US;
    } else if (self->found.protocol <= NUVRIK_RC6) {
        most_us = NUVRIK_RC_REPEAT_US;
    }
    bool same = self->found.protocol == self->protocol && self->found.toggle == self->toggle;
    if (self->found.command != self->words[0] || self->found.address != self->words[NUVRIK_ADDRESS]) {
        same = false;
    }
    uint8_t event = (uint8_t)((same && nuvrik_infrared_reader_within(self, most_us)) ? NUVRIK_SAME_PRESS
        : NUVRIK_NEW_PRESS);
    self->words[0] = self->found.command;
    self->words[NUVRIK_ADDRESS] = self->found.address;
    return nuvrik_infrared_reader_told(self, event, self->found.protocol, self->found.toggle);
}

/** A code of the learned shape. */
uint8_t nuvrik_infrared_reader_learned(NuvrikInfraredReader *self)
{
    bool same = self->protocol == NUVRIK_LEARNED;
    for (uint8_t i = 0; i < NUVRIK_WORDS; i++) {
        if (self->words[i] != self->tail.words[i]) {
            same = false;
        }
    }
    uint8_t event = (uint8_t)((same && nuvrik_infrared_reader_within(self,
        NUVRIK_SHAPE_REPEAT_US(self->table))) ? NUVRIK_SAME_PRESS : NUVRIK_NEW_PRESS);
    for (uint8_t i = 0; i < NUVRIK_WORDS; i++) {
        self->words[i] = self->tail.words[i];
    }
    return nuvrik_infrared_reader_told(self, event, NUVRIK_LEARNED, 0);
}

/** It is the last code from now on. */
uint8_t nuvrik_infrared_reader_told(NuvrikInfraredReader *self, uint8_t event, uint8_t protocol,
    uint8_t toggle)
{
    self->read = true;
    self->protocol = protocol;
    self->toggle = toggle;
    self->since_us = self->us;
    return event;
}

/* ---- codes ---- */

void nuvrik_code_maker_init(NuvrikCodeMaker *self, const NUVRIK_FLASH NuvrikCodeTable *table)
{
    self->table = table;
}

/** A new frame. */
void nuvrik_code_maker_begin(NuvrikCodeMaker *self)
{
    self->count = 0;
    self->units = 0;
    self->started_us = 0;
}

/** So many units of mark or of space more; two of a kind in a row are one. Rounded from edge to edge, so
 *  that rounding does not add up.
 */
void nuvrik_code_maker_add(NuvrikCodeMaker *self, bool mark, uint8_t units)
{
    if (mark == ((self->count & 1) == 0)) {
        /* Another kind than the last. */
        self->started_us = nuvrik_code_maker_edge_us(self);
        self->count++;
    } else if (self->count == 0) {
        /* What comes before the first mark nobody sees. */
        return;
    }
    self->units = (uint16_t)((int32_t)self->units + units);
    uint8_t last = (uint8_t)(self->count - 1);
    self->times[last] = (uint16_t)((int32_t)nuvrik_code_maker_edge_us(self) - (int32_t)self->started_us);
}

/** When the last length ends. */
uint32_t nuvrik_code_maker_edge_us(const NuvrikCodeMaker *self)
{
    uint32_t parts = (uint32_t)self->units * NUVRIK_CODE_UNIT_PARTS(self->table);
    return (uint32_t)nuvrik_div((int32_t)parts, NUVRIK_CODE_UNIT_OF(self->table));
}

/** The frame is whole. A space behind the last mark is part of the silence. */
void nuvrik_code_maker_end(NuvrikCodeMaker *self)
{
    if ((self->count & 1) == 0 && self->count > 0) {
        self->count--;
    }
}

/** The frame of a code. */
void nuvrik_code_maker_key(NuvrikCodeMaker *self, const NUVRIK_FLASH NuvrikKeyCodeTable *code, uint8_t toggle)
{
    nuvrik_code_maker_begin(self);
    uint8_t protocol = NUVRIK_CODE_PROTOCOL(self->table);
    uint8_t command = (uint8_t)NUVRIK_U16(NUVRIK_KEY_CODE_WORDS(code)[0]);
    if (protocol == NUVRIK_LEARNED) {
        nuvrik_code_maker_learned_frame(self, code);
    } else if (protocol <= NUVRIK_NEC_EXTENDED) {
        nuvrik_code_maker_nec(self, command);
    } else if (protocol == NUVRIK_RC5) {
        nuvrik_code_maker_rc5(self, command, toggle);
    } else if (protocol == NUVRIK_RC6) {
        nuvrik_code_maker_rc6(self, command, toggle);
    } else {
        nuvrik_code_maker_sirc(self, command);
    }
    nuvrik_code_maker_end(self);
}

/** What a nec remote sends while a key is held. */
void nuvrik_code_maker_again(NuvrikCodeMaker *self)
{
    nuvrik_code_maker_begin(self);
    nuvrik_code_maker_add(self, true, 16);
    nuvrik_code_maker_add(self, false, 4);
    nuvrik_code_maker_add(self, true, 1);
}

/** Leader, address, its complement (extended: its high byte), command, its complement. */
void nuvrik_code_maker_nec(NuvrikCodeMaker *self, uint8_t command)
{
    nuvrik_code_maker_add(self, true, 16);
    nuvrik_code_maker_add(self, false, 8);
    uint8_t low = (uint8_t)NUVRIK_CODE_ADDRESS(self->table);
    nuvrik_code_maker_nec_byte_out(self, low);
    uint8_t high = (uint8_t)(NUVRIK_CODE_ADDRESS(self->table) >> 8);
    nuvrik_code_maker_nec_byte_out(self, (uint8_t)((NUVRIK_CODE_PROTOCOL(self->table) == NUVRIK_NEC)
        ? (0xff - low) : high));
    nuvrik_code_maker_nec_byte_out(self, command);
    nuvrik_code_maker_nec_byte_out(self, (uint8_t)(0xff - command));
    nuvrik_code_maker_add(self, true, 1);
}

/** A byte, lowest bit first; a longer space is a one. */
void nuvrik_code_maker_nec_byte_out(NuvrikCodeMaker *self, uint8_t value)
{
    for (uint8_t bit = 0; bit < 8; bit++) {
        nuvrik_code_maker_add(self, true, 1);
        nuvrik_code_maker_add(self, false, (uint8_t)((((value >> bit) & 1) != 0) ? 3 : 1));
    }
}

/** Start bit, the complement of the command's bit 6, toggle, 5 bits of address, 6 of command. */
void nuvrik_code_maker_rc5(NuvrikCodeMaker *self, uint8_t command, uint8_t toggle)
{
    nuvrik_code_maker_half_bits(self, 1, 1);
    nuvrik_code_maker_half_bits(self, (uint16_t)((command >= 64) ? 0 : 1), 1);
    nuvrik_code_maker_half_bits(self, (uint16_t)(toggle & 1), 1);
    nuvrik_code_maker_half_bits(self, NUVRIK_CODE_ADDRESS(self->table), 5);
    nuvrik_code_maker_half_bits(self, (uint16_t)(command & 63), 6);
}

/** Bits, highest first; a one is space then mark. */
void nuvrik_code_maker_half_bits(NuvrikCodeMaker *self, uint16_t value, uint8_t bits)
{
    for (uint8_t i = 0; i < bits; i++) {
        uint8_t left = (uint8_t)((bits - 1) - i);
        bool one = (int16_t)((uint16_t)(value >> left) & 1) != 0;
        nuvrik_code_maker_add(self, !one, 1);
        nuvrik_code_maker_add(self, one, 1);
    }
}

/** Leader, start bit, mode 0, a toggle of double width, 8 bits of address, 8 of command; a one is mark
 *  then space, the other way round than in rc5.
 */
void nuvrik_code_maker_rc6(NuvrikCodeMaker *self, uint8_t command, uint8_t toggle)
{
    nuvrik_code_maker_add(self, true, 6);
    nuvrik_code_maker_add(self, false, 2);
    nuvrik_code_maker_half_bits(self, 7, 4);
    nuvrik_code_maker_add(self, toggle != 0, 2);
    nuvrik_code_maker_add(self, toggle == 0, 2);
    nuvrik_code_maker_half_bits(self, (uint16_t)(0xff - (uint8_t)NUVRIK_CODE_ADDRESS(self->table)), 8);
    nuvrik_code_maker_half_bits(self, (uint16_t)(0xff - command), 8);
}

/** Leader, command, address; lowest bit first, a longer mark is a one. */
void nuvrik_code_maker_sirc(NuvrikCodeMaker *self, uint8_t command)
{
    nuvrik_code_maker_add(self, true, 4);
    for (uint8_t i = 0; i < NUVRIK_SIRC_COMMAND_BITS; i++) {
        nuvrik_code_maker_sirc_bit(self, ((command >> i) & 1) != 0);
    }
    for (uint8_t i = 0; i < NUVRIK_CODE_ADDRESS_BITS(self->table); i++) {
        nuvrik_code_maker_sirc_bit(self,
            (int16_t)((uint16_t)(NUVRIK_CODE_ADDRESS(self->table) >> i) & 1) != 0);
    }
}

/** One bit. */
void nuvrik_code_maker_sirc_bit(NuvrikCodeMaker *self, bool one)
{
    nuvrik_code_maker_add(self, false, 1);
    nuvrik_code_maker_add(self, true, (uint8_t)(one ? 2 : 1));
}

/** Header, bits highest first, a last mark where spaces tell bits apart. */
void nuvrik_code_maker_learned_frame(NuvrikCodeMaker *self, const NUVRIK_FLASH NuvrikKeyCodeTable *code)
{
    const NUVRIK_FLASH NuvrikShapeTable *shape = NUVRIK_CODE_SHAPE(self->table);
    if (NUVRIK_SHAPE_HEADER_MARK(shape) > 0) {
        nuvrik_code_maker_put_pair(self, NUVRIK_SHAPE_HEADER_MARK(shape), NUVRIK_SHAPE_HEADER_SPACE(shape));
    }
    for (uint8_t i = 0; i < NUVRIK_SHAPE_BITS(shape); i++) {
        uint8_t bit = (uint8_t)((NUVRIK_SHAPE_BITS(shape) - 1) - i);
        uint16_t word = NUVRIK_U16(NUVRIK_KEY_CODE_WORDS(code)[bit >> 4]);
        bool one = (int16_t)((uint16_t)(word >> (bit & 15)) & 1) != 0;
        nuvrik_code_maker_put_pair(self, one ? NUVRIK_SHAPE_ONE_MARK(shape) : NUVRIK_SHAPE_ZERO_MARK(shape),
            one ? NUVRIK_SHAPE_ONE_SPACE(shape) : NUVRIK_SHAPE_ZERO_SPACE(shape));
    }
    if (NUVRIK_SHAPE_ZERO_MARK(shape) == NUVRIK_SHAPE_ONE_MARK(shape)) {
        nuvrik_code_maker_put_pair(self, NUVRIK_SHAPE_ZERO_MARK(shape), 0);
    }
}

/** A mark and a space of a learned shape. */
void nuvrik_code_maker_put_pair(NuvrikCodeMaker *self, uint16_t mark_us, uint16_t space_us)
{
    self->times[self->count] = mark_us;
    self->times[self->count + 1] = space_us;
    self->count = (uint8_t)(self->count + 2);
}

/* ---- remote ---- */

void nuvrik_remote_init(NuvrikRemote *self, const NUVRIK_FLASH NuvrikRemoteTable *table)
{
    memset(self, 0, sizeof *self);
    self->table = table;
    nuvrik_code_maker_init(&self->maker, NUVRIK_REMOTE_CODE(table));
    for (uint8_t i = 0; i < NUVRIK_MOST_CODES_SENT; i++) {
        self->quiet_ms[i] = NUVRIK_TIMER_MAX;
    }
    self->key = NUVRIK_NOBODY;
    self->since_ms = NUVRIK_TIMER_MAX;
}

/** Let it be now_ms. A key that has not come for a while is let go. */
void nuvrik_remote_pass_time(NuvrikRemote *self, uint16_t now_ms)
{
    uint16_t dt_ms = (uint16_t)((self->started) ? (uint16_t)(now_ms - self->now_ms) : 0);
    self->started = true;
    self->now_ms = now_ms;
    self->since_ms = nuvrik_later(self->since_ms, dt_ms);
    uint8_t kept = 0;
    for (uint8_t i = 0; i < self->held; i++) {
        uint8_t key = self->order[i];
        self->quiet_ms[key] = nuvrik_later(self->quiet_ms[key], dt_ms);
        if (self->quiet_ms[key] < NUVRIK_FINGER_MS) {
            self->order[kept] = key;
            kept++;
        }
    }
    self->held = kept;
}

/** How often a key has arrived so far, modulo 65536. */
void nuvrik_remote_read(NuvrikRemote *self, uint8_t key, uint16_t count)
{
    bool arrives = self->counted[key] && count != self->key_counts[key];
    self->counted[key] = true;
    self->key_counts[key] = count;
    if (arrives) {
        nuvrik_remote_hold(self, key);
    }
}

/** A key is down, or arrives again. It is let go once that has not been said for a while, so that a
 *  contact may bounce.
 */
void nuvrik_remote_hold(NuvrikRemote *self, uint8_t key)
{
    if (!nuvrik_remote_is_held(self, key)) {
        self->order[self->held] = key;
        self->held++;
    }
    self->quiet_ms[key] = 0;
}

/** Whether a key is held. */
bool nuvrik_remote_is_held(const NuvrikRemote *self, uint8_t key)
{
    for (uint8_t i = 0; i < self->held; i++) {
        if (self->order[i] == key) {
            return true;
        }
    }
    return false;
}

/** Make the frame that begins now, if one does: into maker. */
bool nuvrik_remote_send(NuvrikRemote *self)
{
    if (self->left == 0 && (self->key == NUVRIK_NOBODY || !nuvrik_remote_is_held(self, self->key))) {
        self->key = NUVRIK_NOBODY;
    }
    uint8_t next = self->key;
    if (self->left == 0) {
        /* A press is sent whole; then it is the turn of the key pressed last. */
        uint8_t last = (uint8_t)((self->held > 0) ? (self->held - 1) : 0);
        next = (uint8_t)((self->held > 0) ? self->order[last] : (uint8_t)NUVRIK_NOBODY);
    }
    if (next == NUVRIK_NOBODY || self->since_ms < NUVRIK_REMOTE_PERIOD_MS(self->table)) {
        return false;
    }
    /* Let go and pressed again is a fresh press only if the frames of the one before are out. */
    bool fresh = next != self->key;
    if (fresh) {
        self->key = next;
        self->toggle = (uint8_t)(self->toggle ^ 1);
        self->left = NUVRIK_REMOTE_FRAMES(self->table);
    }
    if (self->left > 0) {
        self->left--;
    }
    self->since_ms = 0;
    if (!fresh && NUVRIK_CODE_PROTOCOL(NUVRIK_REMOTE_CODE(self->table)) <= NUVRIK_NEC_EXTENDED) {
        nuvrik_code_maker_again(&self->maker);
    } else {
        nuvrik_code_maker_key(&self->maker, &NUVRIK_REMOTE_CODES_SENT(self->table)[next], self->toggle);
    }
    return true;
}

/* ---- receiver ---- */

void nuvrik_receiver_init(NuvrikReceiver *self, const NUVRIK_FLASH NuvrikReceiverTable *table)
{
    memset(self, 0, sizeof *self);
    self->table = table;
    nuvrik_infrared_reader_init(&self->reader, NUVRIK_RECEIVER_SHAPE(table));
    nuvrik_handset_init(&self->handset, NUVRIK_RECEIVER_HANDSET(table));
    nuvrik_machine_init(&self->machine, NUVRIK_RECEIVER_MACHINE(table));
    for (uint8_t i = 0; i < NUVRIK_RECEIVER_PINS_COUNT(table); i++) {
        nuvrik_pins_init(&self->pins[i], &NUVRIK_RECEIVER_PINS(table)[i]);
    }
}

/** At power-up. */
void nuvrik_receiver_begin(NuvrikReceiver *self)
{
    nuvrik_handset_begin(&self->handset);
    nuvrik_machine_begin(&self->machine, 0, 0);
}

/** Let it be now_ms. */
void nuvrik_receiver_pass_time(NuvrikReceiver *self, uint16_t now_ms)
{
    uint16_t dt_ms = (uint16_t)((self->started) ? (uint16_t)(now_ms - self->now_ms) : 0);
    self->started = true;
    self->now_ms = now_ms;
    self->silent_ms = nuvrik_later(self->silent_ms, dt_ms);
    nuvrik_handset_pass_time(&self->handset, now_ms);
    (void)nuvrik_machine_pass_time(&self->machine, now_ms);
}

/** The loop has been held up for longer than a timer counts. */
void nuvrik_receiver_expire(NuvrikReceiver *self, uint16_t now_ms)
{
    self->started = true;
    self->now_ms = now_ms;
    self->silent_ms = NUVRIK_TIMER_MAX;
    nuvrik_handset_expire(&self->handset, now_ms);
    nuvrik_machine_expire(&self->machine, now_ms);
}

/** So many microseconds of mark or of space; a last space as far as it has got. What the code is that has
 *  ended, if one has.
 */
uint8_t nuvrik_receiver_take(NuvrikReceiver *self, bool mark, uint32_t us)
{
    uint8_t event = nuvrik_infrared_reader_take(&self->reader, mark, us);
    if (event == NUVRIK_NOT_YET) {
        return NUVRIK_NOT_YET;
    }
    return nuvrik_receiver_hear(self, event);
}

/** The reader has read a code. */
uint8_t nuvrik_receiver_hear(NuvrikReceiver *self, uint8_t event)
{
    uint8_t protocol = self->reader.protocol;
    if (event == NUVRIK_AGAIN_ONLY) {
        /* A repeat alone says nothing of whose it is. */
        return (uint8_t)((NUVRIK_RECEIVER_PROTOCOL(self->table) == NUVRIK_NEC) ? NUVRIK_REPEAT_OF_NOTHING
            : NUVRIK_WRONG_CODE);
    }
    if (protocol != NUVRIK_RECEIVER_PROTOCOL(self->table)) {
        return NUVRIK_WRONG_CODE;
    }
    if (protocol != NUVRIK_LEARNED
        && self->reader.words[NUVRIK_ADDRESS] != NUVRIK_RECEIVER_ADDRESS(self->table)) {
        return NUVRIK_WRONG_ADDRESS;
    }
    for (uint8_t i = 0; i < NUVRIK_RECEIVER_HEARD_COUNT(self->table); i++) {
        if (nuvrik_receiver_means(self, NUVRIK_HEARD_KEY_CODE(&NUVRIK_RECEIVER_HEARD(self->table)[i]))) {
            nuvrik_receiver_press(self, i, event == NUVRIK_NEW_PRESS);
            return NUVRIK_OURS;
        }
    }
    return NUVRIK_UNKNOWN_KEY;
}

/** Whether the code read last is that of a key. */
bool nuvrik_receiver_means(const NuvrikReceiver *self, const NUVRIK_FLASH NuvrikKeyCodeTable *code)
{
    if (self->reader.protocol != NUVRIK_LEARNED) {
        return self->reader.words[0] == NUVRIK_U16(NUVRIK_KEY_CODE_WORDS(code)[0]);
    }
    for (uint8_t i = 0; i < NUVRIK_WORDS; i++) {
        if (self->reader.words[i] != NUVRIK_U16(NUVRIK_KEY_CODE_WORDS(code)[i])) {
            return false;
        }
    }
    return true;
}

/** One of our keys has been heard. */
void nuvrik_receiver_press(NuvrikReceiver *self, uint8_t place, bool fresh)
{
    nuvrik_hands_arrive(&self->handset.hands,
        NUVRIK_HEARD_KEY_CONTROL(&NUVRIK_RECEIVER_HEARD(self->table)[place]), fresh);
    nuvrik_handset_have_read(&self->handset);
    self->silent_ms = 0;
    self->lapsed = false;
    if (NUVRIK_HEARD_KEY_IS_OFF(&NUVRIK_RECEIVER_HEARD(self->table)[place])) {
        self->machine.holding = false;
    }
}

/** What the hand of a remote sends in this turn, if anything, is what the machine hears. */
bool nuvrik_receiver_act(NuvrikReceiver *self)
{
    /* Keys that do not come are released, so this hand has something to say from the start. */
    nuvrik_handset_have_read(&self->handset);
    if (NUVRIK_RECEIVER_LAPSE_MS(self->table) != 0
        && self->silent_ms >= NUVRIK_RECEIVER_LAPSE_MS(self->table) && !self->lapsed) {
        self->lapsed = true;
        nuvrik_handset_arm_falls(&self->handset);
        nuvrik_handset_have_read(&self->handset);
        self->machine.holding = true;
    }
    uint8_t turn = nuvrik_handset_turn(&self->handset);
    if (turn == NUVRIK_SENDS_STOP) {
        nuvrik_machine_hear(&self->machine);
        nuvrik_receiver_stop(self);
        return true;
    }
    if (turn != NUVRIK_SENDS_ANYTHING || nuvrik_handset_command(&self->handset) == NUVRIK_SENDS_NOTHING) {
        return false;
    }
    nuvrik_handset_fill(&self->handset);
    for (uint8_t i = 0; i < NUVRIK_RECEIVER_CHANNELS_COUNT(self->table); i++) {
        const NUVRIK_FLASH NuvrikChannelTable *one = &NUVRIK_RECEIVER_CHANNELS(self->table)[i];
        self->values[i] = nuvrik_value_from_code(one, nuvrik_code_of_value(one, self->handset.values[i]));
    }
    nuvrik_machine_hear(&self->machine);
    nuvrik_machine_command(&self->machine, self->values);
    return true;
}

/** One turn of the loop. */
void nuvrik_receiver_turn(NuvrikReceiver *self)
{
    uint16_t dt_ms = self->machine.since_ms;
    nuvrik_again_done(&self->again);
    (void)nuvrik_receiver_act(self);
    nuvrik_machine_turn(&self->machine);
    nuvrik_again_turn(&self->again, dt_ms, self->machine.watch.state == NUVRIK_ARMED);
}

/** Say in writes what is to be written to the pins of an output; after each turn, for all of them. */
void nuvrik_receiver_follow(NuvrikReceiver *self, uint8_t output)
{
    NuvrikDemand *told = nuvrik_outputs_told(&self->machine.outputs, output);
    nuvrik_pins_follow(&self->pins[output], told->value, told->way, told->braked, &self->writes);
    if (self->again.now) {
        nuvrik_pins_repeat(&self->pins[output], &self->writes);
    }
}

/** Stop, as a stop of the remote does. */
void nuvrik_receiver_stop(NuvrikReceiver *self)
{
    nuvrik_machine_stop(&self->machine);
    nuvrik_again_stop(&self->again);
}

/** Stop, and say why with a number from 1 to 15. */
void nuvrik_receiver_own_stop(NuvrikReceiver *self, uint8_t number)
{
    nuvrik_machine_own_stop(&self->machine, number);
    nuvrik_again_stop(&self->again);
}

/** Leave an output that turns no more than so much of full scale. False: it does not turn. */
bool nuvrik_receiver_cap(NuvrikReceiver *self, uint8_t output, int16_t most)
{
    return nuvrik_machine_cap(&self->machine, output, most);
}

/* ---- bridge ---- */

void nuvrik_bridge_init(NuvrikBridge *self, const NUVRIK_FLASH NuvrikBridgeTable *table)
{
    memset(self, 0, sizeof *self);
    self->table = table;
    nuvrik_incoming_init(&self->incoming, NUVRIK_BRIDGE_INCOMING(table));
    nuvrik_sealed_init(&self->sealed, NUVRIK_BRIDGE_SEALED(table));
    nuvrik_sender_init(&self->sender, NUVRIK_BRIDGE_SENDER(table));
}

/** One byte from the host. True: a packet is whole. */
bool nuvrik_bridge_take(NuvrikBridge *self, uint8_t byte)
{
    uint8_t event = nuvrik_incoming_take(&self->incoming, byte, &self->sealed);
    if (event == NUVRIK_NO_EVENT) {
        return false;
    }
    if (event != NUVRIK_ACCEPTED || self->sealed.length > NUVRIK_BRIDGE_MOST(self->table)) {
        self->dropped = nuvrik_later(self->dropped, 1);
        return false;
    }
    return true;
}

/** A packet from the module begins. */
void nuvrik_bridge_begin_packet(NuvrikBridge *self)
{
    self->size = 0;
}

/** One byte of it. */
void nuvrik_bridge_packet_byte(NuvrikBridge *self, uint8_t byte)
{
    if (self->size < NUVRIK_MOST_SENT) {
        self->sender.body[self->size] = byte;
        self->size++;
    }
}

/** It has ended. True: there is something for the host. */
bool nuvrik_bridge_end_packet(NuvrikBridge *self)
{
    if (self->size == 0) {
        return false;
    }
    if (self->size > NUVRIK_BRIDGE_MOST(self->table)) {
        self->dropped = nuvrik_later(self->dropped, 1);
        return false;
    }
    self->sender.length = (uint8_t)self->size;
    nuvrik_sender_travel(&self->sender);
    return true;
}

