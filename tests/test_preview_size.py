"""How large the preview is rendered: as it is seen, as the reel is, or less while playing cannot keep up."""

from __future__ import annotations

import pytest

from tempik.desktop.playback.preview_size import LATE, OF_FRAMES, STEPS, PreviewSize
from tempik.reel import Reel

UPRIGHT = Reel(width=1080, height=1920)


def seen_at(*heights_px: float, reel: Reel = UPRIGHT) -> PreviewSize:
    size = PreviewSize(lambda: reel)
    for height_px in heights_px:
        size.add_view(lambda height_px=height_px: height_px)  # type: ignore[misc]
    return size


def test_it_is_as_large_as_it_is_seen_and_at_most_half_the_reels_own() -> None:
    assert seen_at(480).pixels() == (270, 480)
    assert seen_at(5000).pixels() == (540, 960)
    assert seen_at(0.0).pixels() == seen_at().pixels() == (108, 192), (
        "not seen yet, it is made small rather than not at all"
    )


def test_the_largest_of_its_views_decides() -> None:
    assert seen_at(300, 720, 480).pixels() == (404, 720)


def test_all_of_the_reel_where_that_is_wanted() -> None:
    size = seen_at(480)
    size.set_full(True)
    assert size.pixels() == (1080, 1920)
    size.set_full(False)
    assert size.pixels() == (270, 480)


@pytest.mark.parametrize("height", [192, 1080, 1350, 1920, 4320])
def test_sides_are_even_whatever_the_frame(height: int) -> None:
    for step in range(len(STEPS)):
        size = seen_at(333.3, reel=Reel(width=1080, height=height))
        size.keep_up(step)
        assert all(side >= 16 and side % 2 == 0 for side in size.pixels())


def test_frames_that_come_late_make_it_coarser_step_by_step_and_no_further() -> None:
    size, frame = seen_at(960), 0
    for step in range(1, len(STEPS)):
        told = [size.count_late(frame + n) for n in range(LATE)]
        assert told == [False] * (LATE - 1) + [True] and size.step == step
        assert size.pixels()[1] == pytest.approx(960 * STEPS[step], abs=1)
        frame += LATE
    assert not any(size.count_late(frame + n) for n in range(3 * LATE)), "there is no coarser step"


def test_late_frames_far_apart_change_nothing() -> None:
    size = seen_at(960)
    assert not any(size.count_late(n * OF_FRAMES) for n in range(10))
    assert size.step == 0 and size.keep_up(0) is False and size.keep_up(2) is True
