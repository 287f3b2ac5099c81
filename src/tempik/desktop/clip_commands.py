"""Commands on the selected clip, the nearest point and the accent rows."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QObject
from PySide6.QtWidgets import QMenu, QWidget

from tempik.accents import CATALOGUE
from tempik.check.landing import nearest_point
from tempik.desktop.project import Project
from tempik.edit import change
from tempik.reel import Pin, Reel, Rule, by_id
from tempik.retime import reversed_curve
from tempik.time import time_of

EVERY = (1, 2, 4, 8, 0)
AMOUNTS = (25, 50, 75, 100, 150, 200)


class ClipCommands(QObject):
    """What keys and menus do to clips and rows."""

    def __init__(self, project: Project) -> None:
        super().__init__(project)
        self.project = project

    def _under_playhead(self) -> str | None:
        placed = self.project.timeline.clip_at(self.project.frame)
        return placed.clip.id if placed is not None else None

    def cue_here(self) -> None:
        """What the clip under the playhead shows becomes its cue, on the nearest point."""
        clip, frame = self._under_playhead(), self.project.frame
        point = nearest_point(self.project.timeline, time_of(frame, self.project.reel.rate))
        if clip is None or point is None:
            self.project.said.emit("There is no clip or no point here to make a cue for.", True)
            return
        self.project.select_clip(clip)
        self.project.change(
            f"Cue set on point {point.label}",
            lambda reel: change.with_clip_cue_here(reel, clip, frame, point.id),
        )

    def _pin(self) -> Pin | None:
        clip = self.project.clip
        if clip is None or not clip.pins:
            self.project.said.emit("This clip is not pinned; put the playhead on its decisive frame and press C.", True)
            return None
        return clip.pins[0]

    def _pin_by(self, step: int) -> None:
        clip, pin = self.project.clip, self._pin()
        if clip is None or pin is None:
            return
        points = self.project.timeline.on_reel()
        at = next((i for i, q in enumerate(points) if q.id == pin.point), None)
        if at is None or not 0 <= at + step < len(points):
            self.project.said.emit("There is no further point on the reel in that direction.", True)
            return
        target = points[at + step]
        self.project.change(
            f"Cue pinned to {target.label}", lambda reel: change.with_pin(reel, clip.id, pin.cue, target.id)
        )

    def pin_next(self) -> None:
        self._pin_by(1)

    def pin_previous(self) -> None:
        self._pin_by(-1)

    def unpin(self) -> None:
        clip = self.project.clip
        if clip is not None and clip.pins:
            self.project.change("Clip unpinned", lambda reel: change.without_pins(reel, clip.id))

    def reverse(self) -> None:
        clip = self.project.clip
        if clip is not None:
            self.project.change(
                "Clip reversed", lambda reel: change.with_curve(reel, clip.id, reversed_curve(clip.curve))
            )

    def remove_clip(self) -> None:
        clip = self.project.clip
        if clip is not None:
            self.project.change("Clip removed", lambda reel: change.without_clip(reel, clip.id))

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

    def fill_swap_menu(self, menu: QMenu, clip: str) -> None:
        record = by_id(self.project.reel.clips, clip)
        for piece in self.project.reel.footage:
            if record is not None and piece.id != record.footage:
                action = menu.addAction(Path(piece.path).stem)
                action.triggered.connect(
                    lambda _=False, f=piece.id: self.project.change(
                        "Footage swapped", lambda reel: change.with_swapped_footage(reel, clip, f)
                    )
                )
        menu.setEnabled(not menu.isEmpty())

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
