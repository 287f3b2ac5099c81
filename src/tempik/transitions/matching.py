"""Transitions that carry on a movement: which kinds and directions suit how two pictures move, best first, and why."""

from __future__ import annotations

import math
from typing import NamedTuple

from tempik.transitions.transition_type import DIAGONALS, TURNS, WAYS, way_of

# A movement that is slower than this is none: frame widths a second that places of the frame move on the average.
STILL = 0.05
# Of the places in the frame, the mean distance from its middle in frame widths: what a zoom or a turn moves them by.
MEAN_REACH = 0.45
LEAST_TRUST = 0.25


class Motion(NamedTuple):
    """How a picture moves as a whole: frame widths a second to the right and down, how fast it grows (the logarithm of
    its scale, a second), degrees a second clockwise, and the share of the frame that moves so."""

    right: float = 0.0
    down: float = 0.0
    closer: float = 0.0
    turn_deg: float = 0.0
    trust: float = 0.0

    @property
    def pan(self) -> float:
        """How fast the picture shifts, in shares of its width a frame."""
        return math.hypot(self.right, self.down)

    @property
    def zoom(self) -> float:
        """How fast it comes closer or goes away, as what that shifts on the average."""
        return abs(self.closer) * MEAN_REACH

    @property
    def turn(self) -> float:
        """How fast it turns, as what that shifts on the average."""
        return abs(math.radians(self.turn_deg)) * MEAN_REACH

    @property
    def form(self) -> str:
        """What it is above all: "still", "pan", "zoom" or "turn"."""
        sizes = {"pan": self.pan, "zoom": self.zoom, "turn": self.turn}
        most = max(sizes, key=lambda k: sizes[k])
        return most if sizes[most] >= STILL and self.trust >= LEAST_TRUST else "still"

    @property
    def way(self) -> str:
        """The way of a pan, one of eight; of a turn; "in" or "out" of a zoom; '' when still."""
        if self.form == "pan":
            return max((*WAYS, *DIAGONALS), key=lambda w: self.right * way_of(w)[0] + self.down * way_of(w)[1])
        if self.form == "turn":
            return TURNS[0] if self.turn_deg > 0 else TURNS[1]
        return ("in" if self.closer > 0 else "out") if self.form == "zoom" else ""


class TransitionProposal(NamedTuple):
    """A kind of transition with its direction, and why it suits. An empty kind is a hard cut."""

    kind: str
    direction: str
    why: str


def proposals(out: Motion, into: Motion) -> list[TransitionProposal]:
    """Return what suits the movement before and after a cut, best first."""
    if out.form == into.form == "still":
        return [
            TransitionProposal("dissolve", "", "neither moves as a whole: dissolve"),
            TransitionProposal("", "", "neither moves as a whole: a hard cut"),
            TransitionProposal("light-sweep", "", "neither moves as a whole: a streak of light"),
        ]
    if out.form == into.form != "still":
        if out.way == into.way or (out.form == "pan" and _angle(out, into) < 70):
            both = out if out.way == into.way or out.pan >= into.pan else into
            return _carried(both.form, both.way, f"both {_verb(both)}")
        return _against(out, into)
    if "still" in (out.form, into.form):
        moving, which = (out, "the first") if into.form == "still" else (into, "the second")
        return _carried(moving.form, moving.way, f"{which} {_verb(moving, True)}")
    lead = out if _size(out) >= _size(into) else into
    which = "the first" if lead is out else "the second"
    return _carried(
        lead.form, lead.way, f"{which} {_verb(lead, True)}, the other {_verb(into if lead is out else out, True)}"
    )


def _size(motion: Motion) -> float:
    return max(motion.pan, motion.zoom, motion.turn)


def _angle(a: Motion, b: Motion) -> float:
    dot = (a.right * b.right + a.down * b.down) / max(a.pan * b.pan, 1e-9)
    return math.degrees(math.acos(min(max(dot, -1.0), 1.0)))


def _verb(motion: Motion, one: bool = False) -> str:
    s = "s" if one else ""
    if motion.form == "still":
        return f"stand{s} still"
    if motion.form == "turn":
        return f"turn{s} {motion.way}"
    return f"move{s} {motion.way}" if motion.form == "pan" else f"go{'es' if one else ''} {motion.way}"


def _carried(form: str, way: str, why: str) -> list[TransitionProposal]:
    """Return the transitions that carry on a movement."""
    if form == "zoom":
        first, second = ("zoom-in", "lens-zoom") if way == "in" else ("zoom-out", "blur-through")
        return [
            TransitionProposal(first, "", f"{why}: zoom through {way}"),
            TransitionProposal(second, "", f"{why}: {'through a lens' if way == 'in' else 'through a blur'}"),
        ]
    if form == "turn":
        return [
            TransitionProposal("spin", way, f"{why}: spin {way}"),
            TransitionProposal("clock-wipe", way, f"{why}: a hand that goes {way}"),
        ]
    if way in DIAGONALS:
        return [
            TransitionProposal("whip", way, f"{why}: whip {way}"),
            TransitionProposal("dissolve", "", f"{why}: dissolve"),
        ]
    return [
        TransitionProposal("push", way, f"{why}: push {way}"),
        TransitionProposal("whip", way, f"{why}: whip {way}"),
        TransitionProposal("slide-away", way, f"{why}: slide away {way}"),
    ]


def _against(out: Motion, into: Motion) -> list[TransitionProposal]:
    why = f"the first {_verb(out, True)}, the second {_verb(into, True)}"
    found = [TransitionProposal("flash-through", "", f"{why}: light hides the turn")]
    return found + _carried(into.form, into.way, why)[:2]
