"""Nuvrik: one link file, both ends.

A link file says what the controls are, what channels travel, in what frame and on what medium, how
channels become motor commands, and what happens when frames stop. From it::

    link = nuvrik.load("tug.toml")
    handset, machine = nuvrik.Handset(link), nuvrik.Machine(link)

Names are imported when they are first used, so that a command that needs little starts quickly.
"""

from importlib import import_module
from typing import TYPE_CHECKING, Any

from nuvrik.version import VERSION_WORDS

if TYPE_CHECKING:
    from nuvrik.budget.conditions import Conditions
    from nuvrik.core.machine.states import State
    from nuvrik.ends.asking import Asked
    from nuvrik.ends.handset import Handset
    from nuvrik.ends.machine import Machine
    from nuvrik.ends.motions import RequestRefused
    from nuvrik.ends.remote import Receiver, Remote
    from nuvrik.ends.sensors import Reading
    from nuvrik.figures.tables import frames_table
    from nuvrik.levels import fraction_of, level_of
    from nuvrik.plan.form.models import Link
    from nuvrik.plan.load import load, parse
    from nuvrik.plan.outputs.demand import Demand
    from nuvrik.plan.problems import LinkFileError, Problem
    from nuvrik.plan.rules.check import problems_in
    from nuvrik.ports import aio
    from nuvrik.ports.connection import Connection, LinkError, RequestFailed, connect
    from nuvrik.ports.open import open_port
    from nuvrik.ports.own_code import limit, stop
    from nuvrik.ports.port import PortError
    from nuvrik.ports.sources import SourceError, open_source
    from nuvrik.pulses.infrared import InfraredReader
    from nuvrik.rehearsal.testing import assert_holds
    from nuvrik.rehearsal.verdict import Run
    from nuvrik.wire.decoder import Decoder
    from nuvrik.wire.events import Frame, RefusedFrame
    from nuvrik.wire.frames import Encoder
    from nuvrik.wire.values import from_wire, to_wire

__version__ = VERSION_WORDS

HOMES = {
    "Conditions": "nuvrik.budget.conditions",
    "InfraredReader": "nuvrik.pulses.infrared",
    "Receiver": "nuvrik.ends.remote",
    "Remote": "nuvrik.ends.remote",
    "Run": "nuvrik.rehearsal.verdict",
    "assert_holds": "nuvrik.rehearsal.testing",
    "Asked": "nuvrik.ends.asking",
    "Connection": "nuvrik.ports.connection",
    "Decoder": "nuvrik.wire.decoder",
    "Demand": "nuvrik.plan.outputs.demand",
    "Encoder": "nuvrik.wire.frames",
    "Frame": "nuvrik.wire.events",
    "fraction_of": "nuvrik.levels",
    "frames_table": "nuvrik.figures.tables",
    "from_wire": "nuvrik.wire.values",
    "level_of": "nuvrik.levels",
    "to_wire": "nuvrik.wire.values",
    "Handset": "nuvrik.ends.handset",
    "Link": "nuvrik.plan.form.models",
    "LinkFileError": "nuvrik.plan.problems",
    "LinkError": "nuvrik.ports.connection",
    "Machine": "nuvrik.ends.machine",
    "PortError": "nuvrik.ports.port",
    "SourceError": "nuvrik.ports.sources",
    "limit": "nuvrik.ports.own_code",
    "stop": "nuvrik.ports.own_code",
    "open_port": "nuvrik.ports.open",
    "open_source": "nuvrik.ports.sources",
    "Reading": "nuvrik.ends.sensors",
    "RequestRefused": "nuvrik.ends.motions",
    "RequestFailed": "nuvrik.ports.connection",
    "connect": "nuvrik.ports.connection",
    "Problem": "nuvrik.plan.problems",
    "RefusedFrame": "nuvrik.wire.events",
    "State": "nuvrik.core.machine.states",
    "load": "nuvrik.plan.load",
    "parse": "nuvrik.plan.load",
    "problems_in": "nuvrik.plan.rules.check",
}

MODULES = {"aio": "nuvrik.ports.aio"}
"""What is a module of its own."""

__all__ = [
    "Asked",
    "Conditions",
    "Connection",
    "Decoder",
    "Demand",
    "Encoder",
    "Frame",
    "Handset",
    "InfraredReader",
    "Link",
    "LinkError",
    "LinkFileError",
    "Machine",
    "PortError",
    "Problem",
    "Reading",
    "Receiver",
    "RefusedFrame",
    "Remote",
    "RequestFailed",
    "RequestRefused",
    "Run",
    "SourceError",
    "State",
    "aio",
    "assert_holds",
    "connect",
    "fraction_of",
    "frames_table",
    "from_wire",
    "level_of",
    "limit",
    "load",
    "open_port",
    "open_source",
    "parse",
    "problems_in",
    "stop",
    "to_wire",
]


def __getattr__(name: str) -> Any:
    if name in MODULES:
        return import_module(MODULES[name])
    if name in HOMES:
        return getattr(import_module(HOMES[name]), name)
    raise AttributeError(f"module 'nuvrik' has no attribute {name!r}")
