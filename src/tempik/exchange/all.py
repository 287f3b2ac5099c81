"""All that Tempik writes for other tools and reads of them, by the file's ending."""

from __future__ import annotations

from fractions import Fraction
from pathlib import Path

from tempik.disk.writing import write_whole
from tempik.edit.song.points import marks_of, marks_on
from tempik.edit.titles import lines_of
from tempik.errors import TempikError
from tempik.exchange.files import SUFFIXES as TIMELINES
from tempik.exchange.files import read_timeline, write_timeline
from tempik.project.file import SUFFIX, save_reel
from tempik.project.lyrics import write_lyrics
from tempik.project.media_files import collect
from tempik.project.sources import refuse_media, refuse_source
from tempik.project.zipped import free_folder, unzip_project, zip_project
from tempik.reel import Reel
from tempik.reel.points import metre_of
from tempik.rhythm.exchange import write_marks

POINTS = {".mid": "MIDI", ".csv": "CSV of the points", ".txt": "labels"}
SUBTITLES = {".srt": "SRT subtitles", ".vtt": "WebVTT subtitles", ".lrc": "LRC lyrics"}
WRITES: dict[str, str] = {**TIMELINES, **POINTS, **SUBTITLES, ".zip": "project with all media"}
READS: dict[str, str] = {**TIMELINES, ".zip": "project with all media"}


def write(reel: Reel, target: Path, track: int = 0, of_song: bool = False) -> list[str]:
    """Write a reel, its points, its titles or all of it with its media, by the file's ending, and return sentences on what the file
    cannot say. Points are those of the reel, in its time; `of_song`, all of the song's, in the song's. An ending of a project's collects
    the media beside it. Raises TempikError."""
    suffix = target.suffix.lower()
    refuse_media(target, reel)
    if suffix in TIMELINES:
        return write_timeline(reel, target, track)
    if suffix in POINTS:
        song = reel.soundtrack
        marks = [] if song is None else marks_of(song) if of_song else marks_on(reel)
        if song is None or not marks:
            raise TempikError("The reel has no points to write; open a song first.")
        write_whole(target.absolute(), write_marks(marks, suffix, metre_of(song)))
        return []
    if suffix in SUBTITLES:
        lines = lines_of(reel, of_song=suffix == ".lrc")
        if not lines:
            raise TempikError("The reel has no titles to write.")
        write_lyrics(lines, target)
        return []
    if suffix in (".zip", SUFFIX):
        if suffix == ".zip":
            left = zip_project(reel, target).left
        else:
            found = collect(reel, target)
            save_reel(found.reel, target)
            left = found.left
        return [f"Left out, as it is no media: {', '.join(left)}."] if left else []
    raise TempikError(f"{target} does not say what to write; end it in {', '.join((*WRITES, SUFFIX))}.")


def read(
    source: Path,
    target: Path,
    size: tuple[int, int] = (1080, 1920),
    media: Path | None = None,
    rate: Fraction | None = None,
    song: str = "",
) -> tuple[Path, list[str]]:
    """Read a timeline into a new project, or unpack a zipped one into a folder, and return the project file with sentences on what
    could not be taken over. Raises TempikError."""
    suffix = source.suffix.lower()
    if suffix == ".zip":
        return unzip_project(source, free_folder(target.with_suffix("") if target.suffix == SUFFIX else target)), []
    refuse_source(target, [source])
    reel, notes = read_timeline(source, size, media, rate, song)
    if target.suffix != SUFFIX:
        raise TempikError(f"{target} is no name for a project; end it in {SUFFIX}.")
    save_reel(reel, target)
    return target, notes
