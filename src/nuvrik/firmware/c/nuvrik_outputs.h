/* The outputs of a machine's end, for nuvrik_machine.c or nuvrik_receiver.c, whichever there is. */
#ifndef NUVRIK_OUTPUTS_H
#define NUVRIK_OUTPUTS_H

#include "nuvrik.h"

#if NUVRIK_IS_RECEIVER
extern NuvrikReceiver nuvrik_end;
#else
extern NuvrikMachineEnd nuvrik_end;
#endif

/* Carry out what outputs have been told, at once and in the order that core gives. */
void nuvrik_write_outputs(void);

/* Tell steppers that move by steps how many are left: that changes while their rate does not. */
void nuvrik_write_steps_left(void);

/* Every output off, before anything else runs. */
void nuvrik_write_nothing_on(void);

/* Whether nothing is driven any more. */
bool nuvrik_at_rest(void);

#endif
