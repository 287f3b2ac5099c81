"""Commands on accent rows: adding, bundling, copying, painting by pattern, amounts, tracked focus."""

from __future__ import annotations

import random
from collections.abc import Callable

from PySide6.QtCore import QObject, Signal
from PySide6.QtWidgets import QMenu, QWidget

from tempik.accents import CATALOGUE
from tempik.check.landing import nearest_point
from tempik.desktop.commands.bundles import BundleCommands
from tempik.desktop.commands.drafting import add_row_entries
from tempik.desktop.commands.registry import command
from tempik.desktop.session.document import Project
from tempik.desktop.session.jobs import Job, Worker
from tempik.desktop.widgets.count_panel import CountPanel
from tempik.edit import ruled
from tempik.edit.accents import rows as accent_rows
from tempik.edit.accents.painting import (
    cell_near,
    with_bar_copied,
    with_random,
    with_row_shifted,
    with_toggled,
    without_painting,
)
from tempik.edit.footage import tracking
from tempik.errors import TempikError
from tempik.reel import MotionTrack, Reel, by_id
from tempik.time import time_of

STEP = 0.1


class AccentCommands(QObject):
    """What keys and menus do to accent rows."""

    placing_focus = Signal(bool)  # the next click in the preview puts a focus

    def __init__(self, project: Project, worker: Worker, count: CountPanel, bundles: BundleCommands) -> None:
        super().__init__(project)
        self.project, self.worker, self.count, self.bundles = project, worker, count, bundles

    def _row(self) -> str | None:
        """Return the chosen row's id, or None, having said so."""
        if self.project.selection.row is None:
            self.project.messages.say("There is no accent row yet; choose an accent on the Accents page.", True)
            return None
        return self.project.selection.row.row.id

    def add_row(self, accent: str, every: int = 4) -> None:
        """Add a row that fires on every n-th point; it becomes the chosen one."""
        if self.project.change(
            f"{CATALOGUE[accent].title} added", lambda reel: accent_rows.with_row(reel, accent, every)
        ):
            self.project.selection.select_row(self.project.reel.rows[-1].id)

    def use_for_row(self, accent: str) -> None:
        """Have the chosen row fire another accent."""
        row = self._row()
        if row is not None:
            title = CATALOGUE[accent].title
            self.project.change(f"Row fires {title}", lambda reel: accent_rows.with_other_accent(reel, row, accent))

    @command("Accents", "Toggle a flash on the nearest point", ("X",), "song")
    def toggle_flash(self) -> None:
        """Toggle the first flash row at the nearest point; a reel without one gets a row painted by hand."""
        timeline = self.project.timeline
        point = nearest_point(timeline, time_of(self.project.playhead.frame, timeline.rate))
        if point is None:
            self.project.messages.say("There is no point to put a flash on; place one with P.", True)
            return

        def toggle(reel: Reel) -> Reel:
            row = next((r for r in reel.rows if r.accent == "flash"), None)
            if row is None:
                reel = accent_rows.with_row(reel, "flash", 0)
                row = reel.rows[-1]
            return with_toggled(reel, row.id, point.id)

        self.project.change(f"Flash toggled on {point.label}", toggle)

    @command("Accents", "Toggle the chosen row on the nearest point", ("'",), "song")
    def toggle_cell_here(self) -> None:
        """Turn the chosen row on or off at the point nearest to the playhead."""
        row, found = self._row(), self.project.selection.row
        if row is None or found is None:
            return
        cell = cell_near(found, self.project.playhead.frame)
        if cell is None:
            self.project.messages.say("This row has no point to paint; place one with P.", True)
            return
        title = found.accent.title if found.accent is not None else found.row.accent
        self.project.change(f"{title} toggled", lambda reel: with_toggled(reel, row, cell.id))

    # Amounts

    @command("Accents", "All accents a tenth weaker", ("2",), "song")
    def calm_all(self) -> None:
        self._all_by(-STEP)

    @command("Accents", "All accents a tenth stronger", ("3",), "song")
    def stir_all(self) -> None:
        self._all_by(STEP)

    def _all_by(self, step: float) -> None:
        amount = round(self.project.reel.amount + step, 2)
        self.project.change(
            f"All accents {min(max(amount, 0), 2) * 100:.0f} %", lambda r: accent_rows.with_all_amounts(r, amount)
        )

    @command("Accents", "Amount of all accents …", ("4",), "song")
    def ask_all(self) -> None:
        """Ask how strong all accents together are."""
        now = round(self.project.reel.amount * 100)
        self.count.ask(
            "All accents",
            "%",
            now,
            lambda percent, _: self.project.change(
                f"All accents {percent} %", lambda reel: accent_rows.with_all_amounts(reel, percent / 100)
            ),
            least=0,
            most=200,
        )

    # The chosen row

    def _do(self, what: str, edit: Callable[[Reel, str], Reel]) -> None:
        row = self._row()
        if row is not None:
            self.project.change(what, lambda reel: edit(reel, row))

    @command("Accents", "Mute the chosen row", ("Shift+X",), "song")
    def mute_row(self) -> None:
        found = self.project.selection.row
        on = found is not None and not found.row.muted
        self._do("Row muted" if on else "Row unmuted", lambda reel, row: ruled.with_muted(reel, row, on))

    @command("Accents", "Solo the chosen row", ("Shift+Z",), "song")
    def solo_row(self) -> None:
        found = self.project.selection.row
        on = found is not None and not found.row.solo
        self._do("Row solo" if on else "Row no longer solo", lambda reel, row: ruled.with_solo(reel, row, on))

    @command("Accents", "Move the row up", (), "song")
    def row_earlier(self) -> None:
        self._do("Row moved up", lambda reel, row: accent_rows.with_row_moved(reel, row, -1))

    @command("Accents", "Move the row down", (), "song")
    def row_later(self) -> None:
        self._do("Row moved down", lambda reel, row: accent_rows.with_row_moved(reel, row, 1))

    @command("Accents", "Shift the row by a point", ("Shift+N",), "song")
    def shift_row(self) -> None:
        self._do("Row shifted by a point", with_row_shifted)

    @command("Accents", "Shift the row back by a point", (), "song")
    def shift_row_back(self) -> None:
        self._do("Row shifted back by a point", lambda reel, row: with_row_shifted(reel, row, -1))

    @command("Accents", "Repeat this bar's pattern in the row's later bars", ("Shift+P",), "song")
    def copy_bar(self) -> None:
        """Repeat the pattern of the bar at the playhead in all later bars."""
        timeline = self.project.timeline
        beat = timeline.beat_at(self.project.playhead.frame)
        if beat is None:
            self.project.messages.say("There is no bar at the playhead to copy.", True)
            return
        bar = beat.bar
        self._do(f"Bar {bar} repeated", lambda reel, row: with_bar_copied(reel, row, bar))

    @command("Accents", "Randomise the row (again: another draw)", ("Shift+G",), "song")
    def randomise_row(self) -> None:
        """Paint the row at random; again for another draw. The seed is kept, so that it stays as it is."""
        seed = random.randrange(10_000)
        self._do(f"Randomised, seed {seed}", lambda reel, row: with_random(reel, row, seed))

    @command("Accents", "Clear the row's painted cells", (), "song")
    def unpaint_row(self) -> None:
        self._do("Painted cells cleared", without_painting)

    @command("Accents", "Remove the accent row", (), "song")
    def remove_row(self) -> None:
        self._do("Accent row removed", accent_rows.without_row)

    # Focus

    @command("Accents", "Place the row's focus in the preview", ("Shift+U",), "song")
    def place_focus(self) -> None:
        """The next click in the preview puts the chosen row's focus there."""
        found = self.project.selection.row
        if found is None or found.accent is None or not found.accent.placed:
            self.project.messages.say("Choose a row whose accent has a focus first, such as a punch-in.", True)
            return
        self.placing_focus.emit(True)
        self.project.messages.say("Click in the preview where the focus is; a right click leaves it.", False)

    def focus_at(self, x: float, y: float) -> None:
        """Put the chosen row's focus at a place of the frame, shares from its left and top."""
        self.placing_focus.emit(False)
        self._do("Focus placed", lambda reel, row: accent_rows.with_focus(reel, row, x, y))

    @command("Accents", "Follow what is under the focus", ("Shift+T",), "song")
    def follow_focus(self) -> None:
        """Follow what is under the focus through the footage of the clip at the playhead."""
        found, timeline, frame = self.project.selection.row, self.project.timeline, self.project.playhead.frame
        placed = timeline.clip_at(frame)
        if found is None or found.accent is None or not found.accent.placed or placed is None:
            self.project.messages.say("Choose a row whose accent has a focus, and put the playhead on a clip.", True)
            return
        row, footage = found.row.id, placed.footage
        place = timeline.focus_at(found, frame)
        try:
            start = tracking.footage_place(timeline, placed, frame, place)
        except TempikError as error:
            self.project.messages.say(str(error), True)
            return

        def work(job: Job) -> MotionTrack:
            return tracking.tracked(footage, *start, job.report, job.stop_event)

        def done(track: MotionTrack) -> None:
            def keep(reel: Reel) -> Reel:
                if by_id(reel.rows, row) is None:
                    raise TempikError("The row that should follow the patch is gone.")
                reel, name = tracking.with_track(reel, footage.id, track)
                return accent_rows.with_follow(reel, row, name)

            self.project.change(f"Focus follows a patch of {footage.name}", keep)

        self.worker.start(
            f"Following a patch of {footage.name}", work, done, lambda t: self.project.messages.say(t, True)
        )

    # Menus

    def fill_accent_menu(self, menu: QMenu) -> None:
        """Every accent, by family."""
        families: dict[str, QMenu] = {}
        for name, accent in CATALOGUE.items():
            part = families.get(accent.family) or menu.addMenu(accent.family.capitalize())
            families[accent.family] = part
            action = part.addAction(accent.title)
            action.setToolTip(accent.does)
            action.triggered.connect(lambda _=False, n=name: self.add_row(n))

    def row_menu(self, row: str, parent: QWidget) -> QMenu:
        """Return the menu of an accent row."""
        self.project.selection.select_row(row)
        found = self.project.selection.row
        menu = QMenu(parent)
        if found is None:
            return menu
        record = found.row
        for text, act, on in (
            ("muted", self.mute_row, record.muted),
            ("solo", self.solo_row, record.solo),
        ):
            action = menu.addAction(text)
            action.setCheckable(True)
            action.setChecked(on)
            action.triggered.connect(act)
        add_row_entries(menu, self.project, record)
        amounts = menu.addMenu(f"amount: {record.amount * 100:.0f} %")
        for percent in (25, 50, 67, 75, 100, 150, 200):
            amounts.addAction(f"{percent} %").triggered.connect(
                lambda _=False, a=percent: self.project.change(
                    f"Amount {a} %", lambda reel: accent_rows.with_amount(reel, row, a / 100)
                )
            )
        menu.addSeparator()
        for text, act in (
            ("Repeat this bar's pattern", self.copy_bar),
            ("Shift by a point", self.shift_row),
            ("Shift back by a point", self.shift_row_back),
            ("Randomise", self.randomise_row),
            ("Clear painted cells", self.unpaint_row),
        ):
            menu.addAction(text).triggered.connect(act)
        menu.addSeparator()
        for text, act in (
            ("Move up", self.row_earlier),
            ("Move down", self.row_later),
            ("Copy row", self.bundles.copy_row),
            ("Copy all rows", self.bundles.copy_all_rows),
            ("Paste rows", self.bundles.paste_rows),
        ):
            menu.addAction(text).triggered.connect(act)
        self.fill_accent_menu(menu.addMenu("Add accent"))
        self.bundles.fill_bundle_menu(menu.addMenu("Bundles"))
        menu.addSeparator()
        menu.addAction("Remove row").triggered.connect(self.remove_row)
        return menu
