/* Made from core/levels.py, core/ramp.py, core/demand.py, core/motor.py, core/servo.py, core/watch.py by
   Nuvrik. Read it, step through it, port it, but do not edit it: the next making would undo that. */
#ifndef NUVRIK_CORE_H
#define NUVRIK_CORE_H

#include <stdbool.h>
#include <stdint.h>

#include "nuvrik_rom.h"

#ifdef __cplusplus
extern "C" {
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
    const NuvrikRampTable *table;
    int32_t fine;
} NuvrikSlew;

/** A slew that rests before it reverses: for what turns. A move across zero stops at zero, and the pause
 *  begins at that tick.
 */
typedef struct {
    const NuvrikRampTable *table;
    int32_t fine;
    int8_t last_sign;
    uint16_t at_rest_ms;
} NuvrikRamp;

int32_t nuvrik_toward(const NuvrikRampTable *table, int32_t here, int32_t goal, uint16_t dt_ms);
int16_t nuvrik_coarse(int32_t here);
int16_t nuvrik_change(const NuvrikRampTable *table, uint16_t dt_ms);
void nuvrik_slew_init(NuvrikSlew *self, const NuvrikRampTable *table);
int16_t nuvrik_slew_at(const NuvrikSlew *self);
void nuvrik_slew_put(NuvrikSlew *self, int16_t place);
bool nuvrik_slew_towards(NuvrikSlew *self, int16_t target, uint16_t dt_ms);
void nuvrik_ramp_init(NuvrikRamp *self, const NuvrikRampTable *table);
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
 *  whether both sides of the motor are joined.
 */
typedef struct {
    int16_t at;
    uint16_t value;
    int8_t way;
    bool driven;
    bool braked;
} NuvrikDemand;

void nuvrik_demand_init(NuvrikDemand *self);
void nuvrik_demand_put(NuvrikDemand *self, int16_t at, uint16_t value, int8_t way, bool driven, bool braked);

/* ---- motor ---- */

/** A motor behind its driver: from the level it is to have to the duty, the way and the brake now. */

/** A hold that ends says so for its last second: long enough to be seen, and to set the load down. */
#define NUVRIK_HOLD_ENDS_MS 1000

/** A corner of a motor's curve: a level, and the share of the duty above its start. */
typedef struct {
    int16_t x;
    int16_t y;
} NuvrikPoint;

/** One motor. facing: 1, or -1 where it is mounted the other way round. start, top, back_start, back_top:
 *  the least and the most duty either way (for pulses: microseconds beyond the pulse at rest). rest: the
 *  pulse at rest, 0 where duty is told. hold: the duty that holds a load, 0 for none. curve: its points.
 */
typedef struct {
    const NuvrikRampTable *ramp;
    int8_t facing;
    bool pulses;
    uint16_t rest;
    uint16_t start;
    uint16_t top;
    uint16_t back_start;
    uint16_t back_top;
    uint8_t points;
    const NuvrikPoint *curve;
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
    const NuvrikMotorTable *table;
    NuvrikRamp ramp;
    NuvrikDemand demand;
    bool armed;
    bool lost;
    bool has_turned;
    uint16_t held_ms;
} NuvrikMotor;

int16_t nuvrik_bent(const NuvrikMotorTable *table, int16_t size);
uint16_t nuvrik_above(int16_t size, uint16_t start, uint16_t top);
void nuvrik_motor_init(NuvrikMotor *self, const NuvrikMotorTable *table);
void nuvrik_motor_begin(NuvrikMotor *self);
void nuvrik_motor_idle(NuvrikMotor *self, bool braked);
void nuvrik_motor_tick(NuvrikMotor *self, int16_t target, bool asked, uint16_t dt_ms, uint8_t mode);
void nuvrik_motor_drive(NuvrikMotor *self, int16_t at);
void nuvrik_motor_pulse(NuvrikMotor *self, int16_t at);
bool nuvrik_motor_holding(const NuvrikMotor *self);
uint16_t nuvrik_motor_hold_left_ms(const NuvrikMotor *self);
bool nuvrik_motor_hold_ends(const NuvrikMotor *self);
void nuvrik_motor_keep_holding(NuvrikMotor *self, int16_t wanted, uint16_t dt_ms, uint8_t mode);
void nuvrik_motor_halt(NuvrikMotor *self);

/* ---- servo ---- */

/** What stands in a place, and what is off or on: servos and switches. */

enum {
    NUVRIK_STAYS = 0,
    NUVRIK_RELEASES = 1,
    NUVRIK_GOES = 2
};

/** One servo. facing: 1, or -1 where it is mounted the other way round. low and high: it never goes beyond
 *  these. on_loss: STAYS, RELEASES (no pulses) or GOES to lost_place. silent: no pulses until it is armed.
 */
typedef struct {
    const NuvrikRampTable *slew;
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

/** Goes to a place and stays there; outside ARMED it stays where it is. Where it stands before it has ever
 *  been ARMED nobody knows, so it gets no pulses until then, unless the link file has it centred.
 */
typedef struct {
    const NuvrikServoTable *table;
    NuvrikSlew slew;
    NuvrikDemand demand;
    int16_t goal;
    bool released;
    bool started;
} NuvrikServo;

/** One switch. holds: it stays on through a loss, and when arm goes off by itself. */
typedef struct {
    bool holds;
} NuvrikSwitchTable;

/** Off or on. It is on only while armed, unless it holds. */
typedef struct {
    const NuvrikSwitchTable *table;
    NuvrikDemand demand;
} NuvrikSwitch;

uint16_t nuvrik_pulse_at(const NuvrikServoTable *table, int16_t place);
void nuvrik_servo_init(NuvrikServo *self, const NuvrikServoTable *table);
void nuvrik_servo_begin(NuvrikServo *self);
void nuvrik_servo_tell(NuvrikServo *self);
void nuvrik_servo_tick(NuvrikServo *self, int16_t target, bool asked, uint16_t dt_ms, uint8_t mode);
void nuvrik_servo_halt(NuvrikServo *self);
void nuvrik_switch_init(NuvrikSwitch *self, const NuvrikSwitchTable *table);
void nuvrik_switch_put(NuvrikSwitch *self, bool on);
void nuvrik_switch_begin(NuvrikSwitch *self);
void nuvrik_switch_tick(NuvrikSwitch *self, int16_t target, bool asked, uint8_t mode);
void nuvrik_switch_halt(NuvrikSwitch *self);

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
    NUVRIK_WHY_ONE_MORE_AT_REST = 10
};

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
    const NuvrikCell *cells;
} NuvrikWatchTable;

/** The state of one machine, and why nothing moves: a code, the place of a channel, a number. */
typedef struct {
    const NuvrikWatchTable *table;
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
} NuvrikWatch;

void nuvrik_watch_init(NuvrikWatch *self, const NuvrikWatchTable *table);
bool nuvrik_watch_pass_time(NuvrikWatch *self, uint16_t dt_ms);
void nuvrik_watch_ticked(NuvrikWatch *self);
void nuvrik_watch_drive(NuvrikWatch *self, bool arm, uint8_t moved);
void nuvrik_watch_bare(NuvrikWatch *self, bool arm, uint8_t missing);
void nuvrik_watch_stop(NuvrikWatch *self);
void nuvrik_watch_happen(NuvrikWatch *self, uint8_t event, uint8_t place, uint16_t number);
void nuvrik_watch_carry_out(NuvrikWatch *self, const NuvrikCell *cell);
void nuvrik_watch_enter(NuvrikWatch *self, uint8_t state);
void nuvrik_watch_explain(NuvrikWatch *self, uint8_t event, const NuvrikCell *cell, uint8_t place,
    uint16_t number);
void nuvrik_watch_say(NuvrikWatch *self, uint8_t why, uint8_t place, uint16_t number);

#ifdef __cplusplus
}
#endif

#endif
