"""Breaks core and the translator in one place at a time, and looks whether anything notices.

    python tools/mutants.py [CORE [TRANSLATOR [SEED [NUMBER ...]]]]

A changed core is lived in checked mode beside the C of the unchanged one: every class and whole machines, as
in the tests. A changed translator makes the C again, which is compared with what the unchanged one makes, and
is given what lies outside the subset. What is left is given to the quick tests and those of infrared codes,
in a copy of the sources. What nobody notices is printed; ``tests/mutants_left.md`` argues each of those."""

import ast
import contextlib
import io
import json
import os
import random
import shutil
import subprocess
import sys
import tempfile
from collections.abc import Iterator
from pathlib import Path

ROOT = Path(__file__).parents[1]
SOURCE = ROOT / "src" / "nuvrik"
TRANSLATOR = ("values", "expressions", "body", "to_c", "program", "shape")
LONGEST_S = 240
"""What takes longer has been noticed: it does not come to an end."""

READ = tuple(f"infrared.{name}" for name in ("marks", "burst", "families", "shape", "infrared"))
MADE = ("infrared.codes", "loops.remote")
LONGER = {(one, name): (8, 15_000) for one in READ for name in ("InfraredReader", "Receiver")}
LONGER |= {(one, "Remote"): (60, 300) for one in MADE} | {("machine.mix", "Machine"): (40, 700)}
"""How many lives of how many steps, where others than usual find more: a step of a reader is one mark or one
space, so it takes many to come to a rare code; a remote has one code of many, and a machine one mix."""

OTHER = {
    ast.Lt: ast.LtE,
    ast.LtE: ast.Lt,
    ast.Gt: ast.GtE,
    ast.GtE: ast.Gt,
    ast.Eq: ast.NotEq,
    ast.NotEq: ast.Eq,
    ast.Add: ast.Sub,
    ast.Sub: ast.Add,
    ast.Mult: ast.Add,
    ast.FloorDiv: ast.Mult,
    ast.LShift: ast.RShift,
    ast.RShift: ast.LShift,
    ast.BitAnd: ast.BitOr,
    ast.BitOr: ast.BitAnd,
    ast.And: ast.Or,
    ast.Or: ast.And,
}
"""What an operator is changed to."""


def places(tree: ast.Module) -> Iterator[ast.AST]:
    """Everything in a module that may be changed: what is in functions, but no annotation or docstring."""
    for routine in ast.walk(tree):
        if not isinstance(routine, ast.FunctionDef) or routine.name == "__init__":
            continue
        notes = {id(part) for node in ast.walk(routine) for note in _notes(node) for part in ast.walk(note)}
        for node in ast.walk(routine):
            if id(node) in notes:
                continue
            if isinstance(node, ast.Compare | ast.BinOp | ast.BoolOp | ast.AugAssign):
                operator = node.ops[0] if isinstance(node, ast.Compare) else node.op
                if type(operator) in OTHER:
                    yield node
            elif (isinstance(node, ast.Constant) and type(node.value) in (int, bool)) or (
                isinstance(node, ast.Expr) and isinstance(node.value, ast.Call)
            ):
                yield node


def _notes(node: ast.AST) -> list[ast.expr]:
    found = [getattr(node, name, None) for name in ("annotation", "returns")]
    return [note for note in found if isinstance(note, ast.expr)]


def changed(text: str, at: int) -> tuple[str, int, str]:
    """A module with its place of that number changed; the line, and what was done."""
    tree = ast.parse(text)
    node = list(places(tree))[at]
    before = ast.unparse(node)
    if isinstance(node, ast.Compare):
        node.ops[0] = OTHER[type(node.ops[0])]()
    elif isinstance(node, ast.BinOp | ast.BoolOp | ast.AugAssign):
        node.op = OTHER[type(node.op)]()  # type: ignore[assignment]
    elif isinstance(node, ast.Constant):
        node.value = not node.value if isinstance(node.value, bool) else node.value + 1
    elif isinstance(node, ast.Expr):
        node.value = ast.Constant(None)
    return ast.unparse(tree), node.lineno, f"{before}  ->  {ast.unparse(node)}"  # type: ignore[attr-defined]


def sample(files: list[Path], count: int, rng: random.Random) -> list[tuple[Path, int]]:
    """So many places, no two in one line."""
    all_places = []
    for file in files:
        nodes = list(places(ast.parse(file.read_text("utf-8"))))
        all_places += [(file, at, node.lineno) for at, node in enumerate(nodes)]  # type: ignore[attr-defined]
    rng.shuffle(all_places)
    lines = {(file, line): (file, at) for file, at, line in all_places}
    return rng.sample(sorted(lines.values()), count)


# ---- in a process of its own ----


def live_changed(module: str, text: str, library: str, seed: int) -> str:
    """Live core with one module changed beside the C of the unchanged one; what was noticed."""
    sys.path.insert(0, str(ROOT / "tests"))
    os.environ["NUVRIK_SEED"] = str(seed)
    from nuvrik.export import checked, program

    texts = {name: program.text_of(name) for name in program.MODULES}
    for name in [
        one for one in sys.modules if one.startswith("nuvrik.core.") or one.startswith("nuvrik.plan")
    ]:
        if name.split(".")[-1] not in ("widths", "ranges"):
            del sys.modules[name]
    sys.meta_path.insert(0, checked.Finder(texts | {module: text}))
    try:
        return _lived(module, library, seed)
    except Exception as problem:
        return f"{type(problem).__name__}: {problem}"


def _lived(module: str, library: str, seed: int) -> str:
    import test_core
    from random_links import random_link

    import nuvrik
    from nuvrik.export.native import Native
    from nuvrik.export.traces.driver import Life
    from nuvrik.export.traces.runners import in_c
    from nuvrik.plan.starters import starter_names, starter_text

    native, rng = Native(Path(library)), random.Random(seed)
    near = sorted(
        test_core.LIVES, key=lambda name: test_core.LIVES[name][0].__module__ != f"nuvrik.core.{module}"
    )
    for name in near:
        lives, steps = LONGER.get((module, name), (4, 700))
        for turn in range(lives):
            said = test_core.differs(native, name, test_core.LIVES[name][1](rng), turn, steps)
            if said:
                return f"{name}: {said}"
    links = [nuvrik.parse(starter_text(name)) for name in starter_names() if name != "curtain"]
    for style in ("packed", "slip", "line", "columns", "keys", "train") * 4:
        links.append(random_link(rng, style=style))
    for link in links:
        said = in_c(native, Life(link, seed), 1200)
        if said:
            return said
    return ""


def translated_otherwise(module: str, text: str) -> str:
    """Translate with one module of the translator changed; what was noticed."""
    import importlib
    import types

    from nuvrik.export.native import whole_source as as_it_was

    unchanged = as_it_was()
    for name in [one for one in sys.modules if one.startswith("nuvrik.export")]:
        del sys.modules[name]
    made = types.ModuleType(f"nuvrik.export.{module}")
    made.__file__ = str(SOURCE / "export" / f"{module}.py")
    package = importlib.import_module("nuvrik.export")
    sys.modules[made.__name__] = made
    setattr(package, module, made)
    exec(compile(text, made.__file__, "exec"), made.__dict__)
    try:
        from nuvrik.export.native import whole_source

        if whole_source() != unchanged:
            return "another core in C"
        sys.path.insert(0, str(ROOT / "tests"))
        import pytest

        there_too = str(ROOT / "tests" / "test_core.py")
        with contextlib.redirect_stdout(io.StringIO()):
            failed = pytest.main(["-q", "-x", "-p", "no:cacheprovider", there_too, "-k", OUTSIDE])
        return "what lies outside the subset" if failed else ""
    except Exception as problem:
        return f"{type(problem).__name__}: {problem}"


OUTSIDE = "outside or subset or wrap or expression or translation or no_more"


def tested(file: Path, text: str) -> str:
    """Run tests in a copy of the sources with one file changed; what was noticed."""
    with tempfile.TemporaryDirectory() as folder:
        listed = subprocess.run(
            ["git", "ls-files"], cwd=ROOT, check=True, capture_output=True, text=True
        ).stdout
        for name in listed.splitlines():
            (Path(folder) / name).parent.mkdir(parents=True, exist_ok=True)
            shutil.copy(ROOT / name, Path(folder) / name)
        (Path(folder) / file.relative_to(ROOT)).write_text(text, "utf-8")
        words = [sys.executable, "-m", "pytest", "-q", "-x", "-n", "2", "-p", "no:cacheprovider"]
        seen = os.environ | {"PYTHONPATH": str(Path(folder) / "src")}
        for more in (["-m", "not live and not slow"], ["tests/test_infrared.py"]):
            done = subprocess.run(
                [*words, *more], cwd=folder, env=seen, capture_output=True, text=True, check=False
            )
            if done.returncode:
                failed = [line for line in done.stdout.splitlines() if line.startswith(("FAILED", "ERROR"))]
                return failed[0] if failed else "the tests do not run"
    return ""


def main(core: int, translator: int, seed: int, *only: int) -> int:
    """Change, look, and print what nobody noticed; of the changes only some, by their numbers, if any are
    given."""
    from nuvrik.export.native import build
    from nuvrik.export.program import CORE, MODULES, file_of, name_of

    rng = random.Random(seed)
    library = Path(tempfile.mkdtemp()) / "core.so"
    build(library)
    chosen = sample([CORE / file_of(name) for name in MODULES if name != "sizes"], core, rng)
    chosen += sample([SOURCE / "export" / f"{name}.py" for name in TRANSLATOR], translator, rng)
    left = []
    for number, (file, at) in enumerate(chosen):
        if only and number + 1 not in only:
            continue
        text, line, what = changed(file.read_text("utf-8"), at)
        words = [
            sys.executable,
            __file__,
            "--one",
            *(("core", name_of(file)) if CORE in file.parents else ("export", file.stem)),
            str(library),
            str(seed + number),
        ]
        try:
            done = subprocess.run(
                words, input=text, capture_output=True, text=True, timeout=LONGEST_S, check=False
            )
            said = json.loads(done.stdout.splitlines()[-1]) if done.returncode == 0 else done.stderr[-200:]
        except subprocess.TimeoutExpired:
            said = "it does not come to an end"
        said = said or tested(file, text)
        where = f"{file.relative_to(SOURCE)}:{line}: {what}"
        print(f"{number + 1:3} {'noticed' if said else 'LEFT   '} {where}", flush=True)
        if not said:
            left.append(where)
    many = len(only) or len(chosen)
    print(f"{many - len(left)} of {many} noticed, {100 * (1 - len(left) / many):.1f} %")
    for where in left:
        print(f"left: {where}")
    return 0


if __name__ == "__main__":
    if sys.argv[1:2] == ["--one"]:
        room, name, built, number = sys.argv[2:]
        given = sys.stdin.read()
        one = (
            live_changed(name, given, built, int(number))
            if room == "core"
            else translated_otherwise(name, given)
        )
        print(json.dumps(one[:300]))
    else:
        numbers = [int(one) for one in sys.argv[1:]]
        sys.exit(main(*(numbers + [84, 20, 1][len(numbers) :])))
