/* The radio module's driver: yours, written once and never touched again. As it is, it hears nothing and sends
   nothing, but it keeps the way of a packet in your program, so that what that takes of a chip is true.

   A driver that hears and sends looks like this:

       uint8_t radio_receive(uint8_t *into)
       {
           if (!module_has_packet()) {
               return 0;
           }
           return module_read(into, NUVRIK_MOST_PACKET);
       } */
#include "radio.h"

#include "nuvrik.h"

/* How long the packet is that has arrived. Nothing here ever sets it. */
static volatile uint8_t arrived;

void radio_begin(void)
{
}

uint8_t radio_receive(uint8_t *into)
{
    uint8_t count = arrived;
    for (uint8_t i = 0; i < count; i++) {
        into[i] = arrived;
    }
    return count;
}

bool radio_free(void)
{
    return arrived == 0;
}

bool radio_send(const uint8_t *bytes, uint8_t count)
{
    for (uint8_t i = 0; i < count; i++) {
        arrived = bytes[i];
    }
    arrived = 0;
    return true;
}
