/* The radio module's driver, in radio.c: the builder's own. None of the four may wait. */
#ifndef RADIO_H
#define RADIO_H

#include <stdbool.h>
#include <stdint.h>

/* Make the module ready: nuvrik.h has its channel, group and address as NUVRIK_RADIO_CHANNEL, NUVRIK_RADIO_GROUP
   and NUVRIK_RADIO_ADDRESS. */
void radio_begin(void);

/* A packet that has arrived: put it into `into`, which has room for
   NUVRIK_MOST_PACKET bytes, and say how long it is; 0 for
   none. */
uint8_t radio_receive(uint8_t *into);

/* Whether the module would take a packet now. */
bool radio_free(void);

/* Send a packet: true if the module has taken it. */
bool radio_send(const uint8_t *bytes, uint8_t count);

#endif
