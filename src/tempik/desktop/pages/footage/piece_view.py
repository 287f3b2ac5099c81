"""Looking at a piece of footage: scrubbing, stepping, playing it, and its cues."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PySide6.QtCore import QElapsedTimer, QTimer
from PySide6.QtGui import QImage
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QWidget

from tempik.desktop.pages.footage.film_scrub import FilmScrub
from tempik.desktop.pages.footage.suggestions import SuggestionRow
from tempik.desktop.pages.page import PageContext
from tempik.desktop.playback.scrub import Scrubber
from tempik.desktop.widgets import theme
from tempik.desktop.widgets.controls import Text
from tempik.desktop.widgets.form import button, column, label, line
from tempik.desktop.widgets.theme import figures, icon
from tempik.disk.reading import is_regular
from tempik.edit.clips import place
from tempik.edit.footage.cues import with_cue, with_cue_name, with_dismissed, with_moved_cue, without_cue
from tempik.errors import TempikError
from tempik.reel import Footage, by_id
from tempik.render.pictures import shared_index
from tempik.time import clock_text

STEP_W = 34
PLAY_MS = 25
MOST_SUGGESTED = 6


class PieceView(QWidget):
    """Looks at the selected piece and sets its cues."""

    def __init__(self, context: PageContext) -> None:
        super().__init__()
        self.project, self.proxies, self.looking = context.project, context.proxy_store, context.looking
        self.time_s = 0.0
        self._hover: tuple[str, float] | None = None
        self.scrubber = Scrubber(self, context.proxy_store.proxy_for)
        self.scrubber.shown.connect(self._show_frame)
        self.scrubber.failed.connect(self._not_shown)
        self.film = FilmScrub(context.filmstrips)
        self.film.scrubbed.connect(self.scrub_to)
        self.film.cue_moved.connect(self._cue_moved)
        self.row = SuggestionRow(context.filmstrips)
        self.row.looked.connect(self.scrub_to)
        self.row.taken.connect(self._take)
        self.row.dismissed.connect(self._dismiss)
        self._clock = QElapsedTimer()
        self._played_from = 0.0
        self._timer = QTimer(self, interval=PLAY_MS)
        self._timer.timeout.connect(self._tick)
        column(None, self.row, (self.film, 3), self._make_steps(), over=self, spacing=5)

    def _make_steps(self) -> QHBoxLayout:
        self.at = label()
        self.at.setFont(figures(12))
        self.at.setMinimumWidth(64)
        self.play = button("", "Play the piece at its own speed, without sound (Space)", self.play_pause, width=STEP_W)
        self.play.setIcon(icon("play"))
        self.play.setAccessibleName("Play the piece")
        steps: list[QPushButton] = []
        for sign, frames, name in (("previous", -1, "One frame back"), ("next", 1, "One frame on")):
            made = button("", name, partial(self.step, frames), width=STEP_W)
            made.setIcon(icon(sign))
            made.setAccessibleName(name)
            made.setAutoRepeat(True)
            steps.append(made)
        self.cue_name = Text()
        self.cue_name.setPlaceholderText("cue's name")
        self.cue_name.setFixedWidth(92)
        self.cue_name.told.connect(self._name_set)
        self.cue_here = button("Set cue", "The frame that must land on a point (C)", self.set_cue)
        self.cue_here.setIcon(icon("cue", theme.CUE))
        self.cue_off = button("Remove", "Remove this cue (Delete), or dismiss the suggestion", self.remove_cue)
        swap = "Show this footage in the selected clips; slot, speed, framing and accents stay (Z)"
        self.swap = button("Use in clip", swap, self._swap)
        return line(self.play, *steps, self.at, None, self.cue_name, self.cue_here, self.cue_off, self.swap, spacing=5)

    @property
    def piece(self) -> Footage | None:
        """The piece that is looked at, or None."""
        return self.project.selection.footage

    def keys(self) -> dict[str, Callable[[], object]]:
        """Return the commands that mean something of a piece's own, by name."""
        return {
            "play_pause": self.play_pause,
            "step_back": lambda: self.step(-1),
            "step_on": lambda: self.step(1),
            "leap_back": lambda: self.step(-10),
            "leap_on": lambda: self.step(10),
            "previous_stop": lambda: self.go_stop(-1),
            "next_stop": lambda: self.go_stop(1),
            "cue_here": self.set_cue,
            "remove_clip": self.remove_cue,
        }

    def close_up(self) -> None:
        """Stop what runs; called once."""
        self._timer.stop()
        self.scrubber.close()

    # Showing

    def refill(self) -> None:
        """Show the piece that is selected, from where it was looked at last."""
        piece = self.piece
        for widget in (self.cue_here, self.cue_off, self.swap, self.play):
            widget.setEnabled(piece is not None)
        if piece is None:
            self.film.show_piece(None, 0.0)
            self.row.show_for(None, [], "")
            self.at.setText("")
            return
        if self.isVisible():
            self.proxies.look_through(piece)
        if self.film.footage is None or self.film.footage.id != piece.id:
            self._timer.stop()
            self.time_s = piece.cues[0].time_s if piece.cues else 0.0
            if not self._reel_is_looked_at():
                self.look()
        self.time_s = min(self.time_s, piece.length_s)
        self._show_suggestions(piece)
        self.film.show_piece(piece, self.time_s)
        here = self._cue_here()
        cue = by_id(piece.cues, here)
        self.cue_off.setEnabled(here is not None)
        self.cue_here.setEnabled(here is None and piece.kind == "video")
        self.cue_name.setEnabled(cue is not None)
        self.cue_name.show_value(cue.name if cue is not None else "")
        self.swap.setEnabled(bool(self.project.selection.chosen_clips))
        self.at.setText(clock_text(self.time_s))

    def _show_suggestions(self, piece: Footage) -> None:
        study, near = self.proxies.study_of(piece.path), 0.5 / float(piece.rate)
        known = [c.time_s for c in piece.cues] + list(piece.dismissed)
        found = [s for s in study.cues if all(abs(s.time_s - t) > near for t in known)] if study is not None else []
        found = found[:MOST_SUGGESTED]
        message = "looking for decisive frames …" if study is None else "No more cues to suggest for this piece."
        self.row.show_for(piece, found, message if piece.kind == "video" else "A still has no cues.")
        self.film.suggest([s.time_s for s in found])

    def _reel_is_looked_at(self) -> bool:
        """Tell whether the preview goes on showing the reel: a clip is selected, or a reel with clips was just opened."""
        before, reel = self.film.footage, self.project.reel
        just_opened = before is None or by_id(reel.footage, before.id) is None
        return bool(self.project.selection.clip_ids) or (bool(reel.clips) and just_opened)

    def look(self) -> None:
        """Show the piece in the preview, where it is looked at."""
        if self.piece is not None:
            self._want(self.piece, self.time_s)

    def _want(self, piece: Footage, time_s: float) -> None:
        if not piece.without_file and self.isVisible():
            self.scrubber.want(piece.path, time_s, piece.rotation_deg)

    def hovered(self, footage: str, time_s: float) -> None:
        """Show what is under the pointer on the shelf; the piece that is looked at comes back when it leaves."""
        piece = by_id(self.project.reel.footage, footage) or self.piece
        self._hover = (footage, time_s) if footage else None
        if piece is not None and not self._timer.isActive():
            self._want(piece, time_s if footage else self.time_s)

    def _show_frame(self, path: str, time_s: float, image: QImage) -> None:
        hovered = by_id(self.project.reel.footage, self._hover[0]) if self._hover is not None else None
        shown = hovered or self.piece
        if shown is not None and shown.path == path and self.isVisible():
            self.looking.show(image, f"{shown.name}  {clock_text(time_s)}")

    def _not_shown(self, text: str) -> None:
        piece = self.piece
        if piece is None or is_regular(piece.path):  # of a missing file all is said
            self.project.messages.say(text, True)

    # Going

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
        self.look()
        self.refill()

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

    # Cues

    def _cue_here(self) -> str | None:
        piece = self.piece
        if piece is None:
            return None
        near = [c for c in piece.cues if abs(c.time_s - self.time_s) < 0.5 / float(piece.rate)]
        return near[0].id if near else None

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

    def _name_set(self, name: str) -> None:
        piece, cue = self.piece, self._cue_here()
        if piece is not None and cue is not None:
            self.project.change("Cue named", lambda reel: with_cue_name(reel, piece.id, cue, name))

    def _swap(self) -> None:
        piece, names = self.piece, self.project.selection.chosen_clips
        if piece is not None and names:
            self.project.change(
                f"Footage swapped for {piece.name}", lambda reel: place.with_swapped_footage(reel, names, piece.id)
            )
