/* How tables are read. They never change, and on a small chip they stay in flash, which is not in memory
   there: in C the compiler knows of that, in C++ a read is a function of its own. Everywhere else it is a
   plain read. */
#ifndef NUVRIK_ROM_H
#define NUVRIK_ROM_H

#if defined(__AVR__) && defined(__FLASH) && !defined(__STRICT_ANSI__)
#define NUVRIK_FLASH __flash
#else
#define NUVRIK_FLASH
#endif

#if defined(__AVR__) && (!defined(__FLASH) || defined(__STRICT_ANSI__))
#include <avr/pgmspace.h>
#define NUVRIK_ROM PROGMEM
#define NUVRIK_U8(x) pgm_read_byte(&(x))
#define NUVRIK_I8(x) ((int8_t)pgm_read_byte(&(x)))
#define NUVRIK_U16(x) pgm_read_word(&(x))
#define NUVRIK_I16(x) ((int16_t)pgm_read_word(&(x)))
#define NUVRIK_U32(x) pgm_read_dword(&(x))
#define NUVRIK_I32(x) ((int32_t)pgm_read_dword(&(x)))
#define NUVRIK_P(x) ((__typeof__(x))pgm_read_ptr(&(x)))
#else
#define NUVRIK_ROM
#define NUVRIK_U8(x) (x)
#define NUVRIK_I8(x) (x)
#define NUVRIK_U16(x) (x)
#define NUVRIK_I16(x) (x)
#define NUVRIK_U32(x) (x)
#define NUVRIK_I32(x) (x)
#define NUVRIK_P(x) (x)
#endif

/* Room for none. In C a list of none is not allowed, but gcc for AVR has it, and there every byte counts.
   Elsewhere there is so much room for no bytes that no compiler warns of what is never done with them. */
#if defined(__AVR__) && defined(__GNUC__) && !defined(__STRICT_ANSI__) && !defined(__cplusplus)
#define NUVRIK_NONE 0
#define NUVRIK_NO_BYTES 0
#else
#define NUVRIK_NONE 1
#define NUVRIK_NO_BYTES 16
#endif

/* What a field comes to where that is known of the whole link. The table is named, so that no compiler takes
   it for forgotten, and not read. */
#define NUVRIK_KNOWN(table, value) (sizeof *(table) ? (value) : (value))

#endif
