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

/* From a hook: let an output go so far, -16384 to 16384, until the next tick. Ramps and limits hold as
   ever. */
void nuvrik_move(uint8_t output, int16_t level);

#endif

/* ---- the builder's own code ---- */

/* Called at every tick, when it is decided what every output does and before a pin is written. */
void nuvrik_before_outputs(void);

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
