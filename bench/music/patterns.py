"""Pieces made of patterns: bare ones, and whole bands with sections, breaks, fills and a song's own tempo."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from bench.music.grooves import GROOVES, Groove
from bench.music.score import DRUM_KEYS, Note, Score
from bench.music.sounds import Rng

Times = NDArray[np.float64]
_PROGRESSIONS = (
    (0, 5, 3, 4),
    (0, 4, 5, 3),
    (5, 3, 0, 4),
    (0, 3),
    (0, 0, 3, 4),
    (0, 6, 5, 6),
    (0,),
    (1, 4, 0, 0),
    (0, 2, 3, 4),
    (0, 5),
    (0, 3, 0, 4),
)
_SCALES = ((0, 2, 4, 5, 7, 9, 11), (0, 2, 3, 5, 7, 8, 10), (0, 2, 3, 5, 7, 9, 10))
_PROGRAMS = {
    "bass": (32, 33, 34, 36, 38, 39),
    "strum": (24, 25, 26, 27),
    "keys": (0, 1, 4, 5, 16, 18),
    "pad": (48, 50, 88, 89, 90, 91, 95),
    "arp": (80, 81, 11, 12, 46, 6),
    "lead": (56, 65, 73, 80, 81, 22, 40, 66),
    "voice": (52, 53, 54, 85),
    "power": (29, 30),
    "stab": (61, 62, 17, 81, 4),
}


def even(rng: Rng, bpm: float, seconds: float, lead_s: float) -> Times:
    period = 60 / bpm
    return np.asarray(lead_s + np.arange(max(4, int((seconds - lead_s) / period))) * period)


def moving(rng: Rng, bpm: float, seconds: float, lead_s: float) -> Times:
    """Return beats of a tempo that drifts, ramps or steps, as a seed says."""
    way = rng.choice(["drift", "ramp", "step", "breath"], p=[0.45, 0.25, 0.2, 0.1])
    times, slow = [lead_s], 0.0
    turn, to = rng.uniform(0.3, 0.7) * seconds, float(rng.choice([0.8, 0.88, 0.94, 1.06, 1.14, 1.25, 1.4]))
    ramp = rng.uniform(-0.18, 0.18)
    while times[-1] < seconds:
        share = times[-1] / seconds
        slow = 0.97 * slow + rng.normal(0, 0.004)
        factor = {
            "drift": 1 + slow,
            "ramp": 1 + ramp * share,
            "step": to if times[-1] > turn else 1.0,
            "breath": 1 + 0.06 * np.sin(2 * np.pi * times[-1] / 9),
        }[str(way)]
        times.append(times[-1] + 60 / (bpm * factor) * (1 + (rng.normal(0, 0.008) if way == "drift" else 0)))
    return np.array(times[:-1])


def lead_in(rng: Rng) -> float:
    return float(
        rng.choice(
            [0.0, 0.02, rng.uniform(0, 0.5), rng.uniform(0.5, 2.5), rng.uniform(2, 9)], p=[0.15, 0.1, 0.35, 0.3, 0.1]
        )
    )


_BARE = (
    "kick",
    "clap",
    "click",
    "hat",
    "snare",
    "kick+hat",
    "kick+open",
    "kick+clap",
    "kick+snare",
    "kick+snare+hat",
    "snare24",
    "kick+eighths",
    "kick+sixteenths",
    "four+rand",
    "hat8",
    "accent click",
    "kick+offbass",
    "kick+pad",
    "boom clap",
    "tom",
    "rock bare",
    "kick13",
    "shaker16",
    "triplets",
)


# What a choice is most often wrong in: one sound alone, an accent by pitch or force, a bass between the kicks.
PLAIN = (
    *("kick", "clap", "click", "click", "hat", "snare24", "snare24", "kick+hat", "kick+clap", "kick+eighths"),
    *("accent click", "accent click", "accent force", "accent force", "kick+offbass", "kick+offbass", "kick+offbass"),
    *("four+rand", "kick+pad"),
)


def bare(rng: Rng, kinds: tuple[str, ...] = _BARE) -> Score:
    """Return the barest music: one or two sounds at any tempo, with a lead-in of any length."""
    kind = str(rng.choice(kinds))
    bpm = float(rng.choice([float(rng.integers(60, 201)), rng.uniform(60, 200)], p=[0.7, 0.3]))
    seconds = float(rng.uniform(12, 34))
    beats = even(rng, bpm, seconds, lead_in(rng))
    period = 60 / bpm
    numbers = np.zeros(len(beats), dtype=np.int64)
    score = Score(beats, numbers, length_s=float(beats[-1] + period + rng.uniform(0, 1.5)))
    place = np.arange(len(beats)) % 4
    force = rng.uniform(0.5, 1.0)

    def put(part: str, at: Times, loud: float = 1.0) -> None:
        score.drums.add(part)
        score.gains.setdefault(
            part, float(rng.uniform(0.5, 1.0) if part in ("kick", "snare", "clap") else rng.uniform(0.15, 0.9))
        )
        score.notes += [Note(float(t), part, DRUM_KEYS[part], 0.1, force * loud) for t in at]

    def bars() -> None:
        numbers[:] = place + 1

    half = beats + period / 2
    if kind in ("kick", "clap", "click", "hat", "snare", "tom"):
        put(kind, beats)
    elif kind in ("kick+hat", "kick+open"):
        put("kick", beats)
        put("hat" if kind == "kick+hat" else "open", half)
    elif kind == "kick+clap":
        put("kick", beats)
        put("clap", beats[place % 2 == 1])
    elif kind in ("kick+snare", "kick+snare+hat", "boom clap", "rock bare", "kick13"):
        put(
            "kick",
            beats[place % 2 == 0]
            if kind != "boom clap"
            else np.concatenate([beats[place == 0], beats[place == 2], half[place == 2]]),
        )
        if kind != "kick13":
            put(str(rng.choice(["snare", "clap", "rim"])), beats[place % 2 == 1])
        if kind in ("kick+snare+hat", "kick13"):
            put("hat", np.concatenate([beats, half]) if rng.random() < 0.6 else half if rng.random() < 0.5 else beats)
        if kind == "boom clap":
            bars()
    elif kind == "snare24":
        put(str(rng.choice(["snare", "snap", "rim"])), beats[place % 2 == 1])
    elif kind in ("kick+eighths", "kick+sixteenths"):
        put("kick", beats)
        parts = 2 if kind == "kick+eighths" else 4
        put(str(rng.choice(["hat", "shaker"])), np.concatenate([beats + period * i / parts for i in range(parts)]))
    elif kind == "four+rand":
        put("kick", beats)
        for part in rng.choice(
            ["hat", "open", "clap", "rim", "bell", "conga", "shaker", "tambourine", "ride"],
            rng.integers(1, 4),
            replace=False,
        ):
            steps = np.flatnonzero(rng.random(16) < rng.uniform(0.1, 0.5))
            put(str(part), np.concatenate([beats[place == s // 4] + period * (s % 4) / 4 for s in steps] or [half]))
    elif kind == "hat8":
        put("hat", np.concatenate([beats, half]), 0.6)
        put("hat", beats, 0.6)
    elif kind == "accent click":
        metre = int(rng.choice([2, 3, 4, 4, 5, 6, 7]))
        numbers[:] = np.arange(len(beats)) % metre + 1
        put("click", beats[numbers != 1])
        put("block", beats[numbers == 1])
        score.gains["block"] = float(rng.uniform(0.6, 1))
    elif kind == "accent force":
        metre = int(rng.choice([2, 3, 4, 4, 5, 6, 7]))
        numbers[:] = np.arange(len(beats)) % metre + 1
        part = str(rng.choice(["click", "block", "kick", "clap", "hat"]))
        put(part, beats[numbers != 1], float(rng.uniform(0.3, 0.7)))
        put(part, beats[numbers == 1])
        if rng.random() < 0.4:
            put("hat" if part != "hat" else "click", half, 0.5)
    elif kind in ("kick+offbass", "kick+pad"):
        put("kick", beats)
        if rng.random() < 0.5:
            put("hat", half)
        bars()
        long = period * (0.45 if kind == "kick+offbass" else 3.9)
        part = "bass" if kind == "kick+offbass" else "pad"
        keys = rng.choice([36, 38, 41, 43, 33], 4)
        for i, t in enumerate(beats):
            key = int(keys[i // 4 % 4])
            if part == "bass":
                score.notes.append(Note(float(t + period / 2), "bass", key, long, 0.8))
            elif place[i] == 0:
                score.notes += [Note(float(t), "pad", key + 24 + k, long, 0.5) for k in (0, 4, 7)]
        score.programs[part] = int(rng.choice(_PROGRAMS[part]))
        score.gains[part] = float(rng.uniform(0.2, 0.7))
    elif kind == "shaker16":
        put("shaker", np.concatenate([beats + period * i / 4 for i in range(4)]), 0.5)
        put("shaker", beats, 0.6)
    else:
        put("kick", beats)
        put("hat", np.concatenate([beats + period * i / 3 for i in range(3)]))
    if numbers.any() is np.False_ and kind in ("kick", "click") and rng.random() < 0.15 and len(beats) > 24:
        quiet = int(rng.integers(8, len(beats) - 12))
        gone = float(beats[quiet]), float(beats[min(len(beats) - 4, quiet + int(rng.integers(4, 12)))])
        score.notes = [n for n in score.notes if not gone[0] - 0.01 <= n.time_s < gone[1] - 0.01]
    return score


# Where something sounds between two kicks, in beats after the first of them.
_BETWEEN = ((0.5,), (0.5,), (0.5,), (0.25, 0.5, 0.75), (0.5, 0.75), (0.25, 0.75), (2 / 3,), (1 / 3, 2 / 3), (0.75,))


def between(rng: Rng) -> Score:
    """Return a kick on every beat, or on every second with a snare between, and something short and loud that has a pitch
    between the beats: the off-beat is the louder of the two as often as not, and the kick alone tells which is which."""
    bpm = float(rng.choice([float(rng.integers(60, 201)), rng.uniform(60, 200)], p=[0.7, 0.3]))
    beats = even(rng, bpm, float(rng.uniform(14, 34)), lead_in(rng))
    period = 60 / bpm
    place = np.arange(len(beats)) % 4
    score = Score(beats, place + 1, length_s=float(beats[-1] + period + rng.uniform(0, 1.5)))

    def put(part: str, at: Times, gain: float) -> None:
        score.drums.add(part)
        score.gains[part] = gain
        score.notes += [Note(float(t), part, DRUM_KEYS[part], 0.1, 0.9) for t in at]

    fours = rng.random() < 0.75
    put("kick", beats if fours else beats[place % 2 == 0], float(rng.uniform(0.6, 1.0)))
    if rng.random() < (0.3 if fours else 1.0):
        put(str(rng.choice(["clap", "snare"])), beats[place % 2 == 1], float(rng.uniform(0.3, 1.0)))
    if rng.random() < 0.35:
        put(str(rng.choice(["hat", "open", "shaker"])), beats + period / 2, float(rng.uniform(0.15, 0.7)))
    part, low = [("bass", 33), ("bass", 33), ("stab", 52), ("pluck", 57)][int(rng.integers(4))]
    steps = _BETWEEN[int(rng.integers(len(_BETWEEN)))]
    long_s = period * float(rng.choice([0.1, 0.2, 0.3, 0.45]))
    roots = low + rng.choice([0, 0, 0, 3, 5, 7, -2], 4)
    chord = (0, 4, 7) if part == "stab" else (0,)
    for bar, (number, beat) in zip(place, enumerate(beats), strict=True):
        root = int(roots[number // 4 % 4]) + (int(rng.choice([0, 12])) if part == "pluck" and bar else 0)
        score.notes += [Note(float(beat + s * period), part, root + k, long_s, 0.85) for s in steps for k in chord]
    score.voices[part] = str(rng.choice(["pulse", "pulse", "bass", "pluck", "keys"]))
    score.programs[part] = int(rng.choice([38, 39, 33, 36, 81, 87, 62] if part == "bass" else [62, 81, 4, 27, 45]))
    score.gains[part] = float(rng.uniform(0.35, 1.2))
    return score


def _vary(line: str, rng: Rng, rate: float) -> str:
    """Return a line with a few steps changed; what is on the beat stays."""
    out = list(line)
    for i in range(len(out)):
        if i % 4 and rng.random() < rate:
            out[i] = "o" if out[i] == "." else "."
    return "".join(out)


class Band:
    """A groove played along beats: drums, bass, chords and a lead, in sections that have some of them."""

    def __init__(self, rng: Rng, groove: Groove, beats: Times, pickup: int) -> None:
        self.rng, self.groove, self.beats = rng, groove, beats
        self.period = float(np.median(np.diff(beats)))
        self.pickup = pickup
        numbers = (np.arange(len(beats)) - pickup) % groove.metre + 1
        self.score = Score(beats, numbers, length_s=float(beats[-1] + 2 * self.period))
        self.swing = float(rng.uniform(*groove.swing)) if groove.div == 4 else 0.5
        self.jitter_s = float(rng.choice([0.0, 0.003, 0.008], p=[0.6, 0.25, 0.15]))
        self.scale, self.root = _SCALES[int(rng.integers(len(_SCALES)))], int(rng.integers(0, 12))
        self.progression = _PROGRESSIONS[int(rng.integers(len(_PROGRESSIONS)))]
        self.pace = float(rng.choice([0.5, 1, 1, 1, 2])) if groove.metre in (4, 6) else 1.0  # bars a chord lasts
        self.extended = np.append(beats, beats[-1] + self.period * np.arange(1, 40))

    def when(self, beat: float) -> float:
        """Return the instant of a place counted in beats from the first."""
        share = beat % 1
        if self.swing != 0.5:  # the second sixteenth of a half beat comes late
            half, part = share // 0.5 * 0.5, share % 0.5
            share = half + (
                part * 2 * self.swing if part <= 0.25 else 0.5 * (self.swing + (part - 0.25) / 0.25 * (1 - self.swing))
            )
        number = max(0, min(int(beat // 1), len(self.extended) - 2))
        return float(self.extended[number] + (self.extended[number + 1] - self.extended[number]) * share)

    def put(self, part: str, key: int, beat: float, long: float, force: float) -> None:
        if force <= 0 or beat < 0 or beat > len(self.beats):
            return
        jitter = self.rng.normal(0, self.jitter_s) if self.jitter_s else 0.0
        self.score.notes.append(
            Note(max(0.0, self.when(beat) + jitter), part, key, long * self.period, min(force, 1.0))
        )

    def key(self, degree: int, octave: int) -> int:
        return self.root + self.scale[degree % 7] + 12 * (octave + degree // 7)

    def chord_at(self, bar: float) -> int:
        return self.progression[int(bar / self.pace) % len(self.progression)]

    def drums(self, bars: list[tuple[int, set[str]]]) -> None:
        rng, groove = self.rng, self.groove
        lines = {part: _vary(str(rng.choice(options)), rng, 0.03) for part, options in groove.parts.items()}
        size = groove.metre * groove.div
        for part in lines:
            self.score.drums.add(part)
            self.score.gains[part] = float(
                rng.uniform(0.6, 1.0) if part in ("kick", "snare", "clap") else rng.uniform(0.15, 0.6)
            )
        fills = rng.random() < 0.5
        for bar, active in bars:
            fill = fills and bar % 8 == 7 and "snare" in active
            for part, line in lines.items():
                if part not in active:
                    continue
                shift = bar * size % len(line)
                for step in range(size):
                    mark = line[(shift + step) % len(line)]
                    if mark == "." or (fill and step >= size // 2 and part != "kick"):
                        continue
                    force = (0.85 if mark == "x" else 0.45) * rng.uniform(0.85, 1.1)
                    self.put(part, DRUM_KEYS[part], bar * groove.metre + self.pickup + step / groove.div, 0.2, force)
            if fill:
                for step in range(size // 2, size):
                    if rng.random() < 0.6:
                        self.put(
                            "snare",
                            38,
                            bar * groove.metre + self.pickup + step / groove.div,
                            0.1,
                            rng.uniform(0.4, 0.9),
                        )

    def bass(self, bars: list[tuple[int, set[str]]]) -> None:
        rng, metre = self.rng, self.groove.metre
        way = str(rng.choice(self.groove.bass.split(",")))
        if way == "none":
            return
        self.score.programs["bass"] = int(rng.choice(_PROGRAMS["bass"]))
        self.score.gains["bass"] = float(rng.uniform(0.25, 0.75))
        third = self.groove.div == 3
        halves = 2 / 3 if third else 0.5
        sync = (
            sorted({0.0, *rng.choice(np.arange(1, metre * 4) / 4, int(rng.integers(2, 6)), replace=False)})
            if not third
            else [0.0, 1 + 2 / 3, 2.0]
        )
        kicks = next(iter(self.groove.parts.get("kick", ("x...",))))
        for bar, active in bars:
            if "bass" not in active:
                continue
            begin = bar * metre + self.pickup
            degree = self.chord_at(bar)
            if way in ("whole", "long"):
                plays = [(0.0, float(metre), 0)] if way == "whole" else [(0.0, 1.5, 0), (1.5, 2.0, 0)]
            elif way == "quarters":
                plays = [(float(i), 0.9, 0) for i in range(metre)]
            elif way == "eighths":
                plays = [(i + h, 0.45, 0) for i in range(metre) for h in (0, halves)]
            elif way == "roll":
                plays = [(i + h, 0.2, 0) for i in range(metre) for h in (0.25, 0.5, 0.75)]
            elif way == "off":
                plays = [(i + halves, 0.4, 0) for i in range(metre)]
            elif way == "octaves":
                plays = [(i + h, 0.4, 7 * int(h > 0)) for i in range(metre) for h in (0, 0.5)]
            elif way == "walk":
                plays = [(float(i), 0.9, int(rng.choice([0, 2, 4, 1, 5])) if i else 0) for i in range(metre)]
            elif way == "twofeel":
                plays = [(float(i), 0.8, 4 * (i // 2 % 2)) for i in range(0, metre, 2 if metre != 3 else 3)]
            elif way == "bossa":
                plays = [(0, 1.4, 0), (1.5, 0.5, 4), (2, 1.4, 4), (3.5, 0.5, 0)]
            elif way == "tumbao":
                plays = [(1.5, 1.4, 4), (3.0, 1.9, 0)]
            elif way == "three":
                plays = [(0, 0.7, 0), (0.75, 0.7, 0), (1.5, 0.5, 4), (2, 0.7, 0), (2.75, 0.7, 0), (3.5, 0.5, 4)][
                    : 6 if metre >= 4 else 3
                ]
            elif way == "shuffle":
                plays = [(i + h, 0.4, 0 if i % 2 == 0 else 4) for i in range(metre) for h in (0, 2 / 3)]
            elif way == "kick":
                plays = [
                    (i / self.groove.div, 0.4, 0)
                    for i in range(metre * self.groove.div)
                    if kicks[i % len(kicks)] != "."
                ]
            else:  # sync, slap: a figure of the piece's own
                plays = [(s, 0.4, 7 if way == "slap" and n % 3 == 2 else 0) for n, s in enumerate(sync)]
            for at, long, up in plays:
                later = self.chord_at(bar + at / metre) if self.pace < 1 else degree
                self.put(
                    "bass", self.key(later + up, 3) - 12 * int(self.root > 7), begin + at, long, rng.uniform(0.7, 0.95)
                )

    def chords(self, bars: list[tuple[int, set[str]]], way: str, part: str) -> None:
        rng, metre = self.rng, self.groove.metre
        if way == "none":
            return
        family = {
            "strum": "strum",
            "scratch": "strum",
            "off": "strum",
            "pick": "strum",
            "power": "power",
            "chug": "power",
            "pad": "pad",
            "stabs": "stab",
            "arp": "arp",
            "seq": "arp",
        }.get(way, "keys")
        self.score.programs[part] = int(rng.choice(_PROGRAMS[family]))
        self.score.gains[part] = float(rng.uniform(0.08, 0.4))
        third = self.groove.div == 3
        halves = 2 / 3 if third else 0.5
        own = sorted({0.0, *rng.choice(np.arange(1, metre * 4) / 4, int(rng.integers(2, 5)), replace=False)})
        order = [int(n) for n in rng.choice([0, 1, 2, 3], 8)]
        up = rng.random() < 0.5
        for bar, active in bars:
            if part not in active:
                continue
            begin, span = bar * metre + self.pickup, (0, 2, 4) if way not in ("power", "chug") else (0, 4, 7)
            whole = [(float(h), metre * min(1.0, self.pace), 0) for h in (np.arange(0, 1, min(1, self.pace)) * metre)]
            single = way in ("arp", "seq", "pick", "trip")
            if way == "pad":
                plays = whole
            elif way == "stabs":
                plays = [(s, 0.3, 0) for s in own]
            elif way == "off":
                plays = [(i + halves, 0.3, 0) for i in range(metre)]
            elif way == "three":
                plays = [(s, 0.6, 0) for s in (0, 0.75, 1.5, 2, 2.75, 3.5) if s < metre]
            elif way in ("strum", "scratch"):
                stroke = "x.xx.xxx" if way == "strum" and up else "x.x.x.x." if way == "strum" else "x-xx-xx-"
                plays = [
                    (i / 2 + (0.17 if third and i % 2 else 0), 0.45 if way == "strum" else 0.15, i % 2)
                    for i in range(metre * 2)
                    if stroke[i % 8] == "x"
                ]
            elif way in ("power", "chug"):
                plays = [
                    (i / (2 if way == "power" else 4), 0.4 if way == "power" else 0.2, 0)
                    for i in range(metre * (2 if way == "power" else 4))
                    if way == "power" or i % 4 != 3
                ]
            elif way == "waltz":
                plays = [(float(i), 0.6, 0) for i in range(1, metre)]
            elif way in ("arp", "seq"):
                plays = (
                    [(i / 4, 0.3, order[i % 8]) for i in range(metre * 4)]
                    if not third
                    else [(i / 3, 0.3, order[i % 8]) for i in range(metre * 3)]
                )
            elif way == "pick":
                plays = (
                    [(i / 2, 0.6, order[i % 8]) for i in range(metre * 2)]
                    if not third
                    else [(i / 3, 0.5, order[i % 6]) for i in range(metre * 3)]
                )
            elif way == "trip":
                plays = [(i / 3, 0.4, i % 3) for i in range(metre * 3)]
            elif way == "montuno":
                plays = [(s, 0.3, 0) for s in (0, 0.5, 1, 1.75, 2.25, 2.75, 3.25, 3.75)]
            elif way == "comp":
                plays = [(0.0, 0.5, 0), (1 + 2 / 3, 0.4, 0)] if bar % 2 == 0 else [(2 / 3, 0.4, 0), (2.0, 0.5, 0)]
            elif way == "shuffle":
                plays = [(i + h, 0.35, 0) for i in range(metre) for h in (0, 2 / 3)]
            else:  # keys
                plays = [(float(i), 0.9, 0) for i in range(metre)] if up else whole
            for at, long, note in plays:
                degree = self.chord_at(bar + at / metre if self.pace < 1 else bar)
                loud = rng.uniform(0.5, 0.75) * (1.15 if at == 0 else 1.0)
                if single:
                    self.put(part, self.key(degree + (0, 2, 4, 7)[note % 4], 5), begin + at, long, loud)
                else:
                    for tone in span:
                        self.put(
                            part,
                            self.key(degree + tone, 5) if family != "power" else self.key(degree + tone, 4),
                            begin + at,
                            long,
                            loud,
                        )

    def lead(self, bars: list[tuple[int, set[str]]]) -> None:
        """Play or sing a line of two or four bars, come again with small changes, begun before the bar now and then."""
        rng, metre = self.rng, self.groove.metre
        sung = rng.random() < 0.5
        self.score.programs["lead"] = int(rng.choice(_PROGRAMS["voice" if sung else "lead"]))
        self.score.gains["lead"] = float(rng.uniform(0.15, 0.6))
        size = int(rng.choice([2, 4]))
        grain = 1 / 3 if self.groove.div == 3 else float(rng.choice([0.5, 0.25]))
        line: list[tuple[float, float, int]] = []
        at, degree = float(rng.choice([0, 0, -0.5, -1, 0.5, 1])), int(rng.integers(0, 7))
        while at < size * metre - 1:
            long = grain * float(rng.choice([1, 2, 2, 3, 4, 6]))
            degree = int(np.clip(degree + rng.integers(-2, 3), -2, 9))
            if rng.random() < 0.8:
                line.append((at, long * 0.95, degree))
            at += long
        late = rng.uniform(-0.03, 0.05) if sung else 0.0
        for bar, active in bars:
            if "lead" in active and bar % size == 0:
                for at, long, degree in line:
                    if rng.random() < 0.95:
                        self.put(
                            "lead",
                            self.key(degree, 5),
                            bar * metre + self.pickup + at + late,
                            long,
                            rng.uniform(0.6, 0.9),
                        )


def band(rng: Rng, groove: Groove | None = None, seconds: float | None = None, at: Times | None = None) -> Score:
    """Return a piece by a band in one of the grooves, with sections; on beats `at` these seconds where they are given."""
    groove = groove or GROOVES[int(rng.integers(len(GROOVES)))]
    stretch = rng.uniform(0.93, 1.07)
    bpm = float(np.clip(rng.uniform(*groove.bpm) * stretch, 42, 215))
    if rng.random() < 0.6:
        bpm = float(round(bpm))
    seconds = seconds or float(rng.uniform(26, 46))
    steady = rng.random() < 0.8 or groove.name in ("house", "techno", "trance")
    pickup = int(rng.integers(0, groove.metre)) if rng.random() < 0.2 else 0
    beats = (even if steady else moving)(rng, bpm, seconds, lead_in(rng)) if at is None else at
    player = Band(rng, groove, beats, pickup)
    player.score.steady = steady
    count = (len(beats) - pickup) // groove.metre + 1
    everything = {*groove.parts, "bass", "chords", "pad", "lead"}
    keep = {
        p
        for p in sorted(everything)  # a set's own order is another in every process
        if rng.random()
        < {"kick": 0.96, "snare": 0.93, "bass": 0.85, "chords": 0.8, "pad": 0.35, "lead": 0.5}.get(p, 0.75)
    }
    if not keep & {"kick", "snare", "clap", "chords", "bass", "lead"}:
        keep |= {"chords", "bass"}
    bars: list[tuple[int, set[str]]] = []
    bar = 0
    while bar < count:
        long = int(rng.choice([2, 4, 4, 8, 8, 16]))
        active = set(keep)
        if rng.random() < 0.4:
            drop = rng.choice(["drums", "kick", "lead", "one"], p=[0.3, 0.15, 0.25, 0.3])
            if drop == "drums" and (keep & {"bass", "chords", "lead"} - {"pad"}):
                active -= set(groove.parts)
            elif drop == "kick":
                active -= {"kick"}
            elif drop == "lead":
                active -= {"lead", "chords"}
            elif active:
                active -= {str(rng.choice(sorted(active)))}
        bars += [(b, active or set(keep)) for b in range(bar, min(bar + long, count))]
        bar += long
    player.drums(bars)
    player.bass(bars)
    ways = (groove.chords or "pad").split(",")
    player.chords(bars, str(rng.choice(ways)), "chords")
    player.chords(bars, "pad", "pad")
    player.lead(bars)
    score = player.score
    score.notes = [n for n in score.notes if n.time_s < score.length_s - 0.2]
    first = min((n.time_s for n in score.notes), default=0.0)
    heard = score.beats > first - 2.5 * player.period  # beats before anything sounds are not to be known
    last = max((n.time_s + n.long_s for n in score.notes), default=0.0)
    heard &= score.beats < last + 0.05
    score.beats, score.numbers = score.beats[heard], score.numbers[heard]
    return score
