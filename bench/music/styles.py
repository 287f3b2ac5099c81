"""Pieces in the styles of the free program mma (Debian's package of that name), as notes on beats of any tempo.

mma writes MIDI at one even tempo; what is kept of it is when each note falls, counted in beats, so a piece may then
drift, speed up or be played by other sounds.
"""

from __future__ import annotations

import re
import subprocess
import tempfile
from functools import lru_cache
from pathlib import Path
from typing import NamedTuple

import mido
import numpy as np

from bench.music.patterns import even, lead_in, moving
from bench.music.score import DRUM_KINDS, Note, Score
from bench.music.sounds import Rng

LIBRARY = Path("/usr/share/mma/lib")
_CHORDS = (
    "C Am F G7",
    "C F G C",
    "Am F C G",
    "Dm G7 C A7",
    "Cm Ab Eb Bb",
    "Em C G D",
    "C C F G",
    "Am Dm E7 Am",
    "F Fm C C",
    "G D Em C",
)

# The tempi at which styles are played, by what their names hold; the first that fits. Common practice, from memory.
_TEMPI = (
    (r"128|68|slow|ballad|bald", (56, 92)),
    (r"techno|trance|hous|dance|disco|euro|rave", (110, 144)),
    (r"16|funk|hip|soul|rnb|r&b|reggae|gospel", (82, 116)),
    (r"bop|bebop|fast|swing|bigband|jazz|dixie|rag|western", (105, 190)),
    (r"waltz|34", (84, 160)),
    (r"metal|punk|ska|polka|rock", (96, 160)),
    (r"bossa|samba|rumba|rhumba|cha|salsa|latin|mambo|tango|beguine|calypso", (90, 135)),
    (r"", (88, 136)),
)


class Style(NamedTuple):
    name: str  # folder/file
    metre: int
    grooves: tuple[str, ...]


@lru_cache(1)
def styles() -> tuple[Style, ...]:
    """Return the library's styles with plain metres, in order of name."""
    found = []
    for path in sorted(LIBRARY.glob("*/*.mma")):
        text = path.read_text(errors="replace")
        times = {t.split("/")[0] for t in re.findall(r"^\s*Time\s+([\d/]+)\s*$", text, re.M | re.I)}
        eighths = re.search(r"^\s*(Time|Timesig)\s+\d+\s*[ /]\s*8", text, re.M | re.I)
        grooves = tuple(
            g for g in re.findall(r"^\s*DefGroove\s+(\S+)", text, re.M | re.I) if not re.search("Intro|End", g)
        )
        if len(times) == 1 and not eighths and grooves and times <= {"3", "4", "5"}:
            found.append(Style(f"{path.parent.name}/{path.stem}", int(next(iter(times))), grooves))
    return tuple(found)


def styled(rng: Rng, style: Style) -> Score | None:
    """Return a piece in a style, or None where mma has nothing to play."""
    slowest, fastest = next(tempi for named, tempi in _TEMPI if re.search(named, style.name.lower()))
    bpm = float(rng.uniform(slowest, fastest) if rng.random() < 0.8 else np.exp(rng.uniform(np.log(64), np.log(190))))
    if rng.random() < 0.6:
        bpm = float(round(bpm))
    bars = int(np.clip(rng.uniform(28, 42) * bpm / 60 / style.metre, 10, 40))
    lines = [f"RndSeed {int(rng.integers(1, 9999))}", f"Tempo {bpm:.2f}", f"Use {style.name}"]
    chords = str(rng.choice(_CHORDS)).split()
    for bar in range(bars):
        if bar % 8 == 0:
            lines.append(f"Groove {rng.choice(style.grooves[: 6 if rng.random() < 0.8 else None])}")
        lines.append(f"{bar + 1} {chords[bar % 4]}")
    with tempfile.TemporaryDirectory() as folder:
        text, out = Path(folder) / "piece.mma", Path(folder) / "piece.mid"
        text.write_text("\n".join(lines) + "\n")
        done = subprocess.run(["mma", "-f", str(out), str(text)], capture_output=True, timeout=60, check=False)
        if done.returncode or not out.exists():
            return None
        file = mido.MidiFile(out)
    steady = rng.random() < 0.75
    seconds = bars * style.metre * 60 / bpm
    lead_s = min(lead_in(rng), 5.0)
    beats = (even if steady else moving)(rng, bpm, seconds + lead_s, lead_s)
    gap = float(np.median(np.diff(beats)))
    places = np.append(beats, beats[-1] + gap * np.arange(1, 60))
    score = Score(beats, np.arange(len(beats)) % style.metre + 1, length_s=float(beats[-1] + 2 * gap), steady=steady)
    _read(file, places, score)
    if not score.notes:
        return None
    if rng.random() < 0.2 and len({n.part for n in score.notes}) > 2:
        score.notes = [n for n in score.notes if n.part not in score.drums]
    elif rng.random() < 0.2:
        a = rng.uniform(0.1, 0.6) * score.length_s
        score.notes = [n for n in score.notes if n.part not in score.drums or not a < n.time_s < a + 9]
    if len(score.notes) < 20:
        return None
    first = min(n.time_s for n in score.notes)
    last = max(n.time_s for n in score.notes)
    heard = (score.beats > first - 2.5 * gap) & (score.beats < last + gap)
    score.beats, score.numbers = score.beats[heard], score.numbers[heard]
    return score


def _read(file: mido.MidiFile, places: np.ndarray, score: Score) -> None:
    """Put a file's notes into a score, each at its place among the beats."""
    at = np.arange(len(places))
    # mma begins with a tick of its own settings; the first beat is tick 0.
    for track in file.tracks:
        tick, open_notes, programs = 0, {}, {}
        for message in track:
            tick += message.time
            beat = tick / file.ticks_per_beat
            if message.type == "program_change":
                programs[message.channel] = message.program
            elif message.type == "note_on" and message.velocity:
                open_notes[message.channel, message.note] = (beat, message.velocity)
            elif message.type in ("note_on", "note_off") and (message.channel, message.note) in open_notes:
                began, force = open_notes.pop((message.channel, message.note))
                if began > len(places) - 2:
                    continue
                start, end = np.interp([began, min(beat, len(places) - 1)], at, places)
                drum = message.channel == 9
                part = DRUM_KINDS.get(message.note, "drums") if drum else f"part {message.channel}"
                if drum:
                    part = "drum " + part
                    score.drums.add(part)
                else:
                    score.programs[part] = programs.get(message.channel, 0)
                score.notes.append(Note(float(start), part, message.note, max(0.05, float(end - start)), force / 127))
    score.notes.sort()
