"""Carrying out one file of an order: written, and measured where that is wished."""

from __future__ import annotations

import ctypes
import signal
import threading
from pathlib import Path
from typing import NamedTuple

from tempik.check import Report, check_reel, check_rendered, total_text
from tempik.check.landing import report
from tempik.deliver.order import Order, OrderedFile, shaped_reel
from tempik.errors import TempikError
from tempik.media import probe
from tempik.reel import Reel
from tempik.reel.nests import all_closed
from tempik.render.export import Exported, Progress, export
from tempik.timeline.timeline import Timeline, timeline_of

PR_SET_PDEATHSIG = 1  # linux/prctl.h


class Delivered(NamedTuple):
    """What came of it: the file as written, and where its events land, in the file where that was measured."""

    done: Exported
    report: Report
    measured: bool

    @property
    def text(self) -> str:
        """Where events land and how loud it is, in one line."""
        where = "measured in the file" if self.measured else "as planned"
        loud = f"; {self.done.loudness.text}" if self.done.loudness is not None else ""
        return f"{total_text(self.report)}, {where}{loud}"

    @property
    def notes(self) -> list[str]:
        """What a person should know, each said once."""
        return [*dict.fromkeys([*self.done.notes, *self.report.notes])]


def deliver(
    made: OrderedFile, measure: bool, progress: Progress | None = None, cancel: threading.Event | None = None
) -> Delivered:
    """Write one file of an order. Raises TempikError, and Cancelled when `cancel` is set."""
    timeline = timeline_of(made.reel)
    done = export(timeline, made.target, made.settings, progress, cancel)
    if measure:
        return Delivered(done, check_rendered(timeline, made.target, made.settings.part), True)
    return Delivered(done, _planned(timeline, made.settings.part), False)


def _planned(timeline: Timeline, part: tuple[float, float] | None) -> Report:
    """Return the check of a reel, or of a part of it."""
    whole = check_reel(timeline)
    if part is None:
        return whole
    events = [e for e in whole.events if part[0] - 1e-6 <= e.time_s < part[1] - 1e-6]
    return report(events, whole.notes)


def measured(reel: Reel, path: Path, part: tuple[float, float] | None = None) -> Report:
    """Return the check of a reel as measured in a film of it, whatever frame and rate it was written in; `part` is what of the
    reel it has. Raises TempikError where it cannot be read, or is none of this reel."""
    reel, facts = all_closed(reel), probe(str(path))
    if facts.frame_index is None:
        raise TempikError(f"{path} has no pictures to measure; choose an exported film.")
    rate = facts.frame_index.rate
    order = Order(size=(facts.width, facts.height), rate=str(rate) if rate != reel.rate else "")
    return check_rendered(timeline_of(shaped_reel(reel, order, "reel")), path, part)


def go_on_when_parent_dies() -> None:
    """Ask the system to wake this process when its parent dies: one that is paused then would be for ever, and hold its item."""
    try:
        ctypes.CDLL(None).prctl(PR_SET_PDEATHSIG, signal.SIGCONT)
    except (OSError, AttributeError):
        pass  # a system that has no such call
