"""Layers: what two video layers with blend modes cost an export, and whether the preview keeps its rate under each mode."""

from __future__ import annotations

import statistics
import tempfile
import time
from pathlib import Path

from msgspec.structs import replace

from bench.joins import demo_reel
from bench.speed import say
from tempik.demo import write_demo
from tempik.edit.clips import layers, place
from tempik.media.blend import BLENDS
from tempik.reel import Reel
from tempik.render import PictureSource, export, plan
from tempik.timeline.timeline import Timeline


def layered(reel: Reel, modes: tuple[str, ...]) -> Reel:
    """Return a reel with a film over all of it for each mode, at 70 %."""
    for number, mode in enumerate(modes, 1):
        reel = place.with_row(reel)
        before = {c.id for c in reel.clips}
        piece = reel.footage[-number].id
        reel = place.with_clip_at(reel, piece, 0, number, "over", frames=Timeline(reel).frames)
        name = next(c.id for c in reel.clips if c.id not in before)
        reel = layers.with_opacity(layers.with_blend(reel, [name], mode), [name], 0.7)
    return replace(reel, clips=tuple(replace(c, beyond="loop") if c.track else c for c in reel.clips))


def exports(reel: Reel, folder: Path) -> None:
    ratios = []
    for modes in (("screen", "overlay"), ("multiply", "plus-lighter"), ("soft-light", "luminosity")):
        spent = []
        for made in (reel, layered(reel, modes)):
            began = time.perf_counter()
            export(Timeline(made), folder / "o.mp4")
            spent.append(time.perf_counter() - began)
        ratios.append(spent[1] / spent[0])
        say(
            f"export with two video layers: {' and '.join(modes)}",
            f"{ratios[-1]:.2f} × without",
            "≤ 1.5 ×",
            ratios[-1] <= 1.5,
        )
    say("the middle of them", f"{statistics.median(ratios):.2f} ×", "≤ 1.5 ×", statistics.median(ratios) <= 1.5)


def preview(reel: Reel) -> None:
    rates = {}
    for mode in BLENDS:
        timeline = Timeline(layered(reel, (mode,)))
        with PictureSource() as source:
            for frame in range(30, 40):
                source.render(plan(timeline, frame, 540, 960))
            began = time.perf_counter()
            for frame in range(40, 70):
                source.render(plan(timeline, frame, 540, 960))
            rates[mode] = 30 / (time.perf_counter() - began)
    slow = sorted(rates, key=lambda k: rates[k])
    text = ", ".join(f"{k} {rates[k]:.0f}" for k in slow[:5])
    say("preview at half size under a layer of each mode, frames/s: slowest", text, "≥ 30", rates[slow[0]] >= 30)


def main() -> None:
    with tempfile.TemporaryDirectory() as made:
        folder = Path(made)
        write_demo(folder / "demo")
        reel = replace(demo_reel(folder / "demo"), length_s=8.0)
        preview(reel)
        exports(reel, folder)


if __name__ == "__main__":
    main()
