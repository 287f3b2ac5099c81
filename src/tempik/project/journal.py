"""The journal: every step of an open project, written beside it as it is made, so that nothing is lost with the process.

A journal is lines of JSON: the reel as it was opened, then each step as what it changed, and each undo or redo as the
step gone to. A line is in the system's hands before the step is shown, so a killed process loses none; a line that was
torn is left out. Reading one gives the history as it was, to be undone as before.
"""

from __future__ import annotations

import fcntl
import hashlib
import os
import threading
from pathlib import Path
from typing import IO, Any, NamedTuple, get_args, get_origin

import msgspec

from tempik.errors import TempikError
from tempik.project.file import decode_value, encode_value, state_folder, step_with_names_of_7, with_names_of_7
from tempik.project.history import History, begin
from tempik.reel import Reel

# The kind of journal: the first called some fields as projects did before format 7.
JOURNAL = 2
# The disk is told to keep what was written this often; the system has it at once.
SYNC_S = 2.0


class Lock:
    """Says that a project is open here. Let go by `close`, or with the process however it ends."""

    def __init__(self, project: Path) -> None:
        """Raises TempikError when another window has the project open."""
        self._file: IO[str] | None = None
        beside = project.absolute().with_name(f".{project.name}.lock")
        while True:
            try:
                held = open(beside, "a+", encoding="utf-8")  # noqa: SIM115
            except OSError:
                return  # a folder that cannot be written to needs no guarding: nothing can be saved there
            try:
                fcntl.flock(held, fcntl.LOCK_EX | fcntl.LOCK_NB)
            except OSError:
                held.close()
                raise TempikError(
                    f"{project.name} is open in another window; it can be looked at here, and changed after Save as."
                ) from None
            if _is_at(held, beside):
                break
            held.close()  # its owner took it away between our opening and our holding it: what is there now counts
        self._file, self._path = held, beside

    def close(self) -> None:
        if self._file is not None:
            self._path.unlink(missing_ok=True)
            self._file.close()
            self._file = None


def _is_at(file: IO[str], path: Path) -> bool:
    """Tell whether an open file is the one that lies at a path."""
    try:
        there = os.stat(path)
    except OSError:
        return False
    here = os.fstat(file.fileno())
    return (here.st_dev, here.st_ino) == (there.st_dev, there.st_ino)


def journal_path(project: Path | None) -> Path:
    """Return where the journal of a project lies: beside it, or among the state files for one without a name."""
    if project is None:
        return state_folder() / "untitled" / f"{os.getpid()}.journal"
    project = project.absolute()
    if os.access(project.parent, os.W_OK):
        return project.with_name(f".{project.name}.journal")
    name = hashlib.blake2b(str(project).encode(), digest_size=12).hexdigest()
    return state_folder() / "journals" / f"{name}.journal"


class Journal:
    """The journal of one open project, begun anew whenever the project is opened or saved."""

    def __init__(self, path: Path, history: History, project: Path | None) -> None:
        """Write the history so far to `path`, whole or not at all; a journal there gives way.

        Raises TempikError where it cannot be written; the project can be edited all the same.
        """
        self.path = path
        self._file: IO[bytes] | None = None
        self._sync: threading.Timer | None = None
        first = history.steps[0].reel
        lines = [{"journal": JOURNAL, "project": str(project or ""), "pid": os.getpid(), "reel": _plain(first)}]
        for a, b in zip(history.steps, history.steps[1:], strict=False):
            lines.append({"done": b.done, "set": difference(a.reel, b.reel)})
        lines.append({"at": history.at})
        try:
            path.parent.mkdir(parents=True, exist_ok=True)
            fresh = path.with_name(path.name + ".new")
            file = open(fresh, "wb", buffering=0)  # noqa: SIM115
            fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
            file.write(b"".join(msgspec.json.encode(line, enc_hook=encode_value) + b"\n" for line in lines))
            os.replace(fresh, path)
        except OSError as error:
            raise TempikError(
                f"No journal can be kept at {path} ({error.strerror}): unsaved work would be lost with the program; save often."
            ) from error
        self._file = file
        self._at = history

    def note(self, history: History) -> None:
        """Write what was done since the last call. Raises TempikError once when the disk is full."""
        before, self._at = self._at, history
        if self._file is None or history is before:
            return
        new = history.at == before.at + 1 and history.steps[history.at] is not _step(before, history.at)
        if new:
            step = history.steps[history.at]
            line: dict[str, Any] = {"done": step.done, "set": difference(before.reel, step.reel)}
        else:
            line = {"at": history.at}
        try:
            self._file.write(msgspec.json.encode(line, enc_hook=encode_value) + b"\n")
        except OSError as error:
            self.leave()
            raise TempikError(
                f"The journal at {self.path} cannot be written any more ({error.strerror}): save the project elsewhere."
            ) from error
        if self._sync is None:
            self._sync = threading.Timer(SYNC_S, self._to_disk)
            self._sync.daemon = True
            self._sync.start()

    def _to_disk(self) -> None:
        self._sync = None
        file = self._file
        if file is not None:
            try:
                os.fsync(file.fileno())
            except (OSError, ValueError):
                pass  # closed meanwhile

    def leave(self) -> None:
        """Stop writing and keep the file."""
        sync, self._sync = self._sync, None  # its own thread sets it to None as well
        if sync is not None:
            sync.cancel()
        if self._file is not None:
            self._file.close()
            self._file = None

    def remove(self) -> None:
        """Stop writing and remove the file: all is saved, or was given up knowingly."""
        self.leave()
        self.path.unlink(missing_ok=True)


class Found(NamedTuple):
    """A journal that a process left behind: the project's file (None when it had no name), and its history."""

    path: Path
    project: Path | None
    history: History

    @property
    def steps(self) -> int:
        return len(self.history.steps) - 1


def left_behind(project: Path | None) -> Found | None:
    """Return what a process that did not end well left of a project, or of one without a name; None if nothing."""
    if project is not None:
        return _read(journal_path(project))
    folder = state_folder() / "untitled"
    found = [f for p in sorted(folder.glob("*.journal")) if (f := _read(p)) is not None]
    return found[-1] if found else None


def _read(path: Path) -> Found | None:
    try:
        with open(path, "rb") as file:
            try:
                fcntl.flock(file, fcntl.LOCK_SH | fcntl.LOCK_NB)
            except OSError:
                return None  # its process is alive
            lines = file.read().split(b"\n")
    except OSError:
        return None
    history: History | None = None
    project: Path | None = None
    first = False
    for line in lines[:-1]:  # what follows the last end of line was torn
        try:
            entry = msgspec.json.decode(line)
            if history is None:
                if entry.get("journal") not in (1, JOURNAL):
                    return None
                first = entry["journal"] == 1
                reel = with_names_of_7(entry["reel"]) if first else entry["reel"]
                history = begin(msgspec.convert(reel, Reel, dec_hook=decode_value))
                project = Path(entry["project"]) if entry["project"] else None
            elif "done" in entry:
                changed = step_with_names_of_7(entry["set"]) if first else entry["set"]
                history = history.done(with_difference(history.reel, changed), entry["done"])
            else:
                history = history.gone_to(int(entry["at"]))
        except (msgspec.MsgspecError, KeyError, TypeError, ValueError, AttributeError):
            break
    if history is None or len(history.steps) < 2:
        return None
    return Found(path, project, history)


def _step(history: History, number: int) -> object:
    return history.steps[number] if number < len(history.steps) else None


def _plain(value: Any) -> Any:
    return msgspec.to_builtins(value, enc_hook=encode_value)


_TYPES: dict[str, Any] = {f.name: f.type for f in msgspec.structs.fields(Reel)}


def _record_of(field: str) -> type | None:
    """Return the kind of record that a field of the reel is a list of, told by their ids; None for any other field."""
    kinds = get_args(_TYPES[field])
    kind = kinds[0] if get_origin(_TYPES[field]) is tuple and kinds else None
    return kind if kind is not None and "id" in getattr(kind, "__struct_fields__", ()) else None


# Of these fields a step keeps only the records that it changed.
LISTS = frozenset(f for f in _TYPES if _record_of(f) is not None)


def difference(old: Reel, new: Reel) -> dict[str, Any]:
    """Return what a step changed: whole fields, of lists the records that are new or other and the order of all."""
    out: dict[str, Any] = {}
    for field in Reel.__struct_fields__:
        a, b = getattr(old, field), getattr(new, field)
        if a is b or a == b:
            continue
        if field in LISTS:
            kept = {r.id: r for r in a}
            out[field] = {
                "order": [r.id for r in b],
                "put": [_plain(r) for r in b if kept.get(r.id) is not r and kept.get(r.id) != r],
            }
        elif field == "soundtrack" and a is not None and b is not None:
            out[field] = {
                "part": {
                    f: _plain(getattr(b, f))
                    for f in b.__struct_fields__
                    if getattr(a, f) is not getattr(b, f) and getattr(a, f) != getattr(b, f)
                }
            }
        else:
            out[field] = {"whole": _plain(b)}
    return out


def with_difference(reel: Reel, changed: dict[str, Any]) -> Reel:
    """Return the reel with what `difference` returned. Raises what msgspec raises on anything else."""
    fields: dict[str, Any] = {}
    for field, change in changed.items():
        kind = _record_of(field)
        if kind is not None and "order" in change:
            have = {r.id: r for r in getattr(reel, field)}
            have |= {r["id"]: msgspec.convert(r, kind, dec_hook=decode_value) for r in change["put"]}
            fields[field] = tuple(have[name] for name in change["order"])
        elif "part" in change:
            song = reel.soundtrack
            if song is None:
                raise KeyError("soundtrack")
            types = {f.name: f.type for f in msgspec.structs.fields(type(song))}
            parts = {k: msgspec.convert(v, types[k], dec_hook=decode_value) for k, v in change["part"].items()}
            fields[field] = msgspec.structs.replace(song, **parts)
        else:
            fields[field] = msgspec.convert(change["whole"], _TYPES[field], dec_hook=decode_value)
    return msgspec.structs.replace(reel, **fields)
