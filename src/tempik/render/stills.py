"""Writing single pictures: a frame that stands for the reel, or all of them into a folder."""

from __future__ import annotations

import threading
from io import BytesIO
from pathlib import Path

from tempik.disk.writing import fresh_folder, write_whole
from tempik.media.picture import to_rgb
from tempik.render.encoding import rgba
from tempik.render.export_settings import Cancelled, Progress
from tempik.render.film import CACHE_BYTES
from tempik.render.pictures import PictureSource
from tempik.render.plan import plan
from tempik.timeline.timeline import Timeline

QUALITY = {"draft": 75, "standard": 88, "high": 95}
# zlib's levels: the picture is the same, and PNG's own filters do most of the work.
SQUEEZE = {"draft": 1, "standard": 3, "high": 6}


def write_poster(
    timeline: Timeline, target: Path, frame: int, size: tuple[int, int], quality: str, clear: bool
) -> None:
    """Write one frame as PNG or JPEG. Raises TempikError."""
    with PictureSource(CACHE_BYTES) as source:
        write_whole(target.absolute(), _coded(source, timeline, frame, size, quality, clear, _kind_of(target)))


def write_frames(
    timeline: Timeline,
    target: Path,
    frames: range,
    size: tuple[int, int],
    quality: str,
    clear: bool,
    progress: Progress | None,
    cancel: threading.Event,
) -> None:
    """Write frames as PNG files into a folder that is made, all of them or none. Raises OSError, where something of that name is
    there too, Cancelled and TempikError."""
    digits = max(5, len(str(len(frames))))
    with fresh_folder(target) as folder, PictureSource(CACHE_BYTES) as source:
        for done, number in enumerate(frames):
            if cancel.is_set():
                raise Cancelled
            data = _coded(source, timeline, number, size, quality, clear, "PNG")
            folder.write(f"{target.name}_{done:0{digits}d}.png", data)
            if progress is not None:
                progress(done + 1, len(frames))


def _kind_of(target: Path) -> str:
    return "JPEG" if target.suffix.lower() in (".jpg", ".jpeg") else "PNG"


def _coded(
    source: PictureSource, timeline: Timeline, frame: int, size: tuple[int, int], quality: str, clear: bool, kind: str
) -> bytes:
    from PIL import Image  # takes a while to load, so only where a still is written

    planned, out = plan(timeline, frame, *size), BytesIO()
    if clear and kind == "PNG":
        picture = Image.fromarray(rgba(*source.render_clear(planned)))
    else:
        picture = Image.fromarray(to_rgb(source.render(planned)))
    if kind == "JPEG":
        picture.save(out, kind, quality=QUALITY[quality], subsampling=0 if quality == "high" else 2)
    else:
        picture.save(out, kind, compress_level=SQUEEZE[quality])
    return out.getvalue()
