/* Two requests of the panel, as plain C functions: a routine that moves things, and a beep. Neither
   ever waits: what takes time does a little at every tick.

       nuvrik new panel.toml --like panel
       nuvrik export panel.toml --out firmware
       cp panel_requests.c firmware/main.c
       make -C firmware */
#include "nuvrik.h"

/* A free pin, with a buzzer between it and ground. */
#define BUZZER 13

#define TICKS(ms) ((uint16_t)((ms) / NUVRIK_TICK_MS))

/* `routine` moves, so it is only begun while the machine is armed; if that ends, or a hand takes over, it is
   called once more with `over` and everything has been let go already. number: which routine. */
uint8_t nuvrik_on_routine(NuvrikCall *call)
{
    static uint16_t ticks;
    if (call->over) {
        return NUVRIK_DONE;
    }
    if (call->first) {
        ticks = 0;
        if (call->arguments[0] != 1) {
            return NUVRIK_REFUSED;
        }
    }
    ticks++;
    if (ticks <= TICKS(400)) {
        nuvrik_move(NUVRIK_OUTPUT_FLAP, 12000);
    } else if (ticks <= TICKS(800)) {
        nuvrik_move(NUVRIK_OUTPUT_FLAP, -12000);
    } else {
        /* What the reply says: how many ticks it took. */
        call->value = ticks;
        return NUVRIK_DONE;
    }
    return NUVRIK_RUNNING;
}

static uint16_t beep_ticks;

/* `beep` moves nothing, so anybody may ask for it at any time. It is done at once; what it leaves to be done
   is done by the hook below, because a request that goes on ends with the right to move. times: how often. */
uint8_t nuvrik_on_beep(NuvrikCall *call)
{
    beep_ticks = (uint16_t)(2U * TICKS(100) * (uint16_t)call->arguments[0]);
    return NUVRIK_DONE;
}

/* At every tick, when it is decided what every output does and before a pin is written. */
void nuvrik_before_outputs(void)
{
    bool on = (beep_ticks / TICKS(100)) % 2 == 1;
    board_pin(BUZZER, on);
    if (beep_ticks > 0) {
        beep_ticks--;
    }
}

int main(void)
{
    nuvrik_begin();
    for (;;) {
        nuvrik_turn();
    }
}
