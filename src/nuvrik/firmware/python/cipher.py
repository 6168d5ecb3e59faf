"""core/cmac.py on a board that has its cipher in C, several hundred times as fast. The rest is as it is
there, and has the same names: core's other routines look into it."""

from cryptolib import aes

ECB = 1


class Cmac:
    """One key, and one message at a time."""

    def __init__(self, *tables):
        self.key = bytearray(16)
        self.folded = bytearray(16)
        self.block = bytearray(16)
        self.at = 0
        self.cipher = None

    def set_key(self):
        """The key has been put into key."""
        self.cipher = None
        self.begin()
        self.encrypt()
        self.fold(self.block)

    def fold(self, by):
        """A block times x, into folded."""
        folded, most = self.folded, by[0]
        for i in range(15):
            folded[i] = (by[i] << 1) + (by[i + 1] >> 7) & 0xFF
        folded[15] = by[15] << 1 & 0xFF
        if most >= 128:
            folded[15] ^= 0x87

    def begin(self):
        """A new message."""
        block = self.block
        for i in range(16):
            block[i] = 0
        self.at = 0

    def byte(self, value):
        """One byte more."""
        if self.at == 16:
            self.encrypt()
            self.at = 0
        self.block[self.at] ^= value
        self.at += 1

    def finish(self):
        """The message is whole."""
        block, folded = self.block, self.folded
        if self.at < 16:
            block[self.at] ^= 0x80
            for i in range(15):
                block[i] ^= (folded[i] << 1) + (folded[i + 1] >> 7) & 0xFF
            block[15] ^= (folded[15] << 1 & 0xFF) ^ (0x87 if folded[0] >= 128 else 0)
        else:
            for i in range(16):
                block[i] ^= folded[i]
        self.encrypt()

    def encrypt(self):
        """The block, enciphered in place."""
        if self.cipher is None:
            self.cipher = aes(self.key, ECB)
        self.cipher.encrypt(self.block, self.block)
