"""`tempik beats`: the beats of a song, or the readings that were heard of it, to a file or the screen."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import TYPE_CHECKING, Any

import msgspec

from tempik.cli.options import Options, Parser, count, together
from tempik.cli.output import write_out
from tempik.errors import TempikError

if TYPE_CHECKING:
    from tempik.rhythm.records import Analysis, BarReading, Beat


def add_parser(verbs: argparse._SubParsersAction[Parser]) -> None:
    """Declare `tempik beats` and its options."""
    beats = verbs.add_parser("beats", help="find the beats of a song")
    beats.add_argument("song")
    beats.add_argument("--format", choices=("csv", "json"), default="csv")
    beats.add_argument(
        "--readings", action="store_true", help="the readings that were heard, likeliest first, a line each"
    )
    beats.add_argument(
        "--reading", type=count, default=1, metavar="N", help="the beats of the N-th reading (%(default)s)"
    )
    beats.add_argument(
        "--bars",
        action="store_true",
        help="the ways to count bars that were heard for the beats, as found first, a line each",
    )
    beats.add_argument("-o", "--output", type=Path)


def run(options: Options) -> int:
    """Write beats or readings. Raises TempikError with one sentence."""
    from tempik.rhythm import analyse

    together(options, "readings", "reading")
    together(options, "readings", "bars")
    found = analyse(options.song)
    if not found.beats:
        raise TempikError(f"{options.song} has no steady beat; choose a song with one, or place points by hand.")
    ways = [(found.beats, found.bars), *((r.beats, r.bars) for r in found.rivals)]
    if not 1 <= options.reading <= len(ways):
        raise TempikError(f"{options.song} has no reading {options.reading}: {_heard(len(ways))}; see --readings.")
    chosen, bars = ways[options.reading - 1]
    if options.bars and options.format == "csv":
        rows = _bar_rows(bars, chosen)
        lines = [f"{n},{r['metre']},{r['belief']:.3f},{r['first_bar_s']:.6f}" for n, r in enumerate(rows, 1)]
        text = "\n".join(["way,metre,belief,first_bar_s", *lines]) + "\n"
    elif options.format == "json" and not options.readings:
        text = _json(_document(options.song, found, chosen, bars))
    elif options.readings and options.format == "json":
        text = _json(_document(options.song, found, found.beats, found.bars))
    elif options.readings:
        text = "\n".join(["reading,tempo_bpm,metre,belief,beats,first_beat_s", *_reading_lines(found)]) + "\n"
    else:
        lines = [f"{b.time_s:.6f},{b.bar},{b.beat},{b.strength:.3f}" for b in chosen]
        text = "\n".join(["time_s,bar,beat,strength", *lines]) + "\n"
    write_out(text.encode(), options, [options.song])
    return 0


def _heard(count: int) -> str:
    return "one reading was heard" if count == 1 else f"{count} readings were heard"


def _reading_lines(found: Analysis) -> list[str]:
    rows = [(found.tempo_bpm, found.metre, found.confidence, found.beats)]
    rows += [(r.tempo_bpm, r.metre, r.belief, r.beats) for r in found.rivals]
    return [
        f"{n},{tempo:.3f},{metre},{belief:.3f},{len(beats)},{beats[0].time_s:.6f}"
        for n, (tempo, metre, belief, beats) in enumerate(rows, 1)
    ]


def _bar_rows(bars: tuple[BarReading, ...], beats: tuple[Beat, ...]) -> list[dict[str, Any]]:
    return [
        {"metre": b.metre, "belief": b.belief, "first_bar_s": beats[b.first].time_s}
        for b in bars
        if b.first < len(beats)
    ]


def _document(song: str, found: Analysis, chosen: tuple[Beat, ...], bars: tuple[BarReading, ...]) -> dict[str, Any]:
    from tempik.rhythm.records import belief_word
    from tempik.rhythm.tempi import tempi

    return {
        "song": str(Path(song).absolute()),
        "length_s": found.length_s,
        "tempo_bpm": found.tempo_bpm,
        "tempi": [t._asdict() for t in tempi([b.time_s for b in chosen])],
        "metre": found.metre,
        "division": found.division,
        "steady": found.steady,
        "confidence": found.confidence,
        "sure": belief_word(found.confidence) if found.beats else "no steady beat",
        "beats": _rows(chosen),
        "bars": _bar_rows(bars, chosen),
        "readings": [
            {
                "tempo_bpm": r.tempo_bpm,
                "metre": r.metre,
                "belief": r.belief,
                "beats": _rows(r.beats),
                "bars": _bar_rows(r.bars, r.beats),
            }
            for r in found.rivals
        ],
        "onsets": [{"time_s": o.time_s, "strength": o.strength, "band": o.band} for o in found.onsets],
        "sections": [
            {"start_s": s.start_s, "end_s": s.end_s, "level": s.level, "name": s.name} for s in found.sections
        ],
        "drops_s": list(found.drops),
    }


def _rows(beats: tuple[Beat, ...]) -> list[dict[str, Any]]:
    return [{"time_s": b.time_s, "bar": b.bar, "beat": b.beat, "strength": b.strength} for b in beats]


def _json(document: dict[str, Any]) -> str:
    return msgspec.json.format(msgspec.json.encode(document), indent=1).decode() + "\n"
