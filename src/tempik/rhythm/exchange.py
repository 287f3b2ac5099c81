"""Points in other programs' files: CSV, label tracks, Standard MIDI Files (SMF 1.0: tempo map and bar lines).

A file is read whole or not at all. What can be put right without guessing (order, rows given twice) is put right and
said; what cannot is one sentence with the row's number.
"""

from __future__ import annotations

import csv
import io
import math
from bisect import bisect_right
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any, NamedTuple

import mido
import numpy as np

from tempik.digits import parse_int
from tempik.disk.reading import read_whole, shortened
from tempik.errors import TempikError
from tempik.rhythm.records import Mark

SUFFIXES = (".csv", ".txt", ".mid")
_MOST = 200_000
_MOST_BEATS = 50_000  # four hours at 200 a minute
_MOST_MB = 16
_MOST_MIDI = 2_000_000  # bytes
_TICKS = 960
_LEAD = "what lies before the first beat"
_NO_LEAD_S = 0.002  # a first beat so near the beginning is at it
_LEAST_LEAD_BEAT_S = 0.2
_PARTS = (1, 2, 4, 8, 16, 32, 64)  # into which a beat is cut for a short lead


class Marks(NamedTuple):
    """What a file held, in order of time, and sentences on what was put right."""

    marks: tuple[Mark, ...]
    notes: tuple[str, ...]


def read_marks(path: Path) -> Marks:
    """Read points from a CSV, a label track or a MIDI file. Raises TempikError with the row that is wrong."""
    data = read_whole(path, _MOST_MB)
    if data[:4] == b"MThd" or path.suffix.lower() in (".mid", ".midi"):
        if len(data) > _MOST_MIDI:
            raise TempikError(
                f"{path} is larger than a tempo map is ({_MOST_MIDI // 1000} kB); export its tempo and markers alone."
            )
        return _read_midi(path, data)
    try:
        text = data.decode("utf-8-sig")
    except UnicodeDecodeError:
        raise TempikError(f"{path} is not text in UTF-8; write the points as CSV, labels or MIDI.") from None
    rows = [r for r in text.splitlines() if r.strip() and not r.lstrip().startswith("#")]
    if not rows:
        raise TempikError(f"{path} holds no rows; a point is a line that begins with its time in seconds.")
    if len(rows) > _MOST:
        raise TempikError(f"{path} has {len(rows)} rows, more than {_MOST}; cut it down to the points wanted.")
    return _ordered(path, _read_labels(path, rows) if "\t" in rows[0] else _read_csv(path, rows))


def _read_csv(path: Path, rows: list[str]) -> list[Mark]:
    try:
        table = list(csv.reader(rows))
    except csv.Error as error:
        raise TempikError(
            f"{path} is no table that can be read ({error}); write the points as CSV, labels or MIDI."
        ) from None
    head = [c.strip().lower() for c in table[0]]
    named = any(_number(c) is None for c in head[:1])
    columns = {name: i for i, name in enumerate(head)} if named else {"time_s": 0, "bar": 1, "beat": 2}
    place = next((columns[n] for n in ("time_s", "time", "seconds", "start") if n in columns), None)
    if place is None:
        raise TempikError(f"{path} has no column 'time_s'; give the seconds of each point a column of that name.")
    out = []
    for number, row in enumerate(table[1:] if named else table, 2 if named else 1):

        def cell(name: str, row: list[str] = row) -> str:
            at = columns.get(name)
            return row[at].strip() if at is not None and at < len(row) else ""

        time_s = _time(path, number, row[place] if place < len(row) else "")
        counts = []
        for name in ("bar", "beat"):
            text = cell(name)
            value = _number(text) if text else 0.0
            if value is None or abs(value) > 1e9 or value != int(value):
                raise TempikError(
                    f"{path}, row {number}: {name} '{shortened(text)}' is not a whole number; mend or remove it."
                )
            counts.append(int(value))
        strength = _number(cell("strength")) if cell("strength") else 1.0
        if strength is None:
            raise TempikError(
                f"{path}, row {number}: strength '{shortened(cell('strength'))}' is not a number; mend or remove it."
            )
        out.append(Mark(time_s, cell("name"), counts[0], max(0, counts[1]), min(max(strength, 0.0), 1.0)))
    return out


def _read_labels(path: Path, rows: list[str]) -> list[Mark]:
    out = []
    for number, row in enumerate(rows, 1):
        if row.startswith("\\"):
            continue  # a line of spectral bounds that some programs add to a label
        parts = [*row.split("\t"), ""]  # a time alone will do
        name = parts[2].strip() if len(parts) > 2 else parts[1].strip() if _number(parts[1]) is None else ""
        bar, beat = _bar_beat(name)
        out.append(Mark(_time(path, number, parts[0]), "" if beat else name, bar, beat))
    return out


def _bar_beat(name: str) -> tuple[int, int]:
    bar, dot, beat = name.partition(".")
    counted, counted_beat = parse_int(bar), parse_int(beat)
    if dot and counted is not None and counted_beat is not None and 1 <= counted_beat <= 32:
        return counted, counted_beat
    return 0, 0


def _time(path: Path, number: int, text: str) -> float:
    value = _number(text)
    if value is None:
        raise TempikError(
            f"{path}, row {number}: '{shortened(text.strip())}' is not a time in seconds; mend or remove the row."
        )
    if value < 0:
        raise TempikError(f"{path}, row {number}: {value:g} s lies before the song begins; mend or remove the row.")
    return value


def _number(text: str) -> float | None:
    try:
        value = float(text.strip())
    except ValueError:
        return None
    return value if math.isfinite(value) else None


def _ordered(path: Path, marks: list[Mark]) -> Marks:
    notes = []
    ordered = sorted(marks, key=lambda m: m.time_s)
    if ordered != marks:
        notes.append(f"The rows of {path.name} were not in order of time; they were sorted.")
    out: list[Mark] = []
    for mark in ordered:
        if out and abs(mark.time_s - out[-1].time_s) < 1e-4:
            out[-1] = out[-1] if out[-1].beat or not mark.beat else mark
        else:
            out.append(mark)
    if len(out) < len(ordered):
        notes.append(f"{len(ordered) - len(out)} rows of {path.name} stood at the time of another and were left out.")
    return Marks(tuple(out), tuple(notes))


def write_marks(marks: Sequence[Mark], suffix: str, metre: int = 4) -> bytes:
    """Return points as a file's contents: `.csv`, `.txt` (labels) or `.mid`. Raises TempikError for another suffix."""
    ending = suffix.lower()
    if ending == ".csv":
        out = io.StringIO()
        writer = csv.writer(out, lineterminator="\n")
        writer.writerow(("time_s", "bar", "beat", "strength", "name"))
        for m in marks:
            writer.writerow((f"{m.time_s:.6f}", m.bar if m.beat else "", m.beat or "", f"{m.strength:.3f}", m.name))
        return out.getvalue().encode()
    if ending == ".txt":
        rows = (f"{m.time_s:.6f}\t{m.time_s:.6f}\t{m.name or (f'{m.bar}.{m.beat}' if m.beat else '')}" for m in marks)
        return ("\n".join(rows) + "\n").encode()
    if ending in (".mid", ".midi"):
        return _write_midi(marks, metre)
    raise TempikError(f"Points are written as .csv, .txt (labels) or .mid, not as '{suffix}'; choose one of these.")


def _fill(track: Any, events: Sequence[tuple[int, Any]]) -> None:
    """Put events in order of their ticks onto a track, which counts from each to the next."""
    last = 0
    for when, event in events:
        track.append(event.copy(time=when - last))
        last = when


def _lead(times: Sequence[float]) -> tuple[int, int]:
    """Return how many notes lie before the first beat, and how many of them make a beat. They have a tempo and a bar of their own;
    a short lead is a short note, since programs take no tempo of thousands."""
    if not times[0]:
        return 0, 1
    lead = max(1, round(times[0] / (times[1] - times[0])))
    return lead, next((p for p in _PARTS if times[0] / lead * p >= _LEAST_LEAD_BEAT_S), _PARTS[-1])


def _write_midi(marks: Sequence[Mark], metre: int) -> bytes:
    """Return a tempo map whose beats fall on the given ones, a bar line on each downbeat, and a click on every mark."""
    beats = [m for m in marks if m.beat]
    song = mido.MidiFile(type=1, ticks_per_beat=_TICKS)
    head, clicks = mido.MidiTrack(), mido.MidiTrack()
    song.tracks += [head, clicks]
    events: list[tuple[int, int, mido.MetaMessage]] = []
    times = [m.time_s for m in beats]
    if len(beats) < 2:
        times, beats = [0.0, 0.5], []
    if times[0] < _NO_LEAD_S:
        times[0] = 0.0
    lead, parts = _lead(times)
    lead_ticks = lead * _TICKS // parts
    at_tick, at_s = 0, 0.0
    spans = [(lead / parts, times[0])] if lead else []
    spans += [(1, b - a) for a, b in zip(times, times[1:], strict=False)]
    known = 0
    anchors = [(0, 0.0)]
    wanted_s = 0.0
    for count, seconds in spans:
        # Tempi are whole microseconds: what rounding leaves is made good by the next beat, so nothing drifts.
        wanted_s += seconds
        tempo = min(max(1, round((wanted_s - at_s) / count * 1e6)), 0xFFFFFF)
        if tempo != known:
            events.append((at_tick, 1, mido.MetaMessage("set_tempo", tempo=tempo)))
            known = tempo
        at_tick += round(count * _TICKS)
        at_s += count * tempo / 1e6
        anchors.append((at_tick, at_s))
    if lead:
        events.append((0, 0, mido.MetaMessage("text", text=_LEAD)))
        events.append((0, 0, mido.MetaMessage("time_signature", numerator=lead, denominator=4 * parts)))
    pickup = next((i for i, b in enumerate(beats) if b.beat == 1), 0)
    if pickup:
        events.append((lead_ticks, 0, mido.MetaMessage("time_signature", numerator=pickup, denominator=4)))
    events.append((lead_ticks + pickup * _TICKS, 0, mido.MetaMessage("time_signature", numerator=metre, denominator=4)))

    def tick(time_s: float) -> int:
        for (a, a_s), (b, b_s) in zip(anchors, anchors[1:], strict=False):
            if time_s <= b_s + 1e-9:
                return round(a + (time_s - a_s) / max(b_s - a_s, 1e-9) * (b - a))
        return round(anchors[-1][0] + (time_s - anchors[-1][1]) / (known / 1e6) * _TICKS)

    notes = []
    for mark in marks:
        if mark.name:
            events.append((tick(mark.time_s), 2, mido.MetaMessage("marker", text=mark.name)))
        at = max(0, tick(mark.time_s))
        key = 76 if mark.beat == 1 else 77 if mark.beat else 75
        velocity = round(1 + 126 * mark.strength)
        notes += [(at, mido.Message("note_on", channel=9, note=key, velocity=velocity))]
        notes += [(at + _TICKS // 8, mido.Message("note_off", channel=9, note=key))]
    _fill(head, [(when, event) for when, _, event in sorted(events, key=lambda e: (e[0], e[1]))])
    _fill(clicks, sorted(notes, key=lambda n: n[0]))
    out = io.BytesIO()
    song.save(file=out)
    return out.getvalue()


def _clock(tempi: list[tuple[int, int]], ticks_per_beat: int) -> Callable[[float], float]:
    """Return the seconds at a tick under tempi (microseconds a beat) in order of their ticks, the first at 0."""
    at, tempo = np.array(tempi, dtype=float).T
    begun = np.concatenate([[0.0], np.cumsum(np.diff(at) * tempo[:-1])]) / 1e6 / ticks_per_beat

    def seconds(tick: float) -> float:
        n = max(int(np.searchsorted(at, tick)) - 1, 0)  # a tempo holds from after its own tick
        return float(begun[n] + (tick - at[n]) * tempo[n] / 1e6 / ticks_per_beat)

    return seconds


def _read_midi(path: Path, data: bytes) -> Marks:
    """Return every beat of a MIDI file's tempo map with its bar, and its markers as named points."""
    try:
        song = mido.MidiFile(file=io.BytesIO(data))
    except Exception as error:  # the library raises whatever a damaged file leads it to
        raise TempikError(
            f"{path} is not a Standard MIDI File that can be read ({shortened(error)}); export it again."
        ) from error
    if song.ticks_per_beat <= 0:
        raise TempikError(f"{path} counts time in video frames, not in beats; export it with a tempo map.")
    tempi, signatures, markers, end = [(0, 500_000)], [(0, 4, 4)], [], 0
    led = False
    for track in song.tracks:
        at = 0
        for event in track:
            at += event.time
            if event.type == "set_tempo":
                tempi.append((at, event.tempo))
            elif event.type == "time_signature":
                signatures.append((at, event.numerator, event.denominator))
            elif event.type == "text" and event.text == _LEAD:
                led = True
            elif event.type in ("marker", "cue_marker"):
                markers.append((at, str(event.text)))
            if event.type != "end_of_track":
                end = max(end, at)
    tempi.sort(key=lambda t: t[0])
    signatures.sort(key=lambda s: s[0])
    seconds = _clock(tempi, song.ticks_per_beat)
    changes = [s[0] for s in signatures]
    out: list[Mark] = []
    # In our own files the first signature's bar is what lies before the first beat.
    tick, bar, beat = float(signatures[2][0]) if led and len(signatures) > 2 else 0.0, 1, 1
    while tick <= end + 1e-6:
        if len(out) >= _MOST_BEATS:
            raise TempikError(f"{path} counts more than {_MOST_BEATS} beats; cut it down to the song's length.")
        began, over, under = signatures[bisect_right(changes, tick + 1e-6) - 1]
        if abs(began - tick) < 1e-6 and beat != 1:
            bar, beat = bar + 1, 1  # a new signature begins a bar
        step, count = song.ticks_per_beat * 4 / under, over
        if under >= 8 and over % 3 == 0 and over > 3:
            step, count = step * 3, over // 3  # 6/8 is counted in two
        out.append(Mark(round(seconds(tick), 6), "", bar, beat))
        tick, beat = tick + step, beat + 1
        if beat > count:
            bar, beat = bar + 1, 1
    if len(out) < 2 and not markers:
        raise TempikError(f"{path} holds no bars; export it with its notes or markers.")
    marks = out + [Mark(round(seconds(t), 6), text) for t, text in markers]
    return Marks(tuple(sorted(marks, key=lambda m: m.time_s)), ())
