/* From reset to main on a Cortex-M3: data into RAM, the rest of it to zeros. */
#include <stdint.h>
#include <string.h>

extern uint32_t start_of_data, end_of_data, data_in_flash, start_of_bss, end_of_bss, top_of_stack;
int main(void);
void board_each_ms(void) __attribute__((weak));
void begin_program(void);

static void stand_still(void)
{
    for (;;) {
    }
}

void board_each_ms(void)
{
}

void begin_program(void)
{
    memcpy(&start_of_data, &data_in_flash, (size_t)((char *)&end_of_data - (char *)&start_of_data));
    memset(&start_of_bss, 0, (size_t)((char *)&end_of_bss - (char *)&start_of_bss));
    (void)main();
    stand_still();
}

__attribute__((used, section(".vectors"))) static void (*const VECTORS[])(void) = {
    (void (*)(void)) & top_of_stack,
    begin_program,
    stand_still,
    stand_still,
    stand_still,
    stand_still,
    stand_still,
    0,
    0,
    0,
    0,
    stand_still,
    stand_still,
    0,
    stand_still,
    board_each_ms,
};
