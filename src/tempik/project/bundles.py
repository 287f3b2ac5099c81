"""Bundles of accent lanes of one's own: kept beside the settings, written to files, read from them, and carried from reel
to reel. A file holds lanes without their steps set by hand, which belong to one song's points."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import msgspec
from msgspec.structs import replace

from tempik.edit.accents.copying import CopiedLanes
from tempik.errors import TempikError
from tempik.project import library
from tempik.project.file import decode_value, state_folder
from tempik.reel import AccentLane, Bundle, Envelope, Length, Limit, Reel, Rule, StepOverride
from tempik.reel.validate import problems

SUFFIX = ".tempikaccents"
FORMAT = 2

_STARTS = Envelope(Length(0), Length(1, "frames"), Length(0.25, "clip"))
_ENDS = Envelope(Length(0.25, "clip"), Length(1, "frames"), Length(0))
# Bundles that come with the program.
READY: tuple[tuple[str, tuple[AccentLane, ...]], ...] = (
    (
        "Hammer blow",
        (
            AccentLane("r1", "flash", Rule(every=4)),
            AccentLane("r2", "shake", Rule(every=4)),
            AccentLane("r3", "punch", Rule(every=4)),
        ),
    ),
    (
        "In and out of the clip",
        (
            AccentLane("r1", "rush", Rule("starts"), envelope=_STARTS),
            AccentLane("r2", "haze", Rule("ends"), envelope=_ENDS),
        ),
    ),
    (
        "Back beat",
        (
            AccentLane("r1", "drop-back", Rule("bars", beats=(2, 4))),
            AccentLane("r2", "split", Rule("bars", beats=(2, 4))),
        ),
    ),
    ("Single frames on the cuts", (AccentLane("r1", "cycle", Rule("cuts")),)),
)


def library_folder() -> Path:
    """Return where one's own bundles are kept."""
    return state_folder() / "accents"


def ready_bundles() -> list[CopiedLanes]:
    """Return the bundles that come with the program."""
    return [CopiedLanes(lanes, tuple(() for _ in lanes), Bundle("u1", name)) for name, lanes in READY]


def own_bundles() -> list[CopiedLanes]:
    """Return one's own bundles by name; files that cannot be read are left out."""
    return library.readable(library_folder(), SUFFIX, read_bundle)


def bundle_named(name: str) -> CopiedLanes:
    """Return a bundle by name. Raises TempikError, naming those there are, when there is none."""
    every = [*ready_bundles(), *own_bundles()]
    found = next((b for b in every if b.bundle is not None and b.bundle.name == name), None)
    if found is None:
        names = ", ".join(b.bundle.name for b in every if b.bundle is not None)
        raise TempikError(f"There is no bundle '{name}'; there are {names}.")
    return found


def kept_bundle(what: CopiedLanes, name: str) -> Path:
    """Keep lanes as a bundle of one's own. Raises TempikError for a name that cannot be had."""
    name = library.checked_name(name, "bundle", [ready for ready, _ in READY])
    library.made_folder(library_folder(), "bundle")
    path = _file_of(name)
    write_bundle(what, name, path)
    return path


def removed_bundle(name: str) -> None:
    """Take one of one's own bundles away; lanes made from it stay."""
    library.taken_away(_file_of(name))


def _file_of(name: str) -> Path:
    return library.file_named(library_folder(), name, SUFFIX)


def write_bundle(what: CopiedLanes, name: str, path: Path) -> None:
    """Write lanes to a file of their own. Raises TempikError when it cannot be written."""
    lanes = [replace(r, overrides=(), limit=Limit(), bundle="", follow="", mask="", keys={}) for r in what.lanes]
    amount = what.bundle.amount if what.bundle is not None else 1.0
    document = {"format": FORMAT, "name": name, "amount": amount, "lanes": msgspec.to_builtins(lanes)}
    library.write_document(path, document)


def read_bundle(path: Path) -> CopiedLanes:
    """Read a bundle from a file. Raises TempikError when it is none, damaged, or of a newer version."""
    document = library.read_document(path, f"bundle of accents; choose a {SUFFIX} file", "lanes", FORMAT, "rows")
    try:
        lanes = msgspec.convert(document["lanes"], tuple[AccentLane, ...], dec_hook=decode_value)
        bundle = Bundle("u1", str(document.get("name") or path.stem), float(document.get("amount", 1.0)))
    except (msgspec.ValidationError, TypeError, ValueError) as error:
        raise TempikError(f"{path} is damaged: {error}.") from error
    named = tuple(replace(r, id=f"r{n}") for n, r in enumerate(lanes, 1))
    found = next(iter(problems(Reel(accent_lanes=named, bundles=(bundle,)))), None)
    if found is not None or not lanes:
        raise TempikError(f"{path} is damaged: {found or 'it holds no lane.'}")
    return CopiedLanes(named, tuple(() for _ in named), bundle)


def lanes_text(what: CopiedLanes) -> str:
    """Return copied lanes as text, for the clipboard: with their steps set by hand, by bar and beat."""
    document = {
        "tempik": "accent lanes",
        "format": FORMAT,
        "lanes": msgspec.to_builtins(what.lanes),
        "places": [[[list(place), msgspec.to_builtins(p)] for place, p in lane] for lane in what.places],
        "bundle": msgspec.to_builtins(what.bundle) if what.bundle is not None else None,
    }
    return msgspec.json.encode(document).decode()


def lanes_from_text(text: str) -> CopiedLanes:
    """Return lanes copied as text. Raises TempikError when it is something else."""
    try:
        document: Any = msgspec.json.decode(text.encode())
        if not isinstance(document, dict) or document.get("tempik") != "accent lanes":
            raise TempikError("No accent lanes have been copied yet.")
        lanes = msgspec.convert(document["lanes"], tuple[AccentLane, ...], dec_hook=decode_value)
        places = msgspec.convert(document["places"], tuple[tuple[tuple[tuple[int, int, str], StepOverride], ...], ...])
        bundle = msgspec.convert(document["bundle"], Bundle | None)
    except (msgspec.DecodeError, msgspec.ValidationError, KeyError):
        raise TempikError("No accent lanes have been copied yet.") from None
    return CopiedLanes(lanes, places, bundle)
