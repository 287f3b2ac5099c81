"""What is said of footage: its true rate, frames to leave out, tags, notes, planned shots; and the rates that fit."""

from __future__ import annotations

import shutil
from collections.abc import Callable, Iterable
from fractions import Fraction
from pathlib import Path

from msgspec.structs import replace

from tempik.errors import TempikError
from tempik.media.cache import content_key
from tempik.reel import Footage, PlannedShot, Reel, by_id, new_id
from tempik.reel.file import missing_media, relink
from tempik.time import rate_text

# Tags: a word, a colour, and a sign, so that the colour is never alone.
TAGS: tuple[tuple[str, str, str], ...] = (
    ("first choice", "#f0b43c", "●"),
    ("second choice", "#86c7c1", "◐"),
    ("cutaway", "#9cc58a", "▲"),
    ("leave out", "#b3aaa0", "✕"),
)


def _with(reel: Reel, footage: str, **fields: object) -> Reel:
    if by_id(reel.footage, footage) is None:
        raise TempikError("That footage is no longer on the reel.")
    return replace(reel, footage=tuple(replace(f, **fields) if f.id == footage else f for f in reel.footage))


def with_read_rate(reel: Reel, footage: str, rate: Fraction | None) -> Reel:
    """Read a file as shot at `rate` frames/s, where it was written already slowed; None reads it as it is."""
    piece = by_id(reel.footage, footage)
    if piece is not None and rate == piece.rate:
        rate = None
    if rate is not None and not 1 <= rate <= 10000:
        raise TempikError(f"{rate_text(rate)} frames/s cannot be; give 1 to 10000.")
    return _with(reel, footage, read_rate=rate)


def with_around(reel: Reel, footage: str, around: bool, repeats: tuple[int, ...] | None = None) -> Reel:
    """Leave out the frames that repeat, the others standing evenly; `repeats` are their numbers where newly found."""
    piece = by_id(reel.footage, footage)
    found = repeats if repeats is not None else piece.repeats if piece is not None else ()
    if around and not found:
        raise TempikError("No repeated frames are known in this file.")
    return _with(reel, footage, around=around, repeats=found if around else ())


def with_tag(reel: Reel, footage: str, tag: str) -> Reel:
    return _with(reel, footage, tag=tag)


def with_note(reel: Reel, footage: str, note: str) -> Reel:
    return _with(reel, footage, note=note.strip())


def with_shot_of(reel: Reel, footage: str, shot: str) -> Reel:
    """Attach footage to a planned shot; '' takes it off."""
    return _with(reel, footage, shot=shot)


def with_dismissed(reel: Reel, footage: str, time_s: float) -> Reel:
    """Do not suggest a cue at an instant again."""
    piece = by_id(reel.footage, footage)
    return _with(reel, footage, dismissed=(*(piece.dismissed if piece is not None else ()), time_s))


def with_cue_name(reel: Reel, footage: str, cue: str, name: str) -> Reel:
    """Call a cue by a word."""
    piece = by_id(reel.footage, footage)
    cues = tuple(replace(c, name=name.strip()) if c.id == cue else c for c in (piece.cues if piece is not None else ()))
    return _with(reel, footage, cues=cues)


def with_shots(reel: Reel, texts: Iterable[str]) -> Reel:
    """Set the shot list: lines that were there keep their footage, others begin without."""
    have = {s.text: s for s in reel.shots}
    shots: list[PlannedShot] = []
    for text in (t.strip() for t in texts):
        if text and all(s.text != text for s in shots):
            kept = have.get(text)
            taken = {s.id for s in (*reel.shots, *shots)}
            shots.append(kept or PlannedShot(new_id("s", taken), text))
    ids = {s.id for s in shots}
    footage = tuple(replace(f, shot="") if f.shot and f.shot not in ids else f for f in reel.footage)
    return replace(reel, shots=tuple(shots), footage=footage)


def uneven(footage: Footage, rate: Fraction) -> str:
    """Return a sentence where footage at full speed would repeat or skip frames unevenly on a reel of some rate."""
    if footage.endless or footage.variable:
        return ""
    share = rate / footage.true_rate
    # Rates a thousandth apart (30 and 29.97) slip a frame in half a minute: no one sees that.
    if abs(share - round(share)) < Fraction(1, 400) and round(share) >= 1:
        return ""
    skip = 1 / share
    if abs(skip - round(skip)) < Fraction(1, 400):
        return ""
    even = float(rate / footage.true_rate)
    while even < 0.75:
        even *= 2
    does = "repeat" if share > 1 else "are skipped"
    return (
        f"{rate_text(footage.true_rate)} frames/s on a reel of {rate_text(rate)}: frames {does} unevenly at 100 %; "
        f"at {even * 100:.0f} % they are even."
    )


def found_in(reel: Reel, folder: Path) -> Reel:
    """Return the reel with missing media read from a folder and those below it: by name and size, else by contents.

    A file of the right name but another size is taken only where nothing fits better.
    """
    files = [p for p in folder.rglob("*") if p.is_file()]
    by_name: dict[str, list[Path]] = {}
    by_size: dict[int, list[Path]] = {}
    for path in files:
        by_name.setdefault(path.name, []).append(path)
        by_size.setdefault(path.stat().st_size, []).append(path)
    for old in missing_media(reel):
        piece = next((f for f in reel.footage if f.path == old), None)
        named = by_name.get(Path(old).name, [])
        best = next((p for p in named if piece is None or not piece.bytes or p.stat().st_size == piece.bytes), None)
        if best is None and piece is not None and piece.bytes:
            best = next((p for p in by_size.get(piece.bytes, []) if content_key(str(p)) == piece.key), None)
        best = best or next(iter(named), None)
        if best is not None:
            reel = relink(reel, old, str(best.absolute()))
    return reel


def replaced_media(reel: Reel) -> list[str]:
    """Return the paths of footage that is there but is no longer the file that was added."""
    out = []
    for piece in reel.footage:
        path = Path(piece.path)
        if piece.kind == "solid" or not piece.bytes or not path.is_file():
            continue
        if path.stat().st_size != piece.bytes:
            out.append(piece.path)
    return out


def collect(reel: Reel, project: Path, report: Callable[[float], None] | None = None) -> Reel:
    """Copy all media into a folder beside the project and return the reel that reads them from there.

    What lies there already with the same contents is used. Raises TempikError when a file is missing or cannot be
    copied; nothing half-copied is left.
    """
    folder = project.absolute().with_name(project.stem + " media")
    paths = [f.path for f in reel.footage if f.kind != "solid"]
    if reel.soundtrack is not None:
        paths.insert(0, reel.soundtrack.path)
    paths = list(dict.fromkeys([*paths, *(r.mask for r in reel.rows if r.mask)]))
    gone = [p for p in paths if not Path(p).is_file()]
    if gone:
        raise TempikError(f"{gone[0]} is missing; say where it is before collecting.")
    for number, path in enumerate(paths):
        if report is not None:
            report(number / len(paths))
        source = Path(path)
        if source.parent == folder:
            continue
        target = folder / source.name
        count = 2
        while target.exists() and content_key(str(target)) != content_key(path):
            target = folder / f"{source.stem} {count}{source.suffix}"
            count += 1
        if not target.exists():
            part = target.with_name(target.name + ".part")
            try:
                folder.mkdir(exist_ok=True)
                shutil.copy2(source, part)
                part.replace(target)
            except OSError as error:
                part.unlink(missing_ok=True)
                raise TempikError(
                    f"{source.name} could not be copied to {folder} ({error.strerror}); free some space there."
                ) from error
        reel = relink(reel, path, str(target))
    return reel
