"""The project file: `NAME.tempik`, UTF-8 JSON with a `format` number (see docs/project-format.md).

Media paths are written relative to the project file and are absolute in memory. Saving writes a
temporary name beside the target and renames, so a failed save leaves the old file as it was.
"""

from __future__ import annotations

import os
import tempfile
from fractions import Fraction
from pathlib import Path
from typing import Any

import msgspec
import platformdirs

from tempik.errors import TempikError
from tempik.reel.model import Reel
from tempik.reel.validate import problems

FORMAT = 6
SUFFIX = ".tempik"


def save_reel(reel: Reel, path: Path) -> None:
    """Write the reel to `path`, all of it or nothing. Raises TempikError when it cannot be written."""
    path = path.absolute()
    document = {
        "format": FORMAT,
        "reel": msgspec.to_builtins(_with_paths(reel, path.parent, relative=True), enc_hook=encode_value),
    }
    data = msgspec.json.format(msgspec.json.encode(document), indent=1) + b"\n"
    write_whole(path, data)


def write_whole(path: Path, data: bytes) -> None:
    """Write a file so that readers see the old or the new one, never half. Raises TempikError."""
    temporary = None
    try:
        handle, temporary = tempfile.mkstemp(dir=path.parent, prefix=f".{path.name}.", suffix=".part")
        with os.fdopen(handle, "wb") as out:
            out.write(data)
            out.flush()
            os.fsync(out.fileno())
        os.chmod(temporary, 0o666 & ~_umask())
        os.replace(temporary, path)
    except OSError as error:
        if temporary is not None:
            Path(temporary).unlink(missing_ok=True)
        raise TempikError(f"{path} could not be written ({error.strerror}); choose another place.") from error


def load_reel(path: Path) -> Reel:
    """Read a project file. Media that is missing is kept in the reel: see `missing_media`.

    Raises TempikError when the file cannot be read, is damaged, or comes from a newer version.
    """
    try:
        data = path.read_bytes()
    except OSError as error:
        raise TempikError(f"{path} could not be opened ({error.strerror}); check the name.") from error
    try:
        document = msgspec.json.decode(data)
    except msgspec.DecodeError as error:
        raise TempikError(
            f"{path} is damaged or is not a Tempik project ({error}); open a copy or an earlier save."
        ) from error
    number = document.get("format") if isinstance(document, dict) else None
    if not isinstance(number, int):
        raise TempikError(f"{path} is not a Tempik project: it has no format number; open a .tempik file.")
    if number > FORMAT:
        raise TempikError(
            f"{path} was saved by a newer Tempik (format {number}, this one reads {FORMAT}); update Tempik to open it."
        )
    try:
        reel = msgspec.convert(_from_format(number, document.get("reel")), Reel, dec_hook=decode_value)
    except msgspec.ValidationError as error:
        raise TempikError(f"{path} is damaged: {error}; open a copy or an earlier save.") from error
    found = problems(reel)
    if found:
        raise TempikError(f"{path} is damaged: {found[0]} Open a copy or an earlier save.")
    return _with_paths(reel, path.absolute().parent, relative=False)


def _from_format(number: int, reel: Any) -> Any:
    """Return the reel's document as this format has it. Format 1 kept a list of points and nothing of the analysis."""
    if number < 5 and isinstance(reel, dict):
        for row in reel.get("rows") or ():
            rule = row.get("rule") if isinstance(row, dict) else None
            if isinstance(rule, dict) and rule.get("every") == 0:  # it meant: painted by hand only
                row["rule"] = {"of": "hand"}
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
            if point.get("beat"):
                names[point["id"]] = f"b{len(beats)}"
                time_s = point["time_s"]
                beats.append([time_s, point.get("strength", 1.0), point.get("bar", 0), point["beat"], time_s])
            else:
                placed.append(point)
    except (AttributeError, KeyError, TypeError):
        raise msgspec.ValidationError("a point of the soundtrack has no id or time") from None
    metre = max((b[3] for b in beats), default=4)
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


def missing_media(reel: Reel) -> list[str]:
    """Return the absolute paths of media that are not there now, the soundtrack first."""
    paths = [reel.soundtrack.path] if reel.soundtrack else []
    paths += [f.path for f in reel.footage if f.kind != "solid"]
    paths += [r.mask for r in reel.rows if r.mask]
    return [p for p in dict.fromkeys(paths) if not Path(p).is_file()]


def relink(reel: Reel, old: str, new: str) -> Reel:
    """Return the reel with media file `old` read from `new` instead."""
    song = reel.soundtrack
    if song is not None and song.path == old:
        song = msgspec.structs.replace(song, path=new)
    footage = tuple(msgspec.structs.replace(f, path=new) if f.path == old else f for f in reel.footage)
    rows = tuple(msgspec.structs.replace(r, mask=new) if r.mask == old else r for r in reel.rows)
    return msgspec.structs.replace(reel, soundtrack=song, footage=footage, rows=rows)


def _with_paths(reel: Reel, folder: Path, relative: bool) -> Reel:
    def turn(text: str) -> str:
        return os.path.relpath(text, folder) if relative else os.path.normpath(folder / text)

    song = reel.soundtrack
    if song is not None:
        song = msgspec.structs.replace(song, path=turn(song.path))
    footage = tuple(f if f.kind == "solid" else msgspec.structs.replace(f, path=turn(f.path)) for f in reel.footage)
    rows = tuple(msgspec.structs.replace(r, mask=turn(r.mask)) if r.mask else r for r in reel.rows)
    return msgspec.structs.replace(reel, soundtrack=song, footage=footage, rows=rows)


def encode_value(value: Any) -> Any:
    """Return a value that JSON has no kind for as one that it has."""
    if isinstance(value, Fraction):
        return str(value)
    raise NotImplementedError(type(value))


def decode_value(kind: type, value: Any) -> Any:
    """Return a value of a kind that JSON does not have; a ValueError says what is wrong with it."""
    if kind is Fraction:
        try:
            return Fraction(value)
        except (ValueError, TypeError, ZeroDivisionError):
            raise ValueError(f"'{value}' is not a fraction") from None  # becomes a msgspec.ValidationError
    raise NotImplementedError(kind)


def _umask() -> int:
    mask = os.umask(0)
    os.umask(mask)
    return mask
