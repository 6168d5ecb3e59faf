"""The tags of authenticated frames: what they cover, and which way a frame goes."""

from nuvrik.core.cmac import CipherTable, Cmac
from nuvrik.core.frames.sealed import HEAD, TAG, WRAP, Sealed
from nuvrik.core.frames.sender import Sender
from nuvrik.core.widths import u8, u16

NONCE = 8
"""Bytes of a nonce."""

TO_MACHINE = 1
TO_HANDSET = 2
ASKS = 3
ANSWERS = 4
"""Which way a frame goes, as its tag covers it."""


class Tags:
    """Tags of one key. nonce, way and H, whose halves are heard_low and heard_high: what a tag covers besides
    the frame. worked: one has been worked out."""

    def __init__(self, table: CipherTable) -> None:
        self.cmac: Cmac = Cmac(table)
        self.nonce: list[u8] = [0] * NONCE
        self.way: u8 = 0
        self.heard_low: u16 = 0
        self.heard_high: u16 = 0
        self.worked: bool = False

    def go(self, way: u8, nonce: list[u8]) -> None:
        """The next frame goes that way, with that nonce."""
        self.way = way
        for i in range(NONCE):
            self.nonce[i] = nonce[i]

    def key_id(self) -> u16:
        """A number by which the key is told from others."""
        self.cmac.begin()
        self.cmac.byte(105)
        self.cmac.byte(100)
        self.cmac.finish()
        return self.cmac.block[0] + (self.cmac.block[1] << 8)

    def took(self) -> bool:
        """Whether one has been worked out since this was asked last. A chip works out one in a turn: it takes
        as long as much else."""
        worked: bool = self.worked
        self.worked = False
        return worked

    def ask(self) -> None:
        """The next frame is a question: it has no nonce, and was made from nothing."""
        self.way = ASKS
        self.hear(0, 0)
        for i in range(NONCE):
            self.nonce[i] = 0

    def hear(self, high: u16, low: u16) -> None:
        """The next frame is made from the frame with that counter."""
        self.heard_low = low
        self.heard_high = high

    def word(self, value: u16) -> None:
        """Two bytes, the low one first."""
        self.cmac.byte(value & 0xFF)
        self.cmac.byte(value >> 8)

    def work_out(self, body: list[u8], high: u16, low: u16, first: u8, payload: u16) -> None:
        """The tag of a frame: its head, its counter, and its payload from first on."""
        self.worked = True
        self.cmac.begin()
        for i in range(NONCE):
            self.cmac.byte(self.nonce[i])
        self.cmac.byte(self.way)
        for i in range(HEAD):
            self.cmac.byte(body[i])
        self.cmac.byte(low >> 8)
        self.word(high)
        self.word(self.heard_low)
        self.word(self.heard_high)
        for i in range(payload):
            self.cmac.byte(body[first + i])
        self.cmac.finish()

    def match(self, sealed: Sealed) -> bool:
        """Whether a frame that has come carries its tag. Every byte is looked at, whatever the first says."""
        self.work_out(sealed.body, sealed.high, sealed.low, HEAD, sealed.payload)
        at: u16 = HEAD + WRAP + sealed.payload
        wrong: u8 = 0
        for i in range(TAG):
            wrong = wrong | (self.cmac.block[i] ^ sealed.body[at + i])
        return wrong == 0

    def finish(self, sender: Sender, high: u16, low: u16, heard: u8) -> None:
        """Give a frame that is filled its counter and its tag, and let it travel."""
        sender.body[3] = low & 0xFF
        sender.body[4] = low >> 8
        sender.body[5] = high & 0xFF
        sender.body[6] = high >> 8
        sender.body[7] = heard
        length: u8 = (sender.at + 7) >> 3
        self.work_out(sender.body, high, low, HEAD + WRAP, length - HEAD - WRAP)
        for i in range(TAG):
            sender.body[length + i] = self.cmac.block[i]
        sender.at += 8 * TAG
        sender.finish()
