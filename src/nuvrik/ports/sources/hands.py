"""Several sources at once, for the controls of one link."""

from collections.abc import Callable, Iterable, Mapping
from types import TracebackType
from typing import NamedTuple

from nuvrik.ends.handset import Handset
from nuvrik.ends.rests import RestsFirst
from nuvrik.plan.controls import ReadControl
from nuvrik.plan.form.models import Link
from nuvrik.plan.form.requests import StepsRequest
from nuvrik.ports.sources.source import Source, SourceError, item_of


class Wire(NamedTuple):
    """A control, and the item of a source that moves it."""

    control: str
    source: Source
    item: str


class Hands:
    """What moves the controls of a link in one run: each control from one item of one source.

    A control with ``source = "pad.left_y"`` is moved by that item of the source named pad. Any other is moved
    by the column of its name in a recording, by the key of its ``char``, or by whatever line from another
    program or a board names it. ``warn`` is told of what is passed over. SourceError where two sources would
    move one control, or a control names an item that its source has not.
    """

    def __init__(
        self, link: Link, sources: Iterable[Source], warn: Callable[[str], None] = lambda text: None
    ) -> None:
        self.link, self.sources, self._warn = link, list(sources), warn
        _check_names(self.sources)
        self.controls: dict[str, ReadControl] = {
            name: control for name, control in link.controls.items() if isinstance(control, ReadControl)
        }
        self._sure = [wire for name in self.controls if (wire := self._wire(name)) is not None]
        self._maybe: dict[str, Source] = {}
        for source in self.sources:
            idle = source.may_move("") is None and all(wire.source is not source for wire in self._sure)
            if idle:
                raise SourceError(
                    f"{source.name} moves no control of {link.name}: say in the link file which, as "
                    f"{_example(source)}; `nuvrik record --assign` asks which is which"
                )
        self._items = [self._items_of(source) for source in self.sources]
        self._wanted = [frozenset(items) for items in self._items]
        self._told: set[str] = set()
        self._rests = RestsFirst(link)
        self.played_ms = 0
        self.noted: Callable[[int, Mapping[str, int | None]], None] = lambda now_ms, readings: None
        """Told of all that is read, with its time: for a log."""

    def _wire(self, name: str) -> Wire | None:
        """What surely moves a control."""
        control = self.controls[name]
        named = [Wire(name, source, item) for source in self.sources if (item := item_of(source, control))]
        by_name = [
            Wire(name, source, item) for source in self.sources if (item := source.moves(name, control))
        ]
        wires = named or by_name
        if len(wires) > 1:
            first, second = wires[0].source.name, wires[1].source.name
            raise SourceError(
                f"{first} and {second} would both move {name}: leave one out, or say in the link file which, "
                f'as source = "{first}.{wires[0].item}"'
            )
        return wires[0] if wires else None

    def _items_of(self, source: Source) -> dict[str, list[str]]:
        """The items of a source that surely move something, and what."""
        items: dict[str, list[str]] = {}
        for wire in self._sure:
            if wire.source is source:
                items.setdefault(wire.item, []).append(wire.control)
        return items

    @property
    def missing(self) -> set[str]:
        """The controls that nothing is sure to move in this run."""
        return set(self.controls) - {wire.control for wire in self._sure} - set(self._maybe)

    @property
    def over(self) -> bool:
        """Whether nothing more will ever come from any source."""
        return all(source.over for source in self.sources)

    @property
    def why(self) -> list[str]:
        """Why nothing comes, of each source of which nothing does."""
        return [source.why for source in self.sources if source.why]

    def read(self, now_ms: int) -> dict[str, int | None]:
        """What there is to say of controls at ``now_ms``: raw readings, None for no reading. What is left out
        has nothing new."""
        self.played_ms = now_ms
        readings: dict[str, int | None] = {}
        for source, items, wanted in zip(self.sources, self._items, self._wanted, strict=True):
            for item, value in source.read(now_ms, wanted).items():
                controls = items.get(item)
                if controls is None:
                    controls = self._loose(source, item)
                for control in controls:
                    readings[control] = self._rests.take(control, value) if source.comes_and_goes else value
        self.noted(now_ms, readings)
        return readings

    def _loose(self, source: Source, item: str) -> list[str]:
        """The control that an item moves which nobody was sure would come; whoever comes first has it."""
        control = self.controls.get(item)
        if control is None:
            self._say(item, f'{source.name}: there is no control "{item}"; it is passed over')
            return []
        if source.may_move(item) is None:
            return []
        if any(wire.control == item for wire in self._sure):
            self._say(item, f"{source.name}: {item} is moved by another source; it is passed over")
            return []
        owner = self._maybe.setdefault(item, source)
        if owner is not source:
            self._say(
                f"{source.name}.{item}",
                f"{source.name} and {owner.name} both move {item}: only what {owner.name} says counts",
            )
            return []
        return [item]

    def _say(self, what: str, words: str) -> None:
        if what not in self._told:
            self._told.add(what)
            self._warn(words)

    def play_into(self, handset: Handset, now_ms: int) -> None:
        """Hand a handset what there is to say, and ask for what moves by steps are asked for."""
        handset.read(now_ms, **self.read(now_ms))
        self.ask_moves(handset)

    def ask_moves(self, handset: Handset) -> None:
        """Ask for the moves by steps that sources have asked for since the last look."""
        for source in self.sources:
            for name, steps in source.moves_asked():
                self._ask(handset, source, name, steps)

    def _ask(self, handset: Handset, source: Source, name: str, steps: int) -> None:
        request = self.link.requests.get(name)
        if not isinstance(request, StepsRequest):
            self._say(name, f'{source.name}: there is no request "{name}" that moves by steps')
            return
        try:
            handset.request(name, **dict.fromkeys(request.arguments, 0) | {"steps": steps})
        except ValueError as error:
            self._say(f"{name} {steps}", f"{source.name}: {name}: {error}")

    def skip(self) -> None:
        """Nobody has read for a while: what has queued up was said long ago."""
        for source in self.sources:
            source.skip()

    def close(self) -> None:
        """Let go of all sources."""
        for source in self.sources:
            source.close()

    def __enter__(self) -> "Hands":
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self.close()


def _example(source: Source) -> str:
    """How a control names an item of a source."""
    return 'char = "w"' if source.name == "keys" else f'source = "{source.name}.left_y"'


def _check_names(sources: list[Source]) -> None:
    names = [source.name for source in sources]
    for name in names:
        if names.count(name) > 1:
            raise SourceError(f"two sources are called {name}: give one another name, as in other={name}")
