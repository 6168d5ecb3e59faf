/* What the parts of the AVR board know of one another. */
#ifndef BOARD_AVR_H
#define BOARD_AVR_H

#include <avr/interrupt.h>
#include <avr/io.h>

#include "board_chip.h"
#include "nuvrik_board.h"
#include "nuvrik.h"

#ifndef F_CPU
#error "F_CPU says how many cycles a second there are; the Makefile defines it"
#endif

/* Where a pin is. DDR and PIN are one and two addresses below PORT on these chips. */
typedef struct {
    volatile uint8_t *port;
    uint8_t mask;
} BoardPlace;

BoardPlace board_place(uint8_t pin);

/* Make a pin an output that is low, or leave it low if it is one. */
void board_make_low(BoardPlace place);

void board_servos_begin(void);
void board_steppers_begin(void);
void board_spi_begin(void);

/* How many pins are looked at whenever one of them changes. */
#define BOARD_WATCHED (NUVRIK_COUNTER_PINS + NUVRIK_END_SWITCHES)

/* From now on, an interrupt at every change of a pin; and what is called then. */
void board_watch(BoardPlace place);
void board_inputs_changed(void);
void board_edges_changed(void);

/* Whether anything measures shorter times than milliseconds. */
#define BOARD_COUNTS_US (NUVRIK_END_SWITCHES || NUVRIK_EDGE_PINS)

/* Counts of timer 0, 4 us each at 16 MHz. Inside an interrupt, or where
   interrupts are off. */
uint16_t board_counts(void);

/* So many counts of it. */
#define BOARD_COUNTS(us) ((uint16_t)(F_CPU / 64000UL * (us) / 1000UL))

#define BOARD_DDR(place) (*((place).port - 1))
#define BOARD_IN(place) (*((place).port - 2))

/* For what an interrupt writes too. It keeps interrupts off for a few cycles only. */
#define BOARD_UNDISTURBED(...)   \
    do {                         \
        uint8_t kept_ = SREG;    \
        cli();                   \
        __VA_ARGS__;             \
        SREG = kept_;            \
    } while (0)

#endif
