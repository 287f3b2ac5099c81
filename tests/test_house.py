"""The house keeps its rooms: limits of size, no widgets where none belong, nothing set on another object from outside."""

import ast
import os
import re
import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path
from typing import get_args

import pytest

from sources import tree_of
from tempik.desktop.widgets import marks, theme

SRC = Path(__file__).parents[1] / "src" / "tempik"
# Drawn scenes and their data may be long.
DRAWN = {"demo/scenes.py"}
FILES = sorted(p for p in SRC.rglob("*.py") if str(p.relative_to(SRC)) not in DRAWN)
# Imports inside a function only where they keep libraries that are slow to load out of the start.
SLOW = (
    "tempik.rhythm",
    "scipy",
    "tempik.desktop.app",
    "tempik.demo",
    "tempik.exchange",
    "tempik.check",
    "tempik.render",
    "tempik.media",
    "python_stretch",
    "logging.handlers",
    "PIL",
    "fontTools",
    "uniseg",
    "webvtt",
)
# A song's points follow from its record, which offers them: the one pair of modules that need each other.
PAIR = "tempik.reel.points"


def functions(tree: ast.Module) -> Iterator[ast.FunctionDef]:
    return (n for n in ast.walk(tree) if isinstance(n, ast.FunctionDef))


@pytest.mark.parametrize("room", ["session", "playback"])
def test_what_is_open_and_what_plays_knows_no_widgets(room: str) -> None:
    for path in (SRC / "desktop" / room).rglob("*.py"):
        assert "QtWidgets" not in path.read_text(), path


def test_no_class_file_or_function_is_too_large() -> None:
    large = []
    for path in FILES:
        text = path.read_text()
        tree = tree_of(path)
        if text.count("\n") > 450:
            large.append(f"{path}: {text.count(chr(10))} lines")
        for node in (n for n in ast.walk(tree) if isinstance(n, ast.ClassDef)):
            methods = sum(isinstance(m, ast.FunctionDef) for m in node.body)
            if methods > 30:
                large.append(f"{path}: {node.name} has {methods} methods")
        large += [
            f"{path}: {f.name} has {f.end_lineno - f.lineno + 1} lines"
            for f in functions(tree)
            if f.end_lineno is not None and f.end_lineno - f.lineno + 1 > 60
        ]
    assert not large, "\n".join(large)


def test_no_class_is_too_large_with_what_it_inherits_from_ours() -> None:
    """A large class is met by parts that own their state, not by a class above it."""
    defined: dict[str, list[ast.ClassDef]] = {}
    for path in FILES:
        for node in (n for n in ast.walk(tree_of(path)) if isinstance(n, ast.ClassDef)):
            defined.setdefault(node.name, []).append(node)

    def methods(node: ast.ClassDef) -> set[str]:
        names = {m.name for m in node.body if isinstance(m, ast.FunctionDef)}
        for base in (b for b in node.bases if isinstance(b, ast.Name)):
            for above in defined.get(base.id, []):
                names |= methods(above) if above is not node else set()
        return names

    large = {c.name: len(methods(c)) for found in defined.values() for c in found if len(methods(c)) > 30}
    assert not large


def test_nothing_is_set_on_another_object_from_outside() -> None:
    """Only `self.x = …` and what a function has made itself: no object is changed behind its back."""
    found = []
    for path in (p for p in FILES if "desktop" in p.parts):
        for function in functions(tree_of(path)):
            made = {
                t.id
                for n in ast.walk(function)
                if isinstance(n, ast.Assign)
                for target in n.targets
                for t in ast.walk(target)
                if isinstance(t, ast.Name)
            }
            for node in ast.walk(function):
                for target in node.targets if isinstance(node, ast.Assign) else []:
                    if isinstance(target, ast.Attribute):
                        base = target.value
                        own = isinstance(base, ast.Name) and base.id in {"self", "cls", *made}
                        if not own:
                            found.append(f"{path.relative_to(SRC)}:{target.lineno}: {ast.unparse(target)}")
    assert not found, "\n".join(found)


def test_imports_inside_functions_are_for_start_up_time_alone() -> None:
    found = []
    for path in (p for p in FILES if "cli" not in p.parts):
        for function in functions(tree_of(path)):
            for node in ast.walk(function):
                if isinstance(node, ast.ImportFrom) and not (node.module or "").startswith((*SLOW, PAIR)):
                    found.append(f"{path.relative_to(SRC)}:{node.lineno}: {ast.unparse(node)}")
    assert not found, "\n".join(found)


def test_every_room_says_what_it_holds() -> None:
    for path in SRC.rglob("__init__.py"):
        assert ast.get_docstring(tree_of(path)), path


def test_painters_are_made_in_one_place_where_they_always_end() -> None:
    made = [
        p.name for p in (SRC / "desktop").rglob("*.py") if re.search(r"QPainter\(\w", p.read_text(encoding="utf-8"))
    ]
    assert [n for n in made if n not in ("painting.py", "theme.py")] == []


def test_widgets_are_marked_for_the_one_style_sheet_and_have_none_of_their_own() -> None:
    """A fifth of making the window was sheets of single labels and fields, each parsed for itself and everything under it styled anew."""
    own = {p.name for p in FILES if "setStyleSheet(" in p.read_text(encoding="utf-8")}
    assert own == {"theme.py", "tour.py", "controls.py"}  # the sheet; a hint in colours of its own; any colour


def test_files_are_written_and_opened_in_one_room() -> None:
    """Whatever else writes could write through a stranger's link, or half."""
    ways = r"os\.replace|\.write_text\(|\.write_bytes\(|shutil\.(copy|move)|\bopen\([^)]*[\"'][wax]b?[\"']|mkstemp"
    texts = {p: p.read_text(encoding="utf-8") for p in SRC.rglob("*.py") if "disk" not in p.parts}
    found = {str(p.relative_to(SRC)): re.findall(ways, t) for p, t in texts.items() if re.search(ways, t)}
    # What libav, zipfile and the wave module write by name, into a file that `fresh_file` made.
    assert set(found) <= {"render/export.py", "media/proxy.py", "demo/write.py", "demo/song.py", "project/zipped.py"}, (
        found
    )


def test_the_window_starts_without_what_only_titles_and_pictures_need() -> None:
    """scipy.ndimage alone takes four tenths of a second."""
    slow = ("scipy.ndimage", "PIL", "fontTools", "uniseg", "srt", "webvtt", "resvg_py")
    asked = f"import sys, tempik.desktop.shell.window; print([m for m in {slow!r} if m in sys.modules])"
    done = subprocess.run([sys.executable, "-c", asked], capture_output=True, text=True, check=True)
    assert done.stdout.strip() == "[]"


def test_the_windows_own_threads_share_the_processors_with_no_others() -> None:
    """With the demo being drawn on both cores a grade's table waited nine seconds for the matrix library's own thread."""
    code = "import sys; before = 'numpy' in sys.modules; import os, tempik.desktop.app; print(before, os.environ['OPENBLAS_NUM_THREADS'])"
    bare = {name: value for name, value in os.environ.items() if name != "OPENBLAS_NUM_THREADS"}
    message = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True, env=bare).stdout
    assert message.split() == ["False", "1"]


def test_the_sources_of_modules_are_neither_read_nor_kept_while_the_window_loads() -> None:
    """The binding reads each to look for a switch of its own: a seventh of the start, and seven megabytes of text kept."""
    asked = "import linecache, tempik.desktop.shell.window; print([n for n in linecache.cache if 'tempik' in n][1:])"
    done = subprocess.run([sys.executable, "-c", asked], capture_output=True, text=True, check=True)
    assert done.stdout.strip() == "[]"


def test_every_mark_has_its_line_in_the_one_style_sheet() -> None:
    assert {"", *theme.INKS} == set(get_args(marks.Ink))
    assert set(marks.ROOMS) == set(get_args(marks.Room))


def test_the_memory_of_a_picture_is_read_in_one_place() -> None:
    """An array over it does not keep the picture: one place copies."""
    reading = {
        p.name for p in SRC.rglob("*.py") if re.search(r"\b(const)?[bB]its\(\)|constScanLine|scanLine\(", p.read_text())
    }
    assert reading == {"drawing.py"}


def imports_of(path: Path, modules: dict[str, Path]) -> set[str]:
    """Return the modules of ours that a file imports, wherever in it and for whatever."""
    found = set()
    for node in ast.walk(tree_of(path)):
        if isinstance(node, ast.ImportFrom) and node.module is not None and not node.level:
            for alias in node.names:
                whole = f"{node.module}.{alias.name}"
                found.add(whole if whole in modules else node.module)
        elif isinstance(node, ast.Import):
            found |= {alias.name for alias in node.names}
    return found & set(modules)


def test_no_imports_go_round_in_a_circle() -> None:
    modules = {
        ".".join(p.relative_to(SRC.parent).with_suffix("").parts).removesuffix(".__init__"): p
        for p in SRC.rglob("*.py")
    }
    needs = {name: imports_of(path, modules) - {name} for name, path in modules.items()}
    open_ = dict(needs)
    while True:  # what needs nothing that is still open is in no circle
        free = {name for name, wanted in open_.items() if not wanted & set(open_)}
        if not free:
            break
        for name in free:
            del open_[name]
    while True:  # nor is what nobody in a circle needs
        idle = {name for name in open_ if not any(name in wanted for wanted in open_.values())}
        if not idle:
            break
        for name in idle:
            del open_[name]
    assert not open_, f"circles among {sorted(open_)}"
