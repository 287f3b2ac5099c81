"""Filmstrips of the footage, made in the background and kept while the project is open."""

from __future__ import annotations

from cachetools import LRUCache
from PySide6.QtCore import QObject, Signal
from PySide6.QtGui import QPixmap

from tempik.desktop.session.jobs import Job, Worker
from tempik.desktop.widgets.drawing import image_of
from tempik.desktop.widgets.pixmap_cache import pixmap_bytes
from tempik.media.filmstrip import Filmstrip, cached_filmstrip, make_filmstrip
from tempik.reel import Footage
from tempik.render.pictures import shared_index

KEPT_BYTES = 64 << 20


class Filmstrips(QObject):
    """Thumbnails by file and instant."""

    changed = Signal()

    def __init__(self, worker: Worker, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._worker = worker
        self._strips: dict[str, Filmstrip] = {}
        self._making: set[str] = set()
        self._given_up: set[str] = set()  # files that cannot be read, until the reel names others
        self._pixmaps: LRUCache[tuple[str, int], QPixmap] = LRUCache(KEPT_BYTES, getsizeof=pixmap_bytes)

    def want(self, footage: Footage) -> None:
        """Begin to make a file's strip unless it is made, being made or cannot be read. One that was cancelled is begun
        again the next time that it is asked for by a person: see `retry`."""
        path = footage.path
        if footage.without_file or path in self._strips or path in self._making or path in self._given_up:
            return
        self._making.add(path)

        def work(job: Job) -> Filmstrip | None:
            known = cached_filmstrip(path, footage.rotation_deg) if footage.kind == "video" else None
            if known is not None:
                return known
            # Of its key frames, in a moment; the whole strip comes with the look over the file.
            film = footage.kind == "video"
            filmstrip = make_filmstrip(path, shared_index(path), footage.rotation_deg, lambda: job.cancelled, film)
            return None if job.cancelled else filmstrip

        def done(filmstrip: Filmstrip) -> None:
            if path not in self._strips:
                self.take(path, filmstrip)

        def ended() -> None:
            self._making.discard(path)
            if path not in self._strips:
                self._given_up.add(path)

        # A file that cannot be read is spoken of where it is used; its strip stays empty.
        self._worker.start(f"Filmstrip of {path.rsplit('/', 1)[-1]}", work, done, ended=ended)

    def take(self, path: str, filmstrip: Filmstrip) -> None:
        """Take a file's strip, in place of the one there is."""
        self._strips[path] = filmstrip
        for key in [k for k in self._pixmaps if k[0] == path]:
            del self._pixmaps[key]
        self.changed.emit()

    def retry(self) -> None:
        """Let strips that were cancelled or could not be made be begun again."""
        self._given_up.clear()

    def at(self, path: str, time_s: float) -> QPixmap | None:
        """Return the thumbnail nearest to an instant of a file, or None while it is being made."""
        filmstrip = self._strips.get(path)
        if filmstrip is None:
            return None
        number = filmstrip.nearest(time_s)
        key = (path, number)
        found = self._pixmaps.get(key)
        if found is None:
            found = QPixmap.fromImage(image_of(filmstrip.pictures[number]))
            self._pixmaps[key] = found
        return found

    def version(self, path: str) -> int:
        """Return a number that changes when a file's strip does."""
        return id(self._strips.get(path))
