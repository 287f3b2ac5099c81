"""Looking at a piece of footage: scrubbing, stepping, playing it, and its cues."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QElapsedTimer, QTimer
from PySide6.QtWidgets import (
    QLineEdit,
    QPushButton,
)

from tempik.desktop.pages.footage.film_scrub import FilmScrub
from tempik.desktop.pages.footage.suggestions import SuggestionRow
from tempik.desktop.pages.page import Page
from tempik.desktop.playback.scrub import Scrubber
from tempik.desktop.widgets.plain import Label
from tempik.desktop.widgets.theme import icon
from tempik.edit.footage.cues import with_cue, with_cue_name, with_dismissed, with_moved_cue, without_cue
from tempik.errors import TempikError
from tempik.reel import Footage, by_id
from tempik.render.pictures import shared_index
from tempik.time import clock_text


class FootageLooking(Page):
    """Looks at the selected piece and sets its cues; the page shows what is known of it."""

    scrubber: Scrubber
    film: FilmScrub
    row: SuggestionRow
    play: QPushButton
    at: Label
    cue_name: QLineEdit
    time_s: float
    _hover: tuple[str, float] | None
    _filling: bool
    _clock: QElapsedTimer
    _played_from: float
    _timer: QTimer
    _show_piece: Callable[[], None]

    @property
    def piece(self) -> Footage | None:
        """The piece that is looked at, or None."""
        return self.project.selection.footage

    def _cue_here(self) -> str | None:
        piece = self.piece
        if piece is None:
            return None
        near = [c for c in piece.cues if abs(c.time_s - self.time_s) < 0.5 / float(piece.rate)]
        return near[0].id if near else None

    def _want(self, piece: Footage, time_s: float) -> None:
        if not piece.without_file and self.isVisible():
            self.scrubber.want(piece.path, time_s, piece.rotation_deg)

    def _hovered(self, footage: str, time_s: float) -> None:
        """Show what is under the pointer on the shelf; the piece that is looked at comes back when it leaves."""
        piece = by_id(self.project.reel.footage, footage) or self.piece
        self._hover = (footage, time_s) if footage else None
        if piece is not None and not self._timer.isActive():
            self._want(piece, time_s if footage else self.time_s)

    def scrub_to(self, time_s: float) -> None:
        """Look at the frame on screen at an instant of the selected footage, on its own timestamp."""
        piece = self.piece
        if piece is None or piece.without_file:
            return
        try:
            index = shared_index(piece.path)
            self.time_s = max(0.0, float(index.times_s[index.frame_at(time_s)]))
        except TempikError:  # a missing file is spoken of by the scrubber
            self.time_s = time_s
        self._want(piece, self.time_s)
        self._show_piece()

    def step(self, frames: int) -> None:
        """Step by frames of the footage itself."""
        piece = self.piece
        self._timer.stop()
        if piece is None or piece.without_file:
            return
        try:
            index = shared_index(piece.path)
        except TempikError as error:
            self.project.messages.say(str(error), True)
            return
        number = min(max(index.frame_at(self.time_s) + frames, 0), len(index.times_s) - 1)
        self.scrub_to(float(index.times_s[number]))

    def go_stop(self, way: int) -> None:
        """Go to the next (1) or previous (-1) cue or suggestion."""
        piece = self.piece
        if piece is None:
            return
        places = sorted({0.0, *(c.time_s for c in piece.cues), *(s.time_s for s in self.row.shown)})
        slack = 0.5 / float(piece.rate)
        further = [t for t in places if (t - self.time_s) * way > slack]
        if further:
            self.scrub_to(further[0] if way > 0 else further[-1])
            self.row.mark_at(self.time_s, slack)

    def play_pause(self) -> None:
        """Play the piece at its own speed from here, or stop."""
        piece = self.piece
        if self._timer.isActive() or piece is None or piece.kind != "video":
            self._timer.stop()
        else:
            self._played_from = 0.0 if self.time_s > piece.length_s - 0.1 else self.time_s
            self._clock.start()
            self._timer.start()
        self.play.setIcon(icon("pause" if self._timer.isActive() else "play"))

    def _tick(self) -> None:
        piece = self.piece
        now = self._played_from + self._clock.elapsed() / 1000 * (piece.conform_ratio if piece is not None else 1.0)
        if piece is None or now >= piece.length_s:
            self.play_pause()
            return
        self.time_s = now
        self._want(piece, now)
        self.film.show_piece(piece, now)
        self.at.setText(clock_text(now))

    def set_cue(self) -> None:
        """Set a cue at the frame that is looked at, also while it plays."""
        piece = self.piece
        if piece is None:
            return
        if self._timer.isActive():
            self._timer.stop()
            self.play.setIcon(icon("play"))
            self.scrub_to(self.time_s)
        if self._cue_here() is None:
            time_s = self.time_s
            self.project.change("Cue set", lambda reel: with_cue(reel, piece.id, time_s))

    def remove_cue(self) -> None:
        """Remove the cue that is looked at, or dismiss the suggestion."""
        piece, cue = self.piece, self._cue_here()
        if piece is not None and cue is not None:
            self.project.change("Cue removed", lambda reel: without_cue(reel, piece.id, cue))
        elif self.row.at >= 0:
            self._dismiss(self.row.shown[self.row.at].time_s)

    def _take(self, time_s: float) -> None:
        self.scrub_to(time_s)
        self.set_cue()

    def _dismiss(self, time_s: float) -> None:
        piece = self.piece
        if piece is not None:
            self.project.change("Suggestion dismissed", lambda reel: with_dismissed(reel, piece.id, time_s))
            self.row.pick(self.row.at)

    def _cue_moved(self, cue: str, time_s: float) -> None:
        piece = self.piece
        if piece is not None:
            self.scrub_to(time_s)
            exact = self.time_s
            self.project.change("Cue moved", lambda reel: with_moved_cue(reel, piece.id, cue, exact))

    def _name_set(self) -> None:
        piece, cue = self.piece, self._cue_here()
        if piece is not None and cue is not None and not self._filling:
            name = self.cue_name.text()
            self.project.change("Cue named", lambda reel: with_cue_name(reel, piece.id, cue, name))
