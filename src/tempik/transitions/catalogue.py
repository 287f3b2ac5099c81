"""The catalogue: every kind of transition there is, by name."""

from __future__ import annotations

from tempik.accents.accent import Value
from tempik.accents.catalogue import setting_problem_of, settled_of
from tempik.errors import TempikError
from tempik.reel import Handles, Transition
from tempik.transitions import fades, pieces, slides, wipes, zooms
from tempik.transitions.transition_type import TransitionType

CATALOGUE: dict[str, TransitionType] = {
    k.name: k for family in (fades, slides, zooms, wipes, pieces) for k in family.KINDS
}


def kind_named(name: str) -> TransitionType:
    """Return the kind of that name. Raises TempikError listing those there are."""
    kind = CATALOGUE.get(name)
    if kind is None:
        raise TempikError(f"There is no transition named '{name}'; choose from {', '.join(CATALOGUE)}.")
    return kind


def new_transition(kind: str, seed: int = 0) -> Transition:
    """Return a transition of a kind as it is by default."""
    return Transition(kind, float(kind_named(kind).frames), seed=seed)


def settings_of(kind: TransitionType, transition: Transition) -> dict[str, Value]:
    """Return a transition's settings with the kind's own where it has none, each within its range."""
    return settled_of(kind.settings, transition.settings)


def direction_of(kind: TransitionType, transition: Transition) -> str:
    """Return the way a transition goes; '' for a kind without ways."""
    return transition.direction if transition.direction in kind.directions else next(iter(kind.directions), "")


def ease_of(kind: TransitionType, transition: Transition) -> Handles:
    """Return a transition's curve of ease: its own, or its type's."""
    return kind.ease if transition.ease is None else transition.ease


def shutter_of(kind: TransitionType, transition: Transition, reel_deg: float) -> float:
    """Return the angle of the shutter that blurs a transition's movement: its own, else the reel's, else its kind's."""
    return transition.shutter_deg if transition.shutter_deg is not None else reel_deg or kind.shutter_deg


def problem(transition: Transition) -> str:
    """Return why a transition cannot be as it is, '' when it can."""
    kind = kind_named(transition.kind)
    if transition.direction and transition.direction not in kind.directions:
        ways = ", ".join(kind.directions)
        return f"{kind.title} has no direction '{transition.direction}'; " + (
            f"choose from {ways}." if ways else "it has none."
        )
    message = (setting_problem_of(kind.title, kind.settings, n, v) for n, v in transition.settings.items())
    return next((s for s in message if s), "")
