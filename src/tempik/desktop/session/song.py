"""The decoded song and its outline, read in the background."""

from __future__ import annotations

from PySide6.QtCore import QObject, Signal

from tempik.desktop.session.jobs import Job, Worker
from tempik.media import Sound, decode_sound
from tempik.media.waveform import BandOutline, Waveform, waveform
from tempik.render.sound import SOUND_RATE


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
