"""What every kind of transition has: where it is laid, its way, length, place about the cut, strength and shutter."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QWidget

from tempik.desktop.commands.transitions import SCOPES
from tempik.desktop.widgets.controls import Dropdown, Slider
from tempik.desktop.widgets.form import SettingsForm, grid, line, low
from tempik.edit.transitions.laying import LOT, TURNS
from tempik.reel import TransitionUnit
from tempik.reel.transition import TRANSITION_SETTINGS
from tempik.timeline.transitions import PlacedTransition
from tempik.transitions import TransitionType, direction_of, shutter_of

UNITS: tuple[TransitionUnit, ...] = ("frames", "beats")
SEVERAL = ((TURNS, "by turns"), (LOT, "by lot"))
NO_WAY = ("", "–")
USUAL = {"frames": 8.0, "beats": 0.5}  # the same length in the other unit would be another


class TransitionFields(QWidget):
    """Shows a transition's values; each edit is told by a signal."""

    scope_chosen = Signal(str)
    way_chosen = Signal(str)
    length_edited = Signal(float, str)
    edited = Signal(str, float)  # `at` or `shutter_deg`
    amount_moved = Signal(float)
    amount_settled = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.scope, self.way, self.unit = Dropdown(SCOPES, 9), Dropdown(letters=9), Dropdown(((u, u) for u in UNITS), 5)
        self.scope.setToolTip("Which cuts are meant: what is clicked or changed here goes for all of them")
        self.way.setToolTip("Which way; for several cuts by turns (one side, the other) or by lot")
        self.unit.setToolTip("What the length is counted in")
        low(self.scope, self.way, self.unit)
        self.form = SettingsForm(TRANSITION_SETTINGS, ("length", "at", "shutter_deg"), 62)
        self.length = self.form["length"]
        self.amount = Slider("How strong", tip=TRANSITION_SETTINGS["amount"].does)
        self.scope.told.connect(self.scope_chosen.emit)
        self.way.told.connect(self.way_chosen.emit)
        self.unit.told.connect(lambda unit: self.length_edited.emit(USUAL[unit], unit))
        self.form.edited.connect(self._edited)
        self.amount.moved.connect(self.amount_moved.emit)
        self.amount.settled.connect(self.amount_settled)
        self.amount.told.connect(self._amount_set)
        grid(
            ("on", self.scope, "long", line(self.length, self.unit, spacing=3), "before the cut", self.form["at"]),
            ("way", self.way, "strong", line((self.amount, 1), self.amount.text), "shutter", self.form["shutter_deg"]),
            over=self,
            spacing=(5, 4),
            wide=(1, 3),
        )

    def _edited(self, name: str, value: float) -> None:
        if name == "length":
            self.length_edited.emit(value, self.unit.currentText())
        else:
            self.edited.emit(name, value)

    def _amount_set(self, value: float) -> None:
        self.amount_moved.emit(value)
        self.amount_settled.emit()

    def show_transition(
        self, kind: TransitionType | None, placed: PlacedTransition | None, scope: str, ways: str, shutter_deg: float
    ) -> None:
        """Show a transition as it lies on the reel, or the scope alone."""
        self.scope.show_value(scope)
        directions = kind.directions if kind is not None else ()
        several = SEVERAL if scope != "this" and directions else ()
        self.way.show_choices([*((d, d) for d in directions), *several] or [NO_WAY])
        self.way.setEnabled(bool(directions))
        there = placed is not None and kind is not None
        self.form.enable(there, "length", "at")
        for widget in (self.unit, self.amount):
            widget.setEnabled(there)
        self.form.enable(there and kind is not None and kind.family in ("movement", "zoom", "pieces"), "shutter_deg")
        if placed is None or kind is None:
            return
        transition = placed.transition
        shown = ways if scope != "this" and ways in (TURNS, LOT) else direction_of(kind, transition)
        if shown:
            self.way.show_value(shown)
        self.length.setDecimals(0 if transition.unit == "frames" else 2)
        self.length.setSingleStep(1 if transition.unit == "frames" else 0.25)
        self.length.show_value(transition.length)
        self.unit.show_value(transition.unit)
        usual = kind.at if placed.both else 0.0 if placed.out is None else 1.0
        self.form["at"].show_value(usual if transition.at is None else transition.at)
        self.amount.show_value(transition.amount)
        self.form["shutter_deg"].show_value(shutter_of(kind, transition, shutter_deg))
