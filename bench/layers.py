"""Layers: what two video layers with blend modes cost an export, and whether the preview keeps its rate under each mode."""

from __future__ import annotations

import statistics
import tempfile
import time
from pathlib import Path

from msgspec.structs import replace

from bench.told import say
from bench.transitions import demo_reel
from tempik.demo import write_demo
from tempik.edit import titles
from tempik.edit.clips import layers, masks, place
from tempik.edit.footage import tracking
from tempik.edit.footage.facts import footage_from
from tempik.media import probe
from tempik.media.blend import BLENDS
from tempik.media.proxy import make_proxy
from tempik.reel import Reel, Title
from tempik.render import PictureSource, export, plan
from tempik.timeline.timeline import Timeline


def layered(reel: Reel, modes: tuple[str, ...]) -> Reel:
    """Return a reel with a film over all of it for each mode, at 70 %."""
    for number, mode in enumerate(modes, 1):
        reel = place.with_new_track(reel)
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


def titled(reel: Reel) -> Reel:
    """Return a reel with a standing title over all of it."""
    made, _ = titles.with_title(reel, Title("Open day at the smithy", outline=0.05), 0, Timeline(reel).frames)
    return made


def all_of_it(reel: Reel) -> Reel:
    """Two films with blend modes, one of them masked, and a title."""
    made = layered(reel, ("screen", "overlay"))
    top = made.clips[-1].id
    made, mask = masks.with_mask(made, top, "ellipse")
    return titled(masks.with_mask_fields(made, top, mask, {"feather": 0.05}))


def proxies_of(reel: Reel) -> dict[str, str]:
    """Return the proxies that the window plays a reel's files from."""
    return {f.path: str(make_proxy(f.path)) for f in reel.footage if not f.without_file}


def costs(reel: Reel, folder: Path) -> None:
    """What a title, and all of it, cost an export beside the reel without them, in turn."""
    forms = {"plain": reel, "a title": titled(reel), "all": all_of_it(reel)}
    spent: dict[str, list[float]] = {name: [] for name in forms}
    for _ in range(2):
        for name, made in forms.items():
            began = time.perf_counter()
            export(Timeline(made), folder / "o.mp4")
            spent[name].append(time.perf_counter() - began)
    title, everything = (min(spent[n]) / min(spent["plain"]) for n in ("a title", "all"))
    say("export with a title that stands", f"{title:.2f} × without", "≤ 1.05 ×", title <= 1.05)
    say("export with two films blended, a mask and a title", f"{everything:.2f} ×", "≤ 1.5 ×", everything <= 1.5)
    timeline = Timeline(forms["all"])
    with PictureSource(proxy=proxies_of(reel).get) as source:
        for frame in range(30, 40):
            source.render(plan(timeline, frame, 540, 960))
        began = time.perf_counter()
        for frame in range(40, 100):
            source.render(plan(timeline, frame, 540, 960))
        rate = 60 / (time.perf_counter() - began)
    say("preview of that at half size from proxies, frames/s", f"{rate:.0f}", "≥ 30", rate >= 30)


def following(folder: Path) -> None:
    """How fast a subject is followed through a proxy, and through the file itself."""
    film = folder / "demo" / "hammer-blow.mp4"
    footage = footage_from(probe(str(film)), set())
    small = make_proxy(str(film))
    seed = (1.0, *tracking.likely_subject(footage, 1.0))
    for name, path in (("its proxy", str(small)), ("the file", str(film))):
        began = time.perf_counter()
        track = tracking.tracked(footage, *seed, None, None, path)
        rate = len(track.times_s) / (time.perf_counter() - began)
        say(f"a subject followed through {name}, frames/s", f"{rate:.0f}", "≥ 60", rate >= 60 or name == "the file")


def preview(reel: Reel) -> None:
    rates = {}
    proxies = proxies_of(reel)
    for mode in BLENDS:
        timeline = Timeline(layered(reel, (mode,)))
        with PictureSource(proxy=proxies.get) as source:
            for frame in range(30, 40):
                source.render(plan(timeline, frame, 540, 960))
            began = time.perf_counter()
            for frame in range(40, 70):
                source.render(plan(timeline, frame, 540, 960))
            rates[mode] = 30 / (time.perf_counter() - began)
    slow = sorted(rates, key=lambda k: rates[k])
    text = ", ".join(f"{k} {rates[k]:.0f}" for k in slow[:5])
    say(
        "preview at half size from proxies under a layer of each mode, frames/s: slowest",
        text,
        "≥ 30",
        rates[slow[0]] >= 30,
    )


def main() -> None:
    with tempfile.TemporaryDirectory() as made:
        folder = Path(made)
        write_demo(folder / "demo")
        reel = replace(demo_reel(folder / "demo"), length_s=8.0)
        costs(reel, folder)
        following(folder)
        preview(reel)
        exports(reel, folder)


if __name__ == "__main__":
    main()
