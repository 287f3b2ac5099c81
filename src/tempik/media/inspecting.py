"""One look over a file: it is decoded once for all that is to be known of it, its cues and course, its filmstrip and its proxy."""

from __future__ import annotations

import queue
import threading
from collections.abc import Callable, Generator
from contextlib import ExitStack
from pathlib import Path
from typing import NamedTuple

import av

from tempik.media.cache import cache_folder, content_key, keep_entry, kept_entry
from tempik.media.cues import STUDY, FootageStudy, StudyBuilder
from tempik.media.filmstrip import Filmstrip, FilmstripMaker, cached_filmstrip, keep_filmstrip
from tempik.media.index import index_frames
from tempik.media.opening import opened
from tempik.media.picture import Picture, from_frame, shrunk
from tempik.media.proxy import new_proxy, proxy_longest

AHEAD = 6  # frames that are decoded before they are looked at
TOLD_EVERY = 16
OF_DECODING = 0.85  # of the whole work
# Without a proxy, pictures are looked at no larger than this.
LARGEST_PX = 480


class Inspection(NamedTuple):
    """What a look over a file found."""

    study: FootageStudy
    filmstrip: Filmstrip


def looked_before(path: str, rotation_deg: int) -> Inspection | None:
    """Return what was found of the same contents before, None where not all of it is known."""
    study = kept_entry(_study_entry(path), FootageStudy)
    filmstrip = cached_filmstrip(path, rotation_deg) if study is not None else None
    return Inspection(study, filmstrip) if study is not None and filmstrip is not None else None


def look_over(
    path: str, rotation_deg: int = 0, proxy: bool = False, report: Callable[[float], None] | None = None
) -> Inspection:
    """Decode a file once, for its study and its strip, which are kept, and with `proxy` for its proxy. `report` is called with the share
    done; it may raise to stop, and nothing half-made is left. Raises TempikError when the file cannot be read, or the proxy not
    written."""
    index = index_frames(path)
    tell = report or (lambda share: None)
    total = max(len(index.pts), 1)
    watching, filmstrips = StudyBuilder(path, index), FilmstripMaker(total, rotation_deg)
    with ExitStack() as stack:
        writer = stack.enter_context(new_proxy(path, index)) if proxy else None
        frames = _ahead(path, proxy_longest if proxy else lambda picture: LARGEST_PX)
        stack.callback(frames.close)
        for number, (pts, picture) in enumerate(frames):
            if writer is not None:
                writer.take(pts, picture)
            time_s = float(pts * index.time_base) - index.origin_s
            watching.take(time_s, picture.y)
            filmstrips.take(time_s, picture)
            if number % TOLD_EVERY == 0:
                tell(OF_DECODING * number / total)
    found = Inspection(watching.study(), filmstrips.filmstrip())
    keep_entry(_study_entry(path), found.study)
    keep_filmstrip(path, rotation_deg, found.filmstrip)
    return found


def _study_entry(path: str) -> Path:
    return cache_folder() / "footage" / f"{content_key(path)}.{STUDY}"


def _ahead(path: str, longest: Callable[[Picture], int]) -> Generator[tuple[int, Picture]]:
    """Yield each frame's timestamp and picture, made small, decoded on a thread ahead of whoever looks at them. A broken tail ends
    them."""
    made: queue.Queue[tuple[int, Picture] | BaseException | None] = queue.Queue(AHEAD)
    stop = threading.Event()

    def put(what: tuple[int, Picture] | BaseException | None) -> None:
        while not stop.is_set():
            try:
                made.put(what, timeout=0.1)
                return
            except queue.Full:
                continue

    def decode() -> None:
        size = 0
        try:
            with opened(path) as container:
                stream = container.streams.video[0]
                stream.thread_type = "AUTO"
                for frame in container.decode(stream):
                    if stop.is_set():
                        return
                    if frame.pts is not None:
                        picture = from_frame(frame)
                        size = size or longest(picture)
                        put((frame.pts, shrunk(picture, size)))
            put(None)
        except (av.error.FFmpegError, OSError) as error:
            put(None if isinstance(error, av.error.FFmpegError) else error)
        except BaseException as error:  # whatever it is, it is the looker's to raise
            put(error)

    thread = threading.Thread(target=decode, name="Looking over", daemon=True)
    thread.start()
    try:
        while (found := made.get()) is not None:
            if isinstance(found, OSError):
                return
            if isinstance(found, BaseException):
                raise found
            yield found
    finally:
        stop.set()
        thread.join()
