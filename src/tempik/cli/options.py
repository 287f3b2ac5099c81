"""Options as they were given: none is dropped in silence, and what is refused is refused in one sentence before anything is written."""

from __future__ import annotations

import argparse
import math
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any, NoReturn

from tempik.digits import parse_int
from tempik.disk.reading import shortened
from tempik.errors import TempikError
from tempik.settings import METAVARS, Setting, checked

MOST = 1e9
# What every verb has and reads, and what tells the verb itself.
_ALWAYS = frozenset({"verb", "way", "do", "project", "misused"})


class Options(argparse.Namespace):
    """What a verb was told. It notes which options are looked at: one that was given and never looked at would do nothing, and
    `settled` refuses it."""

    def __getattribute__(self, name: str) -> Any:
        value = super().__getattribute__(name)
        if not name.startswith("_") and name not in ("note", "notes", "given", "is_given"):
            self.__dict__.setdefault("_looked_at", set()).add(name)
        return value

    def is_given(self, name: str) -> bool:
        """Tell whether an option was given, without taking it up."""
        return name in self.__dict__["_given"]

    def note(self, text: str) -> None:
        """Keep a sentence on what is done, to be said once it is."""
        self.__dict__.setdefault("_said", []).append(text)

    @property
    def notes(self) -> list[str]:
        """The sentences that were kept."""
        found: list[str] = self.__dict__.get("_said", [])
        return found

    @property
    def given(self) -> frozenset[str]:
        """The options that were given."""
        found: frozenset[str] = self.__dict__["_given"]
        return found


class Parser(argparse.ArgumentParser):
    """A parser that refuses in one sentence."""

    def __init__(self, *arguments: Any, **wishes: Any) -> None:
        super().__init__(*arguments, **{**wishes, "allow_abbrev": False})

    def error(self, message: str) -> NoReturn:
        raise TempikError(f"{shortened(message)} (see {self.prog} --help).")


def parsed(parser: Parser, arguments: Sequence[str]) -> Options:
    """Return the options of a command line. Raises TempikError for one that makes no sense, and SystemExit after help."""
    options = parser.parse_args(arguments, Options())
    verb, names = _verb_parser(parser, options), dict[str, str]()
    given = set()
    for action in verb:
        asked_for = not action.option_strings and action.required
        if asked_for or action.dest in _ALWAYS or action.dest not in options.__dict__:
            continue
        names[action.dest] = action.option_strings[-1] if action.option_strings else action.dest
        if options.__dict__[action.dest] != action.default:
            given.add(action.dest)
    options.__dict__.update(_given=frozenset(given), _names=names, _looked_at=set())
    return options


def _verb_parser(parser: argparse.ArgumentParser, options: argparse.Namespace) -> list[argparse.Action]:
    """Return the actions of the verb that was given, those of its own verbs among them."""
    out = []
    for action in parser._actions:
        if isinstance(action, argparse._SubParsersAction):
            chosen = options.__dict__.get(action.dest)
            if chosen in action.choices:
                out += _verb_parser(action.choices[chosen], options)
        else:
            out.append(action)
    return out


def settled(options: argparse.Namespace, *taken: str) -> None:
    """Say that all options are taken up, those that are `taken` when it is written among them, and something is about to be written or
    shown. Raises TempikError for one that was given and does nothing."""
    if not isinstance(options, Options):
        return
    idle = sorted(options.given - options.__dict__["_looked_at"] - {"output", *taken})
    if idle:
        names = options.__dict__["_names"]
        raise TempikError(
            f"{names[idle[0]]} does nothing by itself or beside what else is given; leave it out, or see "
            f"tempik {options.verb} --help."
        )


def together(options: argparse.Namespace, *names: str) -> None:
    """Raises TempikError where more than one of some options is given: they cannot both be had."""
    asked = [n for n in names if isinstance(options, Options) and options.is_given(n)]
    if len(asked) > 1:
        message = options.__dict__["_names"]
        raise TempikError(f"{message[asked[0]]} and {message[asked[1]]} do not go together; give one of them.")


def number_in(text: str, whole: str = "") -> float:
    """Return a number that is part of an option. Raises TempikError where it is none, or is no number that can be worked with."""
    try:
        value = float(text)
    except ValueError:
        value = math.nan
    if not abs(value) <= MOST:
        where = f"'{shortened(whole)}' has " if whole and whole != text else ""
        raise TempikError(
            f"{where}'{shortened(text)[:40]}' where a number belongs."
            if where
            else f"'{shortened(text)[:40]}' is no number."
        )
    return value


def real(text: str) -> float:
    """Return an option that is a number. Raises ArgumentTypeError."""
    try:
        return number_in(text)
    except TempikError as error:
        raise argparse.ArgumentTypeError(str(error)) from None


def count(text: str) -> int:
    """Return an option that is a whole number. Raises ArgumentTypeError."""
    try:
        value = int(text) if len(text) < 20 else None
    except ValueError:
        value = None
    if value is None or abs(value) > MOST:
        raise argparse.ArgumentTypeError(f"'{shortened(text)[:40]}' is no whole number")
    return value


# Options and their values, of settings

Names = Mapping[str, str]  # by a setting's name, what it is called on the command line


def project_verb(verbs: argparse._SubParsersAction[Parser], name: str, does: str) -> Parser:
    """Return a verb that lists or changes a project: with PROJECT and -o."""
    made = verbs.add_parser(name, help=does)
    made.add_argument("project", type=Path, nargs="?")
    made.add_argument("-o", "--output", type=Path, metavar="P", help="another project than PROJECT to write to")
    return made


def add_several(made: argparse.ArgumentParser, option: str, metavar: str, does: str) -> None:
    """Declare an option that can be given several times."""
    made.add_argument(option, action="append", default=[], metavar=metavar, help=does)


def add_settings(made: argparse.ArgumentParser, settings: Mapping[str, Setting], names: Names) -> None:
    """Declare an option for each setting that is named; its help is what the window says of it, with its bounds."""
    for name, called in names.items():
        setting, option = settings[name], f"--{called.replace('_', '-')}"
        does = setting.does[:1].lower() + setting.does[1:]
        if setting.kind == "switch":
            made.add_argument(option, choices=("on", "off"), help=does)
        elif setting.kind == "choice":
            made.add_argument(option, choices=setting.choices, help=does)
        else:
            metavar = METAVARS.get(setting.unit.partition(" ")[0], "N")
            made.add_argument(
                option, type=real, metavar=metavar, help=f"{does} ({setting.bounds()})".replace("%", "%%")
            )


def values_given(options: argparse.Namespace, settings: Mapping[str, Setting], names: Names) -> dict[str, Any]:
    """Return what was given of some settings, by their own names, as it is kept. Raises TempikError where it lies outside them."""
    out: dict[str, Any] = {}
    for name, called in names.items():
        given, setting = getattr(options, called), settings[name]
        if given is None:
            continue
        if setting.kind == "switch":
            out[name] = given == "on"
        else:
            out[name] = given if setting.kind == "choice" else checked(setting, given)
    return out


def pair(text: str, form: str = "NAME=VALUE") -> tuple[str, str]:
    """Return the two sides of `NAME=VALUE`. Raises TempikError."""
    name, found, value = text.partition("=")
    if not found or not name:
        raise TempikError(f"'{text}' is not of the form {form}.")
    return name, value


def number_or_text(text: str, whole: str = "") -> float | str:
    """Return a number where a text is one, else the text. Raises TempikError for a number that cannot be worked with."""
    try:
        float(text)
    except ValueError:
        return text
    return number_in(text, whole)


def percent_in(text: str, whole: str, most: float = 200) -> float:
    """Return a share given in percent, 0 to `most`. Raises TempikError."""
    value = number_in(text, whole)
    if not 0 <= value <= most:
        raise TempikError(f"{value:g} % cannot be; give 0 to {most:g}.")
    return value / 100


def whole_numbers(text: str) -> tuple[int, ...]:
    """Return an option such as 2,4. Raises ArgumentTypeError."""
    numbers = [parse_int(part) for part in text.split(",")]
    if any(n is None or n < 1 for n in numbers):
        raise argparse.ArgumentTypeError(f"'{text}' is no list of beats; give one such as 2,4")
    return tuple(n for n in numbers if n is not None)
