"""Features and attacks: what the tracker listens to, checked against sounds whose beginnings are known."""

import numpy as np
import pytest
from scipy.signal import butter, sosfiltfilt

from tempik.rhythm.attack import STEP_RATE, _bands, attacks_near, edges, fine_power, fine_rise
from tempik.rhythm.bars import find_bars
from tempik.rhythm.beats import find_beats
from tempik.rhythm.features import BANDS_HZ, FRAME_RATE, features, listening
from tempik.rhythm.front import listen
from tempik.rhythm.records import SAMPLE_RATE

RNG = np.random.default_rng(9)


def hits(times_s: list[float], length_s: float, hz: float, decay_s: float = 0.03, rise_s: float = 0.0) -> np.ndarray:
    """Tone bursts that begin at each time, over a faint floor; `rise_s` softens their beginnings."""
    out = RNG.standard_normal(round(length_s * SAMPLE_RATE)).astype(np.float32) * 1e-4
    t = np.arange(round(0.25 * SAMPLE_RATE)) / SAMPLE_RATE
    shape = np.exp(-t / decay_s) * (np.minimum(1, t / rise_s) if rise_s else 1.0)
    for time_s in times_s:
        at = round(time_s * SAMPLE_RATE)
        end = min(len(out), at + len(t))
        out[at:end] += (0.6 * shape * np.cos(2 * np.pi * hz * t))[: end - at].astype(np.float32)
    return out


TIMES = [0.5 + 0.437 * i for i in range(12)]


@pytest.mark.parametrize("hz", [220.0, 900.0, 4000.0])
def test_a_sharp_attack_is_placed_on_its_first_samples(hz: float) -> None:
    samples = hits(TIMES, 6.5, hz)
    found, clear = edges(fine_power(samples), np.array(TIMES) + RNG.uniform(-0.002, 0.002, len(TIMES)))
    assert clear.all()
    assert np.abs(found - TIMES).max() < 0.0006


def test_a_soft_swell_is_not_called_sharp() -> None:
    samples = hits(TIMES, 6.5, 440.0, decay_s=0.2, rise_s=0.08)
    given = np.array(TIMES)
    found, clear = edges(fine_power(samples), given)
    assert not clear.any() and (found == given).all()


def test_attacks_are_found_within_reach_and_weighed() -> None:
    rise = fine_rise(hits(TIMES, 6.5, 900.0))
    near, weight = attacks_near(rise, np.array(TIMES) + 0.02, 0.035)
    assert np.abs(near - TIMES).max() < 0.006 and (weight > 0).all()
    off, weight = attacks_near(rise, np.array(TIMES) + 0.2, 0.035)
    assert (off == np.array(TIMES) + 0.2).all() or weight.max() < 0.2 * float(rise.max())


def test_bands_are_those_of_zero_phase_butterworth_filters() -> None:
    # scipy.signal: a second-order filter run forward and backward (sosfiltfilt) is the reference.
    samples = hits(TIMES, 6.5, 700.0) + 0.2 * RNG.standard_normal(round(6.5 * SAMPLE_RATE)).astype(np.float32)
    low, middle, high = _bands(samples)
    inside = slice(SAMPLE_RATE // 2, -SAMPLE_RATE // 2)
    for band, kind, hz in ((low, "lowpass", 200.0), (high, "highpass", 2500.0)):
        reference = sosfiltfilt(butter(2, hz, kind, fs=SAMPLE_RATE, output="sos"), samples)
        error = np.abs(band[inside] - reference[inside]).max() / np.abs(reference[inside]).max()
        assert error < 0.12  # the analog shape and the sampled filter part near the top of the range
    assert np.abs(middle).max() > 0


def test_each_bands_flux_hears_its_own_attacks() -> None:
    for number, hz in enumerate((80.0, 400.0, 1500.0, 6000.0)):
        assert BANDS_HZ[number] < hz < BANDS_HZ[number + 1]
        found = features(hits(TIMES, 6.5, hz, decay_s=0.08))
        at = [round(t * FRAME_RATE) for t in TIMES]
        heard = [float(found.flux[a - 3 : a + 4, number].max()) for a in at]
        assert min(heard) > 0.2
    assert found.flux.shape == (len(found.onset), 4)


def test_features_of_silence_are_still() -> None:
    found = features(np.zeros(SAMPLE_RATE * 3, np.float32))
    assert float(found.onset.max()) == 0.0
    silence = np.zeros(SAMPLE_RATE * 3, np.float32)
    assert find_beats(silence, found, np.zeros(3 * STEP_RATE, np.float32), listen(found.bands)).ways == ()


def test_the_bar_begins_where_it_is_low_and_the_chord_changes() -> None:
    beats = [0.5 + 0.5 * i for i in range(48)]
    for metre in (3, 4):
        samples = hits(beats, 25.0, 3000.0) * 0.4
        samples += hits(beats[::metre], 25.0, 70.0, decay_s=0.12)
        t = np.arange(len(samples)) / SAMPLE_RATE
        chord = np.floor(np.clip((t - 0.5) / 0.5 / metre, 0, None)).astype(int) % 3
        samples += 0.05 * np.sin(2 * np.pi * np.array([220.0, 277.2, 329.6])[chord] * t).astype(np.float32)
        found = features(samples)
        bars = find_bars(np.array(beats), listening(found), listen(found.bands))
        assert (bars.metre, bars.first_downbeat) == (metre, 0)


@pytest.mark.slow
@pytest.mark.parametrize("seed", [1, 2, 3])
@pytest.mark.parametrize("bpm", [72, 100, 140, 168])
def test_a_grid_stays_on_its_beats_through_noise_at_ten_decibels(bpm: float, seed: int) -> None:
    times = [0.6 + i * 60 / bpm for i in range(int(30 * bpm / 60))]
    clean = hits(times, 31.0, 110.0, decay_s=0.06) + 0.5 * hits(times, 31.0, 2500.0)
    level = float(np.sqrt((clean**2).mean())) / 10**0.5
    noise = np.random.default_rng(seed)
    samples = (clean + level * noise.standard_normal(len(clean))).astype(np.float32)
    heard = features(samples)
    found = find_beats(fine_power(samples), heard, fine_rise(samples), listen(heard.bands))
    off = np.array([np.abs(found.ways[0].times_s - t).min() for t in times[2:-2]])
    assert found.ways[0].steady and np.median(off) < 0.01
    assert found.confidence > 0.4  # at 72 a minute it may as well be half as long a beat
