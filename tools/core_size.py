"""How much flash and RAM a machine's end of some links takes on an AVR, without a board.

    python tools/core_size.py [LINK ...]

Wants avr-gcc (`make toolchain`)."""

import subprocess
import sys
import tempfile
from pathlib import Path

import nuvrik
from nuvrik.export.native import C
from nuvrik.export.parts import defines
from nuvrik.export.program import Program
from nuvrik.export.tables_as_c import as_c
from nuvrik.plan.starters import starter_text
from nuvrik.plan.tables.ends import end_table

FLAGS = ("-mmcu=atmega2560", "-std=c99", "-Os", "-ffunction-sections", "-fdata-sections", "-Wl,--gc-sections")

PROGRAM = """
#include "nuvrik_core.h"
{table}
static NuvrikMachineEnd end;
/* In place of a board: whatever is written here may be anything, and must be done. */
volatile uint16_t now_ms;
volatile uint8_t byte;
volatile bool there, packets;

int main(void)
{{
    nuvrik_machine_end_init(&end, &LINK);
    nuvrik_machine_end_begin(&end, now_ms, now_ms, byte);
    for (;;) {{
        nuvrik_machine_end_pass_time(&end, now_ms);
        while (there) {{
            {take}
        }}
        {reading}
        nuvrik_machine_end_turn(&end);
        if (nuvrik_machine_end_send(&end))
            byte = end.sender.wire[end.sender.count - 1];
    }}
}}
"""

PACKET = """nuvrik_machine_end_begin_packet(&end);
            nuvrik_machine_end_packet_byte(&end, byte);
            nuvrik_machine_end_end_packet(&end);"""
STREAM = "nuvrik_machine_end_take(&end, byte);"
READING = "nuvrik_telling_take(&end.telling, byte, now_ms);"


def size_of(link: nuvrik.Link, program: Program, whole: bool = False) -> tuple[int, int]:
    """Bytes of flash and of RAM, with all of core compiled in if it is to be whole."""
    table = end_table(link, stream=not link.medium.datagrams)
    has = {key: n for key, n in defines(table, program).items() if not whole or key.startswith("MOST_")}
    take = PACKET if link.medium.datagrams else STREAM
    with tempfile.TemporaryDirectory() as folder:
        main = Path(folder) / "main.c"
        reading = READING if link.telemetry or whole else ""
        main.write_text(
            PROGRAM.format(table=as_c(table, "LINK", program), take=take, reading=reading), "utf-8"
        )
        made = Path(folder) / "out.elf"
        rooms = [f"-DNUVRIK_{name}={value}" for name, value in has.items()]
        words = ["avr-gcc", *FLAGS, *rooms, f"-I{C}", str(main), str(C / "nuvrik_core.c"), "-o", str(made)]
        subprocess.run(words, check=True)
        said = subprocess.run(["avr-size", str(made)], check=True, capture_output=True, text=True).stdout
    text, data, bss = (int(word) for word in said.splitlines()[1].split()[:3])
    return text + data, data + bss


def main(names: list[str]) -> int:
    """A line a link."""
    program = Program()
    for name in names:
        for whole in (False, True):
            flash, ram = size_of(nuvrik.parse(starter_text(name)), program, whole)
            print(f"{name:12} {'all of core' if whole else '':12} {flash / 1000:6.1f} KB {ram:5} B")
    return 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:] or ["tug", "marram", "vent"]))
