/* A bridge between a host on a line and a radio module: what comes whole goes on, and nothing is judged. */
#include "nuvrik.h"

#define NUVRIK_MOST_TAKEN 64

static NuvrikBridge bridge;

void nuvrik_begin(void)
{
    board_begin();
    nuvrik_bridge_init(&bridge, &NUVRIK_LINK);
}

void nuvrik_turn(void)
{
    static uint8_t packet[NUVRIK_MOST_PACKET];
    for (uint8_t taken = 0; taken < NUVRIK_MOST_TAKEN; taken++) {
        int16_t byte = board_take(BOARD_HOST);
        if (byte < 0) {
            break;
        }
        if (nuvrik_bridge_take(&bridge, (uint8_t)byte)) {
            (void)board_give(BOARD_LINK, bridge.sealed.body, bridge.sealed.length);
        }
    }
    /* What comes while the line is busy waits in the module. */
    uint8_t count = (uint8_t)(board_give(BOARD_HOST, 0, 0) ? board_packet(packet) : 0U);
    if (count > 0) {
        nuvrik_bridge_begin_packet(&bridge);
        for (uint8_t i = 0; i < count; i++) {
            nuvrik_bridge_packet_byte(&bridge, packet[i]);
        }
        if (nuvrik_bridge_end_packet(&bridge)) {
            (void)board_give(BOARD_HOST, bridge.sender.wire, bridge.sender.count);
        }
    }
    board_alive();
}

bool nuvrik_leave(void)
{
    return true;
}
