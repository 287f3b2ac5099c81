"""The sources, read and parsed once for all tests that look at them."""

from __future__ import annotations

import ast
from functools import cache
from pathlib import Path

SRC = Path(__file__).parents[1] / "src" / "tempik"


@cache
def text_of(path: Path) -> str:
    """Return what stands in a file."""
    return path.read_text(encoding="utf-8")


@cache
def tree_of(path: Path) -> ast.Module:
    """Return a module's syntax tree; nobody changes it."""
    return ast.parse(text_of(path))
