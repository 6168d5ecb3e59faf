/* Where packets come from and go to: the board's radio module or line; or a module that knows only carrier on
   and carrier off, by one pin in and one pin out. */
#ifndef NUVRIK_KEYED_H
#define NUVRIK_KEYED_H

#include "nuvrik.h"

#if NUVRIK_KEYED
#define NUVRIK_TAKE_PACKET(into) nuvrik_keyed_packet(into)
#define NUVRIK_GIVE(bytes, count) nuvrik_keyed_give(bytes, count)
#else
#define NUVRIK_TAKE_PACKET(into) board_packet(into)
#define NUVRIK_GIVE(bytes, count) board_give(BOARD_LINK, bytes, count)
#endif

/* Begin with where the link listens and sends. */
void nuvrik_keyed_begin(const NUVRIK_FLASH NuvrikMediumTable *medium);

/* A packet that has arrived, put into `into`, and its length; 0 for none. */
uint8_t nuvrik_keyed_packet(uint8_t *into);

/* Send a packet, or say with false that the last one is still being sent; count 0 only asks. */
bool nuvrik_keyed_give(const uint8_t *bytes, uint16_t count);

/* In every turn of the loop: let the board have what comes next of the packet that is being sent. */
void nuvrik_keyed_turn(void);

#endif
