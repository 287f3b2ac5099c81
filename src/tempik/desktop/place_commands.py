"""Commands that place footage and pieces: fill, insert, lay over, swap, freeze, solids, copies, groups, picture rows."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import QObject
from PySide6.QtGui import QColor
from PySide6.QtWidgets import QColorDialog, QMenu, QWidget

from tempik.check.landing import nearest_point
from tempik.desktop.count_panel import CountPanel
from tempik.desktop.cut_commands import CutCommands
from tempik.desktop.project import Project
from tempik.edit import pieces, place
from tempik.edit.pieces import ATTRIBUTES, Attribute, Copied
from tempik.edit.place import Mode, Order
from tempik.errors import TempikError
from tempik.reel import Clip, Footage, Reel, by_id
from tempik.time import time_of


class PlaceCommands(QObject):
    """What keys and menus do with footage and with clips as pieces. `footage` says what the shelf has selected, with
    the instant and cue that is looked at there."""

    def __init__(self, project: Project, cuts: CutCommands, count: CountPanel, window: QWidget) -> None:
        super().__init__(project)
        self.project, self.cuts, self.count, self.window = project, cuts, count, window
        self.chosen_footage: Callable[[], list[str]] = lambda: []
        self.shelf_order: Callable[[], list[str]] = lambda: []
        self.looked_at: Callable[[], float] = lambda: 0.0
        self.row = 0  # the picture row that footage is placed on
        self._seed = 0
        self._copied: Copied | None = None
        self._model: Clip | None = None

    def _footage(self) -> list[str]:
        return self.chosen_footage() or ([self.project.footage_id] if self.project.footage_id else [])

    def _piece(self) -> Footage | None:
        piece = self.project.footage
        if piece is None:
            self.project.said.emit("Select footage on the Footage page first (F3).", True)
        return piece

    def target_row(self) -> int:
        """The row to place on: the chosen one where the reel still has it."""
        return min(self.row, len(self.project.reel.picture) - 1)

    # Filling and placing

    def fill_in_order(self) -> None:
        self._fill("given")

    def fill_shuffled(self) -> None:
        self._seed += 1
        self._fill("shuffled")

    def fill_strongest(self) -> None:
        self._fill("strongest")

    def _fill(self, order: Order) -> None:
        wanted, seed = self._footage(), self._seed
        if len(wanted) < 2:  # one piece selected by being looked at: all of the shelf is meant
            wanted = [f.id for f in self.project.reel.footage if f.kind != "solid"]
        stretch, row = self.cuts._stretch(), self.target_row()
        what = {"given": "in order", "shuffled": f"shuffled ({seed})", "strongest": "best cues on strong points"}[order]
        self.project.change(
            f"Slots filled {what}",
            lambda reel: place.filled(reel, wanted, order, seed, row=row, stretch=stretch),
        )

    def insert_footage(self) -> None:
        self._lay("insert")

    def overwrite_footage(self) -> None:
        self._lay("over")

    def overwrite_whole(self) -> None:
        self._lay("over", whole=True)

    def _lay(self, mode: Mode, whole: bool = False) -> None:
        """Lay the footage from what is looked at on: to the next point, or all that is left of it. The playhead goes
        to its end, where the next piece comes."""
        piece = self._piece()
        if piece is None:
            return
        frame, row = self.project.frame, self.target_row()
        source_s = 0.0 if whole or piece.endless else min(self.looked_at(), piece.length_s - 0.05)
        frames = self.project.timeline.frames - frame if whole else 0
        made: list[str] = []

        def edit(reel: Reel) -> Reel:
            reel = place.with_clip_at(reel, piece.id, frame, row, mode, source_s, frames)
            made[:] = [reel.clips[-1].id]
            return reel

        if self.project.change(f"{piece.name} {'inserted' if mode == 'insert' else 'laid'}", edit):
            self.project.select_clip(made[0])
            placed = self.project.placed
            if placed is not None and not whole:
                self.project.go(placed.end)

    def place_cue_here(self) -> None:
        """Lay the footage so that its cue lands on the point nearest to the playhead."""
        timeline = self.project.timeline
        point = nearest_point(timeline, time_of(self.project.frame, timeline.rate))
        piece = self._piece()
        if piece is None:
            return
        if point is None:
            self.project.said.emit("There is no point to place it on; choose points on the Rhythm page.", True)
            return
        if self.place_on(piece.id, point.id, self.target_row()):
            self._go_on()

    def _go_on(self) -> None:
        """After a cue was placed: the next piece of the shelf, and the point after the one that the clip ends on."""
        placed, timeline = self.project.placed, self.project.timeline
        order = self.shelf_order()
        if placed is not None and placed.footage.id in order:
            self.project.select_footage(order[(order.index(placed.footage.id) + 1) % len(order)])
        if placed is not None:
            # A cue wants footage before it: the next lands on the point after the one that this clip ends on.
            piece = self.project.footage
            frames = [timeline.frame_of_point(p) for p in timeline.on_reel()]
            later = [f for f in frames if f > placed.end]
            self.project.go(min(later) if later and piece is not None and piece.cues else placed.end)

    def place_on(self, footage: str, point: str, row: int) -> bool:
        """Lay footage with a cue on a point: the cue that is looked at, else its first."""
        piece = by_id(self.project.reel.footage, footage)
        target = self.project.timeline.point(point)
        if piece is None or target is None:
            return False
        at = self.looked_at() if self.project.footage_id == footage else -1.0
        near = [c for c in piece.cues if abs(c.time_s - at) < 0.5 / float(piece.rate)] or list(piece.cues)
        cue = near[0].id if near else None
        what = f"{piece.name}: cue on {target.label}" if cue else f"{piece.name} from {target.label}"
        if self.project.change(what, lambda reel: place.with_clip_on_point(reel, footage, cue, point, row)):
            self.project.select_clip(self.project.reel.clips[-1].id)
            return True
        return False

    def swap_footage(self) -> None:
        """Show the footage of the shelf in the selected clips."""
        piece, names = self._piece(), self.cuts.chosen()
        if piece is not None and names:
            self.project.change(
                f"Footage swapped for {piece.name}", lambda reel: place.with_swapped_footage(reel, names, piece.id)
            )

    def fill_swap_menu(self, menu: QMenu) -> None:
        names = self.cuts.chosen()
        shown = {c.footage for c in self.project.reel.clips if c.id in names}
        for piece in self.project.reel.footage:
            if shown != {piece.id}:
                menu.addAction(Path(piece.name).stem).triggered.connect(
                    lambda _=False, f=piece: self.project.change(
                        f"Footage swapped for {f.name}", lambda reel: place.with_swapped_footage(reel, names, f.id)
                    )
                )
        menu.setEnabled(not menu.isEmpty())

    # Stills and solids

    def freeze(self) -> None:
        """Ask how long, and hold the picture at the playhead."""
        placed, frame = self.cuts.at_playhead(), self.project.frame
        if placed is None:
            self.project.said.emit("There is no clip at the playhead to hold a frame of.", True)
            return
        first = max(1, round(0.4 * float(self.project.reel.rate)))
        self.count.ask(
            "Hold this frame for", "frames", first,
            lambda n, move: self.project.change(
                f"Frame held for {n} frames",
                lambda reel: place.with_freeze(reel, placed.clip.id, frame, n, insert=move),
            ),
            ("what follows moves on, off its points where need be", False),
        )  # fmt: skip

    def freeze_end(self) -> None:
        """Ask how long, and hold the last picture of the selected clips."""
        names = self.cuts.chosen()

        def edit(reel: Reel, frames: int, move: bool) -> Reel:
            from tempik.edit.timeline import Timeline

            for name in names:
                placed = Timeline(reel).placed_clip(name)
                if placed is not None:
                    reel = place.with_freeze(reel, name, placed.end, frames, insert=move)
            return reel

        first = max(1, round(0.4 * float(self.project.reel.rate)))
        self.count.ask(
            "Hold the last frame for", "frames", first,
            lambda n, move: self.project.change(f"Last frame held for {n} frames", lambda reel: edit(reel, n, move)),
            ("what follows moves on, off its points where need be", False),
        )  # fmt: skip

    def add_blank(self) -> None:
        self._solid("#000000")

    def add_solid(self) -> None:
        colour = QColorDialog.getColor(QColor("#ffffff"), self.window, "A solid colour")
        if colour.isValid():
            self._solid(colour.name())

    def _solid(self, colour: str) -> None:
        frame, row = self.project.frame, self.target_row()
        self.count.ask(
            "A blank of" if colour == "#000000" else f"A solid {colour} of", "frames",
            max(1, round(1.1 * float(self.project.reel.rate))),
            lambda n, move: self.project.change(
                f"{'Blank' if colour == '#000000' else 'Solid'} of {n} frames",
                lambda reel: place.with_solid(reel, frame, n, colour, row, insert=move),
            ),
            ("what follows moves on, off its points where need be", False),
        )  # fmt: skip

    # Copies

    def copy_clips(self) -> None:
        names = self.cuts.chosen()
        try:
            self._copied = pieces.copied(self.project.reel, names)
        except TempikError as error:
            self.project.said.emit(str(error), True)
            return
        self._model = by_id(self.project.reel.clips, names[0])
        self.project.said.emit(f"{len(names)} clip{'s' if len(names) != 1 else ''} copied", False)

    def cut_clips(self) -> None:
        from tempik.edit import trim

        names = self.cuts.chosen()
        self.copy_clips()
        if names and self._copied is not None:
            self.project.change("Clips cut", lambda reel: trim.without_clips(reel, names))

    def paste_clips(self) -> None:
        self._paste(False)

    def paste_insert(self) -> None:
        self._paste(True)

    def _paste(self, insert: bool) -> None:
        if self._copied is None:
            self.project.said.emit("Nothing has been copied yet; select clips and press Ctrl+C.", True)
            return
        what, frame = self._copied, self.project.frame
        new: list[str] = []

        def edit(reel: Reel) -> Reel:
            made, names = pieces.pasted(reel, what, frame, insert)
            new[:] = names
            return made

        if self.project.change("Clips pasted" if not insert else "Clips inserted", edit):
            self.project.select_clips(new)

    def duplicate(self) -> None:
        names = self.cuts.chosen()
        new: list[str] = []

        def edit(reel: Reel) -> Reel:
            made, copies = pieces.duplicated_at_next_point(reel, names)
            new[:] = copies
            return made

        if self.project.change("Clip duplicated on the next point", edit):
            self.project.select_clips(new)
            placed = self.project.placed
            if placed is not None:
                self.project.go(placed.first)

    def repeat(self) -> None:
        names = self.cuts.chosen()
        if names:
            self.count.ask(
                "Play it so many times more", "times", 1,
                lambda n, _: self.project.change(
                    f"Clip repeated {n} times", lambda reel: pieces.repeated(reel, names[0], n)
                ),
                most=500,
            )  # fmt: skip

    def paste_attributes(self) -> None:
        self._attributes(ATTRIBUTES)

    def paste_speed(self) -> None:
        self._attributes(("speed",))

    def paste_framing(self) -> None:
        self._attributes(("framing",))

    def _attributes(self, what: tuple[Attribute, ...]) -> None:
        model, names = self._model, self.cuts.chosen()
        if model is None:
            self.project.said.emit("Nothing has been copied yet; select a clip and press Ctrl+C.", True)
        elif names:
            self.project.change(
                f"{' and '.join(what).capitalize()} pasted to {len(names)} clip{'s' if len(names) != 1 else ''}",
                lambda reel: pieces.with_attributes(reel, model, names, what),
            )

    # Groups and rows

    def group(self) -> None:
        names = self.project.chosen_clips
        if self.project.change(f"{len(names)} clips grouped", lambda reel: pieces.grouped(reel, names)):
            self.project.select_clip(names[0])

    def ungroup(self) -> None:
        names = self.project.chosen_clips
        self.project.change("Group taken apart", lambda reel: pieces.ungrouped(reel, names))

    def row_up(self) -> None:
        self._row(1)

    def row_down(self) -> None:
        self._row(-1)

    def _row(self, step: int) -> None:
        names = self.cuts.chosen()
        if names:
            self.project.change(
                f"Clip moved to the row {'above' if step > 0 else 'below'}",
                lambda reel: place.on_other_row(reel, names, step),
            )

    def add_picture_row(self) -> None:
        if self.project.change("Picture row added", place.with_row):
            self.row = len(self.project.reel.picture) - 1

    def picture_row_menu(self, row: int, parent: QWidget) -> QMenu:
        """Return the menu of a picture row: placing on it, locking, hiding, adding and removing."""
        menu = QMenu(parent)
        record = self.project.reel.picture[row]
        here = menu.addAction("footage is placed here")
        here.setCheckable(True)
        here.setChecked(self.target_row() == row)
        here.triggered.connect(lambda: self._place_on_row(row))
        for text, field, on in (("locked", "locked", record.locked), ("hidden", "hidden", record.hidden)):
            action = menu.addAction(text)
            action.setCheckable(True)
            action.setChecked(on)
            action.triggered.connect(
                lambda _=False, f=field, v=on, t=text: self.project.change(
                    f"Picture row {row + 1} {t if not v else 'un' + t if t == 'locked' else 'shown'}",
                    lambda reel: place.with_picture_row(reel, row, **{f: not v}),
                )
            )
        menu.addSeparator()
        menu.addAction("Add a picture row").triggered.connect(self.add_picture_row)
        menu.addAction("Remove this row").triggered.connect(
            lambda: self.project.change("Picture row removed", lambda reel: place.without_row(reel, row))
        )
        return menu

    def _place_on_row(self, row: int) -> None:
        self.row = row
        self.project.selected.emit()

    def fill_all_clips(self) -> None:
        self.project.change("All clips fill the frame", pieces.all_filling)
