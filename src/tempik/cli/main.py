"""The command line: the same verbs that the window uses.

What cannot be done ends with one sentence on stderr and exit code 2, and nothing is changed. Exit code 1 says that what was asked is
done and what it found is not as it should be: events that miss their points, an export that failed. A fault of ours ends with 70.
"""

from __future__ import annotations

import argparse
import json
import os
import sys
from collections.abc import Sequence
from pathlib import Path
from typing import Any

from tempik import __version__
from tempik.cli import accents as cli_accents
from tempik.cli import beats as cli_beats
from tempik.cli import deliver as cli_deliver
from tempik.cli import draft as cli_draft
from tempik.cli import exchange as cli_exchange
from tempik.cli import grade as cli_grade
from tempik.cli import layers as cli_layers
from tempik.cli import points as cli_points
from tempik.cli import settings_list as cli_settings
from tempik.cli import sound as cli_sound
from tempik.cli import speed as cli_speed
from tempik.cli import titles as cli_titles
from tempik.cli import transitions as cli_transitions
from tempik.cli.options import Options, Parser, parsed, real, settled
from tempik.cli.output import write_out
from tempik.cli.renamed import called_today
from tempik.disk.reading import is_text, refuse_no_text
from tempik.errors import Missed, TempikError

MOST_SAID = 1000
VERBS = (
    "beats",
    "points",
    "probe",
    "cues",
    "demo",
    "draft",
    "moods",
    "speed",
    "accents",
    "transitions",
    "layers",
    "grade",
    "titles",
    "sound",
    "export",
    "queue",
    "formats",
    "settings",
    "exchange",
    "menu",
    "report",
    "about",
    "check",
)


def main(arguments: Sequence[str] | None = None) -> int:
    """Run one command and return its exit code."""
    given = list(sys.argv[1:] if arguments is None else arguments)
    try:
        for each in given:
            if not is_text(os.path.abspath(each)):
                refuse_no_text(each if not is_text(each) else os.getcwd())
        given, renamed = called_today(given)
        for sentence in renamed:
            print(f"tempik: {sentence}", file=sys.stderr)
        if given and given[0] in VERBS:
            return _verb(given)
        if given and given[0] in ("-h", "--help", "--version"):
            _parser().parse_args(given)
            return 0
        return _window(given)
    except Missed as missed:
        _say(missed)
        return 1
    except TempikError as error:
        _say(error)
        return 2
    except BrokenPipeError:
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        return 0
    except KeyboardInterrupt:
        print("tempik: stopped.", file=sys.stderr)
        return 130


def _say(error: TempikError) -> None:
    """Print what cannot be had: on one line, and not endless, whatever names and texts it repeats."""
    text = "".join(c if c.isprintable() else "?" for c in str(error))
    print(f"tempik: {text if len(text) <= MOST_SAID else f'{text[:600]}…{text[-300:]}'}", file=sys.stderr)


def _verb(given: list[str]) -> int:
    options = parsed(_parser(), given)
    elsewhere: dict[str, Any] = {
        "beats": cli_beats.run,
        "points": cli_points.run,
        "draft": cli_draft.run,
        "moods": cli_draft.run_moods,
        "speed": cli_speed.run,
        "accents": cli_accents.run,
        "transitions": cli_transitions.run,
        "layers": cli_layers.run,
        "grade": cli_grade.run,
        "titles": cli_titles.run,
        "sound": cli_sound.run,
        "export": cli_deliver.run_export,
        "queue": cli_deliver.run_queue,
        "formats": cli_deliver.run_formats,
        "settings": cli_settings.run,
        "exchange": cli_exchange.run_exchange,
        "menu": cli_exchange.run_menu,
        "report": cli_exchange.run_report,
        "about": cli_exchange.run_about,
    }
    run: Any = elsewhere.get(options.verb) or globals()[f"_{options.verb}"]
    ended = int(run(options) or 0)
    settled(options)  # a verb that changes or writes something has asked before
    return ended


def _window(given: list[str]) -> int:
    parser = Parser(
        prog="tempik",
        description="Open the window.",
        epilog=f"Commands: {', '.join(VERBS)}. See tempik COMMAND --help.",
    )
    does = "a .tempik file; or a song, footage or a folder, to begin a reel with"
    parser.add_argument("files", nargs="*", type=Path, metavar="FILE", help=does)
    parser.add_argument("--demo", action="store_true", help="open the smithy's open day")
    options = parser.parse_args(given)
    for path in options.files:
        if not path.exists():
            raise TempikError(
                f"{path} is not there; give a .tempik file, a song or footage, or one of: {', '.join(VERBS)}."
            )
    if options.demo and options.files:
        raise TempikError("The demo is opened by itself; leave --demo or the files out.")
    from tempik.desktop.app import run

    return run(options.files, options.demo)


def _parser() -> Parser:
    parser = Parser(prog="tempik", description=__doc__.splitlines()[0] if __doc__ else None)
    parser.add_argument("--version", action="version", version=f"tempik {__version__}")
    verbs = parser.add_subparsers(dest="verb", required=True)

    cli_beats.add_parser(verbs)
    cli_points.add_parser(verbs)

    probe = verbs.add_parser("probe", help="say what a file is, as JSON")
    probe.add_argument("file")

    cues = verbs.add_parser("cues", help="suggest the decisive instants of footage, best first")
    cues.add_argument("footage")
    cues.add_argument("--format", choices=("csv", "json"), default="csv", help="json also says what speaks for each")
    cues.add_argument("-o", "--output", type=Path)

    demo = verbs.add_parser("demo", help="write the demo's media, its truth and forge.tempik")
    demo.add_argument("folder", type=Path, metavar="DIR")
    demo.add_argument("--draft", action="store_true", help="draft its reel anew rather than take the recorded one")

    cli_draft.add_parser(verbs)
    cli_speed.add_parser(verbs)
    cli_accents.add_parser(verbs)
    cli_transitions.add_parser(verbs)
    cli_layers.add_parser(verbs)
    cli_grade.add_parser(verbs)
    cli_titles.add_parser(verbs)
    cli_sound.add_parser(verbs)

    cli_deliver.add_parsers(verbs)
    cli_settings.add_parser(verbs)
    cli_exchange.add_parsers(verbs)

    check = verbs.add_parser("check", help="list every event with its distance from its point")
    check.add_argument("project", type=Path)
    check.add_argument("--rendered", type=Path, metavar="FILE", help="measure an exported film")
    check.add_argument("--from", dest="start", type=real, metavar="SECONDS", help="where of the reel the film begins")
    check.add_argument("--to", dest="end", type=real, metavar="SECONDS", help="and where it ends")
    check.add_argument("--format", choices=("json", "csv"), default="json")
    return parser


def _probe(options: argparse.Namespace) -> int:
    from tempik.media import probe
    from tempik.media.probe import REEL_RATES, cadence

    facts = probe(options.file)
    streams: list[dict[str, Any]] = []
    document: dict[str, Any] = {
        "file": str(Path(options.file).absolute()),
        "container": facts.container,
        "length_s": round(facts.length_s, 6),
        "streams": streams,
    }
    if facts.frame_index is not None:
        streams.append(
            {
                "kind": "video",
                "codec": facts.codec,
                "width": facts.coded_width,
                "height": facts.coded_height,
                "frames": len(facts.frame_index.pts),
            }
        )
        found = cadence(options.file, facts.frame_index)
        document |= {
            "width": facts.width,
            "height": facts.height,
            "true_rate": str(facts.rate),
            "true_rate_fps": round(float(facts.rate), 6),
            "variable_rate": facts.variable_rate,
            "still": facts.still,
            "alpha": facts.alpha,
            "converted": facts.message,
            "rotation": facts.rotation_deg,
            "pixel_aspect": str(facts.pixel_aspect),
            "clean_floor": {str(r): round(r / float(facts.rate), 6) for r in REEL_RATES},
            "cadence": {
                "repeated": found.repeated,
                "frames": found.frames,
                "pattern": found.pattern,
                "distinct_rate_fps": round(found.distinct_rate, 3),
                "stalls": [s._asdict() for s in found.stalls],
            },
        }
    if facts.has_sound:
        streams.append(
            {
                "kind": "audio",
                "codec": facts.sound_codec,
                "rate": facts.sound_rate,
                "channels": facts.sound_channels,
            }
        )
    print(json.dumps(document, indent=1))
    return 0


def _cues(options: argparse.Namespace) -> int:
    from tempik.media import suggest_cues

    found = suggest_cues(options.footage)
    if options.format == "json":
        document = {"file": str(Path(options.footage).absolute()), "cues": [s._asdict() for s in found]}
        write_out((json.dumps(document, indent=1) + "\n").encode(), options, [options.footage])
    else:
        lines = ["time_s,score", *(f"{s.time_s:.6f},{s.score:.3f}" for s in found)]
        write_out(("\n".join(lines) + "\n").encode(), options, [options.footage])
    return 0


def _demo(options: argparse.Namespace) -> int:
    from tempik.demo import draft_anew, write_demo

    project = write_demo(options.folder)
    if options.draft:
        draft_anew(options.folder)
    print(project)
    return 0


def _check(options: Options) -> int:
    from tempik.check import as_csv, as_json, check_reel
    from tempik.deliver.run import measured
    from tempik.project.file import load_reel
    from tempik.reel.nests import all_closed
    from tempik.timeline.timeline import timeline_of

    timeline = timeline_of(all_closed(load_reel(options.project)))
    if options.rendered is None and (options.start is not None or options.end is not None):
        raise TempikError("--from and --to say what of the reel a film has; give it with --rendered.")
    part = None
    if options.start is not None or options.end is not None:
        part = (options.start or 0.0, timeline.reel.length_s if options.end is None else options.end)
    report = measured(timeline.reel, options.rendered, part) if options.rendered else check_reel(timeline)
    text = as_json(report) + "\n" if options.format == "json" else as_csv(report)
    sys.stdout.write(text)
    if not report.ok:
        off = sum(1 for e in report.events if e.tied and not e.ok)
        raise Missed(f"{off} of {len(report.events)} events miss their points; the worst by {report.worst_ms:.1f} ms.")
    return 0
