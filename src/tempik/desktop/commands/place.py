"""Commands that place footage and pieces: fill, insert, lay over, swap, freeze, solids, copies, groups, tracks."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QObject
from PySide6.QtGui import QColor
from PySide6.QtWidgets import QColorDialog, QMenu, QWidget

from tempik.check.landing import nearest_point
from tempik.desktop.commands.cut import CutCommands
from tempik.desktop.commands.registry import command
from tempik.desktop.commands.tracks import TrackCommands
from tempik.desktop.session.document import Project
from tempik.desktop.session.inspecting import Looking
from tempik.desktop.widgets.count_panel import CountPanel
from tempik.desktop.widgets.plain import in_menu
from tempik.digits import plural
from tempik.edit.clips import pieces, place
from tempik.edit.clips.place import Mode, Order
from tempik.reel import Footage, Reel, by_id
from tempik.time import time_of
from tempik.timeline.timeline import timeline_of


class PlaceCommands(QObject):
    """What keys and menus do with footage and with clips as pieces. The shelf says what is chosen there."""

    def __init__(
        self,
        project: Project,
        looking: Looking,
        cuts: CutCommands,
        tracks: TrackCommands,
        count: CountPanel,
        window: QWidget,
    ) -> None:
        super().__init__(project)
        self.project, self.looking, self.cuts, self.tracks = project, looking, cuts, tracks
        self.count, self.window = count, window
        self._seed = 0

    def _footage(self) -> list[str]:
        return self.looking.chosen or ([self.project.selection.footage_id] if self.project.selection.footage_id else [])

    def _piece(self) -> Footage | None:
        piece = self.project.selection.footage
        if piece is None:
            self.project.messages.say("Select footage on the Footage page first (F3).", True)
        return piece

    # Filling and placing

    @command("Place", "Fill the slots between points, footage in order", ("Q",), "song")
    def fill_in_order(self) -> None:
        self._fill("given")

    @command("Place", "Fill the slots, footage shuffled (again: another draw)", ("Shift+Q",), "song")
    def fill_shuffled(self) -> None:
        self._seed += 1
        self._fill("shuffled")

    @command("Place", "Fill the slots, first cues on the strongest points", ("Ctrl+Shift+Q",), "song")
    def fill_strongest(self) -> None:
        self._fill("strongest")

    def _fill(self, order: Order) -> None:
        wanted, seed = self._footage(), self._seed
        if len(wanted) < 2:  # one piece selected by being looked at: all of the shelf is meant
            wanted = [f.id for f in self.project.reel.footage if not f.without_file]
        stretch, track = self.project.selection.marked_frames, self.tracks.target_track()
        what = {"given": "in order", "shuffled": f"shuffled ({seed})", "strongest": "best cues on strong points"}[order]
        self.project.change(
            f"Slots filled {what}",
            lambda reel: place.filled(reel, wanted, order, seed, track=track, stretch=stretch),
        )

    @command("Place", "Insert footage at the playhead, to the next point", ("I",), "song")
    def insert_footage(self) -> None:
        self._lay("insert")

    @command("Place", "Lay footage at the playhead, to the next point", ("O",), "song")
    def overwrite_footage(self) -> None:
        self._lay("over")

    @command("Place", "Lay all of the footage at the playhead", ("Shift+O",), "song")
    def overwrite_whole(self) -> None:
        self._lay("over", whole=True)

    def _lay(self, mode: Mode, whole: bool = False) -> None:
        """Lay the footage from what is looked at on: to the next point, or all that is left of it. The playhead goes
        to its end, where the next piece comes."""
        piece = self._piece()
        if piece is None:
            return
        frame, track = self.project.playhead.frame, self.tracks.target_track()
        source_s = 0.0 if whole or piece.endless else min(self.looking.time_s, piece.length_s - 0.05)
        frames = self.project.timeline.frames - frame if whole else 0
        made: list[str] = []

        def edit(reel: Reel) -> Reel:
            reel = place.with_clip_at(reel, piece.id, frame, track, mode, source_s, frames)
            made[:] = [reel.clips[-1].id]
            return reel

        if self.project.change(f"{piece.name} {'inserted' if mode == 'insert' else 'laid'}", edit, lays=True):
            self.project.selection.select_clip(made[0])
            placed = self.project.selection.placed
            if placed is not None and not whole:
                self.project.playhead.go(placed.end)

    @command("Place", "Place footage, its cue on the nearest point, and go on", ("V",), "song")
    def place_cue_here(self) -> None:
        """Lay the footage so that its cue lands on the point nearest to the playhead."""
        timeline = self.project.timeline
        point = nearest_point(timeline, time_of(self.project.playhead.frame, timeline.rate))
        piece = self._piece()
        if piece is None:
            return
        if point is None:
            self.project.messages.say("There is no point to place it on; choose points on the Rhythm page.", True)
            return
        if self.place_on(piece.id, point.id, self.tracks.target_track()):
            self._go_on()

    def _go_on(self) -> None:
        """After a cue was placed: the next piece of the shelf, and the point after the one that the clip ends on."""
        placed, timeline = self.project.selection.placed, self.project.timeline
        order = self.looking.order
        if placed is not None and placed.footage.id in order:
            self.project.selection.select_footage(order[(order.index(placed.footage.id) + 1) % len(order)])
        if placed is not None:
            # A cue wants footage before it: the next lands on the point after the one that this clip ends on.
            piece = self.project.selection.footage
            frames = [timeline.frame_of_point(p) for p in timeline.on_reel()]
            later = [f for f in frames if f > placed.end]
            self.project.playhead.go(min(later) if later and piece is not None and piece.cues else placed.end)

    def place_on(self, footage: str, point: str, track: int) -> bool:
        """Lay footage with a cue on a point: the cue that is looked at, else its first."""
        piece = by_id(self.project.reel.footage, footage)
        target = self.project.timeline.point(point)
        if piece is None or target is None:
            return False
        at = self.looking.time_s if self.project.selection.footage_id == footage else -1.0
        near = [c for c in piece.cues if abs(c.time_s - at) < 0.5 / float(piece.rate)] or list(piece.cues)
        cue = near[0].id if near else None
        what = f"{piece.name}: cue on {target.label}" if cue else f"{piece.name} from {target.label}"
        if self.project.change(
            what, lambda reel: place.with_clip_on_point(reel, footage, cue, point, track), lays=True
        ):
            self.project.selection.select_clip(self.project.reel.clips[-1].id)
            return True
        return False

    @command("Place", "Swap the clips' footage for the shelf's", ("Z",), "clips")
    def swap_footage(self) -> None:
        """Show the footage of the shelf in the selected clips."""
        piece, names = self._piece(), self.cuts.chosen()
        if piece is not None and names:
            self.project.change(
                f"Footage swapped for {piece.name}", lambda reel: place.with_swapped_footage(reel, names, piece.id)
            )

    def fill_swap_menu(self, menu: QMenu) -> None:
        """Add to a menu the footage that the chosen clips could show instead."""
        names = self.cuts.chosen()
        shown = {c.footage for c in self.project.reel.clips if c.id in names}
        for piece in (f for f in self.project.reel.footage if not f.as_frame):
            if shown != {piece.id}:
                menu.addAction(in_menu(Path(piece.name).stem)).triggered.connect(
                    lambda _=False, f=piece: self.project.change(
                        f"Footage swapped for {f.name}", lambda reel: place.with_swapped_footage(reel, names, f.id)
                    )
                )
        menu.setEnabled(not menu.isEmpty())

    # Stills and solids

    @command("Place", "Hold the frame at the playhead …", ("F",), "clips")
    def freeze(self) -> None:
        """Ask how long, and hold the picture at the playhead."""
        placed, frame = self.cuts.at_playhead(), self.project.playhead.frame
        if placed is None:
            self.project.messages.say("There is no clip at the playhead to hold a frame of.", True)
            return
        first = max(1, round(0.4 * float(self.project.reel.rate)))
        self.count.ask(
            "Hold this frame for", "frames", first,
            lambda n, move: self.project.change(
                f"Frame held for {plural(n, 'frame')}",
                lambda reel: place.with_freeze(reel, placed.clip.id, frame, n, insert=move),
            ),
            ("what follows moves on, off its points where need be", False),
        )  # fmt: skip

    @command("Place", "Hold the clip's last frame …", ("Shift+F",), "clips")
    def freeze_end(self) -> None:
        """Ask how long, and hold the last picture of the selected clips."""
        names = self.cuts.chosen()

        def edit(reel: Reel, frames: int, move: bool) -> Reel:
            for name in names:
                placed = timeline_of(reel).placed_clip(name)
                if placed is not None:
                    reel = place.with_freeze(reel, name, placed.end, frames, insert=move)
            return reel

        first = max(1, round(0.4 * float(self.project.reel.rate)))
        self.count.ask(
            "Hold the last frame for", "frames", first,
            lambda n, move: self.project.change(f"Last frame held for {plural(n, 'frame')}", lambda reel: edit(reel, n, move)),
            ("what follows moves on, off its points where need be", False),
        )  # fmt: skip

    @command("Place", "A blank at the playhead …", ("B",), "song")
    def add_blank(self) -> None:
        self._solid("#000000")

    @command("Place", "A solid colour at the playhead …", ("Ctrl+Shift+B",), "song")
    def add_solid(self) -> None:
        colour = QColorDialog.getColor(QColor("#ffffff"), self.window, "A solid colour")
        if colour.isValid():
            self._solid(colour.name())

    def _solid(self, colour: str) -> None:
        frame, track = self.project.playhead.frame, self.tracks.target_track()
        self.count.ask(
            "A blank of" if colour == "#000000" else f"A solid {colour} of", "frames",
            max(1, round(1.1 * float(self.project.reel.rate))),
            lambda n, move: self.project.change(
                f"{'Blank' if colour == '#000000' else 'Solid'} of {plural(n, 'frame')}",
                lambda reel: place.with_solid(reel, frame, n, colour, track, insert=move),
                lays=True,
            ),
            ("what follows moves on, off its points where need be", False),
        )  # fmt: skip

    # Groups and tracks

    @command("Place", "Fill the frame with all clips", (), "clips")
    def fill_all_clips(self) -> None:
        self.project.change("All clips fill the frame", pieces.all_filling)
