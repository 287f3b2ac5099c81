"""Settings described once: what a value is called, within which bounds, in what unit it is shown, what it does. Panes, the command
line, validation and the docs are made of these descriptions."""

from __future__ import annotations

import math
import re
from collections.abc import Iterable, Iterator
from typing import Literal, NamedTuple

from tempik.errors import TempikError

Value = float | str
Kind = Literal["number", "switch", "choice", "colour", "text"]

# The word for a value on the command line, by unit.
METAVARS = {
    "%": "PERCENT", "dB": "DB", "s": "SECONDS", "ms": "MS", "°": "DEGREES", "×": "TIMES", "st": "SEMITONES", "LUFS": "LUFS",
    "dBTP": "DBTP", "MB": "MB", "frames/s": "RATE",
}  # fmt: skip
COUNTED = ("f", "frames", "bands", "echoes", "steps", "beats")
WIDE_SPAN = 40  # numbers over a wider span are shown whole


class Setting(NamedTuple):
    """One setting of a record. A number lies within `low` to `high` as it is kept; the unit "%" shows a share as percent, and `by`,
    where it is not 0, says what else it is multiplied by where it is shown. `digits` and `step` are as shown, -1 and 0 for what
    suits its span. Of text there is one of `choices`, shown by `titles` where these are given, a colour such as `#ffcc00`, or
    anything. `does` is said as its tip and in the help, without a full stop. A pane may reach less far: `within`, as kept."""

    name: str
    title: str
    default: Value = 0.0
    low: float = 0.0
    high: float = 1.0
    unit: str = "%"
    choices: tuple[str, ...] = ()
    does: str = ""
    step: float = 0.0
    digits: int = -1
    by: float = 0.0
    titles: tuple[str, ...] = ()
    within: tuple[float, float] | None = None

    @property
    def kind(self) -> Kind:
        """What its value is."""
        if isinstance(self.default, bool):
            return "switch"
        if not isinstance(self.default, str):
            return "number"
        return "choice" if self.choices else "colour" if self.default.startswith("#") else "text"

    @property
    def noun(self) -> str:
        """What it is in a sentence, with an article: such as "a gain"."""
        words = re.sub("_(deg|db|s|ms)$", "", self.name).replace("_", " ")
        return f"{'an' if words[0] in 'aeio' else 'a'} {words}"

    @property
    def scale(self) -> float:
        """What its value is multiplied by where it is shown."""
        return self.by or (100.0 if self.unit.startswith("%") else 1.0)

    @property
    def suffix(self) -> str:
        """Its unit behind a number."""
        return "" if not self.unit else "°" if self.unit == "°" else f" {self.unit.partition(' ')[0]}"

    @property
    def shown_digits(self) -> int:
        """How many decimals its value is shown with."""
        if self.digits >= 0:
            return self.digits
        if self.unit == "%":
            return 1 if self.high <= 0.3 else 0
        return 0 if self.high - self.low > WIDE_SPAN or self.unit in COUNTED else 2

    @property
    def shown_step(self) -> float:
        """By how much its value is stepped, as shown."""
        if self.step:
            return self.step
        if self.unit == "%" and self.high <= 0.3:
            return 0.5
        return 5.0 if self.unit in ("%", "°") else 0.1 if self.shown_digits == 2 else 1.0

    def shown(self, value: float) -> str:
        """Return a number as it is shown, with its unit."""
        return f"{value * self.scale:g}{self.suffix}"

    def clamped(self, value: float) -> float:
        """Return the number within its bounds that is nearest to one, as kept."""
        return min(max(value, self.low), self.high)

    def allows(self, value: float) -> bool:
        """Tell whether a number, as kept, lies within its bounds."""
        return math.isfinite(value) and self.low <= round(value, 9) <= self.high

    def bounds(self) -> str:
        """Return its bounds in words, as shown: such as 0 to 200."""
        return f"{self.low * self.scale:g} to {self.high * self.scale:g}"


def by_name(*settings: Setting) -> dict[str, Setting]:
    """Return settings by their names, in their order."""
    return {setting.name: setting for setting in settings}


def problems(settings: Iterable[Setting], record: object, whose: str) -> Iterator[str]:
    """Yield what of a record lies outside its settings, one sentence each that begins with `whose`, such as "Clip 'c1' has a title
    with". What is None is the record's own default."""
    for setting in settings:
        value = getattr(record, setting.name)
        if value is None or setting.kind == "switch":
            continue
        if setting.kind == "number":
            if not setting.allows(value):
                unit = setting.suffix if setting.scale == 1 else ""
                yield f"{whose} {setting.noun} of {value:g}{unit}; keep it between {setting.low:g} and {setting.high:g}."
        elif setting.kind == "colour" and not is_colour(value):
            yield f"{whose} the {setting.name.replace('_', ' ')} '{value[:20]}'; give one such as {setting.default}."


def is_colour(text: str) -> bool:
    """Tell whether a text is a colour such as `#ffcc00`."""
    return re.fullmatch("#[0-9a-fA-F]{6}", text) is not None


def checked(setting: Setting, value: float) -> float:
    """Return a number as it is kept, of one as it is shown. Raises TempikError where it lies outside its setting."""
    kept = value / setting.scale
    refuse_outside(setting, kept)
    return kept


def refuse_outside(setting: Setting, value: float) -> None:
    """Raises TempikError where a number, as kept, lies outside its setting."""
    if not setting.allows(value):
        noun = setting.noun[:1].upper() + setting.noun[1:]
        raise TempikError(f"{noun} of {setting.shown(value)} cannot be; give {setting.bounds()}{setting.suffix}.")


def read(setting: Setting, text: str) -> Value:
    """Return a setting's value as it is kept, of a text as a person gives it: numbers as they are shown. Raises TempikError."""
    if setting.kind == "number":
        try:
            return checked(setting, float(text))
        except ValueError:
            raise TempikError(
                f"'{text[:40]}' is no number; {setting.title} takes {setting.bounds()}{setting.suffix}."
            ) from None
    if setting.kind == "switch":
        if text.lower() not in SWITCHES:
            raise TempikError(f"'{text[:40]}' is neither yes nor no; give {setting.name}=1 or {setting.name}=0.")
        return SWITCHES[text.lower()]
    if setting.kind == "choice" and text not in setting.choices:
        raise TempikError(f"{setting.title.capitalize()} is one of {', '.join(setting.choices)}, not '{text[:40]}'.")
    if setting.kind == "colour" and not is_colour(text):
        raise TempikError(f"'{text[:40]}' is no colour; give one such as {setting.default}.")
    return text


SWITCHES = {
    "1": True, "yes": True, "true": True, "on": True, "0": False, "no": False, "false": False, "off": False,
}  # fmt: skip
