"""The promise: in the exported file, by PyAV's decode alone, every flash and every pinned cue is within half a frame
of its beat as heard in the file's own sound."""

from fractions import Fraction
from pathlib import Path

import av
import numpy as np
import pytest

from media_files import beat_song, number_in, numbered, write_sound, write_video
from tempik.check import check_reel, check_rendered
from tempik.edit import change
from tempik.edit import speed as retiming
from tempik.edit.assemble import assemble
from tempik.edit.draft import Wish
from tempik.edit.points import nudged
from tempik.edit.timeline import Timeline
from tempik.reel import Reel
from tempik.render import Settings, export
from tempik.retime import constant, ramp

W, H = 144, 256
RATES = [Fraction(24), Fraction(25), Fraction(30), Fraction(30000, 1001), Fraction(60)]


def decoded(path: Path) -> tuple[np.ndarray, list[np.ndarray], np.ndarray]:
    """Frame times, luma pictures and mono sound at 48 kHz of a file, aligned at its time 0, by PyAV alone."""
    times, pictures = [], []
    with av.open(str(path)) as container:
        for frame in container.decode(video=0):
            times.append(float(frame.pts * frame.time_base))
            pictures.append(frame.to_ndarray(format="gray"))
    with av.open(str(path)) as container:
        blocks, first = [], None
        for frame in container.decode(audio=0):
            first = float(frame.pts * frame.time_base) if first is None else first
            blocks.append(frame.to_ndarray().mean(axis=0))
    sound = np.concatenate(blocks)
    lead = round((first or 0.0) * 48000)
    sound = np.concatenate([np.zeros(max(lead, 0)), sound[max(-lead, 0) :]])
    return np.array(times), pictures, sound


def heard_beats(sound: np.ndarray, near_s: list[float]) -> np.ndarray:
    """When the click near each time is heard: the first sample above half of that click's own peak."""
    out = []
    for time_s in near_s:
        a = max(0, round((time_s - 0.06) * 48000))
        part = np.abs(sound[a : round((time_s + 0.06) * 48000)])
        out.append((a + int(np.argmax(part > 0.5 * part.max()))) / 48000)
    return np.array(out)


def make_reel(folder: Path, bpm: float, rate: Fraction, length_s: float, footage_rate: int = 60) -> Reel:
    samples, _ = beat_song(bpm, int(length_s * bpm / 240) + 2)
    song = write_sound(folder / "song.wav", samples)
    film = write_video(folder / "film.mp4", numbered(W, H), footage_rate * 6, footage_rate)
    wish = Wish(every=4, length_s=length_s, width=W, height=H, rate=rate, accents=(("flash", 4),))
    return assemble(str(song), [str(film)], [("film.mp4", 3.0)], wish).reel


def assert_lands(reel: Reel, path: Path, footage_rate: int = 60) -> None:
    timeline = Timeline(reel)
    times, pictures, sound = decoded(path)
    half = 0.5 / float(timeline.rate) + 1e-4  # a click's own edge is known to a tenth of a millisecond
    light = np.array([p.mean() for p in pictures])
    flashed = {q.frame for q in timeline.pulses[0]} if timeline.pulses else set()
    beats = heard_beats(sound, [timeline.reel_s(q.point) for q in timeline.pulses[0]]) if flashed else np.empty(0)
    for pulse, beat in zip(timeline.pulses[0] if flashed else [], beats, strict=True):
        window = range(max(1, pulse.frame - 4), min(len(light), pulse.frame + 5))
        rise = max(window, key=lambda k: light[k] - light[k - 1])
        assert light[rise] - light[rise - 1] > 20
        assert abs(times[rise] - beat) <= half, f"flash at {times[rise]:.4f} s, beat heard at {beat:.4f} s"
    for placed in timeline.placed:
        for tie in placed.ties:
            (beat,) = heard_beats(sound, [timeline.reel_s(tie.point)])
            wanted = round(tie.cue_s * footage_rate)
            near = [k for k in range(tie.frame - 4, tie.frame + 5) if placed.first <= k < placed.end]
            shows = [k for k in near if number_in(pictures[k]) == wanted]
            assert shows, f"the cue's frame {wanted} is not on screen near {tie.frame}"
            assert min(abs(times[k] - beat) for k in shows) <= half


@pytest.mark.parametrize("bpm", [128, 93.7])
@pytest.mark.parametrize("rate", RATES, ids=str)
def test_flashes_and_cues_land_on_the_beat_that_is_heard(tmp_path: Path, bpm: float, rate: Fraction) -> None:
    reel = make_reel(tmp_path, bpm, rate, 12.0)
    export(Timeline(reel), tmp_path / "o.mp4")
    assert_lands(reel, tmp_path / "o.mp4")


@pytest.mark.parametrize(("bpm", "rate"), [(128, Fraction(30000, 1001))])
def test_nothing_drifts_over_two_minutes(tmp_path: Path, bpm: float, rate: Fraction) -> None:
    reel = make_reel(tmp_path, bpm, rate, 120.0)
    export(Timeline(reel), tmp_path / "o.mp4", Settings(quality="draft"))
    assert_lands(reel, tmp_path / "o.mp4")


@pytest.mark.parametrize("curve", [constant(0.5), constant(-1.0), ramp(2.0, 0.5), ramp(0.4, 1.6, 0.42)], ids=str)
def test_cues_land_at_any_speed_and_direction(tmp_path: Path, curve: object) -> None:
    reel = make_reel(tmp_path, 128, Fraction(30), 8.0)
    for clip in reel.clips:
        reel = retiming.with_curve(reel, clip.id, curve)  # type: ignore[arg-type]
    export(Timeline(reel), tmp_path / "o.mp4")
    assert_lands(reel, tmp_path / "o.mp4")


def test_the_check_measures_what_is_in_the_file(tmp_path: Path) -> None:
    reel = make_reel(tmp_path, 128, Fraction(30), 8.0)
    reel = change.with_row(reel, "shake", 2)
    timeline = Timeline(reel)
    export(timeline, tmp_path / "o.mp4")
    planned, measured = check_reel(timeline), check_rendered(timeline, tmp_path / "o.mp4")
    assert planned.ok and measured.ok
    assert abs(measured.sound_offset_ms or 0) < 0.5
    flashes = [e for e in measured.events if e.what == "flash"]
    assert flashes and all(e.measured_ms is not None for e in flashes)
    for event in measured.events:
        if event.measured_ms is not None:
            assert event.measured_ms == pytest.approx(event.error_ms, abs=0.6)


def test_the_check_catches_a_file_that_is_a_frame_late(tmp_path: Path) -> None:
    reel = make_reel(tmp_path, 128, Fraction(30), 8.0)
    export(Timeline(reel), tmp_path / "o.mp4")
    # The same edit with every point moved a tenth of a second: measured against it, the file is early.
    assert reel.soundtrack is not None
    moved = nudged(reel, [p.id for p in reel.soundtrack.points if p.time_s < reel.soundtrack.length_s - 0.1], 0.1)
    report = check_rendered(Timeline(moved), tmp_path / "o.mp4")
    assert not report.ok
    flashes = [e.measured_ms for e in report.events if e.what == "flash" and e.measured_ms is not None]
    assert flashes and all(abs(m + 100) < 18 for m in flashes)
