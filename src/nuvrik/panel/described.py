"""What a page is told once, when it has joined: all that it needs to know of the link."""

from collections.abc import Collection, Iterator, Mapping
from typing import Any

from nuvrik.budget.stop import page_stale_ms
from nuvrik.core.machine.states import STATES
from nuvrik.panel.control import PageControl, page_controls
from nuvrik.plan.controls import (
    AxisControl,
    ButtonControl,
    KeyControl,
    NudgeControl,
    RockerControl,
    SelectorControl,
    SliderControl,
)
from nuvrik.plan.form.channels import ChoiceChannel, LevelChannel, ShareChannel
from nuvrik.plan.form.models import Link
from nuvrik.plan.problems import Problem
from nuvrik.plan.wiring import output_routes, turning_channels
from nuvrik.plan.words import (
    argument_words,
    channel_words,
    effects,
    route_words,
    stop_words,
)
from nuvrik.printable import printable
from nuvrik.rehearsal.bench import in_words
from nuvrik.rehearsal.fault import Fault
from nuvrik.rehearsal.faults import unfit_for
from nuvrik.wire.authenticated import key_id

LONGEST_TEXT = 200
"""Characters of any text that a page is sent."""

ROLES = {"throttle": "throttle", "turn": "turn", "left_throttle": "left", "right_throttle": "right"}
"""What a channel is to a mix, by the mix's own key."""

SCALES = ("multiplied_by", "slow_when")
"""Keys of a channel that name a control which makes it less."""

STATE_MEANINGS = {
    "WAITING": "no good frames yet",
    "STANDBY": "it listens; nothing is armed",
    "ARMED": "it follows the hand",
    "FAILSAFE": "frames stopped: outputs do what on_loss says",
    "STOPPED": "a stop was pressed",
}


def shown(text: str) -> str:
    """A text as a page may be sent it: nothing in it but what is shown, and not too long."""
    safe = printable(text)
    return safe if len(safe) <= LONGEST_TEXT else safe[: LONGEST_TEXT - 3] + "..."


def describe(
    link: Link,
    text: str,
    problems: Collection[Problem],
    by_host: Collection[str],
    faults: Mapping[str, Fault],
    *,
    records: bool = False,
) -> dict[str, Any]:
    """A link as a page shows it. ``text`` is its file, ``by_host`` are the controls that something at the
    host moves, ``faults`` what can be made on a simulated machine. ``records``: nothing is sent, what
    hands do is written down."""
    return {
        "name": link.name,
        "rate_hz": link.rate_hz,
        "stale_ms": page_stale_ms(link),
        "timeout_ms": link.failsafe.timeout_ms,
        "records": records,
        "two_way": bool(link.telemetry),
        "key": f"{key_id(link.key):04X}" if link.authenticated else None,
        "asks": link.frame.carries_questions,
        "states": {str(state): STATE_MEANINGS[str(state)] for state in STATES},
        "arm": arm_controls(link),
        "arm_channel": link.arm_channel,
        "stop": _stop(link, by_host),
        "controls": [_control(link, one, by_host) for one in page_controls(link)],
        "made": _made(link),
        "channels": [_channel(link, name) for name in link.channels],
        "outputs": [_output(link, name) for name in link.outputs],
        "sides": _sides(link),
        "telemetry": [_item(link, name) for name in link.telemetry],
        "supply": _supply(link),
        "requests": [_request(link, name) for name in link.requests],
        "cues": list(link.cues),
        "faults": [_fault(fault) for fault in faults.values()],
        "unfit": [f"{in_words(name)}: {why}" for name, why in unfit_for(link).items()] if faults else [],
        "sheet": {"controls": list(_sheet(link)), "stop": [shown(line) for line in stop_words(link)]},
        "file": [shown(line) for line in text.splitlines()],
        "problems": [
            {"level": one.level, "where": one.where, "what": shown(one.what), "do": shown(one.do)}
            for one in problems
        ],
    }


def _stop(link: Link, by_host: Collection[str]) -> dict[str, Any] | None:
    """The link's own stop control, which is pressed wherever it is: every page's stop comes on top of it. Its
    key, or the item of a pad that it names."""
    name = link.failsafe.stop
    if name is None:
        return None
    control = link.controls[name]
    return {
        "name": name,
        "char": getattr(control, "char", None),
        "source": None if name in by_host else getattr(control, "source", None),
    }


def arm_controls(link: Link) -> list[str]:
    """What arms: the controls of the arm channel, or the channel itself where a program would set it."""
    name = link.arm_channel
    if name is None:
        return []
    return list(link.channels[name].sources.values()) or [name]


def _fault(fault: Fault) -> dict[str, Any]:
    return {
        "name": fault.name,
        "group": fault.group,
        "what": shown(fault.imitates),
        "must": fault.must,
        "anew": fault.before is not None or fault.must == "never",
    }


def _control(link: Link, one: PageControl, by_host: Collection[str]) -> dict[str, Any]:
    control = link.controls.get(one.name) if not one.sets_channel else None
    said: dict[str, Any] = {
        **one._asdict(),
        "does": [shown(words) for words in effects(link, one.name)],
        "by_host": one.name in by_host,
    }
    if isinstance(control, AxisControl):
        said["holds"] = control.on_release == "hold"
        said["across"] = _across(link, one.name)
        said["dead_zone"] = control.dead_zone
        said["source"] = control.source
    elif isinstance(control, ButtonControl | KeyControl):
        said["toggles"] = control.toggle
        if isinstance(control, KeyControl):
            said["char"] = control.char
        else:
            said["source"] = control.source
    elif isinstance(control, SliderControl):
        said["source"] = control.source
    channel = link.channels.get(one.name) if one.sets_channel else None
    said |= _wires(link, one.name, channel=one.sets_channel)
    said["sets_channel"] = one.sets_channel
    said["turns"] = one.sets_channel and one.name in turning_channels(link.outputs, link.mix)
    if isinstance(channel, LevelChannel | ShareChannel):
        said |= {"range": channel.range or [channel.low, 1.0], "unit": channel.unit or ""}
    elif isinstance(channel, ChoiceChannel):
        said["options"] = channel.options
    elif one.kind == "count":
        said |= {"range": [one.low, one.high], "unit": ""}
    return said


def _wires(link: Link, name: str, *, channel: bool = False) -> dict[str, Any]:
    """What a control feeds and what it scales, or what a ``channel`` of that name is: each channel, whether
    it makes something turn, and what it is to the mix."""
    turned = turning_channels(link.outputs, link.mix)
    roles = {getattr(link.mix, key, None): role for key, role in ROLES.items()}
    feeds, scales = [], []
    for fed, model in link.channels.items():
        keys = [key for key, source in model.sources.items() if source == name]
        wire = {"channel": fed, "turning": fed in turned, "role": roles.get(fed)}
        if (channel and fed == name) or any(key.partition(".")[0] in ("from", "weights") for key in keys):
            feeds.append(wire)
        if any(key in SCALES for key in keys):
            scales.append(wire)
    return {"feeds": feeds, "scales": scales}


def _across(link: Link, name: str) -> bool:
    """Whether a hand moves it from side to side: what turns the machine, or is called so."""
    turn = getattr(link.mix, "turn", None)
    feeds = [channel for channel, one in link.channels.items() if name in one.sources.values()]
    source = getattr(link.controls[name], "source", None) or ""
    return turn in feeds or name.endswith("_x") or source.endswith("_x")


def _made(link: Link) -> list[dict[str, Any]]:
    """Rockers, nudges and selectors: which buttons belong together, and to what."""
    made: list[dict[str, Any]] = []
    for name, control in link.controls.items():
        does = [shown(words) for words in effects(link, name)]
        if isinstance(control, RockerControl):
            parts = [control.minus, control.plus]
        elif isinstance(control, NudgeControl):
            parts = [control.down, control.up, *([control.back] if control.back else [])]
        elif isinstance(control, SelectorControl):
            parts = list(control.buttons)
        else:
            continue
        made.append({"name": name, "kind": control.kind, "parts": parts, "does": does, **_wires(link, name)})
    return made


def _channel(link: Link, name: str) -> dict[str, Any]:
    channel = link.channels[name]
    said: dict[str, Any] = {"name": name, "kind": channel.kind, "from": shown(channel_words(link, name))}
    if isinstance(channel, LevelChannel | ShareChannel) and channel.range is not None:
        said |= {"range": channel.range, "unit": channel.unit or ""}
    if isinstance(channel, ChoiceChannel):
        said["options"] = channel.options
    return said


def _output(link: Link, name: str) -> dict[str, Any]:
    output = link.outputs[name]
    return {
        "name": name,
        "kind": output.kind,
        "jogs": output.moves,
        "words": shown("; ".join(output.words)),
        "follows": shown(route_words(output_routes(link)[name])),
    }


def _sides(link: Link) -> dict[str, list[str]]:
    sides = {} if link.mix is None else {"left": list(link.mix.left), "right": list(link.mix.right)}
    return {name: names for name, names in sides.items() if len(names) > 1}


def _item(link: Link, name: str) -> dict[str, Any]:
    item = link.telemetry[name]
    ends = getattr(item, "range", None)
    return {
        "name": name,
        "kind": item.kind,
        "range": ends if item.parts == 1 else None,
        "unit": getattr(item, "unit", None) or "",
        "words": shown(item.words),
    }


def _supply(link: Link) -> dict[str, Any] | None:
    """The item that says what the supply is, and from where on that is low; the first in volts where the link
    file names none."""
    low = link.failsafe.low_battery
    if low is not None:
        return {"of": low.of, "below": low.below}
    volts = [name for name, item in link.telemetry.items() if item.kind == "volts"]
    return {"of": volts[0], "below": None} if volts else None


def _request(link: Link, name: str) -> dict[str, Any]:
    request = link.requests[name]
    arguments = []
    for key, about in request.arguments.items():
        low, high = about.limits
        arguments.append(
            {
                "name": key,
                "kind": about.kind,
                "low": low,
                "high": high,
                "options": about.options,
                "bytes": about.bytes,
                "words": argument_words(about),
            }
        )
    return {"name": name, "kind": request.kind, "moves": request.moving, "arguments": arguments}


def _sheet(link: Link) -> Iterator[tuple[list[str], str]]:
    """The rows of the driver's sheet: controls, and what they do; the parts of a rocker, a nudge or a
    selector have one row."""
    made = {part: one for one in _made(link) for part in one["parts"]}
    for name in link.controls:
        if name in made:
            if made[name]["parts"][0] == name:
                yield made[name]["parts"], shown("; ".join(made[name]["does"]) or "nothing")
        elif not any(one["name"] == name for one in made.values()):
            yield [name], shown("; ".join(effects(link, name)) or "nothing")
