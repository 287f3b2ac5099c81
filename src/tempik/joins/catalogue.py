"""The catalogue: every kind of join there is, by name."""

from __future__ import annotations

from tempik.accents.accent import Value
from tempik.accents.catalogue import setting_problem_of, settled_of
from tempik.errors import TempikError
from tempik.joins import fades, pieces, slides, wipes, zooms
from tempik.joins.kind import Kind
from tempik.reel import Handles, Join

CATALOGUE: dict[str, Kind] = {k.name: k for family in (fades, slides, zooms, wipes, pieces) for k in family.KINDS}


def kind_named(name: str) -> Kind:
    """Return the kind of that name. Raises TempikError listing those there are."""
    kind = CATALOGUE.get(name)
    if kind is None:
        raise TempikError(f"There is no join named '{name}'; choose from {', '.join(CATALOGUE)}.")
    return kind


def join_of(kind: str, seed: int = 0) -> Join:
    """Return a join of a kind as it is by default."""
    return Join(kind, float(kind_named(kind).frames), seed=seed)


def settings_of(kind: Kind, join: Join) -> dict[str, Value]:
    """Return a join's settings with the kind's own where it has none, each within its range."""
    return settled_of(kind.settings, join.settings)


def direction_of(kind: Kind, join: Join) -> str:
    """Return the way a join goes; '' for a kind without ways."""
    return join.direction if join.direction in kind.directions else next(iter(kind.directions), "")


def ease_of(kind: Kind, join: Join) -> Handles:
    return kind.ease if join.ease is None else join.ease


def shutter_of(kind: Kind, join: Join, reel_deg: float) -> float:
    """Return the angle of the shutter that blurs a join's movement: its own, else the reel's, else its kind's."""
    return join.shutter_deg if join.shutter_deg is not None else reel_deg or kind.shutter_deg


def problem(join: Join) -> str:
    """Return why a join cannot be as it is, '' when it can."""
    kind = kind_named(join.kind)
    if join.direction and join.direction not in kind.directions:
        ways = ", ".join(kind.directions)
        return f"{kind.title} has no direction '{join.direction}'; " + (
            f"choose from {ways}." if ways else "it has none."
        )
    said = (setting_problem_of(kind.title, kind.settings, n, v) for n, v in join.settings.items())
    return next((s for s in said if s), "")
