"""The promise: in the exported file, by PyAV's decode alone, every flash and every pinned cue is within half a frame
of its beat as heard in the file's own sound."""

from collections.abc import Callable
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
import pytest

from media_files import beat_song, number_in, numbered, write_sound, write_video
from tempik.assemble import assemble
from tempik.check import check_reel, check_rendered
from tempik.edit.accents import lanes as accent_lanes
from tempik.edit.clips import pins as pin
from tempik.edit.draft import RuleDraftOptions
from tempik.edit.song.points import nudged
from tempik.edit.speed import direction
from tempik.edit.speed import speed as retiming
from tempik.project.shapes import shape_named
from tempik.reel import Reel
from tempik.reel.points import points_of
from tempik.render import ExportSettings, export
from tempik.retime import constant, ramp
from tempik.timeline.timeline import Timeline

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
        for heard in container.decode(audio=0):
            first = float(heard.pts * heard.time_base) if first is None else first
            blocks.append(heard.to_ndarray().mean(axis=0))
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
    options = RuleDraftOptions(every=4, length_s=length_s, width=W, height=H, rate=rate, accents=(("flash", 4),))
    return assemble(str(song), [str(film)], [("film.mp4", 3.0)], options).reel


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


@pytest.mark.film
@pytest.mark.parametrize("bpm", [128, 93.7])
@pytest.mark.parametrize("rate", RATES, ids=str)
def test_flashes_and_cues_land_on_the_beat_that_is_heard(tmp_path: Path, bpm: float, rate: Fraction) -> None:
    reel = make_reel(tmp_path, bpm, rate, 9.0)
    # One of them as good as it comes from the window; how many bits a picture has moves nothing.
    export(
        Timeline(reel), tmp_path / "o.mp4", ExportSettings(quality="standard" if (bpm, rate) == (128, 30) else "draft")
    )
    assert_lands(reel, tmp_path / "o.mp4")


@pytest.mark.film
@pytest.mark.parametrize(("bpm", "rate"), [(128, Fraction(30000, 1001))])
def test_nothing_drifts_over_two_minutes(tmp_path: Path, bpm: float, rate: Fraction) -> None:
    reel = make_reel(tmp_path, bpm, rate, 120.0)
    export(Timeline(reel), tmp_path / "o.mp4", ExportSettings(quality="draft"))
    assert_lands(reel, tmp_path / "o.mp4")


def shaped_every_way(reel: Reel) -> Reel:
    """Give each clip another of the ways to play: slow, backward, ramps, a shape on its pin, see-saws, several pins."""
    ways: list[Callable[[Reel, str], Reel]] = [
        lambda r, c: retiming.with_curve(r, c, constant(0.5)),
        lambda r, c: retiming.with_curve(r, c, constant(-1.0)),
        lambda r, c: retiming.with_curve(r, c, ramp(2.0, 0.5)),
        lambda r, c: retiming.with_curve(r, c, ramp(0.4, 1.6, 0.42)),
        lambda r, c: retiming.with_shape(r, [c], shape_named("dip"), 1.0, "pin"),
        lambda r, c: direction.with_see_saw(r, c, pieces=3),
        lambda r, c: direction.with_see_saw(r, c, points=1),
        with_second_pin,
    ]
    for number, clip in enumerate(reel.clips):
        reel = ways[number % len(ways)](reel, clip.id)
    return reel


def with_second_pin(reel: Reel, clip: str) -> Reel:
    """Pin what the clip shows three points from its end to the point before: a bend that the shape must take."""
    placed = Timeline(reel).placed_clip(clip)
    assert placed is not None
    inside = [p for p in Timeline(reel).on_reel() if placed.first < Timeline(reel).frame_of_point(p) < placed.end]
    later = [p for p in inside if p.id not in {t.point.id for t in placed.ties}]
    at = Timeline(reel).frame_of_point(later[-1]) - 3
    return pin.with_clip_cue_here(reel, clip, at, later[-1].id, also=True)


@pytest.mark.film(sample="24")
@pytest.mark.parametrize("rate", RATES, ids=str)
def test_cues_land_at_any_speed_shape_and_direction(tmp_path: Path, rate: Fraction) -> None:
    reel = shaped_every_way(make_reel(tmp_path, 128, rate, 15.0))
    timeline = Timeline(reel)
    assert len(reel.clips) == 8 and sum(len(p.ties) for p in timeline.placed) == 9
    assert any(p.map.turns() for p in timeline.placed)
    export(timeline, tmp_path / "o.mp4", ExportSettings(quality="draft"))
    assert_lands(reel, tmp_path / "o.mp4")


@pytest.mark.film
def test_the_check_measures_what_is_in_the_file(tmp_path: Path) -> None:
    reel = make_reel(tmp_path, 128, Fraction(30), 8.0)
    reel = accent_lanes.with_lane(reel, "shake", 2)
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


@pytest.mark.film
def test_the_check_catches_a_file_that_is_a_frame_late(tmp_path: Path) -> None:
    reel = make_reel(tmp_path, 128, Fraction(30), 8.0)
    export(Timeline(reel), tmp_path / "o.mp4")
    # The same edit with every point moved a tenth of a second: measured against it, the file is early.
    assert reel.soundtrack is not None
    moved = nudged(reel, [p.id for p in points_of(reel.soundtrack) if p.time_s < reel.soundtrack.length_s - 0.1], 0.1)
    report = check_rendered(Timeline(moved), tmp_path / "o.mp4")
    assert not report.ok
    flashes = [e.measured_ms for e in report.events if e.what == "flash" and e.measured_ms is not None]
    assert flashes and all(abs(m + 100) < 18 for m in flashes)
