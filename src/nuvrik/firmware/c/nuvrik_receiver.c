/* The machine's end of a remote control's link, turn by turn: marks and spaces in, pins out. Nothing is decided
   here. */
#include "nuvrik_outputs.h"

/* Noise, such as a lamp makes, is read a bounded amount a turn, so that it cannot keep a tick from coming. */
#define MOST_EDGES 64

#define NUVRIK_TABLE (&NUVRIK_LINK)

NuvrikReceiver nuvrik_end;
static NuvrikLoop loop;
static uint32_t before_ms;

void nuvrik_begin(void)
{
    uint32_t boot = 0;
    nuvrik_write_nothing_on();
    board_begin();
    (void)board_start(&boot);
    nuvrik_loop_init(&loop, NUVRIK_RECEIVER_LOOP(NUVRIK_TABLE));
    nuvrik_receiver_init(&nuvrik_end, NUVRIK_TABLE);
    nuvrik_receiver_begin(&nuvrik_end);
    before_ms = board_now_ms();
}

static void tick(void)
{
    nuvrik_receiver_turn(&nuvrik_end);
    nuvrik_before_outputs();
    nuvrik_write_outputs();
    board_alive();
}

static void take_what_came(void)
{
    const NUVRIK_FLASH NuvrikMediumTable *medium = NUVRIK_RECEIVER_MEDIUM(NUVRIK_TABLE);
    bool high = false;
    for (uint8_t taken = 0; taken < MOST_EDGES; taken++) {
        uint16_t us = board_edge(NUVRIK_MEDIUM_PIN_IN(medium), &high);
        if (us == 0) {
            return;
        }
        (void)nuvrik_receiver_take(&nuvrik_end, high == NUVRIK_MEDIUM_IN_HIGH(medium), us);
    }
}

void nuvrik_turn(void)
{
    uint32_t now_ms = board_now_ms();
    uint32_t gap_ms = now_ms - before_ms;
    before_ms = now_ms;
    if (nuvrik_loop_turn(&loop, (uint16_t)(gap_ms > 65535U ? 65535U : gap_ms)) == NUVRIK_EXPIRES) {
        nuvrik_receiver_expire(&nuvrik_end, (uint16_t)(now_ms & 0xFFFFU));
    } else {
        nuvrik_receiver_pass_time(&nuvrik_end, (uint16_t)(now_ms & 0xFFFFU));
    }
    take_what_came();
    if (nuvrik_loop_ticks(&loop)) {
        tick();
    }
}

bool nuvrik_leave(void)
{
    uint32_t now_ms = board_now_ms();
    uint32_t gap_ms = now_ms - before_ms;
    before_ms = now_ms;
    nuvrik_receiver_pass_time(&nuvrik_end, (uint16_t)(now_ms & 0xFFFFU));
    if (nuvrik_end.machine.watch.state == NUVRIK_ARMED) {
        nuvrik_receiver_expire(&nuvrik_end, (uint16_t)(now_ms & 0xFFFFU));
    }
    nuvrik_loop_turn(&loop, (uint16_t)gap_ms);
    if (nuvrik_loop_ticks(&loop)) {
        tick();
    }
    return nuvrik_at_rest();
}
