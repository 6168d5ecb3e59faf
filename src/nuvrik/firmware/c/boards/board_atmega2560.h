/* What there is on an ATmega2560, by the pin numbers that its usual boards print: 0 to 53, and 54 to 69 for
   A0 to A15. */
#ifndef BOARD_CHIP_H
#define BOARD_CHIP_H

/* pin, port, bit */
#define BOARD_PINS(X) \
    X(0, E, 0) X(1, E, 1) X(2, E, 4) X(3, E, 5) X(4, G, 5) X(5, E, 3) X(6, H, 3) X(7, H, 4) X(8, H, 5) X(9, H, 6) \
    X(10, B, 4) X(11, B, 5) X(12, B, 6) X(13, B, 7) X(14, J, 1) X(15, J, 0) X(16, H, 1) X(17, H, 0) X(18, D, 3) \
    X(19, D, 2) X(20, D, 1) X(21, D, 0) X(22, A, 0) X(23, A, 1) X(24, A, 2) X(25, A, 3) X(26, A, 4) X(27, A, 5) \
    X(28, A, 6) X(29, A, 7) X(30, C, 7) X(31, C, 6) X(32, C, 5) X(33, C, 4) X(34, C, 3) X(35, C, 2) X(36, C, 1) \
    X(37, C, 0) X(38, D, 7) X(39, G, 2) X(40, G, 1) X(41, G, 0) X(42, L, 7) X(43, L, 6) X(44, L, 5) X(45, L, 4) \
    X(46, L, 3) X(47, L, 2) X(48, L, 1) X(49, L, 0) X(50, B, 3) X(51, B, 2) X(52, B, 1) X(53, B, 0) \
    X(54, F, 0) X(55, F, 1) X(56, F, 2) X(57, F, 3) X(58, F, 4) X(59, F, 5) X(60, F, 6) X(61, F, 7) \
    X(62, K, 0) X(63, K, 1) X(64, K, 2) X(65, K, 3) X(66, K, 4) X(67, K, 5) X(68, K, 6) X(69, K, 7)

/* pin, timer, channel */
#define BOARD_PWM_NARROW(X) X(4, 0, B) X(13, 0, A) X(9, 2, B) X(10, 2, A)
#define BOARD_PWM_WIDE(X) \
    X(11, 1, A) X(12, 1, B) X(5, 3, A) X(2, 3, B) X(3, 3, C) X(6, 4, A) X(7, 4, B) X(8, 4, C) X(46, 5, A) \
    X(45, 5, B) X(44, 5, C)

/* Timers of 16 bits that may do PWM; board_avr.c leaves out the one that servos have. */
#define BOARD_WIDE_TIMERS(X) X(1) X(3) X(4) X(5)

#define BOARD_FIRST_ANALOG 54

#define BOARD_RX_VECT USART0_RX_vect
#define BOARD_UDRE_VECT USART0_UDRE_vect

#endif
