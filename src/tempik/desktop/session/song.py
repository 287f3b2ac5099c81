"""The decoded song, as it is arranged, and its outline, read in the background."""

from __future__ import annotations

from PySide6.QtCore import QObject, Signal

from tempik.desktop.session.jobs import Job, Worker
from tempik.media import Sound, decode_sound
from tempik.media.waveform import BandOutline, Waveform, waveform
from tempik.reel import SongPiece, Soundtrack
from tempik.render.song_sound import arranged_samples
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
        self._pieces: tuple[SongPiece, ...] = ()
        self._file: Sound | None = None  # what its file holds
        self._file_bands: BandOutline | None = None

    def load(self, song: Soundtrack | None) -> None:
        """Decode a song in the background, and arrange it; a call for the one already here does nothing."""
        path, pieces = (song.path, song.pieces) if song is not None else ("", ())
        if (path, pieces) == (self.path, self._pieces):
            return
        if path != self.path:
            self._file = self._file_bands = None
        self.path, self._pieces = path, pieces
        self.sound, self.outline, self.bands = None, None, None
        if not path:
            self.changed.emit()
            return
        held = self._file

        def work(job: Job) -> tuple[Sound, Sound, Waveform]:
            whole = held or decode_sound(path, SOUND_RATE)
            job.report(0.8)
            sound = Sound(arranged_samples(pieces, whole), SOUND_RATE) if pieces else whole
            return whole, sound, waveform(sound)

        def done(result: tuple[Sound, Sound, Waveform]) -> None:
            if (path, pieces) == (self.path, self._pieces):
                self._file, self.sound, self.outline = result
                self._show_bands()
                self.changed.emit()
                if self._file_bands is None:
                    self._read_bands(path)

        self._worker.start("Reading the song", work, done, self.failed.emit)

    def retry(self, song: Soundtrack) -> None:
        """Read a song whose file is there again; one that is held stays."""
        if self.sound is None:
            self.path = ""
            self.load(song)

    def _show_bands(self) -> None:
        found = self._file_bands
        if found is not None and self._pieces:
            found = found.arranged([(p.from_s, p.to_s) for p in self._pieces])
        self.bands = found

    def _read_bands(self, path: str) -> None:
        """Split the outline into low, middle and high, once the song can be shown and heard."""

        def work(job: Job) -> BandOutline:
            from tempik.rhythm.outline import band_outline  # its libraries are slow to load

            return band_outline(path)

        def done(bands: BandOutline) -> None:
            if self.path == path:
                self._file_bands = bands
                self._show_bands()
                self.changed.emit()

        self._worker.start("Telling low from high", work, done)
