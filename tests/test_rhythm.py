"""The beat tracker, on songs whose beats are known, beside the reference library's own."""

from pathlib import Path

import librosa
import mir_eval
import numpy as np
import pytest

from media_files import SOUND_RATE, beat_song, click_track, write_sound
from tempik.demo.song import beat_times, write_song
from tempik.errors import TempikError
from tempik.media import decode_sound
from tempik.rhythm import Analysis, analyse
from tempik.rhythm.points import analyse_samples
from tempik.rhythm.records import SAMPLE_RATE


def heard(path: Path) -> Analysis:
    return analyse_samples(decode_sound(str(path), SAMPLE_RATE, mono=True).samples[:, 0])


def errors_ms(found: Analysis, truth: list[float]) -> np.ndarray:
    """Signed error of each true beat's nearest found beat."""
    times = np.array([b.time_s for b in found.beats])
    return np.array([(times[np.abs(times - t).argmin()] - t) * 1000 for t in truth])


@pytest.fixture(scope="module")
def forge(tmp_path_factory: pytest.TempPathFactory) -> Path:
    path = tmp_path_factory.mktemp("song") / "forge.wav"
    write_song(path)
    return path


@pytest.mark.slow
@pytest.mark.parametrize("bpm", [64, 93.7, 120, 128, 174])
def test_beats_sit_on_the_attack_of_a_steady_song(tmp_path: Path, bpm: float) -> None:
    samples, truth = beat_song(bpm, 16)
    found = heard(write_sound(tmp_path / "s.wav", samples))
    assert found.steady
    # Half and double are the same pulse; the tempo itself must be exact.
    ratio = found.tempo_bpm / bpm
    assert min(abs(ratio / r - 1) for r in (0.5, 1, 2)) < 5e-4
    if ratio > 0.9:
        error = errors_ms(found, truth)
        assert abs(np.median(error)) <= 5
        assert np.abs(error).max() <= 10


@pytest.mark.slow
def test_the_demos_song_is_found_to_ten_milliseconds_with_its_bars(forge: Path) -> None:
    found = heard(forge)
    truth = beat_times()
    assert found.tempo_bpm == pytest.approx(128, abs=0.05)
    assert np.abs(errors_ms(found, [t for t, _, _ in truth])).max() <= 10
    downbeats = [b.time_s for b in found.beats if b.beat == 1]
    for time_s, _, beat in truth:
        if beat == 1:
            assert min(abs(d - time_s) for d in downbeats) <= 0.01


@pytest.mark.slow
def test_beats_are_earlier_and_better_placed_than_the_reference_librarys(forge: Path) -> None:
    # librosa 0.11, beat_track at its defaults: the yardstick of the trade.
    truth = np.array([t for t, _, _ in beat_times()])
    samples = decode_sound(str(forge), SAMPLE_RATE, mono=True).samples[:, 0]
    ours = np.array([b.time_s for b in analyse_samples(samples).beats])
    _, theirs = librosa.beat.beat_track(y=samples, sr=SAMPLE_RATE, units="time")

    def late(beats: np.ndarray) -> float:
        return float(np.median([abs(beats[np.abs(beats - t).argmin()] - t) for t in truth]))

    assert late(ours) < 0.25 * late(np.asarray(theirs))
    ours_f = mir_eval.beat.f_measure(mir_eval.beat.trim_beats(truth), mir_eval.beat.trim_beats(ours))
    assert ours_f >= 0.95


def test_a_song_that_speeds_up_is_followed(tmp_path: Path) -> None:
    times = [0.5]
    while times[-1] < 40:
        times.append(times[-1] + 60 / (110 + 11 * times[-1] / 40))  # 10 % faster by the end
    found = heard(write_sound(tmp_path / "s.wav", click_track(times, 42, range(0, len(times), 4))))
    assert not found.steady
    error = np.abs(errors_ms(found, times[8:-4]))
    assert np.median(error) <= 10
    assert np.mean(error < 70) > 0.9


def test_strength_follows_the_accents_of_the_song(tmp_path: Path) -> None:
    samples, _ = beat_song(120, 12)
    found = heard(write_sound(tmp_path / "s.wav", samples))
    assert all(0 <= b.strength <= 1 for b in found.beats)
    strong = [b.strength for b in found.beats if b.beat == 1]
    assert np.mean(strong) > np.mean([b.strength for b in found.beats if b.beat != 1])


def _silence(rng: np.random.Generator) -> np.ndarray:
    return np.zeros(SOUND_RATE * 10)


def _noise(rng: np.random.Generator) -> np.ndarray:
    return rng.standard_normal(SOUND_RATE * 12) * 0.2


def _talk(rng: np.random.Generator) -> np.ndarray:
    """Noise in syllables of uneven length, as speech is."""
    t = np.arange(SOUND_RATE * 20) / SOUND_RATE
    level = np.abs(np.interp(t, np.cumsum(rng.uniform(0.08, 0.5, 80)), rng.uniform(0, 1, 80)))
    return level * rng.standard_normal(len(t)) * 0.2


@pytest.mark.slow
@pytest.mark.parametrize("make", [_silence, _noise, _talk])
def test_what_has_no_beat_gets_none(tmp_path: Path, make: object) -> None:
    samples = make(np.random.default_rng(3))  # type: ignore[operator]
    found = heard(write_sound(tmp_path / "s.wav", samples.astype(np.float32)))
    assert found.beats == () and found.tempo_bpm == 0


def test_a_second_analysis_comes_from_the_cache_by_content(tmp_path: Path) -> None:
    samples, _ = beat_song(120, 8)
    first = analyse(str(write_sound(tmp_path / "s.wav", samples)))
    (kept,) = (tmp_path / "cache" / "rhythm").iterdir()
    (tmp_path / "s.wav").rename(tmp_path / "renamed.wav")
    shares: list[float] = []
    assert analyse(str(tmp_path / "renamed.wav"), shares.append) == first
    assert shares == []  # nothing was worked out
    kept.write_bytes(b"damaged")
    assert analyse(str(tmp_path / "renamed.wav")) == first


def test_a_sound_too_short_to_judge_says_so(tmp_path: Path) -> None:
    path = write_sound(tmp_path / "s.wav", np.zeros(4000, np.float32))
    with pytest.raises(TempikError, match="less than half a second"):
        analyse(str(path))
