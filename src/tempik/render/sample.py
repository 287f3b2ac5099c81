"""An accent, a transition or a title on a picture by itself: for choosing one by eye, and for the guide's contact sheets."""

from __future__ import annotations

import math
from collections.abc import Callable
from fractions import Fraction
from functools import lru_cache

import numpy as np

from tempik.accents import CATALOGUE, Accent, Look, applied, form_of, level, settled, span_frames
from tempik.accents.accent import Moment, Value
from tempik.media.paint import mixed, warped
from tempik.media.picture import Picture
from tempik.reel import Clip, Edge, Footage, Key, Reel, Title, Transition
from tempik.render.compose import Source, compose
from tempik.render.plan import sample_plan
from tempik.render.title_layer import titled
from tempik.timeline.timeline import Timeline
from tempik.timeline.wording import wording_at
from tempik.titles import laid_out, words_of

RATE = Fraction(30)
GAP_S = 0.5
WORD_FRAMES, REST_FRAMES = 9, 24  # from word to word of a sample, and how long all of them stay
FILLS = (0.88, 0.82)  # of a sample's width and height, at most


def pulse_frames(accent: Accent, rate: Fraction = RATE) -> range:
    """Return the frames, the point's own being 0, in which an accent shows at its default."""
    before, after = span_frames(form_of(accent.envelope, rate, GAP_S, 30))
    return range(-before, after + 1)


def sample(
    frames: Callable[[int], Picture],
    accent: Accent,
    offset: int,
    given: dict[str, Value] | None = None,
    rate: Fraction = RATE,
    turn: int = 0,
) -> Picture:
    """Return what an accent does at full strength `offset` frames after its point; `frames` gives the plain picture of
    each frame. An accent that cycles shows the one whose turn it is."""
    values = settled(accent, given or {})
    if accent.name == "cycle":
        steps = [CATALOGUE[n] for n in str(values["steps"]).split(",") if n in CATALOGUE]
        return sample(frames, steps[turn % len(steps)]._replace(envelope=accent.envelope), offset, None, rate, turn)
    now = level(form_of(accent.envelope, rate, GAP_S, 30), offset)
    picture = frames(offset)
    if now <= 0:
        return picture
    height_ratio = picture.size[1] / picture.size[0]
    at = Moment(now, now, offset, offset / float(rate), 0.9, 5 + turn, turn, 0, (0.0, 0.0), height_ratio)
    look = accent.apply(Look(), at, values)
    if look.freeze is not None:
        picture = frames(look.freeze)
    picture = _moved(picture, look)
    if look.echo is not None:
        for number in range(1, look.echo.number + 1):
            behind = _moved(frames(offset - number * look.echo.apart), look)
            strength = look.echo.strength * (1 - (number - 1) / (look.echo.number + 1))
            picture = mixed(picture, behind, strength / 2)
    return applied(picture, look)


def _moved(picture: Picture, look: Look) -> Picture:
    width, height = picture.size
    a, b, x, c, d, y = look.move
    cx, cy = width / 2, height / 2
    return warped(
        picture,
        np.array([[a, b, cx - a * cx - b * cy + x * width], [c, d, cy - c * cx - d * cy + y * width]]),
    )


def sample_transition(
    out: Picture, into: Picture, transition: Transition, since: float, reach: tuple[int, int]
) -> Picture:
    """Return what a transition of a known kind makes of two pictures of one size, `since` frames after its turn; it has `reach`
    frames before and after it."""
    meant = sample_plan(transition, since, reach, *out.size)
    return compose(meant, [Source(out if layer_plan.path == "out" else into) for layer_plan in meant.layer_plans])


def title_frames(title: Title) -> int:
    """Return how many frames the sample of a title has."""
    return WORD_FRAMES * (len(words_of(title.text)) + 1) + REST_FRAMES


def sample_title(below: Picture, title: Title, on_points: bool, frame: int) -> Picture:
    """Return a picture with a title over it, as large as it has room for, `frame` frames after it begins: its words come one after another
    where they are on points."""
    alone = on_points and title.showing == "one"
    blocks = [laid_out(title, n) for n in range(len(words_of(title.text)))] if alone else [laid_out(title)]
    sides = max((b.width for b in blocks), default=1.0), max((b.height for b in blocks), default=1.0)
    wide, high = (v + 2 * title.box_pad * (title.box > 0) for v in sides)
    width, height = below.size
    em_px = min(width * FILLS[0] / max(wide, 0.5), height * FILLS[1] / max(high, 0.5))
    timeline = _title_timeline(title, on_points)
    placed = timeline.placed[0]
    wording = wording_at(timeline, placed, min(max(frame, 0), placed.end - 1))
    grown = em_px / (title.size * width)
    affine = np.array([[width * grown, 0, width * (1 - grown) / 2], [0, height * grown, height * (1 - grown) / 2]])
    return titled(below, title, wording, em_px, affine, "normal", 1.0, None)


@lru_cache(32)
def _title_timeline(title: Title, on_points: bool) -> Timeline:
    frames = title_frames(title)
    words = range(len(words_of(title.text))) if on_points else ()
    keys = tuple(Key((n + 1) * WORD_FRAMES / float(RATE), n + 1.0, None, "hold") for n in words)
    clip = Clip(
        "sample", "title", Edge(0.0), Edge(frames / float(RATE)), title=title, keys={"word": keys} if keys else {}
    )
    footage = Footage("title", "title", 1080, 1920, RATE, 1.0, kind="title", alpha=True)
    return Timeline(Reel(rate=RATE, length_s=frames / float(RATE), footage=(footage,), clips=(clip,)))


def drifting(picture: Picture, size: tuple[int, int]) -> Callable[[int], Picture]:
    """Return frames of a size cut out of a still, drifting slowly, so that held pictures and trails can be seen."""
    width, height = picture.size
    spare = max(0, width - size[0])

    def at(number: int) -> Picture:
        left = round(spare * (0.5 - 0.5 * math.cos(number / 14))) // 2 * 2
        top = max(0, (height - size[1]) // 4 * 2)
        planes = []
        for index, plane in enumerate(picture):
            k = 1 if index == 0 else 2
            planes.append(
                np.ascontiguousarray(plane[top // k : (top + size[1]) // k, left // k : (left + size[0]) // k])
            )
        return Picture(*planes)

    return at
