"""The mix: as loud as asked, never above its ceiling, the same wherever playing begins, and the song out of the way of what ducks it.

Loudness and true peaks against the signals that EBU Tech 3341 (2016), *Loudness metering: 'EBU mode' metering*, describes, and
against pyloudnorm (ITU-R BS.1770)."""

import gc
import weakref
from pathlib import Path

import av
import numpy as np
import pyloudnorm
import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st
from msgspec.structs import replace
from numpy.typing import NDArray

from examples import examples
from tempik.edit.sounds import lanes, mixing
from tempik.errors import TempikError
from tempik.media import Sound, decode_sound
from tempik.reel import Ducking, Mix, MixerChannel, Reel, Rule, SoundLane, SoundTrack
from tempik.reel.sound import MASTERED
from tempik.render import export, mix
from tempik.render.mastering import BLOCK, Master
from tempik.render.mixdown import DUCK_HOP, Mixdown, ducked
from tempik.render.song_sound import crossed
from tempik.render.sound_bank import SoundBank
from tempik.render.sound_file import write_sound
from tempik.sounds.loudness import RATE, Meter, decibels, measured, true_peak
from tempik.timeline.timeline import Timeline

Signal = NDArray[np.float32]


def sine(hz: float, db: float, seconds: float, phase_deg: float = 0.0) -> Signal:
    """A stereo sine, its peak `db` below full scale."""
    t = np.arange(round(seconds * RATE)) / RATE
    wave = 10 ** (db / 20) * np.sin(2 * np.pi * hz * t + np.radians(phase_deg))
    return np.stack([wave, wave], axis=1).astype(np.float32)


def steps(*parts: tuple[float, float]) -> Signal:
    return np.concatenate([sine(1000, db, seconds) for db, seconds in parts])


# EBU Tech 3341, table 1: what is played, and the integrated loudness that a meter must show to within 0.1 LU.
EBU_LOUDNESS = {
    "1": (steps((-23, 20)), -23.0),
    "2": (steps((-33, 20)), -33.0),
    "3": (steps((-36, 10), (-23, 60), (-36, 10)), -23.0),
    "4": (steps((-72, 10), (-36, 10), (-23, 60), (-36, 10), (-72, 10)), -23.0),
    "5": (steps((-26, 20), (-20, 20.1), (-26, 20)), -23.0),
}
# Cases 15 to 19: sines whose true peaks lie between samples, and what a meter must show to within +0.2 and −0.4 dB.
EBU_PEAKS = {
    "15": (sine(RATE / 4, decibels(0.5), 1), -6.0),
    "16": (sine(RATE / 4, decibels(0.5), 1, 45), -6.0),
    "17": (sine(RATE / 6, decibels(0.5), 1, 60), -6.0),
    "18": (sine(RATE / 8, decibels(0.5), 1, 67.5), -6.0),
    "19": (sine(RATE / 4, decibels(1.41), 1, 45), 3.0),
}


@pytest.mark.slow
@pytest.mark.parametrize("case", EBU_LOUDNESS)
def test_loudness_of_the_ebu_test_signals(case: str) -> None:
    signal, wanted = EBU_LOUDNESS[case]
    assert measured(signal).integrated == pytest.approx(wanted, abs=0.1)


@pytest.mark.parametrize("case", ["1", "2"])
def test_momentary_and_short_term_loudness_of_the_ebu_test_signals(case: str) -> None:
    signal, wanted = EBU_LOUDNESS[case]
    found = measured(signal)
    assert found.momentary == pytest.approx(wanted, abs=0.1) and found.short == pytest.approx(wanted, abs=0.1)


@pytest.mark.parametrize("case", EBU_PEAKS)
def test_true_peaks_of_the_ebu_test_signals(case: str) -> None:
    signal, wanted = EBU_PEAKS[case]
    # The sines are read in their middle: switched on and off as they are, their ends ring over.
    shape = np.hanning(len(signal))[:, None].astype(np.float32)
    assert wanted - 0.4 <= decibels(true_peak(signal * shape)) <= wanted + 0.2


def music(seed: int, seconds: float = 6.0) -> Signal:
    """Something that rises, falls, is struck and is wide: nothing that a meter could be tuned on."""
    rng = np.random.default_rng(seed)
    count = round(seconds * RATE)
    t = np.arange(count) / RATE
    tones = sum(
        rng.uniform(0.02, 0.2) * np.sin(2 * np.pi * rng.uniform(50, 9000) * t + rng.uniform(0, 6)) for _ in range(8)
    )
    swell = 0.2 + np.abs(np.sin(t * rng.uniform(0.3, 3)))
    hits = np.zeros(count)
    hits[rng.integers(0, count, 12)] = rng.uniform(0.3, 1.0, 12)
    hits = np.convolve(hits, np.exp(-np.arange(6000) / 700) * np.sin(np.arange(6000) * rng.uniform(0.01, 0.3)), "full")[
        :count
    ]
    left = tones * swell + hits
    return np.stack([left, left * rng.uniform(0.3, 1) + 0.05 * rng.standard_normal(count)], axis=1).astype(np.float32)


@pytest.mark.film
@settings(max_examples=examples(12), deadline=None)
@given(seed=st.integers(0, 10_000), cut=st.integers(700, 40_000))
def test_loudness_is_pyloudnorms_in_whatever_blocks_it_is_measured(seed: int, cut: int) -> None:
    signal = music(seed)
    meter = Meter()
    for first in range(0, len(signal), cut):
        meter.add(signal[first : first + cut], peaks=False)
    assert meter.found().integrated == pytest.approx(pyloudnorm.Meter(RATE).integrated_loudness(signal), abs=0.2)


def mastered(signal: Signal, loudness: float | None, ceiling_db: float | None) -> Signal:
    def read(a: int, b: int) -> Signal:
        out = np.zeros((b - a, 2), np.float32)
        first, end = max(a, 0), min(b, len(signal))
        if end > first:
            out[first - a : end - a] = signal[first:end]
        return out

    master = Master(read, len(signal), ceiling_db)
    gain = master.gain_for(loudness)
    return np.concatenate([master.block(n, gain) for n in range(master.blocks)])


@pytest.mark.explore
@settings(max_examples=examples(10), deadline=None)
@given(
    seed=st.integers(0, 10_000),
    loudness=st.sampled_from([-9.0, -14.0, -23.0]),
    ceiling=st.sampled_from([-0.5, -1.0, -3.0]),
)
@example(seed=8903, loudness=-9.0, ceiling=-0.5)  # measured too high where one second's part was cut from the next
def test_a_mix_is_as_loud_as_asked_and_under_its_ceiling(seed: int, loudness: float, ceiling: float) -> None:
    out = mastered(music(seed), loudness, ceiling)
    assert decibels(true_peak(out)) <= ceiling
    found = pyloudnorm.Meter(RATE).integrated_loudness(out)
    # What is nearly all peaks cannot be both; it is as loud as its peaks let it be.
    assert found == pytest.approx(loudness, abs=0.2) or found < loudness


@pytest.mark.parametrize("case", EBU_PEAKS)
@pytest.mark.parametrize("drive_db", [0.0, 6.0, 18.0])
def test_no_peak_of_the_ebu_signals_passes_the_ceiling(case: str, drive_db: float) -> None:
    signal = EBU_PEAKS[case][0] * np.float32(10 ** (drive_db / 20))
    out = mastered(signal, None, -1.0)
    # The very ends ring where a sine is switched on; the ceiling holds for all of it.
    assert decibels(true_peak(out)) <= -1.0


def test_what_is_quiet_passes_the_master_untouched() -> None:
    signal = music(3) * np.float32(0.1)
    assert np.array_equal(mastered(signal, None, -1.0), signal)
    assert np.array_equal(mastered(np.zeros((RATE, 2), np.float32), -14.0, -1.0), np.zeros((RATE, 2), np.float32))


def test_sounds_that_cross_keep_their_power() -> None:
    """Equal power to within 0.1 dB, whether the two are alike or not."""
    rng = np.random.default_rng(4)
    one, other = (rng.standard_normal((RATE * 20, 2)).astype(np.float32) for _ in range(2))
    for going, coming in ((one, other), (one, one), (one, 0.6 * one + 0.8 * other)):
        out = crossed(going, coming).astype(np.float64)
        parts = np.square(out).mean(axis=1).reshape(10, -1).mean(axis=1)
        assert np.abs(10 * np.log10(parts / np.square(one.astype(np.float64)).mean())).max() < 0.1


# The reel's mix


def with_sounds(reel: Reel, mix: Mix = MASTERED) -> Reel:
    reel = lanes.with_sound_lane(reel, ["tick", "wood"], Rule(every=2))
    reel = lanes.with_sound_lane(reel, ["impact"], Rule("bars", beats=(1,)))
    reel = mixing.with_channel(reel, reel.sound_lanes[-1].id, ducks=True, gain_db=-6.0, pan=0.3)
    return replace(reel, mix=mix)


def test_a_reel_without_sounds_and_master_is_its_song(reel: Reel) -> None:
    song = decode_sound(reel.soundtrack.path, RATE)  # type: ignore[union-attr]
    timeline = Timeline(replace(reel, mix=Mix()))
    first = round(timeline.start_s * RATE)
    found = mix(timeline).samples
    assert len(found) == round(10.0 * RATE)
    assert np.array_equal(found, np.clip(song.samples[first : first + len(found)], -1, 1))


@pytest.mark.slow
def test_playing_from_anywhere_sounds_as_the_export_does_to_the_sample(reel: Reel) -> None:
    timeline = Timeline(with_sounds(reel))
    whole = mix(timeline).samples
    gain = Mixdown(timeline).gain()
    for number in (0, 3, 11, len(whole) // BLOCK):
        anew = Mixdown(timeline).block(number, gain)
        assert np.array_equal(anew, whole[number * BLOCK : number * BLOCK + len(anew)])


def test_the_reel_is_as_loud_as_asked(reel: Reel) -> None:
    found = mix(Timeline(with_sounds(reel))).samples
    assert pyloudnorm.Meter(RATE).integrated_loudness(found) == pytest.approx(-14.0, abs=0.2)
    assert decibels(true_peak(found)) <= -1.0


def test_strips_are_what_the_mix_is_made_of(reel: Reel) -> None:
    mixdown = Mixdown(Timeline(with_sounds(reel, Mix())))
    parts = mixdown.channels(0, 5 * RATE)
    assert set(parts) == {"song", "n1", "n2"}
    assert np.allclose(sum(parts.values()), mixdown.plain(0, 5 * RATE), atol=1e-6)


def test_muted_and_soloed_strips(reel: Reel) -> None:
    reel = with_sounds(reel, Mix())
    muted = Mixdown(Timeline(mixing.with_channel(reel, "n1", muted=True))).channels(0, 5 * RATE)
    assert set(muted) == {"song", "n2"} or not muted["n1"].any()
    alone = Mixdown(Timeline(mixing.with_channel(reel, "n2", solo=True))).channels(0, 5 * RATE)
    assert not alone["song"].any() and alone["n2"].any() and "n1" not in alone
    design = Mixdown(Timeline(reel), design_alone=True).channels(0, 5 * RATE)
    assert not design["song"].any() and design["n1"].any() and design["n2"].any()
    quiet = Mixdown(Timeline(mixing.with_channel(reel, "song", muted=True))).plain(0, 5 * RATE)
    assert np.allclose(quiet, Mixdown(Timeline(reel), design_alone=True).plain(0, 5 * RATE))


@pytest.mark.parametrize("pan", [-1.0, -0.4, 0.0, 0.7, 1.0])
def test_panning_keeps_the_power(reel: Reel, pan: float) -> None:
    reel = lanes.with_sound_lane(replace(reel, mix=Mix()), ["wood"], Rule(every=4))
    plain = Mixdown(Timeline(reel), design_alone=True).plain(0, 5 * RATE)
    panned = Mixdown(Timeline(mixing.with_channel(reel, "n1", pan=pan)), design_alone=True).plain(0, 5 * RATE)
    assert np.square(panned).sum() == pytest.approx(np.square(plain).sum(), rel=1e-4)
    if abs(pan) == 1:
        assert np.abs(panned[:, 0 if pan > 0 else 1]).max() < 1e-6


def test_the_song_is_down_under_what_ducks_it_before_it_sounds_and_comes_back(reel: Reel) -> None:
    reel = replace(with_sounds(reel, Mix(ducking=Ducking(12.0, -40.0, 80.0, 200.0))))
    mixdown = Mixdown(Timeline(reel))
    song = mixdown.channels(0, 8 * RATE)["song"]
    plain = Mixdown(Timeline(mixing.with_channel(reel, "n2", ducks=False))).channels(0, 8 * RATE)["song"]
    share = np.abs(song).sum(axis=1) / np.maximum(np.abs(plain).sum(axis=1), 1e-9)
    heard = np.abs(plain).sum(axis=1) > 1e-5
    hit = next(p.hit for p in mixdown.pieces if p.channel == "n2")
    at = np.flatnonzero(heard[hit : hit + 2000])[0] + hit
    assert share[at] == pytest.approx(10 ** (-12 / 20), rel=0.02)  # fully down as it strikes
    before = np.arange(hit - round(0.2 * RATE), hit - round(0.1 * RATE))
    before = before[(before >= 0) & heard[np.maximum(before, 0)]]
    assert not len(before) or share[before].min() > 0.99  # and not sooner than it must be


@settings(max_examples=examples(60), deadline=None)
@given(
    marks=st.lists(st.integers(0, 3000), max_size=5),
    depth=st.floats(0, 40),
    attack=st.floats(0, 500),
    release=st.floats(0, 900),
)
def test_ducking_is_full_where_something_is_loud_and_goes_smoothly(
    marks: list[int], depth: float, attack: float, release: float
) -> None:
    loud = np.zeros(3001, bool)
    loud[marks] = True
    found = 20 * np.log10(ducked(loud, Ducking(depth, -36, attack, release)))
    assert found.max() <= 1e-5 and found.min() >= -depth - 1e-3
    assert np.allclose(found[loud], -depth, atol=1e-3)
    per_ms = RATE / DUCK_HOP / 1000
    away = np.min([np.abs(np.arange(3001) - m) for m in marks], axis=0) if marks else np.full(3001, 1e9)
    assert np.allclose(found[away > max(attack, release) * per_ms + 1], 0, atol=1e-4)
    fastest = depth / max(min(attack, release) * per_ms, 1) * 1.6 + 1e-3
    assert min(attack, release) < 1 or np.abs(np.diff(found)).max() <= fastest


@pytest.mark.slow
def test_the_sound_alone_is_the_mix_to_24_bits(reel: Reel, tmp_path: Path) -> None:
    timeline = Timeline(with_sounds(reel))
    for name in ("o.wav", "o.flac"):
        write_sound(timeline, tmp_path / name)
        found = decode_sound(str(tmp_path / name), RATE).samples
        assert len(found) == round(10.0 * RATE)
        assert np.abs(found - mix(timeline).samples).max() < 2**-22
    with pytest.raises(TempikError, match=r"no ending for sound; choose \.wav or \.flac"):
        write_sound(timeline, tmp_path / "o.mp5")


@pytest.mark.film
def test_the_exported_file_is_as_loud_as_the_mix(reel: Reel, tmp_path: Path) -> None:
    timeline = Timeline(with_sounds(reel))
    export(timeline, tmp_path / "o.mp4")
    with av.open(str(tmp_path / "o.mp4")) as file:
        assert file.streams.audio[0].start_time == 0  # type: ignore[union-attr]
    found = decode_sound(str(tmp_path / "o.mp4"), RATE).samples
    assert abs(len(found) - round(10.0 * RATE)) <= 1024
    assert pyloudnorm.Meter(RATE).integrated_loudness(found) == pytest.approx(-14.0, abs=0.3)


def test_a_mix_that_cannot_be_is_refused_with_a_sentence(reel: Reel) -> None:
    with pytest.raises(TempikError, match="keep it between -60 and 24"):
        mixing.with_channel(reel, "song", gain_db=99.0)
    with pytest.raises(TempikError, match="a pan of 3"):
        mixing.with_channel(reel, "clips", pan=3.0)
    with pytest.raises(TempikError, match="a loudness of 3 LUFS"):
        mixing.with_master(reel, 3.0, -1.0)
    with pytest.raises(TempikError, match="a depth of 99 dB"):
        mixing.with_ducking(reel, Ducking(depth_db=99.0))
    with pytest.raises(TempikError, match="no longer there"):
        mixing.with_channel(reel, "n9", muted=True)


def test_an_hour_of_mix_is_made_in_blocks(reel: Reel) -> None:
    """What a block needs does not grow with the reel: of an hour only what is asked for is made."""
    assert reel.soundtrack is not None
    long = replace(with_sounds(reel, Mix(ceiling_db=-1.0)), length_s=3600.0)
    mixdown = Mixdown(Timeline(long), Sound(np.zeros((0, 2), np.float32), RATE), sound_bank=SoundBank())
    block = mixdown.block(7000, 1.0)
    assert len(block) == BLOCK and mixdown.count == 3600 * RATE


def test_a_mix_goes_with_its_last_use(reel: Reel) -> None:
    """It and its master held each other: each press of play left all that the last had mixed."""
    mixdown = Mixdown(Timeline(with_sounds(reel, Mix(ceiling_db=-1.0))))
    mixdown.block(2, 1.0)
    seen = weakref.ref(mixdown)
    gc.disable()
    try:
        del mixdown
        assert seen() is None
    finally:
        gc.enable()


def test_ids_of_strips_are_theirs_alone(reel: Reel) -> None:
    from tempik.reel.validate import problems

    twice = replace(reel, sound_lanes=(SoundLane("n1", ("tick",)), SoundLane("n1", ("wood",))))
    assert any("share the id 'n1'" in message for message in problems(twice))
    song = replace(reel, sound_tracks=(SoundTrack("song"),))
    assert any("called as the song's" in message for message in problems(song))
    assert MixerChannel() == Mix().song
