"""The words of a title as chips over its slot: dragged from point to point, chosen one by one."""

from __future__ import annotations

from typing import NamedTuple

from PySide6.QtCore import QEvent, QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QFontMetricsF, QHelpEvent, QKeyEvent, QMouseEvent, QPainter, QPen
from PySide6.QtWidgets import QSizePolicy, QToolTip

from tempik.desktop.pages.slot_strip import DRAG_PX, EDGE, HEAD_H, SlotStrip
from tempik.desktop.session.document import Project
from tempik.desktop.session.gesture import Gesture
from tempik.desktop.widgets import theme
from tempik.desktop.widgets.drawing import paint_sunk
from tempik.desktop.widgets.painting import painted
from tempik.desktop.widgets.theme import colour, words
from tempik.desktop.widgets.typed import ARROWS, takes
from tempik.edit.titles import with_word_at
from tempik.reel import Title, WordStyle
from tempik.timeline.placed_clip import PlacedClip
from tempik.timeline.wording import word_frames
from tempik.titles import words_of

CHIP_H, ROWS = 19, 2


class WordChip(NamedTuple):
    """A word on the strip: its number, what is written on it, the frame it lands on, and where it lies."""

    word: int
    text: str
    frame: int
    box: QRectF


class WordStrip(SlotStrip):
    """A click chooses a word, Ctrl or Shift several; a drag lets it land elsewhere, on the point nearby (Alt: anywhere). `chosen_changed`
    tells of another choice, `double` of a word that was double clicked."""

    chosen_changed = Signal()
    double = Signal(int)

    def __init__(self, project: Project) -> None:
        super().__init__(project)
        self.gesture = Gesture(project)
        self.chosen: set[int] = set()
        self._last = 0  # that a further one is chosen from with Shift
        self._clip: str | None = None
        self._held: WordChip | None = None
        self._from, self._dragged = QPointF(), False
        self.setFixedHeight(HEAD_H + ROWS * (CHIP_H + 2) + 3)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setMinimumWidth(180)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Words of the title; arrows choose, Shift with an arrow moves to the next point")

    def sizeHint(self) -> QSize:
        return QSize(420, self.height())

    @property
    def placed(self) -> PlacedClip | None:
        """The title that is worked on, where it lies."""
        placed = self.project.selection.placed
        return placed if placed is not None and placed.clip.title is not None else None

    def refill(self) -> None:
        """Show the words as they are; those that are chosen stay so while the title is the same."""
        placed = self.placed
        name = placed.clip.id if placed is not None else None
        count = len(self.texts())
        kept = {w for w in self.chosen if w < count} if name == self._clip else set()
        self._clip = name
        if kept != self.chosen:
            self.choose(kept)
        self.update()

    def texts(self) -> tuple[str, ...]:
        """Return the words."""
        placed = self.placed
        return words_of(placed.clip.title.text) if placed is not None and placed.clip.title is not None else ()

    def choose(self, chosen: set[int]) -> None:
        """Choose words, or none."""
        if chosen != self.chosen:
            self.chosen = chosen
            self.chosen_changed.emit()
            self.update()

    # Where things lie

    def standing(self, placed: PlacedClip) -> list[int]:
        return word_frames(self.project.timeline, placed)

    def chips(self) -> list[WordChip]:
        """Return the words where they lie: in rows below each other where they would cover one another."""
        placed = self.placed
        if placed is None:
            return []
        texts = self.texts()
        frames = word_frames(self.project.timeline, placed) or [placed.first] * len(texts)
        measure = QFontMetricsF(words(12))
        ends = [0.0] * ROWS
        out = []
        for number, (text, frame) in enumerate(zip(texts, frames, strict=True)):
            wide = min(measure.horizontalAdvance(text) + 12, 120.0)
            x = self.across(frame)
            row = next((r for r in range(ROWS) if ends[r] <= x + 0.5), None)
            if row is None:  # no room anywhere: after those of the row that ends first
                row = min(range(ROWS), key=lambda r: ends[r])
                x = ends[row]
            x = min(x, max(self.width() - EDGE - wide, EDGE))
            ends[row] = x + wide + 3
            out.append(WordChip(number, text, frame, QRectF(x, HEAD_H + row * (CHIP_H + 2), wide, CHIP_H)))
        return out

    def chip_at(self, pos: QPointF) -> WordChip | None:
        """Return the word under a place."""
        return next((c for c in reversed(self.chips()) if c.box.contains(pos)), None)

    # Painting

    @painted
    def paintEvent(self, p: QPainter) -> None:
        paint_sunk(p, self)
        placed = self.placed
        if placed is None or placed.clip.title is None:
            return
        p.setRenderHint(QPainter.RenderHint.Antialiasing, True)
        self.paint_points(p, placed)
        styles = {style.word: style for style in placed.clip.title.words}
        on_points = bool(word_frames(self.project.timeline, placed))
        for chip in self.chips():
            self._paint_chip(p, chip, placed.clip.title, styles.get(chip.word), on_points)
        self.paint_playhead(p)

    def _paint_chip(self, p: QPainter, chip: WordChip, title: Title, style: WordStyle | None, on_points: bool) -> None:
        chosen = chip.word in self.chosen
        p.setPen(
            QPen(QColor(theme.TEXT if chosen else theme.RHYTHM if on_points else theme.QUIET), 1.6 if chosen else 1)
        )
        p.setBrush(colour(theme.RAISED, 0.96))
        p.drawRoundedRect(chip.box.adjusted(0.5, 0.5, -0.5, -0.5), 3, 3)
        p.setFont(words(12, chosen))
        p.setPen(QColor(theme.TEXT))
        inner = chip.box.adjusted(6, 0, -4, 0)
        p.drawText(
            inner,
            Qt.AlignmentFlag.AlignVCenter,
            p.fontMetrics().elidedText(chip.text, Qt.TextElideMode.ElideRight, int(inner.width()) + 2),
        )
        if style is not None and style.colour is not None:
            p.fillRect(
                QRectF(chip.box.left() + 3, chip.box.bottom() - 4, chip.box.width() - 6, 2.4), QColor(style.colour)
            )

    def event(self, event: QEvent) -> bool:
        if isinstance(event, QHelpEvent) and event.type() == QEvent.Type.ToolTip:
            chip = self.chip_at(QPointF(event.pos()))
            if chip is not None:
                text = f"{chip.text}: frame {chip.frame}. Drag it to a point; Alt does not snap. Double click to type."
                QToolTip.showText(event.globalPos(), text, self)
            return True
        return takes(event, tuple(ARROWS)) or super().event(event)

    # Gestures

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() != Qt.MouseButton.LeftButton:
            return
        chip, keys = self.chip_at(event.position()), event.modifiers()
        self._held, self._from, self._dragged = chip, event.position(), False
        if chip is None:
            self.choose(set())
        elif keys & Qt.KeyboardModifier.ControlModifier:
            self.choose(self.chosen ^ {chip.word})
        elif keys & Qt.KeyboardModifier.ShiftModifier:
            self.choose(set(range(min(self._last, chip.word), max(self._last, chip.word) + 1)))
            return
        elif chip.word not in self.chosen:
            self.choose({chip.word})
        if chip is not None:
            self._last = chip.word

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        chip = self._held
        if chip is None:
            over = self.chip_at(event.position())
            self.setCursor(Qt.CursorShape.SizeHorCursor if over is not None else Qt.CursorShape.ArrowCursor)
            return
        by = event.position().x() - self._from.x()
        if not self._dragged and abs(by) < DRAG_PX:
            return
        self._dragged = True
        self._land(
            chip, self.frame_at(self.across(chip.frame) + by), bool(event.modifiers() & Qt.KeyboardModifier.AltModifier)
        )

    def _land(self, chip: WordChip, frame: float, free: bool) -> None:
        placed = self.placed
        if placed is None:
            return
        timeline = self.project.timeline
        wanted, within = min(max(round(frame), 0), timeline.frames - 1), 0 if free else self.reach()
        if self.gesture.show(lambda reel: with_word_at(reel, placed.clip.id, chip.word, wanted, within)):
            now = self.project.timeline.placed_clip(placed.clip.id)
            if now is not None:
                self.project.playhead.go(min(word_frames(self.project.timeline, now)[chip.word], timeline.frames - 1))

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        chip, self._held = self._held, None
        if chip is None:
            return
        if self._dragged:
            self.gesture.settle(f"{chip.text} lands elsewhere")
        elif not event.modifiers() & (Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier):
            self.choose({chip.word})

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        chip = self.chip_at(event.position())
        if chip is not None:
            self.double.emit(chip.word)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key, chips = Qt.Key(event.key()), self.chips()
        if key not in ARROWS or not chips:
            super().keyPressEvent(event)
            return
        way = ARROWS[key][0] or -ARROWS[key][1]
        number = min(self.chosen, default=-1 if way > 0 else len(chips))
        if event.modifiers() & Qt.KeyboardModifier.ShiftModifier and self.chosen:
            self._step(chips[min(number, len(chips) - 1)], way)
            return
        number = min(max(number + way, 0), len(chips) - 1)
        self._last = number
        self.choose({number})

    def _step(self, chip: WordChip, way: int) -> None:
        """Let a word land on the next point, or on the one before."""
        after = self.next_point(chip.frame, way)
        if after is not None:
            self._land(chip, after, True)
            self.gesture.settle(f"{chip.text} lands elsewhere")
