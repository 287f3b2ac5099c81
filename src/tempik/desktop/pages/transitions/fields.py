"""What every kind of transition has: where it is laid, its way, length, place about the cut, strength and shutter."""

from __future__ import annotations

from PySide6.QtCore import QSignalBlocker, Qt, Signal
from PySide6.QtWidgets import QComboBox, QGridLayout, QHBoxLayout, QSlider, QWidget

from tempik.desktop.commands.transitions import SCOPES
from tempik.desktop.widgets import marks
from tempik.desktop.widgets.form import quiet
from tempik.desktop.widgets.plain import Label
from tempik.desktop.widgets.theme import figures
from tempik.desktop.widgets.typed import DecimalSpin, Spin
from tempik.edit.transitions.laying import LOT, TURNS
from tempik.reel import Transition, TransitionUnit
from tempik.timeline.transitions import PlacedTransition
from tempik.transitions import TransitionType, direction_of, shutter_of

UNITS: tuple[TransitionUnit, ...] = ("frames", "beats")
BY_TURNS, BY_LOT = "by turns", "by lot"
NO_WAY = "–"


class TransitionFields(QWidget):
    """Shows a transition's values; each edit is told by a signal. Nothing is told while it is filled."""

    scope_chosen = Signal(str)
    way_chosen = Signal(str)
    length_edited = Signal(float, str)
    at_edited = Signal(float)
    amount_moved = Signal(float)
    amount_settled = Signal()
    shutter_edited = Signal(float)

    def __init__(self) -> None:
        super().__init__()
        self.filling = False
        self.scope = QComboBox()
        for _, title in SCOPES:
            self.scope.addItem(title)
        self.scope.setToolTip("Which cuts are meant: what is clicked or changed here goes for all of them")
        self.scope.activated.connect(lambda n: self.scope_chosen.emit(SCOPES[n][0]))
        self.way = QComboBox()
        self.way.setToolTip("Which way; for several cuts by turns (one side, the other) or by lot")
        self.way.activated.connect(lambda _: self._way_picked())
        self.length, self.unit = DecimalSpin(), QComboBox()
        self.length.setRange(0.25, 600)
        self.length.setKeyboardTracking(False)
        self.length.setFixedWidth(62)
        self.length.setToolTip("How long, in frames or in beats")
        self.length.valueChanged.connect(lambda _: self._length_changed())
        self.unit.addItems(UNITS)
        self.unit.setToolTip("What the length is counted in")
        self.unit.activated.connect(lambda _: self._unit_picked())
        self.at = Spin()
        self.at.setRange(0, 100)
        self.at.setSuffix(" %")
        self.at.setFixedWidth(62)
        self.at.setKeyboardTracking(False)
        self.at.setToolTip("How much of it lies before the cut; the turn stays on the cut")
        self.at.valueChanged.connect(lambda v: self._tell(lambda: self.at_edited.emit(v / 100)))
        self.amount = QSlider(Qt.Orientation.Horizontal)
        self.amount.setRange(0, 200)
        self.amount.setMinimumWidth(50)
        self.amount.setToolTip("How strong, 0 to 200 %: how far, how close, how bright, how blurred")
        self.amount.valueChanged.connect(self._amount_changed)
        self.amount.sliderReleased.connect(self.amount_settled.emit)
        self.amount_text = Label("100 %")
        self.amount_text.setFont(figures(12))
        self.amount_text.setFixedWidth(44)
        self.shutter = Spin()
        self.shutter.setRange(0, 360)
        self.shutter.setSuffix(" °")
        self.shutter.setFixedWidth(62)
        self.shutter.setKeyboardTracking(False)
        self.shutter.setToolTip("Angle of the shutter that blurs its movement: 200 is usual for slides, 0 is none")
        self.shutter.valueChanged.connect(lambda v: self._tell(lambda: self.shutter_edited.emit(float(v))))
        for box in (self.scope, self.way):
            box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
            box.setMinimumContentsLength(9)
        for widget in (self.scope, self.way, self.length, self.unit, self.at, self.shutter):
            marks.room(widget, "low")
        self._lay_out()

    def _lay_out(self) -> None:
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setHorizontalSpacing(5)
        grid.setVerticalSpacing(4)
        long = QHBoxLayout()
        long.setSpacing(3)
        long.addWidget(self.length)
        long.addWidget(self.unit)
        strong = QHBoxLayout()
        strong.setSpacing(4)
        strong.addWidget(self.amount, 1)
        strong.addWidget(self.amount_text)
        rows: tuple[tuple[tuple[str, QWidget | QHBoxLayout], ...], ...] = (
            (("on", self.scope), ("long", long), ("before the cut", self.at)),
            (("way", self.way), ("strong", strong), ("shutter", self.shutter)),
        )
        for row, cells in enumerate(rows):
            for column, (name, what) in enumerate(cells):
                grid.addWidget(quiet(name), row, 2 * column, Qt.AlignmentFlag.AlignRight)
                if isinstance(what, QWidget):
                    grid.addWidget(what, row, 2 * column + 1)
                else:
                    grid.addLayout(what, row, 2 * column + 1)
        for column in (1, 3):
            grid.setColumnStretch(column, 1)

    def show_transition(
        self,
        kind: TransitionType | None,
        placed_transition: PlacedTransition | None,
        scope: str,
        ways: str,
        shutter_deg: float,
    ) -> None:
        """Show a transition as it lies on the reel, or the scope alone."""
        self.filling = True
        self.scope.setCurrentIndex([s for s, _ in SCOPES].index(scope))
        directions = kind.directions if kind is not None else ()
        several = (BY_TURNS, BY_LOT) if scope != "this" and directions else ()
        wanted = [*directions, *several] or [NO_WAY]
        if [self.way.itemText(i) for i in range(self.way.count())] != wanted:
            self.way.clear()
            self.way.addItems(wanted)
        self.way.setEnabled(bool(directions))
        there = placed_transition is not None and kind is not None
        for widget in (self.length, self.unit, self.at, self.amount):
            widget.setEnabled(there)
        self.shutter.setEnabled(there and kind is not None and kind.family in ("movement", "zoom", "pieces"))
        if placed_transition is not None and kind is not None:
            self._fill(
                kind, placed_transition, placed_transition.transition, ways if scope != "this" else "", shutter_deg
            )
        self.filling = False

    def _fill(
        self,
        kind: TransitionType,
        placed_transition: PlacedTransition,
        transition: Transition,
        ways: str,
        shutter_deg: float,
    ) -> None:
        shown = {TURNS: BY_TURNS, LOT: BY_LOT}.get(ways) or direction_of(kind, transition)
        if shown:
            self.way.setCurrentText(shown)
        if not self.length.hasFocus() or not self.length.lineEdit().isModified():
            self.length.setDecimals(0 if transition.unit == "frames" else 2)
            self.length.setSingleStep(1 if transition.unit == "frames" else 0.25)
            self.length.setValue(transition.length)
        self.unit.setCurrentText(transition.unit)
        if not self.at.hasFocus() or not self.at.lineEdit().isModified():
            usual = kind.at if placed_transition.both else 0.0 if placed_transition.out is None else 1.0
            self.at.setValue(round(100 * (usual if transition.at is None else transition.at)))
        if not self.amount.isSliderDown():
            with QSignalBlocker(self.amount):
                self.amount.setValue(round(100 * transition.amount))
        self.amount_text.setText(f"{round(100 * transition.amount)} %")
        if not self.shutter.hasFocus() or not self.shutter.lineEdit().isModified():
            self.shutter.setValue(round(shutter_of(kind, transition, shutter_deg)))

    def _tell(self, tell: object) -> None:
        if not self.filling and callable(tell):
            tell()

    def _way_picked(self) -> None:
        text = self.way.currentText()
        self.way_chosen.emit({BY_TURNS: TURNS, BY_LOT: LOT}.get(text, text))

    def _length_changed(self) -> None:
        self._tell(lambda: self.length_edited.emit(self.length.value(), self.unit.currentText()))

    def _unit_picked(self) -> None:
        """The same length in the other unit would be another; a usual one of it is taken."""
        unit = self.unit.currentText()
        self.length_edited.emit(8.0 if unit == "frames" else 0.5, unit)

    def _amount_changed(self, value: int) -> None:
        self.amount_text.setText(f"{value} %")
        if not self.filling:
            self.amount_moved.emit(value / 100)
            if not self.amount.isSliderDown():
                self.amount_settled.emit()
