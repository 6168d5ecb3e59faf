/* A board that is a process: the line is a serial port, and what is written to pins is written to a log.

   The log is CSV, t_ms,pin,level: 0 or 1, counts of a PWM, microseconds of a pulse, or steps a second. */
#define _DEFAULT_SOURCE
#define _XOPEN_SOURCE 700

#include "board_posix.h"

#include <errno.h>
#include <fcntl.h>
#include <poll.h>
#include <signal.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <termios.h>
#include <time.h>
#include <unistd.h>

#include "nuvrik.h"
#if NUVRIK_HAS_KEY
#include "link_key.h"
#endif

static const struct {
    uint32_t baud;
    speed_t speed;
} SPEEDS[] = {
    {1200, B1200},   {2400, B2400},   {4800, B4800},     {9600, B9600},     {19200, B19200},
    {38400, B38400}, {57600, B57600}, {115200, B115200}, {230400, B230400},
};

static const char *port_name;
static FILE *record;
static int port = -1;
static bool gone;
static volatile sig_atomic_t asked;

static void ask_to_leave(int signal)
{
    (void)signal;
    asked = 1;
}

static void give_up(const char *what, const char *why)
{
    fprintf(stderr, NUVRIK_PROGRAM ": %s: %s\n", what, why);
    exit(2);
}

static void open_port(void)
{
    struct termios how;
    uint32_t baud = NUVRIK_LINK_BAUD;
    port = open(port_name, O_RDWR | O_NOCTTY | O_NONBLOCK);
    if (port < 0) {
        give_up(port_name, strerror(errno));
    }
    if (tcgetattr(port, &how) != 0) {
        give_up(port_name, "is no serial port");
    }
    how.c_iflag = 0;
    how.c_oflag = 0;
    how.c_lflag = 0;
    how.c_cflag = CS8 | CREAD | CLOCAL;
    how.c_cc[VMIN] = 0;
    how.c_cc[VTIME] = 0;
    for (unsigned i = 0; i < sizeof SPEEDS / sizeof SPEEDS[0]; i++) {
        if (SPEEDS[i].baud == baud) {
            cfsetispeed(&how, SPEEDS[i].speed);
            cfsetospeed(&how, SPEEDS[i].speed);
        }
    }
    if (tcsetattr(port, TCSANOW, &how) != 0) {
        give_up(port_name, strerror(errno));
    }
    tcflush(port, TCIOFLUSH);
}

void board_arguments(int count, char **words)
{
    const char *log_name = NULL;
    for (int i = 1; i < count; i++) {
        if (strcmp(words[i], "--port") == 0 && i + 1 < count) {
            port_name = words[++i];
        } else if (strcmp(words[i], "--log") == 0 && i + 1 < count) {
            log_name = words[++i];
        } else {
            give_up(words[i], "not understood; say --port DEVICE and, if you like, --log FILE");
        }
    }
    if (port_name == NULL) {
        give_up("--port", "missing; say on which device the other end is");
    }
    record = log_name == NULL ? stdout : fopen(log_name, "w");
    if (record == NULL) {
        give_up(log_name, strerror(errno));
    }
    fprintf(record, "t_ms,pin,level\n");
    open_port();
}

bool board_leaves(void)
{
    return asked != 0 || gone;
}

int board_ended(void)
{
    fflush(record);
    return gone ? 2 : 0;
}

void board_wait(void)
{
    struct pollfd wanted = {port, POLLIN, 0};
    fflush(record);
    if (gone || poll(&wanted, 1, 1) < 0 || (wanted.revents & (POLLHUP | POLLERR)) != 0) {
        /* A port that has hung up is always ready. */
        struct timespec a_moment = {0, 1000000};
        nanosleep(&a_moment, NULL);
    }
}

/* ---- what nuvrik_board.h asks for ---- */

void board_begin(void)
{
    struct sigaction how;
    memset(&how, 0, sizeof how);
    how.sa_handler = ask_to_leave;
    sigaction(SIGTERM, &how, NULL);
    sigaction(SIGINT, &how, NULL);
    how.sa_handler = SIG_IGN;
    sigaction(SIGPIPE, &how, NULL);
}

uint8_t board_start(uint32_t *boot)
{
    struct timespec now;
    clock_gettime(CLOCK_REALTIME, &now);
    *boot = (uint32_t)now.tv_sec * 1000U + (uint32_t)(now.tv_nsec / 1000000) + (uint32_t)getpid() * 65537U;
    return 1;
}

#if NUVRIK_HAS_KEY
uint8_t board_key(uint8_t at)
{
    return LINK_KEY[at];
}

void board_random(uint8_t *into)
{
    FILE *source = fopen("/dev/urandom", "rb");
    if (source == NULL || fread(into, 1, 8, source) != 8) {
        /* Without one, what was recorded before could be played back. */
        fprintf(stderr, NUVRIK_PROGRAM ": /dev/urandom: no random numbers, and so no link with a key\n");
        exit(2);
    }
    fclose(source);
}
#endif

uint32_t board_now_ms(void)
{
    struct timespec now;
    clock_gettime(CLOCK_MONOTONIC, &now);
    return (uint32_t)now.tv_sec * 1000U + (uint32_t)(now.tv_nsec / 1000000);
}

int16_t board_take(uint8_t line)
{
    static uint8_t kept[256];
    static int16_t count, at;
    if (line != BOARD_LINK || gone) {
        return -1;
    }
    if (at == count) {
        ssize_t got = read(port, kept, sizeof kept);
        at = 0;
        count = (int16_t)(got > 0 ? got : 0);
        if (got < 0 && errno != EAGAIN && errno != EINTR) {
            fprintf(stderr, NUVRIK_PROGRAM ": %s: %s\n", port_name, strerror(errno));
            gone = true;
        }
    }
    return (int16_t)(at < count ? kept[at++] : -1);
}

bool board_give(uint8_t line, const uint8_t *bytes, uint16_t count)
{
    static uint8_t waiting[512];
    static uint16_t left;
    if (line != BOARD_LINK || gone) {
        return false;
    }
    /* What a port takes only half of is kept, so that a frame is never cut. */
    bool takes = count == 0 ? left == 0 : (size_t)left + count <= sizeof waiting;
    if (takes && count != 0) {
        memcpy(waiting + left, bytes, count);
        left = (uint16_t)(left + count);
    }
    ssize_t sent = write(port, waiting, left);
    if (sent > 0) {
        left = (uint16_t)(left - sent);
        memmove(waiting, waiting + sent, left);
    }
    return takes;
}

static void note(uint8_t pin, uint32_t level)
{
    if (record != NULL) {
        fprintf(record, "%lu,%u,%lu\n", (unsigned long)board_now_ms(), (unsigned)pin, (unsigned long)level);
    }
}

void board_pin(uint8_t pin, bool high)
{
    note(pin, high ? 1U : 0U);
}

void board_pwm(uint8_t pin, uint16_t on, uint16_t most)
{
    (void)most;
    note(pin, on);
}

void board_pulse(uint8_t pin, uint16_t us)
{
    note(pin, us);
}

void board_steps(const uint8_t *pins, uint8_t count, int32_t rate, int32_t left)
{
    (void)count;
    (void)left;
    note(pins[0], (uint16_t)(rate < 0 ? -rate : rate));
}

int32_t board_input(uint8_t pin, uint8_t what)
{
    (void)pin;
    (void)what;
    return BOARD_UNREAD;
}

void board_alive(void)
{
}
