/* A link's end on a chip, for the builder's own program: begin once, then turn for ever.

       #include "nuvrik.h"
       int main(void)
       {
           nuvrik_begin();
           for (;;) {
               nuvrik_turn();
           }
       }

   Whatever else the loop does must come back within a few milliseconds: while it does not, nothing is heard
   and nothing can stop, until the watchdog resets the board. */
#ifndef NUVRIK_H
#define NUVRIK_H

#include "link_tables.h"
#include "nuvrik_board.h"
#include "nuvrik_core.h"

#ifdef __cplusplus
extern "C" {
#endif

/* At power-up, before anything else: every output off, then the board, then the link. */
void nuvrik_begin(void);

/* One turn: what has arrived, and once a tick the inputs, the outputs, and the watchdog. */
void nuvrik_turn(void);

/* For a program that has to leave: a turn in which a machine does not listen, and everything comes to rest as
   after a loss, and in which a handset sends arm off. True once that has been done. */
bool nuvrik_leave(void);

#if NUVRIK_IS_MACHINE || NUVRIK_IS_RECEIVER

/* NUVRIK_WAITING, NUVRIK_STANDBY, NUVRIK_ARMED, NUVRIK_FAILSAFE or NUVRIK_STOPPED. */
uint8_t nuvrik_state(void);

/* What a channel said last, in the form that a mix knows: a level or a share in 16384ths, a flag, a
   number. */
int32_t nuvrik_channel(uint8_t channel);

/* What an output is told now. */
const NuvrikDemand *nuvrik_told(uint8_t output);

#if !NUVRIK_IS_RECEIVER

/* ---- sensors, by the names that link_tables.h gives them ---- */

/* Tell what a sensor reads that the board does not read by itself; NUVRIK_NOTHING_THERE for nothing. */
void nuvrik_tell(uint8_t sensor, int32_t raw);

/* The same for one with three axes. */
void nuvrik_tell_axes(uint8_t sensor, int32_t x, int32_t y, int32_t z);

/* What a sensor read last, told or read by the board; NUVRIK_NOTHING_THERE for nothing yet. */
int32_t nuvrik_sensor(uint8_t sensor);

#endif

/* ---- the builder's own code: it may lessen and stop, and never start anything ---- */

/* Leave an output that turns no more than so much of full scale either way, 0 to 16384 (NUVRIK_FULL), from the
   next tick on and until it is said again; of several that are said between two ticks the least counts. Once 0
   has been left, and then more, the output counts again when its sticks have rested. A hold is left alone. It
   may be said from any hook. False, and nothing is done, for what does not turn; where the output is written
   as a constant, the compiler says so.

       if (nuvrik_sensor(NUVRIK_SENSOR_BATTERY) < 620) {
           nuvrik_limit(NUVRIK_OUTPUT_PORT_SCREW, NUVRIK_FULL / 2);
       } */
bool nuvrik_limit(uint8_t output, int16_t most);

/* Stop the machine as a stop frame does: at once, until it is armed again. why: a number of your own, 1 to 15,
   which `nuvrik hello` and the handset show. It may be called from any hook. */
void nuvrik_stop(uint8_t why);

#if !NUVRIK_IS_RECEIVER

/* For a board of your own that can measure it: its clock has lost more time, to code that keeps interrupts off,
   than interrupts_off_ms of the link file allows for. `nuvrik hello` says so. */
void nuvrik_lost_time(void);

/* From the hook of a request that moves something: let an output go so far, -16384 to 16384, until the next
   tick. Ramps and limits hold as ever. False, and nothing is done, from anywhere else: only a request that a
   handset has asked for may start something. */
bool nuvrik_move(uint8_t output, int16_t level);

#endif

/* Called at every tick, when it is decided what every output does and before a pin is written. What it sets on
   a pin of an output by itself lasts for a twentieth of a second, and for no time at a stop. */
void nuvrik_before_outputs(void);

#if defined(__GNUC__) && !defined(NUVRIK_OUTPUTS_C)
bool nuvrik_limit_of_a_place(void)
    __attribute__((error("nuvrik_limit is for what turns: a place or a switch has no way of being less")));
static inline __attribute__((always_inline)) bool nuvrik_limit_looked_at(uint8_t output, int16_t most)
{
    if (__builtin_constant_p(output) && !NUVRIK_OUTPUT_TURNS(output & 31U)) {
        return nuvrik_limit_of_a_place();
    }
    return nuvrik_limit(output, most);
}
#define nuvrik_limit nuvrik_limit_looked_at
#endif

#endif

#if NUVRIK_IS_HANDSET

#if !NUVRIK_IS_REMOTE

/* Whether arm is being sent on. */
bool nuvrik_armed(void);

#endif

/* Give a reading of a control that the board does not read by itself, by the name that link_tables.h gives it;
   of a key of a remote, how often it has arrived so far. */
void nuvrik_read(uint8_t control, int32_t raw);

/* ---- the builder's own code ---- */

/* Called when controls have been read, and before anything is made of them: the place for nuvrik_read. */
void nuvrik_before_frame(void);

#endif

#ifdef __cplusplus
}
#endif

#endif
