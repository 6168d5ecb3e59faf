/* Made from core/sizes.py, core/levels.py, core/loop.py, core/bits.py, core/sealed.py, core/ramp.py,
   core/demand.py, core/motor.py, core/servo.py, core/stepper.py, core/pins.py, core/watch.py,
   core/commands.py, core/mix.py, core/outputs.py, core/desk.py, core/machine.py, core/sender.py,
   core/answers.py, core/asks.py, core/text.py, core/keys.py, core/on_off.py, core/medium.py, core/train.py,
   core/writer.py, core/telling.py, core/inputs.py, core/incoming.py, core/machine_end.py, core/controls.py,
   core/hands.py, core/sources.py, core/arming.py, core/handset.py, core/hearing.py, core/asking.py,
   core/knob.py, core/handset_end.py, core/marks.py, core/burst.py, core/families.py, core/shape.py,
   core/infrared.py, core/codes.py, core/remote.py, core/receiver.py, core/bridge.py by Nuvrik. Read it, step
   through it, port it, but do not edit it: the next making would undo that. */
#ifndef NUVRIK_CORE_H
#define NUVRIK_CORE_H

#include <stdbool.h>
#include <stdint.h>

#include "link_sizes.h"
#include "nuvrik_rom.h"
#include "nuvrik_reads.h"

#ifdef __cplusplus
extern "C" {
#endif

/** The parts of core that a link may do without, so that a chip keeps no room for them.
 *
 *  What a link does not have is known from its tables: a kind that no record is of. In C each such kind
 *  asks NUVRIK_HAS_... first. A link's own header defines as 0 what it has not, and says of fields what
 *  they come to (facts); then the compiler sees what never comes to pass, and the linker leaves out what
 *  nobody calls.
 */
#ifndef NUVRIK_HAS_ASKS_CALL
#define NUVRIK_HAS_ASKS_CALL 1
#endif
#ifndef NUVRIK_HAS_ASKS_HOME
#define NUVRIK_HAS_ASKS_HOME 1
#endif
#ifndef NUVRIK_HAS_ASKS_ROUTINE
#define NUVRIK_HAS_ASKS_ROUTINE 1
#endif
#ifndef NUVRIK_HAS_ASKS_STEPS
#define NUVRIK_HAS_ASKS_STEPS 1
#endif
#ifndef NUVRIK_HAS_AS_IT_IS
#define NUVRIK_HAS_AS_IT_IS 1
#endif
#ifndef NUVRIK_HAS_ESCAPED
#define NUVRIK_HAS_ESCAPED 1
#endif
#ifndef NUVRIK_HAS_IN_COBS
#define NUVRIK_HAS_IN_COBS 1
#endif
#ifndef NUVRIK_HAS_IN_HEX
#define NUVRIK_HAS_IN_HEX 1
#endif
#ifndef NUVRIK_HAS_IN_KEYS
#define NUVRIK_HAS_IN_KEYS 1
#endif
#ifndef NUVRIK_HAS_IN_LINES
#define NUVRIK_HAS_IN_LINES 1
#endif
#ifndef NUVRIK_HAS_IN_PACKETS
#define NUVRIK_HAS_IN_PACKETS 1
#endif
#ifndef NUVRIK_HAS_IN_SLIP
#define NUVRIK_HAS_IN_SLIP 1
#endif
#ifndef NUVRIK_HAS_IN_SLOTS
#define NUVRIK_HAS_IN_SLOTS 1
#endif
#ifndef NUVRIK_HAS_IS_BUTTON
#define NUVRIK_HAS_IS_BUTTON 1
#endif
#ifndef NUVRIK_HAS_IS_KEY
#define NUVRIK_HAS_IS_KEY 1
#endif
#ifndef NUVRIK_HAS_IS_MOTOR
#define NUVRIK_HAS_IS_MOTOR 1
#endif
#ifndef NUVRIK_HAS_IS_MOVED
#define NUVRIK_HAS_IS_MOVED 1
#endif
#ifndef NUVRIK_HAS_IS_NUDGE
#define NUVRIK_HAS_IS_NUDGE 1
#endif
#ifndef NUVRIK_HAS_IS_ROCKER
#define NUVRIK_HAS_IS_ROCKER 1
#endif
#ifndef NUVRIK_HAS_IS_SELECTOR
#define NUVRIK_HAS_IS_SELECTOR 1
#endif
#ifndef NUVRIK_HAS_IS_SERVO
#define NUVRIK_HAS_IS_SERVO 1
#endif
#ifndef NUVRIK_HAS_IS_STEPPER
#define NUVRIK_HAS_IS_STEPPER 1
#endif
#ifndef NUVRIK_HAS_IS_SWITCH
#define NUVRIK_HAS_IS_SWITCH 1
#endif
#ifndef NUVRIK_HAS_KIND_ECHO
#define NUVRIK_HAS_KIND_ECHO 1
#endif
#ifndef NUVRIK_HAS_KIND_HELLO
#define NUVRIK_HAS_KIND_HELLO 1
#endif
#ifndef NUVRIK_HAS_KIND_REPLY
#define NUVRIK_HAS_KIND_REPLY 1
#endif
#ifndef NUVRIK_HAS_KIND_REQUEST
#define NUVRIK_HAS_KIND_REQUEST 1
#endif
#ifndef NUVRIK_HAS_KIND_TELEMETRY
#define NUVRIK_HAS_KIND_TELEMETRY 1
#endif
#ifndef NUVRIK_HAS_OUT_KEYS
#define NUVRIK_HAS_OUT_KEYS 1
#endif
#ifndef NUVRIK_HAS_OUT_SEALED
#define NUVRIK_HAS_OUT_SEALED 1
#endif
#ifndef NUVRIK_HAS_OUT_SLOTS
#define NUVRIK_HAS_OUT_SLOTS 1
#endif
#ifndef NUVRIK_HAS_OUT_TEXT
#define NUVRIK_HAS_OUT_TEXT 1
#endif
#ifndef NUVRIK_HAS_OWN_MOTION
#define NUVRIK_HAS_OWN_MOTION 1
#endif
#ifndef NUVRIK_HAS_ROUTINE_MOTION
#define NUVRIK_HAS_ROUTINE_MOTION 1
#endif
#ifndef NUVRIK_HAS_STEPS_MOTION
#define NUVRIK_HAS_STEPS_MOTION 1
#endif
#ifndef NUVRIK_HAS_STUFFED
#define NUVRIK_HAS_STUFFED 1
#endif
#ifndef NUVRIK_HAS_TELLS_AXES
#define NUVRIK_HAS_TELLS_AXES 1
#endif
#ifndef NUVRIK_HAS_TELLS_COUNT
#define NUVRIK_HAS_TELLS_COUNT 1
#endif
#ifndef NUVRIK_HAS_TELLS_DEMAND
#define NUVRIK_HAS_TELLS_DEMAND 1
#endif
#ifndef NUVRIK_HAS_TELLS_DIGITAL
#define NUVRIK_HAS_TELLS_DIGITAL 1
#endif
#ifndef NUVRIK_HAS_TELLS_SHARE
#define NUVRIK_HAS_TELLS_SHARE 1
#endif
#ifndef NUVRIK_HAS_TELLS_STEPS
#define NUVRIK_HAS_TELLS_STEPS 1
#endif

/* ---- sizes ---- */

/** How many of each there may be. A link's own tables may say fewer, so that a small chip keeps room for
 *  no more.
 */

#ifndef NUVRIK_MOST_CHANNELS
#define NUVRIK_MOST_CHANNELS 64
#endif

#ifndef NUVRIK_MOST_OPTIONAL
#define NUVRIK_MOST_OPTIONAL 64
#endif

#ifndef NUVRIK_MOST_ITEMS
#define NUVRIK_MOST_ITEMS 32
#endif

#ifndef NUVRIK_MOST_CODES
#define NUVRIK_MOST_CODES 96
#endif

#ifndef NUVRIK_MOST_PLACES
#define NUVRIK_MOST_PLACES 64
#endif

#ifndef NUVRIK_MOST_ARGUMENTS
#define NUVRIK_MOST_ARGUMENTS 8
#endif

#ifndef NUVRIK_MOST_NOTES
/** How many pieces of a delay guard's time are noted, and two that are being left and begun. */
#define NUVRIK_MOST_NOTES 18
#endif

#ifndef NUVRIK_MOST_KEPT
/** How much of a body is kept: as much as the longest frame of the link has. */
#define NUVRIK_MOST_KEPT 200
#endif

#ifndef NUVRIK_MOST_BODY
/** Two more, so that codes may be read by threes of bytes. */
#define NUVRIK_MOST_BODY 202
#endif

#ifndef NUVRIK_MOST_SENT
/** The same, of what an end sends. */
#define NUVRIK_MOST_SENT 202
#endif

#ifndef NUVRIK_MOST_WAITING
/** Answers that wait to be sent, a power of two; more questions than that are not worth answering late. */
#define NUVRIK_MOST_WAITING 4
#endif

#ifndef NUVRIK_MOST_ECHO
/** How much of an echo is kept. */
#define NUVRIK_MOST_ECHO 16
#endif

#ifndef NUVRIK_MOST_PIECE
/** The longest line of text, and what ends it. */
#define NUVRIK_MOST_PIECE 424
#endif

#ifndef NUVRIK_MOST_SLOTS
#define NUVRIK_MOST_SLOTS 16
#endif

#ifndef NUVRIK_MOST_WIRE
#define NUVRIK_MOST_WIRE 422
#endif

#ifndef NUVRIK_MOST_CONTROLS
#define NUVRIK_MOST_CONTROLS 32
#endif

#ifndef NUVRIK_MOST_MOVED
#define NUVRIK_MOST_MOVED 32
#endif

#ifndef NUVRIK_MOST_BUTTONS
#define NUVRIK_MOST_BUTTONS 32
#endif

#ifndef NUVRIK_MOST_KEYS
#define NUVRIK_MOST_KEYS 64
#endif

#ifndef NUVRIK_MOST_ROCKERS
#define NUVRIK_MOST_ROCKERS 32
#endif

#ifndef NUVRIK_MOST_NUDGES
#define NUVRIK_MOST_NUDGES 32
#endif

#ifndef NUVRIK_MOST_SELECTORS
#define NUVRIK_MOST_SELECTORS 32
#endif

#ifndef NUVRIK_MOST_KNOBS
#define NUVRIK_MOST_KNOBS 32
#endif

#ifndef NUVRIK_MOST_SEEN
#define NUVRIK_MOST_SEEN 64
#endif

#ifndef NUVRIK_MOST_TRIGGERS
#define NUVRIK_MOST_TRIGGERS 16
#endif

#ifndef NUVRIK_MOST_SOURCES
#define NUVRIK_MOST_SOURCES 64
#endif

#ifndef NUVRIK_MOST_READY
#define NUVRIK_MOST_READY 64
#endif

#ifndef NUVRIK_MOST_OUTPUTS
#define NUVRIK_MOST_OUTPUTS 32
#endif

#ifndef NUVRIK_MOST_PINS
#define NUVRIK_MOST_PINS 32
#endif

#ifndef NUVRIK_MOST_MOTORS
#define NUVRIK_MOST_MOTORS 32
#endif

#ifndef NUVRIK_MOST_SERVOS
#define NUVRIK_MOST_SERVOS 32
#endif

#ifndef NUVRIK_MOST_STEPPERS
#define NUVRIK_MOST_STEPPERS 32
#endif

#ifndef NUVRIK_MOST_SWITCHES
#define NUVRIK_MOST_SWITCHES 32
#endif

#ifndef NUVRIK_MOST_LIMITS
#define NUVRIK_MOST_LIMITS 32
#endif

#ifndef NUVRIK_MOST_EXTRA
#define NUVRIK_MOST_EXTRA 64
#endif

#ifndef NUVRIK_MOST_STAYS
#define NUVRIK_MOST_STAYS 64
#endif

#ifndef NUVRIK_MOST_LENGTHS
/** Lengths in the longest infrared burst looked at: nec has 67; the rest is room for what lies before a
 *  frame.
 */
#define NUVRIK_MOST_LENGTHS 80
#endif

#ifndef NUVRIK_MOST_TAIL
/** Lengths of the longest learned frame. */
#define NUVRIK_MOST_TAIL 131
#endif

#ifndef NUVRIK_MOST_CODES_SENT
#define NUVRIK_MOST_CODES_SENT 64
#endif

#ifndef NUVRIK_MOST_HEARD
#define NUVRIK_MOST_HEARD 64
#endif


/* ---- levels ---- */

/** The one arithmetic: whole numbers, rounded one way, the same in every language. */

/** Full scale of a level, which is a number in Q14: -FULL to FULL stands for -1 to 1. */
#define NUVRIK_FULL 16384

/** FULL is 1 shifted by so much. */
#define NUVRIK_FULL_BITS 14

/** In place of a level: there is none. */
#define NUVRIK_NO_READING (-32767 - 1)

/** The place of nothing, among channels and outputs. */
#define NUVRIK_NOBODY 255

/** A timer of milliseconds stops here. Every time in a link file is well below. */
#define NUVRIK_TIMER_MAX 65535U

int32_t nuvrik_div(int32_t a, int32_t b);
int32_t nuvrik_mul(int32_t a, int32_t b);
int32_t nuvrik_clamp(int32_t value, int32_t low, int32_t high);
uint16_t nuvrik_later(uint16_t timer, uint16_t dt_ms);
int16_t nuvrik_between(int16_t x, int16_t from_x, int16_t from_y, int16_t to_x, int16_t to_y);

/* ---- loop ---- */

/** The turns of an end's loop: what a gap in it means, and when the machine ticks.
 *
 *  A loop looks at its clock, at what has arrived and, once a tick, at everything. Nothing tells it for
 *  how long it has not been running: a debugger, a full disk or another program may have held it up, and
 *  meanwhile the line went on filling. What has queued up by then was sent to somebody who was not
 *  listening. So after a gap of a timeout only stops in it count; and a gap that the ends' 16-bit clock
 *  could take for a short one is made a timeout outright.
 */

enum {
    NUVRIK_LISTENS = 0,
    NUVRIK_SKIPS = 1,
    NUVRIK_EXPIRES = 2
};
/** What a turn has to do first: nothing; look through what has queued up for stops, and throw the rest
 *  away; that too, and count the link as silent.
 */

/** The longest time that a link file may have, and less than half of what a 16-bit clock can tell. */
#define NUVRIK_LONGEST_GAP_MS 30000

/** How often a machine's loop ticks, and how long a silence is a timeout. */
typedef struct {
    uint16_t tick_ms;
    uint16_t timeout_ms;
} NuvrikLoopTable;

/** One loop. due_ms: how long it is until the next tick. */
typedef struct {
    const NUVRIK_FLASH NuvrikLoopTable *table;
    int16_t due_ms;
} NuvrikLoop;

uint8_t nuvrik_after_gap(uint16_t gap_ms, uint16_t timeout_ms);
uint16_t nuvrik_next_due(int16_t due_ms, uint16_t every_ms);
void nuvrik_loop_init(NuvrikLoop *self, const NUVRIK_FLASH NuvrikLoopTable *table);
uint8_t nuvrik_loop_turn(NuvrikLoop *self, uint16_t gap_ms);
bool nuvrik_loop_ticks(NuvrikLoop *self);

/* ---- bits ---- */

/** Values to codes of so many bits, codes into bytes, and what is over them: the lowest bit first. */

enum {
    NUVRIK_IS_LEVEL = 0,
    NUVRIK_IS_SHARE = 1,
    NUVRIK_IS_FLAG = 2,
    NUVRIK_IS_CHOICE = 3,
    NUVRIK_IS_COUNT = 4
};
/** The kinds of channel. */

/** One channel: its kind, its bits, and the greatest code that means something; of a choice all ones says
 *  besides that there is none.
 */
typedef struct {
    uint8_t kind;
    uint8_t bits;
    uint16_t most;
} NuvrikChannelTable;

uint16_t nuvrik_mask_of(uint8_t bits);
uint16_t nuvrik_got(const uint8_t *data, uint16_t at, uint8_t bits);
void nuvrik_put(uint8_t *data, uint16_t at, uint8_t bits, uint16_t code);
uint16_t nuvrik_level_code(int16_t value, uint8_t bits);
int32_t nuvrik_level_from_code(uint16_t code, uint8_t bits);
uint16_t nuvrik_share_code(int16_t value, uint8_t bits);
int32_t nuvrik_share_from_code(uint16_t code, uint8_t bits);
int32_t nuvrik_value_from_code(const NUVRIK_FLASH NuvrikChannelTable *channel, uint16_t code);
uint16_t nuvrik_code_of_value(const NUVRIK_FLASH NuvrikChannelTable *channel, int32_t value);
uint16_t nuvrik_crc16(uint16_t crc, uint8_t byte);
uint16_t nuvrik_crc16_back(uint16_t crc);
uint8_t nuvrik_crc8(uint8_t crc, uint8_t byte);
bool nuvrik_ends_in_zeros(const uint8_t *body, uint16_t at, uint16_t size);

/* ---- sealed ---- */

/** The body of a sealed frame as it comes in, byte by byte: head, payload, check; and of every other, why
 *  it is refused.
 *
 *  The check is CRC-16 with the layout tag as its initial value, high byte first, so that over a whole
 *  sound body it is zero. Where it is not, "built from another file" and "a bit was changed" want
 *  different things done, so they are told apart: the CRC is linear, so what is left of it, run backwards
 *  over as many zeros as the body is long, is the difference between the sender's initial value and ours.
 *  The body itself need not be kept for that.
 *
 *  Rules for whoever edits this. No byte sequence may do harm. A refused frame moves nothing. A stop is
 *  accepted whatever its sequence, because refusing one is the one mistake that hurts. The order of the
 *  tests stands in docs/wire-format.md.
 */

enum {
    NUVRIK_NO_EVENT = 0,
    NUVRIK_ACCEPTED = 1,
    NUVRIK_TOO_LONG = 2,
    NUVRIK_STUFFING = 3,
    NUVRIK_TOO_SHORT = 4,
    NUVRIK_CHECK = 5,
    NUVRIK_WRONG_LAYOUT = 6,
    NUVRIK_VERSION = 7,
    NUVRIK_WRONG_PAIR = 8,
    NUVRIK_WRONG_KIND = 9,
    NUVRIK_BAD_FIELD = 10,
    NUVRIK_REPEATED = 11,
    NUVRIK_OUT_OF_ORDER = 12,
    NUVRIK_LATE = 13,
    NUVRIK_QUEUED_UP = 14
};
/** What becomes of what has arrived: nothing yet, a frame that is accepted, or why it is refused. */

enum {
    NUVRIK_KIND_COMMAND = 0,
    NUVRIK_KIND_TELEMETRY = 1,
    NUVRIK_KIND_REQUEST = 2,
    NUVRIK_KIND_REPLY = 3,
    NUVRIK_KIND_HELLO = 4,
    NUVRIK_KIND_STOP = 5,
    NUVRIK_KIND_ECHO = 6
};

#define NUVRIK_THIS_VERSION 1

/** Version and kind, pair, low byte of the tag, sequence. */
#define NUVRIK_HEAD 4

/** Head and check. */
#define NUVRIK_SHORTEST 6

/** No link has this pair number: a hello that carries it asks whoever is there. */
#define NUVRIK_ANY_PAIR 0

/** The longest body; a longer one would need a COBS code of 0xFF. */
#define NUVRIK_LONGEST 200

/** The check of a hello begins with the same value for everybody. */
#define NUVRIK_HELLO_INITIAL 65535U

/** The longest body, and its first code. */
#define NUVRIK_MOST_STUFFED 201

enum {
    NUVRIK_SLIP_END = 192,
    NUVRIK_SLIP_ESC = 219,
    NUVRIK_SLIP_ESC_END = 220,
    NUVRIK_SLIP_ESC_ESC = 221
};

/** The longest body, every byte of it escaped. */
#define NUVRIK_MOST_ESCAPED 400

/** What makes a frame ours: pair, layout tag, and the kinds that this end takes, a bit for each. */
typedef struct {
    uint8_t pair;
    uint16_t tag;
    uint8_t takes;
} NuvrikSealedTable;

/** Bodies, byte by byte. Of each so much is kept as any frame of this link has. */
typedef struct {
    const NUVRIK_FLASH NuvrikSealedTable *table;
    uint8_t body[NUVRIK_MOST_BODY];
    uint16_t length;
    uint16_t crc;
    bool has_last;
    uint8_t last;
    bool worn;
    uint8_t kind;
    uint8_t seq;
    uint16_t payload;
} NuvrikSealed;

/** Bodies out of a stream, kept apart by zeros as in S. Cheshire and M. Baker, "Consistent Overhead Byte
 *  Stuffing", IEEE/ACM Transactions on Networking 7(2), 1999: no zero inside a frame, so that one can end
 *  it.
 */
typedef struct {
    uint8_t left;
    uint8_t stuffed;
    bool skipping;
} NuvrikCobsReader;

/** Bodies out of a stream, kept apart as in RFC 1055. Where an escape stands before a byte that needs none
 *  the frame was not made by a sender that keeps to the RFC, and is refused.
 */
typedef struct {
    uint16_t length;
    bool escaped;
    bool broken;
} NuvrikSlipReader;

void nuvrik_sealed_init(NuvrikSealed *self, const NUVRIK_FLASH NuvrikSealedTable *table);
void nuvrik_sealed_begin(NuvrikSealed *self);
void nuvrik_sealed_put(NuvrikSealed *self, uint8_t byte);
uint8_t nuvrik_sealed_look(NuvrikSealed *self);
bool nuvrik_sealed_asks_anybody(const NuvrikSealed *self);
uint8_t nuvrik_sealed_unsound(const NuvrikSealed *self);
uint16_t nuvrik_sealed_two(const NuvrikSealed *self, uint8_t at);
uint8_t nuvrik_sealed_newness(const NuvrikSealed *self);
void nuvrik_sealed_move(NuvrikSealed *self);
void nuvrik_sealed_forget(NuvrikSealed *self);
void nuvrik_sealed_wear(NuvrikSealed *self);
uint8_t nuvrik_cobs_reader_take(NuvrikCobsReader *self, uint8_t byte, NuvrikSealed *sealed);
uint8_t nuvrik_cobs_reader_end(NuvrikCobsReader *self);
uint8_t nuvrik_slip_reader_take(NuvrikSlipReader *self, uint8_t byte, NuvrikSealed *sealed);
uint8_t nuvrik_slip_reader_end(NuvrikSlipReader *self);

/* ---- ramp ---- */

/** How fast what moves may follow what is asked of it, and when what turns may turn the other way. */

/** A moving level is kept this much finer, so that slow moves do not stand still. */
#define NUVRIK_FINE 1024

#define NUVRIK_FINE_BITS 10

/** rate: how much finer level a millisecond moves by, 0: at once. dt_most: a gap longer than this is as
 *  good as this. pause_ms: the least time at rest between two directions.
 */
typedef struct {
    uint32_t rate;
    uint16_t dt_most;
    uint16_t pause_ms;
} NuvrikRampTable;

/** A level that moves at a limited rate. */
typedef struct {
    const NUVRIK_FLASH NuvrikRampTable *table;
    int32_t fine;
} NuvrikSlew;

/** A slew that rests before it reverses: for what turns. A move across zero stops at zero, and the pause
 *  begins at that tick. cut: it was cut off since the last tick.
 */
typedef struct {
    const NUVRIK_FLASH NuvrikRampTable *table;
    int32_t fine;
    int8_t last_sign;
    uint16_t at_rest_ms;
    bool cut;
} NuvrikRamp;

int32_t nuvrik_toward(const NUVRIK_FLASH NuvrikRampTable *table, int32_t here, int32_t goal, uint16_t dt_ms);
int16_t nuvrik_coarse(int32_t here);
int16_t nuvrik_change(const NUVRIK_FLASH NuvrikRampTable *table, uint16_t dt_ms);
void nuvrik_slew_init(NuvrikSlew *self, const NUVRIK_FLASH NuvrikRampTable *table);
int16_t nuvrik_slew_at(const NuvrikSlew *self);
void nuvrik_slew_put(NuvrikSlew *self, int16_t place);
bool nuvrik_slew_towards(NuvrikSlew *self, int16_t target, uint16_t dt_ms);
void nuvrik_ramp_init(NuvrikRamp *self, const NUVRIK_FLASH NuvrikRampTable *table);
int16_t nuvrik_ramp_at(const NuvrikRamp *self);
uint16_t nuvrik_ramp_pause_left(const NuvrikRamp *self, int16_t target);
void nuvrik_ramp_halt(NuvrikRamp *self);
bool nuvrik_ramp_towards(NuvrikRamp *self, int16_t target, uint16_t dt_ms);

/* ---- demand ---- */

/** What an output is told, and what the failsafe lets it do. */

enum {
    NUVRIK_FOLLOW = 0,
    NUVRIK_SAFE = 1,
    NUVRIK_LOST = 2,
    NUVRIK_HELD = 3
};

/** What one output is told to do right now. at: the level where it stands; value: in the units of its
 *  driver; way: which way the driver is set, 0 for off; driven: whether power makes it turn; braked:
 *  whether both sides of a motor are joined, or the coils of a stepper at rest keep their current.
 */
typedef struct {
    int16_t at;
    uint16_t value;
    int8_t way;
    bool driven;
    bool braked;
} NuvrikDemand;

void nuvrik_demand_put(NuvrikDemand *self, int16_t at, uint16_t value, int8_t way, bool driven, bool braked);

/* ---- motor ---- */

/** A motor behind its driver: from the level it is to have to the duty, the way and the brake now. */

/** A hold that ends says so for its last second: long enough to be seen, and to set the load down. */
#define NUVRIK_HOLD_ENDS_MS 1000

/** A corner of a curve: a level, and what becomes of it (the share of the duty above a motor's start). */
typedef struct {
    int16_t x;
    int16_t y;
} NuvrikPoint;

/** A curve, as points with straight lines between them; no points: there is none. */
typedef struct {
    const NUVRIK_FLASH NuvrikPoint *points;
    uint8_t points_count;
} NuvrikCurveTable;

/** One motor. facing: 1, or -1 where it is mounted the other way round. start, top, back_start, back_top:
 *  the least and the most duty either way (for pulses: microseconds beyond the pulse at rest). rest: the
 *  pulse at rest, 0 where duty is told. hold: the duty that holds a load, 0 for none. curve: its points.
 */
typedef struct {
    const NUVRIK_FLASH NuvrikRampTable *ramp;
    int8_t facing;
    bool pulses;
    uint16_t rest;
    uint16_t start;
    uint16_t top;
    uint16_t back_start;
    uint16_t back_top;
    const NUVRIK_FLASH NuvrikCurveTable *curve;
    uint16_t hold;
    int8_t hold_toward;
    uint16_t hold_ms;
    bool hold_from_arming;
    bool brakes_idle;
    bool brakes_lost;
    bool ramps_on_loss;
} NuvrikMotorTable;

/** One motor: ramp, reverse pause, start duty, limit, direction, and holding a load. */
typedef struct {
    const NUVRIK_FLASH NuvrikMotorTable *table;
    NuvrikRamp ramp;
    NuvrikDemand demand;
    bool armed;
    bool lost;
    bool has_turned;
    uint16_t held_ms;
} NuvrikMotor;

int16_t nuvrik_along(const NUVRIK_FLASH NuvrikCurveTable *curve, int16_t at);
uint16_t nuvrik_above(int16_t size, uint16_t start, uint16_t top);
void nuvrik_motor_init(NuvrikMotor *self, const NUVRIK_FLASH NuvrikMotorTable *table);
void nuvrik_motor_begin(NuvrikMotor *self);
void nuvrik_motor_idle(NuvrikMotor *self, bool braked);
void nuvrik_motor_tick(NuvrikMotor *self, int16_t target, bool asked, uint16_t dt_ms, uint8_t mode);
void nuvrik_motor_disarmed(NuvrikMotor *self);
void nuvrik_motor_drive(NuvrikMotor *self, int16_t at);
void nuvrik_motor_pulse(NuvrikMotor *self, int16_t at);
bool nuvrik_motor_holding(const NuvrikMotor *self);
uint16_t nuvrik_motor_hold_left_ms(const NuvrikMotor *self);
bool nuvrik_motor_hold_ends(const NuvrikMotor *self);
void nuvrik_motor_keep_holding(NuvrikMotor *self, int16_t wanted, uint16_t dt_ms, uint8_t mode);
void nuvrik_motor_cut_short(NuvrikMotor *self);
void nuvrik_motor_halt(NuvrikMotor *self);

/* ---- servo ---- */

/** What stands in a place, and what is off or on: servos and switches. */

enum {
    NUVRIK_STAYS = 0,
    NUVRIK_RELEASES = 1,
    NUVRIK_GOES = 2
};

/** One servo. facing: 1, or -1 where it is mounted the other way round. low and high: it never goes beyond
 *  these. on_loss: STAYS, RELEASES (no pulses) or GOES to lost_place. silent: no pulses until it is told a
 *  place.
 */
typedef struct {
    const NUVRIK_FLASH NuvrikRampTable *slew;
    int8_t facing;
    int16_t low;
    int16_t high;
    uint16_t pulse_low;
    uint16_t pulse_centre;
    uint16_t pulse_high;
    uint8_t on_loss;
    int16_t lost_place;
    bool silent;
} NuvrikServoTable;

/** Goes to a place and stays there. Without a reading, and outside ARMED, it stays: the pulses of that
 *  moment, so that a ramp under way ends there. Where it stands before it has ever been told a place
 *  nobody knows: so it gets no pulses until then, unless the link file has it centred, and goes to its
 *  first place without a ramp, which would begin at a place that nobody asked for.
 *
 *  started: it has been told a place since power-up; following: it was ARMED in the last tick; asked: it
 *  had a reading then, led: or a jog or a motion moved it; given: it has had a reading since it was ARMED,
 *  and for unread_ms none.
 */
typedef struct {
    const NUVRIK_FLASH NuvrikServoTable *table;
    NuvrikSlew slew;
    NuvrikDemand demand;
    int16_t goal;
    bool released;
    bool started;
    bool following;
    bool asked;
    bool led;
    bool given;
    uint16_t unread_ms;
} NuvrikServo;

/** One switch. holds: it stays on through a loss, and when arm goes off by itself. */
typedef struct {
    bool holds;
} NuvrikSwitchTable;

/** Off or on. It is on only while armed, unless it holds. */
typedef struct {
    const NUVRIK_FLASH NuvrikSwitchTable *table;
    NuvrikDemand demand;
} NuvrikSwitch;

uint16_t nuvrik_pulse_at(const NUVRIK_FLASH NuvrikServoTable *table, int16_t place);
void nuvrik_servo_init(NuvrikServo *self, const NUVRIK_FLASH NuvrikServoTable *table);
void nuvrik_servo_begin(NuvrikServo *self);
void nuvrik_servo_tell(NuvrikServo *self);
void nuvrik_servo_tick(NuvrikServo *self, int16_t target, bool asked, bool led, uint16_t dt_ms, uint8_t mode,
    uint16_t timeout_ms);
void nuvrik_servo_follow(NuvrikServo *self, int16_t target, bool asked, bool led, uint16_t dt_ms,
    uint16_t timeout_ms);
void nuvrik_servo_lose(NuvrikServo *self);
void nuvrik_servo_halt(NuvrikServo *self);
void nuvrik_switch_init(NuvrikSwitch *self, const NUVRIK_FLASH NuvrikSwitchTable *table);
void nuvrik_switch_put(NuvrikSwitch *self, bool on);
void nuvrik_switch_begin(NuvrikSwitch *self);
void nuvrik_switch_tick(NuvrikSwitch *self, int16_t target, bool asked, uint8_t mode);
void nuvrik_switch_halt(NuvrikSwitch *self);

/* ---- stepper ---- */

/** A stepper: its rate, its count of steps, and a move that comes out right to the step.
 *
 *  How a move by steps lands exactly. A rate and a ramp alone cannot do it: rates are whole numbers and
 *  the loop looks only once a tick, so a move that only watches how far it still is overshoots and creeps
 *  back. Two things together can. At each tick the stepper takes the greatest level from which it can
 *  still come to rest before the goal, worked out with every rounding counted against it (reach); and it
 *  says how many steps there are left, beyond which the pulse generator gives no pulse, so that a late
 *  tick cannot turn the shaft too far. What was tried and given up: braking by the square root of the way
 *  left, which is right in continuous time, overshot by up to 644 steps at 65,535 steps a second.
 */

/** The count is kept in thousandths of a step, because a tick is seldom a whole number of steps. */
#define NUVRIK_WHOLE 1000

/** The count of whole steps goes round here, so that it fits into the small integers of MicroPython. */
#define NUVRIK_TURNS INT32_C(1073741823)

#define NUVRIK_HALF_TURNS INT32_C(536870912)

/** A longer time since the last tick is not planned for: the move slows down from there, and lands all the
 *  same, because no pulse is given beyond its goal.
 */
#define NUVRIK_LONGEST_TICK_MS 1000

/** Steps. From further away than this no stepper has to slow down yet: the longest run-down, of half a
 *  minute at 65,535 steps a second, is shorter.
 */
#define NUVRIK_FAR INT32_C(1073000)

/** In place of the steps that are left: there is no move by steps. */
#define NUVRIK_NO_LIMIT (-1)

/** One stepper. facing: 1, or -1 where it is mounted the other way round. rate_max: steps a second at
 *  full. ramp_ms: from rest to full. holds: at rest its coils keep their current, once it has turned.
 *  least: the level of one step a second, from which a move never falls.
 */
typedef struct {
    const NUVRIK_FLASH NuvrikRampTable *ramp;
    int8_t facing;
    uint16_t rate_max;
    uint16_t ramp_ms;
    bool holds;
    int16_t least;
} NuvrikStepperTable;

/** Turns in steps at a rate either way about zero, and counts the steps it has been told to turn: whole
 *  ones, going round, and part, 0 to 999 thousandths, always upwards from the whole ones.
 *
 *  Call count_on with the time gone by before tick: what was turned in that time was turned at the rate
 *  told before.
 */
typedef struct {
    const NUVRIK_FLASH NuvrikStepperTable *table;
    NuvrikRamp ramp;
    NuvrikDemand demand;
    uint32_t whole;
    uint16_t part;
    bool moving;
    int16_t most;
    uint32_t goal_whole;
    uint16_t goal_part;
    int32_t steps_left;
    bool turned;
} NuvrikStepper;

uint16_t nuvrik_rate_of(const NUVRIK_FLASH NuvrikStepperTable *table, int16_t size);
uint32_t nuvrik_reach(const NUVRIK_FLASH NuvrikStepperTable *table, int16_t size, uint16_t dt_ms);
void nuvrik_stepper_init(NuvrikStepper *self, const NUVRIK_FLASH NuvrikStepperTable *table);
void nuvrik_stepper_begin(NuvrikStepper *self);
void nuvrik_stepper_rest(NuvrikStepper *self);
void nuvrik_stepper_count_on(NuvrikStepper *self, uint16_t dt_ms);
bool nuvrik_stepper_behind(const NuvrikStepper *self);
uint32_t nuvrik_stepper_steps_away(const NuvrikStepper *self);
uint16_t nuvrik_stepper_part_away(const NuvrikStepper *self);
bool nuvrik_stepper_beyond(const NuvrikStepper *self, uint32_t steps, uint16_t part);
void nuvrik_stepper_tick(NuvrikStepper *self, int16_t target, bool asked, uint16_t dt_ms, uint8_t mode);
int32_t nuvrik_stepper_limit(const NuvrikStepper *self, bool ahead);
uint32_t nuvrik_stepper_rounded(const NuvrikStepper *self);
void nuvrik_stepper_go_to(NuvrikStepper *self, uint32_t place, uint16_t part);
void nuvrik_stepper_count_from_here(NuvrikStepper *self);
void nuvrik_stepper_let_go(NuvrikStepper *self);
bool nuvrik_stepper_there(const NuvrikStepper *self);
bool nuvrik_stepper_arrived(const NuvrikStepper *self);
int16_t nuvrik_stepper_wanted(const NuvrikStepper *self, uint16_t dt_ms);
int16_t nuvrik_stepper_fastest(const NuvrikStepper *self, int16_t now, uint32_t left, uint16_t time_ms);
void nuvrik_stepper_halt(NuvrikStepper *self);

/* ---- pins ---- */

/** Demands to pin levels: direction before power, and nothing left half changed.
 *
 *  A write is one of an output's pins and what it is set to: 0 or 1 for a plain pin, a count for one with
 *  PWM, microseconds for a pulse (0: none), steps a second for a step pin. They come in the order in which
 *  they must be made: power off, then direction, then power on. A bridge whose sides change under power
 *  shorts itself for as long as its transistors need to switch off.
 */

enum {
    NUVRIK_PULSED = 0,
    NUVRIK_ONE_DIRECTION = 1,
    NUVRIK_TWO_DIRECTIONS = 2,
    NUVRIK_TWO_POWERED = 3,
    NUVRIK_STEPPED = 4,
    NUVRIK_COILS = 5,
    NUVRIK_SWITCHED_HIGH = 6,
    NUVRIK_SWITCHED_LOW = 7
};
/** How the pins of an output are used: one that takes the value; power and a direction pin; power and two
 *  of them; two of power; steps, direction and current of a stepper, and the same where a board makes them
 *  of the four ends of its coils; and a switch that is on while its pin is high, or low.
 */

/** An output has no more pins than this. */
#define NUVRIK_PINS_EACH 3

/** Off, direction and on, of two pins each, and every level once more. */
#define NUVRIK_MOST_WRITES 9

/** Levels are written once more after so long: with a tick of 50 ms besides, ten times a second at least. */
#define NUVRIK_AGAIN_MS 50

/** The pins of one output. use: how they are used; most: the count of a PWM pin that is full on;
 *  enable_low: current flows while its pin is low; numbers: the board's, in order, NOBODY where the link
 *  file gives none.
 */
typedef struct {
    uint8_t use;
    uint16_t most;
    bool enable_low;
    const NUVRIK_FLASH uint8_t *numbers;
    uint8_t numbers_count;
} NuvrikPinTable;

/** What is to be written to the pins of one output: count writes, pin and level of each, in order. One
 *  serves all outputs of a machine, one after the other.
 */
typedef struct {
    uint16_t wanted[NUVRIK_PINS_EACH];
    bool changed[NUVRIK_PINS_EACH];
    uint8_t count;
    uint8_t pin[NUVRIK_MOST_WRITES];
    uint16_t level[NUVRIK_MOST_WRITES];
} NuvrikWrites;

/** The pins of one output, all low until something is written. */
typedef struct {
    const NUVRIK_FLASH NuvrikPinTable *table;
    int8_t way;
    bool braked;
    bool known;
    uint16_t levels[NUVRIK_PINS_EACH];
} NuvrikPins;

/** When the pins of a machine are written once more, although nothing has changed: at every stop, at
 *  leaving ARMED, and every so often, so that what the builder's own code has set by itself does not last.
 *  now: in this turn; done ends that.
 */
typedef struct {
    bool now;
    bool armed;
    uint16_t since_ms;
} NuvrikAgain;

uint16_t nuvrik_level_of_pin(const NUVRIK_FLASH NuvrikPinTable *table, uint8_t pin, uint16_t value,
    int8_t way, bool braked);
uint8_t nuvrik_pins_of(uint8_t use);
void nuvrik_writes_put(NuvrikWrites *self, uint8_t pin, uint16_t to);
void nuvrik_pins_init(NuvrikPins *self, const NUVRIK_FLASH NuvrikPinTable *table);
void nuvrik_pins_follow(NuvrikPins *self, uint16_t value, int8_t way, bool braked, NuvrikWrites *writes);
void nuvrik_pins_repeat(NuvrikPins *self, NuvrikWrites *writes);
void nuvrik_pins_change(NuvrikPins *self, uint16_t value, int8_t way, bool braked, NuvrikWrites *writes);
bool nuvrik_pins_powers(const NuvrikPins *self, uint8_t pin);
void nuvrik_pins_put_changed(NuvrikPins *self, uint8_t pins, bool power, NuvrikWrites *writes);
void nuvrik_pins_put(NuvrikPins *self, uint8_t pin, uint16_t to, NuvrikWrites *writes);
void nuvrik_again_stop(NuvrikAgain *self);
void nuvrik_again_turn(NuvrikAgain *self, uint16_t dt_ms, bool armed);
void nuvrik_again_done(NuvrikAgain *self);

/* ---- watch ---- */

/** Who may move, and when: the timers of the failsafe, and the table that every event is looked up in. */

enum {
    NUVRIK_WAITING = 0,
    NUVRIK_STANDBY = 1,
    NUVRIK_ARMED = 2,
    NUVRIK_FAILSAFE = 3,
    NUVRIK_STOPPED = 4
};

/** How many states there are. */
#define NUVRIK_STATES 5

/** In a cell: nothing of this kind happens. */
#define NUVRIK_NOWHERE 255

enum {
    NUVRIK_DRIVE_OFF = 0,
    NUVRIK_DRIVE_REST = 1,
    NUVRIK_DRIVE_MOVED = 2,
    NUVRIK_BARE_OFF = 3,
    NUVRIK_BARE_ON = 4,
    NUVRIK_STOP = 5,
    NUVRIK_SILENCE = 6,
    NUVRIK_GIVE_UP = 7
};

enum {
    NUVRIK_WHY_NOTHING = 0,
    NUVRIK_WHY_FIRST_FRAME = 1,
    NUVRIK_WHY_ARM_OFF = 2,
    NUVRIK_WHY_SWITCH_ARM_OFF = 3,
    NUVRIK_WHY_NOT_AT_REST = 4,
    NUVRIK_WHY_NO_READING = 5,
    NUVRIK_WHY_STOPPED = 6,
    NUVRIK_WHY_SILENCE = 7,
    NUVRIK_WHY_GAVE_UP = 8,
    NUVRIK_WHY_GOOD_FRAMES = 9,
    NUVRIK_WHY_ONE_MORE_AT_REST = 10,
    NUVRIK_WHY_STOP_SWITCH = 11,
    NUVRIK_WHY_LOW_BATTERY = 12,
    NUVRIK_WHY_OWN_CODE = 13
};
/** Why nothing moves. The place of a stop switch and of a battery is that of an item of telemetry; that of
 *  the builder's own code is the number that it gave for its stop, 1 to 15.
 */

/** What one event does in one state. acts: whether it does anything; to: the state it enters; run,
 *  off_seen: what these become; counts_to: where a full run of good frames leads, STATES for nowhere;
 *  edge_to: the state it enters if arm has been seen off since this one was entered. NOWHERE: it does
 *  nothing of that kind. why: what holds the machine back afterwards, where nothing more helpful is known.
 */
typedef struct {
    bool acts;
    uint8_t to;
    uint8_t run;
    uint8_t off_seen;
    uint8_t counts_to;
    uint8_t edge_to;
    uint8_t why;
} NuvrikCell;

/** What a link file says about silence. cells: one for each event in each state, with recover and arm =
 *  "none" already in them; armless: whether there is no arm.
 */
typedef struct {
    uint16_t timeout_ms;
    uint8_t good_frames;
    bool gives_up;
    uint16_t give_up_ms;
    bool armless;
    const NUVRIK_FLASH NuvrikCell *cells;
    uint8_t cells_count;
} NuvrikWatchTable;

/** The state of one machine, and why nothing moves: a code, the place of a channel, a number. stopped_by,
 *  stopped_at: what stopped it last, and its place.
 */
typedef struct {
    const NUVRIK_FLASH NuvrikWatchTable *table;
    uint8_t state;
    uint8_t why;
    uint8_t place;
    uint16_t number;
    uint8_t run;
    uint8_t off_seen;
    bool counted;
    bool silent;
    uint16_t driven_ms;
    uint16_t entered_ms;
    uint8_t stopped_by;
    uint8_t stopped_at;
} NuvrikWatch;

void nuvrik_watch_init(NuvrikWatch *self, const NUVRIK_FLASH NuvrikWatchTable *table);
bool nuvrik_watch_pass_time(NuvrikWatch *self, uint16_t dt_ms);
void nuvrik_watch_ticked(NuvrikWatch *self);
void nuvrik_watch_drive(NuvrikWatch *self, bool arm, uint8_t moved);
void nuvrik_watch_bare(NuvrikWatch *self, bool arm, uint8_t missing);
void nuvrik_watch_stop(NuvrikWatch *self, uint8_t why, uint8_t place);
void nuvrik_watch_happen(NuvrikWatch *self, uint8_t event, uint8_t place, uint16_t number);
void nuvrik_watch_carry_out(NuvrikWatch *self, const NUVRIK_FLASH NuvrikCell *cell);
void nuvrik_watch_enter(NuvrikWatch *self, uint8_t state);
void nuvrik_watch_explain(NuvrikWatch *self, uint8_t event, const NUVRIK_FLASH NuvrikCell *cell,
    uint8_t place, uint16_t number);
void nuvrik_watch_say(NuvrikWatch *self, uint8_t why, uint8_t place, uint16_t number);

/* ---- commands ---- */

/** What an accepted command is for the failsafe: a drive frame or not, at rest or not.
 *
 *  A channel is required if it feeds something that turns and is not optional. A command without a reading
 *  of a required channel is no drive frame: it is no sign of life, and keeps nothing moving. An optional
 *  channel that turns something enters as zero while it has no reading, and has a say again only once it
 *  has been read at rest: a stick that comes back hard over must start nothing. What feeds only places is
 *  nobody's business here: a place without a reading stays (outputs).
 */

/** What the channels of a link are to the failsafe. arm: the place of the one that arms, NOBODY for none;
 *  required: the places of those without whose reading nothing turns; optional: those of the others that
 *  turn something; band: how far from zero still is at rest.
 */
typedef struct {
    uint8_t arm;
    int16_t band;
    const NUVRIK_FLASH uint8_t *required;
    uint8_t required_count;
    const NUVRIK_FLASH uint8_t *optional;
    uint8_t optional_count;
} NuvrikCommandTable;

/** Sorts the commands of one link. arm: whether it is on; missing: the place of the first required channel
 *  that has no reading; moved: of the first that turns something and is not at rest. NOBODY: there is
 *  none.
 */
typedef struct {
    const NUVRIK_FLASH NuvrikCommandTable *table;
    bool arm;
    uint8_t missing;
    uint8_t moved;
    uint8_t unready;
    bool ready[NUVRIK_MOST_OPTIONAL];
} NuvrikCommands;

void nuvrik_commands_init(NuvrikCommands *self, const NUVRIK_FLASH NuvrikCommandTable *table);
void nuvrik_commands_sort(NuvrikCommands *self, const int32_t *values);
void nuvrik_commands_look_at_optional(NuvrikCommands *self, const int32_t *values);
void nuvrik_commands_enter(NuvrikCommands *self, int32_t *values);

/* ---- mix ---- */

/** Channels to outputs: one level for each output, by its route. */

/** A channel's place, and how much it counts. extra: of a place that is fed by several channels, which of
 *  those that are optional it is; else NOBODY.
 */
typedef struct {
    uint8_t place;
    int32_t weight;
    uint8_t extra;
} NuvrikTerm;

/** How one output gets its level: the sum of its terms; scaled down with the sum of the output at the
 *  place partner, of the other side, if there is one, so that the larger of the two is full; slowed by the
 *  channel at the place turn, if there is one, while that has the sign inner. switched: its one channel is
 *  a flag. band: how far from zero counts as zero.
 */
typedef struct {
    bool switched;
    int16_t band;
    const NUVRIK_FLASH NuvrikTerm *terms;
    uint8_t terms_count;
    uint8_t partner;
    uint8_t turn;
    int8_t inner;
} NuvrikRoute;

bool nuvrik_rests(const NUVRIK_FLASH NuvrikRoute *route, int32_t value);
int32_t nuvrik_total(const NUVRIK_FLASH NuvrikRoute *route, const int32_t *values);
int32_t nuvrik_fit_side(int32_t sum, int32_t other);
int32_t nuvrik_slowed(const NUVRIK_FLASH NuvrikRoute *route, int32_t sum, const int32_t *values);

/* ---- outputs ---- */

/** All outputs of one machine: what the mix, a jog and a motion ask of each, and one turn of the loop for
 *  all.
 */

enum {
    NUVRIK_IS_MOTOR = 0,
    NUVRIK_IS_SERVO = 1,
    NUVRIK_IS_STEPPER = 2,
    NUVRIK_IS_SWITCH = 3
};

enum {
    NUVRIK_AT_FORWARD_END = 1,
    NUVRIK_AT_BACKWARD_END = 2,
    NUVRIK_FORWARD_UNREAD = 4,
    NUVRIK_BACKWARD_UNREAD = 8
};
/** What turns may go no further that way, as its pins say forward and backward. */

/** An end times this says that the switch at that end has no reading. */
#define NUVRIK_END_UNREAD 4

/** In place of a cap: the builder's own code has said none since the last tick. */
#define NUVRIK_NOT_SAID (-1)

/** One output: its kind, its place among those of that kind, and how it gets its level. */
typedef struct {
    uint8_t kind;
    uint8_t at;
    const NUVRIK_FLASH NuvrikRoute *route;
} NuvrikOutputTable;

/** What limits one output: items of telemetry, NOBODY for none. */
typedef struct {
    uint8_t dial;
    uint8_t end_forward;
    uint8_t end_backward;
} NuvrikLimitsTable;

/** The outputs of a machine in declared order, and by kind. limits: one for each output, none at all where
 *  nothing limits any; extra: one place for each optional channel of a place that several channels feed.
 */
typedef struct {
    const NUVRIK_FLASH NuvrikOutputTable *outputs;
    uint8_t outputs_count;
    const NUVRIK_FLASH NuvrikMotorTable *motors;
    uint8_t motors_count;
    const NUVRIK_FLASH NuvrikServoTable *servos;
    uint8_t servos_count;
    const NUVRIK_FLASH NuvrikStepperTable *steppers;
    uint8_t steppers_count;
    const NUVRIK_FLASH NuvrikSwitchTable *switches;
    uint8_t switches_count;
    const NUVRIK_FLASH NuvrikLimitsTable *limits;
    uint8_t limits_count;
    const NUVRIK_FLASH uint8_t *extra;
    uint8_t extra_count;
} NuvrikOutputsTable;

/** The outputs of one machine. targets: what the last drive frame that was followed asks of each, sums:
 *  the same before it was made to fit, asked: whether it asks anything. given: whether it says where a
 *  place is to be; read: which optional channels of places have had a reading since arming. A jog goes
 *  before that, and so does a motion: moves says which outputs it moves, and wishes how far; a place goes
 *  back_to where it was once its jog is over, while it is the one that goes_back. factors: how much of
 *  that is left to what turns; ends: which way it may not go. caps: what the builder's own code leaves of
 *  it, said: what it has said since the last tick; waits: it left nothing, and its channels have not
 *  rested since.
 */
typedef struct {
    const NUVRIK_FLASH NuvrikOutputsTable *table;
    NuvrikMotor motors[NUVRIK_MOST_MOTORS];
    NuvrikServo servos[NUVRIK_MOST_SERVOS];
    NuvrikStepper steppers[NUVRIK_MOST_STEPPERS];
    NuvrikSwitch switches[NUVRIK_MOST_SWITCHES];
    int16_t targets[NUVRIK_MOST_OUTPUTS];
    int32_t sums[NUVRIK_MOST_OUTPUTS];
    bool asked;
    bool given[NUVRIK_MOST_OUTPUTS];
    bool read[NUVRIK_MOST_EXTRA];
    uint8_t jogged;
    int16_t jog_level;
    uint8_t goes_back;
    int16_t back_to;
    uint16_t jog_for_ms;
    uint16_t jog_ms;
    bool moves[NUVRIK_MOST_OUTPUTS];
    int16_t wishes[NUVRIK_MOST_OUTPUTS];
    bool moving;
    int16_t factors[NUVRIK_MOST_LIMITS];
    uint8_t ends[NUVRIK_MOST_LIMITS];
    int16_t caps[NUVRIK_MOST_OUTPUTS];
    int16_t said[NUVRIK_MOST_OUTPUTS];
    bool waits[NUVRIK_MOST_OUTPUTS];
    bool capped;
} NuvrikOutputs;

void nuvrik_outputs_init(NuvrikOutputs *self, const NUVRIK_FLASH NuvrikOutputsTable *table);
void nuvrik_outputs_begin(NuvrikOutputs *self);
void nuvrik_outputs_pass_time(NuvrikOutputs *self, uint16_t dt_ms);
void nuvrik_outputs_follow(NuvrikOutputs *self, const int32_t *values);
bool nuvrik_outputs_says_where(NuvrikOutputs *self, const NUVRIK_FLASH NuvrikRoute *route,
    const int32_t *values);
void nuvrik_outputs_let_rest(NuvrikOutputs *self);
void nuvrik_outputs_jog(NuvrikOutputs *self, uint8_t output, int16_t to, uint16_t for_ms);
void nuvrik_outputs_end_jog(NuvrikOutputs *self);
bool nuvrik_outputs_turns(const NuvrikOutputs *self, uint8_t output);
bool nuvrik_outputs_switches_only(const NuvrikOutputs *self, uint8_t output);
bool nuvrik_outputs_a_hand_moves(const NuvrikOutputs *self, uint8_t output);
bool nuvrik_outputs_ends_here(const NuvrikOutputs *self, uint8_t output);
void nuvrik_outputs_wish(NuvrikOutputs *self, uint8_t output, int16_t to);
void nuvrik_outputs_let_go(NuvrikOutputs *self);
bool nuvrik_outputs_cap(NuvrikOutputs *self, uint8_t output, int16_t most);
int16_t nuvrik_outputs_within_cap(NuvrikOutputs *self, uint8_t output, int16_t target);
void nuvrik_outputs_limit(NuvrikOutputs *self, uint8_t output, int16_t factor, uint8_t at_end);
bool nuvrik_outputs_at_end(const NuvrikOutputs *self, uint8_t output, uint8_t which);
int8_t nuvrik_outputs_facing(const NuvrikOutputs *self, uint8_t output);
bool nuvrik_outputs_barred(const NuvrikOutputs *self, uint8_t output, int32_t to);
int16_t nuvrik_outputs_within_limits(NuvrikOutputs *self, uint8_t output, int16_t target);
void nuvrik_outputs_count_on(NuvrikOutputs *self, uint16_t dt_ms);
void nuvrik_outputs_tick(NuvrikOutputs *self, uint16_t dt_ms, uint8_t mode, uint16_t timeout_ms);
void nuvrik_outputs_place(NuvrikOutputs *self, uint8_t output, int16_t target, bool led, uint16_t dt_ms,
    uint8_t mode, uint16_t timeout_ms);
void nuvrik_outputs_halt(NuvrikOutputs *self);
NuvrikDemand *nuvrik_outputs_told(NuvrikOutputs *self, uint8_t output);
bool nuvrik_outputs_hold_ends(const NuvrikOutputs *self);
bool nuvrik_all_rest(const NUVRIK_FLASH NuvrikRoute *route, const int32_t *values);

/* ---- desk ---- */

/** The machine's desk: requests carried out at most once each, hello and echo answered.
 *
 *  Why nothing is ever done twice. A request carries the machine's boot number, the handset's session, and
 *  a number that the handset never gives twice in a session. The desk keeps one session and the highest
 *  number it has taken in it. It takes a request only if boot and session are its own and the number is
 *  higher; the highest one again only brings its reply again. Another session begins with a hello, and
 *  makes the desk count its boot number up: whatever an earlier session sent, and whatever was sent before
 *  a reboot, then carries an old boot number and is answered STRANGER. So the memory needed is one number
 *  and one reply.
 *
 *  Rules for whoever edits this. The number is taken before the request is begun, so that a repetition
 *  finds it taken whatever the builder's code does. A motion ends with the right to move, in the call that
 *  takes that right away; what its own code has to clean up comes later and can change nothing. A reply is
 *  kept until the next number is taken, because it may have been lost.
 *
 *  The builder's own code is never called from here. ask says that it is to be called; whoever calls it
 *  then says called, and for what goes on, wish at each tick and in the end over.
 *
 *  Tried and given up: a list of the last numbers (it forgets, and then does twice what was asked once);
 *  numbers that the machine gives out (that takes a round trip before every request); an acknowledgement
 *  apart from the reply (one more frame that can be lost, for nothing that the reply does not say).
 */

enum {
    NUVRIK_DONE = 0,
    NUVRIK_RUNNING = 1,
    NUVRIK_NOT_ARMED = 2,
    NUVRIK_REFUSED = 3,
    NUVRIK_FAILED = 4,
    NUVRIK_ENDED = 5,
    NUVRIK_BUSY = 6,
    NUVRIK_STRANGER = 7
};
/** What becomes of a request, as a reply says it. */

enum {
    NUVRIK_ASKS_STEPS = 0,
    NUVRIK_ASKS_HOME = 1,
    NUVRIK_ASKS_CALL = 2,
    NUVRIK_ASKS_ROUTINE = 3
};
/** The kinds of request: so many steps, back to where it was at power-up, the builder's own code, a
 *  routine of the link file.
 */

enum {
    NUVRIK_NO_MOTION = 0,
    NUVRIK_STEPS_MOTION = 1,
    NUVRIK_OWN_MOTION = 2,
    NUVRIK_ROUTINE_MOTION = 3
};
/** What a request has begun that goes on: nothing, a move by steps, the builder's own code, a routine. */

enum {
    NUVRIK_ANSWERS_REPLY = 0,
    NUVRIK_ANSWERS_ECHO = 1
};
/** What waits in the ring to be answered. Hellos have a place of their own: anybody may ask them, and they
 *  must push no reply out.
 */

enum {
    NUVRIK_WHO = 0,
    NUVRIK_HOW = 1
};
/** The pages of a hello: who is there, how it has fared. */

/** Steps: further than any way to an end, and less than half of where the count goes round. */
#define NUVRIK_FURTHEST INT32_C(268435456)

/** The bytes of an echo. */
#define NUVRIK_MOST_TOKEN 16

enum {
    NUVRIK_JOG_CODE = 255,
    NUVRIK_JOG_BYTES = 4,
    NUVRIK_JOG_STEPS = 127,
    NUVRIK_JOG_MOST_TURNING = 64
};
/** What turns is jogged to no more than about half. */

enum {
    NUVRIK_JOG_UNIT_MS = 10,
    NUVRIK_JOG_MOST_TIME = 50
};

/** One argument of a request: its bits, the greatest code that means something, and whether it is in two's
 *  complement.
 */
typedef struct {
    uint8_t bits;
    uint16_t most;
    bool either_sign;
} NuvrikArgumentTable;

/** How far a step of a routine moves one output. */
typedef struct {
    uint8_t output;
    int16_t to;
} NuvrikWishTable;

/** One step of a routine: how long it lasts, and what changes at its beginning. */
typedef struct {
    uint16_t for_ms;
    const NUVRIK_FLASH NuvrikWishTable *wishes;
    uint8_t wishes_count;
} NuvrikRoutineStepTable;

/** One request. moves: it needs ARMED, and ends on leaving it; output: the place of what it moves,
 *  stepper: its place among the steppers; speeds: its last argument says how fast, in per cent of full;
 *  against: the end at which it is home, 0 for where it was at power-up; routine, times: the steps that it
 *  goes through, and how often.
 */
typedef struct {
    uint8_t kind;
    bool moves;
    uint8_t output;
    uint8_t stepper;
    bool speeds;
    uint8_t against;
    uint8_t times;
    const NUVRIK_FLASH NuvrikArgumentTable *arguments;
    uint8_t arguments_count;
    const NUVRIK_FLASH NuvrikRoutineStepTable *routine;
    uint8_t routine_count;
} NuvrikRequestTable;

/** The requests of a link. answers: there is a way back to the handset; says_hello: and a hello's answer
 *  fits into its frames.
 */
typedef struct {
    const NUVRIK_FLASH NuvrikRequestTable *requests;
    uint8_t requests_count;
    bool answers;
    bool says_hello;
} NuvrikDeskTable;

/** Requests, hellos and echoes of one machine. boot_low and boot_high: a number that differs from boot to
 *  boot; arguments: those of the request that is asked; answers wait in a ring from first on, and the two
 *  pages of a hello in who_waits and how_waits; token, length: the echo that waits.
 */
typedef struct {
    const NUVRIK_FLASH NuvrikDeskTable *table;
    uint16_t boot_low;
    uint16_t boot_high;
    bool met;
    uint16_t session;
    uint16_t number;
    bool replied;
    uint8_t code;
    uint8_t status;
    int32_t value;
    int32_t arguments[NUVRIK_MOST_ARGUMENTS];
    uint8_t motion;
    uint8_t move_code;
    uint16_t move_session;
    uint16_t move_number;
    bool begun;
    uint16_t steps;
    int16_t most;
    bool blind;
    bool back;
    uint32_t from_whole;
    uint16_t from_part;
    uint8_t step_at;
    uint16_t step_ms;
    uint8_t rounds;
    bool who_waits;
    bool how_waits;
    uint8_t first;
    uint8_t waiting;
    uint8_t kinds[NUVRIK_MOST_WAITING];
    uint8_t codes[NUVRIK_MOST_WAITING];
    uint16_t sessions[NUVRIK_MOST_WAITING];
    uint16_t numbers[NUVRIK_MOST_WAITING];
    uint8_t statuses[NUVRIK_MOST_WAITING];
    int32_t values[NUVRIK_MOST_WAITING];
    uint8_t token[NUVRIK_MOST_ECHO];
    uint8_t length;
} NuvrikDesk;

int32_t nuvrik_steps_between(uint32_t whole_to, uint16_t part_to, uint32_t whole_from, uint16_t part_from);
int16_t nuvrik_speed_of(int32_t per_cent);
void nuvrik_desk_init(NuvrikDesk *self, const NUVRIK_FLASH NuvrikDeskTable *table);
void nuvrik_desk_hello(NuvrikDesk *self, uint16_t session, uint8_t page, NuvrikOutputs *outputs);
uint8_t nuvrik_desk_place(NuvrikDesk *self);
void nuvrik_desk_drop(NuvrikDesk *self);
void nuvrik_desk_reply(NuvrikDesk *self, uint8_t code, uint16_t session, uint16_t number, uint8_t status,
    int32_t value);
bool nuvrik_desk_ask(NuvrikDesk *self, uint8_t code, uint16_t boot_low, uint16_t boot_high, uint16_t session,
    uint16_t number, bool armed);
bool nuvrik_desk_begin(NuvrikDesk *self, const NUVRIK_FLASH NuvrikRequestTable *request, bool armed);
void nuvrik_desk_called(NuvrikDesk *self, uint8_t status, int32_t value);
void nuvrik_desk_answer(NuvrikDesk *self, uint8_t status, int32_t value);
void nuvrik_desk_overlay(NuvrikDesk *self, NuvrikOutputs *outputs, uint16_t dt_ms, uint8_t mode);
bool nuvrik_desk_step(NuvrikDesk *self, NuvrikOutputs *outputs, uint16_t dt_ms);
bool nuvrik_desk_go_through(NuvrikDesk *self, NuvrikOutputs *outputs, uint16_t dt_ms);
void nuvrik_desk_over(NuvrikDesk *self, uint8_t status, int32_t value, NuvrikOutputs *outputs);
uint16_t nuvrik_desk_low_of(const NuvrikDesk *self, uint8_t at);
uint16_t nuvrik_desk_high_of(const NuvrikDesk *self, uint8_t at);
void nuvrik_desk_echo(NuvrikDesk *self, uint8_t length);

/* ---- machine ---- */

/** The machine: what has arrived, and time, to what every output is told; never a moving motor that nobody
 *  asked for. Bytes are for others; here arrive commands, stops, questions.
 */

enum {
    NUVRIK_NOTHING = 0,
    NUVRIK_FORGET = 1,
    NUVRIK_WEAR = 2
};
/** What becomes of the last sequence number as time goes by: nothing; a silence begins, and it is
 *  forgotten; its sender may have gone, and any other is taken, but not the same again.
 */

/** A machine's part of a link. */
typedef struct {
    const NUVRIK_FLASH NuvrikWatchTable *watch;
    const NUVRIK_FLASH NuvrikCommandTable *commands;
    const NUVRIK_FLASH NuvrikOutputsTable *outputs;
    const NUVRIK_FLASH NuvrikDeskTable *desk;
} NuvrikMachineTable;

/** One machine. now_ms is any clock of milliseconds that goes round at 65536. pass_time comes first in
 *  every call of the loop, before anything that has arrived is looked at.
 */
typedef struct {
    const NUVRIK_FLASH NuvrikMachineTable *table;
    NuvrikWatch watch;
    NuvrikCommands commands;
    NuvrikOutputs outputs;
    NuvrikDesk desk;
    bool started;
    uint16_t now_ms;
    bool ticked;
    uint16_t since_ms;
    bool heard;
    uint16_t heard_ms;
    bool followed;
    uint8_t last_command;
    bool resting;
    bool holding;
} NuvrikMachine;

void nuvrik_machine_init(NuvrikMachine *self, const NUVRIK_FLASH NuvrikMachineTable *table);
void nuvrik_machine_begin(NuvrikMachine *self, uint16_t boot_low, uint16_t boot_high);
uint8_t nuvrik_machine_mode(const NuvrikMachine *self);
uint16_t nuvrik_machine_elapsed(const NuvrikMachine *self, uint16_t now_ms);
uint8_t nuvrik_machine_pass_time(NuvrikMachine *self, uint16_t now_ms);
void nuvrik_machine_expire(NuvrikMachine *self, uint16_t now_ms);
void nuvrik_machine_fall_silent(NuvrikMachine *self);
void nuvrik_machine_end_motions(NuvrikMachine *self);
void nuvrik_machine_hear(NuvrikMachine *self);
void nuvrik_machine_command(NuvrikMachine *self, int32_t *values);
void nuvrik_machine_numbered(NuvrikMachine *self, uint8_t seq);
void nuvrik_machine_stop(NuvrikMachine *self);
void nuvrik_machine_press_stop(NuvrikMachine *self, uint8_t why, uint8_t place);
void nuvrik_machine_own_stop(NuvrikMachine *self, uint8_t number);
uint8_t nuvrik_machine_own_number(const NuvrikMachine *self);
bool nuvrik_machine_cap(NuvrikMachine *self, uint8_t output, int16_t most);
void nuvrik_machine_jog(NuvrikMachine *self, uint8_t output, int16_t to, uint16_t for_ms);
void nuvrik_machine_argument(NuvrikMachine *self, uint8_t at, int32_t value);
bool nuvrik_machine_ask(NuvrikMachine *self, uint8_t code, uint16_t boot_low, uint16_t boot_high,
    uint16_t session, uint16_t number);
void nuvrik_machine_called(NuvrikMachine *self, uint8_t status, int32_t value);
void nuvrik_machine_wish(NuvrikMachine *self, uint8_t output, int16_t to);
void nuvrik_machine_let_go(NuvrikMachine *self);
void nuvrik_machine_own_over(NuvrikMachine *self, uint8_t status, int32_t value);
void nuvrik_machine_hello(NuvrikMachine *self, uint16_t session, uint8_t page);
void nuvrik_machine_turn(NuvrikMachine *self);

/* ---- sender ---- */

/** Frames on their way out: a body is begun, filled, sealed, and put into the form in which it travels. */

enum {
    NUVRIK_AS_IT_IS = 0,
    NUVRIK_STUFFED = 1,
    NUVRIK_ESCAPED = 2,
    NUVRIK_IN_HEX = 3
};
/** How bodies travel: in packets, between zeros, between ENDs, as a line of hex digits. */

/** The character # begins a line of hex digits. */
#define NUVRIK_HEX_MARK 35

/** What makes a frame ours, and how it travels. ending: what ends a line of hex digits; leads: whether the
 *  end of a frame is sent before it too.
 */
typedef struct {
    uint8_t pair;
    uint16_t tag;
    uint8_t way;
    bool leads;
    const NUVRIK_FLASH uint8_t *ending;
    uint8_t ending_count;
} NuvrikSenderTable;

/** One sender's frames, one at a time. body holds length bytes while a frame is filled; wire holds count
 *  of what travels, once it is sealed.
 */
typedef struct {
    const NUVRIK_FLASH NuvrikSenderTable *table;
    uint8_t seq;
    uint8_t body[NUVRIK_MOST_SENT];
    uint8_t length;
    uint16_t at;
    uint8_t wire[NUVRIK_MOST_WIRE];
    uint16_t count;
} NuvrikSender;

uint8_t nuvrik_digit(uint8_t code);
void nuvrik_sender_init(NuvrikSender *self, const NUVRIK_FLASH NuvrikSenderTable *table);
void nuvrik_sender_begin(NuvrikSender *self, uint8_t kind);
void nuvrik_sender_bits(NuvrikSender *self, uint16_t code, uint8_t bits);
void nuvrik_sender_byte(NuvrikSender *self, uint8_t value);
void nuvrik_sender_word(NuvrikSender *self, uint16_t value);
void nuvrik_sender_seal(NuvrikSender *self);
void nuvrik_sender_travel(NuvrikSender *self);
void nuvrik_sender_put(NuvrikSender *self, uint8_t byte);
void nuvrik_sender_stuff(NuvrikSender *self);
void nuvrik_sender_escape(NuvrikSender *self);
void nuvrik_sender_write_out(NuvrikSender *self);
void nuvrik_sender_put_ending(NuvrikSender *self);

/* ---- answers ---- */

/** Replies and echoes on their way out. */

void nuvrik_say(NuvrikDesk *desk, uint8_t at, NuvrikSender *sender);

/* ---- asks ---- */

/** What is asked of a machine, in the payload of a frame: whether it is anything that this link knows. */

/** A request's payload without its arguments: place, boot number, session, number. */
#define NUVRIK_ASK_BYTES 9

int32_t nuvrik_jog_step(NuvrikSealed *sealed);
bool nuvrik_jog_fits(NuvrikSealed *sealed, NuvrikOutputs *outputs);
bool nuvrik_request_fits(NuvrikSealed *sealed, const NUVRIK_FLASH NuvrikDeskTable *desk);
int32_t nuvrik_argument_given(NuvrikSealed *sealed, const NUVRIK_FLASH NuvrikArgumentTable *about,
    uint16_t at);

/* ---- text ---- */

/** Commands as text: a line, or columns of fixed width, with a check in hex digits if it has one. Frames
 *  of other kinds travel beside them as a line of # and the sealed body in hex digits.
 */

enum {
    NUVRIK_NO_CHECK = 0,
    NUVRIK_CHECK_XOR8 = 1,
    NUVRIK_CHECK_SUM8 = 2,
    NUVRIK_CHECK_CRC8 = 3,
    NUVRIK_CHECK_CRC16 = 4
};
/** The checks that a line may carry. */

/** The character * stands before the check. */
#define NUVRIK_CHECK_MARK 42

/** A line of hex digits around the longest body fits. */
#define NUVRIK_LONGEST_LINE 420

/** What ends a line is no longer. */
#define NUVRIK_MOST_END 4

/** No range of a field reaches so far. */
#define NUVRIK_BEYOND INT32_C(1000000000)

/** A number has no more digits than this, besides zeros in front and decimals. */
#define NUVRIK_MOST_DIGITS 7

/** How one channel is written: from low to high, in steps of the last of so many decimals. scaled: those
 *  are the two ends of a level, or of a share if one_sided. empty: an empty field may stand for no
 *  reading. width: of its column, or what it is padded to; counts: it goes round; signs: a sign stands in
 *  front of every number that is not padded to nothing.
 */
typedef struct {
    bool scaled;
    bool empty;
    bool one_sided;
    int32_t low;
    int32_t high;
    uint8_t decimals;
    uint8_t width;
    bool counts;
    bool signs;
} NuvrikFormTable;

/** What text there is around the fields. spaces: those around a field do not count; blanks: an empty field
 *  stands for no reading.
 */
typedef struct {
    const NUVRIK_FLASH uint8_t *ending;
    uint8_t ending_count;
    const NUVRIK_FLASH uint8_t *tag;
    uint8_t tag_count;
    const NUVRIK_FLASH uint8_t *stop;
    uint8_t stop_count;
    const NUVRIK_FLASH uint8_t *separator;
    uint8_t separator_count;
    bool columns;
    uint8_t check;
    bool spaces;
    bool blanks;
    bool leads;
    const NUVRIK_FLASH NuvrikFormTable *forms;
    uint8_t forms_count;
} NuvrikTextTable;

/** Takes lines out of a stream, and values out of lines. piece holds length characters; stop: the line was
 *  a stop. at and until: the field that is read.
 */
typedef struct {
    const NUVRIK_FLASH NuvrikTextTable *table;
    uint8_t piece[NUVRIK_MOST_PIECE];
    uint16_t length;
    bool ended;
    bool skipping;
    uint8_t tail[NUVRIK_MOST_END];
    bool stop;
    int32_t value;
} NuvrikTextReader;

uint8_t nuvrik_check_digits(uint8_t check);
uint16_t nuvrik_check_over(uint8_t check, uint16_t so_far, uint8_t byte);
uint16_t nuvrik_check_begins(uint8_t check);
uint8_t nuvrik_hex_value(uint8_t character);
int32_t nuvrik_value_of_number(const NUVRIK_FLASH NuvrikFormTable *form, int32_t given);
int32_t nuvrik_number_of_value(const NUVRIK_FLASH NuvrikFormTable *form, int32_t value);
uint32_t nuvrik_ten_times(uint32_t size);
void nuvrik_text_reader_init(NuvrikTextReader *self, const NUVRIK_FLASH NuvrikTextTable *table);
void nuvrik_text_reader_begin(NuvrikTextReader *self);
void nuvrik_text_reader_keep(NuvrikTextReader *self, uint8_t byte);
uint8_t nuvrik_text_reader_take(NuvrikTextReader *self, uint8_t byte);
bool nuvrik_text_reader_ends_here(const NuvrikTextReader *self, uint8_t ends);
void nuvrik_text_reader_without_ending(NuvrikTextReader *self);
bool nuvrik_text_reader_is_hex(const NuvrikTextReader *self);
uint8_t nuvrik_text_reader_unhex(NuvrikTextReader *self, NuvrikSealed *sealed);
uint8_t nuvrik_text_reader_read(NuvrikTextReader *self, int32_t *values);
bool nuvrik_text_reader_sound(const NuvrikTextReader *self, uint8_t digits);
bool nuvrik_text_reader_checked(const NuvrikTextReader *self, uint8_t digits);
bool nuvrik_text_reader_begins_with_stop(const NuvrikTextReader *self);
bool nuvrik_text_reader_begins_with_tag(const NuvrikTextReader *self);
uint8_t nuvrik_text_reader_read_columns(NuvrikTextReader *self, uint8_t begins, uint16_t length,
    int32_t *values);
uint8_t nuvrik_text_reader_read_line(NuvrikTextReader *self, uint8_t begins, uint16_t length,
    int32_t *values);
bool nuvrik_text_reader_separates(const NuvrikTextReader *self, uint16_t at, uint16_t length);
bool nuvrik_text_reader_read_field(NuvrikTextReader *self, const NUVRIK_FLASH NuvrikFormTable *form,
    uint16_t begins, uint16_t ends);
bool nuvrik_text_reader_read_digits(NuvrikTextReader *self, const NUVRIK_FLASH NuvrikFormTable *form,
    uint16_t begins, uint16_t ends, bool negative);
bool nuvrik_text_reader_is_digit(const NuvrikTextReader *self, uint16_t at);
bool nuvrik_text_reader_within(NuvrikTextReader *self, const NUVRIK_FLASH NuvrikFormTable *form,
    int32_t given);

/* ---- keys ---- */

/** One character or one number for each action, as a terminal or the plainest radio can send.
 *
 *  The machine's end keeps a value for each channel, all at rest and off at first; after a stop and after
 *  any silence so again, but for places. Each key changes some of them and is a command with all of them,
 *  so that the failsafe sees the whole and not a change. A key held down keeps the link alive, and a key
 *  let go ends in silence.
 *
 *  A place (what a servo goes to) has no reading at power-up, and none again on leaving ARMED, until a key
 *  that the machine follows sets it or adds to it. What is added is added to where it was commanded last,
 *  in the centre at first. Whatever the failsafe swallows changes no place.
 */

/** What a key does to one channel: it puts it at a value, or adds that, within low to high. */
typedef struct {
    uint8_t place;
    bool adds;
    int32_t value;
    int16_t low;
    int32_t high;
} NuvrikChangeTable;

/** One key: the byte that it is, and what it does. */
typedef struct {
    uint8_t code;
    bool stop;
    const NUVRIK_FLASH NuvrikChangeTable *changes;
    uint8_t changes_count;
} NuvrikKeyTable;

/** All keys of a link. places: for each channel, whether it is a place. */
typedef struct {
    const NUVRIK_FLASH NuvrikKeyTable *keys;
    uint8_t keys_count;
    const NUVRIK_FLASH bool *places;
    uint8_t places_count;
} NuvrikKeysTable;

/** How a handset chooses among keys. weights: what each channel weighs; arm: the one that arms, NOBODY for
 *  none; trembles: how far a hand that is still may be off.
 */
typedef struct {
    const NUVRIK_FLASH NuvrikKeysTable *keys;
    const NUVRIK_FLASH int16_t *weights;
    uint8_t weights_count;
    uint8_t arm;
    int16_t trembles;
} NuvrikChooserTable;

/** The values at one end: what was commanded last, and of places what was followed last. given: which
 *  places have a reading; touched: which the key does that was commanded last.
 */
typedef struct {
    const NUVRIK_FLASH NuvrikKeysTable *table;
    int32_t state[NUVRIK_MOST_PLACES];
    int32_t kept[NUVRIK_MOST_PLACES];
    bool given[NUVRIK_MOST_PLACES];
    bool touched[NUVRIK_MOST_PLACES];
} NuvrikKeys;

/** Chooses, for the values wanted, the key that brings the machine's nearest to them.
 *
 *  A stick held still has one key, whatever was sent before. So a key that would change something is sent
 *  only where it leads nearer than staying does, over all channels together and by more than a hand
 *  trembles; else those that change nothing are sent in turn, so that a key lost on the way is made good.
 *  (Taking turns among all keys that lead equally near made a stick on a diagonal send two keys that undid
 *  each other, and a motor swing to and fro three times a second.)
 *
 *  What has no reading is nobody's wish: no key is taken that would change such a place. A place that the
 *  machine has no reading of counts as a little further away than it is, so that a key that sets it is
 *  sent even where it stands there already.
 */
typedef struct {
    const NUVRIK_FLASH NuvrikChooserTable *table;
    NuvrikKeys keys;
    int32_t tried[NUVRIK_MOST_PLACES];
    uint16_t ages[NUVRIK_MOST_KEYS];
} NuvrikChooser;

void nuvrik_change_all(const NUVRIK_FLASH NuvrikKeyTable *key, int32_t *state);
bool nuvrik_changes(const NUVRIK_FLASH NuvrikKeyTable *key, uint8_t place);
bool nuvrik_unwanted(const NUVRIK_FLASH NuvrikKeyTable *key, const int32_t *wanted);
void nuvrik_keys_init(NuvrikKeys *self, const NUVRIK_FLASH NuvrikKeysTable *table);
bool nuvrik_keys_known(const NuvrikKeys *self, uint8_t code);
bool nuvrik_keys_stops(const NuvrikKeys *self, uint8_t code);
void nuvrik_keys_press(NuvrikKeys *self, uint8_t code, int32_t *values);
void nuvrik_keys_take(NuvrikKeys *self, uint8_t at);
void nuvrik_keys_told(NuvrikKeys *self, bool followed);
void nuvrik_keys_forget(NuvrikKeys *self);
void nuvrik_chooser_init(NuvrikChooser *self, const NUVRIK_FLASH NuvrikChooserTable *table);
uint8_t nuvrik_chooser_choose(NuvrikChooser *self, const int32_t *wanted);
void nuvrik_chooser_send(NuvrikChooser *self, uint8_t place);
uint8_t nuvrik_chooser_stop(NuvrikChooser *self);
void nuvrik_chooser_begin_trying(NuvrikChooser *self);
bool nuvrik_chooser_stays(const NuvrikChooser *self, const NUVRIK_FLASH NuvrikKeyTable *key);
uint32_t nuvrik_chooser_unsaid(const NuvrikChooser *self, const int32_t *wanted, uint8_t place);
uint32_t nuvrik_chooser_away(const NuvrikChooser *self, const int32_t *wanted, const int32_t *state);

/* ---- on_off ---- */

/** Frames over the cheapest radio modules: carrier on, carrier off, and nothing else.
 *
 *  training (ones) | sync word (16 bits) | length (8 bits) | body | a space to end with
 *
 *  Each bit is two halves, as IEEE 802.3 has Manchester code: a 1 is off then on, a 0 on then off. So the
 *  carrier is on half of the time whatever is sent, which such receivers need to find their threshold, and
 *  no level lasts longer than two halves, which the bit clock is recovered from. Bits go lowest first, but
 *  the sync word highest first. The body carries its own check.
 */

/** Behind the training, it differs in 14 of its 32 halves or more from itself at every earlier place: the
 *  most that 16 balanced bits can.
 */
#define NUVRIK_SYNC_WORD 57754U

enum {
    NUVRIK_SYNC_EARLY = 22185,
    NUVRIK_SYNC_RECENT = 26982
};
/** Its 32 halves. */

enum {
    NUVRIK_SYNC_BITS = 16,
    NUVRIK_LENGTH_BITS = 8
};

#define NUVRIK_LONGEST_BODY 200

/** The space that ends a frame. */
#define NUVRIK_SILENT_HALVES 4

/** Times are kept in parts of a microsecond. */
#define NUVRIK_UNIT 256

/** A longer level is told as this: four halves of the slowest bit. */
#define NUVRIK_LONGEST_RUN_US 20000

enum {
    NUVRIK_FINDING_PHASE = 6,
    NUVRIK_FINDING_PACE = 32,
    NUVRIK_FINDING_LEAN = 12,
    NUVRIK_KEEPING_PHASE = 12,
    NUVRIK_KEEPING_PACE = 256,
    NUVRIK_KEEPING_LEAN = 48
};
/** What part of each edge's error the recovered clock takes up, before the sync word and behind it: into
 *  where it is, into how fast it runs, and into how much longer marks come out than spaces. Measured at
 *  2000 bit/s with edges that stray by 30 % of a half bit: 88 % of frames are read. Half as much while
 *  finding reads 98 % of those, but loses 4 % where a sender's clock is 8 % slow; half as much while
 *  keeping reads 75 %, twice as much 92 %, and with both doubled 68 %. Below 20 % and at any clock within
 *  8 %, these read every frame.
 */

/** In place of the level of a bit's first half: it has not come yet. */
#define NUVRIK_NO_HALF 2

/** How bodies are sent: bits a second, how many bits of training. half: half a bit, as expected and at the
 *  fastest and the slowest, in parts of a microsecond; most_lean: no mark is longer by more.
 */
typedef struct {
    uint32_t bitrate;
    int32_t half;
    int32_t fastest;
    int32_t slowest;
    int32_t most_lean;
    uint8_t training_bits;
} NuvrikOnOffTable;

/** Marks and spaces to bodies. The clock is recovered from the edges, and with it how much longer marks
 *  come out than spaces, as they do in such receivers. Pulses shorter than a third of a half bit are noise
 *  and joined to what is around them. half, late and lean: how long half a bit lasts, by how much the last
 *  edge was late, and how much longer marks come out. A body that has ended is in body, length bytes.
 */
typedef struct {
    const NUVRIK_FLASH NuvrikOnOffTable *table;
    uint16_t run_us;
    bool mark;
    int32_t half;
    int32_t late;
    int32_t lean;
    uint16_t early;
    uint16_t recent;
    bool reading;
    uint8_t first;
    uint16_t bits;
    uint8_t gathered;
    uint8_t length;
    uint8_t body[NUVRIK_MOST_BODY];
} NuvrikOnOffReader;

/** Bodies to marks and spaces, one at a time. place is the half bit that comes next; part is what is left
 *  of a microsecond, in parts of the bit rate, so that rounding does not add up.
 */
typedef struct {
    const NUVRIK_FLASH NuvrikOnOffTable *table;
    uint8_t sent[NUVRIK_MOST_SENT];
    uint8_t size;
    uint16_t place;
    uint16_t halves;
    bool is_mark;
    uint32_t part;
} NuvrikOnOffMaker;

void nuvrik_on_off_reader_init(NuvrikOnOffReader *self, const NUVRIK_FLASH NuvrikOnOffTable *table);
bool nuvrik_on_off_reader_take(NuvrikOnOffReader *self, bool mark, uint32_t us);
bool nuvrik_on_off_reader_run_ended(NuvrikOnOffReader *self, bool mark, uint16_t us);
uint8_t nuvrik_on_off_reader_follow(NuvrikOnOffReader *self, bool mark, uint16_t us);
void nuvrik_on_off_reader_lose(NuvrikOnOffReader *self);
void nuvrik_on_off_reader_look(NuvrikOnOffReader *self);
bool nuvrik_on_off_reader_half_bit(NuvrikOnOffReader *self, uint8_t now);
bool nuvrik_on_off_reader_bit(NuvrikOnOffReader *self, uint8_t one);
void nuvrik_on_off_maker_init(NuvrikOnOffMaker *self, const NUVRIK_FLASH NuvrikOnOffTable *table);
void nuvrik_on_off_maker_begin(NuvrikOnOffMaker *self);
void nuvrik_on_off_maker_add(NuvrikOnOffMaker *self, uint8_t byte);
uint16_t nuvrik_on_off_maker_next(NuvrikOnOffMaker *self);
uint16_t nuvrik_on_off_maker_half_us(NuvrikOnOffMaker *self);
bool nuvrik_on_off_maker_carrier(const NuvrikOnOffMaker *self, uint16_t half);
bool nuvrik_on_off_maker_one(const NuvrikOnOffMaker *self, uint16_t place);

/* ---- medium ---- */

/** What carries frames, as far as a board has to know it. */

/** Bits a second on the wire or on the air; the bytes of a packet, 0 where frames are a stream. channel,
 *  group and address: a radio module's own. A train of pulses: how long it is, how long each pulse is, and
 *  whether that is high. carrier: how it is switched, where that is all there is. pin_in and pin_out:
 *  where an end listens and sends level by level, NOBODY for nowhere; in_high: a mark comes in as high.
 */
typedef struct {
    uint32_t bitrate;
    uint8_t payload_max;
    uint8_t channel;
    uint8_t group;
    uint16_t address_low;
    uint16_t address_high;
    uint16_t frame_us;
    uint16_t pulse_us;
    bool active_high;
    uint8_t pin_in;
    uint8_t pin_out;
    bool in_high;
    const NUVRIK_FLASH NuvrikOnOffTable *carrier;
} NuvrikMediumTable;


/* ---- train ---- */

/** A train of pulses, a slot of time for each channel: from the start of one pulse to the start of the
 *  next. A gap longer than any slot comes before the next train.
 *
 *  Nothing in it is protected: a train with a pulse lost or two run together has slots of impossible
 *  length or the wrong number of them, and that is all by which it can be known.
 */

/** A train of more slots is too long, whatever the link: a slot is two bytes, and a body has at most 200. */
#define NUVRIK_LONGEST_TRAIN 100

/** The slots of a link: from low_us to high_us, and out to shortest_us and longest_us. A gap is gap_us
 *  long or longer.
 */
typedef struct {
    uint16_t low_us;
    uint16_t high_us;
    uint16_t shortest_us;
    uint16_t longest_us;
    uint16_t gap_us;
    const NUVRIK_FLASH NuvrikChannelTable *channels;
    uint8_t channels_count;
} NuvrikTrainTable;

/** Slots to commands. It starts with the first gap: what came before may be half a train. */
typedef struct {
    const NUVRIK_FLASH NuvrikTrainTable *table;
    bool begun;
    uint8_t count;
    uint16_t slots[NUVRIK_MOST_SLOTS];
} NuvrikTrainReader;

/** Slots to marks and spaces, one at a time: a pulse begins each slot, one more ends the last, and what is
 *  left of the train is the gap.
 */
typedef struct {
    const NUVRIK_FLASH NuvrikMediumTable *table;
    uint8_t place;
    bool is_mark;
    uint16_t spent_us;
} NuvrikTrainMaker;

int32_t nuvrik_value_of_slot(const NUVRIK_FLASH NuvrikTrainTable *table,
    const NUVRIK_FLASH NuvrikChannelTable *channel, uint16_t slot_us);
uint16_t nuvrik_slot_of_value(const NUVRIK_FLASH NuvrikTrainTable *table,
    const NUVRIK_FLASH NuvrikChannelTable *channel, int32_t value);
void nuvrik_train_reader_init(NuvrikTrainReader *self, const NUVRIK_FLASH NuvrikTrainTable *table);
uint8_t nuvrik_train_reader_take(NuvrikTrainReader *self, uint16_t slot_us, int32_t *values);
uint8_t nuvrik_train_reader_end(const NuvrikTrainReader *self, int32_t *values);
void nuvrik_train_maker_init(NuvrikTrainMaker *self, const NUVRIK_FLASH NuvrikMediumTable *table);
void nuvrik_train_maker_begin(NuvrikTrainMaker *self);
uint16_t nuvrik_train_maker_next(NuvrikTrainMaker *self, const uint16_t *slots, uint8_t count);

/* ---- writer ---- */

/** Commands and stops on their way out, in every style.
 *
 *  A style that has no way of saying that a control has no reading says nothing then: the machine hears
 *  silence instead of a guess. The number of the frame counts on all the same. Only a place without a
 *  reading, and a choice that nobody has made, are sent as this handset sent them last, because what
 *  nobody touches stays where it is; until each has been given once nothing is sent at all.
 */

enum {
    NUVRIK_OUT_SEALED = 0,
    NUVRIK_OUT_TEXT = 1,
    NUVRIK_OUT_KEYS = 2,
    NUVRIK_OUT_SLOTS = 3
};
/** What a command is: a sealed body, text, a key, slots. */

/** A number in text has no more digits. */
#define NUVRIK_MOST_FIGURES 10

/** A handset's commands. stays: which channels stay where they are without a reading; guarded: the first
 *  byte is a delay guard's.
 */
typedef struct {
    const NUVRIK_FLASH NuvrikSenderTable *sender;
    const NUVRIK_FLASH NuvrikChannelTable *channels;
    uint8_t channels_count;
    const NUVRIK_FLASH NuvrikTextTable *text;
    const NUVRIK_FLASH NuvrikChooserTable *keys;
    const NUVRIK_FLASH NuvrikTrainTable *train;
    const NUVRIK_FLASH bool *stays;
    uint8_t stays_count;
    uint8_t way_out;
    bool guarded;
} NuvrikWriterTable;

/** One handset's commands. What travels is in sender.wire, or in slots; echo is the number of the
 *  telemetry heard last. last: what was sent last of what stays; said: what is written now; unsaid: the
 *  place of the channel for whose sake nothing can be, NOBODY for none.
 */
typedef struct {
    const NUVRIK_FLASH NuvrikWriterTable *table;
    NuvrikSender sender;
    NuvrikChooser chooser;
    uint16_t slots[NUVRIK_MOST_SLOTS];
    uint8_t echo;
    int32_t last[NUVRIK_MOST_STAYS];
    int32_t said[NUVRIK_MOST_CHANNELS];
    uint8_t unsaid;
    uint8_t figures[NUVRIK_MOST_FIGURES];
} NuvrikWriter;

uint8_t nuvrik_upper(uint8_t code);
void nuvrik_writer_init(NuvrikWriter *self, const NUVRIK_FLASH NuvrikWriterTable *table);
bool nuvrik_writer_command(NuvrikWriter *self, const int32_t *values);
bool nuvrik_writer_stop(NuvrikWriter *self);
bool nuvrik_writer_plain(NuvrikWriter *self);
void nuvrik_writer_begin_plain(NuvrikWriter *self);
uint8_t nuvrik_writer_not_to_be_said(NuvrikWriter *self);
bool nuvrik_writer_has_a_way(const NuvrikWriter *self, uint8_t channel);
void nuvrik_writer_pack(NuvrikWriter *self, const int32_t *values);
bool nuvrik_writer_press(NuvrikWriter *self, uint8_t key);
void nuvrik_writer_write_command(NuvrikWriter *self, const int32_t *values);
void nuvrik_writer_write_number(NuvrikWriter *self, const NUVRIK_FLASH NuvrikFormTable *form, int32_t number);
void nuvrik_writer_put_lead(NuvrikWriter *self);
void nuvrik_writer_put_check(NuvrikWriter *self);

/* ---- telling ---- */

/** What the machine says unasked: its state and its sensors' readings, each at its interval; and how long
 *  ago it said what, for a delay guard.
 *
 *  A table of all 256 sequence numbers would do for that, but no small chip has the room, and most of it
 *  would be too old to matter. So the time that the guard allows is cut into pieces, and only the first
 *  telemetry of each is noted. A number between two notes counts as old as the earlier one: at most a
 *  piece older than it is, which is the safe side.
 */

enum {
    NUVRIK_TELLS_SHARE = 0,
    NUVRIK_TELLS_AXES = 1,
    NUVRIK_TELLS_DIGITAL = 2,
    NUVRIK_TELLS_COUNT = 3,
    NUVRIK_TELLS_STEPS = 4,
    NUVRIK_TELLS_DEMAND = 5
};
/** What an item is made of: a reading within a range, three of them, one that is off or on, a count that
 *  goes round, the steps of a stepper, the level of an output.
 */

/** In place of a reading: there is nothing. No reading is as far down. */
#define NUVRIK_NOTHING_THERE (INT32_C(-100000))

#define NUVRIK_AXES 3

/** One item of telemetry. low and high: the readings at the two ends of its range; high_on: whether it is
 *  on while its reading is not 0; of: the output, or the stepper, that it is of; pin: the board's, NOBODY
 *  where the link file gives none; first: the place of its codes.
 */
typedef struct {
    uint8_t tells;
    uint8_t bits;
    int32_t low;
    int32_t high;
    bool high_on;
    uint8_t of;
    uint8_t pin;
    uint16_t every_ms;
    uint16_t stale_ms;
    uint8_t first;
} NuvrikItemTable;

/** The telemetry of a link. room: how many bits of it a frame holds; tell_ms: the state is said at least
 *  so often; guard_ms: what a delay guard allows, piece_ms: a piece of that.
 */
typedef struct {
    const NUVRIK_FLASH NuvrikItemTable *items;
    uint8_t items_count;
    const NUVRIK_FLASH uint8_t *codes;
    uint8_t codes_count;
    uint16_t room;
    uint16_t tell_ms;
    uint16_t guard_ms;
    uint16_t piece_ms;
} NuvrikTellingTable;

/** What one machine says. since_ms: how long ago its timers were brought up to now. */
typedef struct {
    const NUVRIK_FLASH NuvrikTellingTable *table;
    uint16_t codes[NUVRIK_MOST_CODES];
    bool known[NUVRIK_MOST_ITEMS];
    uint16_t read_ms[NUVRIK_MOST_ITEMS];
    int16_t due_ms[NUVRIK_MOST_ITEMS];
    bool chosen[NUVRIK_MOST_ITEMS];
    uint16_t since_ms;
    uint16_t told_ms;
    uint8_t said;
    uint8_t said_own;
    uint16_t sent;
    uint8_t last_seq;
    uint8_t first;
    uint8_t noted;
    uint16_t counts[NUVRIK_MOST_NOTES];
    uint16_t ages_ms[NUVRIK_MOST_NOTES];
} NuvrikTelling;

int32_t nuvrik_scaled(const NUVRIK_FLASH NuvrikItemTable *item, int32_t raw);
void nuvrik_telling_init(NuvrikTelling *self, const NUVRIK_FLASH NuvrikTellingTable *table);
void nuvrik_telling_pass_time(NuvrikTelling *self, uint16_t dt_ms);
void nuvrik_telling_catch_up(NuvrikTelling *self);
bool nuvrik_telling_is_fresh(const NuvrikTelling *self, uint8_t item);
int32_t nuvrik_telling_share_of(NuvrikTelling *self, uint8_t item);
void nuvrik_telling_take(NuvrikTelling *self, uint8_t item, int32_t raw);
void nuvrik_telling_take_axis(NuvrikTelling *self, uint8_t item, uint8_t axis, int32_t raw);
bool nuvrik_telling_choose(NuvrikTelling *self, uint16_t room);
bool nuvrik_telling_due(NuvrikTelling *self, uint8_t state, uint8_t own, bool followed, uint8_t last_command,
    NuvrikOutputs *outputs, NuvrikSender *sender);
void nuvrik_telling_say(NuvrikTelling *self, uint8_t item, NuvrikOutputs *outputs, NuvrikSender *sender);
uint8_t nuvrik_telling_place(const NuvrikTelling *self, uint8_t note);
void nuvrik_telling_note(NuvrikTelling *self, uint8_t seq);
bool nuvrik_telling_recent(NuvrikTelling *self, uint8_t seq);
uint32_t nuvrik_steps_of(NuvrikOutputs *outputs, uint8_t stepper);

/* ---- inputs ---- */

/** The machine's own inputs: a stop switch, end switches, a dial for speed, a battery that is too low.
 *
 *  Each is an item of telemetry, so what acts is what is told. A switch is believed only when it says that
 *  it is off: a stop switch without a fresh reading is pressed, and an end switch without one is at its
 *  end, because its wire may be broken. A dial without one is at 0. A battery is too low only once it has
 *  been so for a while, because every start of a motor pulls it down for a moment.
 */

/** The inputs of a machine: items of telemetry, NOBODY for none. A battery below low is too low after
 *  battery_ms, until it has been at high again for as long; battery_to: how much of full scale is left to
 *  what turns then, 0 for a stop.
 */
typedef struct {
    bool used;
    uint8_t stop;
    uint8_t battery;
    int16_t battery_low;
    int16_t battery_high;
    uint16_t battery_ms;
    int16_t battery_to;
} NuvrikInputsTable;

/** The inputs of one machine. too_low: the battery is; changing_ms: for how long it has been saying
 *  otherwise.
 */
typedef struct {
    const NUVRIK_FLASH NuvrikInputsTable *table;
    bool too_low;
    uint16_t changing_ms;
} NuvrikInputs;

void nuvrik_inputs_init(NuvrikInputs *self, const NUVRIK_FLASH NuvrikInputsTable *table);
void nuvrik_inputs_look(NuvrikInputs *self, NuvrikTelling *telling, NuvrikMachine *machine, uint16_t dt_ms);
void nuvrik_inputs_look_at_battery(NuvrikInputs *self, NuvrikTelling *telling, uint16_t dt_ms);
bool nuvrik_unreadable(NuvrikTelling *telling, uint8_t item);
bool nuvrik_on_or_unread(NuvrikTelling *telling, uint8_t item);
int16_t nuvrik_dialled(NuvrikTelling *telling, uint8_t item);

/* ---- incoming ---- */

/** Pieces on their way in: what keeps frames apart in a stream, or the packets that they come in. */

enum {
    NUVRIK_IN_PACKETS = 0,
    NUVRIK_IN_COBS = 1,
    NUVRIK_IN_SLIP = 2,
    NUVRIK_IN_LINES = 3,
    NUVRIK_IN_KEYS = 4,
    NUVRIK_IN_SLOTS = 5
};
/** How frames are kept apart on their way in. Keys and slots are no pieces of this kind: one byte or one
 *  slot is looked at by itself.
 */

/** How frames come. lines: they are lines of text, of hex digits where they are sealed. */
typedef struct {
    const NUVRIK_FLASH NuvrikTextTable *text;
    uint8_t way_in;
    bool lines;
} NuvrikIncomingTable;

/** The pieces of one end. A body goes into a Sealed, a line into text. Each method tells what has become
 *  of a piece: NO_EVENT, nothing so far; ACCEPTED, it is whole; else why it is refused.
 */
typedef struct {
    const NUVRIK_FLASH NuvrikIncomingTable *table;
    NuvrikCobsReader cobs;
    NuvrikSlipReader slip;
    NuvrikTextReader text;
} NuvrikIncoming;

void nuvrik_incoming_init(NuvrikIncoming *self, const NUVRIK_FLASH NuvrikIncomingTable *table);
uint8_t nuvrik_incoming_take(NuvrikIncoming *self, uint8_t byte, NuvrikSealed *sealed);
void nuvrik_incoming_begin_packet(NuvrikIncoming *self, NuvrikSealed *sealed);
void nuvrik_incoming_packet_byte(NuvrikIncoming *self, uint8_t byte, NuvrikSealed *sealed);
uint8_t nuvrik_incoming_end_packet(NuvrikIncoming *self, NuvrikSealed *sealed);

/* ---- machine_end ---- */

/** The machine's end of a link: bytes in, bytes out, and between them the machine. */

/** In the byte of a hello that says what has been noted, beside the number of the builder's own last stop:
 *  the chip's clock has lost more time to own code that keeps interrupts off than the link file allows
 *  for.
 */
#define NUVRIK_NOTES_LATE 16

/** Frames are counted to here, which takes 248 days at 50 frames a second. */
#define NUVRIK_HELLO_MOST INT32_C(1073741823)

/** A machine's end of a link. guarded: the first byte of a command is a delay guard's; name: the link's,
 *  cut to what a hello holds, and how many bytes of it go on its first page; build: the build tags; the
 *  version is the library's.
 */
typedef struct {
    const NUVRIK_FLASH NuvrikLoopTable *loop;
    const NUVRIK_FLASH NuvrikMachineTable *machine;
    const NUVRIK_FLASH NuvrikSealedTable *sealed;
    const NUVRIK_FLASH NuvrikSenderTable *sender;
    const NUVRIK_FLASH NuvrikTellingTable *telling;
    const NUVRIK_FLASH NuvrikChannelTable *channels;
    uint8_t channels_count;
    const NUVRIK_FLASH NuvrikIncomingTable *incoming;
    const NUVRIK_FLASH NuvrikKeysTable *keys;
    const NUVRIK_FLASH NuvrikTrainTable *train;
    bool guarded;
    const NUVRIK_FLASH NuvrikPinTable *pins;
    uint8_t pins_count;
    const NUVRIK_FLASH NuvrikInputsTable *inputs;
    const NUVRIK_FLASH NuvrikMediumTable *medium;
    const NUVRIK_FLASH uint8_t *name;
    uint8_t name_count;
    uint8_t name_first;
    const NUVRIK_FLASH uint16_t *build;
    uint8_t build_count;
    const NUVRIK_FLASH uint8_t *version;
    uint8_t version_count;
} NuvrikEndTable;

/** One machine's end. take is given a stream byte by byte; packets go byte by byte between begin_packet
 *  and end_packet. Each tells what became of what has arrived.
 *
 *  told: outputs have been told something, by a turn or a stop. Whoever sees it calls follow for each of
 *  them, at once, makes the writes, and then written.
 */
typedef struct {
    const NUVRIK_FLASH NuvrikEndTable *table;
    NuvrikMachine machine;
    NuvrikSealed sealed;
    NuvrikIncoming incoming;
    NuvrikKeys keys;
    NuvrikTrainReader train;
    NuvrikTelling telling;
    NuvrikInputs inputs;
    NuvrikSender sender;
    NuvrikPins pins[NUVRIK_MOST_PINS];
    NuvrikWrites writes;
    NuvrikAgain again;
    bool told;
    int32_t values[NUVRIK_MOST_CHANNELS];
    uint16_t up_part;
    uint32_t up_s;
    uint32_t accepted;
    uint16_t refused;
    uint8_t start;
    uint8_t noted;
    bool calls;
    bool skips;
} NuvrikMachineEnd;

void nuvrik_machine_end_init(NuvrikMachineEnd *self, const NUVRIK_FLASH NuvrikEndTable *table);
void nuvrik_machine_end_begin(NuvrikMachineEnd *self, uint16_t boot_low, uint16_t boot_high, uint8_t start);
void nuvrik_machine_end_pass_time(NuvrikMachineEnd *self, uint16_t now_ms);
void nuvrik_machine_end_count_up(NuvrikMachineEnd *self, uint16_t dt_ms);
void nuvrik_machine_end_expire(NuvrikMachineEnd *self, uint16_t now_ms);
void nuvrik_machine_end_forget(NuvrikMachineEnd *self);
void nuvrik_machine_end_skip(NuvrikMachineEnd *self, bool begins);
uint8_t nuvrik_machine_end_take(NuvrikMachineEnd *self, uint8_t byte);
uint8_t nuvrik_machine_end_piece(NuvrikMachineEnd *self, uint8_t event);
uint8_t nuvrik_machine_end_slot(NuvrikMachineEnd *self, uint16_t slot_us);
void nuvrik_machine_end_begin_packet(NuvrikMachineEnd *self);
void nuvrik_machine_end_packet_byte(NuvrikMachineEnd *self, uint8_t byte);
uint8_t nuvrik_machine_end_end_packet(NuvrikMachineEnd *self);
uint8_t nuvrik_machine_end_count(NuvrikMachineEnd *self, uint8_t event);
uint8_t nuvrik_machine_end_judge_line(NuvrikMachineEnd *self);
uint8_t nuvrik_machine_end_plain(NuvrikMachineEnd *self, bool stop);
uint8_t nuvrik_machine_end_press(NuvrikMachineEnd *self, uint8_t code);
uint8_t nuvrik_machine_end_judge(NuvrikMachineEnd *self);
uint8_t nuvrik_machine_end_understand(NuvrikMachineEnd *self, uint8_t kind);
uint8_t nuvrik_machine_end_unpack(NuvrikMachineEnd *self);
void nuvrik_machine_end_obey(NuvrikMachineEnd *self, uint8_t kind);
void nuvrik_machine_end_ask(NuvrikMachineEnd *self, uint8_t code);
void nuvrik_machine_end_turn(NuvrikMachineEnd *self);
void nuvrik_machine_end_look(NuvrikMachineEnd *self);
void nuvrik_machine_end_follow(NuvrikMachineEnd *self, uint8_t output);
void nuvrik_machine_end_written(NuvrikMachineEnd *self);
void nuvrik_machine_end_stop(NuvrikMachineEnd *self);
void nuvrik_machine_end_halt(NuvrikMachineEnd *self);
void nuvrik_machine_end_own_stop(NuvrikMachineEnd *self, uint8_t number);
bool nuvrik_machine_end_cap(NuvrikMachineEnd *self, uint8_t output, int16_t most);
void nuvrik_machine_end_lost_time(NuvrikMachineEnd *self);
bool nuvrik_machine_end_send(NuvrikMachineEnd *self);
bool nuvrik_machine_end_answers(NuvrikMachineEnd *self);
void nuvrik_machine_end_say_who(NuvrikMachineEnd *self);
void nuvrik_machine_end_say_how(NuvrikMachineEnd *self);

/* ---- controls ---- */

/** What a hand moves: raw readings to levels, one object for each control that has readings of its own. */

/** A smoothed level is kept this much finer, so that it arrives; the product still fits in 31 bits. */
#define NUVRIK_SMOOTH 16

/** An axis or a slider: the readings low, at rest and high (a slider's low is its rest; low may be the
 *  larger number), and how it is bent. ignore: readings that are none. plain: nothing of it depends on
 *  time; turns: it feeds something that turns.
 */
typedef struct {
    int32_t low;
    int32_t rest;
    int32_t high;
    bool one_sided;
    int16_t dead_zone;
    int16_t expo;
    const NUVRIK_FLASH NuvrikCurveTable *curve;
    bool reverse;
    int16_t trim;
    const NUVRIK_FLASH int32_t *ignore;
    uint8_t ignore_count;
    uint16_t smooth_ms;
    bool slows;
    const NUVRIK_FLASH NuvrikRampTable *ramp;
    bool holds;
    bool plain;
    bool turns;
} NuvrikMovedTable;

/** An axis or a slider: bent, and if need be smoothed, slowed or held. value: its level, NO_READING for
 *  none; latched: it is held although no hand holds it.
 */
typedef struct {
    const NUVRIK_FLASH NuvrikMovedTable *table;
    int32_t value;
    bool latched;
    bool begun;
    int32_t fine;
    NuvrikSlew slew;
    int16_t pushed;
    int16_t held;
} NuvrikMoved;

/** A button. pressed: the reading that is so, 0 or 1; waits: it toggles, and feeds nothing but places. */
typedef struct {
    uint8_t pressed;
    uint16_t debounce_ms;
    bool toggles;
    bool waits;
} NuvrikButtonTable;

/** Something pressed or not, debounced; where it toggles, each press toggles it. presses counts them.
 *
 *  What it reads first is where it starts, so a button held down at power-up is no press. One that waits
 *  has no reading until it is pressed while that may move something (live); other presses toggle nothing.
 */
typedef struct {
    const NUVRIK_FLASH NuvrikButtonTable *table;
    int32_t value;
    bool latched;
    uint16_t presses;
    bool live;
    bool given;
    bool known;
    bool down;
    bool changing;
    uint16_t changed_ms;
} NuvrikButton;

/** A key. every: each repeat counts as a press, not only a fresh one; waits: it toggles, and feeds nothing
 *  but places.
 */
typedef struct {
    bool every;
    bool toggles;
    bool waits;
} NuvrikKeyControlTable;

/** A code that arrives again and again while it is held. Its reading counts the arrivals.
 *
 *  No arrival is no press: a key goes to released, never to no reading, when nothing comes. Only a toggle
 *  that feeds nothing but places has none, until it is pressed while that may move something (live).
 */
typedef struct {
    const NUVRIK_FLASH NuvrikKeyControlTable *table;
    int32_t value;
    bool latched;
    uint16_t presses;
    bool live;
    bool given;
    bool counted;
    uint16_t count;
    bool down;
} NuvrikKey;

int16_t nuvrik_straight(const NUVRIK_FLASH NuvrikMovedTable *table, int32_t raw);
int16_t nuvrik_without_dead_zone(int16_t at, int16_t zone);
int16_t nuvrik_with_expo(int16_t at, int16_t expo);
int16_t nuvrik_bent_level(const NUVRIK_FLASH NuvrikMovedTable *table, int32_t raw);
void nuvrik_moved_init(NuvrikMoved *self, const NUVRIK_FLASH NuvrikMovedTable *table);
void nuvrik_moved_read(NuvrikMoved *self, int32_t raw, uint16_t dt_ms);
int16_t nuvrik_moved_follow(NuvrikMoved *self, int16_t at, uint16_t dt_ms);
int16_t nuvrik_moved_smooth(NuvrikMoved *self, int16_t goal, uint16_t passed_ms, bool first);
int16_t nuvrik_moved_keep(NuvrikMoved *self, int16_t at);
void nuvrik_moved_withdraw(NuvrikMoved *self);
void nuvrik_button_init(NuvrikButton *self, const NUVRIK_FLASH NuvrikButtonTable *table);
void nuvrik_button_read(NuvrikButton *self, int32_t raw, uint16_t dt_ms);
void nuvrik_button_press(NuvrikButton *self);
void nuvrik_button_say(NuvrikButton *self);
void nuvrik_button_may_move(NuvrikButton *self, bool live);
void nuvrik_button_switch_off(NuvrikButton *self);
void nuvrik_button_withdraw(NuvrikButton *self);
void nuvrik_key_init(NuvrikKey *self, const NUVRIK_FLASH NuvrikKeyControlTable *table);
bool nuvrik_key_read(NuvrikKey *self, uint16_t count);
void nuvrik_key_arrive(NuvrikKey *self, bool fresh);
void nuvrik_key_say(NuvrikKey *self);
void nuvrik_key_may_move(NuvrikKey *self, bool live);
void nuvrik_key_switch_off(NuvrikKey *self);
void nuvrik_key_withdraw(NuvrikKey *self);

/* ---- hands ---- */

/** The controls of one handset, each with its reading for as long as that is fresh, and those made of
 *  others.
 */

enum {
    NUVRIK_IS_MOVED = 0,
    NUVRIK_IS_BUTTON = 1,
    NUVRIK_IS_KEY = 2,
    NUVRIK_IS_ROCKER = 3,
    NUVRIK_IS_NUDGE = 4,
    NUVRIK_IS_SELECTOR = 5
};
/** The kinds of control; the first three have readings of their own. */

/** One control: its kind, its place among those of that kind, how long a reading of it is good; and the
 *  button that switches a toggle off, NOBODY for none.
 */
typedef struct {
    uint8_t kind;
    uint8_t at;
    uint16_t stale_ms;
    uint8_t off_by;
} NuvrikControlTable;

/** Two buttons or keys for the two directions. */
typedef struct {
    uint8_t plus;
    uint8_t minus;
} NuvrikRockerTable;

/** Two buttons or keys that step a value, and one that puts it back, NOBODY for none. waits: it feeds
 *  nothing but places.
 */
typedef struct {
    uint8_t up;
    uint8_t down;
    uint8_t back;
    int16_t step;
    int16_t low;
    int16_t high;
    int16_t start;
    bool waits;
} NuvrikNudgeTable;

/** One of several buttons or keys chooses. values: what each stands for, as a level; waits: it feeds
 *  nothing but places.
 */
typedef struct {
    const NUVRIK_FLASH uint8_t *buttons;
    uint8_t buttons_count;
    const NUVRIK_FLASH int16_t *values;
    uint8_t values_count;
    uint8_t start;
    bool waits;
} NuvrikSelectorTable;

/** All controls of a handset, in the order of the link file, and by kind. seen: one place for each button
 *  that something looks at for presses.
 */
typedef struct {
    const NUVRIK_FLASH NuvrikControlTable *controls;
    uint8_t controls_count;
    const NUVRIK_FLASH NuvrikMovedTable *moved;
    uint8_t moved_count;
    const NUVRIK_FLASH NuvrikButtonTable *buttons;
    uint8_t buttons_count;
    const NUVRIK_FLASH NuvrikKeyControlTable *keys;
    uint8_t keys_count;
    const NUVRIK_FLASH NuvrikRockerTable *rockers;
    uint8_t rockers_count;
    const NUVRIK_FLASH NuvrikNudgeTable *nudges;
    uint8_t nudges_count;
    const NUVRIK_FLASH NuvrikSelectorTable *selectors;
    uint8_t selectors_count;
    const NUVRIK_FLASH uint8_t *seen;
    uint8_t seen_count;
} NuvrikHandsTable;

/** The controls of one handset. rocked, nudged, selected: the values of rockers, nudges and selectors;
 *  stored and chosen: where nudges and selectors stand. A nudge, a selector or a toggle that feeds nothing
 *  but places has no reading until it is pressed while arm is sent on (live), so that arming moves nothing
 *  to where they happen to stand; nudge_given, choice_given: which have been. since_ms: how long ago each
 *  control was read, without waited_ms, which has passed since timers were looked at.
 */
typedef struct {
    const NUVRIK_FLASH NuvrikHandsTable *table;
    NuvrikMoved moved[NUVRIK_MOST_MOVED];
    NuvrikButton buttons[NUVRIK_MOST_BUTTONS];
    NuvrikKey keys[NUVRIK_MOST_KEYS];
    int32_t rocked[NUVRIK_MOST_ROCKERS];
    int32_t nudged[NUVRIK_MOST_NUDGES];
    int16_t stored[NUVRIK_MOST_NUDGES];
    int32_t selected[NUVRIK_MOST_SELECTORS];
    uint8_t chosen[NUVRIK_MOST_SELECTORS];
    bool live;
    bool nudge_given[NUVRIK_MOST_NUDGES];
    bool choice_given[NUVRIK_MOST_SELECTORS];
    int32_t since_ms[NUVRIK_MOST_CONTROLS];
    uint16_t waited_ms;
    uint16_t presses_seen[NUVRIK_MOST_SEEN];
} NuvrikHands;

void nuvrik_hands_init(NuvrikHands *self, const NUVRIK_FLASH NuvrikHandsTable *table);
void nuvrik_hands_begin(NuvrikHands *self);
int32_t nuvrik_hands_value(const NuvrikHands *self, uint8_t control);
bool nuvrik_hands_latched(const NuvrikHands *self, uint8_t control);
uint16_t nuvrik_hands_presses(const NuvrikHands *self, uint8_t control);
void nuvrik_hands_switch_off(NuvrikHands *self, uint8_t control);
bool nuvrik_hands_pass_time(NuvrikHands *self, uint16_t dt_ms);
void nuvrik_hands_catch_up(NuvrikHands *self);
bool nuvrik_hands_is_fresh(NuvrikHands *self, uint8_t control);
void nuvrik_hands_withdraw(NuvrikHands *self, uint8_t control);
void nuvrik_hands_read(NuvrikHands *self, uint8_t control, int32_t raw);
void nuvrik_hands_arrive(NuvrikHands *self, uint8_t control, bool fresh);
uint16_t nuvrik_hands_fresh_presses(NuvrikHands *self, uint8_t place, uint8_t control);
void nuvrik_hands_may_move(NuvrikHands *self, bool live);
void nuvrik_hands_refresh(NuvrikHands *self);
void nuvrik_hands_rock(NuvrikHands *self, uint8_t at);
uint8_t nuvrik_hands_nudge(NuvrikHands *self, uint8_t at, uint8_t place);
uint8_t nuvrik_hands_choose(NuvrikHands *self, uint8_t at, uint8_t place);

/* ---- sources ---- */

/** From controls to channels: where each channel's value comes from, and what is done to it on the way. */

enum {
    NUVRIK_FROM_NOTHING = 0,
    NUVRIK_FROM_ONE = 1,
    NUVRIK_FROM_FIRST_READY = 2,
    NUVRIK_FROM_FIRST_MOVED = 3,
    NUVRIK_FROM_ALL = 4,
    NUVRIK_FROM_WEIGHTS = 5,
    NUVRIK_FROM_FLAG = 6,
    NUVRIK_FROM_CHOICE = 7,
    NUVRIK_FROM_PRESSES = 8,
    NUVRIK_FROM_TWO = 9
};
/** Where a channel's value comes from: nothing, one control; of several the first that is ready, the one
 *  that left rest first, or all together; a weighted sum; a control as a flag; a selector's choice; the
 *  presses of a button; a button that stands for one of two values.
 */

/** In place of the value that a control has to leave before it may say where a place is to be: none. */
#define NUVRIK_ANY_PLACE 32767

/** A control that feeds a channel, and how much it counts in a weighted sum. */
typedef struct {
    uint8_t control;
    int16_t weight;
} NuvrikOrigin;

/** Where one channel's value comes from. first: the place of its first origin among the ready bits; place:
 *  it feeds nothing but places; band: how far from zero is at rest, rest: how far from it a control has
 *  not left rest yet. multiplied_by, slow_when and preset_when are controls, NOBODY for none. on_from,
 *  off_below: when a flag goes on and off. when_on, when_off: what a button stands for.
 */
typedef struct {
    uint8_t takes;
    const NUVRIK_FLASH NuvrikOrigin *origins;
    uint8_t origins_count;
    uint8_t first;
    bool place;
    int16_t band;
    int16_t rest;
    uint8_t multiplied_by;
    uint8_t slow_when;
    int16_t slow_to;
    uint8_t preset_when;
    int16_t preset;
    bool bare;
    int16_t low;
    int16_t on_from;
    int32_t off_below;
    int16_t when_on;
    int16_t when_off;
} NuvrikSourceTable;

/** Those of all channels, in their order. ready: one place for each origin of those that have several. */
typedef struct {
    const NUVRIK_FLASH NuvrikSourceTable *sources;
    uint8_t sources_count;
    const NUVRIK_FLASH uint8_t *ready;
    uint8_t ready_count;
} NuvrikSourcesTable;

/** The channels of one handset. A control that is one of several has a say only while it is ready. For
 *  what turns that is once it has been read at rest since its readings began, and since another that had
 *  the say has ended: so that one that lies half over starts nothing when another falls silent or lets go.
 *  For a place it is with any reading at power-up, and later once it has moved from where it was (marks).
 *  owner: of several, the one that has the say: under the rule first the one that left rest first; before:
 *  what each of them said last; on: whether a flag is on.
 */
typedef struct {
    const NUVRIK_FLASH NuvrikSourcesTable *table;
    bool ready[NUVRIK_MOST_READY];
    int32_t marks[NUVRIK_MOST_READY];
    int32_t before[NUVRIK_MOST_READY];
    uint8_t owner[NUVRIK_MOST_SOURCES];
    bool on[NUVRIK_MOST_SOURCES];
} NuvrikSources;

void nuvrik_sources_init(NuvrikSources *self, const NUVRIK_FLASH NuvrikSourcesTable *table);
void nuvrik_sources_refresh(NuvrikSources *self, NuvrikHands *hands);
uint8_t nuvrik_sources_ended(NuvrikSources *self, uint8_t channel,
    const NUVRIK_FLASH NuvrikSourceTable *source, NuvrikHands *hands);
bool nuvrik_sources_becomes_ready(NuvrikSources *self, const NUVRIK_FLASH NuvrikSourceTable *source,
    uint8_t at, int32_t value);
uint8_t nuvrik_sources_who(NuvrikSources *self, const NUVRIK_FLASH NuvrikSourceTable *source,
    uint8_t channel, NuvrikHands *hands);
uint8_t nuvrik_sources_unready(NuvrikSources *self, uint8_t source, NuvrikHands *hands);
int32_t nuvrik_sources_value(NuvrikSources *self, uint8_t source, NuvrikHands *hands);
int32_t nuvrik_sources_origin(NuvrikSources *self, uint8_t source, const NUVRIK_FLASH NuvrikSourceTable *one,
    NuvrikHands *hands);
bool nuvrik_sources_moved(NuvrikSources *self, const NUVRIK_FLASH NuvrikSourceTable *one, uint8_t origin,
    NuvrikHands *hands);
uint8_t nuvrik_sources_flag(NuvrikSources *self, uint8_t source, const NUVRIK_FLASH NuvrikSourceTable *one,
    NuvrikHands *hands);
uint8_t nuvrik_chosen(const NUVRIK_FLASH NuvrikSourceTable *one, NuvrikHands *hands);
int32_t nuvrik_weighed(const NUVRIK_FLASH NuvrikSourceTable *one, NuvrikHands *hands);
int32_t nuvrik_shaped(const NUVRIK_FLASH NuvrikSourceTable *one, int32_t given, NuvrikHands *hands);

/* ---- arming ---- */

/** The handset's half of who may move: when arm is sent on, and when nothing but stops is sent.
 *
 *  The machine's half is the watch. This half makes sure that the watch sees what it must see:
 *
 *  * arm is sent off until its control has been read off, so a switch that was left on arms nothing; * an
 *  off, once begun, is sent for at least timeout_ms, so that the machine sees it whatever is lost; * a
 *  stop is sent for as long as it is pressed and for at least timeout_ms and a period more; * a stop puts
 *  arm off in the same way, and lets whatever keeps arm on by itself (a toggle, a program) fall; * before
 *  anything has been read or set, nothing is sent at all.
 *
 *  A program may stand in for the arm control and press a stop of its own, by the same rules.
 */

enum {
    NUVRIK_UNREAD = 0,
    NUVRIK_READ_OFF = 1,
    NUVRIK_READ_ON = 2
};
/** What the arm control, or a program in its place, says. */

/** How long an off, and a stop, are sent for at least. */
typedef struct {
    uint16_t timeout_ms;
    uint16_t stop_ms;
} NuvrikArmingTable;

/** Arm and stop of one handset. begun: there is something to send; sent: arm is sent on; allowed: it has
 *  been read off since it was last not to be believed; put: what a program says in place of its control,
 *  UNREAD where there is none; stop_put: a program presses a stop of its own; stopping: nothing but stops
 *  is sent; parting: arm is off for good, and no stop is sent any more.
 */
typedef struct {
    const NUVRIK_FLASH NuvrikArmingTable *table;
    bool begun;
    bool sent;
    bool allowed;
    uint8_t put;
    bool stop_put;
    bool stopping;
    bool parting;
    uint16_t off_ms;
    uint16_t stopped_ms;
} NuvrikArming;

void nuvrik_arming_init(NuvrikArming *self, const NUVRIK_FLASH NuvrikArmingTable *table);
void nuvrik_arming_pass_time(NuvrikArming *self, uint16_t dt_ms);
bool nuvrik_arming_stop(NuvrikArming *self, bool control_pressed);
void nuvrik_arming_follow(NuvrikArming *self, uint8_t control);
void nuvrik_arming_forget(NuvrikArming *self);
void nuvrik_arming_leave(NuvrikArming *self);
void nuvrik_arming_begin_off(NuvrikArming *self);

/* ---- handset ---- */

/** The handset: raw readings, and time, to what is sent in each period: a command, a stop, a question, or
 *  nothing.
 */

enum {
    NUVRIK_SENDS_NOTHING = 0,
    NUVRIK_SENDS_STOP = 1,
    NUVRIK_SENDS_ANYTHING = 2,
    NUVRIK_SENDS_COMMAND = 3
};
/** What a period is for: nothing, a stop, a question if there is one or else a command, a command. */

enum {
    NUVRIK_LEFT_AT_REST = 0,
    NUVRIK_LEFT_ALONE = 1,
    NUVRIK_LEFT_UNREAD = 2,
    NUVRIK_LEFT_AS_SENT = 3
};
/** What is sent of a channel that no hand is to move, and on leaving: rest, or off; no reading, because it
 *  feeds only places, or is a choice; rest, but no reading on leaving, because it feeds a place besides
 *  what turns; what was sent last, because it counts.
 */

/** A handset's part of a link. arm: the channel that arms, arm_control: the control that feeds it, stop:
 *  the control that stops, NOBODY for none. left: what each channel is left at. guard_ms: how old the
 *  telemetry heard last may be on a link with a delay guard, 0 for none. asks: questions may be sent.
 */
typedef struct {
    const NUVRIK_FLASH NuvrikHandsTable *hands;
    const NUVRIK_FLASH NuvrikSourcesTable *sources;
    const NUVRIK_FLASH NuvrikArmingTable *arming;
    uint8_t arm;
    uint8_t arm_control;
    uint8_t stop;
    const NUVRIK_FLASH uint8_t *left;
    uint8_t left_count;
    uint16_t period_ms;
    uint16_t guard_ms;
    bool asks;
} NuvrikHandsetTable;

/** One handset. now_ms is any clock of milliseconds that goes round at 65536. pass_time comes first in
 *  every call of the loop; after readings comes have_read.
 */
typedef struct {
    const NUVRIK_FLASH NuvrikHandsetTable *table;
    NuvrikHands hands;
    NuvrikSources sources;
    NuvrikArming arming;
    bool started;
    uint16_t now_ms;
    int16_t due_ms;
    bool between;
    uint16_t told_ms;
    bool followed;
    bool hands_off;
    bool without_stop;
    bool was_live;
    bool was_halted;
    int32_t values[NUVRIK_MOST_SOURCES];
} NuvrikHandset;

void nuvrik_handset_init(NuvrikHandset *self, const NUVRIK_FLASH NuvrikHandsetTable *table);
void nuvrik_handset_begin(NuvrikHandset *self);
void nuvrik_handset_pass_time(NuvrikHandset *self, uint16_t now_ms);
void nuvrik_handset_read(NuvrikHandset *self, uint8_t control, int32_t raw);
void nuvrik_handset_have_read(NuvrikHandset *self);
void nuvrik_handset_refresh(NuvrikHandset *self);
bool nuvrik_handset_stop_pressed(NuvrikHandset *self);
void nuvrik_handset_look_at_stop(NuvrikHandset *self);
void nuvrik_handset_arm_falls(NuvrikHandset *self);
void nuvrik_handset_change_hands(NuvrikHandset *self);
bool nuvrik_handset_forgets(NuvrikHandset *self);
void nuvrik_handset_follow_hands(NuvrikHandset *self);
void nuvrik_handset_follow_arm(NuvrikHandset *self);
void nuvrik_handset_put_arm(NuvrikHandset *self, bool on);
void nuvrik_handset_press_stop(NuvrikHandset *self, bool pressed);
void nuvrik_handset_leave(NuvrikHandset *self);
void nuvrik_handset_expire(NuvrikHandset *self, uint16_t now_ms);
void nuvrik_handset_hear(NuvrikHandset *self);
uint8_t nuvrik_handset_turn(NuvrikHandset *self);
bool nuvrik_handset_may_ask(NuvrikHandset *self);
uint8_t nuvrik_handset_command(const NuvrikHandset *self);
void nuvrik_handset_fill(NuvrikHandset *self);
int32_t nuvrik_handset_left_at(const NuvrikHandset *self, uint8_t channel);
uint8_t nuvrik_handset_unready(NuvrikHandset *self);
int32_t nuvrik_handset_value(NuvrikHandset *self, uint8_t control);

/* ---- hearing ---- */

/** What a handset hears: the machine's state and telemetry, each with its age, answers to requests, who
 *  the machine is, and echoes.
 */

/** In place of a state: the machine has never told one, or not for too long. */
#define NUVRIK_NEVER_HEARD 255

enum {
    NUVRIK_STATE_BITS = 7,
    NUVRIK_FOLLOWS = 8,
    NUVRIK_HOLD_ENDS = 16,
    NUVRIK_OWN_STOP = 32,
    NUVRIK_MEANS_NOTHING = 64
};
/** The first byte of telemetry: the state, that the number of the last command follows, that a load is
 *  about to be let go of, that the machine's own code has stopped it (a byte more, with a number from 1 to
 *  15). What is above has to be zero, so that it can mean something later.
 */

/** An answer to a request. */
#define NUVRIK_REPLY_BYTES 10

enum {
    NUVRIK_WHO_BYTES = 18,
    NUVRIK_HOW_BYTES = 13
};
/** The pages of a hello's answer, without the name of the link. */

/** What a handset may hear. timeout_ms: after such a silence the machine may have started again, and its
 *  numbers with it; lost_ms: after such a time nothing is known of its state.
 */
typedef struct {
    const NUVRIK_FLASH NuvrikTellingTable *telling;
    uint16_t timeout_ms;
    uint16_t lost_ms;
} NuvrikHearingTable;

/** What has been heard of one machine. own_number: that of the stop of its own code that holds it, 0 for
 *  none; ages_ms: how long ago each item came, and codes what it was; length: bytes of a token that are
 *  back.
 */
typedef struct {
    const NUVRIK_FLASH NuvrikHearingTable *table;
    uint16_t heard_ms;
    uint16_t told_ms;
    uint8_t state_told;
    bool followed;
    uint8_t last_command;
    bool hold_ends;
    uint8_t own_number;
    uint8_t seq;
    uint16_t codes[NUVRIK_MOST_CODES];
    uint16_t ages_ms[NUVRIK_MOST_ITEMS];
    uint8_t code;
    uint16_t session;
    uint16_t number;
    uint8_t status;
    uint16_t value_low;
    uint16_t value_high;
    uint16_t tag;
    uint16_t boot_low;
    uint16_t boot_high;
    uint8_t token[NUVRIK_MOST_TOKEN];
    uint8_t length;
} NuvrikHearing;

uint8_t nuvrik_first_mark(NuvrikSealed *sealed);
bool nuvrik_there(NuvrikSealed *sealed, uint8_t item);
void nuvrik_hearing_init(NuvrikHearing *self, const NUVRIK_FLASH NuvrikHearingTable *table);
void nuvrik_hearing_pass_time(NuvrikHearing *self, uint16_t dt_ms);
bool nuvrik_hearing_tells(const NuvrikHearing *self);
uint8_t nuvrik_hearing_state(const NuvrikHearing *self);
uint8_t nuvrik_hearing_understand(const NuvrikHearing *self, NuvrikSealed *sealed);
uint16_t nuvrik_hearing_first_code(const NuvrikHearing *self, NuvrikSealed *sealed);
bool nuvrik_hearing_fits(const NuvrikHearing *self, NuvrikSealed *sealed);
void nuvrik_hearing_take(NuvrikHearing *self, NuvrikSealed *sealed);
void nuvrik_hearing_take_telemetry(NuvrikHearing *self, NuvrikSealed *sealed);

/* ---- asking ---- */

/** The handset's side of requests: asked again until answered, and never twice for one; hello, echo and
 *  jog.
 *
 *  A request is repeated under its number, after 100 ms at first, then after twice as long each time. What
 *  became of one that was sent to a machine that has started again since, or that has met somebody else,
 *  nobody knows, and it is not asked again. One that nobody answers for so long is given up, and with it
 *  the session: its number is used up, but it could still arrive, and a new session makes it too old for
 *  that.
 *
 *  What cannot be done now is refused now: what moves something is not kept until the machine is armed.
 *  And what was asked and not begun is forgotten with a stop, with arm off, with a change of hands and
 *  with a gap: whoever asked for it wanted it then.
 */

enum {
    NUVRIK_FIRST_RETRY_MS = 100,
    NUVRIK_LONGEST_RETRY_MS = 1600
};
/** A first answer takes a few frame periods of the slowest starter (20 frames a second); each further try
 *  waits twice as long, so that a crowded medium is not crowded further.
 */

/** Five hellos a second: a board that has just started is known before a hand has moved. */
#define NUVRIK_GREET_MS 200

/** While a motion runs, it is asked about this often: the news of its end may have been lost. */
#define NUVRIK_POLL_MS 400

/** Without any answer for this long, a request has failed. */
#define NUVRIK_PATIENCE_MS 4000

/** How a machine has fared is asked for so often at most: nothing depends on the answer. */
#define NUVRIK_MOST_HOWS 5

enum {
    NUVRIK_NOT_SENT = 16,
    NUVRIK_SENT = 17,
    NUVRIK_NO_ANSWER = 18,
    NUVRIK_NEVER_SENT = 19,
    NUVRIK_FORGOTTEN = 20
};
/** What becomes of a request besides what a reply says: so far not sent, so far no answer; in the end no
 *  answer, nobody there whom it could have been sent to, or forgotten, because a stop, arm off or a change
 *  of hands came before it was begun. Well away from what replies say, so that there is room for more of
 *  that.
 */

enum {
    NUVRIK_QUESTION_NONE = 0,
    NUVRIK_QUESTION_ECHO = 1,
    NUVRIK_QUESTION_WHO = 2,
    NUVRIK_QUESTION_HOW = 3,
    NUVRIK_QUESTION_REQUEST = 4,
    NUVRIK_QUESTION_JOG = 5
};
/** What is to be sent in place of a command. */

/** A button or a key that starts a request, and the arguments that go with it. */
typedef struct {
    uint8_t control;
    uint8_t code;
    const NUVRIK_FLASH int32_t *arguments;
    uint8_t arguments_count;
} NuvrikTriggerTable;

/** The requests of a link, and how far each output may be jogged, in steps of which full scale has
 *  JOG_STEPS: 0 for what has no "a little". triggers: the buttons that start some of them.
 */
typedef struct {
    const NUVRIK_FLASH NuvrikRequestTable *requests;
    uint8_t requests_count;
    const NUVRIK_FLASH uint8_t *jog_most;
    uint8_t jog_most_count;
    const NUVRIK_FLASH NuvrikTriggerTable *triggers;
    uint8_t triggers_count;
} NuvrikAskingTable;

/** One request at a time, of one handset. session: not 0; boot_known: the machine's boot number is; asked:
 *  a request is under way, or else outcome says how the last one came out; left_ms: until something may be
 *  sent again; trip_ms: how long the last echo took, TIMER_MAX until it is back; presses_met: how often
 *  each trigger had been pressed at the last look.
 */
typedef struct {
    const NUVRIK_FLASH NuvrikAskingTable *table;
    uint16_t session;
    bool boot_known;
    uint16_t boot_low;
    uint16_t boot_high;
    bool asked;
    uint8_t code;
    uint16_t number;
    uint16_t last_number;
    uint16_t tries;
    uint8_t outcome;
    uint16_t value_low;
    uint16_t value_high;
    int32_t arguments[NUVRIK_MOST_ARGUMENTS];
    uint16_t left_ms;
    uint16_t retry_ms;
    bool waits;
    uint16_t news_ms;
    bool greets;
    uint8_t hows;
    bool echo_waits;
    bool echo_out;
    uint16_t token;
    uint16_t echo_ms;
    uint16_t trip_ms;
    bool jogs;
    uint8_t jog_output;
    int32_t jog_step;
    uint8_t jog_time;
    uint16_t presses_met[NUVRIK_MOST_TRIGGERS];
} NuvrikAsking;

void nuvrik_asking_init(NuvrikAsking *self, const NUVRIK_FLASH NuvrikAskingTable *table);
void nuvrik_asking_begin(NuvrikAsking *self, uint16_t boot_low);
void nuvrik_asking_pass_time(NuvrikAsking *self, uint16_t dt_ms);
void nuvrik_asking_argument(NuvrikAsking *self, uint8_t at, int32_t value);
bool nuvrik_asking_ask(NuvrikAsking *self, uint8_t code, bool may_move);
uint8_t nuvrik_asking_pressed(NuvrikAsking *self, NuvrikHands *hands);
void nuvrik_asking_start(NuvrikAsking *self, uint8_t trigger, bool may_move);
void nuvrik_asking_greet(NuvrikAsking *self);
void nuvrik_asking_echo(NuvrikAsking *self);
bool nuvrik_asking_jog(NuvrikAsking *self, uint8_t output, int16_t to, uint16_t for_ms, bool may_move);
void nuvrik_asking_forget(NuvrikAsking *self);
void nuvrik_asking_end_session(NuvrikAsking *self);
bool nuvrik_asking_wants(const NuvrikAsking *self);
uint8_t nuvrik_asking_question(NuvrikAsking *self, bool may_jog);
uint8_t nuvrik_asking_due(NuvrikAsking *self);
void nuvrik_asking_write(NuvrikAsking *self, uint8_t what, NuvrikSender *sender);
void nuvrik_asking_write_request(NuvrikAsking *self, NuvrikSender *sender);
void nuvrik_asking_hear_who(NuvrikAsking *self, uint16_t boot_low, uint16_t boot_high);
void nuvrik_asking_hear_how(NuvrikAsking *self);
void nuvrik_asking_hear_reply(NuvrikAsking *self, uint8_t code, uint16_t session, uint16_t number,
    uint8_t status, uint16_t low, uint16_t high);
void nuvrik_asking_hear_echo(NuvrikAsking *self, uint16_t token);
void nuvrik_asking_have_news(NuvrikAsking *self);
void nuvrik_asking_give_up(NuvrikAsking *self);
void nuvrik_asking_settle(NuvrikAsking *self, uint8_t outcome, uint16_t low, uint16_t high);

/* ---- knob ---- */

/** A rotary encoder: two contacts that open and close a quarter of a period apart.
 *
 *  Together they go through four states, always from one to a neighbour of it, and which neighbour says
 *  which way the knob turns. A contact that bounces goes to and fro between two neighbours and comes out
 *  even, so nothing has to settle. Two quarters at once came too quickly to be seen, and nobody knows
 *  which way: they do not count.
 */

/** A knob: the place of its control, and the pins of its contacts. It counts quarters from low to high,
 *  and begins at start.
 */
typedef struct {
    uint8_t control;
    uint8_t pin_a;
    uint8_t pin_b;
    int32_t low;
    int32_t high;
    int32_t start;
} NuvrikKnobTable;

/** One knob: at is what its control reads. */
typedef struct {
    const NUVRIK_FLASH NuvrikKnobTable *table;
    int32_t at;
    bool seen;
    bool a;
    bool b;
} NuvrikKnob;

void nuvrik_knob_init(NuvrikKnob *self, const NUVRIK_FLASH NuvrikKnobTable *table);
void nuvrik_knob_look(NuvrikKnob *self, bool a, bool b);

/* ---- handset_end ---- */

/** The handset's end of a link: readings in, bytes out, and what comes back. */

/** A handset's end of a link. incoming: what comes back. */
typedef struct {
    const NUVRIK_FLASH NuvrikHandsetTable *handset;
    const NUVRIK_FLASH NuvrikWriterTable *writer;
    const NUVRIK_FLASH NuvrikSealedTable *sealed;
    const NUVRIK_FLASH NuvrikHearingTable *hearing;
    const NUVRIK_FLASH NuvrikAskingTable *asking;
    const NUVRIK_FLASH NuvrikIncomingTable *incoming;
    const NUVRIK_FLASH NuvrikMediumTable *medium;
    const NUVRIK_FLASH NuvrikKnobTable *knobs;
    uint8_t knobs_count;
} NuvrikHandsetEndTable;

/** One handset's end. pass_time comes first in every turn of the loop. take is given a stream that comes
 *  back byte by byte; packets go byte by byte between begin_packet and end_packet.
 */
typedef struct {
    const NUVRIK_FLASH NuvrikHandsetEndTable *table;
    NuvrikHandset handset;
    NuvrikWriter writer;
    NuvrikSealed sealed;
    NuvrikIncoming incoming;
    NuvrikHearing hearing;
    NuvrikAsking asking;
    NuvrikKnob knobs[NUVRIK_MOST_KNOBS];
    uint16_t refused;
} NuvrikHandsetEnd;

void nuvrik_handset_end_init(NuvrikHandsetEnd *self, const NUVRIK_FLASH NuvrikHandsetEndTable *table);
void nuvrik_handset_end_begin(NuvrikHandsetEnd *self, uint16_t boot_low);
void nuvrik_handset_end_pass_time(NuvrikHandsetEnd *self, uint16_t now_ms);
void nuvrik_handset_end_expire(NuvrikHandsetEnd *self, uint16_t now_ms);
void nuvrik_handset_end_follow(NuvrikHandsetEnd *self);
bool nuvrik_handset_end_may_move(const NuvrikHandsetEnd *self);
void nuvrik_handset_end_read(NuvrikHandsetEnd *self, uint8_t control, int32_t raw);
void nuvrik_handset_end_turn(NuvrikHandsetEnd *self, uint8_t knob, bool a, bool b);
void nuvrik_handset_end_have_read(NuvrikHandsetEnd *self);
void nuvrik_handset_end_press_stop(NuvrikHandsetEnd *self, bool pressed);
void nuvrik_handset_end_leave(NuvrikHandsetEnd *self);
void nuvrik_handset_end_argument(NuvrikHandsetEnd *self, uint8_t at, int32_t value);
bool nuvrik_handset_end_ask(NuvrikHandsetEnd *self, uint8_t code);
void nuvrik_handset_end_greet(NuvrikHandsetEnd *self);
void nuvrik_handset_end_echo(NuvrikHandsetEnd *self);
bool nuvrik_handset_end_jog(NuvrikHandsetEnd *self, uint8_t output, int16_t to, uint16_t for_ms);
bool nuvrik_handset_end_send(NuvrikHandsetEnd *self);
uint8_t nuvrik_handset_end_take(NuvrikHandsetEnd *self, uint8_t byte);
uint8_t nuvrik_handset_end_piece(NuvrikHandsetEnd *self, uint8_t event);
void nuvrik_handset_end_begin_packet(NuvrikHandsetEnd *self);
void nuvrik_handset_end_packet_byte(NuvrikHandsetEnd *self, uint8_t byte);
uint8_t nuvrik_handset_end_end_packet(NuvrikHandsetEnd *self);
uint8_t nuvrik_handset_end_count(NuvrikHandsetEnd *self, uint8_t event);
uint8_t nuvrik_handset_end_judge_line(NuvrikHandsetEnd *self);
uint8_t nuvrik_handset_end_judge(NuvrikHandsetEnd *self);
void nuvrik_handset_end_answered(NuvrikHandsetEnd *self);

/* ---- marks ---- */

/** Marks and spaces of an infrared receiver, without glitches. */

/** A mark or a space no longer than this is none: a tenth of the shortest half bit that a receiver passes
 *  on.
 */
#define NUVRIK_GLITCH_US 100

/** A mark or a space that is longer is told as this. */
#define NUVRIK_MOST_US INT32_C(500000000)

/** Joins what glitches have cut in two. pending is what may still go on, and is a mark or a space; brief
 *  is what has come since, and may be a glitch.
 */
typedef struct {
    uint32_t pending;
    bool is_mark;
    uint32_t brief;
} NuvrikCleaner;

uint32_t nuvrik_longer(uint32_t a, uint32_t b);
uint32_t nuvrik_cleaner_take(NuvrikCleaner *self, bool mark, uint32_t us);

/* ---- burst ---- */

/** One burst of marks and spaces, first mark to last, and how well lengths fit units.
 *
 *  How this works. A remote's clock may run a fifth fast or slow, a receiver makes marks longer and spaces
 *  shorter by as much (the stretch), and every length strays by itself. So nothing is held against nominal
 *  lengths. Each family of codes that can have so many lengths says how many units each of them is; from
 *  these the clock and the stretch follow together, in closed form; and then every length is held against
 *  them.
 *
 *  A length of k units is k * u + s for a mark and k * u - s for a space. The mean of length / k over all
 *  marks is u + s * mean(1 / k), over all spaces u - s * mean(1 / k): two equations for u and s. The score
 *  is the mean error, each in thousandths of its own unit, and half the stretch in microseconds.
 *
 *  What was tried before and given up: judging edges against a running grid with gains for phase, pace and
 *  lean. It read rc6 as sirc15 with a clock 20 % slow, and 101 of 1,200 codes falsely with lengths off by
 *  15 % each.
 */

/** A length is kept as this at most; none that is part of a code is nearly as long. */
#define NUVRIK_LONGEST_US 65535U

/** A worse fit is unread. Lengths off by up to 15 %, each for itself, score 75 on average, edges that
 *  stray by as much about 100, and a stretch of 150 us adds 75.
 */
#define NUVRIK_MOST_SCORE 200

enum {
    NUVRIK_RIVAL_EACH = 500,
    NUVRIK_RIVAL_SCORE = 280
};
/** A family that fits only so loosely is not read, but keeps another from being read. */

enum {
    NUVRIK_SLOWEST = 75,
    NUVRIK_FASTEST = 126
};
/** A unit is within these hundredths of its nominal length: 20 % of clock, and what rounding adds. */

/** Receivers stretch by up to 150 us; the rest is what scatter adds to the estimate. */
#define NUVRIK_MOST_STRETCH_US 200

/** Lengths are compared in quarters of a microsecond. */
#define NUVRIK_QUARTERS 4

/** 1 / k in whole numbers, for every k up to 4 and for 6, 8 and 16. */
#define NUVRIK_PARTS 48

/** Worse than any score. */
#define NUVRIK_NO_FIT 9999

/** The lengths of a burst, mark first; those from first on are looked at. units: how many of a family's
 *  units each of these is, as the family has it that is just being tried.
 */
typedef struct {
    uint16_t times[NUVRIK_MOST_LENGTHS];
    uint8_t units[NUVRIK_MOST_LENGTHS];
    uint8_t kept;
    uint8_t first;
} NuvrikBurst;

void nuvrik_burst_init(NuvrikBurst *self);
void nuvrik_burst_empty(NuvrikBurst *self);
void nuvrik_burst_keep(NuvrikBurst *self, int32_t us);
uint8_t nuvrik_burst_count(const NuvrikBurst *self);
uint16_t nuvrik_burst_time(const NuvrikBurst *self, uint8_t place);
uint16_t nuvrik_burst_middle(NuvrikBurst *self, uint8_t start);
uint16_t nuvrik_burst_longest_mark(NuvrikBurst *self);
bool nuvrik_burst_balance(NuvrikBurst *self, uint8_t start, uint8_t marks, uint8_t spaces);
int32_t nuvrik_burst_for_one(const NuvrikBurst *self, uint8_t place);
int32_t nuvrik_burst_lean(const NuvrikBurst *self, uint8_t place, int32_t stretch);
uint16_t nuvrik_burst_score(NuvrikBurst *self, uint16_t nominal, uint16_t each);
uint16_t nuvrik_burst_scored(NuvrikBurst *self, uint16_t unit, int32_t stretch, uint16_t each);

/* ---- families ---- */

/** Which code a burst is, if it is one and only one.
 *
 *  A family must fit well, and no other family nearly as well: what could be two codes is read as none. So
 *  a family is entered even where it fits badly, because it can keep another from being read. After any
 *  change run the sweeps of tests/test_infrared.py whole (NUVRIK_THOROUGH=1): no false code in any of them
 *  comes before every code read in all of them.
 *
 *  Where no reader can tell: rc5 0/64 and sirc12 31/127 are one shape once the stretch is free. Those stay
 *  unread.
 */

enum {
    NUVRIK_NO_CODE = 0,
    NUVRIK_NEC = 1,
    NUVRIK_NEC_EXTENDED = 2,
    NUVRIK_NEC_AGAIN = 3,
    NUVRIK_RC5 = 4,
    NUVRIK_RC6 = 5,
    NUVRIK_SIRC12 = 6,
    NUVRIK_SIRC15 = 7,
    NUVRIK_SIRC20 = 8,
    NUVRIK_LEARNED = 9
};
/** The codes. What a nec remote sends while a key is held, NEC_AGAIN, says of no key which it is. */

enum {
    NUVRIK_NEC_UNIT = 2250,
    NUVRIK_RC5_UNIT = 3556,
    NUVRIK_RC6_UNIT = 1778,
    NUVRIK_SIRC_UNIT = 2400
};
/** What a unit of each family lasts, in quarters of a microsecond. */

enum {
    NUVRIK_NEC_EACH = 420,
    NUVRIK_RC5_EACH = 310,
    NUVRIK_RC6_EACH = 340,
    NUVRIK_SIRC_EACH = 310
};
/** How far off one length may be, in thousandths of its unit. Families that can tell by other means (a
 *  complement, bi-phase halves) allow more.
 */

/** How much better than the second the best must be. Found by wearing codes of all families: pairs that
 *  can be mistaken for each other lie closer than this, and others further apart.
 */
#define NUVRIK_MARGIN 30

enum {
    NUVRIK_LATER_LEADER_US = 1500,
    NUVRIK_TRIES = 3
};
/** A frame behind a stray pulse is looked for at later marks as long as that, so often in a burst. */

/** The code that fits best so far, and how well another does. A code with the same of everything is no
 *  other.
 */
typedef struct {
    uint16_t best;
    uint16_t second;
    uint8_t protocol;
    uint16_t address;
    uint8_t command;
    uint8_t toggle;
} NuvrikFound;

void nuvrik_found_init(NuvrikFound *self);
void nuvrik_found_clear(NuvrikFound *self);
void nuvrik_found_enter(NuvrikFound *self, uint16_t score, uint8_t protocol, uint16_t address,
    uint8_t command, uint8_t toggle);
bool nuvrik_found_certain(const NuvrikFound *self);
bool nuvrik_judge(NuvrikBurst *burst, NuvrikFound *found);
void nuvrik_try_all(NuvrikBurst *burst, NuvrikFound *found);
void nuvrik_try_nec_again(NuvrikBurst *burst, NuvrikFound *found);
uint8_t nuvrik_nec_byte(NuvrikBurst *burst, uint8_t start, uint16_t middle);
void nuvrik_try_nec(NuvrikBurst *burst, NuvrikFound *found);
void nuvrik_try_sirc(NuvrikBurst *burst, NuvrikFound *found, uint8_t protocol);
void nuvrik_sirc_as(NuvrikBurst *burst, NuvrikFound *found, uint8_t protocol, uint16_t middle);
void nuvrik_try_rc5(NuvrikBurst *burst, NuvrikFound *found, uint8_t spaces);
void nuvrik_try_rc6(NuvrikBurst *burst, NuvrikFound *found, uint8_t spaces);

/* ---- shape ---- */

/** A learned shape: a header, or none, bits that differ in the length of the space or of the mark, a last
 *  mark, and a fixed number of bits.
 */

/** What a receiver may make longer or shorter, besides a quarter of a length. */
#define NUVRIK_SLACK_US 150

/** A code has up to 64 bits, in words of 16, the lowest first. */
#define NUVRIK_WORDS 4

/** A learned shape in microseconds: header (0 and 0 for none), what a zero and a one are, how many bits
 *  (0: there is no shape). gap_us cannot be inside a frame, and repeat_us after a frame's start the next
 *  one of the same press has started. tail: a place for each length of a frame.
 */
typedef struct {
    uint8_t bits;
    uint16_t header_mark;
    uint16_t header_space;
    uint16_t zero_mark;
    uint16_t zero_space;
    uint16_t one_mark;
    uint16_t one_space;
    uint32_t gap_us;
    uint32_t repeat_us;
    const NUVRIK_FLASH uint8_t *tail;
    uint8_t tail_count;
} NuvrikShapeTable;

/** The last lengths before a silence, as many as a frame of a learned shape has; next is the oldest, once
 *  there are so many. words: the code that match has found.
 */
typedef struct {
    const NUVRIK_FLASH NuvrikShapeTable *table;
    uint16_t lengths[NUVRIK_MOST_TAIL];
    uint8_t next;
    uint8_t count;
    uint16_t words[NUVRIK_WORDS];
} NuvrikTail;

bool nuvrik_near(uint16_t length, uint16_t wanted);
void nuvrik_push(uint16_t *words, bool bit);
void nuvrik_tail_init(NuvrikTail *self, const NUVRIK_FLASH NuvrikShapeTable *table);
void nuvrik_tail_clear(NuvrikTail *self);
void nuvrik_tail_keep(NuvrikTail *self, uint32_t us);
uint16_t nuvrik_tail_length(const NuvrikTail *self, uint8_t place);
uint32_t nuvrik_tail_us(NuvrikTail *self);
bool nuvrik_tail_match(NuvrikTail *self);
bool nuvrik_tail_match_bit(NuvrikTail *self, uint8_t place, bool by_space);

/* ---- infrared ---- */

/** Marks and spaces to codes, as they come: one burst at a time.
 *
 *  What lies between two silences is a burst; families says which code it is, if it is one and only one.
 *  Here bursts are found in what comes, a repeat is told from a fresh press, and a learned shape is read
 *  beside the published codes.
 */

/** The silence that ends a frame. No code has a longer space in it (rc5's longest is 1778 us, at the
 *  slowest clock and with 150 us of stretch below 2400),
 */
#define NUVRIK_END_US 3300

enum {
    NUVRIK_LEADER_US = 3000,
    NUVRIK_LEADER_END_US = 6700
};
/** except behind a leader longer than that, nec's, whose space of 4500 us is up to 5625 at the slowest
 *  clock.
 */

enum {
    NUVRIK_NOT_YET = 0,
    NUVRIK_NEW_PRESS = 1,
    NUVRIK_SAME_PRESS = 2,
    NUVRIK_AGAIN_ONLY = 3
};
/** What has been read: nothing; a code; the same code of the same press; what a nec remote sends while a
 *  key is held, but not whose key.
 */

#define NUVRIK_NEC_REPEAT_US INT32_C(290000)
#define NUVRIK_RC_REPEAT_US INT32_C(500000)
/** How long after a frame's start the next one of the same press may start at the latest, one frame lost
 *  on the way included.
 */
#define NUVRIK_SIRC_REPEAT_US INT32_C(120000)

/** The word of a published code that holds its address; the command is in word 0. */
#define NUVRIK_ADDRESS 1

/** Codes from marks and spaces. protocol, words and toggle are those of the code read last; since_us: how
 *  long ago it began, as far as lengths have ended; us: how long it lasted.
 */
typedef struct {
    const NUVRIK_FLASH NuvrikShapeTable *table;
    NuvrikCleaner cleaner;
    NuvrikBurst burst;
    NuvrikTail tail;
    NuvrikFound found;
    bool read;
    uint32_t since_us;
    uint32_t us;
    uint8_t protocol;
    uint16_t words[NUVRIK_WORDS];
    uint8_t toggle;
} NuvrikInfraredReader;

void nuvrik_infrared_reader_init(NuvrikInfraredReader *self, const NUVRIK_FLASH NuvrikShapeTable *table);
uint8_t nuvrik_infrared_reader_take(NuvrikInfraredReader *self, bool mark, uint32_t us);
uint8_t nuvrik_infrared_reader_length(NuvrikInfraredReader *self, bool mark, uint32_t us);
uint8_t nuvrik_infrared_reader_quiet(NuvrikInfraredReader *self, uint32_t us, bool grows);
bool nuvrik_infrared_reader_within(const NuvrikInfraredReader *self, uint32_t most_us);
uint8_t nuvrik_infrared_reader_published(NuvrikInfraredReader *self);
uint8_t nuvrik_infrared_reader_learned(NuvrikInfraredReader *self);
uint8_t nuvrik_infrared_reader_told(NuvrikInfraredReader *self, uint8_t event, uint8_t protocol,
    uint8_t toggle);

/* ---- codes ---- */

/** Codes to marks and spaces: what a press is, from the published timing of each code. */

#define NUVRIK_SIRC_COMMAND_BITS 7

/** A code, in words of 16 bits, the lowest first: a published one is its command. */
typedef struct {
    const NUVRIK_FLASH uint16_t *words;
    uint8_t words_count;
} NuvrikKeyCodeTable;

/** How codes are sent: a unit is unit_parts / unit_of microseconds, at the nominal clock; the protocol's
 *  own address has so many bits.
 */
typedef struct {
    uint8_t protocol;
    uint16_t address;
    uint8_t address_bits;
    uint16_t unit_parts;
    uint8_t unit_of;
    const NUVRIK_FLASH NuvrikShapeTable *shape;
} NuvrikCodeTable;

/** Makes one frame at a time: count lengths, mark first, in times. units is where the last of them ends. */
typedef struct {
    const NUVRIK_FLASH NuvrikCodeTable *table;
    uint16_t times[NUVRIK_MOST_TAIL];
    uint8_t count;
    uint16_t units;
    uint32_t started_us;
} NuvrikCodeMaker;

void nuvrik_code_maker_init(NuvrikCodeMaker *self, const NUVRIK_FLASH NuvrikCodeTable *table);
void nuvrik_code_maker_begin(NuvrikCodeMaker *self);
void nuvrik_code_maker_add(NuvrikCodeMaker *self, bool mark, uint8_t units);
uint32_t nuvrik_code_maker_edge_us(const NuvrikCodeMaker *self);
void nuvrik_code_maker_end(NuvrikCodeMaker *self);
void nuvrik_code_maker_key(NuvrikCodeMaker *self, const NUVRIK_FLASH NuvrikKeyCodeTable *code,
    uint8_t toggle);
void nuvrik_code_maker_again(NuvrikCodeMaker *self);
void nuvrik_code_maker_nec(NuvrikCodeMaker *self, uint8_t command);
void nuvrik_code_maker_nec_byte_out(NuvrikCodeMaker *self, uint8_t value);
void nuvrik_code_maker_rc5(NuvrikCodeMaker *self, uint8_t command, uint8_t toggle);
void nuvrik_code_maker_half_bits(NuvrikCodeMaker *self, uint16_t value, uint8_t bits);
void nuvrik_code_maker_rc6(NuvrikCodeMaker *self, uint8_t command, uint8_t toggle);
void nuvrik_code_maker_sirc(NuvrikCodeMaker *self, uint8_t command);
void nuvrik_code_maker_sirc_bit(NuvrikCodeMaker *self, bool one);
void nuvrik_code_maker_learned_frame(NuvrikCodeMaker *self, const NUVRIK_FLASH NuvrikKeyCodeTable *code);
void nuvrik_code_maker_put_pair(NuvrikCodeMaker *self, uint16_t mark_us, uint16_t space_us);

/* ---- remote ---- */

/** A remote: keys to codes. One key at a time is sent: of several held, the one pressed last. */

/** A key whose reading has not changed for so long is not held any more. */
#define NUVRIK_FINGER_MS 150

/** A remote's part of a link. frames: how many a press sends at least; period_ms: from the start of one to
 *  that of the next; carrier_hz: what a mark is.
 */
typedef struct {
    const NUVRIK_FLASH NuvrikCodeTable *code;
    const NUVRIK_FLASH NuvrikKeyCodeTable *codes_sent;
    uint8_t codes_sent_count;
    uint8_t frames;
    uint16_t period_ms;
    uint16_t carrier_hz;
    const NUVRIK_FLASH NuvrikMediumTable *medium;
} NuvrikRemoteTable;

/** One remote. pass_time comes first in every call of the loop. order: keys that are held, the one pressed
 *  last behind; what goes out is in maker.
 */
typedef struct {
    const NUVRIK_FLASH NuvrikRemoteTable *table;
    NuvrikCodeMaker maker;
    bool started;
    uint16_t now_ms;
    bool counted[NUVRIK_MOST_CODES_SENT];
    uint16_t key_counts[NUVRIK_MOST_CODES_SENT];
    uint16_t quiet_ms[NUVRIK_MOST_CODES_SENT];
    uint8_t order[NUVRIK_MOST_CODES_SENT];
    uint8_t held;
    uint8_t key;
    uint8_t toggle;
    uint8_t left;
    uint16_t since_ms;
} NuvrikRemote;

void nuvrik_remote_init(NuvrikRemote *self, const NUVRIK_FLASH NuvrikRemoteTable *table);
void nuvrik_remote_pass_time(NuvrikRemote *self, uint16_t now_ms);
void nuvrik_remote_read(NuvrikRemote *self, uint8_t key, uint16_t count);
void nuvrik_remote_hold(NuvrikRemote *self, uint8_t key);
bool nuvrik_remote_is_held(const NuvrikRemote *self, uint8_t key);
bool nuvrik_remote_send(NuvrikRemote *self);

/* ---- receiver ---- */

/** The machine's end of an infrared link: marks and spaces in, outputs moved.
 *
 *  It is a handset and a machine with nothing between them that could fail: keys, rockers, toggles and
 *  selectors are those of a handset, and who may move is for the one table of watch. What is special is
 *  silence. A remote says nothing most of the time, so a key that is not heard for a while has been let
 *  go, and after lapse_ms without any code of this remote arm goes off. That is no fault, and nobody is
 *  waiting for the lamps to go out: outputs that hold stay as they are until the machine is armed again,
 *  an off key is pressed, or a stop. Where nothing turns, there may be no arm, and nothing goes off.
 */

enum {
    NUVRIK_OURS = 1,
    NUVRIK_UNKNOWN_KEY = 2,
    NUVRIK_WRONG_ADDRESS = 3,
    NUVRIK_WRONG_CODE = 4,
    NUVRIK_REPEAT_OF_NOTHING = 5
};
/** What a code is to a receiver; 0: none has ended. */

/** A key that is heard: its control, and whether it is one that switches off. */
typedef struct {
    const NUVRIK_FLASH NuvrikKeyCodeTable *code;
    uint8_t control;
    bool is_off;
} NuvrikHeardKeyTable;

/** A receiver's part of a link. lapse_ms: after so long without a code arm goes off; 0: never. */
typedef struct {
    const NUVRIK_FLASH NuvrikShapeTable *shape;
    uint8_t protocol;
    uint16_t address;
    const NUVRIK_FLASH NuvrikHeardKeyTable *heard;
    uint8_t heard_count;
    uint16_t lapse_ms;
    const NUVRIK_FLASH NuvrikHandsetTable *handset;
    const NUVRIK_FLASH NuvrikMachineTable *machine;
    const NUVRIK_FLASH NuvrikChannelTable *channels;
    uint8_t channels_count;
    const NUVRIK_FLASH NuvrikPinTable *pins;
    uint8_t pins_count;
    const NUVRIK_FLASH NuvrikMediumTable *medium;
    const NUVRIK_FLASH NuvrikLoopTable *loop;
} NuvrikReceiverTable;

/** One receiver. pass_time comes first in every turn of the loop. */
typedef struct {
    const NUVRIK_FLASH NuvrikReceiverTable *table;
    NuvrikInfraredReader reader;
    NuvrikHandset handset;
    NuvrikMachine machine;
    NuvrikPins pins[NUVRIK_MOST_PINS];
    NuvrikWrites writes;
    NuvrikAgain again;
    int32_t values[NUVRIK_MOST_CHANNELS];
    bool started;
    uint16_t now_ms;
    uint16_t silent_ms;
    bool lapsed;
} NuvrikReceiver;

void nuvrik_receiver_init(NuvrikReceiver *self, const NUVRIK_FLASH NuvrikReceiverTable *table);
void nuvrik_receiver_begin(NuvrikReceiver *self);
void nuvrik_receiver_pass_time(NuvrikReceiver *self, uint16_t now_ms);
void nuvrik_receiver_expire(NuvrikReceiver *self, uint16_t now_ms);
uint8_t nuvrik_receiver_take(NuvrikReceiver *self, bool mark, uint32_t us);
uint8_t nuvrik_receiver_hear(NuvrikReceiver *self, uint8_t event);
bool nuvrik_receiver_means(const NuvrikReceiver *self, const NUVRIK_FLASH NuvrikKeyCodeTable *code);
void nuvrik_receiver_press(NuvrikReceiver *self, uint8_t place, bool fresh);
bool nuvrik_receiver_act(NuvrikReceiver *self);
void nuvrik_receiver_turn(NuvrikReceiver *self);
void nuvrik_receiver_follow(NuvrikReceiver *self, uint8_t output);
void nuvrik_receiver_stop(NuvrikReceiver *self);
void nuvrik_receiver_own_stop(NuvrikReceiver *self, uint8_t number);
bool nuvrik_receiver_cap(NuvrikReceiver *self, uint8_t output, int16_t most);

/* ---- bridge ---- */

/** A bridge: a host that has no radio speaks to it over a wire, and it hands packets on to a module, and
 *  back.
 *
 *  It judges nothing. What is no whole piece, or longer than the module carries, goes no further; whatever
 *  a packet says, both ends of the link decide for themselves, and a bridge that has lost its host is
 *  silence.
 */

/** A bridge's part of a link: how frames come on the wire, how they go there, and the longest packet that
 *  the module carries.
 */
typedef struct {
    const NUVRIK_FLASH NuvrikIncomingTable *incoming;
    const NUVRIK_FLASH NuvrikSealedTable *sealed;
    const NUVRIK_FLASH NuvrikSenderTable *sender;
    uint8_t most;
} NuvrikBridgeTable;

/** One bridge. A packet for the module is in sealed.body, sealed.length bytes of it, when take gives True;
 *  bytes for the host are in sender.wire, sender.count of them, when end_packet does. dropped: pieces that
 *  went no further.
 */
typedef struct {
    const NUVRIK_FLASH NuvrikBridgeTable *table;
    NuvrikIncoming incoming;
    NuvrikSealed sealed;
    NuvrikSender sender;
    uint16_t size;
    uint16_t dropped;
} NuvrikBridge;

void nuvrik_bridge_init(NuvrikBridge *self, const NUVRIK_FLASH NuvrikBridgeTable *table);
bool nuvrik_bridge_take(NuvrikBridge *self, uint8_t byte);
void nuvrik_bridge_begin_packet(NuvrikBridge *self);
void nuvrik_bridge_packet_byte(NuvrikBridge *self, uint8_t byte);
bool nuvrik_bridge_end_packet(NuvrikBridge *self);

#ifdef __cplusplus
}
#endif

#endif
