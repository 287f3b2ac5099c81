"""What others may call says what it does: every public module, class, function and method has a docstring of its own, or one to go by.

A method goes by the docstring of the one that it overrides, in our classes or in Qt's; a command by its text on screen, which is
what keys, menus and the palette say of it.
"""

from __future__ import annotations

import ast
import importlib
import inspect
import pkgutil
from collections.abc import Iterator
from functools import cached_property
from pathlib import Path
from types import FunctionType, ModuleType

import tempik
from sources import tree_of
from tempik.desktop.preview.mode import PreviewTool

# What classes are, without saying so: their methods do what these say.
PROTOCOLS = (PreviewTool,)


def modules() -> Iterator[ModuleType]:
    yield tempik
    for found in pkgutil.walk_packages(tempik.__path__, "tempik."):
        if not found.name.endswith("__main__"):
            yield importlib.import_module(found.name)


def public_members(kind: type) -> Iterator[tuple[str, object]]:
    for name, value in list(vars(kind).items()):
        if name.startswith("_") or name in getattr(kind, "__annotations__", {}):
            continue
        if isinstance(value, (staticmethod, classmethod)):
            value = value.__func__
        if isinstance(value, (FunctionType, property, cached_property)):
            yield name, value


def goes_by_another(kind: type, name: str) -> bool:
    """Tell whether a method overrides one that says what it does, or one of Qt's."""
    for base in kind.__mro__[1:]:
        if name in vars(base):
            ours = base.__module__.startswith("tempik.")
            return not ours or bool(inspect.getdoc(getattr(base, name))) or goes_by_another(base, name)
    return False


def fits(kind: type, name: str) -> bool:
    """Tell whether a class has all that one of PROTOCOLS asks for, and this method is of it: it says what the method does."""
    for protocol in PROTOCOLS:
        asked = {n for n in vars(protocol) if not n.startswith("_")}
        if name in asked and all(hasattr(kind, n) for n in asked):
            return True
    return False


def undocumented() -> Iterator[str]:
    for module in modules():
        if not module.__doc__ and not module.__name__.endswith("__init__") and module.__file__ is not None:
            tree = tree_of(Path(module.__file__))
            if tree.body:
                yield module.__name__
        for name, value in list(vars(module).items()):
            if name.startswith("_") or getattr(value, "__module__", "") != module.__name__:
                continue
            if isinstance(value, FunctionType) and not value.__doc__:
                yield f"{module.__name__}.{name}"
            elif isinstance(value, type):
                if not value.__doc__:
                    yield f"{module.__name__}.{name}"
                for member, function in public_members(value):
                    documented = bool(function.__doc__) or hasattr(function, "command")
                    if not documented and not goes_by_another(value, member) and not fits(value, member):
                        yield f"{module.__name__}.{name}.{member}"


def test_everything_public_says_what_it_does() -> None:
    missing = sorted(undocumented())
    assert missing == [], f"{len(missing)} without a docstring:\n" + "\n".join(missing)


def public_functions() -> Iterator[tuple[str, ast.FunctionDef, str]]:
    root = Path(tempik.__file__).parent
    for path in sorted(root.rglob("*.py")):
        for node in ast.walk(tree_of(path)):
            if isinstance(node, ast.FunctionDef) and not node.name.startswith("_"):
                doc = ast.get_docstring(node)
                if doc:
                    yield f"{path.relative_to(root)}:{node.lineno} {node.name}", node, doc


def test_what_raises_says_when() -> None:
    found = []
    for where, node, doc in public_functions():
        raised = [ast.unparse(n.exc) for n in ast.walk(node) if isinstance(n, ast.Raise) and n.exc is not None]
        if any("TempikError" in each for each in raised) and not ("aises" in doc and "TempikError" in doc):
            found.append(where)
    assert not found, "\n".join(found)


# What says of an array what it holds: its shape, or what one of its values is.
SAYS_WHAT = (
    "shape",
    "sample",
    "row",
    "column",
    "(n",
    "array",
    "frames",
    "per ",
    "a value",
    "seconds",
    "pixels",
    "px",
    "each",
    "0 to",
)


def test_what_takes_or_gives_a_bare_array_says_what_is_in_it() -> None:
    """Arrays that have a name of their own (Samples, Plane, …) are described where they are named."""
    found = []
    for where, node, doc in public_functions():
        types = [a.annotation for a in node.args.args if a.annotation is not None] + (
            [node.returns] if node.returns else []
        )
        if any("NDArray[" in ast.unparse(t) for t in types) and not any(word in doc for word in SAYS_WHAT):
            found.append(where)
    assert not found, "\n".join(found)
