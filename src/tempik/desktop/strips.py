"""Filmstrips of the footage and the song's outline, made in the background and kept while the project is open."""

from __future__ import annotations

from PySide6.QtCore import QObject, Signal
from PySide6.QtGui import QImage, QPixmap

from tempik.desktop.work import Job, Worker
from tempik.media import Sound, decode_sound
from tempik.media.strip import Strip, make_strip
from tempik.media.waveform import BandOutline, Waveform, waveform
from tempik.reel import Footage
from tempik.render.pictures import shared_index
from tempik.render.sound import SOUND_RATE


class Strips(QObject):
    """Thumbnails by file and instant."""

    changed = Signal()

    def __init__(self, worker: Worker, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._worker = worker
        self._strips: dict[str, Strip | None] = {}
        self._pixmaps: dict[tuple[str, int], QPixmap] = {}

    def want(self, footage: Footage) -> None:
        """Begin to make a file's strip unless it is made or being made."""
        path = footage.path
        if path in self._strips or footage.kind == "solid":
            return
        self._strips[path] = None

        def work(job: Job) -> Strip:
            return make_strip(path, shared_index(path), footage.rotation_deg, lambda: job.cancelled)

        def done(strip: Strip) -> None:
            self._strips[path] = strip
            self.changed.emit()

        # A file that cannot be read is spoken of where it is used; its strip stays empty.
        self._worker.start(f"Filmstrip of {path.rsplit('/', 1)[-1]}", work, done)

    def at(self, path: str, time_s: float) -> QPixmap | None:
        """Return the thumbnail nearest to an instant of a file, or None while it is being made."""
        strip = self._strips.get(path)
        if strip is None:
            return None
        number = strip.nearest(time_s)
        key = (path, number)
        found = self._pixmaps.get(key)
        if found is None:
            rgb = strip.pictures[number]
            height, width = rgb.shape[:2]
            found = QPixmap.fromImage(QImage(rgb.data, width, height, rgb.strides[0], QImage.Format.Format_RGB888))
            self._pixmaps[key] = found
        return found

    def version(self, path: str) -> int:
        """Return a number that changes when a file's strip does."""
        return id(self._strips.get(path))


class Song(QObject):
    """The decoded song and its outline."""

    changed = Signal()
    failed = Signal(str)

    def __init__(self, worker: Worker, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._worker = worker
        self.path = ""
        self.sound: Sound | None = None
        self.outline: Waveform | None = None
        self.bands: BandOutline | None = None

    def load(self, path: str) -> None:
        """Decode a song in the background; a call for the one already here does nothing."""
        if path == self.path:
            return
        self.path, self.sound, self.outline, self.bands = path, None, None, None
        if not path:
            self.changed.emit()
            return

        def work(job: Job) -> tuple[Sound, Waveform]:
            sound = decode_sound(path, SOUND_RATE)
            job.report(0.8)
            return sound, waveform(sound)

        def done(result: tuple[Sound, Waveform]) -> None:
            if self.path == path:
                self.sound, self.outline = result
                self.changed.emit()
                self._read_bands(path)

        self._worker.start("Reading the song", work, done, self.failed.emit)

    def _read_bands(self, path: str) -> None:
        """Split the outline into low, middle and high, once the song can be shown and heard."""

        def work(job: Job) -> BandOutline:
            from tempik.rhythm.outline import band_outline  # its libraries are slow to load

            return band_outline(path)

        def done(bands: BandOutline) -> None:
            if self.path == path:
                self.bands = bands
                self.changed.emit()

        self._worker.start("Telling low from high", work, done)
