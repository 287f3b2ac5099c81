"""Accents of movement: all of them give one affine, so that all of them together cost one warp."""

from __future__ import annotations

import math

from tempik.accents.accent import Accent, Moment, Values, drawn, number, wobble, words
from tempik.accents.look import IDENTITY, Affine, Look, about, shifted, times
from tempik.reel import Envelope, Length
from tempik.settings import Setting

KINDS = ("any way", "across", "up and down", "tilt", "zoom")
EDGES = ("mirrored", "zoomed in")
TILT_DEG = 26.0  # of tilt to a shift of the whole width: a shake of 3.5 % tilts by 0.9 degrees


def _jolt(at: Moment, values: Values, swing: float, angle: float) -> Affine:
    """Return the displacement of a shake of a swing, from −1 to 1 and beyond."""
    size, kind = number(values, "size") * swing, words(values, "kind")
    if kind == "across":
        return shifted(size, 0.0)
    if kind == "up and down":
        return shifted(0.0, size)
    if kind == "tilt":
        return about(0.0, 0.0, 1.0, 2.5 * TILT_DEG * size)
    if kind == "zoom":
        return about(0.0, 0.0, 1 + 1.5 * abs(size))
    x, y = math.cos(angle), math.sin(angle)
    return times(shifted(size * x, size * y), about(0.0, 0.0, 1.0, TILT_DEG * size * x))


def _room(at: Moment, values: Values, weight: float) -> Affine:
    """Return the zoom that keeps the frame's edges out of sight at a weight, whatever way the shake goes."""
    if words(values, "edges") != "zoomed in" or words(values, "kind") == "zoom":
        return IDENTITY
    size = number(values, "size") * weight
    kind = words(values, "kind")
    across = 0.0 if kind in ("up and down", "tilt") else size
    down = 0.0 if kind in ("across", "tilt") else size
    turn = math.radians(TILT_DEG * (2.5 if kind == "tilt" else 1.0 if kind == "any way" else 0.0) * size)
    half_w, half_h = 0.5, at.height_ratio / 2
    need_w = (half_w * math.cos(turn) + half_h * math.sin(turn) + across) / half_w
    need_h = (half_h * math.cos(turn) + half_w * math.sin(turn) + down) / half_h
    return about(0.0, 0.0, max(need_w, need_h))


def _shake(look: Look, at: Moment, values: Values) -> Look:
    # Phase-locked: the cosine is 1 at the point itself, so the largest displacement is on the point's own frame.
    swings = number(values, "hz") * at.since_s
    swing, angle = math.cos(2 * math.pi * swings), at.angle
    if words(values, "texture") == "rough":
        # Every half swing goes another way and another distance, though never as far as the first.
        turn = round(2 * swings)
        if turn:
            angle += 2 * math.pi * drawn(at.seed, ("way", turn))
            swing *= 0.45 + 0.5 * drawn(at.seed, ("far", turn))
    move = _jolt(at, values, at.weight * swing, angle)
    return look.moved(times(_room(at, values, at.weight), move))


def _steady_shake(look: Look, at: Moment, values: Values) -> Look:
    """The movement between pulses; it gives way to them, so that they stay the largest."""
    base = number(values, "base") * max(0.0, 1 - at.level)
    if base <= 0:
        return look
    time_s, hz = at.since_s, number(values, "hz") * 0.5
    x, y = wobble(at.seed, time_s, hz), wobble(at.seed + 1, time_s, hz)
    angle = math.atan2(y, x)
    move = _jolt(at, values, base * min(1.0, math.hypot(x, y)), angle)
    return look.moved(times(_room(at, values, base), move))


PUNCH_VIEWED = 0.905  # the share of the frame still seen at the peak: × 1.105 (common practice)


def _punch(look: Look, at: Moment, values: Values) -> Look:
    closer = 1 / number(values, "seen") - 1
    return look.moved(about(*at.focus, 1 + closer * at.weight))


def _drop_back(look: Look, at: Moment, values: Values) -> Look:
    closer = words(values, "turns") == "back, then in" and at.turn % 2 == 1
    step = number(values, "step") * at.weight
    return look.moved(about(*at.focus, 1 + step if closer else 1 / (1 + step)))


def _shift(look: Look, at: Moment, values: Values) -> Look:
    way = -1.0 if words(values, "turns") == "to and fro" and at.turn % 2 else 1.0
    zoom = 1 + (number(values, "zoom") - 1) * at.weight
    move = about(*at.focus, zoom, way * number(values, "tilt") * at.weight)
    return look.moved(
        times(shifted(way * number(values, "across") * at.weight, way * number(values, "down") * at.weight), move)
    )


ACCENTS = (
    Accent(
        "shake", "Shake", "movement", "the frame jolts on the point and swings out",
        Envelope(decay=Length(340), rise=1.6, fall=1.6), 0.5, _shake,
        (
            Setting("size", "how far", 0.035, 0, 0.3),
            Setting("kind", "which way", "any way", choices=KINDS),
            Setting("hz", "swings a second", 11.0, 1, 30, "Hz"),
            Setting("texture", "texture", "smooth", choices=("smooth", "rough")),
            Setting("edges", "edges", "mirrored", choices=EDGES),
            Setting("base", "between pulses", 0.0),
        ),
        steady=_steady_shake, paints=False, each=True,
    ),
    Accent(
        "punch", "Punch-in", "movement", "the picture jumps closer and eases back",
        Envelope(decay=Length(320), fall=2.2), 0.4, _punch,
        (Setting("seen", "of the frame seen", PUNCH_VIEWED, 0.2, 1.0),),
        placed=True, paints=False,
    ),
    Accent(
        "drop-back", "Drop-back", "movement", "the picture falls away and comes back, or out and in by turns",
        Envelope(lead=Length(0), decay=Length(360), fall=2.0), 0.4, _drop_back,
        (
            Setting("step", "how far back", 0.12, 0, 0.8),
            Setting("turns", "by turns", "always back", choices=("always back", "back, then in")),
        ),
        placed=True, paints=False,
    ),
    Accent(
        "shift", "Side-step", "movement", "the picture stands elsewhere for a frame or two",
        Envelope(hold=Length(2, "frames"), decay=Length(0)), 0.0, _shift,
        (
            Setting("across", "across", 0.08, -0.5, 0.5),
            Setting("down", "down", 0.0, -0.5, 0.5),
            Setting("zoom", "zoom", 1.12, 0.5, 3, "×"),
            Setting("tilt", "tilt", 0.0, -45, 45, "°"),
            Setting("turns", "by turns", "to and fro", choices=("to and fro", "one way")),
        ),
        placed=True, paints=False,
    ),
)  # fmt: skip
