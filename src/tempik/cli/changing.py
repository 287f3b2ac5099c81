"""What the verbs that list or change a project have in common."""

from __future__ import annotations

import argparse
import sys
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from tempik.errors import TempikError

if TYPE_CHECKING:
    from tempik.reel import Reel


def project_of(options: argparse.Namespace, else_: str) -> Reel:
    """Return the project that is named. Raises TempikError where none is, `else_` saying what could be given instead."""
    from tempik.project.file import load_reel

    if options.project is None:
        raise TempikError(f"Which project? Give a .tempik file, or {else_}.")
    return load_reel(options.project)


def saved_or_shown(
    reel: Reel, changed: Reel, options: argparse.Namespace, table: Callable[[Reel], str], quiet: bool = False
) -> int:
    """Save a changed project where the options say, or else show its table unless `quiet`; return 0."""
    from tempik.project.file import save_reel

    if changed is not reel:
        target: Path = options.output or options.project
        save_reel(changed, target)
        print(target)
    elif not quiet:
        sys.stdout.write(table(reel))
    return 0
