"""The user's own sounds on the shelf of a reel, and where the hits of sounds are."""

from __future__ import annotations

from pathlib import Path

from msgspec.structs import replace

from tempik.errors import TempikError
from tempik.media import decode_sound
from tempik.reel import Reel, SoundFile, by_id, new_id
from tempik.sounds.hit import hit_of
from tempik.sounds.loudness import RATE
from tempik.sounds.shelf import SHELF
from tempik.timeline.sound_triggers import sound_length


def heard_file(path: str) -> SoundFile:
    """Return what is found in a file of sound: how long it is, and its hit. Raises TempikError for one without sound."""
    absolute = str(Path(path).absolute())
    sound = decode_sound(absolute, RATE)
    if not len(sound.samples):
        raise TempikError(f"{path} holds no sound; choose another file.")
    found_s = hit_of(sound.samples, RATE)
    return SoundFile("s0", absolute, sound.length_s, found_s, found_s)


def with_sound_file(reel: Reel, heard: SoundFile) -> tuple[Reel, str]:
    """Put a file on the shelf of the reel; return the reel and the sound's id. A file that is there already stays."""
    there = next((s for s in reel.sounds if s.path == heard.path), None)
    if there is not None:
        return reel, there.id
    own = replace(heard, id=new_id("s", {s.id for s in reel.sounds}))
    return replace(reel, sounds=(*reel.sounds, own)), own.id


def without_sound_file(reel: Reel, sound: str) -> Reel:
    """Take a file off the shelf. Raises TempikError while it is used."""
    if any(sound in r.sounds for r in reel.sound_lanes) or any(c.sound == sound for c in reel.sound_clips):
        raise TempikError("This sound is used in the reel; take its lanes and clips away first.")
    return replace(reel, sounds=tuple(s for s in reel.sounds if s.id != sound))


def with_hit(reel: Reel, sound: str, hit_s: float | None) -> Reel:
    """Put the hit of a sound at an instant of it, or with None back where it was found. What lands on points follows. Raises TempikError
    where the sound is gone."""
    own = by_id(reel.sounds, sound)
    if own is None and sound not in SHELF:
        raise TempikError("That sound is no longer there.")
    if hit_s is not None:
        hit_s = min(max(hit_s, 0.0), sound_length(reel, sound))
    if own is not None:
        moved = replace(own, hit_s=own.found_s if hit_s is None else hit_s)
        return replace(reel, sounds=tuple(moved if s.id == sound else s for s in reel.sounds))
    others = {n: v for n, v in reel.hits.items() if n != sound}
    return replace(reel, hits=others if hit_s is None else {**others, sound: hit_s})


def with_tag(reel: Reel, sound: str, tag: str) -> Reel:
    """Give a sound of the user's words that it is found by."""
    return replace(reel, sounds=tuple(replace(s, tag=tag.strip()) if s.id == sound else s for s in reel.sounds))
