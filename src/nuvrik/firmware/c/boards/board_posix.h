/* What the posix board has besides: it is a process, with arguments, that may be asked to leave. */
#ifndef BOARD_POSIX_H
#define BOARD_POSIX_H

#include <stdbool.h>

#ifdef __cplusplus
extern "C" {
#endif

/* Before nuvrik_begin: --port DEVICE, and --log FILE for what is written to pins. Ends the program, with 2,
   if they make no sense or the port cannot be opened. */
void board_arguments(int count, char **words);

/* Whether somebody has asked it to leave, or the port has gone. */
bool board_leaves(void);

/* Between two turns: wait for a millisecond, or until something arrives. */
void board_wait(void);

/* After the last turn: 0, or 2 if the port has gone. */
int board_ended(void);

#ifdef __cplusplus
}
#endif

#endif
