/* What there is on an ATmega328P, by the pin numbers that its usual boards print: 0 to 13, and 14 to 19 for
   A0 to A5. */
#ifndef BOARD_CHIP_H
#define BOARD_CHIP_H

/* pin, port, bit */
#define BOARD_PINS(X) \
    X(0, D, 0) X(1, D, 1) X(2, D, 2) X(3, D, 3) X(4, D, 4) X(5, D, 5) X(6, D, 6) X(7, D, 7) \
    X(8, B, 0) X(9, B, 1) X(10, B, 2) X(11, B, 3) X(12, B, 4) X(13, B, 5) \
    X(14, C, 0) X(15, C, 1) X(16, C, 2) X(17, C, 3) X(18, C, 4) X(19, C, 5)

/* pin, timer, channel */
#define BOARD_PWM_NARROW(X) X(5, 0, B) X(6, 0, A) X(3, 2, B) X(11, 2, A)
#define BOARD_PWM_WIDE(X) X(9, 1, A) X(10, 1, B)

/* Timers of 16 bits that may do PWM; board_avr.c leaves out the one that servos have. */
#define BOARD_WIDE_TIMERS(X) X(1)

#define BOARD_FIRST_ANALOG 14

#define BOARD_RX_VECT USART_RX_vect
#define BOARD_UDRE_VECT USART_UDRE_vect

#endif
