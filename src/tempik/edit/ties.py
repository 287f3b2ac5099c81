"""Keys of clips and of their masks, wherever they are tied to points: turned all alike when the points change."""

from __future__ import annotations

from collections.abc import Callable, Iterator

from msgspec.structs import replace

from tempik.reel import Clip, Key

Keys = dict[str, tuple[Key, ...]]


def keys_of(clip: Clip) -> Iterator[Key]:
    """Yield every key of a clip, of its masks and of how it stands in other shapes."""
    for tracks in (clip.keys, *(m.keys for m in clip.masks), *(s.keys for s in clip.shapes.values())):
        for track in tracks.values():
            yield from track


def with_keys_turned(clip: Clip, turn: Callable[[Key], Key]) -> Clip:
    """Return a clip with every key of its own, of its masks and of how it stands in other shapes turned."""
    if not clip.keys and not any(m.keys for m in clip.masks) and not clip.shapes:
        return clip
    masks = tuple(replace(m, keys=_turned(m.keys, turn)) for m in clip.masks)
    clip = with_tracks_led(clip, lambda track: tuple(turn(k) for k in track))
    return replace(clip, masks=masks)


def with_tracks_led(clip: Clip, lead: Callable[[tuple[Key, ...]], tuple[Key, ...]]) -> Clip:
    """Return a clip whose keys, those of how it stands in other shapes among them, are led elsewhere, a track at a time."""

    def led(tracks: Keys) -> Keys:
        return {name: lead(track) for name, track in tracks.items()}

    shapes = {name: replace(s, keys=led(s.keys)) if s.keys else s for name, s in clip.shapes.items()}
    return replace(clip, keys=led(clip.keys), shapes=shapes)


def _turned(keys: Keys, turn: Callable[[Key], Key]) -> Keys:
    return {name: tuple(turn(k) for k in track) for name, track in keys.items()}
