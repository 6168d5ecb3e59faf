/* A receiver as a careful builder writes it by hand: frames kept apart by zeros (consistent overhead byte
   stuffing), CRC-16 over them, and the values stored. No sequence, no pair, no arming, nothing mixed. */
#include <avr/io.h>
#include <util/crc16.h>

#include "given.h"

static uint8_t frame[16];
static uint8_t length;
static uint8_t left;
static uint8_t begun;
static uint16_t crc;

static volatile int16_t throttle;
static volatile int16_t turn;
static volatile uint8_t arm;

static void keep(uint8_t byte)
{
    if (length < sizeof frame) {
        frame[length++] = byte;
    }
    crc = _crc_xmodem_update(crc, byte);
}

static __attribute__((noinline)) void take(uint8_t byte)
{
    if (byte == 0) {
        if (begun && left == 0 && length == 9 && crc == 0) {
            throttle = (int16_t)(frame[2] | (uint16_t)frame[3] << 8);
            turn = (int16_t)(frame[4] | (uint16_t)frame[5] << 8);
            arm = frame[6];
        }
        length = 0;
        left = 0;
        begun = 0;
        crc = 0xFFFF;
        return;
    }
    if (left == 0) {
        if (begun) {
            keep(0);
        }
        begun = 1;
        left = (uint8_t)(byte - 1);
        return;
    }
    left--;
    keep(byte);
}

int main(void)
{
    crc = 0xFFFF;
    FOR_EACH_GIVEN(take(byte));
    for (;;) {
    }
}
