"""What a verb writes to a file of its own, or to the screen."""

from __future__ import annotations

import argparse
import sys
from collections.abc import Sequence
from pathlib import Path

from tempik.cli.options import settled
from tempik.errors import TempikError


def write_out(data: bytes, options: argparse.Namespace, sources: Sequence[str | Path]) -> None:
    """Write to the file of -o, whole, or to the screen where none is named. Raises TempikError where an option would do nothing, or the
    file is one of the `sources` that it was made from."""
    from tempik.disk.writing import write_whole
    from tempik.project.file import SUFFIX
    from tempik.project.sources import refuse_source

    settled(options)
    if options.output is None:
        sys.stdout.flush()
        stream = getattr(sys.stdout, "buffer", None)
        if stream is None:  # a stream of text alone, such as one that catches it
            sys.stdout.write(data.decode(errors="replace"))
        else:
            stream.write(data)
            stream.flush()
        return
    target = options.output.absolute()
    if target.suffix == SUFFIX:
        raise TempikError(f"{options.output} is the name of a project, and this is none; give it another ending.")
    refuse_source(target, sources)
    write_whole(target, data)
