"""Bare music at any tempo, and songs that are not one grid: glued, paused, talked into, changing metre, clipped."""

import os
import subprocess
import sys

import numpy as np
import pytest
from bench.bare import KINDS, made
from bench.music.grooves import GROOVES
from bench.music.mix import own_sound
from bench.music.patterns import band as played_band
from bench.music.patterns import bare

from made_music import Samples, band, joined, steady
from tempik.rhythm import Analysis
from tempik.rhythm.points import analyse_samples
from tempik.rhythm.records import SAMPLE_RATE
from tempik.rhythm.tempi import tempi, tempo_words


def times_of(found: Analysis) -> np.ndarray:
    return np.array([b.time_s for b in found.beats])


def met(truth: np.ndarray, found: np.ndarray, within_s: float = 0.02) -> float:
    """The share of true beats that have a found one as near."""
    return float((np.abs(truth[:, None] - found).min(axis=1) <= within_s).mean()) if len(found) else 0.0


# A bass as short as a kick between slow kicks is as well read twice as fast, and a slow clap all alone is the backbeat of
# twice its tempo. Every tempo: ./run bench beats --bare.
EITHER = {("kick, off-beat bass", 60), ("clap", 60)}
BARE = [(k, b) for k in KINDS for b in (60, 93, 128, 174) if (k, b) not in EITHER]
# Where the bass is the louder it once was the beat.
BARE += [("kick, off-beat bass", b) for b in (112, 140, 162, 195)]


@pytest.mark.slow
@pytest.mark.parametrize(("kind", "bpm"), BARE)
def test_bare_music_is_read_at_its_tempo_and_on_its_beats(kind: str, bpm: int) -> None:
    samples, beats = made(kind, bpm, 0.37)
    found = analyse_samples(samples)
    assert found.tempo_bpm == pytest.approx(bpm, rel=0.005)
    assert met(beats, times_of(found)) > 0.9


@pytest.mark.parametrize("lead_s", [0.0, 0.5, 3.0, 11.0])
def test_a_lead_in_of_any_length_moves_nothing(lead_s: float) -> None:
    samples, beats = made("kick and hat", 128, lead_s, 24 + lead_s)
    found = times_of(analyse_samples(samples))
    assert met(beats, found) > 0.95 and found[0] > lead_s - 0.2


@pytest.mark.parametrize("metre", [3, 4, 5, 6, 7])
def test_an_accent_on_the_first_of_so_many_begins_the_bar(metre: int) -> None:
    beats = 0.3 + np.arange(int(25 * 2.2)) / 2.2
    sounds = np.zeros(int(26 * SAMPLE_RATE))
    t = np.arange(2000) / SAMPLE_RATE
    for number, beat in enumerate(beats):
        at = round(beat * SAMPLE_RATE)
        loud = 1.0 if number % metre == 0 else 0.6
        sounds[at : at + 2000] += loud * np.sin(2 * np.pi * (1900 if loud == 1 else 1300) * t) * np.exp(-t / 0.01)
    found = analyse_samples((0.7 * sounds).astype(np.float32))
    ones = np.array([b.time_s for b in found.beats if b.beat == 1])
    assert found.metre == metre and met(beats[::metre], ones) > 0.9


@pytest.mark.slow
def test_two_songs_glued_together_keep_each_its_own_grid() -> None:
    a, b = band(steady(112, 30)), band(steady(136, 30), seed=3)
    first = a.samples[: 30 * SAMPLE_RATE]
    found = times_of(analyse_samples(joined([first, b.samples])))
    truth = np.concatenate([a.beats[a.beats < 29.9], b.beats + 30.0])
    assert met(truth, found, 0.03) > 0.93
    # No beat lost and none counted twice where one becomes the other.
    assert np.diff(found).min() > 0.5 * 60 / 136 and np.diff(found).max() < 2.2 * 60 / 112


STEPS = [(120, 150), (128, 96), (90, 108), (140, 126)]


@pytest.mark.slow
@pytest.mark.parametrize(("before", "after"), STEPS)
def test_a_tempo_that_steps_midway_is_read_on_both_sides_with_no_beat_lost_or_doubled(before: int, after: int) -> None:
    first = steady(before, 24.0)
    beats = np.concatenate([first, first[-1] + np.arange(1, int(24 * after / 60)) * 60 / after])
    heard = analyse_samples(band(beats).samples)
    found = times_of(heard)
    inside = found[(found > 1) & (found < beats[-1] - 1)]
    assert met(beats[2:-2], found, 0.03) > 0.95
    # A tempo that is told is one that is played, not the middle of two.
    told = [t.bpm for t in tempi(found.tolist())]
    assert told == pytest.approx([before, after], rel=0.005) and min(abs(heard.tempo_bpm - t) for t in told) < 0.1
    gaps = np.diff(inside)
    assert gaps.min() > 0.75 * 60 / max(before, after) and gaps.max() < 1.3 * 60 / min(before, after)


def test_tempi_are_told_each_where_they_are_few() -> None:
    def beats(*tempi_bpm: int) -> list[float]:
        return np.concatenate([[0.0], np.cumsum(np.repeat([60 / t for t in tempi_bpm], 32))]).tolist()

    assert tempo_words(tempi(beats(120))) == "120 BPM" and tempo_words(tempi(beats(112, 140))) == "112 → 140 BPM"
    assert tempo_words(tempi(beats(80, 120, 80, 120))) == "80 BPM and 3 changes"
    assert tempi([1.0]) == () and tempo_words(()) == ""


def test_an_even_song_is_not_cut_into_stretches() -> None:
    music = band(steady(118, 40))
    found = analyse_samples(music.samples)
    assert found.steady and np.ptp(np.diff(times_of(found))) < 0.001


@pytest.mark.parametrize("cut_s", [0.7, 3.1, 12.0])
def test_bars_do_not_lean_on_where_a_file_begins(cut_s: float) -> None:
    """A song is cut anywhere: its bars begin where they did."""
    music = band(steady(104, 40))
    found = analyse_samples(music.samples[round(cut_s * SAMPLE_RATE) :])
    ones = np.array([b.time_s for b in found.beats if b.beat == 1]) + cut_s
    truth = music.downbeats[(music.downbeats > cut_s + 0.1) & (music.downbeats < ones[-1] + 0.1)]
    assert met(truth, ones, 0.03) > 0.95


def test_the_ways_to_count_bars_hold_another_phase_and_another_metre_and_none_is_likelier_than_the_first() -> None:
    found = analyse_samples(band(steady(104, 30)).samples)
    first, *others = found.bars
    assert first.metre == found.metre and found.beats[first.first].beat == 1
    assert any(b.metre == first.metre for b in others) and any(b.metre != first.metre for b in others)
    assert all(b.belief <= first.belief for b in others) and sum(b.belief for b in found.bars) <= 1.001
    assert all(r.belief <= found.confidence for r in found.rivals)


@pytest.mark.slow
def test_a_minute_of_silence_inside_has_no_beats_and_both_sides_do() -> None:
    piece = band(steady(124, 24))
    silent = np.zeros(60 * SAMPLE_RATE, np.float32)
    found = times_of(analyse_samples(joined([piece.samples, silent, piece.samples])))
    start, end = len(piece.samples) / SAMPLE_RATE, len(piece.samples) / SAMPLE_RATE + 60
    assert not ((found > start + 3) & (found < end - 3)).any()
    assert met(piece.beats, found, 0.03) > 0.9 and met(piece.beats + end, found, 0.03) > 0.9


def talk(seconds: float, seed: int = 2) -> Samples:
    """Noise in syllables of uneven length with pauses, as speech is."""
    rng = np.random.default_rng(seed)
    t = np.arange(int(seconds * SAMPLE_RATE)) / SAMPLE_RATE
    marks = np.cumsum(rng.uniform(0.06, 0.4, 400))
    level = np.interp(t, marks, rng.uniform(0, 1, 400) ** 2)
    return (level * rng.standard_normal(len(t)) * 0.15).astype(np.float32)


@pytest.mark.slow
def test_a_spoken_beginning_does_not_move_the_beats_after_it() -> None:
    piece = band(steady(118, 30))
    found = times_of(analyse_samples(joined([talk(9.0), piece.samples])))
    assert met(piece.beats + 9.0, found, 0.03) > 0.95


@pytest.mark.slow
def test_what_is_clipped_thin_or_short_is_read_all_the_same() -> None:
    piece = band(steady(126, 30))
    clipped = np.clip(6 * piece.samples, -1, 1).astype(np.float32)
    spectrum = np.fft.rfft(piece.samples)
    spectrum[np.fft.rfftfreq(len(piece.samples), 1 / SAMPLE_RATE) > 3800] = 0  # as a file of 8 kHz
    thin = np.fft.irfft(spectrum, len(piece.samples)).astype(np.float32)
    for samples in (clipped, thin, piece.samples[: 10 * SAMPLE_RATE]):
        found = analyse_samples(samples)
        truth = piece.beats[piece.beats < len(samples) / SAMPLE_RATE - 0.1]
        assert found.tempo_bpm == pytest.approx(126, rel=0.003) and met(truth, times_of(found)) > 0.9


@pytest.mark.slow
def test_rivals_differ_from_what_was_found_and_beliefs_add_up_to_no_more_than_one() -> None:
    found = analyse_samples(band(steady(90, 30)).samples)
    assert len(found.rivals) == 2
    for rival in found.rivals:
        assert met(times_of(found), np.array([b.time_s for b in rival.beats]), 0.05) < 0.9 or len(rival.beats) != len(
            found.beats
        )
    assert found.confidence + sum(r.belief for r in found.rivals) <= 1.001
    assert found.rivals[0].belief >= found.rivals[1].belief


@pytest.mark.slow
@pytest.mark.parametrize("seed", [4, 5])
def test_talk_has_no_beat(seed: int) -> None:
    found = analyse_samples(talk(25.0, seed))
    assert found.beats == () and found.onsets


def test_made_music_is_the_same_from_the_same_seed() -> None:
    groove = next(g for g in GROOVES if g.name == "funk")
    for make in (bare, lambda rng: played_band(rng, groove, 12.0)):
        a, b = (make(np.random.default_rng(9)) for _ in range(2))
        assert a.notes == b.notes and np.array_equal(a.beats, b.beats)
        one, two = (own_sound(a, np.random.default_rng(1)) for _ in range(2))
        assert all(np.array_equal(one[k], two[k]) for k in one)


def test_a_made_pieces_onsets_are_its_notes_with_the_loudest_drum_first() -> None:
    score = played_band(np.random.default_rng(3), GROOVES[0], 14.0)
    onsets = score.onsets()
    times = [t for t, _ in onsets]
    assert times == sorted(times) and min(np.diff(times)) >= 0.02
    kicks = {round(n.time_s, 3) for n in score.notes if n.part == "kick"}
    assert {round(t, 3) for t, kind in onsets if kind == "kick"} <= kicks | {round(t + 0.02, 3) for t in kicks}


@pytest.mark.slow
def test_the_same_number_is_the_same_piece_in_every_process() -> None:
    """Parts were drawn in a set's order, which is another in each process: no fit could be repeated."""
    made = (
        "import hashlib\n"
        "import numpy as np\n"
        "from bench.music.grooves import GROOVES\n"
        "from bench.music.patterns import band, bare, between\n"
        "found = hashlib.sha256()\n"
        "for seed in range(6):\n"
        "    rng = np.random.default_rng(seed)\n"
        "    for score in (band(rng, GROOVES[seed]), bare(rng), between(rng)):\n"
        "        found.update(repr((score.notes, score.beats.tolist(), score.gains)).encode())\n"
        "print(found.hexdigest())\n"
    )
    message = {
        subprocess.run(
            [sys.executable, "-c", made],
            capture_output=True,
            text=True,
            check=True,
            env={**os.environ, "PYTHONHASHSEED": seed},
        ).stdout
        for seed in ("1", "2", "3")
    }
    assert len(message) == 1 and len(message.pop().strip()) == 64
