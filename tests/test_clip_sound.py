"""A clip's own sound under its curve: with the picture to the millisecond, in tune, and without a click."""

from fractions import Fraction
from pathlib import Path

import av
import numpy as np
import pytest
from numpy.typing import NDArray

from media_files import number_in, numbered, write_video
from tempik.edit.speed import direction, speed
from tempik.media import Sound
from tempik.reel import Clip, ClipSound, Curve, Edge, Footage, Pitch, Reel
from tempik.render import export, mix
from tempik.render.clip_sound import clip_audio
from tempik.render.hearing import slowed
from tempik.retime import constant, ramp, ready_shape
from tempik.timeline.placed_clip import PlacedClip
from tempik.timeline.timeline import Timeline

HZ = 48000
WAYS: tuple[Pitch, ...] = ("preserved", "follows")
SINE_HZ = 440.0


def impacts(length_s: float, every_s: float = 1.0) -> NDArray[np.float32]:
    """Struck iron over a little noise: an impact every second, loudest at once."""
    out = np.random.default_rng(0).normal(0, 0.002, round(length_s * HZ)).astype(np.float32)
    ring = np.arange(4800)
    hit = (np.exp(-ring / 600) * np.sin(ring * 0.2)).astype(np.float32)
    for at in np.arange(every_s, length_s - 0.2, every_s):
        out[round(at * HZ) : round(at * HZ) + len(hit)] += hit
    return out


def sine(length_s: float) -> NDArray[np.float32]:
    return (0.5 * np.sin(2 * np.pi * SINE_HZ * np.arange(round(length_s * HZ)) / HZ)).astype(np.float32)


def clip_of(curve: Curve, pitch: Pitch, source_s: float = 1.5, length_s: float = 3.0, **sound: float) -> Reel:
    piece = Footage("f1", "/v/x.mp4", 90, 160, Fraction(30), 12.0, has_sound=True)
    clip = Clip(
        "c1", "f1", Edge(0.5), Edge(0.5 + length_s), source_s, curve, sound=ClipSound(True, pitch=pitch, **sound)
    )
    return Reel(length_s=6.0, footage=(piece,), clips=(clip,))


def heard(
    reel: Reel, samples: NDArray[np.float32], crossfade_s: float = 0.005
) -> tuple[PlacedClip, NDArray[np.float32], int]:
    placed = Timeline(reel).placed[0]
    both = np.repeat(samples[:, None], 2, axis=1)
    track = clip_audio(placed, Sound(both, HZ), reel.rate, crossfade_s)
    return placed, track.samples[:, 0], track.first


def onset(sound: NDArray[np.float32], forward: bool) -> int:
    """Where an impact begins in a window; played backward it is where it ends."""
    loud = np.flatnonzero(np.abs(sound) > 0.4 * np.abs(sound).max())
    return int(loud[0] if forward else loud[-1])


SHAPES = {n: s for n in ("dip", "swing", "launch") if (s := ready_shape(n)) is not None}
CURVES: dict[str, tuple[Curve, float]] = {
    "as filmed": (constant(1.0), 1.5),
    "half": (constant(0.5), 1.5),
    "double": (constant(2.0), 1.5),
    "ramp": (ramp(2.0, 0.4, 0.42), 1.5),
    "four times": (constant(4.0), 0.3),
    "backward": (constant(-1.0), 8.0),
    "backward ramp": (ramp(-0.5, -3.0), 9.0),
    "dip": (Curve(SHAPES["dip"].nodes), 1.5),
}


@pytest.mark.slow
@pytest.mark.parametrize("pitch", WAYS)
@pytest.mark.parametrize("name", CURVES)
def test_an_impact_sounds_within_10_ms_of_its_picture(name: str, pitch: Pitch) -> None:
    curve, source_s = CURVES[name]
    placed, sound, first = heard(clip_of(curve, pitch, source_s), impacts(12.0))
    checked = 0
    for impact_s in range(1, 12):
        for seen_s in placed.map.when(float(impact_s)):
            way = float(placed.map.speed(seen_s)[0])
            middle, room = round((0.5 + seen_s) * HZ) - first, round(0.03 * HZ)
            if room <= middle < len(sound) - room and abs(way) > 0.15:
                at = onset(sound[middle - room : middle + room], way > 0) - room
                assert abs(at) / HZ < 0.010, f"the impact at {impact_s} s is heard {at / HZ * 1000:.1f} ms off"
                checked += 1
    assert checked


@pytest.mark.parametrize("speed_", [0.5, 2.0, -1.0, -0.5])
@pytest.mark.parametrize("pitch", WAYS)
def test_pitch_is_kept_or_follows_the_speed(pitch: Pitch, speed_: float) -> None:
    _, sound, _ = heard(clip_of(constant(speed_), pitch, 6.0), sine(12.0))
    part = sound[HZ : HZ + 32768] * np.hanning(32768)
    found = float(np.argmax(np.abs(np.fft.rfft(part)))) * HZ / 32768
    assert found == pytest.approx(SINE_HZ * (abs(speed_) if pitch == "follows" else 1.0), abs=2.0)
    assert np.abs(sound[HZ:-HZ]).max() == pytest.approx(0.5, abs=0.04)


def test_what_would_fold_over_when_played_faster_is_filtered_off() -> None:
    high = (0.5 * np.sin(2 * np.pi * 20000 * np.arange(12 * HZ) / HZ)).astype(np.float32)
    _, sound, _ = heard(clip_of(constant(2.0), "follows"), high)  # 40 kHz would come back as 8 kHz
    assert np.abs(sound[HZ:-HZ]).max() < 0.02


def steepest(sound: NDArray[np.float32]) -> float:
    return float(np.abs(np.diff(sound)).max())


@pytest.mark.parametrize("pitch", WAYS)
def test_no_edge_and_no_turn_clicks(pitch: Pitch) -> None:
    turning = direction.with_see_saw(clip_of(constant(1.0), pitch, 4.0), "c1", pieces=5)
    still = speed.with_hold(clip_of(constant(1.0), pitch, 4.0), "c1", 45, 20)
    for reel in (turning, still, clip_of(constant(1.0), pitch)):
        _, sound, _ = heard(reel, sine(12.0))
        # A sine of this size steps by 0.029 a sample; a crossfade of 5 ms adds little, a click much.
        assert steepest(np.concatenate([[0.0], sound, [0.0]]).astype(np.float32)) < 0.06


def test_a_still_picture_is_silent_and_gain_is_in_decibels() -> None:
    _, sound, _ = heard(clip_of(constant(0.0), "preserved"), sine(12.0))
    assert not sound.any()
    _, quiet, _ = heard(clip_of(constant(1.0), "preserved", gain_db=-20.0), sine(12.0))
    assert np.abs(quiet[HZ:-HZ]).max() == pytest.approx(0.05, abs=0.003)


@pytest.mark.slow
def test_two_halves_of_a_split_sound_like_the_whole() -> None:
    whole = clip_of(constant(1.0), "follows")
    one = Timeline(whole).placed[0].clip
    halves = Reel(
        length_s=6.0,
        footage=whole.footage,
        clips=(
            Clip("a", "f1", Edge(0.5), Edge(2.0), 1.5, one.curve, sound=one.sound),
            Clip("b", "f1", Edge(2.0), Edge(3.5), 3.0, one.curve, sound=one.sound),
        ),
    )
    source = Sound(np.repeat(impacts(12.0)[:, None], 2, axis=1), HZ)

    def mixed(reel: Reel) -> NDArray[np.float32]:
        return mix(Timeline(reel), tracks=lambda p: clip_audio(p, source, reel.rate, 0.005)).samples

    assert mixed(halves) == pytest.approx(mixed(whole), abs=2e-4)


def test_footage_that_runs_out_is_silent_after_its_end() -> None:
    _, sound, first = heard(clip_of(constant(1.0), "preserved", 11.0), sine(12.0))
    assert np.abs(sound[round(1.7 * HZ) - first :]).max() < 1e-3


@pytest.mark.slow
@pytest.mark.parametrize("pitch", WAYS)
def test_in_the_exported_file_the_impact_is_heard_with_its_picture(tmp_path: Path, pitch: Pitch) -> None:
    """The whole way: film with an impact on frame 60, ramped, exported, decoded by PyAV."""
    path = write_video(tmp_path / "f.mp4", numbered(180, 320), 180, 30, sound=impacts(6.0, 2.0))
    piece = Footage("f1", str(path), 180, 320, Fraction(30), 6.0, has_sound=True)
    clip = Clip("c1", "f1", Edge(0.0), Edge(3.0), 0.5, ramp(0.6, 1.6, 0.42), sound=ClipSound(True, pitch=pitch))
    reel = Reel(180, 320, Fraction(30), 3.0, footage=(piece,), clips=(clip,))
    export(Timeline(reel), tmp_path / "o.mp4")
    with av.open(str(tmp_path / "o.mp4")) as container:
        numbers = [number_in(f.to_ndarray(format="gray")) for f in container.decode(video=0)]
    with av.open(str(tmp_path / "o.mp4")) as container:
        sound = np.concatenate([f.to_ndarray()[0] for f in container.decode(audio=0)])
    (seen_s,) = Timeline(reel).placed[0].map.when(2.0)
    assert numbers[int(seen_s * 30) + 1] >= 60 > numbers[int(seen_s * 30) - 1]
    middle, room = round(seen_s * HZ), round(0.05 * HZ)
    assert abs(onset(sound[middle - room : middle + room], True) - room) / HZ < 0.010


def test_slowed_listening_runs_on_without_a_seam() -> None:
    """It clicked each half second: every block of the stretcher began and ended on its own."""
    half = slowed(Sound(np.repeat(sine(8.0)[:, None], 2, axis=1), HZ), 0.5).samples[HZ:-HZ, 0]
    assert steepest(half) < 0.05
    level = [np.abs(half[i : i + 480]).max() for i in range(0, len(half) - 480, 480)]
    assert min(level) > 0.4
