"""The tracker on music whose every beat is known: tempi, swing, ramps, jitter, intros, noise, metres, pick-ups."""

import mir_eval
import numpy as np
import pytest

from made_music import Music, band, joined, ramped, steady
from tempik.rhythm import Analysis
from tempik.rhythm.points import analyse_samples
from tempik.rhythm.records import SAMPLE_RATE


def beats_of(found: Analysis) -> np.ndarray:
    return np.array([b.time_s for b in found.beats])


def assert_found(found: Analysis, music: Music, within_ms: float = 5.0) -> None:
    """F by mir_eval 0.8 (Davies, Degara and Plumbley, 2009; ±70 ms) on beats and on downbeats, and the usual error."""
    times = beats_of(found)
    firsts = np.array([b.time_s for b in found.beats if b.beat == 1])
    assert mir_eval.beat.f_measure(music.beats, times) >= 0.97
    assert mir_eval.beat.f_measure(music.downbeats, firsts) >= 0.95
    error = np.array([np.abs(times - b).min() for b in music.beats[2:-2]]) * 1000
    assert np.median(error) <= within_ms


@pytest.mark.slow
@pytest.mark.parametrize("bpm", [60, 75, 92, 110, 128, 150, 174, 200])
def test_steady_tempi_from_60_to_200(bpm: float) -> None:
    music = band(steady(bpm, 40))
    found = analyse_samples(music.samples)
    assert found.steady and found.metre == 4
    assert found.tempo_bpm == pytest.approx(bpm, rel=0.0005)
    assert_found(found, music, 2.0)


@pytest.mark.slow
@pytest.mark.parametrize("swing", [0.50, 0.55, 0.60, 0.66])
def test_swing_does_not_shift_the_beat(swing: float) -> None:
    music = band(steady(112, 40), swing=swing)
    assert_found(analyse_samples(music.samples), music)


@pytest.mark.slow
@pytest.mark.parametrize("change", [-0.10, 0.10])
@pytest.mark.parametrize("bpm", [92, 140])
def test_a_tempo_that_moves_by_a_tenth_is_followed(bpm: float, change: float) -> None:
    music = band(ramped(bpm, change, 50))
    found = analyse_samples(music.samples)
    assert not found.steady
    assert_found(found, music)


@pytest.mark.slow
def test_a_tempo_that_steps_is_followed_on_both_sides() -> None:
    first = steady(120, 30)
    second = first[-1] + 0.5 + np.arange(50) * 60 / 138
    music = band(np.concatenate([first, second]))
    found = analyse_samples(music.samples)
    assert not found.steady
    assert mir_eval.beat.f_measure(music.beats, beats_of(found)) >= 0.95
    gaps = np.diff(beats_of(found))
    assert np.median(gaps[5:40]) == pytest.approx(0.5, abs=0.002)
    assert np.median(gaps[-40:-5]) == pytest.approx(60 / 138, abs=0.002)


@pytest.mark.slow
def test_players_who_are_ten_milliseconds_loose_are_still_one_tempo() -> None:
    music = band(steady(118, 45), jitter_s=0.010)
    found = analyse_samples(music.samples)
    assert found.steady
    assert_found(found, music, 10.0)


@pytest.mark.slow
def test_a_drumless_intro_of_20_s_is_counted_through_and_the_drop_is_its_first_beat() -> None:
    beats = steady(124, 60)
    true_drop = beats[44]  # the first of a bar
    music = band(beats, drums_from_s=true_drop, full_from_s=true_drop)
    found = analyse_samples(music.samples)
    assert_found(found, music)
    assert min(abs(d - true_drop) for d in found.drops) < 0.01
    quiet, full = found.sections[0], found.sections[-1]
    assert (quiet.name, full.name) == ("quiet", "full") and quiet.level < full.level
    assert quiet.end_s == pytest.approx(true_drop, abs=2.0)


def test_noise_ten_decibels_below_the_music_does_not_hide_it() -> None:
    music = band(steady(105, 45), noise_db=10)
    assert_found(analyse_samples(music.samples), music)


@pytest.mark.parametrize("metre", [3, 5])
def test_other_metres_than_four(metre: int) -> None:
    music = band(steady(130, 45), metre)
    found = analyse_samples(music.samples)
    assert found.metre == metre
    assert_found(found, music)


@pytest.mark.parametrize("pickup", [1, 2, 3])
def test_a_piece_that_starts_within_a_bar(pickup: int) -> None:
    music = band(steady(108, 45), pickup=pickup)
    assert_found(analyse_samples(music.samples), music)


@pytest.mark.slow
@pytest.mark.parametrize("first_s", [0.0, 0.002, 0.010, 0.030])
@pytest.mark.parametrize("bpm", [70, 93.7, 128, 174])
def test_a_song_cut_on_its_first_beat_has_that_beat_and_its_attack(bpm: float, first_s: float) -> None:
    """It was lost: seen half a millisecond before the beginning, and what rises from nothing at once was no attack."""
    music = band(steady(bpm, 30, first_s))
    found = analyse_samples(music.samples)
    first = found.beats[0]
    assert first.time_s == pytest.approx(first_s, abs=0.001)
    assert (first.bar, first.beat) == (1, 1) and first.strength > 0.9
    kick = found.onsets[0]
    assert kick.time_s == pytest.approx(first_s, abs=0.001) and kick.band == "kick"
    assert found.length_s == pytest.approx(len(music.samples) / SAMPLE_RATE)


def test_a_song_cut_just_after_its_first_beat_begins_with_that_beat() -> None:
    music = band(steady(120, 30, 0.5))
    cut_s = 0.506
    found = analyse_samples(music.samples[round(cut_s * SAMPLE_RATE) :])
    assert [b.time_s for b in found.beats[:2]] == [0.0, pytest.approx(1.0 - cut_s, abs=0.002)]
    assert found.beats[0].beat == 1


@pytest.mark.parametrize("cut_s", [0.55, 0.60, 0.75])
def test_a_song_cut_between_beats_has_none_at_its_beginning(cut_s: float) -> None:
    music = band(steady(120, 30, 0.5))
    found = analyse_samples(music.samples[round(cut_s * SAMPLE_RATE) :])
    assert found.beats[0].time_s == pytest.approx(1.0 - cut_s, abs=0.002)
    assert (found.beats[0].bar, found.beats[0].beat) == (0, 2)
    assert min(o.time_s for o in found.onsets) >= 0 and found.sections[0].start_s == 0


@pytest.mark.slow
def test_no_beats_are_marked_in_the_silence_after_a_song() -> None:
    music = band(steady(120, 30))
    silence = np.zeros(12 * SAMPLE_RATE, np.float32)
    found = analyse_samples(joined([music.samples, silence]))
    assert beats_of(found)[-1] < music.beats[-1] + 1.1


def test_onsets_are_told_apart_and_lie_on_their_attacks() -> None:
    music = band(steady(100, 30))
    found = analyse_samples(music.samples)
    times = np.array([o.time_s for o in found.onsets])
    for hits, name in ((music.kicks, "kick"), (music.snares, "snare")):
        near = [int(np.abs(times - h).argmin()) for h in hits[2:-2]]
        assert np.median([abs(times[n] - h) for n, h in zip(near, hits[2:-2], strict=True)]) < 0.003
        assert np.mean([found.onsets[n].band == name for n in near]) > 0.8


def test_what_has_no_beat_still_has_its_onsets() -> None:
    rng = np.random.default_rng(2)
    samples = (rng.standard_normal(20 * SAMPLE_RATE) * 0.002).astype(np.float32)
    hits = np.sort(rng.uniform(0.5, 19.5, 17))
    hits = hits[np.insert(np.diff(hits) > 0.2, 0, True)]
    for time_s in hits:
        at = round(time_s * SAMPLE_RATE)
        samples[at : at + 2400] += (np.exp(-np.arange(2400) / 400) * rng.standard_normal(2400) * 0.5).astype(np.float32)
    found = analyse_samples(samples)
    assert found.beats == () and found.tempo_bpm == 0
    times = np.array([o.time_s for o in found.onsets])
    assert all(np.abs(times - h).min() < 0.005 for h in hits)


@pytest.mark.slow
def test_strength_shows_the_accents() -> None:
    music = band(steady(120, 40), drums_from_s=18, full_from_s=18)
    strengths = {b.time_s: b.strength for b in analyse_samples(music.samples).beats}
    before = [s for t, s in strengths.items() if t < 17]
    after = [s for t, s in strengths.items() if t > 18.5]
    assert np.median(after) > np.median(before) + 0.2
