"""Which pin does what, as the module ``wiring`` of a MicroPython export."""

from collections.abc import Iterator
from typing import Any, NamedTuple

from nuvrik.core.levels import NOBODY
from nuvrik.core.pins import COILS, ONE_DIRECTION, PULSED, TWO_POWERED, level_of_pin, pins_of
from nuvrik.export import boards
from nuvrik.export.boards import Use
from nuvrik.export.python_chips import FAMILIES, MOST_RATE, PWM_HZ
from nuvrik.export.wanted import Wanted
from nuvrik.plan.form.media import Packets, PulsesMedium, UdpMedium
from nuvrik.plan.form.outputs import MotorOutput, StepperOutput
from nuvrik.ports.open import baud_of

WATCHDOG_MS = 250
"""How long a loop may hang before the chip is reset; or three ticks, where those are longer."""

BITS = (10, 12, 16)
"""How finely converters count, as link files have it."""


class Wiring(NamedTuple):
    """The text of the module, and the modules beside it that it needs."""

    text: str
    parts: list[str]


class _Text:
    """What is written, and what it takes from other modules."""

    def __init__(self) -> None:
        self.imports: dict[str, set[str]] = {}
        self.lines: list[str] = []

    def use(self, module: str, name: str) -> str:
        self.imports.setdefault(module, set()).add(name)
        return name

    def function(self, head: str, doc: str, *body: str) -> None:
        self.lines += ["", "", f"def {head}:", f'    """{doc}"""', *(f"    {one}" for one in body)]


def wiring(wanted: Wanted) -> Wiring:
    """The wiring of an end on its board."""
    text, posix = _Text(), wanted.board not in FAMILIES
    link, glue = wanted.link, wanted.glue
    board = "board_posix" if posix else "board_chip"
    constants = [f"WATCHDOG_MS = {watchdog_ms(wanted)}"]
    if glue == boards.HANDSET:
        constants += [f"TIMEOUT_MS = {link.failsafe.timeout_ms}", f"PERIOD_MS = {link.period_ms}"]
    if glue in (boards.MACHINE, "receiver"):
        _outputs(wanted, text, posix=posix)
    if glue == boards.MACHINE:
        _calls(wanted, text)
    if glue in (boards.MACHINE, boards.HANDSET, "remote"):
        _inputs(wanted, text)
    if glue == "remote":
        table: Any = wanted.table
        constants += [f"LAMP = {_timed(wanted, 'out').pin}", f"CARRIER_HZ = {table.carrier_hz}"]
    elif glue in ("receiver", boards.LISTENER):
        _edges(wanted, text)
    elif glue in (boards.MACHINE, boards.HANDSET):
        _line(wanted, text, posix=posix)
    if glue in (boards.BRIDGE, boards.LISTENER):
        text.function("port()", "The host's line.", f"return {_port(wanted, text)}")
    if glue == boards.BRIDGE:
        constants.append(f"MOST_PACKET = {most_packet(wanted)}")
        text.function("radio()", "The builder's own driver.", "import radio", "", "return radio")
    imports = [f"from nuvrik import {board} as board"]
    for module, names in sorted(text.imports.items()):
        imports.append(f"from nuvrik.{module} import {', '.join(sorted(names))}")
    about = '"""Which pin does what."""'
    head = [about, "", *imports, "", *constants]
    needed = {"packets"} if "asked" in text.imports else set()
    return Wiring("\n".join([*head, *text.lines]) + "\n", sorted({board, *text.imports, *needed}))


def watchdog_ms(wanted: Wanted) -> int:
    """How long the loop may hang."""
    return max(WATCHDOG_MS, 3 * wanted.link.tick_ms)


def most_packet(wanted: Wanted) -> int:
    """How long a packet may be."""
    medium = wanted.link.medium
    return medium.payload_max if isinstance(medium, Packets) else 200


# ---- outputs ----


def pin_tables(wanted: Wanted) -> list[Any]:
    """What core knows of the pins of each output."""
    table: Any = wanted.table
    return list(table.pins)


def off(wanted: Wanted) -> list[tuple[int, int]]:
    """Every pin of the outputs, and the level at which nothing is on."""
    found: list[tuple[int, int]] = []
    if wanted.end != boards.MACHINE:
        return found
    for table in pin_tables(wanted):
        if table.use == COILS:
            found += [(number, 0) for number in table.numbers]
            continue
        for at in range(pins_of(table.use)):
            if table.numbers[at] != NOBODY:
                found.append((table.numbers[at], level_of_pin(table, at, 0, 0, False)))
    return found


def _outputs(wanted: Wanted, text: _Text, *, posix: bool) -> None:
    if posix:
        made = text.use("board_posix", "Functions")
        names = ", ".join(wanted.link.outputs)
        text.function(
            "outputs(loop)",
            "What tells each output, in main.py.",
            "import __main__ as own",
            "",
            f"names = {names.split(', ')!r}",
            f"return {made}(loop, [getattr(own, name) for name in names])",
        )
        return
    made = text.use("outputs", "PinWriters")
    body, rows, steppers = [], [], []
    outputs = list(wanted.link.outputs.items())
    family = FAMILIES[wanted.board]
    if any(isinstance(one, StepperOutput) for _, one in outputs):
        most = max(one.rate_max for _, one in outputs if isinstance(one, StepperOutput))
        body.append(f"steps = {text.use('steps', 'Steps')}({family.timer}, {min(2 * most, 2 * MOST_RATE)})")
    for (name, output), table in zip(outputs, pin_tables(wanted), strict=True):
        if isinstance(output, StepperOutput):
            body.append(f"{name} = {_motor(table, text)}")
            steppers.append(name)
        writers = ", ".join(_writer(name, output, table, at, text) for at in range(pins_of(table.use)))
        rows.append(f"    ({writers},),  # {name}")
    if steppers:
        body.append(f"steps.begin({', '.join(steppers)})")
    pairs = "".join(f"({at}, {name}), " for at, name in enumerate(steppers))
    body += [
        "writers = (",
        *rows,
        ")",
        f"return {made}(loop.end, writers, ({pairs}), {tuple(off(wanted))!r})",
    ]
    text.function("outputs(loop)", "What sets the pins of each output.", *body)


def _motor(table: Any, text: _Text) -> str:
    if table.use == COILS:
        return f"{text.use('steps', 'Coils')}({', '.join(map(str, table.numbers))})"
    return f"{text.use('steps', 'Driven')}({table.numbers[0]})"


def _writer(name: str, output: Any, table: Any, at: int, text: _Text) -> str:
    """What sets one pin of an output."""
    if isinstance(output, StepperOutput) and at == 0:
        return f"{name}.put"
    if table.use == COILS:
        return text.use("steps", "nothing") if at == 1 else f"{name}.current"
    number = table.numbers[at]
    if number == NOBODY:
        return text.use("steps", "nothing")
    if table.use == PULSED:
        return f"{text.use('pins', 'Pulse')}({number}).put"
    powered = table.use == TWO_POWERED or (at == 0 and table.use <= ONE_DIRECTION + 1)
    if powered and isinstance(output, MotorOutput):
        hz = output.pwm_hz or PWM_HZ
        return f"{text.use('pins', 'Duty')}({number}, {hz}, {table.most}).put"
    return f"{text.use('pins', 'plain')}({number}, {level_of_pin(table, at, 0, 0, False)})"


def _calls(wanted: Wanted, text: _Text) -> None:
    made = "None"
    if wanted.calls:
        requests = wanted.link.requests
        most = max(len(one.parts) for one in requests.values())
        made = f"{text.use('calls', 'Calls')}(loop, {tuple(requests)!r}, {most})"
    text.function("calls(loop)", "What carries out requests.", f"return {made}")


# ---- inputs ----


def _inputs(wanted: Wanted, text: _Text) -> None:
    link = wanted.link
    machine = wanted.end == boards.MACHINE
    named = list(link.telemetry) if machine else wanted.controls
    uses = wanted.inputs if machine else wanted.read
    rows = [f"    ({named.index(use.of)}, {_reads(use, wanted, text)}),  # {use.of}" for use in uses]
    text.function("inputs()", "What is read, and what of the link it is.", "return (", *rows, ")")
    if wanted.glue == boards.HANDSET:
        knobs = list(dict.fromkeys(use.of for use in wanted.inputs if use.key.endswith(".pin_b")))
        body = []
        for at, name in enumerate(knobs):
            pins = [str(use.pin) for use in wanted.inputs if use.of == name]
            contacts = ", ".join(f"{text.use('inputs', 'contact')}({pin})" for pin in pins)
            body.append(f"    ({at}, {contacts}),  # {name}")
        text.function("knobs()", "The contacts of rotary encoders.", "return (", *body, ")")


def _reads(use: Use, wanted: Wanted, text: _Text) -> str:
    if use.role == boards.ANALOG:
        return f"{text.use('inputs', 'Analog')}({use.pin}, {bits_of(wanted)}).read"
    if use.role == boards.COUNTER:
        return f"{text.use('inputs', 'Counter')}({use.pin}).read"
    if use.role == boards.END:
        return f"{text.use('inputs', 'Latched')}({use.pin}).read"
    return f"{text.use('inputs', 'contact')}({use.pin})"


def bits_of(wanted: Wanted) -> int:
    """How finely the converter is read: as finely as the raw ranges of the link file count."""
    most = 0
    for use in wanted.inputs:
        if use.role == boards.ANALOG:
            one: Any = wanted.link.telemetry.get(use.of) or wanted.link.controls.get(use.of)
            most = max([most, *(int(value) for value in getattr(one, "raw", None) or [])])
    return next((bits for bits in BITS if most < 1 << bits), BITS[-1])


# ---- what carries the link ----


def _line(wanted: Wanted, text: _Text, *, posix: bool) -> None:
    body = [f"return {made}" for made in _carried(wanted, text, posix=posix)]
    if own_radio(wanted):
        body = ["import radio", "", *body]
    elif isinstance(wanted.link.medium, UdpMedium):
        body.insert(
            0,
            f"radio = {text.use('board_posix', 'Udp')}"
            f"(board.port_named(), {wanted.link.failsafe.timeout_ms})",
        )
    text.function("line(loop)", "What carries the link.", *body)


def own_radio(wanted: Wanted) -> bool:
    """Whether packets go through a driver of the builder's own: a socket a small computer has itself."""
    posix = wanted.board not in FAMILIES
    return wanted.packets and not (posix and isinstance(wanted.link.medium, UdpMedium))


def _carried(wanted: Wanted, text: _Text, *, posix: bool) -> Iterator[str]:
    medium = wanted.link.medium
    if isinstance(medium, PulsesMedium):
        edges = f"{text.use('edges', 'Edges')}({_timed(wanted, 'in').pin})"
        table: Any = wanted.table
        yield f"{text.use('slots', 'Slots')}(loop, {edges}, {bool(table.medium.active_high)})"
    elif wanted.keyed:
        edges = f"{text.use('edges', 'Edges')}({_timed(wanted, 'in').pin})"
        reader = f"{text.use('keyed', 'Keyed')}({edges}, {text.use('tables', 'link')}.medium.carrier)"
        yield f"{text.use('packets', 'Packets')}(loop, {reader}, {most_packet(wanted)})"
    elif posix and isinstance(medium, UdpMedium):
        asked = wanted.glue == boards.MACHINE
        made = text.use("asked", "Asked") if asked else text.use("packets", "Packets")
        yield f"{made}(loop, radio, {most_packet(wanted)})"
    else:
        if wanted.packets:
            made = f"{text.use('packets', 'Packets')}(loop, radio, {most_packet(wanted)})"
        else:
            made = f"{text.use('lines', 'Stream')}(loop, {_port(wanted, text)})"
        yield made if wanted.talks else f"{text.use('silent', 'Silent')}({made})"


def _port(wanted: Wanted, text: _Text) -> str:
    if wanted.board not in FAMILIES:
        return f"{text.use('board_posix', 'Serial')}(board.port_named(), {baud_of(wanted.link)})"
    number, *pins = (one for one in FAMILIES[wanted.board].line if one >= 0)
    words = ", ".join(map(str, (number, baud_of(wanted.link), *pins)))
    return f"{text.use('uart', 'Port')}({words})"


def _edges(wanted: Wanted, text: _Text) -> None:
    made = f"{text.use('edges', 'Edges')}({_timed(wanted, 'in').pin})"
    table: Any = wanted.table
    high = bool(table.medium.in_high) if table is not None else False
    text.function("edges()", "The receiver's levels, and which is a mark.", f"return {made}, {high}")


def _timed(wanted: Wanted, way: str) -> Use:
    return next(use for use in wanted.timed if use.key.endswith(way))
