/* Carries out the steps of a life, one after the other, as they come down a line, and says what comes back and what
   can be seen afterwards: what seen.py does, on a chip. Nothing here decides anything.

   A step is a number for its word, how many numbers follow (two bytes), and those, four bytes each, the lowest
   first. The answer is the same twice: what comes back, and what is seen. */
#include "core.c"

#define REGISTER(address) (*(volatile uint32_t *)(address))
#define UART_DATA REGISTER(0x40004000U)
#define UART_STATE REGISTER(0x40004004U)
#define UART_CONTROL REGISTER(0x40004008U)
#define UART_DIVISOR REGISTER(0x40004010U)

enum { BEGIN, TURN, STREAM, SLOTS, SKIP, PACKET, SEND, READING, AXES, WISH, OVER, EXPIRE, HALT, CAP, OWN };

static int32_t step[2048];
static int32_t back[2048];
static int32_t seen[512];
static uint16_t step_count, back_count, seen_count;

static uint8_t take(void)
{
    while ((UART_STATE & 2U) == 0) {
    }
    return (uint8_t)(UART_DATA & 0xFFU);
}

static void give(uint8_t byte)
{
    while ((UART_STATE & 1U) != 0) {
    }
    UART_DATA = byte;
}

static void give_all(const int32_t *numbers, uint16_t count)
{
    give((uint8_t)(count & 0xFFU));
    give((uint8_t)(count >> 8));
    for (uint16_t i = 0; i < count; i++) {
        uint32_t number = (uint32_t)numbers[i];
        for (uint8_t k = 0; k < 4; k++) {
            give((uint8_t)((number >> (8 * k)) & 0xFFU));
        }
    }
}

static void came(uint8_t event)
{
    if (event != 0) {
        back[back_count++] = event;
    }
}

/* The builder's own code says what the step says, whatever it is called for. */
static void told(uint8_t event)
{
#if HAS_CALLED
    if (nuvrik_end.calls) {
        nuvrik_end.calls = false;
        nuvrik_machine_called((uint8_t)step[1], step[2]);
    }
#endif
    came(event);
}

static void carry_out(uint8_t word)
{
    if (word == BEGIN) {
        memset(&nuvrik_end, 0, sizeof nuvrik_end);
        nuvrik_machine_end_init();
        nuvrik_machine_end_begin((uint16_t)step[0], (uint16_t)step[1], (uint8_t)step[2]);
        return;
    }
    if (word == HALT) {
        nuvrik_machine_end_halt();
        return;
    }
    if (word == CAP) {
        back[back_count++] = nuvrik_machine_end_cap((uint8_t)step[0], (int16_t)step[1]);
        return;
    }
    if (word == OWN) {
        nuvrik_machine_end_own_stop((uint8_t)step[0]);
        return;
    }
    if (word == EXPIRE) {
        nuvrik_machine_end_expire((uint16_t)step[0]);
        return;
    }
#if HAS_CALLED
    if (word == WISH) {
        nuvrik_machine_let_go();
        nuvrik_machine_wish((uint8_t)step[1], (int16_t)step[2]);
        return;
    }
    if (word == OVER) {
        nuvrik_machine_own_over((uint8_t)step[1], step[2]);
        return;
    }
#endif
    nuvrik_machine_end_pass_time((uint16_t)step[0]);
    if (word == TURN) {
        nuvrik_machine_end_turn();
#if HAS_TAKE
    } else if (word == STREAM) {
        for (uint16_t i = 3; i < step_count; i++) {
            told(nuvrik_machine_end_take((uint8_t)step[i]));
        }
#endif
#if HAS_SLOT
    } else if (word == SLOTS) {
        for (uint16_t i = 1; i < step_count; i++) {
            came(nuvrik_machine_end_slot((uint16_t)step[i]));
        }
#endif
#if HAS_TAKE
    } else if (word == SKIP) {
        nuvrik_machine_end_skip(true);
        for (uint16_t i = 1; i < step_count; i++) {
            came(nuvrik_machine_end_take((uint8_t)step[i]));
        }
        nuvrik_machine_end_skip(false);
#endif
#if HAS_END_PACKET
    } else if (word == PACKET) {
        nuvrik_machine_end_begin_packet();
        for (uint16_t i = 3; i < step_count; i++) {
            nuvrik_machine_end_packet_byte((uint8_t)step[i]);
        }
        told(nuvrik_machine_end_end_packet());
#endif
#if HAS_SEND
    } else if (word == SEND) {
        if (nuvrik_machine_end_send()) {
            for (uint16_t i = 0; i < nuvrik_end.sender.count; i++) {
                back[back_count++] = nuvrik_end.sender.wire[i];
            }
        }
#endif
#if HAS_TAKE_AXIS
    } else if (word == READING) {
        nuvrik_telling_take((uint8_t)step[1], step[2]);
#endif
#if HAS_TAKE_AXIS
    } else if (word == AXES) {
        for (uint8_t axis = 0; axis < 3; axis++) {
            nuvrik_telling_take_axis((uint8_t)step[1], axis, step[2 + axis]);
        }
#endif
    }
}

static void see(int32_t number)
{
    seen[seen_count++] = number;
}

static void look(void)
{
    see(nuvrik_end.machine.watch.state);
    see(nuvrik_end.machine.watch.why);
    see(nuvrik_end.machine.watch.place);
    see(nuvrik_end.machine.watch.number);
    see((int32_t)nuvrik_end.accepted);
    see(nuvrik_end.refused);
    static const uint8_t outputs[][2] = {OUTPUTS};
    for (uint8_t i = 0; i < sizeof outputs / sizeof outputs[0]; i++) {
        const NuvrikDemand *demand = nuvrik_outputs_told(i);
        see(demand->at);
        see(demand->value);
        see(demand->way);
        see(demand->driven);
        see(demand->braked);
#if HAS_STEPPERS
        if (outputs[i][0] == 2) {
            const NuvrikStepper *stepper = &nuvrik_end.machine.outputs.steppers[outputs[i][1]];
            see(stepper->steps_left);
            see((int32_t)stepper->whole);
            see(stepper->part);
        }
#endif
        if (!nuvrik_end.told) {
            see(0);
            continue;
        }
        nuvrik_machine_end_follow(i);
        see(nuvrik_end.writes.count);
        for (uint8_t k = 0; k < nuvrik_end.writes.count; k++) {
            see(nuvrik_end.writes.pin[k]);
            see(nuvrik_end.writes.level[k]);
        }
    }
    nuvrik_machine_end_written();
}

int main(void)
{
    UART_DIVISOR = 16;
    UART_CONTROL = 3;
    for (;;) {
        uint8_t word = take();
        step_count = take();
        step_count = (uint16_t)(step_count | (uint16_t)take() << 8);
        for (uint16_t i = 0; i < step_count; i++) {
            uint32_t number = 0;
            for (uint8_t k = 0; k < 4; k++) {
                number |= (uint32_t)take() << (8 * k);
            }
            step[i] = (int32_t)number;
        }
        back_count = 0;
        seen_count = 0;
        carry_out(word);
        look();
        give_all(back, back_count);
        give_all(seen, seen_count);
    }
}
