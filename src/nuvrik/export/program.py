"""The modules of core, read once: constants, tables, classes and functions, with what is said of them."""

import ast
import io
import pickle
import re
import tokenize
from collections.abc import Mapping
from functools import cache
from pathlib import Path
from typing import NamedTuple

CORE = Path(__file__).parents[1] / "core"

MODULES = (
    # What every folder stands on.
    "sizes",
    "levels",
    "board",
    "loop",
    "ramp",
    "curve",
    # The hand: readings to levels, who has the say, when arm is sent.
    "hand.knob",
    "hand.controls",
    "hand.hands",
    "hand.sources",
    "hand.arming",
    "hand.handset",
    # Frames: levels to bytes and back.
    "frames.bits",
    "frames.sealed",
    "frames.sender",
    "frames.text",
    "frames.keys",
    "frames.on_off",
    "frames.medium",
    "frames.train",
    "frames.incoming",
    "frames.writer",
    "cmac",
    "frames.tags",
    "session",
    "boots",
    # The machine: who may move, and what each output is told.
    "machine.watch",
    "machine.commands",
    "machine.mix",
    "machine.demand",
    "machine.motor",
    "machine.servo",
    "machine.stepper",
    "machine.outputs",
    "machine.desk",
    "machine.machine",
    "machine.telling",
    "machine.inputs",
    "machine.pins",
    "machine.pin_writer",
    # What is asked and answered.
    "requests.answers",
    "requests.asks",
    "requests.asking",
    # Codes of remote controls.
    "infrared.marks",
    "infrared.burst",
    "infrared.families",
    "infrared.shape",
    "infrared.infrared",
    "infrared.codes",
    # Each end whole, and its loop.
    "loops.packet_radio",
    "loops.line",
    "loops.machine_end",
    "loops.machine_loop",
    "loops.hearing",
    "loops.handset_end",
    "loops.handset_loop",
    "loops.remote",
    "loops.remote_loop",
    "loops.receiver",
    "loops.receiver_loop",
    "loops.bridge",
    "loops.bridge_loop",
    "loops.listener",
    "loops.radio_bench",
)
"""The modules in the subset, in the order of the data, from the ground up: each may import only from those
before it. ``hand.knob`` is ``core/hand/knob.py``."""


def text_of(name: str) -> str:
    """The text of a module of core."""
    return (CORE / file_of(name)).read_text("utf-8")


def file_of(name: str) -> str:
    """Where a module stands in core.

    >>> file_of("hand.knob")
    'hand/knob.py'
    """
    return name.replace(".", "/") + ".py"


def name_of(file: Path) -> str:
    """The module of core that stands in a file.

    >>> name_of(CORE / "hand" / "knob.py")
    'hand.knob'
    """
    return ".".join(file.relative_to(CORE).with_suffix("").parts)


EXTERNAL = "Protocol"
"""The base of a class that stands outside of core: it has no fields, and of its methods core knows only what
they take and give."""


class Outside(Exception):
    """Something that is not in the subset: where it stands, what it is, and what to write instead."""

    def __init__(self, node: ast.AST | None, what: str, instead: str = "") -> None:
        super().__init__(what, instead)
        self.line = getattr(node, "lineno", 0)
        self.what, self.instead = what, instead


class Constant(NamedTuple):
    """A number with a name; ``doc`` says what it is, ``line`` where it stands."""

    name: str
    value: int
    doc: str
    line: int


class Record(NamedTuple):
    """A class: a table, whose fields never change, or a state. ``fields`` gives the width of each field, or
    the class it is an object of; a list is written ``list[WIDTH]``. ``rooms`` says of each list of a state
    how many it has room for: a number, a constant, or the ``MOST_NAMES`` of a table's ``names``."""

    name: str
    is_table: bool
    fields: Mapping[str, str]
    doc: str
    rooms: Mapping[str, str] = {}
    is_external: bool = False


class Routine(NamedTuple):
    """A function or, with an ``owner``, a method. ``takes`` are its parameters without self. The comments
    before a statement hang on its node, as ``notes``."""

    name: str
    owner: str
    takes: Mapping[str, str]
    gives: str
    node: ast.FunctionDef
    doc: str = ""

    @property
    def statements(self) -> list[ast.stmt]:
        """What it does, without what it says of itself."""
        return (
            self.node.body[1:] if _is_text(self.node.body[0] if self.node.body else None) else self.node.body
        )

    @property
    def key(self) -> str:
        """How it is looked up: ``name`` or ``Owner.name``."""
        return f"{self.owner}.{self.name}" if self.owner else self.name


class Module(NamedTuple):
    """One module. ``externals``: the methods of what stands around core."""

    name: str
    doc: str
    constants: list[Constant]
    records: list[Record]
    routines: list[Routine]
    externals: list[Routine]
    tree: ast.Module


class Program:
    """All modules of core, with what is in them by name."""

    def __init__(self, texts: Mapping[str, str] | None = None) -> None:
        """Read core, or modules of the same form given as texts."""
        if texts is None:
            texts = {name: text_of(name) for name in MODULES}
        self.modules = [read(name, text) for name, text in texts.items()]
        self.constants = {one.name: one for module in self.modules for one in module.constants}
        self.records = {one.name: one for module in self.modules for one in module.records}
        self.routines = {one.key: one for module in self.modules for one in module.routines}
        self.externals = {one.key: one for module in self.modules for one in module.externals}

    def called(self, key: str) -> Routine | None:
        """What is called by a key, be it core's or what stands around it; None for neither."""
        return self.routines.get(key) or self.externals.get(key)


@cache
def core() -> Program:
    """Core as it is, read once: for whoever changes nothing in it."""
    return Program()


@cache
def _pickled() -> bytes:
    return pickle.dumps(Program())


def fresh() -> Program:
    """Core as it is, for whoever changes something in it."""
    made: Program = pickle.loads(_pickled())
    return made


def read(name: str, text: str) -> Module:
    """One module from its text. Outside where something in it has no place in core."""
    tree = ast.parse(text)
    tokens = tokenize.generate_tokens(io.StringIO(text).readline)
    comments = {one.start[0]: one.string[1:].strip() for one in tokens if one.type == tokenize.COMMENT}
    module = Module(name, ast.get_docstring(tree) or "", [], [], [], [], tree)
    for node, after in zip(tree.body, [*tree.body[1:], None], strict=True):
        if isinstance(node, ast.Assign):
            module.constants.append(_constant(node, after))
        elif isinstance(node, ast.FunctionDef):
            module.routines.append(_routine(node, ""))
        elif isinstance(node, ast.ClassDef):
            module.records.append(_record(node))
            into = module.externals if module.records[-1].is_external else module.routines
            into.extend(_routine(one, node.name) for one in node.body if isinstance(one, ast.FunctionDef))
        elif not (isinstance(node, ast.ImportFrom) or _is_text(node)):
            raise Outside(
                node,
                f"{type(node).__name__} at the top of a module",
                "modules hold constants, classes and functions",
            )
    for routine in module.routines:
        _note(routine.node.body, comments, routine.node.lineno)
    return module


def _note(body: list[ast.stmt], comments: Mapping[int, str], line: int) -> int:
    """Hang each comment on the statement that it stands before. ``line``: the last one before them; gives the
    last line of the last of them."""
    for one in body:
        said = [comments[at] for at in range(line + 1, one.lineno) if at in comments]
        one.notes = [" ".join(said)] if said else []  # type: ignore[attr-defined]
        line = one.lineno
        for inner in (getattr(one, "body", []), getattr(one, "orelse", [])):
            line = _note(inner, comments, line)
        line = max(line, one.end_lineno or 0)
    return line


def notes_of(node: ast.stmt) -> list[str]:
    """The comments before a statement."""
    return getattr(node, "notes", [])


def _is_text(node: ast.AST | None) -> bool:
    return (
        isinstance(node, ast.Expr)
        and isinstance(node.value, ast.Constant)
        and isinstance(node.value.value, str)
    )


def _constant(node: ast.Assign, after: ast.stmt | None) -> Constant:
    target = node.targets[0]
    try:
        value = ast.literal_eval(node.value)
    except ValueError:
        value = None
    if not isinstance(target, ast.Name) or type(value) is not int:
        raise Outside(node, "a constant that is no whole number", "write the number itself")
    doc = after.value.value if _is_text(after) else ""  # type: ignore[union-attr]
    return Constant(target.id, value, doc, node.lineno)


def _record(node: ast.ClassDef) -> Record:
    bases = [ast.unparse(base) for base in node.bases]
    if bases not in ([], ["Table"], [EXTERNAL]) or node.keywords or node.decorator_list:
        raise Outside(
            node, f"class {node.name} inherits or is decorated", f"only Table and {EXTERNAL} are bases"
        )
    fields: dict[str, str] = {}
    stores = [one for one in node.body if isinstance(one, ast.AnnAssign)]
    for one in node.body:
        if isinstance(one, ast.FunctionDef) and one.name == "__init__":
            stores += [store for store in one.body if isinstance(store, ast.AnnAssign)]
    rooms = {}
    for store in stores:
        target = store.target
        name = target.attr if isinstance(target, ast.Attribute) else ast.unparse(target)
        fields[name] = width_of(store.annotation, store)
        if fields[name].startswith("list[") and store.value is not None:
            rooms[name] = _room(store.value)
    doc = ast.get_docstring(node) or ""
    return Record(node.name, bases == ["Table"], fields, doc, rooms, bases == [EXTERNAL])


def _room(made: ast.expr) -> str:
    """How many a list of a state has room for, by how it is made."""
    of = None
    if isinstance(made, ast.BinOp) and isinstance(made.op, ast.Mult) and isinstance(made.left, ast.List):
        of = made.right
        if isinstance(of, ast.Call) and ast.unparse(of.func) == "len":
            of = of.args[0]
    elif isinstance(made, ast.ListComp) and isinstance(made.elt, ast.Call):
        of = made.generators[0].iter
    if isinstance(of, ast.Attribute):
        return f"MOST_{of.attr.upper()}"
    if not isinstance(of, ast.Name | ast.Constant):
        raise Outside(
            made, "a list that is made otherwise", "write [0] * SIZE or [Kind(one) for one in table.ones]"
        )
    return ast.unparse(of)


def _routine(node: ast.FunctionDef, owner: str) -> Routine:
    given = node.args
    if given.vararg or given.kwarg or given.kwonlyargs or given.defaults or node.decorator_list:
        raise Outside(node, f"{node.name} has defaults, keywords or decorators", "plain parameters only")
    takes = {one.arg: width_of(one.annotation, node) for one in given.args if one.arg != "self"}
    gives = "None" if isinstance(node.returns, ast.Constant) else width_of(node.returns, node)
    return Routine(node.name, owner, takes, gives, node, ast.get_docstring(node) or "")


def width_of(note: ast.expr | None, node: ast.AST) -> str:
    """An annotation as it is written. Outside if there is none."""
    if note is None:
        raise Outside(node, "no width", "annotate every parameter, result and field with its width")
    return ast.unparse(note)


def snake(name: str) -> str:
    """The name of a class as part of the name of a function in C.

    >>> snake("WatchTable")
    'watch_table'
    """
    return re.sub(r"(?<!^)(?=[A-Z])", "_", name).lower()
