"""Commands on the song's points: keys, menus and the Rhythm page's buttons do these."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path

from PySide6.QtCore import QObject
from PySide6.QtWidgets import QInputDialog, QWidget

from tempik.desktop.commands.files import ask_open, file_to_write
from tempik.desktop.commands.registry import command
from tempik.desktop.playback.transport import Transport
from tempik.desktop.session.document import Project
from tempik.digits import parse_int, plural
from tempik.disk.writing import write_whole
from tempik.edit.song import points
from tempik.errors import TempikError
from tempik.reel import Point, Reel, metre_of
from tempik.reel.points import points_of
from tempik.time import time_of

POINTS_FILTER = "Points (*.csv *.txt *.mid *.midi);;All files (*)"
SAME_S = 0.03
SAVE_FILTER = "CSV (*.csv);;Labels, tab-separated (*.txt);;MIDI tempo map (*.mid)"


class PointCommands(QObject):
    """What is done to points. With none selected, single commands take the one nearest to the playhead."""

    def __init__(self, project: Project, transport: Transport, window: QWidget) -> None:
        super().__init__(project)
        self.project, self.transport, self.listening = project, transport, transport.listening
        self.window = window

    def _targets(self) -> list[Point]:
        """Return the selected points, else the one nearest to the playhead."""
        chosen = self.project.selection.points_of()
        if chosen:
            return chosen
        here = self.transport.song_s
        near = min(self.project.timeline.points, key=lambda p: abs(p.time_s - here), default=None)
        return [near] if near is not None else []

    def _do(self, what: str, edit: Callable[[Reel, list[str]], Reel]) -> bool:
        names = [p.id for p in self._targets()]
        if not names:
            self.project.messages.say(
                "There is no point to do that to; place one with P, or choose points again.", True
            )
            return False
        return self.project.change(what, lambda reel: edit(reel, names))

    def _nudge(self, by_s: float) -> None:
        count = len(self._targets())
        what = f"{by_s * 1000:+.1f} ms" if count == 1 else f"{count} points {by_s * 1000:+.1f} ms"
        self._do(f"Nudged {what}", lambda reel, names: points.nudged(reel, names, by_s))

    @command("Rhythm", "Points a millisecond earlier", (",",), "song")
    def nudge_back(self) -> None:
        self._nudge(-0.001)

    @command("Rhythm", "Points a millisecond later", (".",), "song")
    def nudge_on(self) -> None:
        self._nudge(0.001)

    @command("Rhythm", "Points a frame earlier", ("Ctrl+,",), "song")
    def nudge_frame_back(self) -> None:
        self._nudge(-1 / float(self.project.reel.rate))

    @command("Rhythm", "Points a frame later", ("Ctrl+.",), "song")
    def nudge_frame_on(self) -> None:
        self._nudge(1 / float(self.project.reel.rate))

    @command("Rhythm", "Snap points to the nearest attack", ("N",), "song")
    def snap_points(self) -> None:
        self._do("Snapped to the attack", points.snapped)

    @command("Rhythm", "Lock or unlock points", ("Shift+H",), "song")
    def lock_points(self) -> None:
        """Lock, or unlock where all are locked."""
        locked = all(p.locked for p in self._targets())
        text = "Points unlocked" if locked else "Points locked"
        self._do(text, lambda reel, names: points.with_locked(reel, names, not locked))

    @command("Rhythm", "Take points out of use", ("Shift+Delete",), "song")
    def remove_points(self) -> None:
        count = len(self._targets())
        if self._do(f"{count} point{'s' if count != 1 else ''} taken out", points.without_points):
            self.project.selection.select_points(())

    @command("Rhythm", "All points back as found, but for locked ones", (), "song")
    def points_back(self) -> None:
        self.project.change("Points as found again", points.with_all_back)

    @command("Rhythm", "Anchor the grid to this beat", ("H",), "song")
    def anchor_point(self) -> None:
        targets = self._targets()
        if targets:
            self.project.change(f"Anchored {targets[0].label}", lambda reel: points.with_anchor(reel, targets[0].id))

    @command("Rhythm", "Take all anchors away", (), "song")
    def free_anchors(self) -> None:
        self.project.change("Anchors taken away", points.without_anchors)

    @command("Rhythm", "A word for the point …", ("W",), "song")
    def name_point(self) -> None:
        """Ask for a word for one point."""
        targets = self._targets()
        if targets:
            first = targets[0]
            text, done = QInputDialog.getText(
                self.window, "A word for the point", f"Point {first.label}:", text=first.name
            )
            if done:
                self.project.change("Point named", lambda reel: points.with_name(reel, first.id, text))

    def set_strength(self, strength: float) -> None:
        """Set how strong the chosen points are, 0 to 1."""
        self._do(f"Strength {strength * 100:.0f} %", lambda reel, names: points.with_strength(reel, names, strength))

    @command("Rhythm", "Place a point at the playhead", ("P",), "song")
    def place_point(self) -> None:
        song_s = self.transport.song_s
        self.project.change("Point placed by hand", lambda reel: points.with_point(reel, song_s))

    def select_all_points(self) -> None:
        """Select every point of the marked stretch, or of the reel."""
        timeline = self.project.timeline
        a, b = self.listening.marked or (
            timeline.start_s,
            timeline.start_s + time_of(timeline.frames, timeline.rate),
        )
        self.project.selection.select_points(p.id for p in timeline.points if a - 1e-6 <= p.time_s <= b + 1e-6)

    @command("Rhythm", "Read points from a file …", (), "song")
    def read_points(self) -> None:
        path = ask_open(self.window, "Read points", POINTS_FILTER, "points", self.project.path)
        if path:
            self.read_points_from(Path(path))

    def read_points_from(self, path: Path) -> None:
        """Take the points of a CSV, label or MIDI file."""
        from tempik.rhythm.exchange import read_marks

        try:
            read = read_marks(path)
        except TempikError as error:
            self.project.messages.say(str(error), True)
            return
        what = f"{plural(len(read.marks), 'point')} read from {path.name}"
        if self.project.change(what, lambda reel: points.with_marks(reel, read.marks)) and read.notes:
            self.project.messages.say(f"{what}. {' '.join(read.notes)}", False)

    @command("Rhythm", "Write points to a file …", (), "song")
    def write_points(self) -> None:
        path = file_to_write(self.window, "Write points", "points.csv", SAVE_FILTER, "points", self.project.path)
        if path is not None:
            self.write_points_to(path)

    def write_points_to(self, path: Path) -> None:
        """Write the points in use, in the form that the file's name says. Raises TempikError where there are none."""
        from tempik.rhythm.exchange import write_marks

        song = self.project.reel.soundtrack
        try:
            if song is None or not points_of(song):
                raise TempikError("There are no points to write; open a song, or choose points.")
            metre = metre_of(song)
            write_whole(path.absolute(), write_marks(points.marks_of(song), path.suffix, metre))
            self.project.messages.say(f"Wrote {plural(len(points_of(song)), 'point')} to {path}", False)
        except TempikError as error:
            self.project.messages.say(str(error), True)


def place_named(beats: Sequence[Point], text: str) -> Point | None:
    """Return the beat that a text such as `17.3` or `17` names, or None."""
    bar, _, beat = text.strip().replace(",", ".").partition(".")
    wanted = (parse_int(bar), parse_int(beat) if beat else 1)
    return next((b for b in beats if (b.bar, b.beat) == wanted), None)
