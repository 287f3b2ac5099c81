"""The Frame page: how the selected clips fill the frame, and a slow push or pull through them.

The preview is the place to set it by hand: there the picture is dragged, and the wheel zooms, while this page is open.
"""

from __future__ import annotations

from collections.abc import Callable

from msgspec.structs import replace
from PySide6.QtCore import QPointF, QRectF
from PySide6.QtGui import QPainter
from PySide6.QtWidgets import (
    QButtonGroup,
    QCheckBox,
    QComboBox,
    QGridLayout,
    QHBoxLayout,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from tempik.desktop.pages.follow_fields import FollowFields
from tempik.desktop.pages.page import Page, PageContext
from tempik.desktop.pages.placing import Placing
from tempik.desktop.preview.guides import paint_thirds
from tempik.desktop.preview.mode import PreviewMode
from tempik.desktop.widgets import marks
from tempik.desktop.widgets.plain import Label
from tempik.desktop.widgets.typed import DecimalSpin
from tempik.edit.clips import layers, pieces
from tempik.reel import Ease, Fit, Framing, Position

FITS: tuple[tuple[Fit, str, str], ...] = (
    ("cover", "Cover", "Fill the frame; what is too wide or tall is cut off"),
    ("contain", "Contain", "Show all of the picture; the rest of the frame shows what lies below"),
    ("stretch", "Stretch", "Fill the frame exactly, out of shape where need be"),
)
EASES: tuple[Ease, ...] = ("soft", "even", "slow start", "slow end")


class FramePage(Page):
    """Fit, flips, crop; zoom, place and turn at the clip's start and, where it moves, at its end."""

    name, title, key = "frame", "Frame", "F7"

    def __init__(self, context: PageContext) -> None:
        super().__init__(context)
        project = context.project
        self.placing = Placing(project, lambda: self.editing_end)
        self._filling = False
        self.fits = QButtonGroup(self)
        fit_row = QHBoxLayout()
        for number, (_, name, tip) in enumerate(FITS):
            button = QPushButton(name)
            button.setCheckable(True)
            button.setToolTip(tip)
            self.fits.addButton(button, number)
            fit_row.addWidget(button)
        self.fits.idClicked.connect(lambda n: self._set("Fit changed", lambda f: replace(f, fit=FITS[n][0])))
        self.flip_x, self.flip_y = QPushButton("Flip across"), QPushButton("Flip down")
        for button, field in ((self.flip_x, "flip_x"), (self.flip_y, "flip_y")):
            button.setCheckable(True)
            button.clicked.connect(
                lambda _=False, n=field: self._set("Picture flipped", lambda f: replace(f, **{n: not getattr(f, n)}))
            )
            fit_row.addWidget(button)
        fit_row.addStretch(1)
        self.follow = FollowFields(context)
        context.layers.picking.connect(self._pick)
        self._picks = False
        ends = self._make_ends()
        numbers = self._make_numbers()
        self._lay_out(fit_row, ends, numbers)
        project.changed.connect(self.want)
        project.selection.selected.connect(self.want)
        project.playhead.moved.connect(self._playhead_moved)

    def _playhead_moved(self, frame: int) -> None:
        clip = self.project.selection.clip
        if clip is not None and clip.keys:
            self.want()
        elif self.isVisible():
            self.follow.refill()

    def _make_ends(self) -> QHBoxLayout:
        """Whether the picture moves through the clip, and which end of the way is set."""
        self.ends = QButtonGroup(self)
        self.at_start, self.at_end = QPushButton("start"), QPushButton("end")
        self.moves = QCheckBox("moves through the clip")
        self.moves.setToolTip(
            "A slow push or pull: the picture goes from its place at the start to its place at the end"
        )
        self.moves.clicked.connect(self._move)
        self.ease = QComboBox()
        for ease in EASES:
            self.ease.addItem(ease)
        self.ease.activated.connect(lambda n: self._set("Easing changed", lambda f: replace(f, ease=EASES[n])))
        ends = QHBoxLayout()
        ends.addWidget(self.moves)
        for number, button in enumerate((self.at_start, self.at_end)):
            button.setCheckable(True)
            self.ends.addButton(button, number)
            ends.addWidget(button)
        ends.addWidget(self.ease)
        ends.addStretch(1)
        self.at_start.setChecked(True)
        self.ends.idClicked.connect(self._look_at)
        return ends

    def _make_numbers(self) -> QGridLayout:
        """Zoom, place, turn and crop."""
        self.zoom, self.across, self.down, self.turn = (DecimalSpin() for _ in range(4))
        numbers = QGridLayout()
        numbers.setHorizontalSpacing(14)
        for column, (name, box, low, high, step, unit) in enumerate(
            (
                ("zoom", self.zoom, 5, 2000, 5, " %"),
                ("across", self.across, -300, 300, 1, " %"),
                ("down", self.down, -300, 300, 1, " %"),
                ("turn", self.turn, -360, 360, 1, "°"),
            )
        ):
            box.setRange(low, high)
            box.setSingleStep(step)
            box.setDecimals(1)
            box.setSuffix(unit)
            box.setKeyboardTracking(False)
            marks.stand_off(box)
            box.valueChanged.connect(self._typed)
            numbers.addWidget(Label(name), 0, column)
            numbers.addWidget(box, 1, column)
        self.crops = [DecimalSpin() for _ in range(4)]
        for column, (name, box) in enumerate(zip(("crop left", "top", "right", "bottom"), self.crops, strict=True)):
            box.setRange(0, 98)
            box.setDecimals(1)
            box.setSuffix(" %")
            box.setKeyboardTracking(False)
            marks.stand_off(box)
            box.valueChanged.connect(self._cropped)
            numbers.addWidget(Label(name), 2, column)
            numbers.addWidget(box, 3, column)
        return numbers

    def _lay_out(self, fit_row: QHBoxLayout, ends: QHBoxLayout, numbers: QGridLayout) -> None:
        self.plain = QPushButton("As it was")
        self.plain.setToolTip("Cover the frame, centred, without movement")
        self.plain.clicked.connect(lambda: self._set("Framing as it was", lambda _: Framing()))
        self.fill_all = QPushButton("Fill all clips")
        self.fill_all.setToolTip("Every clip of the reel covers the frame")
        self.fill_all.clicked.connect(lambda: self.project.change("All clips fill the frame", pieces.all_filling))
        self.note = Label()
        self.note.setWordWrap(True)
        marks.ink(self.note, "quiet")
        buttons = QHBoxLayout()
        buttons.addWidget(self.plain)
        buttons.addWidget(self.fill_all)
        buttons.addStretch(1)
        column_ = QVBoxLayout(self)
        column_.setContentsMargins(14, 8, 14, 6)
        column_.setSpacing(6)
        column_.addLayout(fit_row)
        column_.addLayout(ends)
        column_.addLayout(numbers)
        column_.addWidget(self.follow)
        column_.addLayout(buttons)
        column_.addWidget(self.note)
        column_.addStretch(1)

    @property
    def editing_end(self) -> bool:
        """Whether the end's position is the one that is set."""
        clip = self.project.selection.clip
        return clip is not None and clip.framing.end is not None and self.at_end.isChecked()

    def preview_mode(self) -> PreviewMode:
        return PreviewMode(tool=self)

    def refill(self) -> None:
        self._filling = True
        clip, placed = self.project.selection.clip, self.project.selection.placed
        count = len(self.project.selection.chosen_clips)
        for widget in self.findChildren(QWidget):
            if widget not in (self.note, self.fill_all):
                widget.setEnabled(clip is not None)
        framing = clip.framing if clip is not None else Framing()
        self.fits.button(next(i for i, f in enumerate(FITS) if f[0] == framing.fit)).setChecked(True)
        self.flip_x.setChecked(framing.flip_x)
        self.flip_y.setChecked(framing.flip_y)
        self.moves.setChecked(framing.end is not None)
        for widget in (self.at_start, self.at_end, self.ease):
            widget.setVisible(framing.end is not None)
        self.ease.setCurrentIndex(EASES.index(framing.ease))
        at = framing.end if self.editing_end and framing.end is not None else framing.start
        if placed is not None and clip is not None and layers.has_place_keys(clip):
            at = self.project.timeline.framing_at(placed, self.project.playhead.frame).start
        self.follow.refill()
        for box, value in (
            (self.zoom, at.zoom * 100),
            (self.across, at.x * 100),
            (self.down, at.y * 100),
            (self.turn, at.turn_deg),
        ):
            box.setValue(value)
        for box, share in zip(self.crops, framing.crop, strict=True):
            box.setValue(share * 100)
        if clip is None or placed is None:
            self.note.setText("Select a clip to set how it fills the frame.")
        else:
            size = f"{placed.footage.width}×{placed.footage.height}"
            many = f" · set for {count} clips" if count > 1 else ""
            self.note.setText(
                f"{placed.footage.name}, {size}{many}. Drag the picture in the preview to place it; "
                "the wheel zooms, double click centres."
            )
        self._filling = False

    def _set(self, what: str, change: Callable[[Framing], Framing]) -> None:
        names = self.project.selection.chosen_clips
        clip = self.project.selection.clip
        if clip is None or self._filling:
            return
        framing = change(clip.framing)
        self.project.change(what, lambda reel: pieces.with_framing(reel, names, framing))

    def _move(self) -> None:
        """Give the picture a place to go to (a push in by a tenth), or let it stand."""
        moving = self.moves.isChecked()

        def change(f: Framing) -> Framing:
            if not moving:
                return replace(f, end=None)
            return replace(f, end=replace(f.start, zoom=f.start.zoom * 1.1))

        self._set("Movement through the clip" if moving else "Picture stands", change)

    def _look_at(self, end: int) -> None:
        """Show the frame at which the chosen end is seen."""
        placed = self.project.selection.placed
        if placed is not None:
            self.project.playhead.go(placed.end - 1 if end else placed.first)
        self.refill()

    def _typed(self) -> None:
        if not self._filling:
            at = Position(
                self.zoom.value() / 100, self.across.value() / 100, self.down.value() / 100, self.turn.value()
            )
            clip, names, frame = (
                self.project.selection.clip,
                self.project.selection.chosen_clips,
                self.project.playhead.frame,
            )
            if clip is not None and layers.has_place_keys(clip):
                self.project.change("Picture placed", lambda reel: layers.with_place_keys(reel, names, frame, at))
            else:
                self._set("Picture placed", lambda f: self.placing.placed(f, at))

    def _cropped(self) -> None:
        if not self._filling:
            left, top, right, bottom = (b.value() / 100 for b in self.crops)
            self._set("Picture cropped", lambda f: replace(f, crop=(left, top, right, bottom)))

    # Set in the preview

    def shown_on(self, repaint: Callable[[], None]) -> None:
        """What is painted follows from the reel and the selection alone."""

    def press(self, at: QPointF) -> None:
        """A drag places the picture wherever it begins; a click may pick the subject to follow."""
        if self._picks:
            self._picks = False
            self.context.layers.follow_at(at.x(), at.y())

    def drag(self, by: QPointF) -> None:
        """Move the picture by shares of the frame since the drag began."""
        self.placing.shift(lambda at: replace(at, x=at.x + by.x(), y=at.y + by.y()))

    def zoom_by(self, factor: float) -> None:
        """Zoom the picture about the frame's middle."""
        self.placing.shift(lambda at: replace(at, zoom=min(max(at.zoom * factor, 0.05), 20.0)))
        self.placing.settle("Picture zoomed")

    def centre(self) -> None:
        self.placing.shift(lambda at: replace(at, x=0.0, y=0.0))
        self.placing.settle("Picture centred")

    def settle(self) -> None:
        self.placing.settle("Picture placed")

    def paint(self, p: QPainter, box: QRectF) -> None:
        paint_thirds(p, box)
        self.follow.paint(p, box)

    def _pick(self) -> None:
        self._picks = True

    def left(self) -> None:
        self._picks = False
