"""Gives core as C whatever a coverage-guided fuzzer makes up: libFuzzer, with address and undefined-behaviour
sanitizers, on a machine's end and a handset's end of the links with the most in them.

    python tools/fuzz_core.py [SECONDS [LINK ...]]

Wants clang with its runtime library (`make toolchain`)."""

import subprocess
import sys
import tempfile
from pathlib import Path

import nuvrik
from nuvrik.export.native import whole_source
from nuvrik.export.program import core
from nuvrik.export.shape import Shape
from nuvrik.export.tables_as_c import as_c
from nuvrik.plan.starters import starter_text
from nuvrik.plan.tables.ends import end_table
from nuvrik.plan.tables.handset_end import handset_end_table

LINKS = ("vent", "panel", "marram")
FLAGS = ("-std=c99", "-O1", "-g", "-fsanitize=fuzzer,address,undefined", "-fno-sanitize-recover=all")

HARNESS = """
#include <stddef.h>
#include "core.c"

{machine}
{handset}

/* A frame, sealed anew, so that the fuzzer need not find a check of 16 bits by chance. */
static void sealed_anew(NuvrikMachineEnd *end, const uint8_t *data, size_t size)
{{
    uint16_t crc = {tag};
    nuvrik_machine_end_begin_packet(end);
    for (size_t i = 0; i < size; i++) {{
        const uint8_t head[3] = {{(uint8_t)(0x10 | (data[0] & 7)), {pair}, {tag} & 0xFF}};
        uint8_t byte = i < 3 ? head[i] : data[i];
        if (i == 0 && (data[i] & 7) == 4) {{
            crc = 0xFFFF;
        }}
        crc = nuvrik_crc16(crc, byte);
        nuvrik_machine_end_packet_byte(end, byte);
    }}
    nuvrik_machine_end_packet_byte(end, (uint8_t)(crc >> 8));
    nuvrik_machine_end_packet_byte(end, (uint8_t)(crc & 0xFF));
    nuvrik_machine_end_end_packet(end);
}}

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size)
{{
    static NuvrikMachineEnd machine;
    static NuvrikHandsetEnd handset;
    uint16_t now = 0;
    nuvrik_machine_end_init(&machine, &MACHINE);
    nuvrik_machine_end_begin(&machine, 7, 0, 0);
    nuvrik_handset_end_init(&handset, &HANDSET);
    nuvrik_handset_end_begin(&handset, 7);
    for (size_t at = 0; at + 1 < size;) {{
        uint8_t what = data[at] & 7;
        size_t many = (size_t)(data[at] >> 3);
        at++;
        if (many > size - at) {{
            many = size - at;
        }}
        if (what == 0) {{
            now = (uint16_t)(now + data[at] * (many > 20 ? 300 : 2));
            nuvrik_machine_end_pass_time(&machine, now);
            nuvrik_machine_end_turn(&machine);
            nuvrik_handset_end_pass_time(&handset, now);
            nuvrik_handset_end_send(&handset);
            if (nuvrik_machine_end_send(&machine)) {{
                for (uint16_t i = 0; i < machine.sender.count; i++) {{
                    nuvrik_handset_end_take(&handset, machine.sender.wire[i]);
                }}
            }}
            if (machine.calls) {{
                machine.calls = false;
                nuvrik_machine_called(&machine.machine, data[at] & 7, 5);
            }}
            many = 1;
        }} else if (what == 1 && many > 3 && {sealed}) {{
            sealed_anew(&machine, data + at, many);
        }} else if (what == 2) {{
            nuvrik_handset_end_greet(&handset);
            many = 0;
        }} else {{
            for (size_t i = 0; i < many; i++) {{
                nuvrik_machine_end_take(&machine, data[at + i]);
                nuvrik_handset_end_take(&handset, data[at + i]);
            }}
        }}
        at += many;
    }}
    return 0;
}}
"""


def harness(link: nuvrik.Link) -> str:
    """The program that libFuzzer calls, for one link on a stream."""
    machine, handset = end_table(link, stream=True), handset_end_table(link, stream=True)
    return HARNESS.format(
        machine=as_c(Shape(core()), machine, "MACHINE"),
        handset=as_c(Shape(core()), handset, "HANDSET"),
        tag=machine.sealed.tag,
        pair=machine.sealed.pair,
        sealed=int(link.frame.sealed),
    )


def main(seconds: int, names: list[str]) -> int:
    """Build one fuzzer a link and let each run for its share of the time."""
    for name in names:
        link = nuvrik.parse(starter_text(name))
        folder = Path(tempfile.mkdtemp())
        (folder / "harness.c").write_text(harness(link), "utf-8")
        (folder / "core.c").write_text(whole_source(), "utf-8")
        fuzzer = str(folder / "fuzzer")
        subprocess.run(["clang", *FLAGS, str(folder / "harness.c"), "-o", fuzzer], check=True)
        share = max(1, seconds // len(names))
        done = subprocess.run(
            [fuzzer, f"-max_total_time={share}", "-max_len=400", "-print_final_stats=1"],
            cwd=folder, capture_output=True, text=True, check=False,
        )  # fmt: skip
        units = [line.split()[-1] for line in done.stderr.splitlines() if "number_of_executed_units" in line]
        print(f"{name}: {units[0] if units else '?'} inputs in {share} s, exit {done.returncode}")
        if done.returncode:
            print(done.stderr[-4000:])
            return 1
    return 0


if __name__ == "__main__":
    given = sys.argv[1:]
    sys.exit(main(int(given[0]) if given else 60, given[1:] or list(LINKS)))
