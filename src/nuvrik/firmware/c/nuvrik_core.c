/* Made from core/levels.py, core/ramp.py, core/demand.py, core/motor.py, core/servo.py, core/watch.py by
   Nuvrik. Read it, step through it, port it, but do not edit it: the next making would undo that. */
#include "nuvrik_core.h"

static int16_t nuvrik_abs16(int16_t x)
{
    return (int16_t)(x < 0 ? -x : x);
}

static int32_t nuvrik_abs32(int32_t x)
{
    return (int32_t)(x < 0 ? -x : x);
}

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
    return (uint16_t)((dt_ms > room) ? NUVRIK_TIMER_MAX : ((int32_t)timer + dt_ms));
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

/* ---- ramp ---- */

/** How far from here towards a goal dt_ms reaches. */
int32_t nuvrik_toward(const NuvrikRampTable *table, int32_t here, int32_t goal, uint16_t dt_ms)
{
    if (NUVRIK_U32(table->rate) == 0 || goal == here) {
        return goal;
    }
    /* A gap in the loop longer than the whole way must not overflow the product. */
    uint16_t capped = (dt_ms < NUVRIK_U16(table->dt_most)) ? dt_ms : NUVRIK_U16(table->dt_most);
    int32_t reach = (int32_t)NUVRIK_U32(table->rate) * capped;
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
int16_t nuvrik_change(const NuvrikRampTable *table, uint16_t dt_ms)
{
    if (NUVRIK_U32(table->rate) == 0) {
        return NUVRIK_FULL;
    }
    uint16_t capped = (dt_ms < NUVRIK_U16(table->dt_most)) ? dt_ms : NUVRIK_U16(table->dt_most);
    int32_t way = (int32_t)NUVRIK_U32(table->rate) * capped;
    uint32_t reach = (uint32_t)(((way + NUVRIK_FINE) - 1) >> NUVRIK_FINE_BITS);
    return (int16_t)(((int32_t)reach < NUVRIK_FULL) ? reach : NUVRIK_FULL);
}

void nuvrik_slew_init(NuvrikSlew *self, const NuvrikRampTable *table)
{
    self->table = table;
    self->fine = 0;
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

void nuvrik_ramp_init(NuvrikRamp *self, const NuvrikRampTable *table)
{
    self->table = table;
    self->fine = 0;
    self->last_sign = 0;
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
        || self->at_rest_ms >= NUVRIK_U16(self->table->pause_ms)) {
        return 0;
    }
    return (uint16_t)((int32_t)NUVRIK_U16(self->table->pause_ms) - self->at_rest_ms);
}

/** At once to zero, without a ramp. */
void nuvrik_ramp_halt(NuvrikRamp *self)
{
    if (self->fine != 0) {
        self->fine = 0;
        self->at_rest_ms = 0;
    }
}

/** Move towards a level; whether it moved at all. */
bool nuvrik_ramp_towards(NuvrikRamp *self, int16_t target, uint16_t dt_ms)
{
    int32_t here = self->fine;
    int32_t goal = (int32_t)target * NUVRIK_FINE;
    if (here == 0) {
        self->at_rest_ms = nuvrik_later(self->at_rest_ms, dt_ms);
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

void nuvrik_demand_init(NuvrikDemand *self)
{
    self->at = 0;
    self->value = 0;
    self->way = 0;
    self->driven = false;
    self->braked = false;
}

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

/** The size of a level after the motor's curve, which has points. */
int16_t nuvrik_bent(const NuvrikMotorTable *table, int16_t size)
{
    const NuvrikPoint *before = &NUVRIK_P(table->curve)[0];
    if (size <= NUVRIK_I16(before->x)) {
        return NUVRIK_I16(before->y);
    }
    for (uint8_t i = 0; i < NUVRIK_U8(table->points); i++) {
        const NuvrikPoint *corner = &NUVRIK_P(table->curve)[i];
        if (size <= NUVRIK_I16(corner->x)) {
            return nuvrik_between(size, NUVRIK_I16(before->x), NUVRIK_I16(before->y), NUVRIK_I16(corner->x),
                NUVRIK_I16(corner->y));
        }
        before = corner;
    }
    return NUVRIK_I16(before->y);
}

/** Duty for a size: nothing at rest, and from the start to the top beyond. */
uint16_t nuvrik_above(int16_t size, uint16_t start, uint16_t top)
{
    uint16_t room = (uint16_t)((int32_t)top - start);
    if (size <= 0) {
        return start;
    }
    int32_t area = (int32_t)size * room;
    /* FULL is a power of two, so rounding is a shift: a division is the slowest thing a chip does. */
    uint16_t grown = (uint16_t)((area + (NUVRIK_FULL / 2)) >> NUVRIK_FULL_BITS);
    return (uint16_t)((int32_t)start + grown);
}

void nuvrik_motor_init(NuvrikMotor *self, const NuvrikMotorTable *table)
{
    self->table = table;
    nuvrik_ramp_init(&self->ramp, NUVRIK_P(table->ramp));
    nuvrik_demand_init(&self->demand);
    self->armed = false;
    self->lost = false;
    self->has_turned = false;
    self->held_ms = 0;
}

/** At power-up: off, as the driver is to be told. */
void nuvrik_motor_begin(NuvrikMotor *self)
{
    nuvrik_motor_idle(self, NUVRIK_U8(self->table->brakes_idle));
}

/** Let no power make it turn. A speed controller is told its pulse at rest all the time: without pulses it
 *  would beep or sleep.
 */
void nuvrik_motor_idle(NuvrikMotor *self, bool braked)
{
    if (NUVRIK_U8(self->table->pulses)) {
        nuvrik_demand_put(&self->demand, 0, NUVRIK_U16(self->table->rest), 1, false, braked);
    } else {
        nuvrik_demand_put(&self->demand, 0, 0, 0, false, braked);
    }
}

/** One turn of the loop: follow target, if it is asked for and the mode lets it; else come to rest. */
void nuvrik_motor_tick(NuvrikMotor *self, int16_t target, bool asked, uint16_t dt_ms, uint8_t mode)
{
    int16_t wanted = (asked && mode == NUVRIK_FOLLOW) ? target : 0;
    if (mode != NUVRIK_FOLLOW) {
        self->armed = false;
        self->has_turned = false;
        if (mode == NUVRIK_LOST && !NUVRIK_U8(self->table->ramps_on_loss)) {
            /* Halted, and then moved by nothing, so that the time at rest counts from this tick. */
            nuvrik_ramp_halt(&self->ramp);
            (void)nuvrik_ramp_towards(&self->ramp, 0, dt_ms);
            nuvrik_motor_idle(self, NUVRIK_U8(self->table->brakes_lost));
            self->lost = true;
            return;
        }
    }
    if (self->lost) {
        self->lost = false;
        nuvrik_motor_idle(self, NUVRIK_U8(self->table->brakes_idle));
    } else if (!self->armed) {
        /* A load that is up when the machine is armed may have to be held from then on. */
        self->armed = true;
        self->has_turned = NUVRIK_U8(self->table->hold_from_arming);
        self->held_ms = 0;
    }
    bool moved = nuvrik_ramp_towards(&self->ramp, wanted, dt_ms);
    if (moved) {
        nuvrik_motor_drive(self, nuvrik_coarse(self->ramp.fine));
        self->has_turned = true;
        self->held_ms = 0;
    }
    if (NUVRIK_U16(self->table->hold) != 0 && self->ramp.fine == 0) {
        /* In the tick that reaches rest too: a gap of one tick lets the load drop a little each time. */
        nuvrik_motor_keep_holding(self, wanted, (uint16_t)(moved ? 0 : dt_ms), mode);
    }
}

/** Tell the driver a level. */
void nuvrik_motor_drive(NuvrikMotor *self, int16_t at)
{
    if (at == 0) {
        nuvrik_motor_idle(self, NUVRIK_U8(self->table->brakes_idle));
    } else if (NUVRIK_U8(self->table->pulses)) {
        nuvrik_motor_pulse(self, at);
    } else {
        int16_t size = nuvrik_abs16(at);
        if (NUVRIK_U8(self->table->points) != 0) {
            size = nuvrik_bent(self->table, size);
        }
        uint16_t duty = nuvrik_above(size, NUVRIK_U16(self->table->start), NUVRIK_U16(self->table->top));
        int8_t way = (int8_t)((at > 0) ? NUVRIK_I8(self->table->facing)
            : (-(int16_t)NUVRIK_I8(self->table->facing)));
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
    if ((at > 0) == (NUVRIK_I8(self->table->facing) > 0)) {
        uint16_t ahead = nuvrik_above(nuvrik_abs16(at), NUVRIK_U16(self->table->start),
            NUVRIK_U16(self->table->top));
        nuvrik_demand_put(&self->demand, at, (uint16_t)((int32_t)NUVRIK_U16(self->table->rest) + ahead), 1,
            ahead != 0, false);
    } else {
        uint16_t back = nuvrik_above(nuvrik_abs16(at), NUVRIK_U16(self->table->back_start),
            NUVRIK_U16(self->table->back_top));
        nuvrik_demand_put(&self->demand, at, (uint16_t)((int32_t)NUVRIK_U16(self->table->rest) - back), 1,
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
    return (uint16_t)((self->held_ms < NUVRIK_U16(self->table->hold_ms))
        ? ((int32_t)NUVRIK_U16(self->table->hold_ms) - self->held_ms) : 0);
}

/** Whether it holds a load and will let go of it within HOLD_ENDS_MS. */
bool nuvrik_motor_hold_ends(const NuvrikMotor *self)
{
    return nuvrik_motor_holding(self) && NUVRIK_U16(self->table->hold_ms) != 0
        && nuvrik_motor_hold_left_ms(self) <= NUVRIK_HOLD_ENDS_MS;
}

/** Hold what has been moved since arming while nothing is asked of it, for hold_ms if there is a limit. A
 *  reverse pause wins: the driver may not be made to push the other way yet.
 */
void nuvrik_motor_keep_holding(NuvrikMotor *self, int16_t wanted, uint16_t dt_ms, uint8_t mode)
{
    /* The time at rest counts whether or not it is held: a hold that has ended does not begin again. */
    self->held_ms = nuvrik_later(self->held_ms, dt_ms);
    bool goes_on = self->has_turned && (NUVRIK_U16(self->table->hold_ms) == 0
        || self->held_ms < NUVRIK_U16(self->table->hold_ms));
    bool hold = goes_on && mode == NUVRIK_FOLLOW && wanted == 0;
    if (hold && nuvrik_ramp_pause_left(&self->ramp, NUVRIK_I8(self->table->hold_toward)) != 0) {
        hold = false;
    }
    if (hold && !nuvrik_motor_holding(self)) {
        nuvrik_demand_put(&self->demand, 0, NUVRIK_U16(self->table->hold),
            (int8_t)(NUVRIK_I8(self->table->facing) * NUVRIK_I8(self->table->hold_toward)), true, false);
    } else if (nuvrik_motor_holding(self) && !hold) {
        nuvrik_motor_idle(self, NUVRIK_U8(self->table->brakes_idle));
    }
}

/** To rest at once, without a ramp. */
void nuvrik_motor_halt(NuvrikMotor *self)
{
    nuvrik_ramp_halt(&self->ramp);
    self->armed = false;
    self->lost = false;
    self->has_turned = false;
    nuvrik_motor_idle(self, NUVRIK_U8(self->table->brakes_idle));
}

/* ---- servo ---- */

/** The pulse for a place, in microseconds. Each half of the travel has a length of its own. */
uint16_t nuvrik_pulse_at(const NuvrikServoTable *table, int16_t place)
{
    int16_t turned = (int16_t)(place * NUVRIK_I8(table->facing));
    uint16_t room = (uint16_t)((int32_t)NUVRIK_U16(table->pulse_high) - NUVRIK_U16(table->pulse_centre));
    if (turned < 0) {
        room = (uint16_t)((int32_t)NUVRIK_U16(table->pulse_centre) - NUVRIK_U16(table->pulse_low));
    }
    int32_t area = (int32_t)turned * room;
    int32_t away = nuvrik_div(area, NUVRIK_FULL);
    return (uint16_t)(NUVRIK_U16(table->pulse_centre) + away);
}

void nuvrik_servo_init(NuvrikServo *self, const NuvrikServoTable *table)
{
    self->table = table;
    nuvrik_slew_init(&self->slew, NUVRIK_P(table->slew));
    nuvrik_demand_init(&self->demand);
    self->goal = 0;
    self->released = NUVRIK_U8(table->silent);
    self->started = !NUVRIK_U8(table->silent);
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

/** One turn of the loop: go towards target, if it is asked for and the mode lets it; else stay. */
void nuvrik_servo_tick(NuvrikServo *self, int16_t target, bool asked, uint16_t dt_ms, uint8_t mode)
{
    if (mode == NUVRIK_FOLLOW) {
        self->released = false;
        self->started = true;
        if (asked) {
            self->goal = (int16_t)nuvrik_clamp(target, NUVRIK_I16(self->table->low),
                NUVRIK_I16(self->table->high));
        }
    } else if (mode == NUVRIK_LOST && self->started) {
        /* One that was never armed gets no pulses for being lost either. */
        self->released = NUVRIK_U8(self->table->on_loss) == NUVRIK_RELEASES;
        if (NUVRIK_U8(self->table->on_loss) == NUVRIK_GOES) {
            self->goal = NUVRIK_I16(self->table->lost_place);
        }
    }
    bool moved = nuvrik_slew_towards(&self->slew, self->goal, dt_ms);
    if (moved || self->released == (self->demand.value != 0)) {
        nuvrik_servo_tell(self);
    }
}

/** Stay where it is now. */
void nuvrik_servo_halt(NuvrikServo *self)
{
    /* Where it is on its way, not where it was going: a stop must not let it go on to its goal. */
    self->goal = nuvrik_slew_at(&self->slew);
}

void nuvrik_switch_init(NuvrikSwitch *self, const NuvrikSwitchTable *table)
{
    self->table = table;
    nuvrik_demand_init(&self->demand);
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
    } else if (mode == NUVRIK_SAFE || !NUVRIK_U8(self->table->holds)) {
        nuvrik_switch_put(self, false);
    }
}

/** Off. */
void nuvrik_switch_halt(NuvrikSwitch *self)
{
    nuvrik_switch_put(self, false);
}

/* ---- watch ---- */

void nuvrik_watch_init(NuvrikWatch *self, const NuvrikWatchTable *table)
{
    self->table = table;
    self->state = NUVRIK_WAITING;
    self->why = NUVRIK_WHY_FIRST_FRAME;
    self->place = NUVRIK_NOBODY;
    self->number = 0;
    self->run = 0;
    self->off_seen = 0;
    self->counted = false;
    /* Before the first drive frame there is nothing yet that a silence could end. */
    self->silent = true;
    self->driven_ms = NUVRIK_TIMER_MAX;
    self->entered_ms = 0;
}

/** Let dt_ms go by, before anything that arrived in that time is looked at. True if a silence begins:
 *  there has now been no drive frame for timeout_ms, and the caller forgets the last sequence number,
 *  once. Were it forgotten at every call of a long silence, an old echo could be accepted every time.
 */
bool nuvrik_watch_pass_time(NuvrikWatch *self, uint16_t dt_ms)
{
    self->driven_ms = nuvrik_later(self->driven_ms, dt_ms);
    if (NUVRIK_U8(self->table->gives_up)) {
        /* First, because it leads to WAITING, where the silence that is judged next changes nothing more. */
        self->entered_ms = nuvrik_later(self->entered_ms, dt_ms);
        if (self->entered_ms >= NUVRIK_U16(self->table->give_up_ms)) {
            nuvrik_watch_happen(self, NUVRIK_GIVE_UP, NUVRIK_NOBODY, 0);
        }
    }
    if (self->driven_ms < NUVRIK_U16(self->table->timeout_ms)) {
        return false;
    }
    nuvrik_watch_happen(self, NUVRIK_SILENCE, NUVRIK_NOBODY, NUVRIK_U16(self->table->timeout_ms));
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
    if (!(arm || NUVRIK_U8(self->table->armless))) {
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
    if (arm || NUVRIK_U8(self->table->armless)) {
        nuvrik_watch_happen(self, NUVRIK_BARE_ON, missing, 0);
    } else {
        nuvrik_watch_happen(self, NUVRIK_BARE_OFF, missing, 0);
    }
}

/** A stop frame. */
void nuvrik_watch_stop(NuvrikWatch *self)
{
    nuvrik_watch_happen(self, NUVRIK_STOP, NUVRIK_NOBODY, 0);
}

/** Look an event up, do what its cell says, and say why nothing moves. */
void nuvrik_watch_happen(NuvrikWatch *self, uint8_t event, uint8_t place, uint16_t number)
{
    const NuvrikCell *cell = &NUVRIK_P(self->table->cells)[(event * NUVRIK_STATES) + self->state];
    if (NUVRIK_U8(cell->acts)) {
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
void nuvrik_watch_carry_out(NuvrikWatch *self, const NuvrikCell *cell)
{
    if (NUVRIK_U8(cell->to) != NUVRIK_NOWHERE) {
        nuvrik_watch_enter(self, NUVRIK_U8(cell->to));
    }
    /* The order matters: entering a state clears run and off_seen, and the cell may set them again. */
    if (NUVRIK_U8(cell->run) != NUVRIK_NOWHERE) {
        self->run = NUVRIK_U8(cell->run);
        self->counted = self->counted || NUVRIK_U8(cell->run) > 0;
    } else if (NUVRIK_U8(cell->counts_to) != NUVRIK_NOWHERE && !self->counted) {
        if (self->run < NUVRIK_U8(self->table->good_frames)) {
            self->run++;
        }
        self->counted = true;
    }
    if (NUVRIK_U8(cell->off_seen) != NUVRIK_NOWHERE) {
        self->off_seen = NUVRIK_U8(cell->off_seen);
    }
    if (NUVRIK_U8(cell->counts_to) < NUVRIK_STATES && self->run >= NUVRIK_U8(self->table->good_frames)) {
        nuvrik_watch_enter(self, NUVRIK_U8(cell->counts_to));
    }
    if (NUVRIK_U8(cell->edge_to) != NUVRIK_NOWHERE && (self->off_seen != 0
        || NUVRIK_U8(self->table->armless))) {
        nuvrik_watch_enter(self, NUVRIK_U8(cell->edge_to));
    }
}

/** Be in a state, with nothing counted yet. */
void nuvrik_watch_enter(NuvrikWatch *self, uint8_t state)
{
    /* Entering the state it is in (a stop in STOPPED) does not make it new: give_up counts on. */
    if (state != self->state) {
        self->entered_ms = 0;
    }
    self->state = state;
    self->run = 0;
    self->off_seen = 0;
}

/** Say why nothing moves, with the code that helps most. */
void nuvrik_watch_explain(NuvrikWatch *self, uint8_t event, const NuvrikCell *cell, uint8_t place,
    uint16_t number)
{
    if (self->state == NUVRIK_STOPPED) {
        nuvrik_watch_say(self, NUVRIK_WHY_STOPPED, NUVRIK_NOBODY, self->run);
    } else if (NUVRIK_U8(cell->counts_to) != NUVRIK_NOWHERE && self->run > 0
        && self->run < NUVRIK_U8(self->table->good_frames)) {
        nuvrik_watch_say(self, NUVRIK_WHY_GOOD_FRAMES, NUVRIK_NOBODY, self->run);
    } else if (event != NUVRIK_SILENCE || self->why != NUVRIK_WHY_FIRST_FRAME) {
        /* Before the first frame "no drive frame for 400 ms" would be true and would help nobody. */
        nuvrik_watch_say(self, NUVRIK_U8(cell->why), place, number);
    }
}

/** Keep a reason. */
void nuvrik_watch_say(NuvrikWatch *self, uint8_t why, uint8_t place, uint16_t number)
{
    self->why = why;
    self->place = place;
    self->number = number;
}

