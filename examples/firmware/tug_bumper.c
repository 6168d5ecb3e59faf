/* A bumper that stops: a contact at the bow, which opens when it is touched, so that a broken wire stops too.
   The stop is that of a stop frame: at once, and until somebody arms again. 7 is what `nuvrik hello` and the
   handset then show.

       nuvrik new tug.toml --like tug
       nuvrik export tug.toml --board atmega328p --out firmware
       cp tug_bumper.c firmware/main.c
       make -C firmware */
#include "nuvrik.h"

/* A free pin, with the contact to ground: open reads 1. */
#define BUMPER 12

#define WHY_BUMPER 7

void nuvrik_before_outputs(void)
{
    /* The first call makes the pin an input, and has nothing to say yet. */
    if (board_input(BUMPER, BOARD_DIGITAL) == 1) {
        nuvrik_stop(WHY_BUMPER);
    }
}

int main(void)
{
    nuvrik_begin();
    for (;;) {
        nuvrik_turn();
    }
}
