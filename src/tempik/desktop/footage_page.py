"""The Footage page: what there is, and setting the cue of a piece by scrubbing it."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QIcon, QImage, QMouseEvent, QPainter, QPaintEvent, QPen, QShowEvent
from PySide6.QtWidgets import (
    QHBoxLayout,
    QLabel,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from tempik.desktop import theme
from tempik.desktop.project import Project
from tempik.desktop.scrub import Scrubber
from tempik.desktop.strips import Strips
from tempik.desktop.theme import figures, icon
from tempik.desktop.timeline_paint import draw_filling, paint_cue
from tempik.edit import change, place
from tempik.reel import Footage
from tempik.render.pictures import shared_index
from tempik.time import clock_text, rate_text


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
        self.setToolTip("Drag to scrub. Drag a cue's triangle to move it.")

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
            for cue in piece.cues:
                at = self._cue_s if cue.id == self._cue else cue.time_s
                p.setPen(QPen(QColor(theme.CUE), 1.4, Qt.PenStyle.DashLine))
                p.drawLine(QPointF(self._x(at), 4), QPointF(self._x(at), 58))
                paint_cue(p, self._x(at), 71, 7)
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


class _Picture(QLabel):
    """The frame under the scrub."""

    def __init__(self) -> None:
        super().__init__()
        self.setMinimumSize(120, 100)
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Expanding)
        self.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self._image: QImage | None = None

    def show_frame(self, image: QImage | None) -> None:
        self._image = image
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(200, 150)

    def paintEvent(self, event: QPaintEvent) -> None:
        p = QPainter(self)
        p.fillRect(self.rect(), QColor("#000000"))
        if self._image is not None:
            p.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, True)
            size = self._image.size().scaled(self.size(), Qt.AspectRatioMode.KeepAspectRatio)
            p.drawImage(
                QRectF(
                    (self.width() - size.width()) / 2,
                    (self.height() - size.height()) / 2,
                    size.width(),
                    size.height(),
                ),
                self._image,
            )
        p.end()


class FootagePage(QWidget):
    """List, picture and scrub strip. `add_wanted` asks for files, `find_wanted` for a missing one."""

    add_wanted = Signal()
    find_wanted = Signal(str)

    def __init__(self, project: Project, strips: Strips) -> None:
        super().__init__()
        self.project, self.strips = project, strips
        self.time_s = 0.0
        self.scrubber = Scrubber(self)
        self.scrubber.shown.connect(self._show_frame)
        self.scrubber.failed.connect(lambda text: project.said.emit(text, True))
        self.list = QListWidget()
        self.list.setIconSize(QSize(56, 44))
        self.list.setAccessibleName("Footage")
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.currentItemChanged.connect(self._picked)
        self.add = QPushButton(icon("add"), "Add footage")
        self.add.clicked.connect(self.add_wanted)
        self.find_file = QPushButton("Find missing file")
        self.find_file.clicked.connect(self._find)
        self.find_file.hide()
        self.picture = _Picture()
        self.film = FilmScrub(strips)
        self.film.scrubbed.connect(self.scrub_to)
        self.film.cue_moved.connect(self._cue_moved)
        self.facts = QLabel()
        self.facts.setWordWrap(True)
        self.at = QLabel()
        self.at.setFont(figures(13))
        self.cue_here = QPushButton(icon("cue", theme.CUE), "Set cue")
        self.cue_here.setToolTip("The frame that must land on a point (C)")
        self.cue_here.clicked.connect(self.set_cue)
        self.cue_off = QPushButton("Remove cue")
        self.cue_off.clicked.connect(self.remove_cue)
        self.swap = QPushButton("Use in clip")
        self.swap.setToolTip("Show this footage in the selected clip; slot, speed and accents stay")
        self.swap.clicked.connect(self._swap)
        self._lay_out()
        self._stale = False
        project.changed.connect(self._refill)
        project.selected.connect(self._refill)
        strips.changed.connect(self._refill)

    def _lay_out(self) -> None:
        left = QVBoxLayout()
        left.addWidget(self.list, 1)
        buttons = QHBoxLayout()
        buttons.addWidget(self.add)
        buttons.addWidget(self.find_file)
        left.addLayout(buttons)
        steps = QHBoxLayout()
        back, on = QPushButton(icon("previous"), ""), QPushButton(icon("next"), "")
        for button, step, name in ((back, -1, "One frame back"), (on, 1, "One frame on")):
            button.setAccessibleName(name)
            button.setToolTip(name)
            button.setAutoRepeat(True)
            button.clicked.connect(lambda _=False, s=step: self.step(s))
            steps.addWidget(button)
        steps.addStretch(1)
        steps.addWidget(self.cue_here)
        steps.addWidget(self.cue_off)
        steps.addWidget(self.swap)
        right = QVBoxLayout()
        right.addWidget(self.facts)
        right.addWidget(self.at)
        right.addStretch(1)
        right.addWidget(self.film)
        right.addLayout(steps)
        whole = QHBoxLayout(self)
        whole.setContentsMargins(12, 8, 12, 10)
        whole.setSpacing(12)
        whole.addLayout(left, 0)
        self.list.setFixedWidth(212)
        whole.addWidget(self.picture, 0)
        self.picture.setFixedWidth(132)
        whole.addLayout(right, 1)
        self._fill()

    def chosen(self) -> list[str]:
        """The pieces that are selected, in the shelf's order."""
        return [str(i.data(Qt.ItemDataRole.UserRole)) for i in self.list.selectedItems()]

    def has_keyboard(self) -> bool:
        """Whether keys are meant for the piece that is looked at here."""
        return self.isVisible() and self.film.hasFocus()

    def play_pause(self) -> None:
        """Play the piece, or stop."""

    def close_readers(self) -> None:
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

    def _fill(self) -> None:
        """Show the list and the piece that is selected."""
        self._stale = False
        pieces = self.project.reel.footage
        self.list.blockSignals(True)
        while self.list.count() > len(pieces):
            self.list.takeItem(self.list.count() - 1)
        missing = set()
        for number, piece in enumerate(pieces):
            item = self.list.item(number) or QListWidgetItem(self.list)
            gone = not Path(piece.path).is_file()
            if gone:
                missing.add(piece.path)
            name = piece.path.rsplit("/", 1)[-1]
            cues = f"{len(piece.cues)} cue{'s' if len(piece.cues) != 1 else ''}" if piece.cues else "no cue"
            second = "missing" if gone else f"{rate_text(piece.rate)} fps · {piece.length_s:.2f} s · {cues}"
            item.setText(f"{name}\n{second}")
            item.setData(Qt.ItemDataRole.UserRole, piece.id)
            thumb = self.strips.at(piece.path, piece.cues[0].time_s if piece.cues else piece.length_s / 2)
            if thumb is not None:
                item.setIcon(QIcon(thumb))
            if piece.id == self.project.footage_id:
                self.list.setCurrentItem(item)
        self.list.blockSignals(False)
        self.find_file.setVisible(self.piece is not None and self.piece.path in missing)
        self._show_piece()

    def _show_piece(self) -> None:
        piece = self.piece
        for button in (self.cue_here, self.cue_off, self.swap):
            button.setEnabled(piece is not None)
        if piece is None:
            self.facts.setText("Add footage: drop files on the window, or press Add footage.")
            self.picture.show_frame(None)
            self.film.show_piece(None, 0.0)
            self.at.setText("")
            return
        if self.film.footage is None or self.film.footage.id != piece.id:
            self.time_s = piece.cues[0].time_s if piece.cues else 0.0
            self.scrubber.want(piece.path, self.time_s, piece.rotation_deg)
        self.time_s = min(self.time_s, piece.length_s)
        floor = float(self.project.reel.rate) / float(piece.rate)
        sound = "with sound" if piece.has_sound else "no sound"
        turned = f" · turned {piece.rotation_deg}°" if piece.rotation_deg else ""
        self.facts.setText(
            f"<b>{piece.path.rsplit('/', 1)[-1]}</b><br>{piece.width}×{piece.height}{turned} · {rate_text(piece.rate)} frames/s · "
            f"{piece.length_s:.2f} s · {sound}<br><span style='color:{theme.QUIET}'>cleanly slow down to {floor * 100:.0f} %</span>"
        )
        self.film.show_piece(piece, self.time_s)
        here = self._cue_here()
        self.cue_off.setEnabled(here is not None)
        self.cue_here.setEnabled(here is None)
        self.swap.setEnabled(self.project.clip is not None and self.project.clip.footage != piece.id)
        self.at.setText(f"{clock_text(self.time_s)}{'  cue' if here else ''}")

    def _cue_here(self) -> str | None:
        piece = self.piece
        if piece is None:
            return None
        near = [c for c in piece.cues if abs(c.time_s - self.time_s) < 0.5 / float(piece.rate)]
        return near[0].id if near else None

    def _picked(self, item: QListWidgetItem | None) -> None:
        if item is not None:
            self.project.select_footage(item.data(Qt.ItemDataRole.UserRole))

    def scrub_to(self, time_s: float) -> None:
        """Look at the frame on screen at an instant of the selected footage, on its own timestamp."""
        piece = self.piece
        if piece is None:
            return
        try:
            index = shared_index(piece.path)
            self.time_s = max(0.0, float(index.times_s[index.frame_at(time_s)]))
        except Exception:  # a missing file is spoken of by the scrubber
            self.time_s = time_s
        self.scrubber.want(piece.path, self.time_s, piece.rotation_deg)
        self._show_piece()

    def step(self, frames: int) -> None:
        """Step by frames of the footage itself."""
        piece = self.piece
        if piece is not None:
            index = shared_index(piece.path)
            number = min(max(index.frame_at(self.time_s) + frames, 0), len(index.times_s) - 1)
            self.scrub_to(float(index.times_s[number]))

    def set_cue(self) -> None:
        piece = self.piece
        if piece is not None and self._cue_here() is None:
            time_s = self.time_s
            self.project.change("Cue set", lambda reel: change.with_cue(reel, piece.id, time_s))

    def remove_cue(self) -> None:
        piece, cue = self.piece, self._cue_here()
        if piece is not None and cue is not None:
            self.project.change("Cue removed", lambda reel: change.without_cue(reel, piece.id, cue))

    def _cue_moved(self, cue: str, time_s: float) -> None:
        piece = self.piece
        if piece is not None:
            self.scrub_to(time_s)
            exact = self.time_s
            self.project.change("Cue moved", lambda reel: change.with_moved_cue(reel, piece.id, cue, exact))

    def _swap(self) -> None:
        piece, clip = self.piece, self.project.clip
        if piece is not None and clip is not None:
            self.project.change("Footage swapped", lambda reel: place.with_swapped_footage(reel, [clip.id], piece.id))

    def _find(self) -> None:
        if self.piece is not None:
            self.find_wanted.emit(self.piece.path)

    def _show_frame(self, path: str, time_s: float, image: QImage) -> None:
        if self.piece is not None and self.piece.path == path:
            self.picture.show_frame(image)
