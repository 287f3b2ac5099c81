"""Commands on titles: laying them, putting their words on points, reading and writing lyrics."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from msgspec.structs import replace
from PySide6.QtCore import QObject, Signal
from PySide6.QtWidgets import QWidget

from tempik.desktop.commands.files import ask_open, file_to_write
from tempik.desktop.commands.registry import CommandStep, command
from tempik.desktop.commands.title_looks import TitleLookCommands
from tempik.desktop.session.document import Project
from tempik.desktop.session.jobs import Job, Worker
from tempik.digits import plural
from tempik.edit import title_words, titles
from tempik.errors import TempikError
from tempik.project.lyrics import Lyrics, read_lyrics, write_lyrics
from tempik.reel import Clip, Framing, Reel, Title

OPEN_FILTER = "Lyrics and subtitles (*.lrc *.srt *.vtt)"
SAVE_FILTER = "Lyrics (*.lrc);;Subtitles, SubRip (*.srt);;Subtitles, WebVTT (*.vtt)"
LONG_S = 3.0  # how long a new title is, to the next chosen point after it


class TitleCommands(QObject):
    """What keys and menus do to titles. A new one takes its look and place from the one that was shown last."""

    laid = Signal()  # a title was laid: its words are to be typed

    def __init__(self, project: Project, worker: Worker, window: QWidget) -> None:
        super().__init__(project)
        self.project, self.worker, self.window = project, worker, window
        self._look: Title | None = None
        self._place: Framing | None = None
        project.selection.selected.connect(self._note)
        project.changed.connect(self._note)
        self.looks = TitleLookCommands(project, self.chosen, window)

    def _note(self) -> None:
        clip = self.project.selection.clip
        if clip is not None and clip.title is not None:
            self._look, self._place = clip.title, clip.framing

    @property
    def clip(self) -> Clip | None:
        """The title that is worked on."""
        clip = self.project.selection.clip
        return clip if clip is not None and clip.title is not None else None

    def chosen(self) -> list[str]:
        """Return the selected titles."""
        timeline = self.project.timeline
        found = [timeline.placed_clip(name) for name in self.project.selection.chosen_clips]
        return [p.clip.id for p in found if p is not None and p.clip.title is not None]

    @property
    def look(self) -> Title:
        """How a new title is set."""
        return replace(self._look, text="", words=()) if self._look is not None else titles.LYRIC

    @command("Titles", "A title at the playhead", ("Ctrl+T",), "song")
    def add_title(self) -> None:
        reel, frame = self.project.reel, self.project.playhead.frame
        timeline = self.project.timeline
        after = frame + round(LONG_S * float(reel.rate))
        points = [f for p in timeline.on_reel() if (f := timeline.frame_of_point(p)) >= after]
        end = min(points, default=timeline.frames)
        self._laid("Title", replace(self.look, text="Title"), frame, end - frame)
        self.laid.emit()

    def _laid(self, what: str, title: Title, frame: int, frames: int) -> None:
        names: list[str] = []

        def edit(reel: Reel) -> Reel:
            made, name = titles.with_title(reel, title, frame, frames, framing=self._place or titles.LOW)
            names.append(name)
            return made

        if self.project.change(what, edit):
            self.project.selection.select_clips(names[-1:])

    def set_fields(self, what: str, **fields: object) -> None:
        """Change the selected titles."""
        names = self.chosen()
        if names:
            self.project.change(what, lambda reel: titles.with_title_fields(reel, names, **fields))

    # Words

    def set_words(self, what: str, words: list[int], **fields: object) -> bool:
        """Set words of the title that is worked on off from the others."""
        clip = self.clip
        return clip is not None and self.project.change(
            what, lambda reel: title_words.with_word_style(reel, clip.id, words, **fields)
        )

    def join_words(self, first: int, last: int) -> bool:
        """Make one word of those from the first to the last."""
        clip = self.clip
        return clip is not None and self.project.change(
            "Words joined", lambda reel: title_words.with_words_joined(reel, clip.id, first, last)
        )

    def part_word(self, word: int) -> bool:
        """Make two words of one."""
        clip = self.clip
        return clip is not None and self.project.change(
            "Word parted", lambda reel: title_words.with_word_parted(reel, clip.id, word)
        )

    @command("Titles", "Words on the next points, one each", ("Ctrl+Shift+T",), "clips")
    def words_each(self) -> CommandStep:
        names = self.chosen()
        return CommandStep("Words on points", lambda reel: titles.with_words_on_points(reel, names))

    @command("Titles", "Words on points, spread over the title", (), "clips")
    def words_even(self) -> CommandStep:
        names = self.chosen()
        return CommandStep("Words spread over points", lambda reel: titles.with_words_on_points(reel, names, even=True))

    @command("Titles", "All words at once", (), "clips")
    def words_off(self) -> CommandStep:
        names = self.chosen()
        return CommandStep("All words at once", lambda reel: titles.without_words_on_points(reel, names))

    @command("Titles", "Named points become words", (), "song")
    def named_to_words(self) -> None:
        self._many("Named points as words", lambda reel: titles.with_named_points(reel, self.look, self._low()))

    @command("Titles", "Read lyrics or subtitles …", (), "song")
    def read_lyrics(self) -> None:
        path = ask_open(self.window, "Read lyrics or subtitles", OPEN_FILTER, "lyrics", self.project.path)
        if path:
            self.read_lyrics_from(Path(path))

    def read_lyrics_from(self, path: Path) -> None:
        """Lay the lines of a file, LRC in the song's times, others in the reel's."""

        def work(job: Job) -> Lyrics:
            return read_lyrics(path)

        self.worker.start(f"Reading {path.name}", work, lambda found: self._lay(found, path), self._failed)

    def _failed(self, text: str) -> None:
        self.project.messages.say(text, True)

    def _lay(self, found: Lyrics, path: Path) -> None:
        of_song = path.suffix.lower() == ".lrc"
        made = self._many(
            f"Lines of {path.name}", lambda reel: titles.with_lines(reel, found.lines, self.look, of_song, self._low())
        )
        if made:
            self.project.messages.say(f"{made} of {len(found.lines)} lines lie on the reel. {found.message}".strip())

    def _many(self, what: str, lay: Callable[[Reel], tuple[Reel, list[str]]]) -> int:
        names: list[str] = []

        def edit(reel: Reel) -> Reel:
            made, names[:] = lay(reel)
            return made

        if self.project.change(what, edit):
            self.project.selection.select_clips(names)
            return len(names)
        return 0

    def _low(self) -> Framing:
        return self._place or titles.LOW

    @command("Titles", "Write lyrics or subtitles …", (), "clips")
    def write_lyrics(self) -> None:
        path = file_to_write(
            self.window, "Write lyrics or subtitles", "lyrics.lrc", SAVE_FILTER, "lyrics", self.project.path
        )
        if path is not None:
            self.write_lyrics_to(path)

    def write_lyrics_to(self, path: Path) -> None:
        """Write the reel's titles in the form that the file's name says."""
        try:
            lines = titles.lines_of(self.project.reel, path.suffix.lower() == ".lrc")
            write_lyrics(lines, path)
        except TempikError as error:
            self.project.messages.say(str(error), True)
            return
        self.project.messages.say(f"{plural(len(lines), 'line')} written to {path}")
