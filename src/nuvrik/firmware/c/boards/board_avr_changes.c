/* Interrupts on a change of a pin: whoever has asked for one looks whether it was theirs. */
#include "board_avr.h"

#if BOARD_WATCHED || NUVRIK_EDGE_PINS

ISR(PCINT0_vect)
{
#if BOARD_WATCHED
    board_inputs_changed();
#endif
#if NUVRIK_EDGE_PINS
    board_edges_changed();
#endif
}

ISR(PCINT1_vect, ISR_ALIASOF(PCINT0_vect));
ISR(PCINT2_vect, ISR_ALIASOF(PCINT0_vect));

#ifdef PORTK
ISR(INT0_vect, ISR_ALIASOF(PCINT0_vect));
ISR(INT1_vect, ISR_ALIASOF(PCINT0_vect));
ISR(INT2_vect, ISR_ALIASOF(PCINT0_vect));
ISR(INT3_vect, ISR_ALIASOF(PCINT0_vect));
ISR(INT4_vect, ISR_ALIASOF(PCINT0_vect));
ISR(INT5_vect, ISR_ALIASOF(PCINT0_vect));

void board_watch(BoardPlace place)
{
    if (place.port == &PORTB) {
        PCMSK0 |= place.mask;
        PCICR |= (uint8_t)(1U << PCIE0);
    } else if (place.port == &PORTJ) {
        PCMSK1 |= (uint8_t)(place.mask << 1);
        PCICR |= (uint8_t)(1U << PCIE1);
    } else if (place.port == &PORTK) {
        PCMSK2 |= place.mask;
        PCICR |= (uint8_t)(1U << PCIE2);
    } else if (place.port == &PORTD) {
        /* Both edges of INT0 to INT3, which are bits 0 to 3. */
        for (uint8_t i = 0; i < 4; i++) {
            EICRA |= (uint8_t)(place.mask & (1U << i) ? 1U << (2U * i) : 0U);
        }
        EIMSK |= place.mask;
    } else {
        /* INT4 and INT5 are bits 4 and 5 of port E. */
        EICRB |= (uint8_t)(place.mask & 0x10U ? 1U << ISC40 : 1U << ISC50);
        EIMSK |= place.mask;
    }
}
#else
void board_watch(BoardPlace place)
{
    if (place.port == &PORTB) {
        PCMSK0 |= place.mask;
        PCICR |= (uint8_t)(1U << PCIE0);
    } else if (place.port == &PORTC) {
        PCMSK1 |= place.mask;
        PCICR |= (uint8_t)(1U << PCIE1);
    } else {
        PCMSK2 |= place.mask;
        PCICR |= (uint8_t)(1U << PCIE2);
    }
}
#endif

#endif
