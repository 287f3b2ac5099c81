"""From files to records: a song analysed into points, footage probed, cues matched to files, and a draft of them."""

from __future__ import annotations

import os
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import TYPE_CHECKING

import msgspec

from tempik.edit.draft import Draft, RuleDraftOptions, draft_reel
from tempik.edit.footage.facts import footage_from
from tempik.errors import TempikError
from tempik.media import Probe, probe
from tempik.reel import Cue, Footage, PointChoice, Soundtrack

if TYPE_CHECKING:
    from tempik.rhythm import Analysis


def soundtrack_from(path: str, found: Analysis) -> Soundtrack:
    """Return the song's record, with every beat found chosen; without beats, its strong attacks."""
    choice = PointChoice() if found.beats else PointChoice("onsets", at_least=0.5)
    return Soundtrack(path=str(Path(path).absolute()), length_s=found.length_s, heard=found, choices=(choice,))


def assemble(song: str, footage: Sequence[str], cues: Sequence[tuple[str, float]], options: RuleDraftOptions) -> Draft:
    """Return the draft of a song and footage files. Raises TempikError on the first file that does not serve."""
    return draft_reel(*gathered(song, footage, cues), options)


def gathered(song: str, footage: Sequence[str], cues: Sequence[tuple[str, float]]) -> tuple[Soundtrack, list[Footage]]:
    """Return a song that was listened to and footage with its cues. Raises TempikError on the first file that does not serve."""
    pieces: list[Footage] = []
    for path in footage:
        if not any(os.path.samefile(path, p.path) for p in pieces if Path(path).exists()):
            pieces.append(footage_from(probe(path), {p.id for p in pieces}))
    for name, time_s in cues:
        number = _named(name, pieces)
        piece = pieces[number]
        if not 0 <= time_s < piece.length_s:
            raise TempikError(
                f"The cue at {time_s:g} s lies outside {name}, which is {piece.length_s:.2f} s long; give a time within it."
            )
        cue = Cue(f"q{len(piece.cues) + 1}", time_s)
        pieces[number] = msgspec.structs.replace(piece, cues=tuple(sorted((*piece.cues, cue), key=lambda c: c.time_s)))
    from tempik.rhythm import analyse  # its libraries take half a second to load, so only where a song is analysed

    return soundtrack_from(song, analyse(song)), pieces


def serving(files: Sequence[str], report: Callable[[float], None] | None = None) -> tuple[list[Probe], list[str]]:
    """Return the facts of the files that serve as footage, and of each other one why it does not. `report` is called with the share
    done; it may raise to stop."""
    good: list[Probe] = []
    message: list[str] = []
    for number, path in enumerate(files):
        if report is not None:
            report(number / len(files))
        try:
            facts = probe(path)
            footage_from(facts, set())
            good.append(facts)
        except TempikError as error:
            message.append(str(error))
    return good, message


def _named(name: str, pieces: Sequence[Footage]) -> int:
    """Return which piece a cue speaks of: by path, else by file name where only one has it."""
    path = str(Path(name).absolute())
    exact = [i for i, p in enumerate(pieces) if p.path == path]
    if not exact:
        exact = [i for i, p in enumerate(pieces) if Path(p.path).name == name]
    if len(exact) != 1:
        what = "is not among the footage" if not exact else "fits several pieces of footage"
        raise TempikError(f"The cue's file {name} {what}; write it as it stands after --footage.")
    return exact[0]
