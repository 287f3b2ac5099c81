"""Every accent does to the picture what it says, at its own frame and nowhere else."""

from pathlib import Path

import cv2
import numpy as np
import pytest
from numpy.typing import NDArray
from skimage.registration import phase_cross_correlation

from tempik.accents import CATALOGUE, Look, accent_named, applied, setting_problem, settled
from tempik.accents.colour import channels_split, hue_turned, inverted, posterised, tinted
from tempik.accents.lens import bulged, folded_over, sliced
from tempik.accents.light import BLENDS, blend_table, lay_colour
from tempik.accents.look import about, folded, shifted, times
from tempik.accents.masks import keep_out, mask_of
from tempik.accents.shade import barred, crossed, half_dark, stripped, vignetted
from tempik.errors import TempikError
from tempik.media.paint import halvings, lead_in, softened, swept, warped
from tempik.media.picture import Picture, from_rgb, solid, to_rgb
from tempik.render.sample import sample

W, H = 180, 320


def scene(shift: int = 0) -> Picture:
    """A picture with edges, texture and colours everywhere, so that any change of it shows."""
    rng = np.random.default_rng(4)
    rough = cv2.GaussianBlur(rng.integers(0, 256, (H, W + 60, 3), dtype=np.uint8), (0, 0), 3)
    rough = cv2.normalize(rough, None, 20, 235, cv2.NORM_MINMAX)
    return from_rgb(np.ascontiguousarray(rough[:, shift : shift + W]).astype(np.uint8))


def apart(a: Picture, b: Picture) -> float:
    return float(np.mean([np.abs(p.astype(float) - q).mean() for p, q in zip(a, b, strict=True)]))


@pytest.mark.parametrize("name", list(CATALOGUE))
def test_every_accent_shows_at_its_point_and_repeats_to_the_pixel(name: str) -> None:
    accent = CATALOGUE[name]

    def frames(number: int) -> Picture:
        return scene(30 + number)

    offset = 3 if name in ("freeze", "echo") else 0
    made, again = sample(frames, accent, offset), sample(frames, accent, offset)
    assert made.size == (W, H)
    assert apart(made, frames(offset)) > 1.5
    assert all((p == q).all() for p, q in zip(made, again, strict=True))
    assert apart(sample(frames, accent, -30), frames(-30)) == 0


@pytest.mark.parametrize("name", list(CATALOGUE))
def test_an_accent_looks_the_same_at_any_size(name: str) -> None:
    # Sizes are shares of the frame: rendered twice as large and shrunk, it is the same picture.
    large = scene()
    small = Picture(*(cv2.resize(p, (p.shape[1] // 2, p.shape[0] // 2), interpolation=cv2.INTER_AREA) for p in large))
    a = sample(lambda _: large, CATALOGUE[name], 0)
    b = sample(lambda _: small, CATALOGUE[name], 0)
    shrunk = cv2.resize(a.y, (W // 2, H // 2), interpolation=cv2.INTER_AREA)
    plain = float(
        np.abs(cv2.resize(large.y, (W // 2, H // 2), interpolation=cv2.INTER_AREA).astype(float) - b.y).mean()
    )
    assert float(np.abs(shrunk.astype(float) - b.y).mean()) < max(4.0, 0.35 * plain)


def reference(mode: str, below: float, over: float) -> float:
    """The blend functions of W3C Compositing and Blending Level 1, section 9, written out one value at a time."""
    if mode == "screen":
        return below + over - below * over
    if mode == "add":  # plus-lighter of opaque sources
        return min(1.0, below + over)
    if mode == "overlay":
        return 2 * below * over if below <= 0.5 else 1 - 2 * (1 - below) * (1 - over)
    if mode == "soft light":
        d = ((16 * below - 12) * below + 4) * below if below <= 0.25 else below**0.5
        return below - (1 - 2 * over) * below * (1 - below) if over <= 0.5 else below + (2 * over - 1) * (d - below)
    return over


@pytest.mark.parametrize("mode", BLENDS)
def test_blends_are_the_standards(mode: str) -> None:
    colour = "#c08040"
    table = blend_table(colour, mode, 1.0)
    for below in (0, 20, 63, 64, 127, 128, 200, 255):
        for channel, value in enumerate((0xC0, 0x80, 0x40)):
            assert table[below, 0, channel] == pytest.approx(255 * reference(mode, below / 255, value / 255), abs=0.51)
    half = blend_table(colour, mode, 0.5).astype(float)
    assert half == pytest.approx((table.astype(float) + np.arange(256)[:, None, None]) / 2, abs=0.51)


def test_a_coloured_flash_in_normal_mode_is_the_same_in_yuv_as_in_rgb() -> None:
    plain = scene()
    at_once = sample(lambda _: plain, CATALOGUE["flash"], 0, {"colour": "#40a0ff"})
    assert apart(at_once, lay_colour(plain, "#40a0ff", "normal", 0.75)) < 0.8


def test_a_turn_of_the_hue_leaves_light_alone_and_three_thirds_are_none() -> None:
    # A rotation in the plane of the colour differences (Rec. ITU-R BT.709: Y carries no part of them).
    plain = scene()
    third = Look().toned(hue_turned, 120.0)
    turned = applied(applied(applied(plain, third), third), third)
    assert (applied(plain, third).y == plain.y).all()
    assert np.abs(turned.u.astype(int) - plain.u).mean() < 1.5


def test_a_negative_twice_is_the_picture() -> None:
    plain = scene()
    look = Look().toned(inverted, 1.0)
    assert apart(applied(applied(plain, look), look), plain) < 0.6
    assert folded((*look.tones, *look.tones)).plain_y


def test_all_tones_fold_into_one_change_of_the_picture() -> None:
    plain = scene()
    look = Look().toned(tinted, "#e8632a", 0.5).toned(hue_turned, 40.0).toned(posterised, 4.0, 0.5)
    one_by_one = plain
    for tone in look.tones:
        one_by_one = applied(one_by_one, Look(tones=(tone,)))
    assert apart(applied(plain, look), one_by_one) < 1.2


def test_channels_part_by_the_distance_that_was_set() -> None:
    # Measured by phase correlation (scikit-image): red to one side, blue to the other, green stays.
    plain = scene()
    before, after = to_rgb(plain).astype(float), to_rgb(channels_split(plain, 8 / W, 0.0)).astype(float)
    for channel, wanted in ((0, 8.0), (1, 0.0), (2, -8.0)):
        moved, _, _ = phase_cross_correlation(
            before[..., channel], after[..., channel], upsample_factor=4, normalization=None
        )
        assert -moved[1] == pytest.approx(wanted, abs=1.3)


def test_a_punch_and_a_shake_together_are_one_affine() -> None:
    look = Look().moved(about(0.1, 0.2, 1.2)).moved(shifted(0.05, -0.02))
    assert look.move == times(shifted(0.05, -0.02), about(0.1, 0.2, 1.2))
    assert look.scale == pytest.approx(1.2)


def test_a_bulge_enlarges_the_middle_and_leaves_the_corners() -> None:
    plain = scene()
    made = bulged(plain, (0.0, 0.0), 0.4)
    assert np.abs(made.y[:10, :10].astype(int) - plain.y[:10, :10]).max() <= 3
    enlarged = cv2.resize(plain.y, None, fx=1 / 0.6, fy=1 / 0.6)
    height_px, wide = enlarged.shape
    middle = enlarged[height_px // 2 - 8 : height_px // 2 + 8, wide // 2 - 8 : wide // 2 + 8].astype(float)
    seen = made.y[H // 2 - 8 : H // 2 + 8, W // 2 - 8 : W // 2 + 8].astype(float)
    assert np.corrcoef(middle.ravel(), seen.ravel())[0, 1] > 0.93


def test_a_fold_mirrors_one_half_onto_the_other() -> None:
    made = folded_over(scene(), "left", 1.0)
    assert (made.y[:, W // 2 :] == made.y[:, : W // 2][:, ::-1]).all()
    upright = folded_over(scene(), "top", 1.0)
    assert (upright.y[H // 2 :] == upright.y[: H // 2][::-1]).all()


def test_slices_only_move_bands_sideways() -> None:
    plain = scene()
    made = sliced(plain, 8, 0.2, "across", 3)
    for a, b in zip(np.array_split(plain.y, 8), np.array_split(made.y, 8), strict=True):
        assert any((np.roll(a, by, axis=1) == b).all() for by in range(W))


def test_shades_cover_what_they_say() -> None:
    plain = scene()
    assert (barred(plain, 0.1).y[: H // 10] == 16).all() and (barred(plain, 0.1).y[H // 2] == plain.y[H // 2]).all()
    bar = crossed(plain, "#000000", 0.5, 0.5, "right").y
    assert (bar[:, W // 4 + 2 : 3 * W // 4 - 2] == 16).all() and (
        bar[:, : W // 4 - 2] == plain.y[:, : W // 4 - 2]
    ).all()
    dark = half_dark(plain, "left", 1.0).y
    assert (dark[:, : W // 2] == 16).all() and (dark[:, W // 2 :] == plain.y[:, W // 2 :]).all()
    strip = stripped(plain, 0.5, 0.25, 0.0, 0.0).y
    assert (strip[: H // 3] == 16).all() and (strip[H // 2] == plain.y[H // 2]).all()
    dim = vignetted(plain, 1.0).y
    assert dim[:6, :6].mean() < 30 and np.abs(dim[H // 2, W // 2].astype(int) - plain.y[H // 2, W // 2]) <= 1


# Averages over a movement


def brute(picture: Picture, matrix: NDArray[np.float64], count: int) -> NDArray[np.float64]:
    """The mean of the picture at many places along a movement, each warped from the picture itself."""
    out = np.zeros_like(picture.y, dtype=np.float64)
    for i in range(count):
        share = (i + 0.5) / count
        part = np.eye(2, 3) + share * (matrix - np.eye(2, 3))
        out += warped(picture, part).y
    return out / count


@pytest.mark.parametrize(
    "matrix",
    [
        np.array([[1.0, 0, 12], [0, 1.0, 0]]),
        np.array([[1.0, 0, 5], [0, 1.0, -9]]),
        np.array([[1.03, 0, -2.7], [0, 1.03, -4.8]]),
        np.array([[0.9994, -0.035, 5.6], [0.035, 0.9994, -3.1]]),
    ],
)
def test_a_sweep_is_the_mean_over_its_way(matrix: NDArray[np.float64]) -> None:
    plain = scene()
    inner = np.s_[20:-20, 20:-20]
    begun = warped(plain, lead_in(matrix, plain.size))
    made, meant = swept(begun, matrix).y.astype(float)[inner], brute(plain, matrix, 40)[inner]
    unblurred = np.abs(plain.y.astype(float)[inner] - meant).mean()
    assert np.abs(made - meant).mean() < 0.3 * unblurred


def test_what_does_not_move_is_not_averaged() -> None:
    plain = scene()
    assert swept(plain, np.eye(2, 3)) is plain
    assert halvings(0.5) == 0 and halvings(3) >= 1 and halvings(1000) == 5


def test_a_soft_blur_made_small_is_the_gaussian_of_its_width() -> None:
    plain = scene()
    made, meant = softened(plain, 9.0).y.astype(float), cv2.GaussianBlur(plain.y, (0, 0), 9.0).astype(float)
    assert np.abs(made - meant)[30:-30, 30:-30].mean() < 1.5


# Masks


def test_an_images_clear_parts_keep_an_accent_out(tmp_path: Path) -> None:
    mask = np.zeros((32, 18, 4), np.uint8)
    mask[:, :9] = 255
    cv2.imwrite(str(tmp_path / "left.png"), mask)
    plain = scene()
    made = keep_out(plain, Look().toned(inverted, 1.0), str(tmp_path / "left.png"))
    assert (made.y[:, W // 2 + 12 :] == plain.y[:, W // 2 + 12 :]).all()
    assert np.abs(made.y[:, : W // 2 - 12].astype(int) - (251 - plain.y[:, : W // 2 - 12].astype(int))).max() <= 2


def test_a_mask_that_is_no_image_is_said_and_an_accent_without_it_shows(tmp_path: Path) -> None:
    (tmp_path / "mask.png").write_text("no picture")
    with pytest.raises(TempikError, match=r"mask\.png is no image.*PNG"):
        mask_of(str(tmp_path / "mask.png"))
    with pytest.raises(TempikError, match="is not there"):
        mask_of(str(tmp_path / "gone.png"))
    plain = solid(W, H, 60)
    assert (keep_out(plain, Look().toned(inverted, 1.0), str(tmp_path / "gone.png")).y == 191).all()


# Settings


def test_settings_beyond_their_range_are_kept_within_it_and_said_where_they_are_typed() -> None:
    flash = accent_named("flash")
    assert settled(flash, {"opacity": 9.0, "colour": "red", "sparkle": 1.0}) == settled(flash, {"opacity": 1.0})
    assert "between 0 and 1" in setting_problem(flash, "opacity", 2.0)
    assert "no colour" in setting_problem(flash, "colour", "red")
    assert "has no setting 'sparkle'" in setting_problem(flash, "sparkle", 1.0)
    assert setting_problem(flash, "blend", "screen") == ""
    assert "no accent that can be cycled" in setting_problem(accent_named("cycle"), "steps", "strip,sparkle")
