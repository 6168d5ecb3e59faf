/* The usual hand-written way: a line of comma-separated text with an exclusive or over it, kept until it ends,
   then converted with the C library. */
#include <avr/io.h>
#include <stdlib.h>
#include <string.h>

#include "given.h"

static char line[40];
static uint8_t length;

static volatile int16_t throttle;
static volatile int16_t turn;
static volatile uint8_t arm;

static void read(void)
{
    char *star = strchr(line, '*');
    uint8_t check = 0;
    if (star == NULL || line[0] != 'M') {
        return;
    }
    for (char *at = line; at != star; at++) {
        check ^= (uint8_t)*at;
    }
    if (check != (uint8_t)strtol(star + 1, NULL, 16)) {
        return;
    }
    *star = 0;
    char *word = strtok(line + 2, ",");
    int16_t first = word ? atoi(word) : 0;
    word = strtok(NULL, ",");
    int16_t second = word ? atoi(word) : 0;
    word = strtok(NULL, ",");
    throttle = first;
    turn = second;
    arm = (uint8_t)(word ? atoi(word) : 0);
}

static __attribute__((noinline)) void take(uint8_t byte)
{
    if (byte == '\n') {
        line[length] = 0;
        read();
        length = 0;
    } else if (length < sizeof line - 1) {
        line[length++] = (char)byte;
    }
}

int main(void)
{
    FOR_EACH_GIVEN(take(byte));
    for (;;) {
    }
}
