/* The SPI bus, for a radio: mode 0, the highest bit first, at half of the chip's clock. */
#include "board_avr.h"

#if NUVRIK_SPI

static void make_output(uint8_t pin)
{
    BoardPlace place = board_place(pin);
    BOARD_UNDISTURBED(BOARD_DDR(place) |= place.mask);
}

void board_spi_begin(void)
{
    board_pin(BOARD_SPI_CLOCK, false);
    board_pin(BOARD_SPI_OUT, false);
    /* Low as an input, it would make the bus listen to somebody else. Whatever level it has, it keeps. */
    make_output(BOARD_SPI_SELECT);
    SPSR = (uint8_t)(1U << SPI2X);
    SPCR = (uint8_t)((1U << SPE) | (1U << MSTR));
}

void board_spi(uint8_t *box, uint8_t count)
{
    for (uint8_t i = 0; i < count; i++) {
        SPDR = box[i];
        while ((SPSR & (1U << SPIF)) == 0) {
        }
        box[i] = SPDR;
    }
}

#endif
