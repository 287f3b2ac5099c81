"""A mood as a table that is changed, and kept as one's own."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any, cast

from msgspec.structs import replace
from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDialog,
    QDialogButtonBox,
    QDoubleSpinBox,
    QFormLayout,
    QGridLayout,
    QHBoxLayout,
    QLineEdit,
    QPushButton,
    QSpinBox,
    QVBoxLayout,
    QWidget,
)

from tempik.accents import CATALOGUE as ACCENTS
from tempik.desktop.session.messages import Messages
from tempik.desktop.widgets import marks
from tempik.desktop.widgets.form import quiet, tool
from tempik.desktop.widgets.plain import Label
from tempik.desktop.widgets.typed import DecimalSpin, Spin
from tempik.edit.drafting.moods import BOUNDS, FIRES_ON, LEVELS, MOODS, REWIND, Fires, Mood, Phrase
from tempik.errors import TempikError
from tempik.grade.looks import LOOKS
from tempik.project.moods import kept_mood, own_moods, removed_mood
from tempik.retime.shapes import READY
from tempik.rhythm.records import LEVEL_WORDS, LevelName
from tempik.sounds.shelf import SHELF
from tempik.transitions import CATALOGUE as JOINS

NONE = "none"
EVERY_LEVEL: tuple[tuple[str, tuple[LevelName, ...]], ...] = (
    ("where it is loud", ("full",)), ("where it is half loud or loud", ("middle", "full")), ("where it is quiet", ("quiet",)),
    ("everywhere", LEVELS),
)  # fmt: skip


def phrases_text(phrases: Sequence[Phrase]) -> str:
    """Return phrases as they are written: lengths in beats, phrases apart by a bar."""
    return " | ".join(" ".join(f"{length:g}" for length in phrase) for phrase in phrases)


def phrases_of(text: str) -> tuple[Phrase, ...]:
    """Return the phrases that are written. Raises TempikError where they are no lengths."""
    try:
        return tuple(
            tuple(float(word) for word in part.replace(",", " ").split()) for part in text.split("|") if part.strip()
        )
    except ValueError:
        raise TempikError(
            f"'{text}' is no row of lengths; write beats such as '4 2 2', and | between two rows."
        ) from None


class MoodDialog(QDialog):
    """`kept` carries the mood that was kept."""

    kept = Signal(object)

    def __init__(self, mood: Mood, messages: Messages, parent: QWidget) -> None:
        super().__init__(parent)
        self._mood, self._messages = mood, messages
        self.setWindowTitle("Own moods")
        self._gives: dict[str, Callable[[], Any]] = {}
        self.cuts: dict[LevelName, QLineEdit] = {}
        self.fires: list[tuple[QComboBox, QComboBox, QSpinBox, QComboBox, QDoubleSpinBox]] = []
        own = mood.name not in {m.name for m in MOODS}
        self.name = QLineEdit(mood.name if own else f"my {mood.name}")
        self.does = QLineEdit(mood.does)
        self.message = Label("")
        self.message.setWordWrap(True)
        marks.ink(self.message, "warning")
        across = QHBoxLayout()
        across.setSpacing(24)
        for form in self._make_forms(mood):
            form.setVerticalSpacing(5)
            part = QVBoxLayout()
            part.addLayout(form)
            part.addStretch(1)
            across.addLayout(part, 1)
        self.accents = QGridLayout()
        self.accents.setSpacing(4)
        add = QPushButton("add an accent")
        add.clicked.connect(lambda: self.add_fires(Fires("flash")))
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Cancel)
        self.keep = buttons.addButton("Keep as my own", QDialogButtonBox.ButtonRole.AcceptRole)
        self.forget = buttons.addButton("Take away", QDialogButtonBox.ButtonRole.DestructiveRole)
        self.forget.setEnabled(own and any(m.name == mood.name for m in own_moods()))
        self.forget.clicked.connect(self._forget)
        buttons.accepted.connect(self._keep)
        buttons.rejected.connect(self.reject)
        top = QFormLayout()
        top.addRow(Label("name"), self.name)
        top.addRow(Label("what it is like"), self.does)
        column = QVBoxLayout(self)
        column.setSpacing(8)
        column.addLayout(top)
        column.addLayout(across)
        column.addWidget(quiet("accents"))
        column.addLayout(self.accents)
        column.addWidget(add, 0, Qt.AlignmentFlag.AlignLeft)
        column.addWidget(self.message)
        column.addWidget(buttons)
        for fires in mood.fires:
            self.add_fires(fires)
        self.setMinimumWidth(940)

    def _make_forms(self, mood: Mood) -> tuple[QFormLayout, QFormLayout, QFormLayout]:
        left, middle, right = QFormLayout(), QFormLayout(), QFormLayout()
        for level in LEVELS:
            line = QLineEdit(phrases_text(mood.phrases[level]))
            line.setToolTip("Lengths of cuts in beats, one after the other; | between two rows of which one is drawn")
            self.cuts[level] = line
            left.addRow(Label(f"cuts, {LEVEL_WORDS[level]}"), line)
        self._tick(left, "fill", "halves before a change", mood.fill)
        self._number(left, "roll", "roll, beats", mood.roll, 1)
        self._number(left, "hold", "held on drops, beats", mood.hold, 1)
        self._number(middle, "motion", "motion by loudness", mood.motion, 0.1)
        self._choice(middle, "flow", "movement across cuts", mood.flow, ["", "carried", "answered"])
        shapes = [s.name for s in READY]
        self._choice(middle, "shape", "speed", mood.shape, shapes)
        self._number(middle, "ramp", "how much of the speed", mood.ramp, 0.05)
        self._number(middle, "ramp_from", "on clips from, beats", mood.ramp_from, 0.5)
        self._choice(middle, "rare", "rarely", mood.rare, ["", REWIND, *shapes])
        self._number(middle, "rare_share", "on how many", mood.rare_share, 0.01)
        self._choice(right, "transition", "transition", mood.transition, ["", *JOINS])
        self._number(right, "transition_beats", "transition, beats", mood.transition_beats, 0.25)
        self._choice(right, "rush", "sound on transitions", mood.rush, ["", *SHELF])
        self._choice(right, "hit", "sound on drops", mood.hit, ["", *SHELF])
        self._choice(right, "look", "look", mood.look, ["", *(look.name for look in LOOKS)])
        self._number(right, "look_amount", "how much of the look", mood.look_amount, 0.05)
        self._number(right, "light", "light, stops", mood.light, 0.1)
        self._number(right, "shutter_deg", "shutter", mood.shutter_deg, 15, "°")
        return left, middle, right

    def _number(self, form: QFormLayout, field: str, text: str, value: float, step: float, unit: str = "") -> None:
        box = DecimalSpin()
        box.setDecimals(0 if step >= 1 else 2)
        box.setRange(*map(float, BOUNDS[field]))
        box.setSingleStep(step)
        box.setSuffix(unit)
        box.setAlignment(Qt.AlignmentFlag.AlignCenter)
        box.setValue(value)
        box.setAccessibleName(text)
        form.addRow(Label(text), box)
        self._gives[field] = box.value

    def _choice(self, form: QFormLayout, field: str, text: str, value: str, there: Sequence[str]) -> None:
        box = QComboBox()
        for name in there:
            box.addItem(name or NONE, name)
        box.setCurrentIndex(max(0, box.findData(value)))
        box.setAccessibleName(text)
        form.addRow(Label(text), box)
        self._gives[field] = box.currentData

    def _tick(self, form: QFormLayout, field: str, text: str, value: bool) -> None:
        box = QCheckBox(text)
        box.setChecked(value)
        form.addRow(box)
        self._gives[field] = box.isChecked

    def add_fires(self, fires: Fires) -> None:
        """Add an accent to the table."""
        accent, of, every, where, amount = QComboBox(), QComboBox(), Spin(), QComboBox(), DecimalSpin()
        for name, kind in ACCENTS.items():
            accent.addItem(kind.title, name)
        accent.setCurrentIndex(accent.findData(fires.accent))
        of.addItems(list(FIRES_ON))
        of.setCurrentText(fires.of)
        every.setRange(1, 64)
        every.setPrefix("every ")
        every.setValue(fires.every)
        for text, levels in EVERY_LEVEL:
            where.addItem(text, levels)
        where.setCurrentIndex(
            next((n for n, (_, levels) in enumerate(EVERY_LEVEL) if set(levels) == set(fires.levels)), 0)
        )
        amount.setRange(0.0, 2.0)
        amount.setSingleStep(0.1)
        amount.setValue(fires.amount)
        for box in (every, amount):
            box.setAlignment(Qt.AlignmentFlag.AlignCenter)
        row = (accent, of, every, where, amount)
        self.fires.append(row)

        def apply() -> None:
            for field in (every, where):
                field.setEnabled(of.currentText() != "drops")

        of.currentTextChanged.connect(lambda _: apply())
        apply()
        at = self.accents.rowCount()
        for number, (field, name) in enumerate(zip(row, ("Accent", "On", "Every", "Where", "Strength"), strict=True)):
            field.setAccessibleName(name)
            self.accents.addWidget(field, at, number)
        remove = tool("remove", "Take this accent out")
        self.accents.addWidget(remove, at, len(row))

        def take_out() -> None:
            self.fires.remove(row)
            for field in (*row, remove):
                field.hide()
                field.deleteLater()
            self.adjustSize()

        remove.clicked.connect(take_out)

    def mood(self) -> Mood:
        """Return the mood as it is written. Raises TempikError where a row of lengths is none."""
        values = {field: give() for field, give in self._gives.items()}
        fires = tuple(
            Fires(
                str(accent.currentData()), of.currentText(), every.value(), cast("tuple[LevelName, ...]", tuple(where.currentData())),
                round(amount.value(), 3),
            )
            for accent, of, every, where, amount in self.fires
        )  # fmt: skip
        phrases = {level: phrases_of(line.text()) for level, line in self.cuts.items()}
        return replace(self._mood, does=self.does.text().strip(), phrases=phrases, fires=fires, **values)

    def _keep(self) -> None:
        try:
            mood = kept_mood(self.mood(), self.name.text())
        except TempikError as error:
            self.message.setText(str(error))
            return
        self._messages.say(f"The mood '{mood.name}' is kept; drafts can be made by it.")
        self.accept()
        self.kept.emit(mood)

    def _forget(self) -> None:
        try:
            removed_mood(self._mood.name)
        except TempikError as error:
            self.message.setText(str(error))
            return
        self._messages.say(f"The mood '{self._mood.name}' is taken away; reels drafted by it stay as they are.")
        self.reject()
