"""Keys of clips and of their masks, wherever they are tied to points: turned all alike when the points change."""

from __future__ import annotations

from collections.abc import Callable, Iterator

from msgspec.structs import replace

from tempik.reel import Clip, Key

Keys = dict[str, tuple[Key, ...]]


def keys_of(clip: Clip) -> Iterator[Key]:
    """Yield every key of a clip and of its masks."""
    for tracks in (clip.keys, *(m.keys for m in clip.masks)):
        for track in tracks.values():
            yield from track


def with_keys_turned(clip: Clip, turn: Callable[[Key], Key]) -> Clip:
    """Return a clip with every key of its own and of its masks turned."""
    if not clip.keys and not any(m.keys for m in clip.masks):
        return clip
    masks = tuple(replace(m, keys=_turned(m.keys, turn)) for m in clip.masks)
    return replace(clip, keys=_turned(clip.keys, turn), masks=masks)


def _turned(keys: Keys, turn: Callable[[Key], Key]) -> Keys:
    return {name: tuple(turn(k) for k in track) for name, track in keys.items()}
