"""Accents in the exported file: each is found there at its own point, and what moves is blurred by the shutter."""

from fractions import Fraction
from pathlib import Path

import cv2
import numpy as np
import pytest
from msgspec.structs import replace

from media_files import beat_song, write_sound, write_video
from tempik.assemble import assemble
from tempik.check import check_rendered
from tempik.edit import ruled
from tempik.edit.accents import lanes as accent_lanes
from tempik.edit.draft import RuleDraftOptions
from tempik.reel import Framing, Position, Reel, Rule
from tempik.render import PictureSource, export, plan
from tempik.render.cost import HEAVY, weight
from tempik.timeline.timeline import Timeline

W, H = 180, 320


@pytest.fixture(scope="module")
def still_life(tmp_path_factory: pytest.TempPathFactory) -> Reel:
    """A reel on a textured picture that pans slowly, cut on every bar, without accents."""
    folder = tmp_path_factory.mktemp("still life")
    rng = np.random.default_rng(8)
    ground = cv2.GaussianBlur(rng.integers(0, 256, (H, W + 200, 3), dtype=np.uint8), (0, 0), 4)
    ground = cv2.normalize(ground, None, 25, 200, cv2.NORM_MINMAX).astype(np.uint8)
    film = write_video(folder / "pan.mp4", lambda n: np.ascontiguousarray(ground[:, n // 2 : n // 2 + W]), 300, 30)
    samples, _ = beat_song(120, 5)
    song = write_sound(folder / "song.wav", samples)
    return assemble(
        str(song), [str(film)], [(str(film), 3.0)], RuleDraftOptions(every=8, length_s=8.0, width=W, height=H)
    ).reel


def with_rows(reel: Reel, names: list[str]) -> Reel:
    for offset, name in enumerate(names):
        reel = accent_lanes.with_lane(reel, name)
        reel = ruled.with_rule(reel, reel.accent_lanes[-1].id, Rule(every=4, offset=offset))
    return reel


@pytest.mark.film(sample="names0")
@pytest.mark.parametrize(
    "names",
    [
        ["flash", "shake", "punch", "kick"],
        ["mono", "streak", "drop-back", "invert"],
        ["haze", "tint", "shift", "bulge"],
        ["rush", "contrast", "slices", "letterbox"],
    ],
)
def test_every_kind_of_accent_is_found_in_the_file_at_its_point(
    still_life: Reel, names: list[str], tmp_path: Path
) -> None:
    timeline = Timeline(with_rows(still_life, names))
    export(timeline, tmp_path / "o.mp4")
    report = check_rendered(timeline, tmp_path / "o.mp4")
    accents = [e for e in report.events if e.kind == "accent"]
    assert {e.what for e in accents} == set(names)
    assert all(e.measured_ms is not None for e in accents)
    assert report.ok and report.worst_ms <= 1000 / 60 + 2


@pytest.mark.film
@pytest.mark.parametrize("name", ["flash", "shake", "punch", "mono", "streak"])
def test_an_accent_that_is_two_frames_late_in_the_file_is_caught(still_life: Reel, name: str, tmp_path: Path) -> None:
    timeline = Timeline(with_rows(still_life, [name]))
    late = {p.step: p.frame + 2 for p in timeline.pulses[0]}
    shifted = replace(
        still_life,
        accent_lanes=(
            replace(
                timeline.reel.accent_lanes[0], rule=Rule("hand"), keys={"level": _taps(timeline, list(late.values()))}
            ),
        ),
    )
    export(Timeline(shifted), tmp_path / "late.mp4")
    report = check_rendered(timeline, tmp_path / "late.mp4")
    measured = [e for e in report.events if e.kind == "accent" and e.measured_ms is not None]
    assert measured and not report.ok
    assert np.median([e.measured_ms for e in measured]) == pytest.approx(2000 / 30, abs=20)


def _taps(timeline: Timeline, frames: list[int]):  # type: ignore[no-untyped-def]
    """Keys of a level that is full on some frames and falls to nothing in six, as the pulses of an accent do."""
    from tempik.reel import Key

    keys = []
    for frame in frames:
        for after, value in ((-1, 0.0), (0, 1.0), (6, 0.0)):
            keys.append(Key((frame + after) / float(timeline.rate), value, None, "hold" if after < 0 else "slow end"))
    return tuple(keys)


# The shutter


def test_the_shutter_blurs_what_moves_and_only_that(still_life: Reel) -> None:
    sharp = with_rows(still_life, ["shake"])
    sharp = accent_lanes.with_setting(sharp, sharp.accent_lanes[0].id, "size", 0.15)
    open_ = accent_lanes.with_shutter(sharp, 180)
    shaken = Timeline(sharp).pulses[0][1].frame + 1
    with PictureSource() as source:
        a, b = (source.render(plan(Timeline(r), shaken, W, H)).y.astype(float) for r in (sharp, open_))
        still = [source.render(plan(Timeline(r), shaken + 12, W, H)).y for r in (sharp, open_)]
    edges = [sum(float(np.abs(np.diff(p, axis=axis)).mean()) for axis in (0, 1)) for p in (a, b)]
    assert edges[1] < 0.85 * edges[0]
    assert (still[0] == still[1]).all()


def test_a_wider_shutter_sees_a_longer_way(still_life: Reel) -> None:
    # Exposure = angle / 360 / rate: 200° at 30 is 18.5 ms, 180° at 24 is 20.8 ms (common practice).
    for angle, rate, exposure_ms in ((200, 30, 18.5), (180, 24, 20.8)):
        assert angle / 360 / rate * 1000 == pytest.approx(exposure_ms, abs=0.05)
    moving = Framing(start=Position(1.0), end=Position(1.0, x=0.4), ease="even")
    reel = replace(still_life, clips=tuple(replace(c, framing=moving) for c in still_life.clips))
    ways = []
    for angle in (90, 180, 360):
        timeline = Timeline(accent_lanes.with_shutter(reel, angle))
        placed = timeline.placed[1]
        shot = plan(timeline, placed.first + placed.frames // 2, 1080, 1920).layer_plans[-1]
        ways.append(abs(shot.segments[0].sweep[0, 2]))
    per_frame = 0.4 * 1080 / (Timeline(reel).placed[1].frames - 1)
    assert ways == pytest.approx([per_frame / 4, per_frame / 2, per_frame], rel=0.02)


def test_the_frame_before_a_point_is_not_blurred_by_what_comes(still_life: Reel) -> None:
    timeline = Timeline(accent_lanes.with_shutter(with_rows(still_life, ["shake"]), 360))
    point = timeline.pulses[0][1].frame
    assert plan(timeline, point - 1, W, H).layer_plans[0].segments == ()
    assert plan(timeline, point, W, H).layer_plans[0].segments != ()


# What a plan is


def test_equal_plans_are_known_as_such_and_others_are_not(still_life: Reel) -> None:
    reel = with_rows(still_life, ["flash", "split"])
    timeline, again = Timeline(reel), Timeline(accent_lanes.with_amount(reel, reel.accent_lanes[1].id, 0.5))
    flash, split = timeline.pulses[0][0].frame, timeline.pulses[1][0].frame
    assert plan(timeline, flash, W, H).key() == plan(again, flash, W, H).key()
    assert plan(timeline, split, W, H).key() != plan(again, split, W, H).key()
    assert plan(timeline, split, W, H).key() != plan(timeline, split, W // 2, H // 2).key()


def test_dear_frames_are_told_from_cheap_ones(still_life: Reel) -> None:
    timeline = Timeline(with_rows(still_life, ["flash", "echo"]))
    flash, echo = timeline.pulses[0][2].frame, timeline.pulses[1][2].frame
    assert weight(plan(timeline, flash, W, H)) < HEAVY < weight(plan(timeline, echo + 3, W, H)) + 0.5


def test_a_flash_over_a_still_frame_keeps_the_planes_apart(still_life: Reel) -> None:
    timeline = Timeline(with_rows(still_life, ["flash"]))
    frame = timeline.pulses[0][0].frame
    meant = plan(timeline, frame, W, H)
    assert meant.look.effects == () and len(meant.look.tones) == 1
    assert plan(timeline, frame - 1, W, H).look.tones == ()
    assert timeline.rate == Fraction(30)


@pytest.mark.film
def test_an_accent_held_under_a_fading_flash_is_not_taken_for_late(still_life: Reel, tmp_path: Path) -> None:
    # The flash hides it most on the point's own frame, so that the next frame of its hold differs more.
    both = accent_lanes.with_lane(accent_lanes.with_lane(still_life, "flash", 4), "invert", 4)
    both = accent_lanes.with_shutter(accent_lanes.with_all_amounts(both, 0.65), 180)
    timeline = Timeline(both)
    export(timeline, tmp_path / "o.mp4")
    report = check_rendered(timeline, tmp_path / "o.mp4")
    assert report.ok and report.worst_ms <= 1000 / 60 + 2
