/* A remote control: keys in, marks and spaces out. Nothing is decided here. */
#include "nuvrik.h"

#define NUVRIK_TABLE (&NUVRIK_LINK)

/* How often keys are read. */
#define READ_MS 5

/* How long the space behind a frame is sent; it lasts until the next one begins. */
#define OFF_US 1000

static NuvrikRemote remote;
static uint32_t read_ms;
static uint8_t sent;
static bool sending;

void nuvrik_begin(void)
{
    uint32_t boot = 0;
    board_begin();
    (void)board_start(&boot);
    nuvrik_remote_init(&remote, NUVRIK_TABLE);
    read_ms = board_now_ms();
}

void nuvrik_read(uint8_t control, int32_t raw)
{
    nuvrik_remote_read(&remote, control, (uint16_t)raw);
}

static void read_keys(void)
{
#if NUVRIK_INPUTS_COUNT
    for (uint8_t i = 0; i < NUVRIK_INPUTS_COUNT; i++) {
        /* A contact to ground. */
        if (board_input(NUVRIK_U8(NUVRIK_INPUT_PINS[i].pin), BOARD_DIGITAL) == 0) {
            nuvrik_remote_hold(&remote, NUVRIK_U8(NUVRIK_INPUT_PINS[i].control));
        }
    }
#endif
    nuvrik_before_frame();
}

void nuvrik_turn(void)
{
    uint32_t now_ms = board_now_ms();
    nuvrik_remote_pass_time(&remote, (uint16_t)(now_ms & 0xFFFFU));
    if (now_ms - read_ms >= READ_MS) {
        read_ms = now_ms;
        read_keys();
    }
    if (!sending && nuvrik_remote_send(&remote)) {
        sending = true;
        sent = 0;
    }
    /* Marks and spaces in turn, a mark first; behind the last mark the lamp goes off. */
    while (sending) {
        bool over = sent == remote.maker.count;
        uint16_t us = over ? OFF_US : remote.maker.times[sent];
        if (!board_emit(NUVRIK_MEDIUM_PIN_OUT(NUVRIK_REMOTE_MEDIUM(NUVRIK_TABLE)), !over && (sent & 1U) == 0, us,
                        NUVRIK_REMOTE_CARRIER_HZ(NUVRIK_TABLE))) {
            break;
        }
        sent++;
        sending = !over;
    }
    board_alive();
}

bool nuvrik_leave(void)
{
    return true;
}
