"""Any port by its name: a device, ``socket://HOST:PORT``, ``udp://HOST:PORT`` (without HOST it listens),
``spi:DEVICE,ce=LINE``, anything else that pyserial knows, or ``sim``."""

from nuvrik.plan.form.media import SerialMedium
from nuvrik.plan.form.models import Link
from nuvrik.plan.problems import suggestion
from nuvrik.ports.port import Port, PortError
from nuvrik.ports.sim import SimLine
from nuvrik.ports.spi import SpiPort, is_spi
from nuvrik.ports.tcp import ListeningPort
from nuvrik.ports.udp import UdpPort

OTHER_BAUD = 57600
"""The speed of a port whose link is not a serial one: a module on a wire. The clocks of common boards make it
well; 115200 they miss by more than two percent."""

AnyPort = Port | UdpPort | ListeningPort | SpiPort | SimLine


def is_sim(name: str) -> bool:
    """Whether a port's name is a simulated machine's."""
    return name == "sim" or name.startswith("sim:")


def baud_of(link: Link) -> int:
    """The speed at which a port for this link is opened."""
    return link.medium.baud if isinstance(link.medium, SerialMedium) else OTHER_BAUD


LONGEST_WAIT_S = 0.002
"""How long a read waits at most; and never longer than a quarter of a tick, which it would make late."""


def open_port(link: Link, name: str, wait_s: float | None = None, end: str = "handset") -> AnyPort:
    """Open a port; ``sim`` is a simulated machine, ``sim:NAME,NAME`` one with those outputs wired
    backwards. ``end``: which end of the link it is for, which the addresses of a radio chip depend on.
    Raises PortError."""
    wait_s = min(LONGEST_WAIT_S, link.tick_ms / 4000) if wait_s is None else wait_s
    if is_sim(name):
        backwards = frozenset(filter(None, name.removeprefix("sim").removeprefix(":").split(",")))
        for wrong in backwards - set(link.outputs):
            raise PortError(f'{name}: there is no output "{wrong}": {suggestion(wrong, link.outputs)}')
        return SimLine(link, backwards)
    if is_spi(name):
        return SpiPort(name, link, end, wait_s)
    if name.startswith("udp://"):
        return UdpPort(name, wait_s, link.failsafe.timeout_ms)
    if name.startswith("socket://:"):
        return ListeningPort(name, wait_s, link.failsafe.timeout_ms)
    return Port(name, baud_of(link), wait_s)
