/* A listener: what an infrared receiver sees, as text on the line. Marks are written with +, spaces with -, in
   microseconds; a line ends where nothing has come for a while, and the space that lasted so long begins the
   next. */
#include "nuvrik.h"

/* The densest code makes nine characters a millisecond, and a line of 57,600 baud takes six: a frame of it falls
   behind by 200, and a code that repeats itself has silence enough between. */
#define ROOM 512U

/* What is being sent is not free before all of it is, so it goes out in small pieces. */
#define MOST_AT_ONCE 32U

/* A number: sign, ten digits, and what stands behind it. */
#define LONGEST 12U

static uint8_t text[ROOM];
static uint16_t filled;
static uint16_t given;
static uint16_t giving;
static uint32_t lasted_us;
static bool was_high = true;
static bool ended;

static uint16_t room(void)
{
    return (uint16_t)((given - filled - 1U) & (ROOM - 1U));
}

static void put(uint8_t byte)
{
    text[filled] = byte;
    filled = (uint16_t)((filled + 1U) & (ROOM - 1U));
}

static void put_number(bool mark, uint32_t us, uint8_t behind)
{
    uint8_t digits[10];
    uint8_t count = 0;
    if (room() < LONGEST) {
        return;
    }
    do {
        digits[count++] = (uint8_t)('0' + us % 10U);
        us /= 10U;
    } while (us != 0);
    put((uint8_t)(mark ? '+' : '-'));
    while (count > 0) {
        put(digits[--count]);
    }
    put(behind);
}

/* So many microseconds more of a level. The receiver is low while it sees the carrier. */
static void hear(bool high, uint16_t us)
{
    if (high != was_high) {
        if (lasted_us != 0) {
            put_number(!was_high, lasted_us, ' ');
        }
        was_high = high;
        lasted_us = 0;
        ended = false;
    }
    if (lasted_us < UINT32_C(3600000000)) {
        lasted_us += us;
    }
    if (high && !ended && us >= BOARD_SILENCE_US && room() > LONGEST) {
        ended = true;
        put('\n');
    }
}

static void send(void)
{
    if (!board_give(BOARD_LINK, 0, 0)) {
        return;
    }
    given = (uint16_t)((given + giving) & (ROOM - 1U));
    giving = (uint16_t)((filled >= given ? filled : ROOM) - given);
    if (giving > MOST_AT_ONCE) {
        giving = MOST_AT_ONCE;
    }
    if (giving != 0) {
        (void)board_give(BOARD_LINK, text + given, giving);
    }
}

void nuvrik_begin(void)
{
    uint32_t boot = 0;
    board_begin();
    (void)board_start(&boot);
}

void nuvrik_turn(void)
{
    bool high = false;
    for (uint8_t taken = 0; taken < 64; taken++) {
        uint16_t us = board_edge(NUVRIK_EDGE_PIN, &high);
        if (us == 0) {
            break;
        }
        hear(high, us);
    }
    send();
    board_alive();
}

bool nuvrik_leave(void)
{
    return true;
}
