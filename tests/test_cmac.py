"""The cipher, the code and the frames of authenticated links, against what is published and worked out
elsewhere."""

import random

import pytest
from links import many
from links_with_key import EXAMPLE_KEY, example_ends

from nuvrik.core.cmac import CipherTable, Cmac
from nuvrik.plan.keys import Key
from nuvrik.plan.tables.session import substitutes
from nuvrik.wire.authenticated import _slow_tagger, key_id, tagger

VECTOR_KEY = bytes.fromhex("2b7e151628aed2a6abf7158809cf4f3c")
VECTOR = bytes.fromhex(
    "6bc1bee22e409f96e93d7e117393172aae2d8a571e03ac9c9eb76fac45af8e51"
    "30c81c46a35ce411e5fbc1191a0a52eff69f2445df4f9b17ad2b417be66c3710"
)


@pytest.mark.parametrize(
    ("length", "code"),
    [
        (0, "bb1d6929e95937287fa37d129b756746"),
        (16, "070a16b46b4d4144f79bdd9dd04a287c"),
        (40, "dfa66747de9ae63030ca32611497c827"),
        (64, "51f0bebf7e3b9d92fc49741779363cfe"),
    ],
)
def test_the_codes_of_rfc_4493(length: int, code: str) -> None:
    assert tagger(Key(VECTOR_KEY))(VECTOR[:length]).hex() == code
    assert _slow_tagger(Key(VECTOR_KEY))(VECTOR[:length]).hex() == code


def test_the_cipher_of_fips_197() -> None:
    core = Cmac(CipherTable(box=[*substitutes()]))
    core.key[:] = range(16)
    core.block[:] = bytes.fromhex("00112233445566778899aabbccddeeff")
    core.encrypt()
    assert bytes(core.block).hex() == "69c4e0d86a7b0430d8cdb78070b4c55a"


def test_core_and_a_library_come_to_the_same() -> None:
    pytest.importorskip("cryptography")
    rng = random.Random(11)
    for _ in range(many(300)):
        key, data = Key(rng.randbytes(16)), rng.randbytes(rng.randrange(70))
        assert tagger(key)(data) == _slow_tagger(key)(data)


def test_the_frames_that_the_documents_work_out() -> None:
    """Key 00 to 0F, M A1 to A8, N B1 to B8, pair 5A, layout BE4D: docs/wire-format.md."""
    handset, machine, sender = example_ends()
    assert machine.tags.cmac.key == list(EXAMPLE_KEY)
    assert handset.tags.key_id() == key_id(Key(EXAMPLE_KEY))
    handset.asked[:] = range(0xB1, 0xB9)
    handset.drawn()
    handset.ask(sender, 0)
    assert bytes(sender.wire[: sender.count]).hex() == "1c5a4d000000000002b1b2b3b4b5b6b7b89da9ee084c015c61"
    machine.nonce[:] = range(0xA1, 0xA9)
    machine.asked[:] = range(0xB1, 0xB9)
    machine.known, machine.own_low, machine.top_low = True, 0x11, 6
    machine.begin_answer(sender)
    machine.finish(sender, answers=True)
    made = bytes(sender.wire[: sender.count]).hex()
    assert made == "1c5a4d120000000003a1a2a3a4a5a6a7a8060000004dbe358ede6dfb1d3c00"
    machine.own_low = 0x1FD
    sender.begin(1)
    for byte in (0x0A, 0x87, 0x00):
        sender.byte(byte)
    machine.finish(sender, answers=False)
    assert bytes(sender.wire[: sender.count]).hex() == "195a4dfe010000000a870094121227da1dde91"
    handset.nonce[:] = range(0xA1, 0xA9)
    handset.own_low, handset.heard_low = 0x86, 0x1FE
    sender.begin(0)
    for byte in (0x4D, 0x07):
        sender.byte(byte)
    handset.finish(sender, 0)
    assert bytes(sender.wire[: sender.count]).hex() == "185a4d87000000fe4d07b5bb4640858224f6"
    sender.begin(5)
    handset.finish(sender, 5)
    assert bytes(sender.wire[: sender.count]).hex() == "1d5a4d8800000000faf1035399bbd2fb"
