"""The Footage page: what there is, and setting the cue of a piece by scrubbing it."""

from __future__ import annotations

from fractions import Fraction

from PySide6.QtCore import QElapsedTimer, QPointF, QRectF, Qt, QTimer, Signal
from PySide6.QtGui import QColor, QImage, QMouseEvent, QPainter, QPaintEvent, QPen, QShowEvent
from PySide6.QtWidgets import (
    QComboBox,
    QDialog,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPlainTextEdit,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from tempik.desktop import theme
from tempik.desktop.project import Project
from tempik.desktop.proxies import Proxies
from tempik.desktop.scrub import Scrubber
from tempik.desktop.shelf import Shelf
from tempik.desktop.strips import Strips
from tempik.desktop.suggestions import SuggestionRow
from tempik.desktop.theme import figures, icon, words
from tempik.desktop.timeline_paint import draw_filling, paint_cue
from tempik.edit import change, place
from tempik.edit import footage as said_of
from tempik.edit.footage import TAGS, uneven
from tempik.edit.timeline import floor_text
from tempik.errors import TempikError
from tempik.reel import Footage, Reel, by_id
from tempik.render.pictures import shared_index
from tempik.time import clock_text, parse_rate, rate_text


class FilmScrub(QWidget):
    """One file's filmstrip from end to end, with its cues; drag to scrub."""

    scrubbed = Signal(float)
    cue_moved = Signal(str, float)

    def __init__(self, strips: Strips) -> None:
        super().__init__()
        self._strips = strips
        self.footage: Footage | None = None
        self.time_s = 0.0
        self._cue: str | None = None
        self._cue_s = 0.0
        self.setFixedHeight(76)
        self.setMouseTracking(True)
        self.setAccessibleName("Footage from end to end")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.suggested: list[float] = []
        self.setToolTip(
            "Drag to scrub. Drag a cue's triangle to move it. With the keyboard here: arrows step its frames, "
            "Space plays it, C sets a cue."
        )

    def show_piece(self, footage: Footage | None, time_s: float) -> None:
        self.footage, self.time_s = footage, time_s
        self.update()

    def _x(self, time_s: float) -> float:
        assert self.footage is not None
        return 6 + time_s / self.footage.length_s * (self.width() - 12)

    def _time(self, x: float) -> float:
        assert self.footage is not None
        return min(max((x - 6) / (self.width() - 12), 0.0), 1.0) * self.footage.length_s

    def paintEvent(self, event: QPaintEvent) -> None:
        p = QPainter(self)
        p.fillRect(self.rect(), QColor(theme.SUNK))
        piece = self.footage
        if piece is not None:
            film = QRectF(6, 4, self.width() - 12, 52)
            tile = max(20.0, film.height() * min(max(piece.width / piece.height, 0.5), 1.8))
            x = film.left()
            while x < film.right():
                picture = self._strips.at(piece.path, self._time(x + tile / 2))
                target = QRectF(x, film.top(), min(tile, film.right() - x) - 1, film.height())
                if picture is not None:
                    draw_filling(p, target, picture)
                x += tile
            p.setRenderHint(QPainter.RenderHint.Antialiasing, True)
            for at in self.suggested:
                paint_cue(p, self._x(at), 71, 4.5, filled=False)
            for cue in piece.cues:
                at = self._cue_s if cue.id == self._cue else cue.time_s
                p.setPen(QPen(QColor(theme.CUE), 1.4, Qt.PenStyle.DashLine))
                p.drawLine(QPointF(self._x(at), 4), QPointF(self._x(at), 58))
                paint_cue(p, self._x(at), 71, 7)
                if cue.name:
                    p.setFont(words(12))
                    p.drawText(QPointF(self._x(at) + 4, 16), cue.name)
            if self.hasFocus():
                p.setPen(QPen(QColor(theme.RHYTHM), 1.5))
                p.drawRect(QRectF(self.rect()).adjusted(1, 1, -1, -1))
            p.setPen(QPen(QColor(0, 0, 0, 170), 3))
            p.drawLine(QPointF(self._x(self.time_s), 2), QPointF(self._x(self.time_s), 62))
            p.setPen(QPen(QColor(theme.PLAYHEAD), 1.5))
            p.drawLine(QPointF(self._x(self.time_s), 2), QPointF(self._x(self.time_s), 62))
        p.end()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if self.footage is None:
            return
        pos = event.position()
        near = [c for c in self.footage.cues if abs(self._x(c.time_s) - pos.x()) < 8]
        if near and pos.y() > 52:
            self._cue, self._cue_s = near[0].id, near[0].time_s
        self.mouseMoveEvent(event)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self.footage is None or not event.buttons() & Qt.MouseButton.LeftButton:
            return
        self.time_s = self._time(event.position().x())
        if self._cue is not None:
            self._cue_s = self.time_s
        self.scrubbed.emit(self.time_s)
        self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._cue is not None:
            cue, self._cue = self._cue, None
            self.cue_moved.emit(cue, self._cue_s)


class FootagePage(QWidget):
    """Shelf, picture and scrub strip. `add_wanted` asks for files, `find_wanted` for a missing one."""

    add_wanted = Signal()
    find_wanted = Signal(str)
    looked_at = Signal(QImage, str)  # the frame that is looked at, for the preview, and what it is

    def __init__(self, project: Project, strips: Strips, proxies: Proxies) -> None:
        super().__init__()
        self.project, self.strips, self.proxies = project, strips, proxies
        self.time_s = 0.0
        self._hover: tuple[str, float] | None = None
        self._filling = False
        self.scrubber = Scrubber(self, proxies.proxy_for)
        self.scrubber.shown.connect(self._show_frame)
        self.scrubber.failed.connect(lambda text: project.said.emit(text, True))
        self.shelf = Shelf(project, strips)
        self.shelf.picked.connect(project.select_footage)
        self.shelf.scrubbed.connect(self._hovered)
        self.list = self.shelf.list
        self.add = QPushButton(icon("add"), "Add footage")
        self.add.clicked.connect(self.add_wanted)
        self.find_file = QPushButton("Find missing")
        self.find_file.clicked.connect(self._find)
        self.find_file.hide()
        self.shots = QPushButton("Shot list")
        self.shots.setToolTip("The shots you mean to have, and the footage there is for each")
        self.shots.clicked.connect(self.show_shots)
        self.film = FilmScrub(strips)
        self.film.scrubbed.connect(self.scrub_to)
        self.film.cue_moved.connect(self._cue_moved)
        self.row = SuggestionRow(strips)
        self.row.looked.connect(self.scrub_to)
        self.row.taken.connect(self._take)
        self.row.dismissed.connect(self._dismiss)
        self.facts = QLabel()
        self.facts.setWordWrap(True)
        self.at = QLabel()
        self.at.setFont(figures(12))
        self.at.setMinimumWidth(64)
        self.read_rate = QComboBox()
        self.read_rate.setEditable(True)
        self.read_rate.setFixedWidth(92)
        self.read_rate.setAccessibleName("Frames a second it was shot at")
        self.read_rate.setToolTip(
            "How fast it was really shot. A camera that writes 100 frames/s as a file of 25 has slowed it already: say 100"
        )
        self.read_rate.activated.connect(self._rate_set)
        line = self.read_rate.lineEdit()
        if line is not None:
            line.editingFinished.connect(self._rate_set)
        self.around = QPushButton("Leave repeats out")
        self.around.setCheckable(True)
        self.around.clicked.connect(self._around_set)
        self.tag = QComboBox()
        self.tag.addItem("no tag", "")
        for name, _, sign in TAGS:
            self.tag.addItem(f"{sign} {name}", name)
        self.tag.activated.connect(self._tag_set)
        self.shot = QComboBox()
        self.shot.setToolTip("The planned shot that this footage is for")
        self.shot.activated.connect(self._shot_set)
        self.note = QLineEdit()
        self.note.setPlaceholderText("note")
        self.note.setMinimumWidth(60)
        self.tag.setMaximumWidth(118)
        self.shot.setMaximumWidth(130)
        self.note.editingFinished.connect(self._note_set)
        self.cue_name = QLineEdit()
        self.cue_name.setPlaceholderText("cue's name")
        self.cue_name.setFixedWidth(92)
        self.cue_name.editingFinished.connect(self._name_set)
        self.cue_here = QPushButton(icon("cue", theme.CUE), "Set cue")
        self.cue_here.setToolTip("The frame that must land on a point (C)")
        self.cue_here.clicked.connect(self.set_cue)
        self.cue_off = QPushButton("Remove")
        self.cue_off.setToolTip("Remove this cue (Delete), or dismiss the suggestion")
        self.cue_off.clicked.connect(self.remove_cue)
        self.swap = QPushButton("Use in clip")
        self.swap.setToolTip("Show this footage in the selected clips; slot, speed, framing and accents stay (Z)")
        self.swap.clicked.connect(self._swap)
        self.play = QPushButton(icon("play"), "")
        self.play.setToolTip("Play the piece at its own speed, without sound (Space)")
        self.play.setAccessibleName("Play the piece")
        self.play.clicked.connect(self.play_pause)
        self._clock = QElapsedTimer()
        self._played_from = 0.0
        self._timer = QTimer(self)
        self._timer.setInterval(25)
        self._timer.timeout.connect(self._tick)
        self._lay_out()
        self._stale = False
        project.changed.connect(self._refill)
        project.selected.connect(self._refill)
        strips.changed.connect(self._refill)
        proxies.studied.connect(lambda _: self._refill())

    def _lay_out(self) -> None:
        left = QVBoxLayout()
        left.addWidget(self.shelf, 1)
        buttons = QHBoxLayout()
        buttons.addWidget(self.add)
        buttons.addWidget(self.find_file)
        buttons.addWidget(self.shots)
        left.addLayout(buttons)
        steps = QHBoxLayout()
        steps.setSpacing(5)
        back, on = QPushButton(icon("previous"), ""), QPushButton(icon("next"), "")
        steps.addWidget(self.play)
        for button, step, name in ((back, -1, "One frame back"), (on, 1, "One frame on")):
            button.setAccessibleName(name)
            button.setToolTip(name)
            button.setAutoRepeat(True)
            button.clicked.connect(lambda _=False, s=step: self.step(s))
            steps.addWidget(button)
        for button in (self.play, back, on):
            button.setFixedWidth(34)
        steps.addWidget(self.at)
        steps.addStretch(1)
        for widget in (self.cue_name, self.cue_here, self.cue_off, self.swap):
            steps.addWidget(widget)
        about = QHBoxLayout()
        about.setSpacing(5)
        about.addWidget(QLabel("shot at"))
        for said in (self.read_rate, self.around, self.tag, self.shot):
            about.addWidget(said)
        about.addWidget(self.note, 1)
        right = QVBoxLayout()
        right.setSpacing(5)
        right.addWidget(self.facts)
        right.addLayout(about)
        right.addStretch(1)
        right.addWidget(self.row)
        right.addWidget(self.film)
        right.addLayout(steps)
        whole = QHBoxLayout(self)
        whole.setContentsMargins(12, 8, 12, 10)
        whole.setSpacing(12)
        whole.addLayout(left, 0)
        self.shelf.setFixedWidth(252)
        whole.addLayout(right, 1)
        self._fill()

    def chosen(self) -> list[str]:
        """The pieces that are selected, in the shelf's order."""
        return self.shelf.chosen()

    def has_keyboard(self) -> bool:
        """Whether keys are meant for the piece that is looked at here."""
        return self.isVisible() and (self.film.hasFocus() or self.row.hasFocus())

    def close_readers(self) -> None:
        self._timer.stop()
        self.scrubber.close()

    @property
    def piece(self) -> Footage | None:
        return self.project.footage

    def _refill(self) -> None:
        """Fill the page now if it can be seen, else when it is next shown."""
        if self.isVisible():
            self._fill()
        else:
            self._stale = True

    def showEvent(self, event: QShowEvent) -> None:
        if self._stale:
            self._fill()
        for piece in self.project.reel.footage:
            self.proxies.look_through(piece)

    def _fill(self) -> None:
        """Show the shelf and the piece that is looked at."""
        self._stale = False
        self.shelf.fill()
        self.find_file.setVisible(bool(self.shelf.missing))
        self._show_piece()

    def _show_piece(self) -> None:
        piece = self.piece
        self._filling = True
        for widget in (
            self.cue_here,
            self.cue_off,
            self.swap,
            self.read_rate,
            self.tag,
            self.shot,
            self.note,
            self.play,
        ):
            widget.setEnabled(piece is not None)
        self.around.hide()
        if piece is None:
            self.facts.setText("Add footage: drop files or folders on the window, or press Add footage.")
            self.film.show_piece(None, 0.0)
            self.row.show_for(None, [], "")
            self.at.setText("")
            self._filling = False
            return
        if self.isVisible():
            self.proxies.look_through(piece)
        if self.film.footage is None or self.film.footage.id != piece.id:
            self._timer.stop()
            self.time_s = piece.cues[0].time_s if piece.cues else 0.0
            self._want(piece, self.time_s)
        self.time_s = min(self.time_s, piece.length_s)
        self._show_facts(piece)
        study = self.proxies.study_of(piece.path)
        near = 0.5 / float(piece.rate)
        known = [c.time_s for c in piece.cues] + list(piece.dismissed)
        found = [s for s in study.cues if all(abs(s.time_s - t) > near for t in known)][:6] if study is not None else []
        message = "looking for decisive frames …" if study is None else "No more cues to suggest for this piece."
        self.row.show_for(piece, found, message if piece.kind == "video" else "A still has no cues.")
        self.film.suggested = [s.time_s for s in found]
        self.film.show_piece(piece, self.time_s)
        here = self._cue_here()
        cue = by_id(piece.cues, here)
        self.cue_off.setEnabled(here is not None)
        self.cue_here.setEnabled(here is None and piece.kind == "video")
        self.cue_name.setEnabled(cue is not None)
        if not self.cue_name.hasFocus():
            self.cue_name.setText(cue.name if cue is not None else "")
        self.swap.setEnabled(bool(self.project.chosen_clips))
        self.at.setText(clock_text(self.time_s))
        self._filling = False

    def _show_facts(self, piece: Footage) -> None:
        reel = self.project.reel
        rates = [piece.rate, *(Fraction(r) for r in (50, 60, 100, 120, 200, 240) if r > piece.rate)]
        self.read_rate.clear()
        for rate in rates:
            self.read_rate.addItem(f"{rate_text(rate)} fps")
        self.read_rate.setCurrentText(f"{rate_text(piece.read_rate or piece.rate)} fps")
        self.read_rate.setEnabled(piece.kind == "video")
        self.tag.setCurrentIndex(max(0, self.tag.findData(piece.tag)))
        self.shot.clear()
        self.shot.addItem("no shot" if reel.shots else "no shot list", "")
        for shot in reel.shots:
            self.shot.addItem(shot.text[:28], shot.id)
        self.shot.setCurrentIndex(max(0, self.shot.findData(piece.shot)))
        self.shot.setVisible(bool(reel.shots))
        if not self.note.hasFocus():
            self.note.setText(piece.note)
        if piece.kind == "solid":
            self.facts.setText(f"<b>{piece.name}</b>")
            return
        turned = f" · turned {piece.rotation_deg}°" if piece.rotation_deg else ""
        said = [f"{piece.width}×{piece.height}{turned}"]
        if piece.kind == "video":
            written = f" (written as {rate_text(piece.rate)})" if piece.read_rate else ""
            said.append(f"{rate_text(piece.true_rate)} frames/s{written}" + (", varying" if piece.variable else ""))
            said.append(f"{piece.length_s:.2f} s · {'with sound' if piece.has_sound else 'no sound'}")
            said.append(floor_text(piece, reel.rate))
        warnings = [w for w in (self._cadence(piece), uneven(piece, reel.rate)) if w]
        text = f"<b>{piece.name}</b> &nbsp; <span style='color:{theme.QUIET}'>{' · '.join(said)}</span>"
        if piece.said:
            text += f"<br><span style='color:{theme.QUIET}'>{piece.said}</span>"
        if warnings:
            text += f"<br><span style='color:{theme.WARNING_TEXT}'>{' '.join(warnings)}</span>"
        self.facts.setText(text)

    def _cadence(self, piece: Footage) -> str:
        """Return a sentence on frames that repeat in the file, and offer to leave them out where they come evenly."""
        study = self.proxies.study_of(piece.path)
        if piece.around:
            self.around.setVisible(True)
            self.around.setChecked(True)
            return ""
        if study is None or not study.cadence.repeated:
            return ""
        found = study.cadence
        if found.regular:
            self.around.setVisible(True)
            self.around.setChecked(False)
            return f"{found.repeated} of {found.frames} frames only repeat ({found.pattern}): {found.distinct_rate:.4g} different ones a second."
        if found.stalls:
            places = ", ".join(f"{s.time_s:.2f} s ({s.frames} f)" for s in found.stalls[:3])
            more = f" and {len(found.stalls) - 3} more" if len(found.stalls) > 3 else ""
            return f"The picture stalls at {places}{more}."
        return f"{found.repeated} of {found.frames} frames repeat, at no regular places."

    def _cue_here(self) -> str | None:
        piece = self.piece
        if piece is None:
            return None
        near = [c for c in piece.cues if abs(c.time_s - self.time_s) < 0.5 / float(piece.rate)]
        return near[0].id if near else None

    # Looking

    def _want(self, piece: Footage, time_s: float) -> None:
        if piece.kind != "solid" and self.isVisible():
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
        if piece is None or piece.kind == "solid":
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
        if piece is None or piece.kind == "solid":
            return
        try:
            index = shared_index(piece.path)
        except TempikError as error:
            self.project.said.emit(str(error), True)
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
            self.row.at = next((i for i, s in enumerate(self.row.shown) if abs(s.time_s - self.time_s) < slack), -1)
            self.row.update()

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
        now = self._played_from + self._clock.elapsed() / 1000 * (piece.pace if piece is not None else 1.0)
        if piece is None or now >= piece.length_s:
            self.play_pause()
            return
        self.time_s = now
        self._want(piece, now)
        self.film.show_piece(piece, now)
        self.at.setText(clock_text(now))

    # Cues

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
            self.project.change("Cue set", lambda reel: change.with_cue(reel, piece.id, time_s))

    def remove_cue(self) -> None:
        """Remove the cue that is looked at, or dismiss the suggestion."""
        piece, cue = self.piece, self._cue_here()
        if piece is not None and cue is not None:
            self.project.change("Cue removed", lambda reel: change.without_cue(reel, piece.id, cue))
        elif self.row.at >= 0:
            self._dismiss(self.row.shown[self.row.at].time_s)

    def _take(self, time_s: float) -> None:
        self.scrub_to(time_s)
        self.set_cue()

    def _dismiss(self, time_s: float) -> None:
        piece = self.piece
        if piece is not None:
            self.project.change("Suggestion dismissed", lambda reel: said_of.with_dismissed(reel, piece.id, time_s))
            self.row.pick(self.row.at)

    def _cue_moved(self, cue: str, time_s: float) -> None:
        piece = self.piece
        if piece is not None:
            self.scrub_to(time_s)
            exact = self.time_s
            self.project.change("Cue moved", lambda reel: change.with_moved_cue(reel, piece.id, cue, exact))

    # What is said of it

    def _name_set(self) -> None:
        piece, cue = self.piece, self._cue_here()
        if piece is not None and cue is not None and not self._filling:
            name = self.cue_name.text()
            self.project.change("Cue named", lambda reel: said_of.with_cue_name(reel, piece.id, cue, name))

    def _rate_set(self) -> None:
        piece = self.piece
        if piece is None or self._filling:
            return
        try:
            rate = parse_rate(self.read_rate.currentText().replace("fps", "").strip())
        except TempikError as error:
            self.project.said.emit(str(error), True)
            return
        if rate != (piece.read_rate or piece.rate):
            self.project.change(
                f"{piece.name} read at {rate_text(rate)} frames/s",
                lambda reel: said_of.with_read_rate(reel, piece.id, rate),
            )

    def _around_set(self) -> None:
        piece = self.piece
        study = self.proxies.study_of(piece.path) if piece is not None else None
        if piece is not None:
            on, numbers = self.around.isChecked(), study.cadence.numbers if study is not None else ()
            what = "Repeated frames left out" if on else "All frames shown"
            self.project.change(what, lambda reel: said_of.with_around(reel, piece.id, on, numbers))

    def _chosen_or_piece(self) -> list[str]:
        piece = self.piece
        names = self.chosen()
        return names if piece is not None and piece.id in names else [piece.id] if piece is not None else []

    def _tag_set(self) -> None:
        tag, names = str(self.tag.currentData()), self._chosen_or_piece()

        def edit(reel: Reel) -> Reel:
            for name in names:
                reel = said_of.with_tag(reel, name, tag)
            return reel

        self.project.change(f"Tagged {tag}" if tag else "Tag taken off", edit)

    def _shot_set(self) -> None:
        piece, shot = self.piece, str(self.shot.currentData())
        if piece is not None:
            self.project.change("Footage attached to a shot", lambda reel: said_of.with_shot_of(reel, piece.id, shot))

    def _note_set(self) -> None:
        piece, text = self.piece, self.note.text()
        if piece is not None and not self._filling and text.strip() != piece.note:
            self.project.change("Note written", lambda reel: said_of.with_note(reel, piece.id, text))

    def show_shots(self) -> None:
        """Edit the shot list; each line is a shot, with the footage attached to it."""
        ShotList(self.project, self).open()

    def _swap(self) -> None:
        piece, names = self.piece, self.project.chosen_clips
        if piece is not None and names:
            self.project.change(
                f"Footage swapped for {piece.name}", lambda reel: place.with_swapped_footage(reel, names, piece.id)
            )

    def _find(self) -> None:
        if self.shelf.missing:
            self.find_wanted.emit(sorted(self.shelf.missing)[0])

    def _show_frame(self, path: str, time_s: float, image: QImage) -> None:
        hovered = by_id(self.project.reel.footage, self._hover[0]) if self._hover is not None else None
        shown = hovered or self.piece
        if shown is not None and shown.path == path and self.isVisible():
            self.looked_at.emit(image, f"{shown.name}  {clock_text(time_s)}")


class ShotList(QDialog):
    """The planned shots, a line each; what footage there is for each is listed below."""

    def __init__(self, project: Project, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Shot list")
        self.setMinimumSize(460, 380)
        self.project = project
        self.lines = QPlainTextEdit("\n".join(s.text for s in project.reel.shots))
        self.lines.setPlaceholderText(
            "One planned shot a line, such as:\nhammer comes down, close\nsteam from the trough"
        )
        self.have = QLabel()
        self.have.setWordWrap(True)
        self.have.setStyleSheet(f"color: {theme.QUIET};")
        done = QPushButton("Keep")
        done.setProperty("main", True)
        done.clicked.connect(self.keep)
        column = QVBoxLayout(self)
        column.addWidget(QLabel("The shots you mean to have. Attach footage to them on the Footage page."))
        column.addWidget(self.lines, 1)
        column.addWidget(self.have)
        column.addWidget(done)
        self._show_have()

    def _show_have(self) -> None:
        reel = self.project.reel
        said = []
        for shot in reel.shots:
            names = [f.name for f in reel.footage if f.shot == shot.id]
            said.append(f"{shot.text}: {', '.join(names) if names else 'nothing yet'}")
        self.have.setText("\n".join(said))

    def keep(self) -> None:
        texts = self.lines.toPlainText().splitlines()
        self.project.change("Shot list written", lambda reel: said_of.with_shots(reel, texts))
        self.accept()
