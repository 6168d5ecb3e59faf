/* A hook before outputs are written, on marram: a lamp says that something turns, or is about to, and another
   that the battery is low. Both are told by what has been decided, not by what a stick says.

       nuvrik new marram.toml --like marram
       nuvrik export marram.toml --board atmega2560 --out firmware
       cp marram_lamps.c firmware/main.c
       make -C firmware */
#include "nuvrik.h"

/* Free pins, each with a lamp and its resistor. */
#define TURNS_LAMP 30
#define LOW_LAMP 31

/* Counts of the converter: 10.5 V behind the divider that the link file describes. */
#define LOW 842

/* At every tick, when it is decided what every output does and before a pin is written. */
void nuvrik_before_outputs(void)
{
    bool turns = false;
    for (uint8_t output = NUVRIK_OUTPUT_PORT_SCREW; output <= NUVRIK_OUTPUT_WINCH; output++) {
        turns = turns || nuvrik_told(output)->driven;
    }
    board_pin(TURNS_LAMP, turns);
    /* A sensor by its name: what the board read last on its pin. */
    int32_t battery = nuvrik_sensor(NUVRIK_SENSOR_BATTERY);
    board_pin(LOW_LAMP, battery != NUVRIK_NOTHING_THERE && battery < LOW);
}

int main(void)
{
    nuvrik_begin();
    for (;;) {
        nuvrik_turn();
    }
}
