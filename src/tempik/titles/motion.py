"""How the words of a title come and go: what a part of it does as it arrives, from not there (0) to landed (1)."""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

from tempik.reel.title import Arrival


class State(NamedTuple):
    """A part of a title on its way: how much of it shows, how far it is off its place (ems), its size, and the share of its
    letters that show, the first ones."""

    opacity: float = 1.0
    x: float = 0.0
    y: float = 0.0
    scale: float = 1.0
    letters: float = 1.0


LANDED = State()
GONE = State(opacity=0.0)
RISE_EM, SLIDE_EM = 0.45, 1.6
OVERSHOOT = 1.70158  # the usual constant of an ease that goes a tenth too far
_WAYS = {"up": (0.0, 1.0), "down": (0.0, -1.0), "left": (1.0, 0.0), "right": (-1.0, 0.0)}


def _slow_end(share: float) -> float:
    return 1 - (1 - share) ** 3


def _fade(share: float, way: tuple[float, float]) -> State:
    return State(opacity=share)


def _rise(share: float, way: tuple[float, float]) -> State:
    left = 1 - _slow_end(share)
    return State(min(1.0, share * 1.5), way[0] * left * RISE_EM, way[1] * left * RISE_EM)


def _slide(share: float, way: tuple[float, float]) -> State:
    left = 1 - _slow_end(share)
    return State(min(1.0, share * 2.5), way[0] * left * SLIDE_EM, way[1] * left * SLIDE_EM)


def _pop(share: float, way: tuple[float, float]) -> State:
    left = share - 1
    return State(min(1.0, share * 3), scale=0.5 + 0.5 * (1 + left * left * ((OVERSHOOT + 1) * left + OVERSHOOT)))


def _type(share: float, way: tuple[float, float]) -> State:
    return State(letters=share)


ARRIVALS: dict[str, Callable[[float, tuple[float, float]], State]] = {
    "none": lambda share, way: LANDED,
    "fade": _fade,
    "rise": _rise,
    "slide": _slide,
    "pop": _pop,
    "type": _type,
}
WITH_WAY = ("rise", "slide")


def state_of(arrival: Arrival, share: float) -> State:
    """Return what a part does that far into its arrival; of what goes, with the share that is left. A kind that is not
    known does nothing."""
    if share <= 0:
        return GONE
    if share >= 1:
        return LANDED
    act = ARRIVALS.get(arrival.kind, ARRIVALS["none"])
    return act(share, _WAYS[arrival.way])


def both(coming: State, going: State) -> State:
    """Return a part that is still coming and already going."""
    return State(
        coming.opacity * going.opacity,
        coming.x + going.x,
        coming.y + going.y,
        coming.scale * going.scale,
        min(coming.letters, going.letters),
    )
