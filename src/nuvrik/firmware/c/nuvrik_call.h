/* Requests that the builder's own code carries out. */
#ifndef NUVRIK_CALL_H
#define NUVRIK_CALL_H

#include "nuvrik_core.h"

/* One call of a request. first: it has just been asked for; over: it may not go on, because the machine is
   not armed any more or has been told otherwise: put away what needs putting away, and return. So ends
   whatever goes on, whether it moves anything or not. value: what the reply says, to be set. */
typedef struct {
    uint8_t request;
    bool first;
    bool over;
    int32_t arguments[NUVRIK_MOST_ARGUMENTS];
    int32_t value;
} NuvrikCall;

/* A text among the arguments: so many bytes, two in each from number "first" on, and a zero behind them. */
static inline void nuvrik_call_text(const NuvrikCall *call, uint8_t first, uint8_t most, char *text)
{
    for (uint8_t i = 0; i < most; i++) {
        text[i] = (char)((uint16_t)call->arguments[first + i / 2] >> ((i & 1) * 8) & 0xFF);
    }
    text[most] = 0;
}

/* Carries out a request, a little at each call, and never waits. It gives NUVRIK_RUNNING to be called again
   at the next tick, or NUVRIK_DONE, NUVRIK_REFUSED or NUVRIK_FAILED. link_tables.h names one for each
   request. */
typedef uint8_t (*NuvrikHook)(NuvrikCall *call);

#endif
