"""Keys of a clip as they lie along its slot: moved, copied, eased and taken away together, whatever they set."""

from __future__ import annotations

from collections.abc import Collection
from typing import NamedTuple, get_args

from msgspec.structs import replace

from tempik.accents.pulses import keyed_at
from tempik.edit.clips import layers, masks
from tempik.edit.clips.slots import clip_of, on_reel, with_clips
from tempik.edit.keying import Keys, frame_of_key, keyed_with
from tempik.errors import TempikError
from tempik.reel import Clip, Mask, Reel, by_id
from tempik.reel.lanes import Key, KeyEase
from tempik.timeline.timeline import PLACE_KEYS, Timeline, timeline_of

EASES: tuple[KeyEase, ...] = get_args(KeyEase)
MASK = "mask "
# What is keyed together, under one name; words of titles have chips of their own.
TOGETHER: dict[str, tuple[str, ...]] = {"opacity": ("opacity",), "place": PLACE_KEYS, "grade": ("grade", "exposure")}


class KeyAt(NamedTuple):
    """The keys of one row that stand at a frame: `row` is `opacity`, `place`, `grade`, or `mask` and the mask's id."""

    row: str
    frame: int


class KeyMark(NamedTuple):
    """Where keys of a row stand, whether they go with a point, and how they go on."""

    frame: int
    tied: bool
    ease: KeyEase


class CopiedKey(NamedTuple):
    """A key with what it sets, so many frames after the first that was copied; of a mask `row` is `mask` alone."""

    row: str
    after: int
    values: tuple[tuple[str, float], ...]
    ease: KeyEase


def row_titles(clip: Clip, keyed_only: bool = False) -> dict[str, str]:
    """Return the rows of keys that a clip can have by their names, with what they are called on screen; with `keyed_only`
    those that have keys."""
    if keyed_only and not clip.keys and not clip.masks:
        return {}
    out = {name: name for name in TOGETHER if name != "grade" or "grade" in clip.keys or "exposure" in clip.keys}
    for number, mask in enumerate(clip.masks, 1):
        out[MASK + mask.id] = "mask" if len(clip.masks) == 1 else f"mask {number}"
    return {row: title for row, title in out.items() if not keyed_only or _tracks(clip, row)}


def marks_in(timeline: Timeline, clip: Clip, row: str) -> tuple[KeyMark, ...]:
    """Return where keys of a row stand, in order: one for each frame."""
    found: dict[int, list[Key]] = {}
    for keys in _tracks(clip, row).values():
        for key in keys:
            found.setdefault(frame_of_key(timeline, key), []).append(key)
    return tuple(KeyMark(f, all(k.point is not None for k in at), at[0].ease) for f, at in sorted(found.items()))


def with_keys_moved(reel: Reel, clip: str, chosen: Collection[KeyAt], frames: int) -> Reel:
    """Move keys along the reel, in place of those that stand where they come to. On a point's frame they go with the point."""
    return _with_moved(reel, clip, chosen, frames, stay=False)


def with_keys_copied(reel: Reel, clip: str, chosen: Collection[KeyAt], frames: int) -> Reel:
    """Set the same keys once more, so many frames later (earlier below 0)."""
    return _with_moved(reel, clip, chosen, frames, stay=True)


def with_key_ease(reel: Reel, clip: str, chosen: Collection[KeyAt], ease: KeyEase) -> Reel:
    """Let what keys set go on by another curve. Raises TempikError for one that is not known."""
    if ease not in EASES:
        raise TempikError(f"There is no ease '{ease}'; choose from {', '.join(EASES)}.")
    timeline, record = timeline_of(reel), clip_of(reel, clip)
    for row, frames in _by_row(record, chosen).items():
        tracks = {
            name: tuple(replace(k, ease=ease) if frame_of_key(timeline, k) in frames else k for k in keys)
            for name, keys in _tracks(record, row).items()
        }
        record = _with_tracks(record, row, tracks)
    return with_clips(reel, [record])


def without_keys(reel: Reel, clip: str, chosen: Collection[KeyAt]) -> Reel:
    """Take keys away; with the last of a row what it set stays for good."""
    for row, frames in _by_row(clip_of(reel, clip), chosen).items():
        for frame in sorted(frames):
            if row in TOGETHER:
                reel = layers.without_clip_key(reel, clip, TOGETHER[row], frame)
            else:
                reel = masks.without_mask_key(reel, clip, row.removeprefix(MASK), frame)
    return reel


def with_key_here(reel: Reel, clip: str, row: str, frame: int) -> Reel:
    """Key a row at a frame as it is there. Raises TempikError for a row that the clip has not."""
    timeline = timeline_of(reel)
    placed = on_reel(timeline, clip)
    if row not in row_titles(placed.clip):
        raise TempikError(f"The clip has no '{row}' to key; it has {', '.join(row_titles(placed.clip))}.")
    if row == "opacity":
        return layers.with_clip_key(reel, clip, "opacity", frame, timeline.layer_of(placed, frame).weight)
    if row == "place":
        return layers.with_place_keys(reel, [clip], frame, timeline.framing_at(placed, frame).start)
    if row in TOGETHER:
        for name, keys in timeline.keyed(placed).items():
            if name in TOGETHER[row]:
                reel = layers.with_clip_key(reel, clip, name, frame, keyed_at(keys, frame))
        return reel
    mask = _mask(placed.clip, row)
    names = tuple(mask.keys) if mask is not None and mask.keys else masks.SHAPE
    return masks.with_mask_key(reel, clip, row.removeprefix(MASK), frame, names)


def copied_keys(reel: Reel, clip: str, chosen: Collection[KeyAt]) -> tuple[CopiedKey, ...]:
    """Return keys as they can be pasted elsewhere. Raises TempikError where none are chosen."""
    timeline, record = timeline_of(reel), clip_of(reel, clip)
    if not chosen:
        raise TempikError("Choose keys first: click their diamonds in the clip's lane.")
    first, out = min(at.frame for at in chosen), []
    for at in sorted(chosen, key=lambda a: (a.row, a.frame)):
        there = {
            n: k for n, keys in _tracks(record, at.row).items() for k in keys if frame_of_key(timeline, k) == at.frame
        }
        if there:
            row, ease = at.row if at.row in TOGETHER else MASK.strip(), next(iter(there.values())).ease
            out.append(CopiedKey(row, at.frame - first, tuple((n, k.value) for n, k in there.items()), ease))
    return tuple(out)


def with_keys_pasted(
    reel: Reel, clips: Collection[str], copied: Collection[CopiedKey], frame: int, mask: str = ""
) -> Reel:
    """Set copied keys on clips, the first of them at a frame; those of a mask on the one that is named, else on a clip's last. Raises
    TempikError where a clip has no mask for them."""
    timeline, out = timeline_of(reel), []
    for name in clips:
        record = clip_of(reel, name)
        for key in copied:
            row = key.row
            if row == MASK.strip():
                if not record.masks:
                    raise TempikError("The clip has no mask that the copied keys could be of; draw one first.")
                row = MASK + (mask if by_id(record.masks, mask) is not None else record.masks[-1].id)
            tracks = _tracks(record, row)
            for what, value in key.values:
                tracks[what] = keyed_with(timeline, tracks.get(what, ()), frame + key.after, value, key.ease)
            record = _with_tracks(record, row, tracks)
        out.append(record)
    return with_clips(reel, out)


def _with_moved(reel: Reel, clip: str, chosen: Collection[KeyAt], frames: int, stay: bool) -> Reel:
    timeline, record = timeline_of(reel), clip_of(reel, clip)
    for row, at in _by_row(record, chosen).items():
        tracks = {}
        for name, keys in _tracks(record, row).items():
            going = [k for k in keys if frame_of_key(timeline, k) in at]
            left: Keys = keys if stay else tuple(k for k in keys if k not in going)
            for key in going:
                left = keyed_with(timeline, left, frame_of_key(timeline, key) + frames, key.value, key.ease)
            tracks[name] = left
        record = _with_tracks(record, row, tracks)
    return with_clips(reel, [record])


def _by_row(clip: Clip, chosen: Collection[KeyAt]) -> dict[str, set[int]]:
    out: dict[str, set[int]] = {}
    for row, frame in chosen:
        if _tracks(clip, row):
            out.setdefault(row, set()).add(frame)
    return out


def _mask(clip: Clip, row: str) -> Mask | None:
    return by_id(clip.masks, row.removeprefix(MASK)) if row.startswith(MASK) else None


def _tracks(clip: Clip, row: str) -> dict[str, Keys]:
    """Return the keys of a row by what they set."""
    mask = _mask(clip, row)
    if mask is not None:
        return dict(mask.keys)
    return {name: clip.keys[name] for name in TOGETHER.get(row, ()) if clip.keys.get(name)}


def _with_tracks(clip: Clip, row: str, tracks: dict[str, Keys]) -> Clip:
    mask = _mask(clip, row)
    if mask is None:
        return replace(clip, keys={**clip.keys, **tracks})
    changed = replace(mask, keys=tracks)
    return replace(clip, masks=tuple(changed if m.id == mask.id else m for m in clip.masks))
