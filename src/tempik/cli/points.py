"""`tempik points`: the points of a song or a project by a choice, to a file, and from a file into a project."""

from __future__ import annotations

import argparse
import sys
from fractions import Fraction
from pathlib import Path
from typing import TYPE_CHECKING, cast

from tempik.cli.options import Options, Parser, count, real, settled, together
from tempik.cli.output import write_out
from tempik.errors import TempikError
from tempik.reel.points import points_of

if TYPE_CHECKING:
    from tempik.reel import Reel
    from tempik.reel.soundtrack import ChoiceOf

FORMATS = {"csv": ".csv", "labels": ".txt", "midi": ".mid"}


def add_parser(verbs: argparse._SubParsersAction[Parser]) -> None:
    """Declare `tempik points` and its options."""
    points = verbs.add_parser("points", help="write the points of a song or project by a choice, or read them in")
    points.add_argument("source", metavar="SONG|PROJECT")
    points.add_argument("--of", choices=("beats", "downbeats", "onsets"), default=None)
    points.add_argument("--every", type=count, default=1, metavar="N", help="every n-th, counted from a downbeat")
    points.add_argument("--between", type=count, choices=(1, 2, 3, 4), default=1, help="halves, thirds or quarters too")
    points.add_argument("--at-least", type=real, default=0.0, metavar="STRENGTH")
    points.add_argument("--bands", default="kick,snare,hat,other", help="which onsets (%(default)s)")
    points.add_argument("--from", dest="from_s", type=real, default=0.0, metavar="SECONDS")
    points.add_argument("--to", dest="to_s", type=real, metavar="SECONDS")
    points.add_argument("--pace", choices=("1/4", "1/2", "1", "2", "4"), default="1", help="half or double tempo")
    points.add_argument("--half-a-beat-later", action="store_true")
    points.add_argument("--metre", type=count, default=0, metavar="BEATS")
    points.add_argument("--way", choices=("found", "grid", "followed"), default="found")
    points.add_argument(
        "--reading",
        type=count,
        default=0,
        metavar="N",
        help="by the N-th reading that was heard (tempik beats --readings)",
    )
    points.add_argument(
        "--bars",
        type=count,
        default=0,
        metavar="N",
        help="bars counted the N-th way that was heard (tempik beats --bars)",
    )
    points.add_argument("--format", choices=tuple(FORMATS), help="csv, or what the output's name ends in")
    points.add_argument(
        "--read", type=Path, metavar="FILE", help="take a CSV, label or MIDI file's points into PROJECT"
    )
    points.add_argument("-o", "--output", type=Path)


def run(options: Options) -> int:
    """Write points, or read them into a project. Raises TempikError with one sentence."""
    from tempik.edit.song.points import marks_of
    from tempik.project.file import SUFFIX, load_reel
    from tempik.reel import Reel, metre_of
    from tempik.rhythm.exchange import write_marks

    source = Path(options.source)
    is_project = source.suffix == SUFFIX
    if options.read is not None:
        if not is_project:
            raise TempikError(f"Points are read into a project, and {source} is not a {SUFFIX} file.")
        return _read_into(source, options)
    if is_project:
        reel = load_reel(source)
    else:
        from tempik.assemble import soundtrack_from
        from tempik.rhythm import analyse

        reel = Reel(soundtrack=soundtrack_from(str(source), analyse(str(source))))
    reel = _viewed(reel, options)
    song = reel.soundtrack
    if song is None or not points_of(song):
        raise TempikError(f"{source} has no points by this choice; take onsets, a lower strength, or another stretch.")
    suffix = FORMATS[options.format] if options.format else options.output.suffix if options.output else ".csv"
    data = write_marks(marks_of(song), suffix, metre_of(song))
    write_out(data, options, [source, song.path])
    return 0


def _viewed(reel: Reel, options: argparse.Namespace) -> Reel:
    """Return the reel with its song read and chosen as the options say; a project's own choice stands without any."""
    from msgspec.structs import replace

    from tempik.edit.reel import song_of
    from tempik.edit.song import points
    from tempik.edit.song.readings import with_bars_heard, with_reading_heard
    from tempik.reel import PointChoice
    from tempik.rhythm.records import BANDS

    bands = tuple(b.strip() for b in options.bands.split(",") if b.strip())
    unknown = [b for b in bands if b not in BANDS]
    if unknown:
        raise TempikError(f"'{unknown[0]}' is no kind of onset; choose among {', '.join(BANDS)}.")
    together(options, "bars", "metre")
    song_of(reel)
    if options.reading:
        reel = with_reading_heard(reel, options.reading - 1)
    if options.way != "found":
        reel = points.with_beat_source(reel, options.way)
    if options.bars:
        reel = with_bars_heard(reel, options.bars - 1)
    if options.pace != "1":
        reel = points.with_pace(reel, Fraction(options.pace))
    if options.metre:
        reel = points.with_metre(reel, options.metre)
    if options.half_a_beat_later:
        reel = points.with_half_a_beat(reel)
    stretch = options.from_s > 0 or options.to_s is not None
    plain = (options.every, options.between, options.at_least, options.bands) == (1, 1, 0.0, ",".join(BANDS))
    if options.of is None and plain and not stretch:
        return reel
    of = options.of or ("beats" if set(bands) == set(BANDS) else "onsets")
    choice = PointChoice(cast("ChoiceOf", of), options.every, "", options.between, options.at_least, bands)
    if stretch:
        end = options.to_s if options.to_s is not None else song_of(reel).length_s
        nothing = PointChoice("onsets", bands=())
        return points.with_choices(reel, [nothing, replace(choice, from_s=options.from_s, to_s=end)])
    return points.with_choices(reel, [choice])


def _read_into(project: Path, options: Options) -> int:
    from tempik.edit.song.points import with_marks
    from tempik.project.file import load_reel, save_reel
    from tempik.rhythm.exchange import read_marks

    reel = load_reel(project)
    read = read_marks(options.read)
    settled(options)
    target = options.output or project
    save_reel(with_marks(reel, read.marks), target)
    print(target)
    for note in read.notes:
        print(f"tempik: {note}", file=sys.stderr)
    return 0
