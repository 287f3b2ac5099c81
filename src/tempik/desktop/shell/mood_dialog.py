"""A mood as a table that is changed, and kept as one's own."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, cast

from msgspec.structs import replace
from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QDialog, QDialogButtonBox, QLineEdit, QVBoxLayout, QWidget

from tempik.accents import CATALOGUE as ACCENTS
from tempik.desktop.session.messages import Messages
from tempik.desktop.widgets.controls import Dropdown, Number, control_of
from tempik.desktop.widgets.form import Part, SettingsForm, button, column, grid, label, line, low, tool
from tempik.edit.drafting.moods import FIRES_ON, LEVELS, MOOD_SETTINGS, MOODS, REWIND, Fires, Mood, Phrase
from tempik.errors import TempikError
from tempik.grade.looks import LOOKS
from tempik.project.moods import kept_mood, own_moods, removed_mood
from tempik.reel.lanes import LANE_SETTINGS, RULE_SETTINGS
from tempik.retime.shapes import READY
from tempik.rhythm.records import LEVEL_WORDS, LevelName
from tempik.sounds.shelf import SHELF
from tempik.transitions import CATALOGUE as TRANSITIONS

NONE = "none"
LENGTHS = "Lengths of cuts in beats, one after the other; | between two rows of which one is drawn"
# What is chosen by name, and the three columns.
NAMED = {
    "flow": "movement across cuts", "shape": "speed", "rare": "rarely", "transition": "transition",
    "rush": "sound on transitions", "hit": "sound on drops", "look": "look",
}  # fmt: skip
COLUMNS = (
    ("fill", "roll", "hold"),
    ("motion", "flow", "shape", "ramp", "ramp_from", "rare", "rare_share"),
    ("transition", "transition_beats", "rush", "hit", "look", "look_amount", "light", "shutter_deg"),
)
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
        self.names: dict[str, Dropdown] = {}
        self.cuts: dict[LevelName, QLineEdit] = {}
        self.fires: list[tuple[Dropdown, Dropdown, Number, Dropdown, Number]] = []
        own = mood.name not in {m.name for m in MOODS}
        self.name = QLineEdit(mood.name if own else f"my {mood.name}")
        self.does = QLineEdit(mood.does)
        self.message = label(ink="warning", wraps=True)
        self.accents = grid(spacing=(4, 4))
        add = button("add an accent", "", lambda: self.add_fires(Fires("flash")))
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Cancel)
        self.keep = buttons.addButton("Keep as my own", QDialogButtonBox.ButtonRole.AcceptRole)
        self.forget = buttons.addButton("Take away", QDialogButtonBox.ButtonRole.DestructiveRole)
        self.forget.setEnabled(own and any(m.name == mood.name for m in own_moods()))
        self.forget.clicked.connect(self._forget)
        buttons.accepted.connect(self._keep)
        buttons.rejected.connect(self.reject)
        top = grid((label("name"), self.name), (label("what it is like"), self.does), spacing=(6, 6), wide=(1,))
        across = line(*((part, 1) for part in self._make_parts(mood)), spacing=24)
        parts = (top, across, "accents", self.accents, line(add, None), self.message, buttons)
        column(*parts, over=self, spacing=8, margins=(11, 11, 11, 11))
        for fires in mood.fires:
            self.add_fires(fires)
        self.setMinimumWidth(940)

    def _make_parts(self, mood: Mood) -> list[QVBoxLayout]:
        """Return three columns of controls."""
        self.form = SettingsForm(MOOD_SETTINGS)
        self.form.show_record(mood)
        for control in self.form.controls.values():
            if isinstance(control, Number):
                control.setAlignment(Qt.AlignmentFlag.AlignCenter)
        shapes = [s.name for s in READY]
        for name, there in (
            ("flow", ("", "carried", "answered")),
            ("shape", shapes),
            ("rare", ("", REWIND, *shapes)),
            ("transition", ("", *TRANSITIONS)),
            ("rush", ("", *SHELF)),
            ("hit", ("", *SHELF)),
            ("look", ("", *(look.name for look in LOOKS))),
        ):
            self.names[name] = Dropdown(((n, n or NONE) for n in there), 0)
            self.names[name].show_value(getattr(mood, name))
        cuts: list[list[Part]] = []
        for level in LEVELS:
            self.cuts[level] = QLineEdit(phrases_text(mood.phrases[level]))
            self.cuts[level].setToolTip(LENGTHS)
            cuts.append([label(f"cuts, {LEVEL_WORDS[level]}"), self.cuts[level]])
        low(*self.names.values(), *self.cuts.values())
        return [
            column(grid(*rows, *(self._row(name) for name in names), spacing=(6, 5), wide=(1,)), None)
            for rows, names in zip((cuts, [], []), COLUMNS, strict=True)
        ]

    def _row(self, name: str) -> list[Part]:
        if name in self.names:
            self.names[name].setAccessibleName(NAMED[name])
            return [label(NAMED[name]), self.names[name]]
        setting = MOOD_SETTINGS[name]
        return [(self.form[name], 2)] if setting.kind == "switch" else [label(setting.title), self.form[name]]

    def add_fires(self, fires: Fires) -> None:
        """Add an accent to the table."""
        accent = Dropdown(((name, kind.title) for name, kind in ACCENTS.items()), 0)
        of, where = (
            Dropdown(((on, on) for on in FIRES_ON), 0),
            Dropdown(((levels, text) for text, levels in EVERY_LEVEL), 0),
        )
        every, amount = (
            control_of(RULE_SETTINGS["every"]),
            control_of(LANE_SETTINGS["amount"]._replace(unit="", step=0.1)),
        )
        every.setPrefix("every ")
        accent.show_value(fires.accent)
        of.show_value(fires.of)
        every.show_value(fires.every)
        where.show_value(next((ls for _, ls in EVERY_LEVEL if set(ls) == set(fires.levels)), EVERY_LEVEL[0][1]))
        amount.show_value(fires.amount)
        for box in (every, amount):
            box.setAlignment(Qt.AlignmentFlag.AlignCenter)
        low(accent, of, where)
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
        values: dict[str, Any] = {name: control.kept() for name, control in self.form.controls.items()}
        values |= {name: box.currentData() for name, box in self.names.items()}
        fires = tuple(
            Fires(
                str(accent.currentData()), of.currentText(), int(every.value()), cast("tuple[LevelName, ...]", tuple(where.currentData())),
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
