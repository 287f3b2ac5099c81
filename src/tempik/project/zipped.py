"""A project in one file: the project and all media that it reads, in a zip that opens on any other machine."""

from __future__ import annotations

import errno
import lzma
import shutil
import stat
import struct
import zipfile
import zlib
from collections.abc import Callable
from pathlib import Path, PurePosixPath

from tempik.disk.reading import opened_regular, shortened
from tempik.disk.writing import fresh_file, fresh_folder
from tempik.errors import TempikError
from tempik.grade.cube import is_cube
from tempik.media.opening import is_media
from tempik.project.file import SUFFIX, document_of, load_reel
from tempik.project.media_files import Collected, media_paths, missing_media, relink
from tempik.project.sources import refuse_media
from tempik.reel import Reel

MEDIA = "media"
CHUNK = 1 << 20
MOST_FILES, MOST_BYTES = 5000, 200 << 30


def zip_project(reel: Reel, target: Path, report: Callable[[float], None] | None = None) -> Collected:
    """Write a reel and its media into a zip. What is neither media nor a LUT is left out, as where media are collected. Raises
    TempikError where a file is missing or the zip cannot be written; nothing half-written is left."""
    refuse_media(target, reel)
    gone = missing_media(reel)
    if gone:
        raise TempikError(f"{gone[0]} is missing; say where it is before zipping.")
    left = tuple(p for p in media_paths(reel) if not (is_media(p) or is_cube(p)))
    names: dict[str, str] = {}
    for path in media_paths(reel):
        if path not in left:
            names[path] = _free_name(Path(path).name, set(names.values()))
    root = target.stem
    whole = sum(Path(p).stat().st_size for p in names) or 1
    done = 0
    try:
        with fresh_file(target) as new, zipfile.ZipFile(new.path, "w", zipfile.ZIP_STORED, allowZip64=True) as packed:
            inside = reel
            for path, name in names.items():
                with opened_regular(path) as read, packed.open(f"{root}/{MEDIA}/{name}", "w", force_zip64=True) as out:
                    while data := read.read(CHUNK):
                        out.write(data)
                        done += len(data)
                        if report is not None:
                            report(done / whole)
                inside = relink(inside, path, f"/{MEDIA}/{name}")
            packed.writestr(f"{root}/{root}{SUFFIX}", document_of(inside, Path("/")), zipfile.ZIP_DEFLATED)
    except OSError as error:
        message = "no space is left there" if error.errno == errno.ENOSPC else error.strerror or str(error)
        raise TempikError(f"{target} could not be written: {message}; choose another place.") from error
    return Collected(reel, left)


def _free_name(name: str, taken: set[str]) -> str:
    stem, suffix, count, out = Path(name).stem, Path(name).suffix, 2, name
    while out.casefold() in {t.casefold() for t in taken}:
        out, count = f"{stem} {count}{suffix}", count + 1
    return out


def unzip_project(source: Path, folder: Path, report: Callable[[float], None] | None = None) -> Path:
    """Unpack a zipped project into a folder that is made, and return its project file. Raises TempikError for a zip that holds no
    project, names paths outside itself, links or devices, or is damaged; nothing of it is left then."""
    try:
        with zipfile.ZipFile(source) as packed:
            entries = [e for e in packed.infolist() if not e.is_dir()]
            for entry in entries:
                _check_entry(source, entry)
            if len(entries) > MOST_FILES or sum(e.file_size for e in entries) > MOST_BYTES:
                raise TempikError(f"{source} is larger than any project; it was not unpacked.")
            projects = [e for e in entries if e.filename.endswith(SUFFIX)]
            if len(projects) != 1:
                raise TempikError(
                    f"{source} holds {len(projects) or 'no'} Tempik projects; choose a zip that Tempik wrote."
                )
            whole, done = sum(e.file_size for e in entries) or 1, 0
            _refuse_without_room(source, folder, whole)
            with fresh_folder(folder) as new:
                for entry in entries:
                    with packed.open(entry) as read, new.opened("/".join(_inside(entry.filename))) as out:
                        while data := read.read(CHUNK):
                            out.write(data)
                            done += len(data)
                            if report is not None:
                                report(done / whole)
                load_reel(new.path.joinpath(*_inside(projects[0].filename)))  # a damaged one is told before it is kept
    except (zipfile.BadZipFile, zlib.error, lzma.LZMAError, EOFError, UnicodeError, struct.error) as error:
        raise TempikError(f"{source} is damaged or no zip ({shortened(error)}); copy it anew.") from error
    except (NotImplementedError, RuntimeError) as error:
        raise TempikError(
            f"{source} is packed in a way that Tempik does not read ({error}); zip the project again."
        ) from error
    except FileExistsError as error:
        raise TempikError(
            f"{folder} is there already, or {source} has two files of one name; choose another place."
        ) from error
    except OSError as error:
        raise TempikError(f"{source} could not be unpacked to {folder} ({error.strerror or error}).") from error
    return folder.joinpath(*_inside(projects[0].filename))


def _refuse_without_room(source: Path, folder: Path, size: int) -> None:
    """Raises TempikError where there is no room for what is in a zip: it is asked before anything is written."""
    try:
        free = shutil.disk_usage(folder.absolute().parent).free
    except OSError:
        return  # the folder is not there: that is said when it is made
    if size > free:
        raise TempikError(
            f"{source} takes {size / 1e6:.0f} MB unpacked and {folder.absolute().parent} has {free / 1e6:.0f}; free some space there."
        )


def _check_entry(source: Path, entry: zipfile.ZipInfo) -> None:
    path = PurePosixPath(entry.filename)
    mode = entry.external_attr >> 16
    plain = mode == 0 or stat.S_ISREG(mode) or stat.S_IFMT(mode) == 0
    bad = path.is_absolute() or ".." in path.parts or "\\" in entry.filename or ":" in entry.filename.split("/")[0]
    if bad or "\0" in entry.filename or not _inside(entry.filename):
        raise TempikError(f"{source} names a file outside itself ('{entry.filename[:60]}'); it was not unpacked.")
    if not plain:
        raise TempikError(f"{source} holds a link or a device ('{entry.filename[:60]}'); it was not unpacked.")


def _inside(name: str) -> tuple[str, ...]:
    """Return the parts of an entry's path below the folder that a zipped project lies in."""
    parts = PurePosixPath(name).parts
    return parts[1:] if len(parts) > 1 else parts


def free_folder(wanted: Path) -> Path:
    """Return a folder or file of that name that is not there yet."""
    out, count = wanted, 2
    while out.exists():
        out, count = wanted.with_name(f"{wanted.stem} {count}{wanted.suffix}"), count + 1
    return out
