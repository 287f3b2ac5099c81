"""Grades: what they do to colours, against the standards and against reference libraries; folded, they are the formula still."""

import json
from fractions import Fraction
from pathlib import Path

import av
import colour
import cv2
import numpy as np
import PyOpenColorIO as ocio
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from msgspec.structs import replace

from examples import examples
from media_files import write_video
from tempik.check import check_reel
from tempik.cli.main import main
from tempik.edit.clips.place import with_solid
from tempik.edit.grading import grades, matching
from tempik.edit.grading.grades import THE_REEL, Where
from tempik.errors import TempikError
from tempik.grade.apply import regraded, small_regraded
from tempik.grade.cube import lut_at, read_cube, written_cube
from tempik.grade.curves import curve_of, in_order
from tempik.grade.finish import finished
from tempik.grade.looks import LOOKS
from tempik.grade.measure import exposed, light_of, matched
from tempik.grade.pointwise import LUMA, function_of, graded, hues_of
from tempik.grade.table import looked_up, table_of
from tempik.grade.white import BRADFORD, daylight, white_of
from tempik.media.meaning import Colour
from tempik.media.picture import FROM_RGB, TO_RGB, Picture, from_rgb, solid, to_rgb
from tempik.media.probe import colour_meaning
from tempik.media.reader import FrameReader
from tempik.project.file import load_reel, save_reel
from tempik.project.looks import kept_look, look_named, own_looks, read_look
from tempik.reel import Clip, Edge, Footage, Grade, Reel, Wheel
from tempik.reel.grade import AMOUNTS, PARTS
from tempik.reel.validate import problems
from tempik.render import ExportSettings, PictureSource, export, plan
from tempik.timeline.timeline import Timeline
from unsound import refused_both_ways

STEPS = 17
CUBE = np.stack(np.meshgrid(*[np.linspace(0, 1, STEPS)] * 3, indexing="ij"), -1).reshape(-1, 3).astype(np.float32)
GREYS = np.repeat(np.linspace(0, 1, 256, dtype=np.float32)[:, None], 3, axis=1)
TYPICAL = Grade(
    exposure=0.3, temperature=0.2, contrast=0.25, shadows=0.2, saturation=1.15, dark_wheel=Wheel(0.06, -0.04, 0.02)
)


def made(grade: Grade, colours: np.ndarray = CUBE) -> np.ndarray:
    return function_of((grade,))(colours)


def codes(a: np.ndarray, b: np.ndarray) -> float:
    """The largest difference in 8-bit steps."""
    return float(np.abs(a - b).max()) * 255


# The formula, against standards and colour-science


def test_a_stop_doubles_light_after_bt_1886() -> None:
    for stops in (-2.0, -0.5, 1.0):
        light = colour.models.eotf_BT1886(CUBE.astype(float)) * 2**stops  # Rec. ITU-R BT.1886
        wanted = np.clip(colour.models.eotf_inverse_BT1886(light), 0, 1)
        assert codes(made(Grade(exposure=stops)), wanted) < 0.1


@pytest.mark.parametrize("kelvin", [4000, 5003, 6504, 7500, 12000, 25000])
def test_daylight_is_that_of_cie_15(kelvin: float) -> None:
    np.testing.assert_allclose(daylight(kelvin), colour.temperature.CCT_to_xy_CIE_D(kelvin), atol=1e-6)


@pytest.mark.parametrize(("warmth", "tint"), [(0.5, 0.0), (-0.7, 0.0), (0.0, 0.6), (0.3, -0.4)])
def test_white_balance_is_the_bradford_transform(warmth: float, tint: float) -> None:
    np.testing.assert_allclose(BRADFORD, colour.adaptation.CHROMATIC_ADAPTATION_TRANSFORMS["Bradford"])
    source, target = (colour.xy_to_XYZ(white_of(*w)) for w in ((warmth, tint), (0.0, 0.0)))
    cat = colour.adaptation.matrix_chromatic_adaptation_VonKries(source, target, transform="Bradford")
    space = colour.RGB_COLOURSPACES["ITU-R BT.709"]
    whole = space.matrix_XYZ_to_RGB @ cat @ space.matrix_RGB_to_XYZ
    whole /= float(space.matrix_RGB_to_XYZ[1] @ whole @ np.ones(3))
    light = colour.models.eotf_BT1886(CUBE.astype(float)) @ whole.T
    wanted = np.clip(colour.models.eotf_inverse_BT1886(np.clip(light, 0, None)), 0, 1)
    assert codes(made(Grade(temperature=warmth, tint=tint)), wanted) < 1.5
    grey = made(Grade(temperature=warmth, tint=tint), np.full((1, 3), 0.5, np.float32))[0]
    if warmth and not tint:
        assert (grey[0] > grey[2]) == (warmth > 0)  # warmer is redder
    if tint and not warmth:
        assert (grey[1] < 0.5) == (tint > 0)  # magenta is less green


def test_contrast_leaves_middle_grey_black_and_white() -> None:
    middle = 0.18 ** (1 / 2.4)  # 18 % of light, as BT.1886 displays it
    held = np.array([[0, 0, 0], [middle] * 3, [1, 1, 1]], np.float32)
    for amount in (-0.8, 0.4, 1.0):
        np.testing.assert_allclose(made(Grade(contrast=amount), held), held, atol=2e-4)
        ramp = made(Grade(contrast=amount), GREYS)[:, 0]
        assert (np.diff(ramp) >= 0).all()
    assert made(Grade(contrast=0.5), np.full((1, 3), 0.3, np.float32))[0, 0] < 0.3


@pytest.mark.parametrize("name", ["blacks", "shadows", "highlights", "whites"])
def test_tones_rise_throughout_and_reach_what_they_are_called_after(name: str) -> None:
    for amount in (-1.0, 1.0):
        ramp = made(Grade(**{name: amount}), GREYS)[:, 0].astype(float)
        assert (np.diff(ramp) >= -1e-6).all()
        moved = np.abs(ramp - GREYS[:, 0])
        dark, light = moved[:100].mean(), moved[156:].mean()
        assert (dark > light) == (name in ("blacks", "shadows"))
    if name in ("shadows", "highlights"):
        ends = made(Grade(**{name: 0.9}), np.array([[0, 0, 0], [1, 1, 1]], np.float32))
        np.testing.assert_allclose(ends, [[0, 0, 0], [1, 1, 1]], atol=1e-3)


def test_saturation_and_hue_keep_luma() -> None:
    inside = 0.3 + 0.3 * CUBE
    for grade in (
        Grade(saturation=1.4),
        Grade(saturation=0.0),
        Grade(hue_deg=70),
        Grade(gentle=0.8),
        Grade(hue_hue=((0, 25), (180, -40))),
    ):
        np.testing.assert_allclose(made(grade, inside) @ LUMA, inside @ LUMA, atol=2e-3)
    grey = made(Grade(saturation=0.0))
    np.testing.assert_allclose(grey[:, 0], grey[:, 2], atol=1e-4)
    # Turning all hues by a third takes red to green, as its differences are turned (BT.709).
    pale, strong = np.array([[0.5, 0.45, 0.45]], np.float32), np.array([[0.9, 0.1, 0.1]], np.float32)
    gains = [np.ptp(made(Grade(gentle=0.8), c)) / np.ptp(c) for c in (pale, strong)]
    assert gains[0] > 1.5 > gains[1]


def test_a_hue_is_changed_and_others_stay() -> None:
    colours = np.array([colour.HSV_to_RGB([h / 360, 0.6, 0.7]) for h in range(0, 360, 10)], np.float32)
    np.testing.assert_allclose(hues_of(colours)[[0, 12, 24]], [0, 120, 240], atol=0.5)
    greens = ((60.0, 0.0), (120.0, -1.0), (180.0, 0.0))
    out = made(Grade(hue_saturation=greens), colours)
    assert np.ptp(out[12]) < 0.02 and np.abs(out[:6] - colours[:6]).max() < 0.01
    turned = made(Grade(hue_hue=((200.0, 0.0), (240.0, 40.0), (280.0, 0.0))), colours)
    assert 255 < hues_of(turned)[24] < 290 and np.abs(turned[:18] - colours[:18]).max() < 0.01


def test_the_balance_acts_where_it_says() -> None:
    for name, nearest in (("dark_wheel", 0), ("middle_wheel", 1), ("light_wheel", 2)):
        out = made(
            Grade(**{name: Wheel(0.2, 0.0, 0.0)}), np.repeat([[0.05], [0.45], [0.95]], 3, axis=1).astype(np.float32)
        )
        redder = out[:, 0] - out[:, 2]
        assert redder.argmax() == nearest or (nearest == 2 and redder[2] > redder[0])
    lifted = made(Grade(dark_wheel=Wheel(0, 0, 0.4)), GREYS)[:, 0]
    assert lifted[0] == pytest.approx(0.1, abs=1e-3) and lifted[-1] == pytest.approx(1.0, abs=1e-3)


@settings(max_examples=examples(120), deadline=None)
@given(st.lists(st.tuples(st.floats(0, 1), st.floats(0, 1)), min_size=1, max_size=12))
def test_curves_never_go_beyond_their_points(dots: list[tuple[float, float]]) -> None:
    """Fritsch and Carlson 1980: between two points a monotone cubic stays between their values."""
    at = np.linspace(-0.2, 1.2, 701)
    values = curve_of(tuple(dots))(at)
    ordered = in_order(dots)
    xs, ys = (np.array(v) for v in zip(*ordered, strict=True))
    assert np.isfinite(values).all() and values.min() >= ys.min() - 1e-9 and values.max() <= ys.max() + 1e-9
    for (a, p), (b, q) in zip(ordered, ordered[1:], strict=False):
        part = values[(at >= a) & (at <= b)]
        assert part.size == 0 or (part.min() >= min(p, q) - 1e-9 and part.max() <= max(p, q) + 1e-9)
    assert values[at < xs[0]].size == 0 or np.allclose(values[at < xs[0]], ys[0])


def test_curves_are_those_of_the_reference_library() -> None:
    """scipy's PchipInterpolator, which takes half a second to load and is not in the program for that."""
    from scipy.interpolate import PchipInterpolator

    rng = np.random.default_rng(1984)
    for number in range(300):
        count = int(rng.integers(2, 9))
        xs = np.sort(rng.choice(1000, count, replace=False)) / 1000
        ys = (rng.random(count), np.sort(rng.random(count)), np.round(2 * rng.random(count)) / 2)[number % 3]
        at = np.linspace(xs[0], xs[-1], 301)
        ours = curve_of(tuple(zip(xs.tolist(), ys.tolist(), strict=True)))(at)
        assert np.abs(ours - PchipInterpolator(xs, ys)(at)).max() < 1e-12


# Folded into a look-up


def patches(colours: np.ndarray) -> tuple[Picture, np.ndarray]:
    """Return colours as flat patches of a picture, and what that picture holds of each, before it is cut to what is displayed."""
    side = int(np.ceil(np.sqrt(len(colours))))
    values = np.zeros((side * side, 3), np.uint8)
    values[: len(colours)] = np.round(colours * 255)
    picture = from_rgb(values.reshape(side, side, 3).repeat(4, 0).repeat(4, 1))
    return picture, held_in(picture, len(colours))


def held_in(picture: Picture, count: int) -> np.ndarray:
    planes = (picture.y[1::4, 1::4], picture.u[::2, ::2], picture.v[::2, ::2], np.ones_like(picture.u[::2, ::2]))
    yuv = np.stack(planes, -1).reshape(-1, 4)[:count].astype(float)
    return np.asarray(yuv @ TO_RGB.T / 255, dtype=np.float32)


@pytest.mark.parametrize(
    ("grade", "mean", "most"),
    [(TYPICAL, 0.8, 4.0), (Grade(exposure=-1.0), 0.7, 2.5), (Grade(mono=1.0, mono_red=0.6, mono_green=0.3, mono_blue=0.1), 0.75, 2.0),
     (Grade(luma_curve=((0, 0.1), (0.5, 0.4), (1, 0.95))), 0.7, 3.0), (Grade(split=0.7), 0.7, 3.0),
     # Here a channel comes out of black with the steep start of a power, in the midst of the colours.
     (Grade(temperature=-1.0), 0.8, 4.5), (Grade(tint=-0.7), 0.75, 4.5), (Grade(temperature=0.3), 0.7, 3.5)],
)  # fmt: skip
def test_the_look_up_is_the_formula(grade: Grade, mean: float, most: float) -> None:
    """On a cube of colours, in 8-bit steps of red, green and blue; 8-bit YUV by itself costs 0.45 on the average and 1.6 at most.
    What lies at the edge of what can be displayed is cut a little elsewhere: the 99th of a hundred is held to."""
    picture, held = patches(CUBE)
    out = held_in(regraded(picture, ((grade, 1.0),), 0), len(CUBE)).clip(0, 1)
    wanted = function_of((grade,))(held)
    off = np.abs(out - wanted) * 255
    assert off.mean() < mean and np.percentile(off, 99) < most
    inner = ((held > 0.2) & (held < 0.8) & (wanted > 0.2) & (wanted < 0.8)).all(axis=1)
    assert inner.sum() > 200 and off[inner].max() < 3.5


def test_greys_stay_grey_and_ramps_stay_ramps() -> None:
    ramp = np.repeat(np.arange(16, 236, dtype=np.uint8)[None, :], 8, axis=0)
    grey = np.full((4, 110), 128, np.uint8)
    picture = Picture(ramp, grey, grey.copy())
    for grade in (Grade(exposure=0.4), Grade(contrast=0.5), Grade(saturation=1.6), Grade(gentle=0.7), Grade(fade=0.6)):
        out = regraded(picture, ((grade, 1.0),), 0)
        assert (out.u == 128).all() and (out.v == 128).all()
        steps = np.diff(out.y[0].astype(int))
        wanted = function_of((grade,))(
            np.repeat((np.arange(16, 236)[:, None] - 16) / 219, 3, axis=1).astype(np.float32)
        )[:, 0]
        assert np.abs(out.y[0] - (16 + 219 * wanted)).max() <= 1.0 and (steps >= 0).all()
    # A slow ramp of colour has no steps but those of 8 bits.
    chroma = Picture(
        np.full((64, 120), 120, np.uint8), *(np.tile(np.arange(98, 158, dtype=np.uint8), (32, 1)) for _ in range(2))
    )
    out = regraded(chroma, ((Grade(saturation=1.3), 1.0),), 0)
    assert set(np.diff(out.u[0].astype(int)).tolist()) <= {1, 2}


def test_what_does_nothing_costs_nothing() -> None:
    picture = solid(64, 64, 90, 100, 160)
    assert (
        regraded(
            picture, ((Grade(), 1.0), (Grade(lut_amount=0.5, mono_red=0.9), 1.0), (Grade(exposure=1, amount=0), 1.0)), 0
        )
        is picture
    )


def test_grades_act_one_after_the_other_and_by_their_amounts() -> None:
    first, second = Grade(exposure=1.0), Grade(contrast=0.5)
    both = graded(CUBE, (first, second))
    np.testing.assert_allclose(both, graded(graded(CUBE, (first,)), (second,)))
    assert np.abs(both - graded(CUBE, (second, first))).max() > 0.02
    half = graded(CUBE, (replace(first, amount=0.5),))
    np.testing.assert_allclose(half, (CUBE + graded(CUBE, (first,))) / 2, atol=1e-6)
    picture, held = patches(CUBE[::7])
    shown = held_in(regraded(picture, ((second, 0.5),), 0), len(held)).clip(0, 1)
    wanted = (held.clip(0, 1) + function_of((second,))(held)) / 2
    assert np.abs(shown - wanted).mean() * 255 < 1.0
    # What one grade pushes beyond white the next brings back: nothing is cut between them.
    back = function_of((Grade(exposure=2.0), Grade(exposure=-2.0)))(CUBE)
    assert codes(back, CUBE) < 0.2


# LUT files, against OpenColorIO


def by_ocio(path: Path, colours: np.ndarray) -> np.ndarray:
    file = ocio.FileTransform(str(path), interpolation=ocio.INTERP_TETRAHEDRAL)
    processor = ocio.Config.CreateRaw().getProcessor(file).getDefaultCPUProcessor()
    out = np.ascontiguousarray(colours, np.float32).copy()
    processor.apply(ocio.PackedImageDesc(out, len(out), 1, 3))
    return out


@pytest.mark.slow
def test_a_written_cube_gives_the_grades_colours_in_opencolorio(tmp_path: Path) -> None:
    for number, look in enumerate(LOOKS):
        path = tmp_path / f"{number}.cube"
        written_cube(function_of((look.grade,)), path, "Glühen 鍛冶")
        wanted = function_of((look.grade,))(CUBE)
        off = np.abs(by_ocio(path, CUBE) - wanted) * 255
        assert off.max() < 6 and np.percentile(off, 99) < 2, look.name
        picture, held = patches(CUBE)
        inside = ((held > 0.05) & (held < 0.95)).all(axis=1)
        shown = held_in(
            regraded(picture, ((Grade(**{n: getattr(look.grade, n) for n in _POINT}), 1.0),), 0), len(CUBE)
        ).clip(0, 1)
        apart = np.abs(shown - by_ocio(path, held.clip(0, 1)))[inside] * 255
        assert np.percentile(apart, 95) < 2.5, look.name


_POINT = [n for part, names in PARTS.items() if part != "effects" for n in names]


@pytest.mark.parametrize("size", [2, 17, 33])
def test_a_cube_is_read_and_looked_up_as_opencolorio_does(size: int, tmp_path: Path) -> None:
    rng = np.random.default_rng(size)
    lines = ['TITLE "a table"', "# by lot", f"LUT_3D_SIZE {size}", "DOMAIN_MIN 0 0 0", "DOMAIN_MAX 1 1 1", ""]
    lines += [f"{r:.6f} {g:.6f} {b:.6f}" for r, g, b in rng.random((size**3, 3))]
    path = tmp_path / "r.cube"
    path.write_text("\r\n".join(lines))
    colours = rng.random((4000, 3)).astype(np.float32)
    assert codes(lut_at(str(path), colours), by_ocio(path, colours)) < 0.1


def test_a_curve_of_one_dimension_and_another_domain(tmp_path: Path) -> None:
    path = tmp_path / "c.cube"
    path.write_text("LUT_1D_SIZE 3\nDOMAIN_MIN 0 0 0\nDOMAIN_MAX 2 2 2\n0 0 0\n0.25 0.5 0.75\n1 1 1\n")
    got = lut_at(str(path), np.array([[0.5, 1.0, 2.5]], np.float32))
    np.testing.assert_allclose(got, [[0.125, 0.5, 1.0]], atol=1e-6)


GOOD = "LUT_3D_SIZE 2\n" + "0 0 0\n" * 8


@pytest.mark.parametrize(
    ("text", "message"),
    [
        ("", "says no size"), ("hello\nworld", "says no size"), (GOOD.replace("SIZE 2", "SIZE two"), "line 1 has no value"),
        (GOOD[:-6], "has 7 colours and needs 8"), (GOOD + "1 1 1\n", "has 9 colours and needs 8"),
        (GOOD.replace("0 0 0", "nan 0 0", 1), "no number|not three|and needs"), (GOOD.replace("0 0 0", "0 0 inf", 1), "no number"),
        (GOOD.replace("0 0 0", "0 0", 1), "not three numbers"), (GOOD.replace("0 0 0", "0 0 1e9", 1), "beyond all light"),
        ("LUT_3D_SIZE 4000\n", "4000 values a side"), ("LUT_1D_SIZE 1\n0 0 0\n", "1 values a side"),
        ("DOMAIN_MIN 1 1 1\nDOMAIN_MAX 1 1 1\n" + GOOD, "ends where it begins"), ("LUT_1D_SIZE 2\n" + GOOD, "one dimension and one of three"),
    ],
)  # fmt: skip
def test_a_damaged_lut_is_told_in_one_sentence(text: str, message: str, tmp_path: Path) -> None:
    path = tmp_path / "d.cube"
    path.write_text(text)
    with pytest.raises(TempikError, match=message):
        read_cube(path)


def test_a_lut_of_a_gigabyte_is_not_read(tmp_path: Path) -> None:
    path = tmp_path / "g.cube"
    with open(path, "wb") as file:
        file.truncate(1 << 30)
    with pytest.raises(TempikError):
        read_cube(path)


def test_a_lut_that_went_missing_is_left_out_and_an_export_refused(reel: Reel, tmp_path: Path) -> None:
    path = tmp_path / "gone.cube"
    written_cube(lambda rgb: 1 - rgb, path, "negative", 9)
    reel = grades.with_lut(replace(reel, length_s=1.0), THE_REEL, str(path))
    timeline = Timeline(reel)
    with PictureSource() as source:
        negative = source.render(plan(timeline, 10, 90, 160)).y.astype(int)
        path.unlink()
        plain = source.render(plan(timeline, 10, 90, 160)).y.astype(int)
    assert np.abs((251 - negative) - plain).mean() < 3
    with pytest.raises(TempikError, match=r"gone\.cube is missing"):
        export(timeline, tmp_path / "o.mp4", ExportSettings())
    save_reel(reel, tmp_path / "p.tempik")
    assert load_reel(tmp_path / "p.tempik").look == reel.look


# What is more than colour


def test_effects_do_what_they_say() -> None:
    width, height = 216, 384
    rng = np.random.default_rng(3)
    flat = solid(width, height, 110, 120, 135)
    corners = finished(flat, Grade(vignette=0.8), 0).y.astype(int)
    assert (
        corners[height // 2, width // 2] == 110
        and corners[2, 2] < 60
        and finished(flat, Grade(vignette=-0.8), 0).y[2, 2] > 130
    )
    grains = [finished(flat, Grade(grain=0.5, grain_size=6), n).y.astype(float) for n in (1, 2, 1)]
    assert (grains[0] == grains[2]).all() and (grains[0] != grains[1]).any()
    assert abs(grains[0].mean() - 110) < 0.6 and 6 < grains[0].std() < 16
    assert finished(solid(width, height, 16), Grade(grain=0.5, grain_size=6), 1).y.std() < 1.5  # none in black
    edge = Picture(
        np.where(np.arange(width) < 108, 60, 180).astype(np.uint8)[None].repeat(height, 0).copy(), flat.u, flat.v
    )
    sharp, soft = (
        finished(edge, g, 0).y[100].astype(int) for g in (Grade(sharpen=1.0, sharpen_size=0.005), Grade(soft=0.8))
    )
    assert sharp.max() > 190 and sharp.min() < 50 and np.abs(np.diff(soft)).max() < 115
    lamp = solid(width, height, 40)
    lamp.y[180:200, 100:116] = 235
    lit = finished(lamp, Grade(glow=1.0, glow_size=0.05), 0).y.astype(int)
    assert lit[190, 90] > 52 and lit[10, 10] <= 41
    ring = Picture(flat.y, *(rng.integers(60, 200, (2, height // 2, width // 2)).astype(np.uint8)))
    fringed = finished(ring, Grade(fringe=0.02), 0)
    assert np.abs(fringed.u[:, :6].astype(int) - ring.u[:, :6]).mean() > 5 and (fringed.y == ring.y).all()


def test_sizes_are_shares_of_the_frame(reel: Reel) -> None:
    """A look at half the size is that look, made small."""
    look = Grade(vignette=0.5, glow=0.5, soft=0.4, fringe=0.004)
    timeline = Timeline(replace(reel, look=look))
    with PictureSource() as source:
        large, small = (source.render(plan(timeline, 100, *s)).y for s in ((180, 320), (90, 160)))
    shrunk = cv2.resize(large, (90, 160), interpolation=cv2.INTER_AREA)
    assert np.abs(shrunk.astype(int) - small).mean() < 3


# In the reel


def two_solids() -> Reel:
    footage = tuple(
        Footage(f"f{n}", c, 64, 96, Fraction(30), 1.0, kind="solid") for n, c in ((1, "#808080"), (2, "#804020"))
    )
    clips = (Clip("c1", "f1", Edge(0.0), Edge(1.0)), Clip("c2", "f2", Edge(1.0), Edge(2.0)))
    return Reel(width=64, height=96, length_s=2.0, footage=footage, clips=clips)


def shown(reel: Reel, frame: int) -> np.ndarray:
    with PictureSource() as source:
        return to_rgb(source.render(plan(Timeline(reel), frame, 64, 96)))[48, 32].astype(int)


def test_footage_then_clip_then_reel() -> None:
    reel = two_solids()
    reel = grades.with_grade(reel, Where("footage", ("f1",)), Grade(exposure=1.0))
    reel = grades.with_grade(reel, Where("clips", ("c1",)), Grade(contrast=0.5))
    reel = grades.with_grade(reel, THE_REEL, Grade(temperature=0.4))
    wanted = function_of((Grade(exposure=1.0), Grade(contrast=0.5), Grade(temperature=0.4)))(
        np.full((1, 3), 128 / 255, np.float32)
    )
    assert np.abs(shown(reel, 5) - wanted[0] * 255).max() <= 3
    only = function_of((Grade(temperature=0.4),))(np.array([[128, 64, 32]], np.float32) / 255)
    assert np.abs(shown(reel, 45) - only[0] * 255).max() <= 3
    assert grades.with_grade(reel, THE_REEL, Grade()).look is None


def test_reels_that_differ_in_grades_alone_are_told_from_all_others(reel: Reel) -> None:
    """Where they do, nothing stands elsewhere, so no part of the window but the picture has to be worked out again."""
    clip, footage, grade = reel.clips[1], reel.footage[0].id, Grade(exposure=0.5)
    regrade = [Where("clips", (clip.id,)), Where("footage", (footage,)), THE_REEL]
    for where in regrade:
        made = grades.with_grade(reel, where, grade)
        assert grades.only_grades_differ(reel, made) and grades.only_grades_differ(made, reel)
        assert check_reel(Timeline(made)).events == check_reel(Timeline(reel)).events
    keyed = grades.with_amount_key(grades.with_grade(reel, THE_REEL, grade), THE_REEL, 3, 0.5)
    assert grades.only_grades_differ(reel, keyed)
    moved = replace(reel, clips=(*reel.clips[:1], replace(clip, grade=grade, opacity=0.5), *reel.clips[2:]))
    for other in (
        reel,
        moved,
        replace(reel, clips=reel.clips[1:]),
        replace(made, length_s=1.0),
        replace(made, accent_lanes=()),
    ):
        assert not grades.only_grades_differ(reel, other)


def test_what_lies_under_a_look_that_is_dragged_is_what_it_was(reel: Reel) -> None:
    """It is composed once and looked up anew at each step; another frame, or another clip beneath, is composed again."""
    with PictureSource() as kept:
        for number, (frame, exposure) in enumerate([(20, 0.2), (20, 0.6), (50, 0.6), (20, 0.6), (20, -0.4)]):
            graded_ = replace(reel, look=Grade(exposure=exposure))
            if number == 4:
                graded_ = replace(graded_, clips=tuple(replace(c, grade=Grade(temperature=0.7)) for c in reel.clips))
            wanted = plan(Timeline(graded_), frame, 90, 160)._replace(quick=True)
            with PictureSource() as fresh:
                apart = [
                    np.abs(a.astype(int) - b) for a, b in zip(kept.render(wanted), fresh.render(wanted), strict=True)
                ]
            assert max(a.max() for a in apart) == 0


def test_an_adjust_clip_grades_what_lies_below_for_its_slot() -> None:
    from tempik.edit.clips.masks import with_adjust

    reel, name = with_adjust(two_solids(), 10, 10)
    reel = grades.with_grade(reel, Where("clips", (name,)), Grade(exposure=-2.0))
    assert shown(reel, 15)[0] < 90 < shown(reel, 25)[0]


def test_accents_go_on_top_of_the_look(reel: Reel) -> None:
    timeline = Timeline(replace(reel, look=Grade(exposure=-3.0)))
    flash = next(p for f in timeline.accent_lanes if f.lane.accent == "flash" for p in f.pulses)
    with PictureSource() as source:
        bright = source.render(plan(timeline, flash.frame, 90, 160)).y.mean()
        before = source.render(plan(timeline, max(flash.frame - 3, 0), 90, 160)).y.mean()
    assert bright > before + 60  # a flash is as white as it was


def test_how_much_shows_is_keyed_on_points_and_follows_them(reel: Reel) -> None:
    from tempik.edit.song.points import nudged

    timeline = Timeline(reel)
    point = next(p for p in timeline.on_reel() if timeline.frame_of_point(p) > 60)
    frame = timeline.frame_of_point(point)
    reel = grades.with_grade(reel, THE_REEL, Grade(exposure=-2.0))
    reel = grades.with_amount_key(
        grades.with_amount_key(reel, THE_REEL, frame - 20, 0.0, "even"), THE_REEL, frame, 1.0, "even"
    )
    assert reel.look_keys[1].point == point.id and not problems(reel)

    def share(reel: Reel, at: int) -> float:
        return plan(Timeline(reel), at, 90, 160).grades[0][1] if plan(Timeline(reel), at, 90, 160).grades else 0.0

    assert (
        share(reel, frame - 25) == 0
        and share(reel, frame - 10) == pytest.approx(0.5, abs=0.03)
        and share(reel, frame) == 1
    )
    later = nudged(reel, [point.id], 0.2)
    assert share(later, frame) < 1 and share(later, frame + 6) == 1
    clip = Where("clips", (reel.clips[0].id,))
    reel = grades.with_amount_key(grades.with_grade(reel, clip, Grade(mono=1.0)), clip, 3, 0.5)
    assert plan(Timeline(reel), 5, 90, 160).layer_plans[0].grades[0][1] == 0.5
    with pytest.raises(TempikError, match="Footage is graded alike"):
        grades.with_amount_key(reel, Where("footage", (reel.footage[0].id,)), 3, 0.5)


def test_parts_are_passed_on_and_set_back() -> None:
    reel = two_solids()
    source = Grade(exposure=0.5, temperature=0.3, grain=0.4, saturation=0.5)
    both = Where("clips", ("c1", "c2"))
    reel = grades.with_grade_fields(reel, Where("clips", ("c2",)), contrast=0.3)
    reel = grades.with_parts(reel, both, source, ("white", "effects"))
    assert [grades.grade_at(reel, Where("clips", (n,))) for n in ("c1", "c2")] == [
        Grade(temperature=0.3, grain=0.4), Grade(temperature=0.3, grain=0.4, contrast=0.3)
    ]  # fmt: skip
    reel = grades.without_parts(reel, both, ("effects", "white"))
    assert reel.clips[0].grade is None and reel.clips[1].grade == Grade(contrast=0.3)
    assert {n for names in PARTS.values() for n in names} | {"amount"} == set(Grade.__struct_fields__)


@pytest.mark.parametrize(
    ("grade", "message"),
    [(Grade(exposure=9), "exposure of 9"), (Grade(amount=2), "amount of 2"), (Grade(dark_wheel=Wheel(1, 1, 0)), "beyond its disc"),
     (Grade(luma_curve=((0, 0), (5, 1))), "a curve that goes nowhere"), (Grade(split_dark="red"), "the colour 'red'"),
     (Grade(hue_hue=((400, 3),)), "a hue curve that goes nowhere"), (Grade(luma_curve=((0.5, 0.5),) * 70), "goes nowhere")],
)  # fmt: skip
def test_a_grade_that_cannot_be_is_refused(grade: Grade, message: str, tmp_path: Path) -> None:
    with pytest.raises(TempikError, match=message):
        grades.with_grade(two_solids(), THE_REEL, grade)
    refused_both_ways(replace(two_solids(), look=grade), tmp_path / "p.tempik", message)


# Matching and evening, on footage that was made unlike


def scene(light: float, tint: tuple[float, float, float]) -> np.ndarray:
    rng = np.random.default_rng(11)
    base = cv2.resize(rng.random((10, 6, 3)).astype(np.float32), (96, 160), interpolation=cv2.INTER_CUBIC).clip(
        0.02, 0.95
    )
    base = 0.6 * base + 0.4 * base.mean(axis=2, keepdims=True)
    return np.clip((base**2.4 * light * np.array(tint)) ** (1 / 2.4), 0, 1)


@pytest.mark.parametrize(("light", "tint"), [(0.45, (1, 1, 1)), (1.3, (1.25, 1.0, 0.7)), (0.8, (0.75, 0.95, 1.3))])
def test_a_match_brings_the_same_scene_back(light: float, tint: tuple[float, float, float]) -> None:
    target, other = (scene(*a).reshape(-1, 3).astype(np.float32) for a in ((1.0, (1, 1, 1)), (light, tint)))
    grade = matched(other, target)
    after = function_of((grade,))(other)
    before_off, after_off = np.abs(other - target).mean(), np.abs(after - target).mean()
    assert after_off < 0.35 * before_off, (before_off, after_off, grade)
    assert matched(target, target).exposure == pytest.approx(0, abs=0.05)


def film(path: Path, lights: list[float]) -> str:
    def draw(number: int) -> np.ndarray:
        return np.round(scene(lights[number], (1, 1, 1))[:, :, ::1] * 255).astype(np.uint8)

    write_video(path, draw, len(lights), 30)
    return str(path)


def reel_of(files: list[str], tmp_path: Path) -> Reel:
    from tempik.edit.footage.facts import with_footage
    from tempik.media import probe

    reel = Reel(width=96, height=160, length_s=float(len(files)))
    for file in files:
        reel = with_footage(reel, probe(file))
    clips = tuple(Clip(f"c{n}", f.id, Edge(float(n)), Edge(n + 1.0)) for n, f in enumerate(reel.footage))
    return replace(reel, clips=clips)


@pytest.mark.film
def test_light_is_made_even_over_clips_and_along_one(tmp_path: Path) -> None:
    files = [film(tmp_path / f"{n}.mp4", [light] * 30) for n, light in enumerate((0.4, 0.8, 1.2))]
    files.append(film(tmp_path / "rise.mp4", list(np.linspace(0.4, 1.1, 30))))
    reel = reel_of(files, tmp_path)

    def lights(reel: Reel) -> list[float]:
        timeline = Timeline(reel)
        with PictureSource() as source:
            return [
                light_of(to_rgb(source.render(plan(timeline, n, 96, 160))).reshape(-1, 3) / np.float32(255))
                for n in (*range(15, 120, 30), 91, 118)
            ]

    before = lights(reel)
    even = matching.with_even_series(reel, [c.id for c in reel.clips[:3]])
    assert np.ptp(before[:3]) > 1.2 and np.ptp(lights(even)[:3]) < 0.2
    along = matching.with_even_light(reel, "c3")
    ends = lights(along)[-2:]
    assert abs(before[-1] - before[-2]) > 1.0 and abs(ends[1] - ends[0]) < 0.3
    with pytest.raises(TempikError, match="even already"):
        matching.with_even_light(reel, "c0")
    with pytest.raises(TempikError, match="two clips or more"):
        matching.with_even_series(reel, ["c0"])
    match = matching.with_match(reel, ["c0", "c1"], "c2")
    assert np.ptp(lights(match)[:3]) < 0.25
    with pytest.raises(TempikError, match="Select the clips"):
        matching.with_match(reel, ["c2"], "c2")


def test_exposure_of_planes_is_the_exposure_of_colours() -> None:
    picture, held = patches(0.1 + 0.5 * CUBE[::5])
    out = held_in(exposed(picture, 0.75), len(held)).clip(0, 1)
    assert np.abs(out - function_of((Grade(exposure=0.75),))(held)).max() * 255 < 3


# Looks


def test_twelve_looks_that_differ_and_none_goes_too_far() -> None:
    assert len(LOOKS) == 12 and len({x.name for x in LOOKS}) == 12
    outcomes = [made(x.grade) for x in LOOKS]
    for n, a in enumerate(outcomes):
        assert all(np.abs(a - b).mean() > 0.012 for b in outcomes[n + 1 :])
        ramp = made(LOOKS[n].grade, GREYS) @ LUMA
        assert (np.diff(ramp) >= -1e-4).all() and ramp[-1] > 0.7 and ramp[0] < 0.2, LOOKS[n].name
        assert problems(replace(two_solids(), look=LOOKS[n].grade)) == []


def test_a_look_of_ones_own_is_kept_with_a_picture(tmp_path: Path) -> None:
    kept_look("Dusk", TYPICAL, b"\x89PNG")
    assert look_named("dusk") == TYPICAL and own_looks()[0].picture == b"\x89PNG"
    with pytest.raises(TempikError, match="comes with Tempik"):
        kept_look("Embers", TYPICAL)
    file = next((tmp_path / "state" / "looks").glob("*"))
    document = json.loads(file.read_text())
    for change, message in (
        ({"format": 9}, "newer Tempik"),
        ({"grade": {"exposure": 50.0}}, "exposure of 50"),
        ({"grade": {"glare": 1}}, "damaged"),
    ):
        file.write_text(json.dumps({**document, **change}))
        with pytest.raises(TempikError, match=message):
            read_look(file)
    with pytest.raises(TempikError, match="no look 'Fog'; there are Clear day"):
        look_named("Fog")


# How a file's colours are meant


# 75 % colour bars and a grey ramp in values 0 to 1 (Rec. ITU-R BT.471: white, yellow, cyan, green, magenta, red, blue, black).
BARS = [(1, 1, 1), (1, 1, 0), (0, 1, 1), (0, 1, 0), (1, 0, 1), (1, 0, 0), (0, 0, 1), (0, 0, 0)]
CHART = [*(tuple(0.75 * v for v in c) for c in BARS), *((g, g, g) for g in (0.1, 0.25, 0.5, 0.75, 0.9, 1.0))]
KR_KB = {"bt601": (0.299, 0.114), "bt709": (0.2126, 0.0722), "bt2020": (0.2627, 0.0593)}


def chart(path: Path, matrix: str, full: bool, tagged: bool, size: tuple[int, int], bits: int = 8) -> None:
    """Write the chart by the equations of BT.601, BT.709 or BT.2020, lossless."""
    kr, kb = KR_KB[matrix]
    width, height = size
    most = (1 << bits) - 1
    scale = most / 255 if full else (1 << (bits - 8))
    planes = np.zeros((3, height, width), np.uint16)
    patch = width // len(CHART)
    for n in range(width):
        r, g, b = CHART[min(n // patch, len(CHART) - 1)]
        y = kr * r + (1 - kr - kb) * g + kb * b
        u, v = (b - y) / (2 * (1 - kb)), (r - y) / (2 * (1 - kr))
        values = (255 * y, 128 + 255 * u, 128 + 255 * v) if full else (16 + 219 * y, 128 + 224 * u, 128 + 224 * v)
        planes[:, :, n] = np.clip(np.round(np.array(values) * scale), 0, most)[:, None]
    with av.open(str(path), "w") as out:
        stream = out.add_stream("ffv1", rate=30)
        stream.width, stream.height = width, height
        stream.pix_fmt = "yuv444p" if bits == 8 else "yuv444p10le"
        if tagged:
            stream.codec_context.colorspace = {"bt601": 6, "bt709": 1, "bt2020": 9}[matrix]
            stream.codec_context.color_primaries = {"bt601": 6, "bt709": 1, "bt2020": 9}[matrix]
            stream.codec_context.color_trc = 1
        stream.codec_context.color_range = 2 if full else 1
        frame = av.VideoFrame(width, height, stream.pix_fmt)
        for plane, values in zip(frame.planes, planes, strict=True):  # type: ignore[assignment]
            row = np.zeros((height, plane.line_size // (1 if bits == 8 else 2)), np.uint8 if bits == 8 else np.uint16)
            row[:, :width] = values
            plane.update(row.tobytes())
        for number in range(6):
            frame.pts = number
            out.mux(stream.encode(frame))
        out.mux(stream.encode(None))


def read_off(picture: Picture) -> np.ndarray:
    width, height = picture.size
    at = [(n * 2 + 1) * (width // len(CHART)) // 2 for n in range(len(CHART))]
    return to_rgb(picture)[height // 2, at].astype(int)


@pytest.mark.parametrize(
    ("matrix", "full", "tagged", "size", "bits"),
    [("bt709", False, True, (1288, 64), 8), ("bt709", True, True, (1288, 64), 8), ("bt601", False, True, (644, 64), 8),
     ("bt601", True, True, (1288, 64), 8), ("bt709", False, False, (1288, 64), 8), ("bt601", False, False, (644, 64), 8),
     ("bt709", False, True, (1288, 64), 10), ("bt601", False, True, (644, 64), 10)],
)  # fmt: skip
def test_colour_bars_come_in_and_go_out_within_two_steps(
    matrix: str, full: bool, tagged: bool, size: tuple[int, int], bits: int, tmp_path: Path
) -> None:
    path = tmp_path / "bars.mkv"
    chart(path, matrix, full, tagged, size, bits)
    wanted = np.round(np.array(CHART) * 255)
    with FrameReader(str(path)) as reader:
        assert np.abs(read_off(reader.frame(2)) - wanted).max() <= 2
    meant = colour_meaning(str(path))
    assert meant.matrix == matrix and meant.full == full and bool(meant.assumed) == (not tagged)
    reel = replace(reel_of([str(path)], tmp_path), width=size[0], height=size[1], length_s=0.2)
    out = tmp_path / "o.mp4"
    export(Timeline(reel), out, ExportSettings(quality="high"))
    with av.open(str(out)) as container:
        stream = container.streams.video[0].codec_context
        assert (stream.colorspace, stream.color_primaries, stream.color_trc, stream.color_range) == (1, 1, 1, 1)
    with FrameReader(str(out)) as reader:
        assert np.abs(read_off(reader.frame(2)) - wanted).max() <= 2


def test_a_person_may_say_otherwise(tmp_path: Path) -> None:
    path = tmp_path / "bars.mkv"
    chart(path, "bt601", True, False, (1288, 64))
    reel = replace(reel_of([str(path)], tmp_path), width=1288, height=64)
    wanted = np.round(np.array(CHART) * 255)

    def seen(reel: Reel) -> np.ndarray:
        with PictureSource() as source:
            return read_off(source.render(plan(Timeline(reel), 2, 1288, 64)))

    assert np.abs(seen(reel) - wanted).max() > 8
    told = grades.with_colour(reel, reel.footage[0].id, matrix="bt601", range="full")
    assert np.abs(seen(told) - wanted).max() <= 2
    assert "BT.601, full range" in colour_meaning(str(path), Colour("bt601", "full")).text
    assert colour_meaning(str(path), Colour("bt601", "full")).assumed == ()
    with pytest.raises(TempikError, match="matrix is bt601, bt709, bt2020"):
        grades.with_colour(reel, reel.footage[0].id, matrix="bt1")


def test_wide_colours_of_standard_light_are_brought_in(tmp_path: Path) -> None:
    """BT.2020 with a BT.709 curve: the primaries are turned in linear light (Rec. ITU-R BT.2087), greys stay."""
    path = tmp_path / "wide.mkv"
    chart(path, "bt2020", False, True, (1288, 64), 10)
    wide, narrow = (colour.RGB_COLOURSPACES[n] for n in ("ITU-R BT.2020", "ITU-R BT.709"))
    light = np.array(CHART) ** 2.4
    turned = np.clip(
        colour.RGB_to_RGB(light, wide, narrow, apply_cctf_decoding=False, apply_cctf_encoding=False), 0, 1
    ) ** (1 / 2.4)
    with FrameReader(str(path)) as reader:
        assert np.abs(read_off(reader.frame(2)) - turned * 255).max() <= 3
    assert colour_meaning(str(path)).matrix == "bt2020"


# From the command line


def test_grades_from_the_command_line(reel: Reel, tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    path = tmp_path / "p.tempik"
    save_reel(reel, path)

    def run(*words: str, status: int = 0) -> str:
        capsys.readouterr()
        assert main(["grade", str(path), *words]) == status
        out = capsys.readouterr()
        return out.out + out.err

    run("--look", "embers")
    run("--on", "clips:1-2", "--set", "exposure=0.4", "--curve", "luma=0:0,0.5:0.6,1:1", "--wheel", "dark=0.1,0,-0.05")
    run("--on", "footage:1", "--colour", "range=full", "--set", "saturation=0.8")
    run("--on", "clips:3", "--from", "clips:1", "--parts", "curves")
    run("--key", "0=0", "--key", "60=100")
    cube = tmp_path / "out.cube"
    run("--on", "clips:1", "--write-cube", str(cube), "--keep", "Mine")
    run("--on", "clips:3", "--lut", str(cube))
    found = load_reel(path)
    assert found.look == LOOKS[1].grade and len(found.look_keys) == 2
    assert found.clips[1].grade == found.clips[0].grade and found.clips[2].grade is not None
    assert found.clips[2].grade.luma_curve == ((0, 0), (0.5, 0.6), (1, 1)) and found.clips[2].grade.lut == str(cube)
    assert found.footage[0].colour.range == "full"
    text = run()
    assert "clips:1,a.mp4,exposure=0.4 dark_wheel luma_curve" in text and "full range" in text
    assert "Mine: one's own" in run("--looks") and "exposure,0,-6,6" in run("--list")
    for words, message in (
        (("--set", "shine=1"), "NAME=VALUE"), (("--set", "exposure=lots"), "where a number belongs"), (("--on", "clouds"), "nothing that is graded"),
        (("--look", "Fog"), "no look 'Fog'"), (("--match", "1"), "Which clips"), (("--parts", "x", "--from", "reel"), "no part 'x'"),
        (("--curve", "luma=1"), "is no curve"), (("--wheel", "dark=1"), "is no balance"), (("--key", "x"), "FRAME=PERCENT"),
    ):  # fmt: skip
        assert message in run(*words, status=2)
    run("--off")
    assert load_reel(path).look is None and set(AMOUNTS) <= set(Grade.__struct_fields__)


def test_a_nest_has_the_look_once() -> None:
    from tempik.edit.clips.nests import with_nest

    reel = grades.with_grade(two_solids(), THE_REEL, Grade(exposure=-1.0))
    nested, _ = with_nest(with_solid(reel, 5, 5, "#ffffff", 0, insert=False), ["c1"])
    assert np.abs(shown(nested, 2) - shown(reel, 2)).max() <= 2


def test_a_small_picture_is_graded_without_a_table(monkeypatch: pytest.MonkeyPatch) -> None:
    """A shelf of a dozen looks stood still for seconds, a table of all colours for each."""
    rng = np.random.default_rng(3)
    small = from_rgb(cv2.resize(rng.integers(30, 220, (6, 10, 3), dtype=np.uint8), (96, 54)))
    shown = {look.name: to_rgb(regraded(small, ((look.grade, 1.0),), 1)).astype(int) for look in LOOKS[:4]}
    monkeypatch.setattr("tempik.grade.apply.table_of", lambda *_: pytest.fail("a table was made"))
    for look in LOOKS[:4]:
        off = np.abs(to_rgb(small_regraded(small, look.grade)).astype(int) - shown[look.name])
        assert off.mean() < 1.5 and np.percentile(off, 95) <= 5, look.name


def test_a_table_that_is_dragged_is_coarser_and_near() -> None:
    picture, held = patches(0.15 + 0.6 * CUBE)
    fine, coarse = (looked_up(picture, table_of((TYPICAL,), (), quick)) for quick in (False, True))
    off = np.abs(held_in(fine, len(held)) - held_in(coarse, len(held))) * 255
    assert off.mean() < 2.2 and np.abs(FROM_RGB).sum() > 0


def test_a_lut_is_collected_and_found_again_as_media_is(reel: Reel, tmp_path: Path) -> None:
    from tempik.project.media_files import collect, found_in, media_paths, missing_media

    path = tmp_path / "look.cube"
    written_cube(lambda rgb: rgb, path, "look", 5)
    reel = grades.with_lut(reel, THE_REEL, str(path))
    assert str(path) in media_paths(reel)
    made = collect(reel, tmp_path / "p.tempik")
    assert made.left == () and made.reel.look is not None and Path(made.reel.look.lut).parent.name == "p media"
    path.rename(tmp_path / "p media" / "again.cube")
    assert missing_media(reel) == [str(path)]
    (tmp_path / "elsewhere").mkdir()
    (tmp_path / "p media" / "again.cube").rename(tmp_path / "elsewhere" / "look.cube")
    found = found_in(reel, tmp_path / "elsewhere")
    assert found.look is not None and found.look.lut == str(tmp_path / "elsewhere" / "look.cube")
