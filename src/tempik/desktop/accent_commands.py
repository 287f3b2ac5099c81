"""Commands on accent rows: adding, bundling, copying, painting by pattern, amounts, tracked focus."""

from __future__ import annotations

import random
from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import QObject, Signal
from PySide6.QtGui import QGuiApplication
from PySide6.QtWidgets import QFileDialog, QInputDialog, QMenu, QWidget

from tempik.accents import CATALOGUE
from tempik.check.landing import nearest_point
from tempik.desktop.count_panel import CountPanel
from tempik.desktop.project import Project
from tempik.desktop.work import Job, Worker
from tempik.edit import accent_library, accent_rows, tracking
from tempik.errors import TempikError
from tempik.reel import Reel, Track, by_id
from tempik.time import time_of

STEP = 0.1


class AccentCommands(QObject):
    """What keys and menus do to accent rows."""

    placing_focus = Signal(bool)  # the next click in the preview puts a focus

    def __init__(self, project: Project, worker: Worker, count: CountPanel) -> None:
        super().__init__(project)
        self.project, self.worker, self.count = project, worker, count

    def _row(self) -> str | None:
        """Return the chosen row's id, or None, having said so."""
        if self.project.row is None:
            self.project.said.emit("There is no accent row yet; choose an accent on the Accents page.", True)
            return None
        return self.project.row.row.id

    def add_row(self, accent: str, every: int = 4) -> None:
        """Add a row that fires on every n-th point; it becomes the chosen one."""
        if self.project.change(
            f"{CATALOGUE[accent].title} added", lambda reel: accent_rows.with_row(reel, accent, every)
        ):
            self.project.select_row(self.project.reel.rows[-1].id)

    def use_for_row(self, accent: str) -> None:
        """Have the chosen row fire another accent."""
        row = self._row()
        if row is not None:
            title = CATALOGUE[accent].title
            self.project.change(f"Row fires {title}", lambda reel: accent_rows.with_other_accent(reel, row, accent))

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
                reel = accent_rows.with_row(reel, "flash", 0)
                row = reel.rows[-1]
            return accent_rows.with_toggled(reel, row.id, point.id)

        self.project.change(f"Flash toggled on {point.label}", toggle)

    def toggle_cell_here(self) -> None:
        """Turn the chosen row on or off at the point nearest to the playhead."""
        row, found = self._row(), self.project.row
        if row is None or found is None:
            return
        cell = accent_rows.cell_near(found, self.project.frame)
        if cell is None:
            self.project.said.emit("This row has no point to paint; place one with P.", True)
            return
        title = found.accent.title if found.accent is not None else found.row.accent
        self.project.change(f"{title} toggled", lambda reel: accent_rows.with_toggled(reel, row, cell.id))

    # Amounts

    def calm_all(self) -> None:
        self._all_by(-STEP)

    def stir_all(self) -> None:
        self._all_by(STEP)

    def _all_by(self, step: float) -> None:
        amount = round(self.project.reel.amount + step, 2)
        self.project.change(
            f"All accents {min(max(amount, 0), 2) * 100:.0f} %", lambda r: accent_rows.with_all_amounts(r, amount)
        )

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

    def mute_row(self) -> None:
        found = self.project.row
        on = found is not None and not found.row.muted
        self._do("Row muted" if on else "Row heard again", lambda reel, row: accent_rows.with_muted(reel, row, on))

    def solo_row(self) -> None:
        found = self.project.row
        on = found is not None and not found.row.solo
        self._do("Row alone" if on else "All rows again", lambda reel, row: accent_rows.with_solo(reel, row, on))

    def row_earlier(self) -> None:
        self._do("Row moved up", lambda reel, row: accent_rows.with_row_moved(reel, row, -1))

    def row_later(self) -> None:
        self._do("Row moved down", lambda reel, row: accent_rows.with_row_moved(reel, row, 1))

    def shift_row(self) -> None:
        self._do("Row shifted by a point", accent_rows.with_row_shifted)

    def shift_row_back(self) -> None:
        self._do("Row shifted back by a point", lambda reel, row: accent_rows.with_row_shifted(reel, row, -1))

    def copy_bar(self) -> None:
        """Repeat the pattern of the bar at the playhead in all later bars."""
        timeline = self.project.timeline
        beat = timeline.beat_at(self.project.frame)
        if beat is None:
            self.project.said.emit("There is no bar at the playhead to copy.", True)
            return
        bar = beat.bar
        self._do(f"Bar {bar} repeated", lambda reel, row: accent_rows.with_bar_copied(reel, row, bar))

    def randomise_row(self) -> None:
        """Paint the row by lot; again for another draw. The seed is kept, so that it stays as it is."""
        seed = random.randrange(10_000)
        self._do(f"Painted by lot, seed {seed}", lambda reel, row: accent_rows.with_random(reel, row, seed))

    def unpaint_row(self) -> None:
        self._do("Painting taken away", accent_rows.without_painting)

    def remove_row(self) -> None:
        self._do("Accent row removed", accent_rows.without_row)

    # Copying

    def copy_row(self) -> None:
        self._copy([self.project.row_id] if self.project.row_id else [])

    def copy_all_rows(self) -> None:
        self._copy([r.id for r in self.project.reel.rows])

    def _copy(self, rows: list[str]) -> None:
        try:
            what = accent_rows.copied_rows(self.project.reel, rows)
        except TempikError as error:
            self.project.said.emit(str(error), True)
            return
        QGuiApplication.clipboard().setText(accent_library.rows_text(what))
        many = f"{len(rows)} accent rows" if len(rows) > 1 else "Accent row"
        self.project.said.emit(f"{many} copied: paste in this reel, on its clips, or in another.", False)

    def paste_rows(self) -> None:
        """Paste copied rows, for the whole reel."""
        self._paste([])

    def paste_rows_on_clips(self) -> None:
        """Paste copied rows for the selected clips only."""
        clips = self.project.chosen_clips
        if not clips:
            self.project.said.emit("Select the clips to paste the accents on first.", True)
            return
        self._paste(clips)

    def _paste(self, clips: list[str]) -> None:
        try:
            what = accent_library.rows_from_text(QGuiApplication.clipboard().text())
        except TempikError as error:
            self.project.said.emit(str(error), True)
            return
        self.put(what, clips, "Accent rows pasted")

    def put(self, what: accent_rows.CopiedRows, clips: list[str], said: str) -> None:
        """Add rows and choose the first of them."""
        made: list[str] = []

        def paste(reel: Reel) -> Reel:
            reel, names = accent_rows.pasted_rows(reel, what, clips)
            made[:] = names
            return reel

        if self.project.change(said, paste) and made:
            self.project.select_row(made[0])

    # Bundles

    def bundle_rows(self) -> None:
        """Put the rows that are in no bundle yet under one name and one amount."""
        rows = [r.id for r in self.project.reel.rows if not r.bundle]
        name, good = QInputDialog.getText(None, "Bundle", f"Name of the bundle of {len(rows)} rows:")
        if good:
            self.project.change("Rows bundled", lambda reel: accent_rows.with_bundle(reel, rows, name))

    def keep_bundle(self, name: str) -> None:
        """Keep the chosen row's bundle, or all rows, in one's own library."""
        found = self.project.row
        bundle = found.row.bundle if found is not None else ""
        rows = [r.id for r in self.project.reel.rows if not bundle or r.bundle == bundle]
        try:
            accent_library.kept_bundle(accent_rows.copied_rows(self.project.reel, rows), name)
        except TempikError as error:
            self.project.said.emit(str(error), True)
            return
        self.project.said.emit(f"Bundle '{name.strip()}' kept with {len(rows)} rows.", False)

    def take_away(self, name: str) -> None:
        """Take one of one's own bundles away; rows made from it stay."""
        accent_library.removed_bundle(name)
        self.project.said.emit(f"Bundle '{name}' taken away; rows made from it stay.", False)

    def ask_keep_bundle(self) -> None:
        name, good = QInputDialog.getText(None, "Keep as a bundle", "Its name:")
        if good:
            self.keep_bundle(name)

    def read_bundle(self, path: Path) -> None:
        """Add a bundle's rows from a file."""
        try:
            what = accent_library.read_bundle(path)
        except TempikError as error:
            self.project.said.emit(str(error), True)
            return
        self.put(what, [], f"Accents read from {path.name}")

    def ask_read_bundle(self) -> None:
        path, _ = QFileDialog.getOpenFileName(None, "Read a bundle", "", f"Bundles (*{accent_library.SUFFIX})")
        if path:
            self.read_bundle(Path(path))

    def ask_write_bundle(self) -> None:
        path, _ = QFileDialog.getSaveFileName(None, "Write the rows", "accents" + accent_library.SUFFIX)
        if path:
            try:
                every = accent_rows.copied_rows(self.project.reel, [r.id for r in self.project.reel.rows])
                accent_library.write_bundle(every, Path(path).stem, Path(path))
                self.project.said.emit(f"Accents written to {path}", False)
            except TempikError as error:
                self.project.said.emit(str(error), True)

    def fill_bundle_menu(self, menu: QMenu) -> None:
        """Offer bundles, for the reel or for the selected clips."""
        clips = self.project.chosen_clips
        for what in (*accent_library.ready_bundles(), *accent_library.own_bundles()):
            assert what.bundle is not None
            name = what.bundle.name
            menu.addAction(name).triggered.connect(lambda _=False, w=what, n=name: self.put(w, [], f"{n} added"))
            if clips:
                on = f"{name}, on {len(clips)} selected clip{'s' if len(clips) > 1 else ''}"
                menu.addAction(on).triggered.connect(lambda _=False, w=what, n=name: self.put(w, clips, f"{n} added"))
        for what in accent_library.own_bundles():
            assert what.bundle is not None
            name = what.bundle.name
            menu.addAction(f"Take '{name}' away").triggered.connect(lambda _=False, n=name: self.take_away(n))
        menu.addSeparator()
        for text, act in (
            ("Bundle these rows …", self.bundle_rows),
            ("Keep these rows as a bundle …", self.ask_keep_bundle),
            ("Write these rows to a file …", self.ask_write_bundle),
            ("Read rows from a file …", self.ask_read_bundle),
        ):
            menu.addAction(text).triggered.connect(act)

    # Focus

    def place_focus(self) -> None:
        """The next click in the preview puts the chosen row's focus there."""
        found = self.project.row
        if found is None or found.accent is None or not found.accent.placed:
            self.project.said.emit("Choose a row whose accent has a focus first, such as a punch-in.", True)
            return
        self.placing_focus.emit(True)
        self.project.said.emit("Click in the preview where the focus is; a right click leaves it.", False)

    def focus_at(self, x: float, y: float) -> None:
        """Put the chosen row's focus at a place of the frame, shares from its left and top."""
        self.placing_focus.emit(False)
        self._do("Focus placed", lambda reel, row: accent_rows.with_focus(reel, row, x, y))

    def follow_focus(self) -> None:
        """Follow what is under the focus through the footage of the clip at the playhead."""
        found, timeline, frame = self.project.row, self.project.timeline, self.project.frame
        placed = timeline.clip_at(frame)
        if found is None or found.accent is None or not found.accent.placed or placed is None:
            self.project.said.emit("Choose a row whose accent has a focus, and put the playhead on a clip.", True)
            return
        row, footage = found.row.id, placed.footage
        place = timeline.focus_at(found, frame)
        try:
            start = tracking.footage_place(timeline, placed, frame, place)
        except TempikError as error:
            self.project.said.emit(str(error), True)
            return

        def work(job: Job) -> Track:
            return tracking.tracked(footage, *start, job.report, job.stop_event)

        def done(track: Track) -> None:
            def keep(reel: Reel) -> Reel:
                if by_id(reel.rows, row) is None:
                    raise TempikError("The row that should follow the patch is gone.")
                reel, name = tracking.with_track(reel, footage.id, track)
                return accent_rows.with_follow(reel, row, name)

            self.project.change(f"Focus follows a patch of {footage.name}", keep)

        self.worker.start(f"Following a patch of {footage.name}", work, done, lambda t: self.project.said.emit(t, True))

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
        self.project.select_row(row)
        found = self.project.row
        menu = QMenu(parent)
        if found is None:
            return menu
        record = found.row
        for text, act, on in (
            ("muted", self.mute_row, record.muted),
            ("alone", self.solo_row, record.solo),
        ):
            action = menu.addAction(text)
            action.setCheckable(True)
            action.setChecked(on)
            action.triggered.connect(act)
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
            ("Paint by lot", self.randomise_row),
            ("Take the painting away", self.unpaint_row),
        ):
            menu.addAction(text).triggered.connect(act)
        menu.addSeparator()
        for text, act in (
            ("Move up", self.row_earlier),
            ("Move down", self.row_later),
            ("Copy row", self.copy_row),
            ("Copy all rows", self.copy_all_rows),
            ("Paste rows", self.paste_rows),
        ):
            menu.addAction(text).triggered.connect(act)
        self.fill_accent_menu(menu.addMenu("Add accent"))
        self.fill_bundle_menu(menu.addMenu("Bundles"))
        menu.addSeparator()
        menu.addAction("Remove row").triggered.connect(self.remove_row)
        return menu
