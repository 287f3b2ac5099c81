"""Listening: clicks on their samples, slow play in time and in tune, and songs that are odd or broken."""

import struct
import wave
from pathlib import Path
from typing import cast

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from examples import examples
from made_music import band, steady
from media_files import numbered, write_sound, write_video
from tempik.assemble import soundtrack_from
from tempik.errors import TempikError
from tempik.media import Sound, audio, decode_sound
from tempik.media.audio import LONG_S
from tempik.media.long_samples import BLOCK, LongSamples
from tempik.reel.points import points_of, tempo_of
from tempik.render.hearing import slowed, with_clicks
from tempik.rhythm import analyse
from tempik.rhythm.records import SAMPLE_RATE

RATE = 48000


def test_a_click_begins_on_its_own_sample_and_downbeats_are_higher() -> None:
    silent = Sound(np.zeros((RATE * 2, 2), np.float32), RATE)
    heard = with_clicks(silent, [(0.5, True), (1.25, False)], 0.6).samples[:, 0]
    assert np.flatnonzero(heard)[0] == RATE // 2
    high, low = heard[RATE // 2 : RATE // 2 + 1440], heard[RATE * 5 // 4 : RATE * 5 // 4 + 1440]
    assert np.flatnonzero(heard[RATE:])[0] == RATE // 4, "the second click too"
    assert np.argmax(np.abs(np.fft.rfft(high))) > 1.3 * np.argmax(np.abs(np.fft.rfft(low)))
    assert not with_clicks(silent, [(0.5, True)], 0.0).samples.any()


@pytest.mark.slow
@pytest.mark.parametrize("pace", [0.75, 0.5])
def test_slow_play_keeps_the_pitch_and_puts_every_hit_in_its_place(pace: float) -> None:
    t = np.arange(6 * RATE) / RATE
    tone = 0.2 * np.sin(2 * np.pi * 440 * t)
    for hit in np.arange(0.5, 5.5, 0.5):
        at = int(hit * RATE)
        tone[at : at + 960] += np.exp(-np.arange(960) / 240) * np.sin(2 * np.pi * 1800 * t[:960])
    slow = slowed(Sound(np.stack([tone, tone], 1).astype(np.float32), RATE), pace)
    assert len(slow.samples) == round(len(tone) / pace)
    spectrum = np.abs(np.fft.rfft(slow.samples[:, 0] * np.hanning(len(slow.samples))))
    hz = np.fft.rfftfreq(len(slow.samples), 1 / RATE)
    assert hz[np.argmax(spectrum * (hz < 1000))] == pytest.approx(440, abs=2)
    high = np.abs(np.diff(slow.samples[:, 0], 2))
    for hit in (1.5, 3.0, 4.5):
        at = int(hit / pace * RATE)
        window = high[at - 2400 : at + 2400]
        assert (np.argmax(window) - 2400) / RATE == pytest.approx(0, abs=0.006)


# Songs that are odd


def wav(path: Path, samples: np.ndarray, rate: int, code: int = 1, bits: int = 16) -> Path:
    """Write a WAV file by hand, of any rate and of floats too (format code 3)."""
    data = samples.astype("<f4").tobytes() if code == 3 else (np.clip(samples, -1, 1) * 32767).astype("<i2").tobytes()
    size = bits // 8
    head = b"WAVEfmt " + struct.pack("<IHHIIHH", 16, code, 1, rate, rate * size, size, bits)
    path.write_bytes(b"RIFF" + struct.pack("<I", 36 + len(data)) + head + b"data" + struct.pack("<I", len(data)) + data)
    return path


@pytest.fixture(scope="module")
def music() -> np.ndarray:
    return band(steady(120, 24)).samples


def resampled(samples: np.ndarray, rate: int) -> np.ndarray:
    at = np.arange(int(len(samples) * rate / SAMPLE_RATE)) * SAMPLE_RATE / rate
    return np.interp(at, np.arange(len(samples)), samples)


@pytest.mark.slow
@pytest.mark.parametrize("rate", [8000, 44100, 192000])
def test_any_sample_rate_gives_the_same_beats(tmp_path: Path, music: np.ndarray, rate: int) -> None:
    found = analyse(str(wav(tmp_path / "s.wav", resampled(music, rate), rate)))
    assert found.tempo_bpm == pytest.approx(120, abs=0.1)


@pytest.mark.slow
def test_floats_that_are_no_numbers_count_as_silence(tmp_path: Path, music: np.ndarray) -> None:
    samples = music.copy()
    samples[::5000] = np.nan
    samples[1::7000] = np.inf
    found = analyse(str(wav(tmp_path / "s.wav", samples, SAMPLE_RATE, 3, 32)))
    assert found.tempo_bpm == pytest.approx(120, abs=0.1)


def test_a_clipped_song_keeps_its_beats(tmp_path: Path, music: np.ndarray) -> None:
    found = analyse(str(wav(tmp_path / "s.wav", np.clip(music * 12, -1, 1), SAMPLE_RATE)))
    assert found.tempo_bpm == pytest.approx(120, abs=0.1)


@pytest.mark.parametrize("count", [0, 1])
def test_a_song_of_no_or_one_sample_says_so(tmp_path: Path, count: int) -> None:
    path = wav(tmp_path / "s.wav", np.zeros(count), RATE)
    with pytest.raises(TempikError, match=r"no sound that can be decoded|less than half a second"):
        analyse(str(path))


@pytest.mark.slow
def test_a_container_that_lies_about_its_length_is_read_to_where_it_ends(tmp_path: Path, music: np.ndarray) -> None:
    path = wav(tmp_path / "s.wav", music, SAMPLE_RATE)
    data = bytearray(path.read_bytes())
    data[40:44] = struct.pack("<I", 0x7FFFFFFF)  # two gigabytes, it says
    path.write_bytes(bytes(data))
    assert analyse(str(path)).length_s == pytest.approx(len(music) / SAMPLE_RATE, abs=0.1)


def test_a_song_without_a_beat_has_its_strong_attacks_for_points(tmp_path: Path) -> None:
    rng = np.random.default_rng(5)
    samples = rng.standard_normal(15 * SAMPLE_RATE) * 0.001
    hits = [0.8, 1.9, 4.35, 7.01, 9.6, 13.2]
    for time_s in hits:
        at = round(time_s * SAMPLE_RATE)
        samples[at : at + 1200] += np.exp(-np.arange(1200) / 250) * rng.standard_normal(1200) * 0.4
    path = str(wav(tmp_path / "s.wav", samples, SAMPLE_RATE))
    song = soundtrack_from(path, analyse(path))
    assert tempo_of(song) == 0 and {p.kind for p in points_of(song)} == {"onset"}
    assert [p.time_s for p in points_of(song)] == pytest.approx(hits, abs=0.004)


@pytest.mark.film
def test_a_film_is_a_song_by_its_sound(tmp_path: Path, music: np.ndarray) -> None:
    sound = resampled(music, RATE).astype(np.float32)
    path = write_video(tmp_path / "f.mp4", numbered(96, 64), 60, sound=sound)
    assert analyse(str(path)).tempo_bpm == pytest.approx(120, abs=0.2)


def test_a_long_sound_is_held_where_analyses_are_kept_and_leaves_no_name(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """The folder for passing files often lies in memory, which three hours of sound would fill."""
    monkeypatch.setattr(audio, "LONG_S", 0.5)
    monkeypatch.setenv("TEMPIK_CACHE", str(tmp_path / "cache"))
    path = write_sound(tmp_path / "long.wav", np.zeros((48000, 2), np.float32))
    sound = audio.decode_sound(str(path))
    assert isinstance(sound.samples, LongSamples) and len(sound.samples) == 96000
    assert str(tmp_path / "cache") in Path("/proc/self/maps").read_text() and not list((tmp_path / "cache").iterdir())


def held(samples: np.ndarray, folder: Path, at_once: int = 1152) -> LongSamples:
    out = LongSamples(samples.shape[1], (folder / "held").open("w+b"))
    for at in range(0, len(samples), at_once):
        out.add(samples[at : at + at_once])
    out.close()
    return out


@given(st.integers(0, 3 * BLOCK), st.integers(1, 2), st.integers(1, 2 * BLOCK), st.integers(0, 1000))
@settings(suppress_health_check=[HealthCheck.function_scoped_fixture], max_examples=examples(30))
def test_samples_of_sixteen_bits_are_held_as_they_are(
    tmp_path: Path, count: int, channels: int, at_once: int, seed: int
) -> None:
    whole = np.random.default_rng(seed).integers(-32768, 32768, (count, channels))
    samples = (whole / 32768).astype(np.float32)
    long = held(samples, tmp_path, at_once)
    assert len(long) == count and long.shape == samples.shape
    np.testing.assert_array_equal(np.asarray(long), samples)
    a, b = sorted((seed % (count + 1), (seed * 7919) % (count + 2)))
    np.testing.assert_array_equal(long[a:b], samples[a:b])
    np.testing.assert_array_equal(long[-5:], samples[-5:])
    if count:
        places = np.random.default_rng(seed).integers(0, count, 50)
        np.testing.assert_array_equal(long[places], samples[places])


def test_a_loud_stretch_costs_the_quiet_ones_nothing(tmp_path: Path) -> None:
    """A coded song goes beyond full scale here and there."""
    rng = np.random.default_rng(3)
    samples = rng.uniform(-0.9, 0.9, (6 * BLOCK, 2)).astype(np.float32)
    samples[2 * BLOCK : 3 * BLOCK] *= 2.5
    samples[3 * BLOCK :] *= 1e-2
    off = np.abs(np.asarray(held(samples, tmp_path)) - samples)
    peaks = np.abs(samples).reshape(6, -1).max(axis=1)
    assert (off.reshape(6, -1).max(axis=1) <= np.maximum(peaks, 1.0) / 65000).all()


def test_a_long_sound_takes_half_the_room_of_its_floats(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """Three hours took 4.1 GB of the disk."""
    monkeypatch.setattr(audio, "LONG_S", 0.5)
    monkeypatch.setenv("TEMPIK_CACHE", str(tmp_path / "cache"))
    sound = audio.decode_sound(str(write_sound(tmp_path / "long.wav", np.zeros((48000 * 3, 2), np.float32))))
    mapped = [
        line.split() for line in Path("/proc/self/maps").read_text().splitlines() if str(tmp_path / "cache") in line
    ]
    sizes = [int(b, 16) - int(a, 16) for a, b in (line[0].split("-") for line in mapped)]
    assert sum(sizes) == pytest.approx(len(sound.samples) * 4, abs=8192)


def test_a_long_sound_is_resampled_as_a_short_one(tmp_path: Path) -> None:
    """It is read a minute at a time, which nobody hears."""
    samples = np.random.default_rng(1).uniform(-0.5, 0.5, (130 * 8000, 2)).astype(np.float32)
    whole = audio.Sound((np.rint(samples * 32768) / 32768).astype(np.float32), 8000)
    long = audio.Sound(cast(audio.Samples, held(whole.samples, tmp_path)), 8000)
    for mono in (False, True):
        there, here = (audio.resampled(s, 11025, mono=mono).samples for s in (whole, long))
        np.testing.assert_array_equal(there, here)
        assert len(here) == pytest.approx(130 * 11025, abs=40) and here.shape[1] == 2 - mono


def test_a_long_sound_without_room_says_where(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(audio, "LONG_S", 0.5)
    (tmp_path / "in the way").touch()
    monkeypatch.setenv("TEMPIK_CACHE", str(tmp_path / "in the way"))
    path = write_sound(tmp_path / "long.wav", np.zeros((48000, 2), np.float32))
    with pytest.raises(TempikError, match=r"long\.wav is long and there is no room for its sound in .*in the way"):
        audio.decode_sound(str(path))


@pytest.mark.slow
def test_a_long_mix_is_analysed_in_parts_and_kept_out_of_memory(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Two tempi in a row, with parts made short so that the test is: beats and bars run on over the joints."""
    from tempik.rhythm import kept as keeping

    monkeypatch.setattr(keeping, "_PART_S", 30.0)
    monkeypatch.setattr(audio, "LONG_S", 20.0)
    both = np.concatenate([band(steady(120, 60)).samples, band(steady(140, 60)).samples])
    path = str(write_sound(tmp_path / "s.wav", resampled(both, RATE).astype(np.float32)))
    found = analyse(path)
    times = np.array([b.time_s for b in found.beats])
    assert not found.steady and found.length_s == pytest.approx(len(both) / SAMPLE_RATE, abs=0.01)
    assert np.all(np.diff(times) > 0.15)
    assert np.median(np.diff(times[times < 50])) == pytest.approx(0.5, abs=0.002)
    assert np.median(np.diff(times[times > 70])) == pytest.approx(60 / 140, abs=0.002)
    bars = [b.bar for b in found.beats]
    assert bars == sorted(bars)
    kept = decode_sound(path)
    assert isinstance(kept.samples, LongSamples) and len(kept.samples) == pytest.approx(len(both) * 2, abs=RATE // 10)
    assert LONG_S == 1200


def test_wave_files_of_the_standard_library_are_read(tmp_path: Path) -> None:
    with wave.open(str(tmp_path / "s.wav"), "wb") as out:
        out.setnchannels(2)
        out.setsampwidth(2)
        out.setframerate(RATE)
        out.writeframes(bytes(4 * RATE))
    assert decode_sound(str(tmp_path / "s.wav")).samples.shape == (RATE, 2)
