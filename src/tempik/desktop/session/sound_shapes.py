"""How sounds look: their outlines, made in the background, by name for those of the shelf and by file for the user's own."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QObject, QTimer, Signal

from tempik.desktop.session.jobs import Job, Worker
from tempik.errors import TempikError
from tempik.media import decode_sound
from tempik.media.audio import Samples
from tempik.reel import Reel, by_id
from tempik.sounds.loudness import RATE
from tempik.sounds.shelf import SHELF, take_of

PER_S = 400  # of an outline
AT_ONCE = 6  # outlines in one go, so that the first are soon seen
MOST = 400 * 3600  # values of one; of a longer sound the beginning is shown


class Outline(NamedTuple):
    """The loudest sample, 0 to 1, of each PER_S-th of a second."""

    peaks: NDArray[np.float32]

    @property
    def length_s(self) -> float:
        """How long the sound is."""
        return len(self.peaks) / PER_S


class SoundShapes(QObject):
    """Outlines of sounds. Asked for while something is painted, they are begun once that is done."""

    changed = Signal()

    def __init__(self, worker: Worker, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._worker = worker
        self._made: dict[str, Outline | None] = {}
        self._wanted: dict[str, bool] = {}  # by name, whether it is a file
        self._job: Job | None = None
        self._soon = QTimer(self, singleShot=True, interval=0)
        self._soon.timeout.connect(self._make)

    def of(self, reel: Reel, sound: str) -> Outline | None:
        """Return a sound's outline, or None while it is being made or cannot be."""
        own = by_id(reel.sounds, sound)
        name = own.path if own is not None else sound
        if name not in self._made and (own is not None or name in SHELF):
            self._wanted[name] = own is not None
            self._soon.start()
        return self._made.get(name)

    def of_file(self, path: str) -> Outline | None:
        """Return the outline of a file's sound, or None while it is being made or cannot be."""
        if path not in self._made:
            self._wanted[path] = True
            self._soon.start()
        return self._made.get(path)

    def retry(self) -> None:
        """Let those that could not be made be tried again."""
        self._made = {name: found for name, found in self._made.items() if found is not None}

    def _make(self) -> None:
        wanted = [(name, is_file) for name, is_file in self._wanted.items() if name not in self._made]
        if self._job is not None or not wanted:
            return
        self._wanted.clear()

        def work(job: Job) -> dict[str, Outline | None]:
            made: dict[str, Outline | None] = {}
            for name, is_file in wanted[:AT_ONCE]:
                try:
                    made[name] = outline_of(decode_sound(name, RATE).samples if is_file else take_of(name).samples)
                except TempikError:
                    made[name] = None  # said where it is used
            return made

        def ended() -> None:
            self._job = None
            self.changed.emit()

        self._job = self._worker.start("Outlines of sounds", work, self._made.update, quiet=True, ended=ended)


def outline_of(samples: Samples) -> Outline:
    """Return the outline of a sound at the rate of the mix."""
    hop = RATE // PER_S
    count = min(-(-len(samples) // hop), MOST)
    peaks = np.zeros(count, np.float32)
    for first in range(0, count, 8000):
        part = np.abs(np.asarray(samples[first * hop : (first + 8000) * hop]))
        loud = np.zeros(-(-len(part) // hop) * hop, np.float32)
        loud[: len(part)] = np.maximum(part[:, 0], part[:, 1])
        peaks[first : first + 8000] = loud.reshape(-1, hop).max(axis=1)[: count - first]
    return Outline(peaks)
