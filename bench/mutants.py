"""Would the tests notice? Small faults are put into the code, one at a time, and the tests that name the module are run on each.

`./run bench mutants [COUNT [FOLDER …]]` draws COUNT faults (40) over `timeline/`, `edit/` and `check/`: a comparison turned, a sum taken for a
difference, a number one off, a condition denied, a result left out. What is not noticed is listed. The draw is the same each time."""

from __future__ import annotations

import ast
import os
import random
import shutil
import subprocess
import sys
import tempfile
from collections.abc import Iterator
from pathlib import Path
from typing import NamedTuple

ROOT = Path(__file__).parents[1]
FOLDERS = ("timeline", "edit", "check")
MOST_FILES = 6  # of tests tried on a fault, those that name the module most often first
LIMIT_S = 240
# What tries a whole folder, beside the tests that name a module.
GENERAL = {
    "timeline": ("test_landing", "test_edit"), "edit": ("test_any_edits", "test_edit", "test_drafting"),
    "check": ("test_landing",),
}  # fmt: skip
TURNED: dict[type[ast.cmpop], type[ast.cmpop]] = {
    ast.Lt: ast.LtE, ast.LtE: ast.Lt, ast.Gt: ast.GtE, ast.GtE: ast.Gt, ast.Eq: ast.NotEq, ast.NotEq: ast.Eq, ast.Is: ast.IsNot,
    ast.IsNot: ast.Is, ast.In: ast.NotIn, ast.NotIn: ast.In,
}  # fmt: skip
OTHER: dict[type[ast.operator], type[ast.operator]] = {
    ast.Add: ast.Sub, ast.Sub: ast.Add, ast.Mult: ast.Div, ast.Div: ast.Mult,
}  # fmt: skip


class Mutant(NamedTuple):
    """A fault: in which module (from `src/tempik`), on which line, at which node of its tree, and what it does."""

    module: str
    line: int
    number: int
    what: str


def mutants_of(path: Path, folder: Path) -> Iterator[Mutant]:
    """Yield every fault of a module."""
    for number, node in enumerate(ast.walk(ast.parse(path.read_text()))):
        fault = _fault(node)
        if fault is not None:
            yield Mutant(str(path.relative_to(folder)), getattr(node, "lineno", 0), number, fault)


def source_with(mutant: Mutant, root: Path) -> str:
    """Return a module with a fault in it."""
    tree = ast.parse((root / "src" / "tempik" / mutant.module).read_text())
    _fault(next(n for i, n in enumerate(ast.walk(tree)) if i == mutant.number), really=True)
    return ast.unparse(ast.fix_missing_locations(tree))


def _fault(node: ast.AST, really: bool = False) -> str | None:
    """Return what a fault in a node would be, in words; None for none. `really` puts it in."""
    if isinstance(node, ast.Compare) and type(node.ops[0]) in TURNED:
        was = ast.unparse(node)
        if really:
            node.ops[0] = TURNED[type(node.ops[0])]()
        return f"comparison turned: {was}"
    if isinstance(node, ast.BinOp) and type(node.op) in OTHER:
        if isinstance(node.left, ast.Constant | ast.JoinedStr) and isinstance(getattr(node.left, "value", ""), str):
            return None
        was = ast.unparse(node)
        if really:
            node.op = OTHER[type(node.op)]()
        return f"another operation: {was}"
    if isinstance(node, ast.Constant) and type(node.value) is int and abs(node.value) < 1000:
        was = str(node.value)
        if really:
            node.value = node.value + 1
        return f"one more than {was}"
    if isinstance(node, ast.If | ast.IfExp):
        was = ast.unparse(node.test)
        if really:
            node.test = ast.UnaryOp(ast.Not(), node.test)
        return f"condition denied: {was}"
    if isinstance(node, ast.BoolOp):
        was = ast.unparse(node)
        if really:
            node.op = ast.Or() if isinstance(node.op, ast.And) else ast.And()
        return f"and for or: {was}"
    return None


def tests_of(module: str, root: Path) -> list[str]:
    """Return the files of tests that name a module, or what is defined in it, most often first."""
    dotted = "tempik." + module.removesuffix(".py").removesuffix("/__init__").replace("/", ".")
    stem, above = dotted.rsplit(".", 1)[1], dotted.rsplit(".", 1)[0]
    defined = [
        n.name
        for n in ast.parse((root / "src" / "tempik" / module).read_text()).body
        if isinstance(n, ast.FunctionDef | ast.ClassDef) and not n.name.startswith("_")
    ]
    found = []
    for path in sorted((root / "tests").glob("test_*.py")):
        text = path.read_text()
        count = 5 * text.count(dotted) + (5 if f"from {above} import" in text and stem in text else 0)
        count += sum(text.count(f"{name}(") for name in defined)
        if count:
            found.append((-count, str(path)))
    named = [name for _, name in sorted(found)[:MOST_FILES]]
    general = [str(root / "tests" / f"{name}.py") for name in GENERAL.get(module.split("/", maxsplit=1)[0], ())]
    return [*named, *(name for name in general if name not in named)]


def noticed(mutant: Mutant, root: Path) -> bool:
    """Tell whether the tests fail on a fault."""
    tests = tests_of(mutant.module, root)
    with tempfile.TemporaryDirectory() as name:
        src = Path(name) / "src"
        shutil.copytree(root / "src", src, ignore=shutil.ignore_patterns("__pycache__"))
        (src / "tempik" / mutant.module).write_text(source_with(mutant, root))
        where = {
            **os.environ,
            "PYTHONPATH": f"{src}:{root}",
            "QT_QPA_PLATFORM": "offscreen",
            "PYTHONDONTWRITEBYTECODE": "1",
        }
        quick = "not film and not slow and not explore"  # as `./run test` has it, without its samples
        command = [sys.executable, "-m", "pytest", "-q", "-x", "-m", quick, "-p", "no:cacheprovider", *tests]
        try:
            ended = subprocess.run(command, cwd=root, env=where, capture_output=True, timeout=LIMIT_S, check=False)
        except subprocess.TimeoutExpired:
            return True  # it goes round for ever: noticed
        return ended.returncode not in (0, 5)


def drawn(count: int, folders: tuple[str, ...], root: Path, known: set[tuple[str, str]] | None = None) -> list[Mutant]:
    """Return faults drawn over folders; of `known` modules and words alone, where these are given."""
    folder = root / "src" / "tempik"
    every = [m for name in folders for path in sorted((folder / name).rglob("*.py")) for m in mutants_of(path, folder)]
    if known is not None:
        every = [m for m in every if (m.module, m.what) in known]
    return random.Random(7).sample(every, min(count, len(every)))


def main(arguments: list[str]) -> None:
    """Draw, try, and say what was not noticed."""
    count = int(arguments[0]) if arguments else 40
    folders = tuple(arguments[1:]) or FOLDERS
    lived: list[Mutant] = []
    killed = 0
    for number, mutant in enumerate(drawn(count, folders, ROOT), 1):
        found = noticed(mutant, ROOT)
        killed += found
        if not found:
            lived.append(mutant)
        print(
            f"{number}/{count} {mutant.module}:{mutant.line} {'noticed' if found else 'NOT NOTICED'}", file=sys.stderr
        )
    for mutant in lived:
        print(f"not noticed: {mutant.module}:{mutant.line}: {mutant.what[:120]}")
    print(f"{killed} of {count} faults noticed")
