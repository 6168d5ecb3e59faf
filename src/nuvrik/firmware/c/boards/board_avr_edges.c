/* Edges of one pin, by the clock's timer: 4 us at 16 MHz is a hundredth of the shortest mark of any remote
   control. */
#include "board_avr.h"

#if NUVRIK_EDGE_PINS

/* Some 18 ms of the densest code, and of a size that indices go round in. */
#define EDGES 32U

#define HIGH 0x8000U
#define MOST_COUNTS 0x7FFFU

#define SILENCE BOARD_COUNTS(BOARD_SILENCE_US)

static volatile uint16_t lengths[EDGES];
static volatile uint8_t lengths_in;
static uint8_t lengths_out;
static BoardPlace its_place;
static volatile uint16_t since;
static volatile bool is_high;

static bool reads_high(void)
{
    return (BOARD_IN(its_place) & its_place.mask) != 0;
}

void board_edges_changed(void)
{
    uint16_t now = board_counts();
    uint16_t count = (uint16_t)(now - since);
    uint8_t next = (uint8_t)((lengths_in + 1U) & (EDGES - 1U));
    if (reads_high() == is_high) {
        return;
    }
    /* What does not fit is lost, and with it the frame that it was part of. */
    if (next != lengths_out) {
        lengths[lengths_in] = (uint16_t)((count < MOST_COUNTS ? count : MOST_COUNTS) | (is_high ? HIGH : 0U));
        lengths_in = next;
    }
    is_high = !is_high;
    since = now;
}

static uint16_t in_us(uint16_t count)
{
    uint32_t us = (uint32_t)count * 64UL / (F_CPU / 1000000UL);
    return (uint16_t)(us > 65535UL ? 65535UL : us);
}

uint16_t board_edge(uint8_t pin, bool *high)
{
    if (its_place.port == 0) {
        its_place = board_place(pin);
        /* A pull-up, so that a wire that has come off is quiet. */
        BOARD_UNDISTURBED(*its_place.port |= its_place.mask; is_high = true; since = board_counts());
        board_watch(its_place);
        return 0;
    }
    if (lengths_out != lengths_in) {
        uint16_t length = lengths[lengths_out];
        lengths_out = (uint8_t)((lengths_out + 1U) & (EDGES - 1U));
        *high = (length & HIGH) != 0;
        length &= MOST_COUNTS;
        /* Two edges within one count are a glitch, and still two edges. */
        return length == 0 ? 1U : in_us(length);
    }
    bool lasts;
    BOARD_UNDISTURBED(lasts = lengths_out == lengths_in && (uint16_t)(board_counts() - since) >= SILENCE;
                      *high = is_high; if (lasts) { since = (uint16_t)(since + SILENCE); });
    return lasts ? (uint16_t)BOARD_SILENCE_US : 0U;
}

#endif
