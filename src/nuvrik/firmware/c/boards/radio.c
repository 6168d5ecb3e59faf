/* The radio module's driver: yours, written once and never touched again. As it is, it hears nothing. */
#include "radio.h"

#include "nuvrik.h"

void radio_begin(void)
{
}

uint8_t radio_receive(uint8_t *into)
{
    (void)into;
    return 0;
}

bool radio_send(const uint8_t *bytes, uint8_t count)
{
    (void)bytes;
    (void)count;
    return false;
}
