"""The masks of a clip, the chosen one's values, and what of the picture is made clear."""

from __future__ import annotations

from functools import partial

from msgspec.structs import replace
from PySide6.QtCore import Signal
from PySide6.QtWidgets import QButtonGroup, QPushButton, QWidget

from tempik.desktop.widgets.controls import Dropdown
from tempik.desktop.widgets.form import SettingsForm, button, column, holder, line, low, toggle
from tempik.reel import Clear, Mask
from tempik.reel.mask import CLEAR_SETTINGS, MASK_SETTINGS

TIPS = {
    "rectangle": "A rectangle",
    "ellipse": "An ellipse",
    "polygon": "A polygon: click its corners in the preview, double click closes it",
}
SIGNS = {"rectangle": "▭", "ellipse": "◯", "polygon": "⬠"}
CLEARS = (("", "nothing"), ("colour", "a colour"), ("dark", "the dark"), ("bright", "the bright"))


class MaskFields(QWidget):
    """Shows a clip's masks and the chosen one; tells what is asked for."""

    wanted = Signal(str)  # a new mask of a kind
    chosen = Signal(str)
    edited = Signal(str, object)
    removed = Signal()
    followed = Signal(bool)
    keyed = Signal(bool)

    def __init__(self) -> None:
        super().__init__()
        self._marks: list[QPushButton] = []
        self._group = QButtonGroup(self)
        self._list = line(spacing=3)
        new = [button(f"+ {SIGNS[kind]}", tip, partial(self.wanted.emit, kind), "low") for kind, tip in TIPS.items()]
        for made, kind in zip(new, TIPS, strict=True):
            made.setAccessibleName(f"Add a mask: {kind}")
        goes = "Goes with what lies under its middle at the playhead, through the footage"
        keys = "A key of its place, size and turn at the playhead; on a point it goes with the point"
        self.follows = toggle("follows", goes, self.followed.emit, "low")
        self.key = toggle("key", keys, self.keyed.emit, "low")
        self.remove = button("Remove", "Take this mask off", self.removed.emit, "low")
        self.form = SettingsForm(MASK_SETTINGS, ("feather", "grow", "corner", "mix", "invert"))
        self.form.edited.connect(self.edited)
        numbers = self.form.titled("feather", "grow", "corner")
        self._of_one = holder(line(*numbers, self.form["mix"], self.form["invert"], None, spacing=5))
        column(
            line("masks", self._list, *new, None, self.follows, self.key, self.remove),
            self._of_one,
            over=self,
        )

    def show_masks(self, masks: tuple[Mask, ...], chosen: Mask | None, keyed: bool) -> None:
        """Show a clip's masks, `chosen` as it stands at the playhead."""
        if [m.property("mask") for m in self._marks] != [m.id for m in masks]:
            self._make_marks(masks)
        for mark in self._marks:
            mark.setChecked(chosen is not None and mark.property("mask") == chosen.id)
        for widget in (self.follows, self.key, self.remove, self._of_one):
            widget.setVisible(chosen is not None)
        if chosen is not None:
            self.form.show_record(chosen)
            self.form.enable(chosen.kind != "ellipse", "corner")
            self.follows.setChecked(bool(chosen.follow))
        self.key.setChecked(keyed)

    def _make_marks(self, masks: tuple[Mask, ...]) -> None:
        for old in self._marks:
            self._group.removeButton(old)
            old.hide()
            old.deleteLater()
        self._marks = []
        for number, mask in enumerate(masks, 1):
            made = toggle(f"{SIGNS.get(mask.kind, '?')} {number}", f"Mask {number}: {mask.kind}")
            made.setProperty("mask", mask.id)
            made.clicked.connect(lambda _=False, name=mask.id: self.chosen.emit(name))
            self._group.addButton(made)
            self._list.addWidget(made)
            self._marks.append(made)


class ClearFields(QWidget):
    """What of a clip's picture is made clear; `edited` tells all of it anew, None for nothing."""

    edited = Signal(object)
    picking = Signal()

    def __init__(self) -> None:
        super().__init__()
        self._shown = Clear()
        self.of = Dropdown(CLEARS, 0)
        self.of.setToolTip("What of the picture is clear, so that what lies below shows")
        self.of.told.connect(lambda of: self._change("of", of) if of else self.edited.emit(None))
        low(self.of)
        self.pick = button("Pick", "Click the colour in the preview", self.picking.emit, "low")
        narrow = dict.fromkeys(("tolerance", "soft", "spill"), 60)  # all of a colour's fields fit beside the stack
        self.form = SettingsForm(CLEAR_SETTINGS, widths=narrow)
        self.form.edited.connect(self._change)
        numbers = self.form.titled("tolerance", "soft")
        self._coloured = holder(line(self.form["colour"], self.pick, spacing=5))
        self._spill = holder(line(*self.form.titled("spill"), spacing=5))
        self._of_clear = holder(line(*numbers, self._spill, self.form["invert"], spacing=5))
        line("clear", self.of, self._coloured, self._of_clear, None, over=self, spacing=5)

    def show_clear(self, clear: Clear | None) -> None:
        """Show what is clear."""
        self._shown = clear or Clear()
        self.of.show_value("" if clear is None else clear.of)
        self.form.show_record(self._shown)
        coloured = clear is not None and clear.of == "colour"
        self._of_clear.setVisible(clear is not None)
        for widget in (self._coloured, self._spill):
            widget.setVisible(coloured)

    def _change(self, name: str, value: object) -> None:
        self.edited.emit(replace(self._shown, **{name: value}))
