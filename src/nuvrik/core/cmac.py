"""A message authentication code: AES-128-CMAC, as RFC 4493 has it, around the cipher of FIPS 197.

It works on bytes only. The round keys are made anew in each block, beside the round that needs them: keeping
all of them would save a tenth of the time and cost 160 bytes. A host and a board that have the cipher in
another language put that in place of ``encrypt``, and nothing else."""

from nuvrik.core.widths import Table, u8

BLOCK = 16
"""Bytes of a block, and of a key."""

ROUNDS = 10

FOLDS = 0x1B
"""What a bit that leaves a byte of a block comes back as: x^8 is x^4 + x^3 + x + 1."""

FOLDS_FAR = 0x87
"""The same of a whole block: x^128 is x^7 + x^2 + x + 1."""

PADS = 0x80
"""What follows a message that does not fill its last block."""


class CipherTable(Table):
    """What a byte is put in place of, 256 of them; none where a link has no key."""

    box: list[u8]


def doubled(byte: u8) -> u8:
    """A byte times x."""
    twice: u8 = (byte << 1) & 0xFF
    return twice ^ FOLDS if byte >= 128 else twice


class Cmac:
    """One key, and one message at a time: begin, byte for byte, finish; what it comes to is block."""

    def __init__(self, table: CipherTable) -> None:
        self.table: CipherTable = table
        self.key: list[u8] = [0] * BLOCK
        self.folded: list[u8] = [0] * BLOCK
        self.round: list[u8] = [0] * BLOCK
        self.block: list[u8] = [0] * BLOCK
        self.at: u8 = 0

    def set_key(self) -> None:
        """The key has been put into key."""
        self.begin()
        self.encrypt()
        self.fold(self.block)

    def fold(self, by: list[u8]) -> None:
        """A block times x, into folded, which may be that block itself."""
        most: u8 = by[0]
        for i in range(BLOCK - 1):
            self.folded[i] = ((by[i] << 1) + (by[i + 1] >> 7)) & 0xFF
        self.folded[BLOCK - 1] = (by[BLOCK - 1] << 1) & 0xFF
        if most >= 128:
            self.folded[BLOCK - 1] = self.folded[BLOCK - 1] ^ FOLDS_FAR

    def begin(self) -> None:
        """A new message."""
        for i in range(BLOCK):
            self.block[i] = 0
        self.at = 0

    def byte(self, value: u8) -> None:
        """One byte more. A block that is full waits: it may be the last, which is another."""
        if self.at == BLOCK:
            self.encrypt()
            self.at = 0
        self.block[self.at] = self.block[self.at] ^ value
        self.at += 1

    def finish(self) -> None:
        """The message is whole."""
        if self.at < BLOCK:
            self.block[self.at] = self.block[self.at] ^ PADS
            # Twice folded, without keeping it.
            carry: u8 = FOLDS_FAR if self.folded[0] >= 128 else 0
            for i in range(BLOCK):
                next: u8 = self.folded[i + 1] if i < BLOCK - 1 else 0
                twice: u8 = ((self.folded[i] << 1) + (next >> 7)) & 0xFF
                self.block[i] = self.block[i] ^ twice
            self.block[BLOCK - 1] = self.block[BLOCK - 1] ^ carry
        else:
            for i in range(BLOCK):
                self.block[i] = self.block[i] ^ self.folded[i]
        self.encrypt()

    def encrypt(self) -> None:
        """The block, enciphered in place with the key."""
        for i in range(BLOCK):
            self.round[i] = self.key[i]
        self.add_round()
        turn: u8 = 1
        for i in range(ROUNDS):
            self.next_round(turn)
            turn = doubled(turn)
            self.substitute()
            if i < ROUNDS - 1:
                self.mix()
        self.add_round()

    def add_round(self) -> None:
        """The round key into the block."""
        for i in range(BLOCK):
            self.block[i] = self.block[i] ^ self.round[i]

    def next_round(self, turn: u8) -> None:
        """The round key that follows."""
        self.round[0] = self.round[0] ^ self.table.box[self.round[13]] ^ turn
        self.round[1] = self.round[1] ^ self.table.box[self.round[14]]
        self.round[2] = self.round[2] ^ self.table.box[self.round[15]]
        self.round[3] = self.round[3] ^ self.table.box[self.round[12]]
        for i in range(BLOCK - 4):
            self.round[i + 4] = self.round[i + 4] ^ self.round[i]

    def substitute(self) -> None:
        """Every byte by the box, and row r of the block r places on."""
        for i in range(4):
            self.block[4 * i] = self.table.box[self.block[4 * i]]
        first: u8 = self.block[1]
        self.block[1] = self.table.box[self.block[5]]
        self.block[5] = self.table.box[self.block[9]]
        self.block[9] = self.table.box[self.block[13]]
        self.block[13] = self.table.box[first]
        for i in range(2):
            first = self.block[4 * i + 2]
            self.block[4 * i + 2] = self.table.box[self.block[4 * i + 10]]
            self.block[4 * i + 10] = self.table.box[first]
        first = self.block[15]
        self.block[15] = self.table.box[self.block[11]]
        self.block[11] = self.table.box[self.block[7]]
        self.block[7] = self.table.box[self.block[3]]
        self.block[3] = self.table.box[first]

    def mix(self) -> None:
        """Every column of the block, times a polynomial; and the round key, which is at hand."""
        for i in range(4):
            at: u8 = 4 * i
            a: u8 = self.block[at]
            b: u8 = self.block[at + 1]
            c: u8 = self.block[at + 2]
            d: u8 = self.block[at + 3]
            all: u8 = a ^ b ^ c ^ d
            self.block[at] = a ^ all ^ doubled(a ^ b) ^ self.round[at]
            self.block[at + 1] = b ^ all ^ doubled(b ^ c) ^ self.round[at + 1]
            self.block[at + 2] = c ^ all ^ doubled(c ^ d) ^ self.round[at + 2]
            self.block[at + 3] = d ^ all ^ doubled(d ^ a) ^ self.round[at + 3]
