"""The project file: `NAME.tempik`, UTF-8 JSON with a `format` number (see docs/project-format.md).

Media paths are written relative to the project file and are absolute in memory. Saving writes a
temporary name beside the target and renames, so a failed save leaves the old file as it was.
"""

from __future__ import annotations

import os
import re
from fractions import Fraction
from pathlib import Path
from typing import Any

import msgspec
import platformdirs

from tempik.disk.reading import MB, decoded, is_regular, printable, read_whole, shortened
from tempik.disk.writing import is_read, write_whole
from tempik.errors import TempikError
from tempik.project.media_files import media_paths, with_paths
from tempik.project.older import with_names_of_today
from tempik.project.sources import refuse_media
from tempik.reel import Point
from tempik.reel.model import Reel
from tempik.reel.validate import problems

FORMAT = 16
SUFFIX = ".tempik"
# A reel of ten thousand clips takes 10.
MOST_MB = 128
MOST_ORDER = 20_000  # bytes
_FRACTION = re.compile(r"-?[0-9]{1,12}(/[0-9]{1,12}|\.[0-9]{1,12})?")


def save_reel(reel: Reel, path: Path, own: bool = False, order: bytes = b"") -> None:
    """Write the reel to `path`, all of it or nothing; `own`: into a folder that Tempik makes, through no link. `order` is what was ordered
    of it last, as JSON; without one, that of the file in whose place it comes stays. Raises TempikError when it cannot be written, or
    could not be opened again: what was there stays."""
    path = path.absolute()
    refuse_media(path, reel)
    write_whole(path, document_of(reel, path.parent, order or order_in(path)), own)


class _Ordered(msgspec.Struct):
    order: msgspec.Raw = msgspec.Raw(b"")


def order_in(path: Path) -> bytes:
    """Return what was ordered last of the project in a file, as JSON; b'' for nothing, or where it cannot be read."""
    if not is_regular(path):
        return b""
    try:
        found = bytes(msgspec.json.decode(read_whole(path, MOST_MB), type=_Ordered).order)
    except (TempikError, msgspec.MsgspecError, UnicodeDecodeError, RecursionError):
        return b""
    return found if len(found) <= MOST_ORDER else b""


def document_of(reel: Reel, folder: Path, order: bytes = b"") -> bytes:
    """Return a project file as it is written into a folder, with what was ordered of it last where that is given. Raises TempikError where
    reading would refuse it, with what it is that cannot be kept."""
    written = with_paths(reel, folder, relative=True)
    try:
        document: dict[str, object] = {"format": FORMAT, "reel": written}
        if order:
            document["order"] = msgspec.Raw(order)
        plain = msgspec.json.encode(document, enc_hook=encode_value)
        _read_back(plain)
    except UnicodeEncodeError:
        raise TempikError("The reel has a name that is no text (UTF-8); rename that file or record first.") from None
    except (msgspec.MsgspecError, NotImplementedError, RecursionError) as error:
        raise TempikError(f"The reel cannot be saved like this: {shortened(error)}; undo the last step.") from error
    found = problems(written)
    if found:
        raise TempikError(f"This cannot be saved, as it could not be opened again: {printable(found[0])}")
    data = msgspec.json.format(plain, indent=1) + b"\n"
    if len(data) > MOST_MB * MB:
        raise TempikError(
            f"The reel would take more than {MOST_MB} MB; take out what it does not need, such as footage that is not used."
        )
    return data


class _Document(msgspec.Struct):
    format: int
    reel: Reel


def _read_back(data: bytes) -> None:
    """Raises what decoding raises where a document is none that is read."""
    msgspec.json.decode(data, type=_Document, dec_hook=decode_value)


def load_reel(path: Path) -> Reel:
    """Read a project file. Media that is missing is kept in the reel: see `missing_media`.

    Raises TempikError when the file cannot be read, is damaged, or comes from a newer version.
    """
    document = decoded(read_whole(path, MOST_MB), path, "a Tempik project")
    number = document.get("format") if isinstance(document, dict) else None
    if not isinstance(number, int):
        raise TempikError(f"{path} is not a Tempik project: it has no format number; open a .tempik file.")
    if number > FORMAT:
        raise TempikError(
            f"{path} was saved by a newer Tempik (format {number}, this one reads {FORMAT}); update Tempik to open it."
        )
    try:
        try:
            document = _from_format(number, document.get("reel"))
        except (AttributeError, KeyError, TypeError, ValueError, OverflowError):
            raise msgspec.ValidationError(f"it is not what format {number} has") from None
        reel = msgspec.convert(document, Reel, dec_hook=decode_value)
    except (msgspec.ValidationError, RecursionError) as error:
        raise TempikError(f"{path} is damaged: {shortened(error)}; open a copy or an earlier save.") from error
    found = problems(reel)
    if found:
        raise TempikError(f"{path} is damaged: {printable(found[0])} Open a copy or an earlier save.")
    reel = with_paths(reel, path.absolute().parent, relative=False)
    is_read(media_paths(reel))
    return reel


def _from_format(number: int, reel: Any) -> Any:
    """Return the reel's document as this format has it. Format 1 kept a list of points and nothing of the analysis."""
    if number < 5 and isinstance(reel, dict):
        for row in reel.get("rows") or ():
            rule = row.get("rule") if isinstance(row, dict) else None
            if isinstance(rule, dict) and rule.get("every") == 0:  # it meant: painted by hand only
                row["rule"] = {"of": "hand"}
    reel = with_names_of_today(reel, number)
    song = reel.get("soundtrack") if isinstance(reel, dict) else None
    if number > 1 or not isinstance(song, dict):
        return reel
    points = song.pop("points", [])
    tempo, steady = song.pop("tempo_bpm", 0.0), song.pop("steady", True)
    beats: list[list[Any]] = []
    placed: list[Any] = []
    names: dict[str, str] = {}
    try:
        for point in points:
            odd = next((k for k in point if k not in Point.__struct_fields__), None)
            if odd is not None:
                raise msgspec.ValidationError(f"Object contains unknown field `{odd}` - at `$.soundtrack.points[...]`")
            if point.get("beat"):
                names[point["id"]] = f"b{len(beats)}"
                time_s = point["time_s"]
                beats.append([time_s, point.get("strength", 1.0), point.get("bar", 0), point["beat"], time_s])
            else:
                placed.append(point)
        metre = max((int(b[3]) for b in beats), default=4)
    except (AttributeError, KeyError, TypeError, ValueError, OverflowError):
        raise msgspec.ValidationError("a point of the soundtrack has no id, time or beat") from None
    song["heard"] = {
        "length_s": song.get("length_s", 0.0),
        "tempo_bpm": tempo,
        "metre": metre,
        "steady": steady,
        "beats": beats,
    }
    song["placed"] = placed
    return _renamed(reel, names)


def _renamed(value: Any, names: dict[str, str]) -> Any:
    """Return a document with the points that edges, pins and painted cells name called by their new ids."""
    if isinstance(value, dict):
        return {
            k: names.get(v, v) if k == "point" and isinstance(v, str) else _renamed(v, names) for k, v in value.items()
        }
    return [_renamed(v, names) for v in value] if isinstance(value, list) else value


def state_folder() -> Path:
    """Return where unnamed work, recent projects and changed shortcuts are kept: TEMPIK_STATE or the user's folder."""
    return Path(os.environ.get("TEMPIK_STATE") or platformdirs.user_state_dir("tempik"))


def encode_value(value: Any) -> Any:
    """Return a value that JSON has no kind for as one that it has."""
    if isinstance(value, Fraction):
        return str(value)
    raise NotImplementedError(type(value))


def decode_value(kind: type, value: Any) -> Any:
    """Return a value of a kind that JSON does not have; a ValueError says what is wrong with it."""
    if kind is Fraction:
        if isinstance(value, str) and not _FRACTION.fullmatch(
            value
        ):  # `1e10000000` would be worked out to its last digit
            raise ValueError(f"'{value[:40]}' is not a fraction")
        try:
            return Fraction(value)
        except (ValueError, TypeError, ZeroDivisionError, OverflowError):
            raise ValueError(f"'{value}' is not a fraction") from None  # becomes a msgspec.ValidationError
    raise NotImplementedError(kind)
