"""Rhythm points of a song: analysis from file to points, kept by the file's contents."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from concurrent.futures import ThreadPoolExecutor

import numpy as np
from msgspec.structs import replace
from numpy.typing import NDArray

from tempik.errors import TempikError
from tempik.rhythm.attack import fine_power, fine_rise
from tempik.rhythm.beats import Counted, find_beats
from tempik.rhythm.features import FRAME_RATE, Features, features
from tempik.rhythm.filters import running_max
from tempik.rhythm.front import listen
from tempik.rhythm.onsets import find_onsets
from tempik.rhythm.records import SAMPLE_RATE, Analysis, BarReading, Beat, Onset, Rival, Section
from tempik.rhythm.sections import find_sections
from tempik.rhythm.tempi import tempi, usual_tempo

BY_CHANCE = 0.35  # fewer onsets on the grid than this speaks for are on it by chance
_DENSE_HZ = 3.0
_LOOKS = 1e5
# So much silence is heard before a song: an attack is told by what was before it, and songs are often cut on their first beat.
# A whole number of every step in which a song is looked at.
LEAD_S = 0.2

Report = Callable[[float], None]


def analyse_parts(parts: Iterable[NDArray[np.float32]], path: str, tell: Report) -> Analysis:
    """Analyse a song given in one part or, where it is long, in several: mono, shape (n,), SAMPLE_RATE a second. Raises
    TempikError when it is too short."""
    done: list[Analysis] = []
    for number, samples in enumerate(parts):
        if number == 0 and len(samples) < SAMPLE_RATE // 2:
            raise TempikError(f"{path} lasts less than half a second; choose a longer song.")
        tell(0.35 if number == 0 else 0.95)
        # Later parts begin within the music: silence before them would be heard as an attack.
        done.append(analyse_samples(samples, tell) if number == 0 else _analysed(samples, lambda share: None))
    return done[0] if len(done) == 1 else _joined(done)


def _joined(parts: list[Analysis]) -> Analysis:
    """Return the analyses of a long song's parts as one, bars counted on. A long mix is followed, part by part."""
    beats: list[Beat] = []
    onsets: list[Onset] = []
    sections: list[Section] = []
    drops: list[float] = []
    start_s, bars = 0.0, 0
    for part in parts:
        for beat in part.beats:
            time_s = beat.time_s + start_s
            if not beats or time_s - beats[-1].time_s > 0.15:
                beats.append(Beat(time_s, beat.strength, beat.bar + bars, beat.beat, beat.other_s + start_s))
        onsets += [Onset(o.time_s + start_s, o.strength, o.band) for o in part.onsets]
        sections += [Section(s.start_s + start_s, s.end_s + start_s, s.level, s.name) for s in part.sections]
        drops += [d + start_s for d in part.drops]
        start_s += part.length_s
        bars = beats[-1].bar if beats else 0
    with_beats = [p for p in parts if p.beats]
    tempo = float(np.median([p.tempo_bpm for p in with_beats])) if with_beats else 0.0
    metre = max((p.metre for p in with_beats), key=[p.metre for p in with_beats].count, default=4)
    division_ = max((p.division for p in with_beats), key=[p.division for p in with_beats].count, default=2)
    confidence = float(np.mean([p.confidence for p in parts]))
    return Analysis(
        start_s, tempo, metre, division_, False, confidence, tuple(beats), tuple(onsets), tuple(sections), tuple(drops)
    )


def analyse_samples(samples: NDArray[np.float32], report: Report = lambda share: None) -> Analysis:
    """Analyse mono samples at `records.SAMPLE_RATE`."""
    lead = np.zeros(round(LEAD_S * SAMPLE_RATE), np.float32)
    return _earlier(_analysed(np.concatenate([lead, samples]), report, LEAD_S), LEAD_S)


def _earlier(found: Analysis, by_s: float) -> Analysis:
    """Return an analysis with everything so much earlier, nothing before 0."""

    def at(time_s: float) -> float:
        return round(max(0.0, time_s - by_s), 6)

    def beats(of: tuple[Beat, ...]) -> tuple[Beat, ...]:
        return tuple(replace(b, time_s=at(b.time_s), other_s=at(b.other_s)) for b in of)

    return replace(
        found,
        length_s=found.length_s - by_s,
        beats=beats(found.beats),
        onsets=tuple(replace(o, time_s=at(o.time_s)) for o in found.onsets),
        sections=tuple(replace(s, start_s=at(s.start_s), end_s=at(s.end_s)) for s in found.sections),
        drops=tuple(at(d) for d in found.drops),
        rivals=tuple(replace(r, beats=beats(r.beats)) for r in found.rivals),
    )


def _analysed(samples: NDArray[np.float32], report: Report, begins_s: float = 0.0) -> Analysis:
    """Analyse mono samples of which the song's own begin at `begins_s`."""
    with ThreadPoolExecutor(1) as pool:
        rising = pool.submit(fine_rise, samples)
        found, power = features(samples), fine_power(samples)
        rise = rising.result()
    heard = listen(found.bands)
    report(0.6)
    beats = find_beats(power, found, rise, heard, begins_s)
    report(0.9)
    length_s = len(samples) / SAMPLE_RATE
    onsets = find_onsets(power, found, rise, heard)
    if not beats.ways or beyond_chance(beats.ways[0].times_s, onsets) < BY_CHANCE:
        sections = find_sections(found, np.empty(0), np.empty(0))
        return Analysis(
            length_s, confidence=beats.confidence, onsets=onsets, sections=sections.sections, drops=sections.drops
        )
    first = beats.ways[0]
    sections = find_sections(found, first.times_s, first.times_s[first.places == 0])
    return Analysis(
        length_s=length_s,
        tempo_bpm=_tempo(first),
        metre=first.metre,
        division=division(first.times_s, found),
        steady=first.steady,
        confidence=beats.confidence,
        beats=_beats(first, found),
        onsets=onsets,
        sections=sections.sections,
        drops=sections.drops,
        rivals=tuple(
            Rival(_tempo(way), way.metre, way.steady, round(way.belief, 4), _beats(way, found), _bars(way))
            for way in beats.ways[1:]
        ),
        bars=_bars(first),
    )


def _tempo(way: Counted) -> float:
    """Return the beats a minute of the longest stretch of one tempo: the middle of all gaps may be a tempo that is never played."""
    return usual_tempo(tempi(way.times_s.tolist()))


def _bars(way: Counted) -> tuple[BarReading, ...]:
    return tuple(BarReading(metre, first, round(share, 4)) for metre, first, share in way.readings)


def _beats(way: Counted, found: Features) -> tuple[Beat, ...]:
    strength = beat_strength(way.times_s, found, way.places == 0)
    return tuple(
        Beat(round(float(t), 6), round(float(s), 3), int(bar), int(place) + 1, round(float(o), 6))
        for t, s, bar, place, o in zip(way.times_s, strength, way.bars, way.places, way.other_s, strict=True)
    )


def beyond_chance(times_s: NDArray[np.float64], onsets: tuple[Onset, ...]) -> float:
    """Return how far more onsets lie on beats and their halves than would by chance, 0 to 1; 1 where onsets are dense. `times_s` are the
    beats, shape (n,).

    A grid chosen among a hundred thousand (tempi, phases) meets some of any few onsets, so the evidence, by Chernoff's
    bound on the binomial, must go beyond that number. Dense onsets fill every grid and say nothing here; how strong
    they are on the beat does.
    """
    if len(times_s) < 4:
        return 0.0
    hits = np.array(
        [o.time_s for o in onsets if times_s[0] - 0.1 <= o.time_s <= times_s[-1] + 0.1 and o.strength > 0.3]
    )
    if len(hits) < 6:
        return 0.0
    count = len(hits)
    if count > _DENSE_HZ * (times_s[-1] - times_s[0]):
        return 1.0
    evidence = 0.0
    for lattice in (times_s, np.sort(np.concatenate([times_s, (times_s[1:] + times_s[:-1]) / 2]))):
        at = np.clip(np.searchsorted(lattice, hits), 1, len(lattice) - 1)
        off = np.minimum(np.abs(hits - lattice[at - 1]), np.abs(hits - lattice[at]))
        chance = min(0.06 / float(np.median(np.diff(lattice))), 0.8)
        met = min(float((off < 0.03).mean()), 1 - 1e-9)
        if met > chance:
            apart = met * np.log(met / chance) + (1 - met) * np.log((1 - met) / (1 - chance))
            evidence = max(evidence, count * float(apart))
    return float(np.clip((evidence - np.log(_LOOKS)) / 8, 0, 1))


def division(times_s: NDArray[np.float64], heard: Features) -> int:
    """Return whether beats, at seconds of shape (n,), divide into 3 (both thirds are struck) or 2."""
    gaps = np.diff(times_s)
    reach = running_max(heard.onset, 5)

    def at(share: float) -> float:
        places = np.round((times_s[:-1] + share * gaps) * FRAME_RATE).astype(int)
        return float(reach[np.clip(places, 0, len(reach) - 1)].mean())

    return 3 if min(at(1 / 3), at(2 / 3)) > 1.3 * at(1 / 2) else 2


def beat_strength(times_s: NDArray[np.float64], heard: Features, downbeat: NDArray[np.bool_]) -> NDArray[np.float64]:
    """Return how strong each beat sounds, 0 to 1: its attack, how loud the song is there, and its place in the bar. All of
    shape (n,)."""
    reach = running_max(heard.onset, 5)
    at = np.clip(np.round(times_s * FRAME_RATE).astype(int), 0, len(reach) - 1)
    attack = reach[at]
    attack = attack / (np.percentile(attack, 90) + 1e-6)
    loud = running_max(heard.loudness, 11)[np.clip(at + 4, 0, len(reach) - 1)]
    quiet, full = np.percentile(loud, 5), np.percentile(loud, 95)
    level = np.clip((loud - min(quiet, full - 12)) / max(full - quiet, 12), 0, 1)
    return np.asarray(np.clip(0.58 * np.minimum(attack, 1) + 0.34 * level + 0.08 * downbeat, 0.02, 1), dtype=np.float64)
