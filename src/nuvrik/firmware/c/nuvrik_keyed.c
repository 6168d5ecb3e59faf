/* Levels of a pin to packets, and packets to levels. How bits lie in them is decided in core. */
#include "nuvrik_keyed.h"

/* Edges are taken a bounded number a turn, so that noise cannot keep a tick from coming. */
#define MOST_EDGES 64

static const NUVRIK_FLASH NuvrikMediumTable *its_medium;
static NuvrikOnOffReader reader;

void nuvrik_keyed_begin(const NUVRIK_FLASH NuvrikMediumTable *medium)
{
    its_medium = medium;
    nuvrik_on_off_reader_init(&reader, NUVRIK_MEDIUM_CARRIER(medium));
}

uint8_t nuvrik_keyed_packet(uint8_t *into)
{
    bool high = false;
    for (uint8_t taken = 0; taken < MOST_EDGES; taken++) {
        uint16_t us = board_edge(NUVRIK_MEDIUM_PIN_IN(its_medium), &high);
        if (us == 0) {
            return 0;
        }
        if (nuvrik_on_off_reader_take(&reader, high, us) && reader.length <= NUVRIK_MOST_PACKET) {
            for (uint8_t i = 0; i < reader.length; i++) {
                into[i] = reader.body[i];
            }
            return reader.length;
        }
    }
    return 0;
}

#if NUVRIK_EMIT_PINS

static NuvrikOnOffMaker maker;
static bool sending;
static uint16_t next_us;

bool nuvrik_keyed_give(const uint8_t *bytes, uint16_t count)
{
    if (sending) {
        return false;
    }
    if (count != 0) {
        nuvrik_on_off_maker_init(&maker, NUVRIK_MEDIUM_CARRIER(its_medium));
        nuvrik_on_off_maker_begin(&maker);
        for (uint16_t i = 0; i < count; i++) {
            nuvrik_on_off_maker_add(&maker, bytes[i]);
        }
        next_us = nuvrik_on_off_maker_next(&maker);
        sending = true;
    }
    return true;
}

void nuvrik_keyed_turn(void)
{
    while (sending && board_emit(NUVRIK_MEDIUM_PIN_OUT(its_medium), maker.is_mark, next_us, 0)) {
        next_us = nuvrik_on_off_maker_next(&maker);
        sending = next_us != 0;
    }
}

#else

bool nuvrik_keyed_give(const uint8_t *bytes, uint16_t count)
{
    (void)bytes;
    (void)count;
    return false;
}

void nuvrik_keyed_turn(void)
{
}

#endif
