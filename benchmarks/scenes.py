"""The links that the figures are measured on."""

# Marram with everything on it: six levels and three switches, 75 bits of payload, 16-byte bodies.
BENCH_LINK = """
[link]
name = "bench"
rate_hz = 50
[medium]
kind = "serial"
[frame]
style = "packed"
pair = 90
[failsafe]
arm = "arm"
timeout_ms = 400
""" + "".join(
    f'[channels.{name}]\nkind = "{kind}"\n{f"bits = {bits}" if bits else ""}\n'
    for name, kind, bits in [
        *((name, "level", 12) for name in ("throttle", "turn", "thruster", "winch", "hook", "searchlight")),
        *((name, "flag", 0) for name in ("arm", "horn", "slow")),
    ]
)

LINE_LINK = BENCH_LINK.replace(
    'style = "packed"\npair = 90',
    'style = "line"\ntag = "M,"\naccept = ["no_sequence", "no_pair", "no_layout", "no_check"]',
)

UNDETECTED_LINK = """
link = { name = "undetected", rate_hz = 50 }
medium = { kind = "serial" }
failsafe = { arm = "arm", timeout_ms = 400 }
frame = { FRAME }
[channels]
throttle = { kind = "level" }
turn = { kind = "level" }
arm = { kind = "flag" }
"""
LACKS = 'accept = ["no_sequence", "no_pair", "no_layout"'
KEYS = ", ".join(f'"{chr(97 + n)}" = {{ set = {{ throttle = {n / 20} }} }}' for n in range(20))
UNDETECTED_STYLES = {
    "packed": 'style = "packed", pair = 9',
    "slip": 'style = "slip", pair = 9',
    "line": f'style = "line", {LACKS}, "no_check"]',
    **{
        f"line {check}": f'style = "line", check = "{check}", {LACKS}]'
        for check in ("xor8", "sum8", "crc8", "crc16")
    },
    "columns": f'style = "columns", {LACKS}, "no_check"]',
    "keys": f'style = "keys", {LACKS}, "no_check"], keys = {{ {KEYS}, "1" = {{ set = {{ arm = 1 }} }}, '
    '" " = { stop = true } }',
}
