"""Bringing files in and out: songs analysed, footage probed, projects opened and saved, the demo written."""

from __future__ import annotations

import os
import signal
import subprocess
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, NamedTuple

from PySide6.QtCore import QObject, Qt, Signal

from tempik.assemble import serving, soundtrack_from
from tempik.demo import PROJECT, demo_can_open, demo_is_whole
from tempik.desktop.session.document import Project
from tempik.desktop.session.jobs import Job, Worker
from tempik.desktop.session.media_watch import MediaWatch
from tempik.disk.folders import Inside, files_in
from tempik.disk.reading import is_text, printable
from tempik.edit import reel as change
from tempik.edit.footage.facts import with_footage
from tempik.edit.frame_shapes import with_own_frame
from tempik.edit.song.carry_over import with_song
from tempik.edit.song.readings import heard_anew
from tempik.errors import TempikError
from tempik.media import Probe
from tempik.media.cache import cache_folder
from tempik.programs import begun, ours
from tempik.project.file import SUFFIX, load_reel
from tempik.project.media_files import Collected, collect, found_in, missing_media, relink
from tempik.reel import Reel
from tempik.reel.points import points_of
from tempik.rhythm.records import belief_word, sure_words
from tempik.rhythm.tempi import tempi, tempo_words
from tempik.time import parse_rate, rate_text
from tempik.timeline.timeline import timeline_of

if TYPE_CHECKING:
    from tempik.rhythm import Analysis

SONG_SUFFIXES = {".wav", ".mp3", ".flac", ".ogg", ".oga", ".opus", ".m4a", ".aac", ".aif", ".aiff", ".wma"}
SONG_FILTER = "Songs (" + " ".join(f"*{s}" for s in sorted(SONG_SUFFIXES)) + ");;All files (*)"
FOOTAGE_SUFFIXES = (
    *(".mp4", ".mov", ".m4v", ".mkv", ".webm", ".avi", ".mts", ".m2ts", ".ts", ".mxf", ".mpg", ".mpeg", ".gif"),
    *(".png", ".jpg", ".jpeg", ".webp", ".tif", ".tiff", ".bmp", ".apng", ".svg", ".svgz"),
)
MEDIA_SUFFIXES = {*SONG_SUFFIXES, *FOOTAGE_SUFFIXES, SUFFIX}
FOOTAGE_FILTER = "Videos and stills (" + " ".join(f"*{s}" for s in FOOTAGE_SUFFIXES) + ");;All files (*)"
AT_ONCE_BYTES = (
    4e6  # a project of more than this is read in the background: it would stop the window for a second or longer
)
DRAWING_NICE = 5  # how far what draws the demo gives way to the window that shows it
PROJECT_FILTER = f"Tempik projects (*{SUFFIX} *.zip)"


class _Demo(NamedTuple):
    """A demo that is being made: its project, and the reel that was open when it was asked for."""

    path: Path
    before: Reel


class Importer(QObject):
    """Whatever takes time runs as a job; results arrive as undoable changes of the project."""

    opened = Signal()  # another project is open
    unsure = Signal()  # a song was heard, and which of its readings is right is not sure
    _demo_begun = Signal()

    def __init__(self, project: Project, worker: Worker, watch: MediaWatch) -> None:
        super().__init__(project)
        self.project, self.worker, self.watch = project, worker, watch
        self._demo: _Demo | None = None  # what is to be opened
        self._drawn_in: Path | None = None  # where a demo is being made
        self._demo_begun.connect(self._open_begun, Qt.ConnectionType.QueuedConnection)

    def bring(self, paths: list[str], then: Callable[[], None] | None = None) -> None:
        """Take dropped files for what they are: a project, a song, footage; folders are looked into, in the background. `then` is
        called once footage has been added."""
        nameless = [p for p in paths if not is_text(p)]
        if nameless:
            self.project.messages.say(
                f"{printable(nameless[0])} has a name that is no text (UTF-8); rename it to use it.", True
            )
        paths = [p for p in paths if p not in nameless]
        folders = [p for p in paths if Path(p).is_dir()]
        if not paths:
            return
        if not folders:
            self._take(paths, then)
            return

        def work(job: Job) -> list[Inside]:
            return [files_in(folder, MEDIA_SUFFIXES, job.stop_event.is_set) for folder in folders]

        def take(found: list[Inside]) -> None:
            # Of a folder only what looks like media is meant; a file that was picked by itself is tried whatever it is.
            self._take([*(p for p in paths if p not in folders), *(f for each in found for f in each.files)], then)
            self._say_left_out(found)

        self._looked_through(work, take)

    def _looked_through(self, work: Callable[[Job], list[Inside]], take: Callable[[list[Inside]], None]) -> None:
        self.worker.start("Looking through the folder", work, take, lambda text: self.project.messages.say(text, True))

    def _say_left_out(self, found: list[Inside]) -> None:
        message = [text for each in found for text in each.message]
        if message:
            self.project.messages.say(message[0], True)

    def _take(self, files: list[str], then: Callable[[], None] | None) -> None:
        projects = [f for f in files if f.endswith(SUFFIX)]
        if projects:
            self.open_project(Path(projects[0]))
            return
        songs = [f for f in files if Path(f).suffix.lower() in SONG_SUFFIXES]
        if songs:
            self.open_song(songs[0])
        rest = [f for f in files if f not in songs]
        if rest:
            self.add_footage(rest, then)
        if not files:
            self.project.messages.say("That folder holds no song and no footage.", True)

    def bring_for_reel(self, folder: str, ready: Callable[[], None]) -> None:
        """Take the song and the footage of a folder; `ready` is called once both are there."""

        def work(job: Job) -> list[Inside]:
            return [files_in(folder, MEDIA_SUFFIXES, job.stop_event.is_set)]

        def take(found: list[Inside]) -> None:
            self._take_for_reel(list(found[0].files), ready)
            self._say_left_out(found)

        self._looked_through(work, take)

    def _take_for_reel(self, files: list[str], ready: Callable[[], None]) -> None:
        songs = [f for f in files if Path(f).suffix.lower() in SONG_SUFFIXES]
        pieces = [f for f in files if Path(f).suffix.lower() in FOOTAGE_SUFFIXES]
        if any(f.endswith(SUFFIX) for f in files) or not songs or not pieces:
            self._take(files, None)
            return
        waits = {"song", "footage"}

        def there(what: str) -> None:
            waits.discard(what)
            if not waits:
                ready()

        if len(songs) > 1:
            self.project.messages.say(f"{len(songs)} songs lie there; {Path(songs[0]).name} is taken.")
        self.open_song(songs[0], lambda: there("song"))
        self.add_footage(pieces, lambda: there("footage"))

    def open_song(self, path: str, done: Callable[[], None] | None = None) -> None:
        """Find a song's beats in the background and make it the reel's song."""

        def work(job: Job) -> Analysis:
            from tempik.rhythm import analyse  # loads its libraries here, on the job's thread

            return analyse(path, job.report)

        def take(found: Analysis) -> None:
            song = soundtrack_from(path, found)
            before = self.project.reel
            if self.project.change("Song opened", lambda reel: with_song(reel, song)):
                name = Path(path).name
                if found.beats:
                    self.project.messages.say(_heard(name, found) + _swapped(before, self.project.reel), False)
                    if belief_word(found.confidence) == "unsure":
                        self.unsure.emit()
                else:
                    strong = len(points_of(song))
                    instead = f"its {strong} strong attacks are the points" if strong else "it has no strong attacks"
                    self.project.messages.say(
                        f"{name} has no steady beat; {instead}. Tap T along with it, or place points with P.",
                        True,
                    )
            if done is not None:
                done()

        self.worker.start("Finding the beats", work, take, lambda text: self.project.messages.say(text, True))

    def hear_anew(self) -> None:
        """Find the beats of the reel's song again; hand edits and ties go with the nearest new beats."""
        song = self.project.reel.soundtrack
        if song is None:
            return
        path = song.path

        def work(job: Job) -> Analysis:
            from tempik.rhythm import analyse

            return analyse(path, job.report)

        def take(found: Analysis) -> None:
            now = self.project.reel.soundtrack
            if now is None or now.path != path:
                return
            if self.project.change("Beats found anew", lambda reel: heard_anew(reel, found)):
                name = Path(path).name
                self.project.messages.say(_heard(name, found), not found.beats)
                if found.beats and belief_word(found.confidence) == "unsure":
                    self.unsure.emit()
            else:
                self.project.messages.say("The beats were heard as they are.", False)

        self.worker.start("Finding the beats", work, take, lambda text: self.project.messages.say(text, True))

    def add_footage(self, paths: list[str], then: Callable[[], None] | None = None) -> None:
        """Probe files in the background and add each to the footage; a file that does not serve says why."""

        def work(job: Job) -> tuple[list[Probe], list[str]]:
            return serving(paths, job.report)

        def take(result: tuple[list[Probe], list[str]]) -> None:
            good, bad = result
            if good:
                count = f"{len(good)} piece{'s' if len(good) != 1 else ''} of footage added"

                def add(reel: Reel) -> Reel:
                    for facts in good:
                        reel = with_footage(reel, facts)
                    return reel

                if not self.project.change(count, add):
                    self.project.messages.say("That footage is on the reel already.", False)
                last = self.project.reel.footage[-1].id if self.project.reel.footage else None
                self.project.selection.select_footage(last)
                if then is not None:
                    then()
            if bad:
                more = f" ({len(bad) - 1} more could not be added)" if len(bad) > 1 else ""
                self.project.messages.say(bad[0] + more, True)

        self.worker.start("Reading footage", work, take, lambda text: self.project.messages.say(text, True))

    def open_project(self, path: Path) -> bool:
        """Open a project; missing media is asked for and the rest kept. A large one is read in the background, and opened
        unless work was begun meanwhile. Returns whether it was opened, or is being read."""
        if _size(path) > AT_ONCE_BYTES:
            self._open_large(path)
            return True
        return self._open(path)

    def _open(self, path: Path, reel: Reel | None = None) -> bool:
        try:
            self.project.open(path, reel)
        except TempikError as error:
            self.project.messages.say(str(error), True)
            return False
        self.opened.emit()
        return True

    def _open_large(self, path: Path) -> None:
        before = self.project.history.reel

        def work(job: Job) -> Reel:
            reel = load_reel(path.absolute())
            timeline_of(reel)  # remembered: the window finds it worked out
            return reel

        def take(reel: Reel) -> None:
            if self.project.history.reel is not before or self.project.gesture is not None:
                self.project.messages.say(
                    f"{path.name} was not opened: work went on here meanwhile. Open it again.", True
                )
            else:
                self._open(path, reel)

        self.worker.start(f"Opening {path.name}", work, take, lambda text: self.project.messages.say(text, True))

    def found(self, old: str, new: str) -> None:
        """Read a missing file from where it was found; others missing beside it are found with it, and those below that
        folder are looked for in the background: by name and size, then by contents."""
        reel = relink(self.project.reel, old, new)
        for other in missing_media(reel):
            beside = Path(new).with_name(Path(other).name)
            if beside.is_file():
                reel = relink(reel, other, str(beside))
        self._relinked(reel)
        if missing_media(reel):
            self.worker.start(
                "Looking for missing files",
                lambda job: found_in(reel, Path(new).parent, job.stop_event.is_set),
                lambda more: self._relinked(more) if self.project.reel is reel else None,
                lambda text: self.project.messages.say(text, True),
            )

    def _relinked(self, reel: Reel) -> None:
        before = len(missing_media(self.project.reel))
        left = len(missing_media(reel))
        if reel is not self.project.reel and reel != self.project.reel:
            self.project.change(f"{before - left} missing files found", lambda _: reel)
        self.watch.announce()

    def collect(self) -> None:
        """Copy all media into a folder beside the project."""
        path = self.project.path
        if path is None:
            self.project.messages.say("Save the project first: its media are collected beside it.", True)
            return
        before = self.project.reel

        def done(found: Collected) -> None:
            if self.project.reel is before:
                self.project.change(f"Media collected in {path.stem} media", lambda _: found.reel)
            if found.left:
                more = f" and {len(found.left) - 1} more" if len(found.left) > 1 else ""
                self.project.messages.say(f"Left where it is, as it is no media: {found.left[0]}{more}.", True)

        self.worker.start(
            "Collecting media",
            lambda job: collect(before, path, job.report),
            done,
            lambda text: self.project.messages.say(text, True),
        )

    def open_demo(self, project: str = PROJECT) -> None:
        """Open the demo, in one of its frames. Where it is not there yet it is made, and opened once its beginning can be seen."""
        path = demo_folder() / project
        if demo_is_whole(path.parent):
            self.open_project(path)
            return
        self._demo = _Demo(path, self.project.history.reel)
        if self._drawn_in != path.parent:
            self._make_demo(path.parent)
        elif demo_can_open(path.parent):
            self._open_begun()

    def _make_demo(self, folder: Path) -> None:
        self._drawn_in = folder

        def work(job: Job) -> None:
            # Processes of their own: drawing holds the interpreter and would make the window stutter.
            made = begun(
                ours("tempik.cli", "demo", str(folder.absolute())),
                stdout=subprocess.DEVNULL,
                stderr=subprocess.PIPE,
            )
            os.setpriority(os.PRIO_PROCESS, made.pid, DRAWING_NICE)
            waited, told = 0.0, False
            while made.poll() is None:
                job.stop_event.wait(0.2)
                if job.cancelled:
                    os.killpg(made.pid, signal.SIGKILL)
                waited += 0.2
                job.report(min(0.95, waited / (waited + 12)))
                if not told and demo_can_open(folder):
                    told = True
                    self._demo_begun.emit()
            if made.returncode:
                message = made.stderr.read().decode().strip().rpartition("tempik: ")[2] if made.stderr else ""
                raise TempikError(message or "The demo could not be written.")

        self.worker.start(
            "Making the demo",
            work,
            lambda _: self._open_begun(),
            lambda text: self.project.messages.say(text, True),
            ended=self._demo_ended,
        )

    def _demo_ended(self) -> None:
        if self._drawn_in is not None and not demo_is_whole(self._drawn_in):
            self.project.messages.say("The demo is not whole; open it again to have the rest drawn.", True)
        self._drawn_in = None
        self.watch.made_in(None)

    def _open_begun(self) -> None:
        """Open the demo that is being made, or has been, unless it is open or work was begun meanwhile."""
        demo, self._demo = self._demo, None
        if demo is None:
            return
        if self.project.history.reel is not demo.before or self.project.gesture is not None:
            self.project.messages.say(
                "The demo is made; it was not opened, as work went on here. Open it again.", False
            )
            return
        self.watch.made_in(demo.path.parent)
        self.open_project(demo.path)

    def settings(self, width: int, height: int, rate: str | None) -> None:
        """Change frame size or rate; frames are re-derived, points stay, and what was in the middle of the frame does."""
        self.project.show_shape("")
        reel = self.project.reel
        new_rate = parse_rate(rate) if rate else reel.rate
        before = self.project.timeline.frames
        if self.project.change(
            "Reel settings changed",
            lambda r: change.with_settings(with_own_frame(r, width, height), width, height, new_rate),
        ):
            after = self.project.timeline.frames
            text = f"The reel is {width}×{height} at {rate_text(new_rate)} frames/s"
            text += f": {before} frames became {after}; every point kept its time." if before != after else "."
            self.project.messages.say(text, False)


def _heard(name: str, found: Analysis) -> str:
    """Return what was heard of a song in a sentence; where it is not sure, what to do about it."""
    if not found.beats:
        return f"{name} has no steady beat."
    kind = "an even grid" if found.steady else "followed by ear"
    tempo = tempo_words(tempi([b.time_s for b in found.beats]))
    text = f"{name}: {tempo}, {len(found.beats)} beats, {kind}, {sure_words(found)}."
    if belief_word(found.confidence) == "unsure" and found.rivals:
        text += " Shift+K goes through the other readings while it plays."
    elif found.bars and belief_word(found.bars[0].belief) == "unsure":
        text += " Shift+B goes through the other ways to count its bars while it plays."
    return text


def _swapped(before: Reel, after: Reel) -> str:
    """Return what became of an edit whose song was swapped."""
    if before.soundtrack is None or not before.clips:
        return ""
    if any(c.start.point or c.pins for c in after.clips):
        return f" The edit keeps its beats: {before.length_s:.1f} s became {after.length_s:.1f} s."
    return " There were no beats to count by: clips keep their instants, tied to no point."


def _size(path: Path) -> int:
    """Return a file's bytes, 0 for one that is not there: opening it says so."""
    try:
        return path.stat().st_size
    except (OSError, ValueError):
        return 0


def demo_folder() -> Path:
    """Return where the demo is written: beside what else can be made again."""
    return cache_folder() / "demo"
