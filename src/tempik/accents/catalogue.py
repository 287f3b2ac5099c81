"""The catalogue: every accent there is, by name."""

from __future__ import annotations

from tempik.accents import blurs, colour, lens, light, motion, shade, trails
from tempik.accents.accent import Accent, Moment, Value, Values
from tempik.accents.look import Look
from tempik.errors import TempikError
from tempik.reel import Envelope, Length
from tempik.settings import Setting, is_colour


def _nothing(look: Look, at: Moment, values: Values) -> Look:
    return look


# What the ready lane that cycles shows, one after the other, each for a single frame.
CYCLE = ("strip", "shift", "mono", "half")
ONE_FRAME = Envelope(Length(0), Length(1, "frames"), Length(0))

CATALOGUE: dict[str, Accent] = {
    accent.name: accent for family in (light, motion, blurs, colour, lens, shade, trails) for accent in family.ACCENTS
} | {
    "cycle": Accent(
        "cycle",
        "Single frames",
        "time",
        f"for one frame each, in turn: {', '.join(CYCLE)}",
        ONE_FRAME,
        0.0,
        _nothing,
        (Setting("steps", "in turn", ",".join(CYCLE)),),
    )
}


def accent_named(name: str) -> Accent:
    """Return the accent of that name. Raises TempikError listing those there are."""
    accent = CATALOGUE.get(name)
    if accent is None:
        raise TempikError(f"There is no accent named '{name}'; choose from {', '.join(CATALOGUE)}.")
    return accent


def settled(accent: Accent, given: dict[str, Value]) -> dict[str, Value]:
    """Return an accent's settings with those given in place of its own: see `settled_of`."""
    return settled_of(accent.settings, given)


def settled_of(settings: tuple[Setting, ...], given: dict[str, Value]) -> dict[str, Value]:
    """Return settings with those given in place of the defaults; numbers are kept within their range, and what is not
    known, or cannot be, is passed over."""
    out: dict[str, Value] = {}
    for setting in settings:
        value = given.get(setting.name, setting.default)
        if isinstance(setting.default, str):
            good = isinstance(value, str) and not _misfit(setting, value)
            out[setting.name] = value if good else setting.default
        else:
            number = setting.default if isinstance(value, str) else value
            out[setting.name] = min(max(number, setting.low), setting.high)
    return out


def setting_problem(accent: Accent, name: str, value: Value) -> str:
    """Return why an accent cannot have a setting of that value, '' when it can."""
    return setting_problem_of(accent.title, accent.settings, name, value)


def setting_problem_of(title: str, settings: tuple[Setting, ...], name: str, value: Value) -> str:
    """Return why what is called `title` cannot have a setting of that value, '' when it can."""
    setting = next((s for s in settings if s.name == name), None)
    if setting is None:
        names = ", ".join(s.name for s in settings) or "none"
        return f"{title} has no setting '{name}'; it has {names}."
    if isinstance(setting.default, str):
        return _misfit(setting, str(value))
    if isinstance(value, str) or not setting.low <= value <= setting.high:
        return f"'{name}' of {title} lies between {setting.low:g} and {setting.high:g}."
    return ""


def _misfit(setting: Setting, value: str) -> str:
    if setting.kind == "colour":
        return "" if is_colour(value) else f"'{value}' is no colour; give one such as #ffcc00."
    if setting.choices:
        return "" if value in setting.choices else f"'{setting.name}' is one of {', '.join(setting.choices)}."
    unknown = [n for n in value.split(",") if n not in CATALOGUE or n == "cycle"]
    return f"'{unknown[0]}' is no accent that can be cycled through." if unknown else ""
