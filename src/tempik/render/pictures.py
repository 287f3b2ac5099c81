"""Source frames for plans: a reader for each file, opened when first asked for, within a bound."""

from __future__ import annotations

import os
import threading
from collections import OrderedDict
from collections.abc import Callable, Hashable

import cv2
import numpy as np

from tempik.disk.reading import printable
from tempik.errors import TempikError
from tempik.media import FrameIndex, FrameReader, Picture, index_frames
from tempik.media.meaning import AS_SAID, Colour
from tempik.media.paint import mixed
from tempik.media.picture import Plane, solid
from tempik.render.between import InBetweens, blended
from tempik.render.compose import Source, compose, finished, fitted, folded
from tempik.render.nested import WHITE_Y, Backgrounds, covers, parted, parted_under_look
from tempik.render.plan import FramePlan, LayerPlan

# Decoders that stay open: each holds some tens of frames. A frame of more layers keeps as many as it has.
OPEN_FILES = 3
OTHERS = 0.4
# A matte is kept as luma in video range.
_FULL = np.clip(np.round((np.arange(256) - 16) * 255 / 219), 0, 255).astype(np.uint8)

_INDEX_LOCK = threading.Lock()
_INDEXES: OrderedDict[tuple[str, int, int], FrameIndex] = OrderedDict()


def shared_index(path: str) -> FrameIndex:
    """Return a file's index, kept for as long as the file stays as it is. Safe to call from any thread. Raises TempikError where the file
    is not there."""
    try:
        state = os.stat(path)
    except (OSError, ValueError):
        raise TempikError(f"{printable(path)} is not there; check the name, or say where it has moved.") from None
    key = (path, state.st_size, state.st_mtime_ns)
    with _INDEX_LOCK:
        found = _INDEXES.get(key)
    if found is None:
        found = index_frames(path)
        with _INDEX_LOCK:
            _INDEXES[key] = found
            while len(_INDEXES) > 256:
                _INDEXES.popitem(last=False)
    return found


class PictureSource:
    """Renders plans for one thread. Use it in a `with` statement, or close it.

    `proxy` says which smaller file stands for a file, frame for frame, or None; an export gives none.
    """

    def __init__(self, cache_bytes: int = 384 << 20, proxy: Callable[[str], str | None] | None = None) -> None:
        self._cache_bytes = cache_bytes
        self._proxy = proxy or (lambda path: None)
        self._between = InBetweens()
        self._layers = 1  # of the frame that is rendered
        self._under: tuple[Hashable, Picture] | None = None  # the last picture under a look that is dragged, by its key
        self._readers: OrderedDict[tuple[str, int | None, Colour], FrameReader] = OrderedDict()

    def __enter__(self) -> PictureSource:
        return self

    def __exit__(self, *_: object) -> None:
        self.close()

    def close(self) -> None:
        """Close the files that were read; they are opened again when they are asked for."""
        for reader in self._readers.values():
            reader.close()
        self._readers.clear()
        self._under = None

    def render(self, plan: FramePlan) -> Picture:
        """Return the composed picture of a plan. Raises TempikError when its footage cannot be read."""
        self._layers = plan.open_files
        return self._looked_at(plan) if plan.quick and plan.grades else self._painted(folded(plan))

    def _looked_at(self, plan: FramePlan) -> Picture:
        """Return a picture whose look is dragged: what lies under it is composed once."""
        bare = plan._replace(grades=(), quick=False)
        if self._under is None or self._under[0] != bare.key():
            self._under = bare.key(), self._composed(plan)
        return finished(plan, self._under[1])

    def render_clear(self, plan: FramePlan) -> Source:
        """Return the composed picture of a plan, and how far it covers what would lie below the reel, None where it is all."""
        self._layers = plan.open_files
        return self._nested(folded(plan))

    def _painted(self, plan: FramePlan, background: Picture | None = None) -> Picture:
        return finished(plan, self._composed(plan, background))

    def _composed(self, plan: FramePlan, background: Picture | None = None) -> Picture:
        """Return the picture under the reel's look."""
        picture = compose(plan, [self._source(layer) for layer in plan.layer_plans], background)
        for earlier, strength in plan.echoes:
            behind = compose(earlier, [self._source(layer) for layer in earlier.layer_plans], background)
            picture = mixed(picture, behind, strength / 2)
        return picture

    def _nested(self, plan: FramePlan) -> Source:
        """Return what lies in a nest: its picture, and how far it covers what is below, told by what of the ground shows."""
        on_black = self._painted(plan)
        if covers(plan):
            return Source(on_black)
        white = solid(plan.width, plan.height, WHITE_Y)
        on_white = self._painted(plan, white)
        bare = plan._replace(layers=(), echoes=())
        backgrounds = Backgrounds(finished(bare, solid(plan.width, plan.height)), finished(bare, white))
        if backgrounds.plain:
            return Source(*parted(on_black, on_white))
        return Source(*parted_under_look(on_black, on_white, backgrounds))

    def _source(self, layer: LayerPlan) -> Source | None:
        if layer.inner is not None:
            return self._nested(folded(layer.inner))
        if layer.solid:
            return None
        reader = self._reader_of(layer)
        # A proxy has the frames of its file, under their own numbers.
        index = shared_index(layer.path)
        number, later, share = layer.number, layer.later, layer.share
        if number is None and layer.interpolation == "nearest":
            number = index.frame_at(layer.source_s)
        elif number is None:
            number, share = index.around(layer.source_s)
            later = number + 1
        picture = reader.frame(number, layer.backward)
        alpha = reader.alpha(number) if layer.alpha else None
        if layer.cutout is not None:
            matte = self._matte(layer.cutout[0], number - layer.cutout[1], layer.backward)
            alpha = matte if alpha is None else np.minimum(matte, fitted(alpha, matte.shape))
        if share and later is not None and layer.interpolation != "nearest":
            after = reader.frame(later, layer.backward)
            if layer.interpolation == "blend":
                picture = blended(picture, after, share)
            else:
                picture = self._between.made(picture, after, share, (reader.path, layer.longest_px, number))
        return Source(picture, alpha)

    def _matte(self, path: str, number: int, backward: bool) -> Plane:
        """Return how far a cut-out subject covers, 0 to 255."""
        return np.asarray(cv2.LUT(self._reader(path, None).frame(number, backward).y, _FULL), dtype=np.uint8)

    def _reader_of(self, layer: LayerPlan) -> FrameReader:
        path = self._proxy(layer.path)
        if path is not None and not layer.alpha and layer.colour == AS_SAID:
            reader = self._reader(path, None)
            if len(reader.index.pts) == len(shared_index(layer.path).pts):
                return reader
        return self._reader(layer.path, layer.longest_px, layer.colour)

    def _reader(self, path: str, longest_px: int | None, colour: Colour = AS_SAID) -> FrameReader:
        key = (path, longest_px, colour)
        reader = self._readers.get(key)
        if reader is not None and reader.stale:
            self._readers.pop(key).close()
            reader = None
        if reader is None:
            reader = FrameReader(path, shared_index(path), self._cache_bytes, longest_px, colour)
            self._readers[key] = reader
            while len(self._readers) > max(OPEN_FILES, self._layers):
                _, oldest = self._readers.popitem(last=False)
                oldest.close()
        if next(reversed(self._readers)) != key or reader.cached_bytes == 0:
            self._readers.move_to_end(key)
            self._share_out(reader)
        return reader

    def _share_out(self, reader: FrameReader) -> None:
        """Give the file in use what the others do not need: playing backward wants a long stretch of it at hand.

        The others keep at most OTHERS of the cache between them, those least recently used giving way first.
        """
        room = int(self._cache_bytes * OTHERS)
        for other in reversed(self._readers.values()):
            if other is not reader:
                other.trim(room)
                room = max(0, room - other.cached_bytes)
        held = sum(r.cached_bytes for r in self._readers.values() if r is not reader)
        reader.cache_bytes = self._cache_bytes - held
