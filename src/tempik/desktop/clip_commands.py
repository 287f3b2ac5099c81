"""Commands on the selected clip, the nearest point and the accent rows."""

from __future__ import annotations

from PySide6.QtCore import QObject
from PySide6.QtWidgets import QMenu, QWidget

from tempik.accents import CATALOGUE
from tempik.check.landing import nearest_point
from tempik.desktop.cut_commands import CutCommands
from tempik.desktop.project import Project
from tempik.edit import change, pin
from tempik.reel import Reel, Rule, by_id
from tempik.time import time_of

EVERY = (1, 2, 4, 8, 0)
AMOUNTS = (25, 50, 75, 100, 150, 200)


class ClipCommands(QObject):
    """What keys and menus do to clips and rows."""

    def __init__(self, project: Project, cuts: CutCommands) -> None:
        super().__init__(project)
        self.project, self.cuts = project, cuts

    def cue_here(self) -> None:
        """What the clip under the playhead shows becomes its cue, on the nearest point."""
        self._cue(False)

    def cue_here_too(self) -> None:
        """As `cue_here`, beside the pins that the clip has: both land."""
        self._cue(True)

    def _cue(self, also: bool) -> None:
        placed, frame = self.cuts.at_playhead(), self.project.frame
        point = nearest_point(self.project.timeline, time_of(frame, self.project.reel.rate))
        if placed is None or point is None:
            self.project.said.emit("There is no clip or no point here to make a cue for.", True)
            return
        clip = placed.clip.id
        self.project.select_clip(clip)
        if self.project.change(
            f"Cue {'also ' if also else ''}set on point {point.label}",
            lambda reel: pin.with_clip_cue_here(reel, clip, frame, point.id, also),
        ):
            self.say_trouble(clip)

    def say_trouble(self, clip: str) -> None:
        """Say what a clip lacks, with what would mend it."""
        timeline = self.project.timeline
        placed = timeline.placed_clip(clip)
        if placed is None:
            return
        text = pin.trouble(timeline, placed)
        if text:
            mends = [m.text for m in pin.mends(timeline, placed)]
            offer = f" Right click: {', or '.join(mends)}." if mends else ""
            self.project.said.emit(text + offer, True)

    def pin_next(self) -> None:
        self._pin_by(1)

    def pin_previous(self) -> None:
        self._pin_by(-1)

    def _pin_by(self, step: int) -> None:
        names = self.cuts.chosen()
        where = "next" if step > 0 else "previous"
        if self.project.change(f"Pinned to the {where} point", lambda reel: pin.with_pins_moved(reel, names, step)):
            self.say_trouble(names[0])

    def unpin(self) -> None:
        names = [n for n in self.cuts.chosen() if (c := by_id(self.project.reel.clips, n)) is not None and c.pins]
        if names:
            self.project.change("Clip unpinned", lambda reel: pin.without_pins(reel, names))
        else:
            self.project.said.emit("This clip is not pinned.", False)

    def fill_mend_menu(self, menu: QMenu, clip: str) -> None:
        """Offer what would mend a clip that lacks footage."""
        timeline = self.project.timeline
        placed = timeline.placed_clip(clip)
        for mend in pin.mends(timeline, placed) if placed is not None else ():
            menu.addAction(mend.text[0].upper() + mend.text[1:]).triggered.connect(
                lambda _=False, m=mend: self.project.change(m.text[0].upper() + m.text[1:], m.change)
            )

    def toggle_flash(self) -> None:
        """Toggle the first flash row at the nearest point; a reel without one gets a row painted by hand."""
        timeline = self.project.timeline
        point = nearest_point(timeline, time_of(self.project.frame, timeline.rate))
        if point is None:
            self.project.said.emit("There is no point to put a flash on; place one with P.", True)
            return

        def toggle(reel: Reel) -> Reel:
            row = next((r for r in reel.rows if r.accent == "flash"), None)
            if row is None:
                reel = change.with_row(reel, "flash", 0)
                row = reel.rows[-1]
            return change.with_toggled(reel, row.id, point.id)

        self.project.change(f"Flash toggled on {point.label}", toggle)

    def add_row(self, accent: str) -> None:
        self.project.change(f"{CATALOGUE[accent].title} row added", lambda reel: change.with_row(reel, accent, 4))

    def fill_accent_menu(self, menu: QMenu) -> None:
        for name, accent in CATALOGUE.items():
            action = menu.addAction(accent.title)
            action.setToolTip(accent.does)
            action.triggered.connect(lambda _=False, n=name: self.add_row(n))

    def row_menu(self, row: str, parent: QWidget) -> QMenu:
        """Return the menu of an accent row: its rule, amount, muting and removal."""
        record = by_id(self.project.reel.rows, row)
        menu = QMenu(parent)
        if record is None:
            return menu
        for every in EVERY:
            text = (
                "painted by hand only" if every == 0 else "on every point" if every == 1 else f"on every {every} points"
            )
            action = menu.addAction(text)
            action.setCheckable(True)
            action.setChecked(record.rule.every == every)
            action.triggered.connect(
                lambda _=False, e=every: self.project.change(
                    "Accent rule changed",
                    lambda reel: change.with_rule(reel, row, Rule(e, record.rule.offset)),
                )
            )
        shift = menu.addAction("shift by one point")
        shift.triggered.connect(
            lambda: self.project.change(
                "Accent row shifted",
                lambda reel: change.with_rule(
                    reel, row, Rule(record.rule.every, (record.rule.offset + 1) % max(record.rule.every, 1))
                ),
            )
        )
        amounts = menu.addMenu(f"amount: {record.amount * 100:.0f} %")
        for amount in AMOUNTS:
            action = amounts.addAction(f"{amount} %")
            action.triggered.connect(
                lambda _=False, a=amount: self.project.change(
                    f"Amount {a} %", lambda reel: change.with_amount(reel, row, a / 100)
                )
            )
        menu.addSeparator()
        add = menu.addMenu("Add accent row")
        self.fill_accent_menu(add)
        mute = menu.addAction("muted")
        mute.setCheckable(True)
        mute.setChecked(record.muted)
        mute.triggered.connect(
            lambda: self.project.change("Accent row muted", lambda reel: change.with_muted(reel, row, not record.muted))
        )
        remove = menu.addAction("Remove row")
        remove.triggered.connect(
            lambda: self.project.change("Accent row removed", lambda reel: change.without_row(reel, row))
        )
        return menu
