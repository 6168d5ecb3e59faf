/* A sensor that the board does not read by itself, told by its name: marram has no echo sounder yet, but a
   bumper at each side of the bow. A quay that is touched is two centimetres away; any other is nowhere.

       nuvrik new marram.toml --like marram
       nuvrik export marram.toml --board atmega2560 --out firmware
       cp marram_bumper.c firmware/main.c
       make -C firmware */
#include "nuvrik.h"

/* Free pins, each with a contact to ground. */
static const uint8_t BUMPERS[] = {32, 33};

#define TOUCHED_MM 20

void nuvrik_before_outputs(void)
{
    bool touched = false;
    for (uint8_t i = 0; i < sizeof BUMPERS; i++) {
        /* The first call makes the pin an input, and has nothing to say yet. */
        touched = touched || board_input(BUMPERS[i], BOARD_DIGITAL) == 0;
    }
    nuvrik_tell(NUVRIK_SENSOR_QUAY, touched ? TOUCHED_MM : NUVRIK_NOTHING_THERE);
}

int main(void)
{
    nuvrik_begin();
    for (;;) {
        nuvrik_turn();
    }
}
