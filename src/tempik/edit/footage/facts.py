"""What is said of footage: its true rate, frames to leave out, tags, notes, planned shots; and the rates that fit."""

from __future__ import annotations

from collections.abc import Iterable
from fractions import Fraction
from pathlib import Path
from typing import NamedTuple

from msgspec.structs import replace

from tempik.errors import TempikError
from tempik.media import Probe
from tempik.reel import Footage, PlannedShot, Reel, by_id, new_id
from tempik.reel.bounds import no_number, out_of_bounds
from tempik.reel.nests import all_clips, everywhere
from tempik.time import rate_text

# Tags: a word, a colour, and a sign, so that the colour is never alone.
TAGS: tuple[tuple[str, str, str], ...] = (
    ("first choice", "#f0b43c", "●"),
    ("second choice", "#86c7c1", "◐"),
    ("cutaway", "#9cc58a", "▲"),
    ("leave out", "#b3aaa0", "✕"),
)


def facts_changed(reel: Reel, footage: str, **fields: object) -> Reel:
    """Return the reel with fields of a piece of footage set. Raises TempikError when it is gone."""
    if by_id(reel.footage, footage) is None:
        raise TempikError("That footage is no longer on the reel.")
    return replace(reel, footage=tuple(replace(f, **fields) if f.id == footage else f for f in reel.footage))


def with_read_rate(reel: Reel, footage: str, rate: Fraction | None) -> Reel:
    """Read a file as shot at `rate` frames/s, where it was written already slowed; None reads it as it is. Raises TempikError outside 1 to
    10,000 frames/s."""
    piece = by_id(reel.footage, footage)
    if piece is not None and rate == piece.rate:
        rate = None
    if rate is not None and not 1 <= rate <= 10000:
        raise TempikError(f"{rate_text(rate)} frames/s cannot be; give 1 to 10000.")
    return facts_changed(reel, footage, read_rate=rate)


def with_around(reel: Reel, footage: str, around: bool, repeats: tuple[int, ...] | None = None) -> Reel:
    """Leave out the frames that repeat, the others standing evenly; `repeats` are their numbers where newly found. Raises TempikError where
    none are known."""
    piece = by_id(reel.footage, footage)
    found = repeats if repeats is not None else piece.repeats if piece is not None else ()
    if around and not found:
        raise TempikError("No repeated frames are known in this file.")
    return facts_changed(reel, footage, skip_repeats=around, repeats=found if around else ())


def with_tag(reel: Reel, footage: str, tag: str) -> Reel:
    """Tag a piece of footage; '' takes the tag off. Raises TempikError when it is gone."""
    return facts_changed(reel, footage, tag=tag)


def with_note(reel: Reel, footage: str, note: str) -> Reel:
    """Write a note on a piece of footage. Raises TempikError when it is gone."""
    return facts_changed(reel, footage, note=note.strip())


def with_shot_of(reel: Reel, footage: str, shot: str) -> Reel:
    """Attach footage to a planned shot; '' takes it off."""
    return facts_changed(reel, footage, shot=shot)


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


def footage_from(probe: Probe, taken: set[str]) -> Footage:
    """Return the record of a probed file. Raises TempikError when it has no picture."""
    if not probe.has_picture:
        raise TempikError(f"{probe.path} has no picture, only sound; add it as the song instead.")
    made = Footage(
        id=new_id("f", taken),
        path=str(Path(probe.path).absolute()),
        width=probe.width,
        height=probe.height,
        rate=probe.rate,
        length_s=probe.length_s,
        rotation_deg=probe.rotation_deg,
        has_sound=probe.has_sound,
        kind="still" if probe.still else "video",
        frames=probe.frames,
        bytes=probe.bytes,
        key=probe.key,
        variable=probe.variable_rate,
        alpha=probe.alpha,
        warning=probe.message,
    )
    beyond = out_of_bounds(made) or no_number(made)
    if beyond:
        raise TempikError(f"{probe.path} has {beyond}; convert it to a new file first.")
    return made


def with_footage(reel: Reel, probe: Probe) -> Reel:
    """Add a file to the reel's footage; one already there is not added twice."""
    path = str(Path(probe.path).absolute())
    if any(f.path == path for f in reel.footage):
        return reel
    return replace(reel, footage=(*reel.footage, footage_from(probe, {f.id for f in reel.footage})))


class Uses(NamedTuple):
    """What goes with a piece of footage when it is taken off the reel."""

    clips: int
    cues: int
    notes: int  # tags, notes, planned shots and followed patches

    @property
    def text(self) -> str:
        """What would be lost, as a sentence; '' for nothing."""
        parts = [f"{n} {word}{'s' if n != 1 else ''}" for n, word in ((self.clips, "clip"), (self.cues, "cue")) if n]
        parts += ["what was noted of it"] if self.notes else []
        return (
            f"With it go {' and '.join([', '.join(parts[:-1]), parts[-1]] if len(parts) > 1 else parts)}."
            if parts
            else ""
        )


def uses_of(reel: Reel, footage: str) -> Uses:
    """Return what would be lost with a piece of footage."""
    piece = by_id(reel.footage, footage)
    if piece is None:
        return Uses(0, 0, 0)
    noted = sum(map(bool, (piece.tag, piece.note, piece.shot))) + len(piece.motion_tracks)
    return Uses(sum(1 for c in all_clips(reel) if c.footage == footage), len(piece.cues), noted)


def without_footage(reel: Reel, footage: str, with_clips: bool = False) -> Reel:
    """Take a piece of footage off the reel, `with_clips` together with the clips that show it, which leave gaps. Raises
    TempikError while clips use it otherwise."""
    used = [c.id for c in all_clips(reel) if c.footage == footage]
    if used and not with_clips:
        raise TempikError(f"{len(used)} clips use this footage; swap or remove them first.")
    left = everywhere(reel, lambda level: replace(level, clips=tuple(c for c in level.clips if c.footage != footage)))
    return replace(left, footage=tuple(f for f in left.footage if f.id != footage))
