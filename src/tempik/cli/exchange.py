"""`tempik exchange`, `tempik menu` and `tempik report`: edits for others' tools and out of them, the menu entry, a fault told."""

from __future__ import annotations

import argparse
import sys
from pathlib import Path
from typing import Any

from tempik.cli.kinds import rate_of, size_of
from tempik.cli.options import count, settled


def add_parsers(verbs: Any) -> None:
    """Add the verbs."""
    exchange = verbs.add_parser(
        "exchange", help="write a project for other tools (.otio .edl .mid .csv .txt .srt .vtt .lrc .zip), or read one"
    )
    ways = exchange.add_subparsers(dest="way", required=True)
    write = ways.add_parser(
        "write", help="write the edit, the points, the titles, or all with its media, by the ending"
    )
    write.add_argument("project", type=Path)
    write.add_argument("-o", "--output", type=Path, required=True, metavar="OUT")
    write.add_argument("--track", type=count, default=1, metavar="N", help="the track that an EDL has (1)")
    write.add_argument(
        "--times",
        choices=("reel", "song"),
        default="reel",
        help="of points: those of the reel in its time, or the song's (%(default)s)",
    )
    read = ways.add_parser("read", help="make a project of an .otio, an .edl or a zipped project")
    read.add_argument("file", type=Path)
    read.add_argument(
        "-o", "--output", type=Path, required=True, metavar="P", help="a .tempik file; for a zip a folder"
    )
    read.add_argument("--media", type=Path, metavar="DIR", help="where media is that is not where the file says")
    read.add_argument("--song", default="", metavar="SONG", help="the song under it, where the file names none")
    read.add_argument("--rate", type=rate_of, metavar="R", help="frames a second, which an EDL does not tell (30)")
    read.add_argument("--size", type=size_of, default=(1080, 1920), metavar="WxH")

    menu = verbs.add_parser(
        "menu", help="put the menu entry, icon and file type in place for the user, or take them away"
    )
    menu.add_argument("do", choices=("add", "remove"))
    menu.add_argument("--program", type=Path, help="what the entry starts")

    report = verbs.add_parser(
        "report", help="gather log, versions and a project without media in one zip, to report a fault"
    )
    report.add_argument("project", type=Path, nargs="?")
    report.add_argument("-o", "--output", type=Path, required=True, metavar="OUT.zip")

    verbs.add_parser("about", help="say what Tempik is made of, with licences")


def run_exchange(options: argparse.Namespace) -> int:
    """Write a project for other programs, or read a timeline of theirs. Raises TempikError with one sentence."""
    from tempik.exchange import all as others
    from tempik.project.file import load_reel
    from tempik.reel.nests import all_closed

    if options.way == "write":
        track = options.track if options.output.suffix.lower() == ".edl" else 1
        of_song = options.output.suffix.lower() in others.POINTS and options.times == "song"
        settled(options)
        notes = others.write(all_closed(load_reel(options.project)), options.output, track - 1, of_song)
        made = options.output
    else:
        settled(options, "media", "song", "rate", "size")
        made, notes = others.read(
            options.file, options.output, options.size, options.media, options.rate, options.song
        )  # fmt: skip
    for note in notes:
        print(f"note: {note}", file=sys.stderr)
    print(made)
    return 0


def run_menu(options: argparse.Namespace) -> int:
    """Put Tempik in the desktop's menu, or take it out. Raises TempikError with one sentence."""
    from tempik.home import put_in_menu, take_from_menu

    if options.do == "add":
        program = options.program or Path(sys.argv[0]).absolute().with_name("tempik-desktop")
        files = put_in_menu(program)
    else:
        files = take_from_menu()
    for path in files:
        print(path)
    return 0


def run_report(options: argparse.Namespace) -> int:
    """Write a report of a fault as one zip. Raises TempikError where it cannot be written."""
    from tempik.report import write_report

    write_report(options.output, options.project)
    print(options.output)
    return 0


def run_about(_: argparse.Namespace) -> int:
    """Print the version, the licence, and what Tempik is made of."""
    from tempik.report import about_text

    print(about_text())
    return 0
