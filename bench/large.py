"""Reels far larger than anybody cuts: what an edit costs there, the project's own part of it, until all that follows is
worked out again."""

from __future__ import annotations

import gc
import os
import statistics
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

from msgspec.structs import replace

from bench.told import say
from tempik.project.file import save_reel
from tempik.reel import PointChoice, Reel
from tempik.rhythm.records import Analysis, Beat

_GAP_S = 0.3


def with_beats(reel: Reel, count: int) -> Reel:
    """Return a reel whose song has so many beats, all in use."""
    assert reel.soundtrack is not None
    beats = tuple(Beat(i * _GAP_S, 1.0, i // 4 + 1, i % 4 + 1, i * _GAP_S) for i in range(count))
    length_s = count * _GAP_S
    heard = Analysis(length_s, 60 / _GAP_S, beats=beats, steady=True, confidence=1.0)
    bare = {"placed": (), "own": (), "edits": (), "pieces": (), "whole": None, "choices": (PointChoice(),)}
    return replace(reel, soundtrack=replace(reel.soundtrack, length_s=length_s, heard=heard, **bare))


def main() -> None:
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    from PySide6.QtWidgets import QApplication

    from bench.campaign import cases
    from tempik.desktop.session.document import Project
    from tempik.edit.clips import place, trim
    from tempik.edit.song.points import nudged, with_point

    application = QApplication.instance() or QApplication([])
    gc.disable()  # as in the window, which collects when nothing is done

    def opened(reel: Reel, folder: Path) -> Project:
        project = Project()
        path = folder / f"{len(reel.clips)}.tempik"
        save_reel(reel, path)
        began = time.perf_counter()
        project.open(path)
        took = time.perf_counter() - began
        say(f"{len(reel.clips)} clips, {len(project.timeline.points)} points: opened", f"{took:.2f} s", "–", True)
        return project

    def timed(project: Project, what: str, edits: list[Callable[[Reel], Reel]], asked_s: float) -> None:
        took = []
        for edit in edits:
            began = time.perf_counter()
            done = project.change(what, edit)
            took.append(time.perf_counter() - began)
            if not done:
                raise SystemExit(f"{what}: the edit was refused")
        middle = statistics.median(took)
        say(what, f"{middle:.3f} s, at most {max(took):.3f}", f"≤ {asked_s:g} s", middle <= asked_s)

    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        (folder / "m").mkdir()
        small = cases.small_reel(folder / "m")
        long = replace(with_beats(small, 10_020), length_s=10_000 * _GAP_S, clips=())
        reel = place.filled(long, [p.id for p in long.footage])
        clips = [c.id for c in reel.clips]
        project = opened(reel, folder)
        timed(project, "a clip out", [lambda r, n=n: trim.without_clips(r, [clips[5000 + n]]) for n in range(7)], 0.1)  # type: ignore[misc]
        splits = [project.timeline.placed[3000 + 5 * n].first + 3 for n in range(7)]
        timed(project, "a split", [lambda r, f=f: trim.with_split(r, [f]) for f in splits], 0.1)  # type: ignore[misc]
        timed(project, "a clip out, the 5,000 after it close up",
              [lambda r, n=n: trim.without_clips(r, [clips[4900 - n]], True) for n in range(7)], 0.1)  # type: ignore[misc]  # fmt: skip
        project = opened(with_beats(small, 100_000), folder)
        timed(project, "a point nudged", [lambda r, n=n: nudged(r, [f"b{20 + n}"], 0.01) for n in range(7)], 0.5)  # type: ignore[misc]
        timed(project, "a point placed", [lambda r, n=n: with_point(r, 1.1 + n) for n in range(7)], 0.5)  # type: ignore[misc]
    del application
