"""The row on top of the Grade page: how much of the grade shows, and what is done with it as a whole."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QMenu, QWidget

from tempik.desktop.pages.page import PageContext
from tempik.desktop.widgets import marks
from tempik.desktop.widgets.controls import control_of
from tempik.desktop.widgets.form import button, line, toggle
from tempik.desktop.widgets.plain import as_tip, below, in_menu, pop_up
from tempik.errors import TempikError
from tempik.media.meaning import Colour
from tempik.media.probe import colour_meaning
from tempik.reel import by_id
from tempik.reel.grade import AMOUNTS, PARTS
from tempik.time import clock_text, time_of
from tempik.timeline.grading import GRADE_KEYS, grades_of, look_of

MOST_TARGETS = 40
MEANT = {
    "matrix": (("as the file says", ""), ("BT.601", "bt601"), ("BT.709", "bt709"), ("BT.2020", "bt2020")),
    "range": (("as the file says", ""), ("limited", "limited"), ("full", "full")),
    "light": (("as the file says", ""), ("standard", "standard"), ("PQ", "pq"), ("HLG", "hlg")),
}


class AcrossRow(QWidget):
    """`keep_wanted` asks for a name for the grade as a look."""

    keep_wanted = Signal()

    def __init__(self, context: PageContext) -> None:
        super().__init__()
        self.context, self.commands, self.project = context, context.grading, context.project
        self.amount = control_of(AMOUNTS["amount"])
        self.amount.setToolTip("How much of the grade shows; where it has keys, the key at the playhead is set")
        self.amount.told.connect(self._set_amount)
        key = "Key how much of the grade shows, at the playhead: on a point it follows the point"
        self.key = toggle("key", key, self._toggle_key, "low")
        self.copy = button("Copy", "Copy the grade", self.commands.copy_grade, "low")
        self.paste = button("Paste ▾", "Paste the copied grade, or parts of it", self._paste_menu, "low")
        self.more = button("More ▾", "Match, make even, keep as a look, take off", self._more_menu, "low")
        self.split = toggle(
            "Before | after", "On either side of a line to drag in the preview (Alt+B)", room="low",
            told=lambda _: self.commands.toggle_split(),
        )  # fmt: skip
        tip = "As it is without any grade, while this is held (or the key `)"
        self.before = button("Before", tip, lambda: None, "low")
        self.before.pressed.connect(lambda: context.transport.frames.show_before(True))
        self.before.released.connect(lambda: context.transport.frames.show_before(False))
        self.meant = button("Colours ▾", "How the values of the footage are meant", self._meant_menu, "low")
        tools = (self.amount, self.key, self.copy, self.paste, self.more, self.meant)
        line(*tools, None, self.before, self.split, over=self)

    def refill(self) -> None:
        """Show what is."""
        commands = self.commands
        keyed = self._keyed()
        self.amount.show_value(self._shown() if keyed else commands.grade().amount)
        self.key.setChecked(keyed)
        self.key.setEnabled(commands.whose != "footage")
        marks.mark(self.amount, "keyed", keyed)
        self.paste.setEnabled(commands.copied is not None)
        self.split.setChecked(commands.split)
        self.meant.setVisible(commands.whose == "footage")

    def _keyed(self) -> bool:
        reel, clip = self.project.reel, self.project.selection.clip
        if self.commands.whose == "reel":
            return bool(reel.look_keys)
        return self.commands.whose == "clips" and clip is not None and GRADE_KEYS in clip.keys

    def _shown(self) -> float:
        """How much of the grade shows at the playhead by its keys."""
        timeline, frame, placed = self.project.timeline, self.project.playhead.frame, self.project.selection.placed
        if self.commands.whose == "reel":
            return next((share for _, share in look_of(timeline, frame)), 0.0)
        found = grades_of(timeline, placed, frame) if placed is not None else ()
        return next((share for grade, share in found if placed is not None and grade is placed.clip.grade), 0.0)

    def _set_amount(self, value: float) -> None:
        if self._keyed():
            self.commands.key_amount_at(value)
        else:
            self.commands.set_fields("Grade: amount", amount=value)

    def _toggle_key(self, on: bool) -> None:
        if on:
            self.commands.key_amount()
        else:
            self.commands.unkey_amount()
        self.refill()

    # Menus

    def _paste_menu(self) -> None:
        menu = QMenu(self)
        menu.addAction("All of it").triggered.connect(lambda _=False: self.commands.paste_parts(tuple(PARTS)))
        menu.addSeparator()
        for part in PARTS:
            menu.addAction(part).triggered.connect(lambda _=False, p=part: self.commands.paste_parts((p,)))
        pop_up(menu, below(self.paste))

    def _more_menu(self) -> None:
        commands, menu = self.commands, QMenu(self)
        match = menu.addMenu("Match the selected clips to")
        self._fill_match(match)
        for text, act in (
            ("Make the light of the selected clips even", commands.even_series),
            ("Take slow changes of light out of the clip", commands.even_along),
            ("Leave the light along the clips as it was", commands.uneven),
            ("The selected clip's grade for all clips", commands.grade_all),
            ("Keep this frame to compare with", commands.keep_reference),
            ("Keep the grade as a look …", self.keep_wanted.emit),
            ("Take the grade off", commands.no_grade),
        ):
            menu.addAction(text).triggered.connect(lambda _=False, a=act: a())
        pop_up(menu, below(self.more))

    def _fill_match(self, menu: QMenu) -> None:
        chosen = set(self.project.selection.chosen_clips)
        others = [p for p in self.project.timeline.placed if p.clip.id not in chosen and not p.footage.as_frame]
        for placed in others[:MOST_TARGETS]:
            at = clock_text(time_of(placed.first, self.project.timeline.rate))
            action = menu.addAction(in_menu(f"{at}  {placed.footage.name}"))
            action.triggered.connect(lambda _=False, name=placed.clip.id: self.commands.match_to(name))
        menu.setEnabled(bool(chosen and others))

    def _meant_menu(self) -> None:
        where = self.commands.where()
        piece = by_id(self.project.reel.footage, where.ids[0]) if where.ids else None
        if piece is None:
            return
        menu = QMenu(self)
        told = piece.colour
        try:
            message = colour_meaning(piece.path, Colour(told.matrix, told.range, told.light)).text
        except TempikError as error:
            message = str(error)
        menu.addAction(in_menu(f"{piece.name}: {message}")).setEnabled(False)
        for field, values in MEANT.items():
            part = menu.addMenu(field)
            for text, value in values:
                action = part.addAction(text)
                action.setCheckable(True)
                action.setChecked(getattr(told, field) == value)
                action.triggered.connect(lambda _=False, f=field, v=value: self.commands.set_colour(**{f: v}))
        self.meant.setToolTip(as_tip(message))
        pop_up(menu, below(self.meant))
