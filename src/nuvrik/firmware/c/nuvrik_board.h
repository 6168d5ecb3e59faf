/* What a board does for a link: fourteen functions, and nothing that decides anything.

   A board is pins, timers, a line and a clock. Which motor may turn, how hard and for how long is decided in
   nuvrik.c; these functions only carry it out. Each says below what it must guarantee. None of them may
   wait: whatever takes longer than a moment goes on by itself, in an interrupt or in a timer.

   Pins go by the numbers that the link file gives them. board_pin, board_pwm, board_pulse and board_steps are
   first called before board_begin, with everything off, so that nothing runs before the outputs are safe. */
#ifndef NUVRIK_BOARD_H
#define NUVRIK_BOARD_H

#include <stdbool.h>
#include <stdint.h>

#ifdef __cplusplus
extern "C" {
#endif

/* Lines, as board_take and board_give number them. A board with one line has only the first. */
enum { BOARD_LINK = 0, BOARD_HOST = 1 };

/* What board_input reads. */
enum { BOARD_ANALOG = 0, BOARD_DIGITAL = 1, BOARD_COUNTER = 2, BOARD_LATCHED = 3 };

/* board_input has nothing to say yet, or never will. */
#define BOARD_UNREAD (INT32_C(-100001))

/* Make clock, lines, inputs and watchdog ready. The outputs have been set to off already. The watchdog must
   reset the board if board_alive is not called for about a quarter of a second, or for three ticks where
   those are longer. */
void board_begin(void);

/* Why the board has started: 0 nobody knows, 1 power came, 2 reset by hand, 3 by the watchdog, 4 because the
   supply fell too low. *boot: a number that was not there at any earlier start, or is not likely to have
   been. */
uint8_t board_start(uint32_t *boot);

/* Milliseconds since some moment. They go round at 2^32, never stand still and never go back. */
uint32_t board_now_ms(void);

/* The next byte that has arrived on a line, -1 for none. What arrives while nobody takes is kept, 64 bytes of
   it or more. */
int16_t board_take(uint8_t line);

/* Send bytes: all of them, or none and say so with false. Where the link goes in packets, they are one. They
   stay as they are until the line takes others, so that a board may send them from where they stand. count 0:
   send nothing, and say whether the line would take any. */
bool board_give(uint8_t line, const uint8_t *bytes, uint16_t count);

/* A packet that has arrived whole: how many bytes of it have been put into `into`, which has room for
   NUVRIK_MOST_PACKET; 0 for none. Only where the link goes in packets. */
uint8_t board_packet(uint8_t *into);

/* Set a pin high or low, at once, and make it an output if it is none yet: its level first. */
void board_pin(uint8_t pin, bool high);

/* Let a pin be high for `on` of each `most` counts. 0: low at once, whatever its timer is at; `most`:
   high. */
void board_pwm(uint8_t pin, uint16_t on, uint16_t most);

/* Give a pin a pulse of so many microseconds, about fifty times a second. 0: none any more, but never half of
   one. A new length counts from the next pulse on. */
void board_pulse(uint8_t pin, uint16_t us);

/* Let a stepper turn by so many steps a second. pins: one that steps a driver with each pulse, or four, the
   ends of the coils (A plus, A minus, B plus, B minus), for one phase after the other, backward where rate is
   below 0. The first call makes them outputs that are low. rate 0: no step, at once, and coils keep what they
   have until board_pin takes it from each of them. left: no more than so many steps from now on; -1: for ever.
   The pins are read before it returns. */
void board_steps(const uint8_t *pins, uint8_t count, int32_t rate, int32_t left);

/* What a pin reads: counts of its converter, 0 or 1, or edges counted since the start; BOARD_UNREAD where
   it has nothing to say yet. The first call for a pin makes it an input, one with a pull-up where it is
   digital. BOARD_LATCHED is digital, and a level that came and went since the last call is given once, if it
   lasted for a fifth of a millisecond: an end switch that is run over counts, and a spark does not. */
int32_t board_input(uint8_t pin, uint8_t what);

/* The microseconds from one edge to the next on a pin, the oldest first, and the level in between; 0 for none.
   The first call makes it an input with a pull-up. The edges of 10 ms are kept for whoever does not ask. A
   level that lasts is given in pieces of BOARD_SILENCE_US, so that a silence is known before it ends. */
uint16_t board_edge(uint8_t pin, bool *high);
enum { BOARD_SILENCE_US = 30000 };

/* Send one level more on a pin, so many microseconds of it, behind what is still to be sent; false where there
   is no room for it now. It keeps 16 of them at least. Behind the last the pin stays as it is. carrier_hz: a
   level that is high goes up and down so many times a second; 0: it is high. */
bool board_emit(uint8_t pin, bool high, uint16_t us, uint16_t carrier_hz);

/* The loop has made a whole turn. Nothing else may keep the watchdog from biting. */
void board_alive(void);

#ifdef __cplusplus
}
#endif

#endif
