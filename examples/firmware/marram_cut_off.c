/* A battery cut-off: below 10.5 V the screws are left half of full, below 9.9 V nothing. What has been left
   nothing turns again only once the sticks have rested: a battery recovers as soon as nothing draws on it, and a
   screw that starts again by itself is not what anybody asked for.

       nuvrik new marram.toml --like marram
       nuvrik export marram.toml --board atmega2560 --out firmware
       cp marram_cut_off.c firmware/main.c
       make -C firmware */
#include "nuvrik.h"

/* The link file says: 0 to 1023 are 0 to 12.75 V. */
#define VOLTS(volts) ((int32_t)((volts) * 1023 / 12.75))

void nuvrik_before_outputs(void)
{
    int32_t battery = nuvrik_sensor(NUVRIK_SENSOR_BATTERY);
    int16_t most = NUVRIK_FULL;
    if (battery < VOLTS(10.5)) {
        most = NUVRIK_FULL / 2;
    }
    if (battery < VOLTS(9.9)) {
        most = 0;
    }
    nuvrik_limit(NUVRIK_OUTPUT_PORT_SCREW, most);
    nuvrik_limit(NUVRIK_OUTPUT_STARBOARD_SCREW, most);
}

int main(void)
{
    nuvrik_begin();
    for (;;) {
        nuvrik_turn();
    }
}
