"""Transitions: what they cost an export, whether the preview keeps its rate through each kind, and whether what is proposed for a
cut suits a motion that is known. Use: ./run bench transitions [FILM …]; films given are cut into a reel beside the demo."""

from __future__ import annotations

import statistics
import sys
import tempfile
import time
from fractions import Fraction
from pathlib import Path

from msgspec.structs import replace

from bench.drawn_motion import H, Truth, W, truths, write_piece
from bench.told import say
from tempik.demo import PROJECT, write_demo
from tempik.edit.footage.facts import with_footage
from tempik.edit.song.stretches import with_stretch
from tempik.edit.transitions import laying
from tempik.media import probe
from tempik.project.file import load_reel
from tempik.reel import Clip, Edge, Footage, Reel
from tempik.render import PictureSource, export, plan
from tempik.render.motion import motion_of
from tempik.timeline.timeline import Timeline
from tempik.transitions import CATALOGUE, new_transition
from tempik.transitions.matching import proposals

STRETCH_S = 16.0
HELD_BACK = range(100, 106)  # seeds that nothing was tuned on
KINDS = [k for k in CATALOGUE if k != "hits"]


def demo_reel(demo: Path) -> Reel:
    """Return a stretch of the demo with its accents, without transitions and layers: what those cost is measured against it."""
    reel = with_stretch(load_reel(demo / PROJECT), 8.0, STRETCH_S)
    below = tuple(replace(c, transition=None, leave=None) for c in reel.clips if c.track == 0)
    return replace(reel, clips=below, tracks=reel.tracks[:1], footage=tuple(f for f in reel.footage if not f.as_frame))


def film_reel(films: list[str]) -> Reel:
    """Return films cut every two seconds, by turns, over ten seconds."""
    reel = Reel(width=1080, height=1920, length_s=10.0)
    for film in films:
        reel = with_footage(reel, probe(film))
    clips = []
    for number in range(5):
        piece = reel.footage[number % len(reel.footage)]
        late = 0.5 + 0.4 * number % max(piece.length_s - 3.0, 0.1)
        clips.append(Clip(f"c{number + 1}", piece.id, Edge(2.0 * number), Edge(2.0 * number + 2), source_s=late))
    return replace(reel, clips=tuple(clips))


def with_every_kind(reel: Reel, first: int = 0) -> Reel:
    """Lay an eight-frame transition on every cut, one kind after the other."""
    edges = laying.cuts(Timeline(reel))
    transitions = {
        at: replace(new_transition(KINDS[(first + n) % len(KINDS)]), length=8.0) for n, at in enumerate(edges)
    }
    return laying.with_transitions(reel, dict(transitions))


def exports(name: str, reel: Reel, folder: Path) -> None:
    """The same reel with and without transitions, by turns, each kind coming up over the runs."""
    cuts = len(laying.cuts(Timeline(reel)))
    ratios = []
    for run in range(3):
        spent = []
        for made in (reel, with_every_kind(reel, run * cuts)):
            began = time.perf_counter()
            export(Timeline(made), folder / "o.mp4")
            spent.append(time.perf_counter() - began)
        ratios.append(spent[1] / spent[0])
    ratio = statistics.median(ratios)
    text = f"{ratio:.2f} × without ({min(ratios):.2f}–{max(ratios):.2f}), {cuts} cuts"
    say(f"export with an 8-frame transition on every cut: {name}", text, "≤ 1.25 ×", ratio <= 1.25)


def preview(demo: Path) -> None:
    """Frames a second at half size through a transition of each kind, decoding included."""
    reel = demo_reel(demo)
    at = laying.cuts(Timeline(reel))[2]
    rates = {}
    for kind in CATALOGUE:
        timeline = Timeline(laying.laid(reel, [at], new_transition(kind)))
        placed_transition = timeline.transition_of(*at)
        assert placed_transition is not None
        best = 0.0
        for _ in range(2):
            with PictureSource() as source:
                for frame in range(placed_transition.begin - 10, placed_transition.begin):
                    source.render(plan(timeline, frame, 540, 960))
                began = time.perf_counter()
                for frame in range(placed_transition.begin, placed_transition.end):
                    source.render(plan(timeline, frame, 540, 960))
                best = max(best, placed_transition.frames / (time.perf_counter() - began))
        rates[kind] = best
    slow = sorted(rates, key=lambda k: rates[k])
    text = ", ".join(f"{k} {rates[k]:.0f}" for k in slow[:4])
    say("preview at half size through each kind, frames/s: slowest", text, "≥ 30", rates[slow[0]] >= 30)


def suits(first_form: str, first_way: str, truth: Truth) -> bool:
    """Tell whether the kind and way proposed first suit what was drawn."""
    if truth.form == "still":
        return first_form in ("dissolve", "")
    kinds = {"pan": ("push", "whip", "slide-away"), "zoom": (f"zoom-{truth.way}",), "turn": ("spin",)}[truth.form]
    return first_form in kinds and (truth.form == "zoom" or first_way == truth.way)


def matching(folder: Path) -> None:
    """Drawn motion with known truth on both sides of a cut: whether the first proposal goes its way."""
    right, count, wrong = 0, 0, []
    with PictureSource() as source:
        for seed in HELD_BACK:
            for number, truth in enumerate(truths()):
                path = write_piece(folder / f"{seed}-{number}.mp4", truth, 31 * seed + number)
                piece = Footage("f1", str(path), W, H, Fraction(30), 1.5)
                reel = Reel(
                    width=540, height=960, length_s=1.5, footage=(piece,), clips=(Clip("c1", "f1", Edge(0), Edge(1.5)),)
                )
                timeline = Timeline(reel)
                ends = [motion_of(timeline, timeline.placed[0], at_end, source) for at_end in (True, False)]
                first = proposals(*ends)[0]
                good = suits(first.kind, first.direction, truth)
                right, count = right + good, count + 1
                if not good:
                    wrong.append(f"{truth.form} {truth.way} {truth.speed}: {first.kind} {first.direction}")
                path.unlink()
    say(
        "first proposal suits drawn motion (seeds held back)",
        f"{right} of {count}, {right / count:.3f}",
        "≥ 0.95",
        right / count >= 0.95,
    )
    for text in wrong:
        print(f"  {text}")


def main(films: list[str]) -> None:
    with tempfile.TemporaryDirectory() as made:
        folder = Path(made)
        demo = folder / "demo"
        write_demo(demo)
        matching(folder)
        preview(demo)
        exports("the demo with its accents", demo_reel(demo), folder)
        bare = replace(demo_reel(demo), accent_lanes=())
        exports("the demo without accents", bare, folder)
        if films:
            exports(", ".join(Path(f).name for f in films), film_reel(films), folder)


if __name__ == "__main__":
    main(sys.argv[1:])
