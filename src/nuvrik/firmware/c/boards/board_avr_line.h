/* One UART: what arrives goes into a ring, and what is sent goes out from where it stands. Included once for each
   line that there is, with LINE as its number, LINE_BAUD and its two vectors. */
#define LINE_PASTE(a, b, c) a##b##c
#define LINE_NAMED(a, b, c) LINE_PASTE(a, b, c)
#define LINE_REGISTER(name, letter) LINE_NAMED(name, LINE, letter)
#define LINE_OF(name) LINE_NAMED(line, LINE, name)

#define RING 64U

/* The divisor that comes nearest, with 8 samples a bit, or with 16 where that is too much for its 12 bits; export
   has looked whether it is near enough. */
#define DIVISOR(samples) ((F_CPU + (samples) / 2UL * LINE_BAUD) / ((samples)*LINE_BAUD) - 1UL)
#define IN_EIGHT (DIVISOR(8UL) <= 4095UL)

static volatile uint8_t LINE_OF(_arrived)[RING];
static volatile uint8_t LINE_OF(_in);
static uint8_t LINE_OF(_out);
static const uint8_t *volatile LINE_OF(_next);
static const uint8_t *volatile LINE_OF(_end);

ISR(LINE_RX_VECT)
{
    uint8_t next = (uint8_t)((LINE_OF(_in) + 1U) & (RING - 1U));
    uint8_t byte = LINE_REGISTER(UDR, );
    /* What does not fit is lost, and with it the frame that it was part of: its check will not be right. */
    if (next != LINE_OF(_out)) {
        LINE_OF(_arrived)[LINE_OF(_in)] = byte;
        LINE_OF(_in) = next;
    }
}

ISR(LINE_UDRE_VECT)
{
    const uint8_t *next = LINE_OF(_next);
    LINE_REGISTER(UDR, ) = *next++;
    LINE_OF(_next) = next;
    if (next == LINE_OF(_end)) {
        LINE_REGISTER(UCSR, B) &= (uint8_t)~(1U << UDRIE0);
    }
}

static int16_t LINE_OF(_take)(void)
{
    if (LINE_OF(_out) == LINE_OF(_in)) {
        return -1;
    }
    uint8_t byte = LINE_OF(_arrived)[LINE_OF(_out)];
    LINE_OF(_out) = (uint8_t)((LINE_OF(_out) + 1U) & (RING - 1U));
    return byte;
}

static bool LINE_OF(_give)(const uint8_t *bytes, uint16_t count)
{
    /* The interrupt that sends is on for as long as there is something to send. */
    if (LINE_REGISTER(UCSR, B) & (1U << UDRIE0)) {
        return false;
    }
    if (count != 0) {
        LINE_OF(_next) = bytes;
        LINE_OF(_end) = bytes + count;
        /* Every byte stands in memory before the interrupt may look. */
        __asm__ volatile("" ::: "memory");
        LINE_REGISTER(UCSR, B) |= (uint8_t)(1U << UDRIE0);
    }
    return true;
}

/* The bits of its registers lie alike for all of them. */
static void LINE_OF(_begin)(void)
{
    LINE_REGISTER(UBRR, ) = (uint16_t)(IN_EIGHT ? DIVISOR(8UL) : DIVISOR(16UL));
    LINE_REGISTER(UCSR, A) = (uint8_t)(IN_EIGHT ? 1U << U2X0 : 0U);
    LINE_REGISTER(UCSR, C) = (uint8_t)((1U << UCSZ01) | (1U << UCSZ00));
    LINE_REGISTER(UCSR, B) = (uint8_t)((1U << RXEN0) | (1U << TXEN0) | (1U << RXCIE0));
}

#undef LINE_PASTE
#undef LINE_NAMED
#undef LINE_REGISTER
#undef LINE_OF
#undef RING
#undef DIVISOR
#undef IN_EIGHT
#undef LINE
#undef LINE_BAUD
#undef LINE_RX_VECT
#undef LINE_UDRE_VECT
