"""Which pin does what, as the module ``wiring`` of a MicroPython export."""

from collections.abc import Mapping
from typing import Any, NamedTuple

from nuvrik.core.levels import NOBODY
from nuvrik.core.machine.pins import COILS, PULSED, TWO_POWERED, level_of_pin, pins_of
from nuvrik.export import boards
from nuvrik.export.boards import Use
from nuvrik.export.loops import LOOPS
from nuvrik.export.program import core
from nuvrik.export.python_chips import FAMILIES, MOST_RATE, PWM_HZ
from nuvrik.export.wanted import Wanted
from nuvrik.plan.form.media import Packets, PulsesMedium, UdpMedium
from nuvrik.plan.outputs import AnyOutput, MotorOutput
from nuvrik.plan.telemetry import ANALOG, CONTACT, COUNTER
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
    """What is written of a board: the classes that it is made of, how it is set up, and what is taken from
    other modules."""

    def __init__(self) -> None:
        self.imports: dict[str, set[str]] = {}
        self.bases: list[str] = []
        self.setup: list[str] = []
        self.after: list[str] = []

    def use(self, module: str, name: str) -> str:
        self.imports.setdefault(module, set()).add(name)
        return name

    def base(self, module: str, name: str, *setup: str) -> None:
        self.bases.append(self.use(module, name))
        self.setup += setup


def wiring(wanted: Wanted) -> Wiring:
    """The wiring of an end on its board."""
    text, posix = _Text(), wanted.board not in FAMILIES
    glue, kind = wanted.glue, LOOPS[wanted.glue]
    board = "board_posix" if posix else "board_chip"
    moves = wanted.end == boards.MACHINE
    air = {use.pin: use for use in wanted.air}
    if glue in boards.ENDS:
        _line(wanted, text, posix=posix)
    if moves:
        _outputs(wanted, text, posix=posix)
    reads = wanted.inputs if not posix and wanted.end in (boards.MACHINE, boards.HANDSET) else []
    reads = [*reads, *(use for use in air.values() if use.role == CONTACT)]
    if reads:
        rows = {use.pin: _reads(use, wanted, text) for use in reads}
        text.base("inputs", "ReadPins", *_named("readers", rows))
    if any(use.role == boards.EDGE for use in wanted.timed):
        text.base("edges", "Edges", f"self.watch({_timed(wanted, boards.EDGE)})")
    if glue == "remote":
        table: Any = wanted.end_table
        text.base("lamp", "Lamp", f"self.light({_timed(wanted, boards.CARRIER)}, {table.carrier_hz})")
    if wanted.has_key:
        text.base("secret", "Secret")
    if wanted.calls:
        made = text.use("calls", "Calls")
        text.after.append(f"made.calls = {made}(made, {tuple(wanted.link.requests)!r})")
    module, end = (
        ("moving", "Moving") if moves else ("hand", "Hand") if glue == boards.HANDSET else ("guard", "Guard")
    )
    imports = [f"from nuvrik import {board} as board", f"from nuvrik.core.{_home(kind)} import {kind}"]
    for name, names in sorted((text.imports | {"tables": {"link"}}).items()):
        imports.append(f"from nuvrik.{name} import {', '.join(sorted(names))}")
    given = (
        "link, around"
        if glue in (boards.BRIDGE, boards.LISTENER, *boards.RADIO_BENCHES)
        else "link, around, own"
    )
    lines = [
        '"""Which pin does what."""',
        "",
        *imports,
        "",
        f"WATCHDOG_MS = {watchdog_ms(wanted)}",
        "",
        "",
        f"class Board({', '.join(text.bases)}):",
        '    """What core asks of this board."""',
        "",
        "    def __init__(self):",
        *(f"        {one}" for one in text.setup),
        "",
        "    def begin(self):",
        '        """It is ready."""',
        "",
        "    def start(self, boot):",
        '        """Why it has started, and a number that was not there before."""',
        "        why, low, high = board.start()",
        "        boot[0] = low | high << 16",
        "        return why",
        "",
        "    def alive(self):",
        '        """The loop has made a whole turn."""',
        "        board.alive()",
        "",
        "",
        "def end():",
        '    """The end of the link on this board."""',
        f"    from nuvrik.{module} import {end}",
        "",
        "    around = Board()",
        f"    made = {end}(lambda own: {kind}({given}), around)",
        *(f"    {one}" for one in text.after),
        "    return made",
    ]
    parts = sorted({board, module, "guard", *text.imports, *(["datagrams"] if posix else [])})
    return Wiring("\n".join(lines) + "\n", parts)


def _home(kind: str) -> str:
    """The module of core that a class is in."""
    return next(one.name for one in core().modules if any(record.name == kind for record in one.records))


def _named(name: str, rows: Mapping[int, str]) -> list[str]:
    """A dictionary by pins, a line each."""
    return [f"self.{name} = {{", *(f"    {pin}: {made}," for pin, made in rows.items()), "}"]


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
    table: Any = wanted.end_table
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


def _of_radio(wanted: Wanted, text: _Text) -> dict[int, str]:
    """What sets the pins of a radio chip: it is not selected, and does nothing."""
    made = text.use("pins", "plain") if wanted.air else ""
    sets = [use for use in wanted.air if use.role != CONTACT]
    return {use.pin: f"{made}({use.pin}, {int(use.key.endswith('csn'))})" for use in sets}


def _outputs(wanted: Wanted, text: _Text, *, posix: bool) -> None:
    if posix:
        made = text.use("board_posix", "Functions")
        names = tuple(wanted.link.outputs)
        text.after += [
            "import __main__ as own",
            "",
            f"made.functions = {made}(made, [getattr(own, name) for name in {names!r}])",
        ]
        return
    rows: dict[str, dict[int, str]] = {"plain": _of_radio(wanted, text), "duties": {}, "pulses": {}}
    steppers: dict[int, str] = {}
    for output, table in zip(wanted.link.outputs.values(), pin_tables(wanted), strict=True):
        _pins_of(output, table, text, rows, steppers)
    body = [line for name, made in rows.items() if made for line in _named(name, made)]
    text.base("pins", "OutPins", f"self.off = {tuple(off(wanted))!r}", *body)
    if steppers:
        most = max(one.steps_hz for one in wanted.link.outputs.values())
        pairs = ", ".join(f"{pin}: {made}" for pin, made in steppers.items())
        timer, hz = FAMILIES[wanted.board].timer, min(2 * most, 2 * MOST_RATE)
        text.base("steps", "Steps", f"self.step({timer}, {hz}, {{{pairs}}})")


def _pins_of(
    output: AnyOutput, table: Any, text: _Text, rows: dict[str, dict[int, str]], steppers: dict[int, str]
) -> None:
    """What sets the pins of one output."""
    first = table.numbers[0]
    if table.use == COILS:
        ends = [f"self.plain[{pin}]" for pin in table.numbers]
        rows["plain"] |= {pin: f"{text.use('pins', 'plain')}({pin}, 0)" for pin in table.numbers}
        steppers[first] = f"{text.use('steps', 'Coils')}({', '.join(ends)})"
        return
    for at in range(pins_of(table.use)):
        number = table.numbers[at]
        if number == NOBODY:
            continue
        if output.steps_hz and at == 0:
            steppers[number] = f"{text.use('steps', 'Driven')}({number})"
        elif table.use == PULSED:
            rows["pulses"][number] = f"{text.use('pins', 'pulse')}({number})"
        elif isinstance(output, MotorOutput) and (at == 0 or table.use == TWO_POWERED):
            rows["duties"][number] = f"{text.use('pins', 'duty')}({number}, {output.pwm_hz or PWM_HZ})"
        else:
            level = level_of_pin(table, at, 0, 0, False)
            rows["plain"][number] = f"{text.use('pins', 'plain')}({number}, {level})"


# ---- inputs ----


def _reads(use: Use, wanted: Wanted, text: _Text) -> str:
    if use.role == ANALOG:
        return f"{text.use('inputs', 'Analog')}({use.pin}, {bits_of(wanted)}).read"
    if use.role == COUNTER:
        return f"{text.use('inputs', 'Counter')}({use.pin}).read"
    if use.role == boards.END:
        return f"{text.use('inputs', 'Latched')}({use.pin}).read"
    return f"{text.use('inputs', 'contact')}({use.pin})"


def bits_of(wanted: Wanted) -> int:
    """How finely the converter is read: as finely as the raw ranges of the link file count."""
    most = 0
    for use in wanted.inputs:
        if use.role == ANALOG:
            one: Any = wanted.link.telemetry.get(use.of) or wanted.link.controls.get(use.of)
            most = max([most, *(int(value) for value in getattr(one, "raw", None) or [])])
    return next((bits for bits in BITS if most < 1 << bits), BITS[-1])


# ---- what carries the link ----


def _line(wanted: Wanted, text: _Text, *, posix: bool) -> None:
    medium = wanted.link.medium
    if isinstance(medium, PulsesMedium) or wanted.keyed:
        return
    if posix:
        name, more = ("Udp", wanted.link.failsafe.timeout_ms) if wanted.packets else ("Serial", 0)
        port = f"self.open(board.port_named(), {more or baud_of(wanted.link)})"
        if own_radio(wanted):
            text.use("board_posix", "Computer")
            text.base("packets", "Radio", "import radio", "", "self.radio = radio")
            text.bases.append("Computer")
            return
        text.base("board_posix", name, port)
        if name == "Udp" and wanted.end == boards.MACHINE:
            text.after.append("around.link = made")
        return
    if wanted.driver is not None:
        # One that has outputs sets the chip's pins as it sets theirs.
        if wanted.end != boards.MACHINE:
            text.base("pins", "OutPins", "self.off = ()", *_named("plain", _of_radio(wanted, text)))
        text.base("spi", "BusAndHost" if has_host(wanted) else "Bus", f"self.join({_bus(wanted)})")
        _host(wanted, text)
        return
    if wanted.by_wlan and isinstance(medium, UdpMedium):
        opens = wanted.end == boards.MACHINE and medium.wlan == "machine"
        host = None if wanted.end == boards.MACHINE else medium.machine_host
        how = f"{opens}, {host!r}, {medium.port}, {wanted.link.failsafe.timeout_ms}"
        text.base("wlan", "WlanAndHost" if has_host(wanted) else "Wlan", f"self.join({how})")
        text.use("datagrams", "Datagrams")
        _host(wanted, text)
        if wanted.end == boards.MACHINE:
            text.after.append("around.link = made")
        return
    if wanted.packets or wanted.end == boards.BRIDGE:
        text.base("packets", "Radio", "import radio", "", "self.radio = radio")
        _host(wanted, text)
    else:
        text.base("uart", "Uart", f"self.open({_port(wanted)})")


def has_host(wanted: Wanted) -> bool:
    """Whether a host hangs on its line: a bridge's, or one that asks a handset for raw readings."""
    if wanted.end in boards.RADIO_BENCHES:
        return True
    return wanted.end == boards.BRIDGE or (wanted.tells_raw and not wanted.on_the_line)


def _host(wanted: Wanted, text: _Text) -> None:
    """The line of a host, where there is one."""
    if has_host(wanted):
        text.setup += [f"self.port = {text.use('uart', 'Uart')}()", f"self.port.open({_port(wanted)})"]


def own_radio(wanted: Wanted) -> bool:
    """Whether packets go through a driver of the builder's own: a socket a small computer has itself."""
    posix = wanted.board not in FAMILIES
    return wanted.through_own and not (posix and isinstance(wanted.link.medium, UdpMedium))


def _port(wanted: Wanted) -> str:
    """The line of a chip."""
    number, *pins = (one for one in FAMILIES[wanted.board].line if one >= 0)
    return ", ".join(map(str, (number, baud_of(wanted.link), *pins)))


def _bus(wanted: Wanted) -> str:
    """The SPI bus of a chip."""
    number, *pins = (one for one in FAMILIES[wanted.board].spi if one >= 0)
    return ", ".join(map(str, (number, *pins)))


def _timed(wanted: Wanted, role: str) -> int:
    """The pin that carries the link one way."""
    return next(use.pin for use in wanted.timed if use.role == role)
