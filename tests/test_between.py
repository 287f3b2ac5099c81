"""Frames in between, measured: on motion whose truth is known, and on real detail moved by known amounts.

PSNR and SSIM are scikit-image's. Film with every second frame left out is measured by `./run bench between`.
"""

from collections.abc import Callable
from fractions import Fraction
from pathlib import Path

import cv2
import numpy as np
import pytest
from msgspec.structs import replace
from numpy.typing import NDArray
from skimage.metrics import peak_signal_noise_ratio, structural_similarity

from media_files import number_in, numbered, write_video
from tempik.edit.speed import speed
from tempik.media import index_frames
from tempik.media.picture import Picture
from tempik.reel import Reel
from tempik.render import PictureSource, plan
from tempik.render.between import InBetweens, blended
from tempik.timeline.placed_clip import repeats_most
from tempik.timeline.timeline import Timeline

W, H, COUNT = 360, 640, 9
Plane = NDArray[np.uint8]


def ground() -> Plane:
    """A detailed surface: noise at two sizes, so that there is something to follow everywhere."""
    noise = np.random.default_rng(3).random((1600, 1600)).astype(np.float32)
    sizes = [cv2.normalize(cv2.GaussianBlur(noise, (0, 0), s), None, 0, 255, cv2.NORM_MINMAX) for s in (3, 12)]  # type: ignore[call-overload]
    return np.asarray((sizes[0] + sizes[1]) / 2, dtype=np.uint8)


GROUND = ground()


def view(matrix: NDArray[np.float64]) -> Plane:
    out = cv2.warpAffine(GROUND, matrix, (W, H), flags=cv2.INTER_AREA | cv2.WARP_INVERSE_MAP)
    return np.asarray(out, dtype=np.uint8)


def about(scale: float, degrees: float) -> Plane:
    matrix = cv2.getRotationMatrix2D((W / 2, H / 2), degrees, scale)
    matrix[:, 2] += (400, 300)
    return view(matrix)


def crossing(i: int) -> Plane:
    """Two objects of the ground's own detail that pass in front of one another."""
    frame = view(np.array([[1.0, 0, 500], [0, 1, 500]])).copy()
    for x, y, light in ((60 + 14 * i, 250, 20), (300 - 14 * i, 270, 110)):
        left, right = max(0, x - 50), min(W, x + 50)
        frame[y - 60 : y + 60, left:right] = GROUND[100:220, 100 : 100 + right - left] // 3 + light
    return frame


MOTIONS: dict[str, Callable[[int], Plane]] = {
    "pan": lambda i: view(np.array([[1.0, 0, 300 + 6 * i], [0, 1, 300 + 2 * i]])),
    "fast pan": lambda i: view(np.array([[1.0, 0, 200 + 20 * i], [0, 1, 300]])),
    "zoom": lambda i: about(1 - 0.015 * i, 0),
    "rotation": lambda i: about(1, 2.0 * i),
    "crossing": crossing,
}


def picture(luma: Plane) -> Picture:
    grey = np.full((luma.shape[0] // 2, luma.shape[1] // 2), 128, np.uint8)
    return Picture(luma, grey, grey)


def gains(frames: list[Plane]) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """How much better flow is than blend for every frame left out: in decibels, and in SSIM."""
    maker, decibels, likeness = InBetweens(), [], []
    for i in range(0, len(frames) - 2, 2):
        a, b, truth = picture(frames[i]), picture(frames[i + 2]), frames[i + 1]
        made = [blended(a, b, 0.5).y, maker.made(a, b, 0.5, (i,)).y]
        blend, flow = (peak_signal_noise_ratio(truth, m) for m in made)
        decibels.append(flow - blend)
        blend, flow = (structural_similarity(truth, m) for m in made)
        likeness.append(flow - blend)
    return np.array(decibels), np.array(likeness)


@pytest.mark.slow
@pytest.mark.parametrize("motion", MOTIONS)
def test_flow_beats_blend_on_motion_whose_truth_is_known(motion: str) -> None:
    decibels, likeness = gains([MOTIONS[motion](i) for i in range(COUNT)])
    assert decibels.min() > -0.2 and likeness.min() > -0.002
    if motion != "crossing":
        assert decibels.mean() >= 3


def test_at_any_share_of_the_way_flow_lands_where_the_pan_is() -> None:
    a, b = (picture(MOTIONS["pan"](i)) for i in (0, 4))
    for share in (0.25, 0.5, 0.75):
        truth = MOTIONS["pan"](round(4 * share))
        assert peak_signal_noise_ratio(truth, InBetweens().made(a, b, share, (0,)).y) > 33


def test_where_nothing_moves_flow_leaves_the_picture_be() -> None:
    still = MOTIONS["pan"](0)
    made = InBetweens().made(picture(still), picture(still), 0.5, (0,))
    assert np.abs(made.y.astype(int) - still).max() <= 1


def test_over_a_cut_in_the_footage_the_nearer_frame_is_shown_whole() -> None:
    a = MOTIONS["pan"](0)
    b = np.asarray(255 - cv2.flip(GROUND[:H, :W], 0) // 2, dtype=np.uint8)
    for share, nearer in ((0.3, a), (0.7, b)):
        assert np.array_equal(InBetweens().made(picture(a), picture(b), share, (0,)).y, nearer)


# In the reel


@pytest.fixture
def slowed(tmp_path: Path, reel: Reel) -> Reel:
    """One numbered file at 30, played at half speed on a reel of 30."""
    path = write_video(tmp_path / "n.mp4", numbered(180, 320), 90, 30)
    piece = replace(reel.footage[0], path=str(path), width=180, height=320, rate=Fraction(30), length_s=3.0)
    clip = replace(reel.clips[0], footage=piece.id, pins=(), source_s=1.0)
    return speed.with_constant(replace(reel, footage=(piece,), clips=(clip,), accent_lanes=()), [clip.id], 0.5)


def rendered(reel: Reel, frame: int) -> Plane:
    timeline = Timeline(reel)
    with PictureSource() as source:
        return source.render(plan(timeline, frame, 180, 320)).y


@pytest.mark.parametrize("way", ["blend", "flow"])
def test_a_source_frame_that_exists_at_the_instant_is_used_as_it_is(slowed: Reel, way: str) -> None:
    made = speed.with_between(slowed, None, way)  # type: ignore[arg-type]
    for frame in (0, 2, 10):
        assert np.array_equal(rendered(made, frame), rendered(slowed, frame))
    assert not np.array_equal(rendered(made, 11), rendered(slowed, 11))
    assert repeats_most(Timeline(slowed).placed[0], slowed.rate) == 2  # common practice: 30 at a half shows each twice


def test_a_clip_may_differ_from_the_reel(slowed: Reel) -> None:
    blended_reel = speed.with_between(slowed, None, "blend")
    clip = blended_reel.clips[0].id
    assert np.array_equal(rendered(speed.with_between(blended_reel, [clip], "nearest"), 11), rendered(slowed, 11))
    a, b = (rendered(slowed, f).astype(int) for f in (10, 12))
    assert np.abs(rendered(blended_reel, 11) - (a + b) / 2).max() <= 1


def test_over_a_gap_in_the_timestamps_the_frame_before_it_stays(tmp_path: Path) -> None:
    stamps = [*range(0, 1000, 40), *range(3000, 4000, 40)]
    index = index_frames(str(write_video(tmp_path / "g.mkv", numbered(180, 320), 50, 25, stamps_ms=stamps)))
    assert index.around(2.0) == (24, 0.0)
    assert index.around(0.0601)[0] == 1 and index.around(0.0601)[1] == pytest.approx(0.5, abs=0.01)
    assert index.around(3.04) == (26, 0.0) and index.around(99.0) == (49, 0.0) and index.around(-1.0) == (0, 0.0)


def test_footage_whose_timestamps_jump_is_on_screen_throughout(tmp_path: Path, slowed: Reel) -> None:
    stamps = [*range(0, 1000, 33), *range(5000, 6000, 33)]
    path = write_video(tmp_path / "j.mkv", numbered(180, 320), len(stamps), 30, stamps_ms=stamps)
    piece = replace(slowed.footage[0], path=str(path), length_s=6.0)
    reel = speed.with_between(replace(slowed, footage=(piece,)), None, "flow")
    reel = speed.with_constant(reel, [reel.clips[0].id], 4.0)
    assert [number_in(rendered(reel, f)) for f in (0, 10, 20)] == [30, 30, 30]
