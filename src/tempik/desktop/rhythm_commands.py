"""Commands on the song's points and its reading: keys, menus and the Rhythm page's buttons do these."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from fractions import Fraction
from pathlib import Path

from PySide6.QtCore import QObject, Signal
from PySide6.QtWidgets import QFileDialog, QInputDialog, QWidget

from tempik.desktop.listening import Listening
from tempik.desktop.project import Project
from tempik.edit import points
from tempik.errors import TempikError
from tempik.reel import Choice, Point, Reel, beats_between, metre_of
from tempik.reel.file import write_whole
from tempik.reel.model import Way
from tempik.time import time_of

POINTS_FILTER = "Points (*.csv *.txt *.mid *.midi);;All files (*)"
SAME_S = 0.03
SAVE_FILTER = "CSV (*.csv);;Labels, tab-separated (*.txt);;MIDI tempo map (*.mid)"


class RhythmCommands(QObject):
    """What is done to points. With none selected, single commands take the one nearest to the playhead."""

    tapped = Signal()  # the taps are others

    def __init__(self, project: Project, listening: Listening, window: QWidget) -> None:
        super().__init__(project)
        self.project, self.listening, self.window = project, listening, window
        self.taps: list[float] = []
        self.song_s: Callable[[], float] = lambda: 0.0  # where the song sounds or the cursor stands
        self.is_playing: Callable[[], bool] = lambda: False

    def _targets(self) -> list[Point]:
        """Return the selected points, else the one nearest to the playhead."""
        chosen = self.project.chosen_points()
        if chosen:
            return chosen
        here = self.song_s()
        near = min(self.project.timeline.points, key=lambda p: abs(p.time_s - here), default=None)
        return [near] if near is not None else []

    def _do(self, what: str, edit: Callable[[Reel, list[str]], Reel]) -> bool:
        names = [p.id for p in self._targets()]
        if not names:
            self.project.said.emit("There is no point to do that to; place one with P, or choose points again.", True)
            return False
        return self.project.change(what, lambda reel: edit(reel, names))

    # Single points

    def _nudge(self, by_s: float) -> None:
        count = len(self._targets())
        what = f"{by_s * 1000:+.1f} ms" if count == 1 else f"{count} points {by_s * 1000:+.1f} ms"
        self._do(f"Nudged {what}", lambda reel, names: points.nudged(reel, names, by_s))

    def nudge_back(self) -> None:
        self._nudge(-0.001)

    def nudge_on(self) -> None:
        self._nudge(0.001)

    def nudge_frame_back(self) -> None:
        self._nudge(-1 / float(self.project.reel.rate))

    def nudge_frame_on(self) -> None:
        self._nudge(1 / float(self.project.reel.rate))

    def snap_points(self) -> None:
        self._do("Snapped to the attack", points.snapped)

    def lock_points(self) -> None:
        """Lock, or unlock where all are locked."""
        locked = all(p.locked for p in self._targets())
        text = "Points unlocked" if locked else "Points locked"
        self._do(text, lambda reel, names: points.with_locked(reel, names, not locked))

    def remove_points(self) -> None:
        count = len(self._targets())
        if self._do(f"{count} point{'s' if count != 1 else ''} taken out", points.without_points):
            self.project.select_points(())

    def points_back(self) -> None:
        self.project.change("Points as found again", points.with_all_back)

    def anchor_point(self) -> None:
        targets = self._targets()
        if targets:
            self.project.change(f"Anchored {targets[0].label}", lambda reel: points.with_anchor(reel, targets[0].id))

    def free_anchors(self) -> None:
        self.project.change("Anchors taken away", points.without_anchors)

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
        self._do(f"Strength {strength * 100:.0f} %", lambda reel, names: points.with_strength(reel, names, strength))

    def place_point(self) -> None:
        song_s = self.song_s()
        self.project.change("Point placed by hand", lambda reel: points.with_point(reel, song_s))

    # Reading

    def half_tempo(self) -> None:
        self.project.change("Half the tempo", lambda reel: points.with_pace(reel, Fraction(1, 2)))

    def double_tempo(self) -> None:
        self.project.change("Double the tempo", lambda reel: points.with_pace(reel, Fraction(2)))

    def half_a_beat_later(self) -> None:
        self.project.change("Beats shifted by half a beat", points.with_half_a_beat)

    def bar_here(self) -> None:
        """Begin bars on the selected beat, or the one nearest to the playhead."""
        chosen = [p for p in self.project.chosen_points() if p.beat and not p.part]
        song = self.project.reel.soundtrack
        if not chosen and song is not None:
            here = self.song_s()
            near = beats_between(song, here - 4, here + 4)
            chosen = sorted(near, key=lambda p: abs(p.time_s - here))[:1]
        if not chosen:
            self.project.said.emit("There is no beat near the playhead for a bar to begin on.", True)
            return
        self.project.change("Bars begin here", lambda reel: points.with_one(reel, chosen[0].id))

    def set_metre(self, metre: int) -> None:
        self.project.change("Bar counted anew", lambda reel: points.with_metre(reel, metre))

    def set_way(self, way: Way) -> None:
        self.project.change("Beats read another way", lambda reel: points.with_way(reel, way))

    # Choice

    def choose(self, choice: Choice, inside: bool) -> None:
        """Choose points over the whole song, or within the marked stretch."""
        marked = self.listening.marked if inside else None
        a, b = marked if marked is not None else (0.0, None)
        self.project.change("Points chosen", lambda reel: points.with_choice_in(reel, choice, a, b))

    def select_all_points(self) -> None:
        """Select every point of the marked stretch, or of the reel."""
        timeline = self.project.timeline
        a, b = self.listening.marked or (
            timeline.start_s,
            timeline.start_s + time_of(timeline.frames, timeline.rate),
        )
        self.project.select_points(p.id for p in timeline.points if a - 1e-6 <= p.time_s <= b + 1e-6)

    # Tapping

    def tap(self) -> None:
        """Take a tap at what is sounding now."""
        if not self.is_playing():
            self.project.said.emit("Play the song (Space) and tap T along with it.", True)
            return
        self.taps.append(self.song_s())
        self.tapped.emit()

    def forget_taps(self) -> None:
        self.taps = []
        self.tapped.emit()

    def take_taps(self, snapped: bool) -> None:
        """Place the taps as points, less one's own lateness, on the attacks or as tapped."""
        from tempik.rhythm.taps import read_taps

        song = self.project.reel.soundtrack
        if song is None or not self.taps:
            return
        read = read_taps(self.taps, song.heard.onsets if song.heard else ())
        wanted = [t for t in (read.snapped if snapped else read.corrected) if t <= song.length_s]
        # A point that is in use already is not wanted twice.
        there = [p.time_s for p in song.points]
        marks = [(t, "") for t in wanted if abs((points.nearest(there, t) or -1.0) - t) > SAME_S]
        what = f"{len(marks)} points tapped"
        if len(marks) < len(wanted):
            what += f"; {len(wanted) - len(marks)} were there already"
        if not marks:
            self.project.said.emit("Every tap meets a point that is in use already.", False)
            self.forget_taps()
        elif self.project.change(what, lambda reel: points.with_points(reel, marks)):
            self.forget_taps()

    def take_tempo(self) -> None:
        """Read the whole song by the tapped tempo."""
        from tempik.rhythm.taps import beats_from_taps

        song = self.project.reel.soundtrack
        if song is None:
            return
        onsets = song.heard.onsets if song.heard else ()
        metre = metre_of(song)

        def read(reel: Reel) -> Reel:
            return points.with_own_beats(reel, beats_from_taps(self.taps, onsets, song.length_s, metre))

        if self.project.change("Tempo tapped", read):
            self.forget_taps()

    # Files

    def read_points(self) -> None:
        path, _ = QFileDialog.getOpenFileName(self.window, "Read points", "", POINTS_FILTER)
        if path:
            self.read_points_from(Path(path))

    def read_points_from(self, path: Path) -> None:
        """Take the points of a CSV, label or MIDI file."""
        from tempik.rhythm.exchange import read_marks

        try:
            read = read_marks(path)
        except TempikError as error:
            self.project.said.emit(str(error), True)
            return
        what = f"{len(read.marks)} points read from {path.name}"
        if self.project.change(what, lambda reel: points.with_marks(reel, read.marks)) and read.notes:
            self.project.said.emit(f"{what}. {' '.join(read.notes)}", False)

    def write_points(self) -> None:
        path, kind = QFileDialog.getSaveFileName(self.window, "Write points", "points.csv", SAVE_FILTER)
        if path:
            ending = kind[kind.find("*.") + 1 : kind.find(")")]
            self.write_points_to(Path(path) if Path(path).suffix else Path(path + ending))

    def write_points_to(self, path: Path) -> None:
        """Write the points in use, in the form that the file's name says."""
        from tempik.rhythm.exchange import write_marks

        song = self.project.reel.soundtrack
        try:
            if song is None or not song.points:
                raise TempikError("There are no points to write; open a song, or choose points.")
            metre = metre_of(song)
            write_whole(path.absolute(), write_marks(points.marks_of(song), path.suffix, metre))
            self.project.said.emit(f"Wrote {len(song.points)} points to {path}", False)
        except TempikError as error:
            self.project.said.emit(str(error), True)

    # Listening

    def toggle_clicks(self) -> None:
        self.listening.set_clicks(not self.listening.clicks)

    def toggle_loop(self) -> None:
        if self.listening.marked is None:
            self.project.said.emit("Mark a stretch first: drag along the bar numbers on the Rhythm page.", True)
            return
        self.listening.set_looping(not self.listening.looping)

    def next_pace(self) -> None:
        from tempik.render.hearing import PACES

        at = PACES.index(self.listening.pace) if self.listening.pace in PACES else 0
        self.listening.set_pace(PACES[(at + 1) % len(PACES)])


def place_named(beats: Sequence[Point], text: str) -> Point | None:
    """Return the beat that a text such as `17.3` or `17` names, or None."""
    bar, _, beat = text.strip().replace(",", ".").partition(".")
    if not bar.lstrip("-").isdigit() or (beat and not beat.isdigit()):
        return None
    wanted = (int(bar), int(beat) if beat else 1)
    return next((b for b in beats if (b.bar, b.beat) == wanted), None)
