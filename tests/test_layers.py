"""Clips over clips: blend modes value by value, opacity, fades, keys that stand on points and follow them."""

import colorsys
from fractions import Fraction
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from msgspec.structs import replace
from PySide6.QtCore import QPointF

from examples import examples
from tempik.cli.main import main
from tempik.desktop.pages.frame import FramePage
from tempik.desktop.pages.layer.page import LayerPage
from tempik.desktop.shell.window import Window
from tempik.edit.accents.lanes import with_lane as with_accent_lane
from tempik.edit.accents.painting import with_painted
from tempik.edit.clips import layers, pieces
from tempik.edit.clips.place import moved_to, with_new_track, with_solid
from tempik.edit.clips.split_picture import with_split_picture
from tempik.edit.ruled import with_rule
from tempik.edit.song.points import nudged
from tempik.errors import TempikError
from tempik.media.blend import BLENDS, NON_SEPARABLE, SEPARABLE, as_picture, laid_by, mixed_colours
from tempik.media.picture import Picture, colour_yuv, solid, to_rgb
from tempik.project.file import load_reel, save_reel
from tempik.reel import Clip, Edge, Footage, Key, Reel, Rule, Transition
from tempik.render import PictureSource, plan
from tempik.timeline.timeline import Timeline
from unsound import refused_both_ways

W, H = 64, 96


def over(blend: str = "normal", **more: object) -> Reel:
    """A white solid for two seconds over a black one of four, from the first second on."""
    footage = tuple(
        Footage(f"f{n}", colour, W, H, Fraction(30), 1.0, kind="solid")
        for n, colour in ((1, "#000000"), (2, "#ffffff"))
    )
    clips = (
        Clip("c1", "f1", Edge(0.0), Edge(4.0)),
        Clip("c2", "f2", Edge(1.0), Edge(3.0), track=1, blend=blend, **more),  # type: ignore[arg-type]
    )
    return with_new_track(Reel(width=W, height=H, length_s=4.0, footage=footage, clips=clips))


def lit(reel: Reel, frame: int) -> float:
    """Return how far a frame is from black to white, 0 to 1."""
    with PictureSource() as source:
        picture = source.render(plan(Timeline(reel), frame, W, H))
    return (float(picture.y[H // 2, W // 2]) - 16) / 219


# Blend modes: the specification's own words, scalar by scalar (W3C, Compositing and Blending Level 1, sections 9.1 and 9.2)


def by_words(blend: str, cb: float, cs: float) -> float:
    if blend == "multiply":
        return cb * cs
    if blend == "screen":
        return 1 - (1 - cb) * (1 - cs)
    if blend == "overlay":
        return by_words("hard-light", cs, cb)
    if blend == "darken":
        return min(cb, cs)
    if blend == "lighten":
        return max(cb, cs)
    if blend == "color-dodge":
        return 0.0 if cb == 0 else 1.0 if cs == 1 else min(1.0, cb / (1 - cs))
    if blend == "color-burn":
        return 1.0 if cb == 1 else 0.0 if cs == 0 else 1 - min(1.0, (1 - cb) / cs)
    if blend == "hard-light":
        return by_words("multiply", cb, 2 * cs) if cs <= 0.5 else by_words("screen", cb, 2 * cs - 1)
    if blend == "soft-light":
        if cs <= 0.5:
            return cb - (1 - 2 * cs) * cb * (1 - cb)
        d = ((16 * cb - 12) * cb + 4) * cb if cb <= 0.25 else cb**0.5
        return cb + (2 * cs - 1) * (d - cb)
    if blend == "difference":
        return abs(cb - cs)
    return cb + cs - 2 * cb * cs


@pytest.mark.parametrize("blend", SEPARABLE)
def test_separable_modes_are_those_of_the_w3c_value_by_value(blend: str) -> None:
    values = np.array([0, 1, 31, 63, 64, 100, 127, 128, 150, 191, 200, 254, 255])
    below, above = (g.reshape(1, -1) for g in np.meshgrid(values, values))
    two = [np.dstack([v, v, v]).astype(np.uint8) for v in (below, above)]
    made = mixed_colours(two[0], two[1], blend)
    for b, a, found in zip(below[0], above[0], made[0, :, 0], strict=True):
        wanted = 255 * by_words(blend, b / 255, a / 255)
        assert abs(int(found) - wanted) <= 1, (blend, b, a)


def lum(c: tuple[float, float, float]) -> float:
    return 0.3 * c[0] + 0.59 * c[1] + 0.11 * c[2]


def clip_colour(c: list[float]) -> list[float]:
    light, low, high = lum(tuple(c)), min(c), max(c)  # type: ignore[arg-type]
    if low < 0:
        c = [light + (v - light) * light / (light - low) for v in c]
    if high > 1:
        c = [light + (v - light) * (1 - light) / (high - light) for v in c]
    return c


def set_lum(c: tuple[float, ...], light: float) -> list[float]:
    d = light - lum(c)  # type: ignore[arg-type]
    return clip_colour([v + d for v in c])


def set_sat(c: tuple[float, ...], s: float) -> tuple[float, ...]:
    order = sorted(range(3), key=lambda i: c[i])
    out = [0.0, 0.0, 0.0]
    low, mid, high = (c[i] for i in order)
    if high > low:
        out[order[1]] = (mid - low) * s / (high - low)
        out[order[2]] = s
    return tuple(out)


@given(st.sampled_from(NON_SEPARABLE), *[st.tuples(*[st.integers(0, 255)] * 3)] * 2)
@settings(max_examples=examples(400), deadline=None)
def test_modes_of_whole_colours_are_those_of_the_w3c(
    blend: str, below: tuple[int, int, int], above: tuple[int, int, int]
) -> None:
    cb, cs = (tuple(v / 255 for v in c) for c in (below, above))
    sat_b, sat_s = (max(c) - min(c) for c in (cb, cs))
    wanted = {
        "hue": lambda: set_lum(set_sat(cs, sat_b), lum(cb)),  # type: ignore[arg-type]
        "saturation": lambda: set_lum(set_sat(cb, sat_s), lum(cb)),  # type: ignore[arg-type]
        "color": lambda: set_lum(cs, lum(cb)),  # type: ignore[arg-type]
        "luminosity": lambda: set_lum(cb, lum(cs)),  # type: ignore[arg-type]
    }[blend]()
    two = [np.array([[c]], np.uint8) for c in (below, above)]
    made = mixed_colours(two[0], two[1], blend)[0, 0]
    assert np.abs(made.astype(float) - 255 * np.array(wanted)).max() <= 1


def test_luminosity_of_grey_keeps_the_backdrops_hue() -> None:
    made = mixed_colours(np.array([[[200, 60, 40]]], np.uint8), np.array([[[90, 90, 90]]], np.uint8), "luminosity")[
        0, 0
    ]
    before, after = (colorsys.rgb_to_hsv(*(np.array(c) / 255))[0] for c in ((200, 60, 40), made))
    assert after == pytest.approx(before, abs=0.01)


def test_plus_lighter_adds_the_light_of_the_part_that_shows() -> None:
    """W3C: co = min(1, αs·Cs + αb·Cb): half of a grey of 160 over one of 200 is 255, not half way to it."""
    below, above = (solid(8, 8, *colour_yuv(c)) for c in ("#c8c8c8", "#a0a0a0"))
    made = as_picture(laid_by(below, above, "plus-lighter", np.full((8, 8), 128, np.uint8)))
    assert abs(int(made.y[4, 4]) - 235) <= 1
    lighter = as_picture(
        laid_by(solid(8, 8, *colour_yuv("#202020")), above, "plus-lighter", np.full((8, 8), 128, np.uint8))
    )
    assert abs((int(lighter.y[4, 4]) - 16) / 219 * 255 - (32 + 80)) <= 2


def test_a_mode_of_a_newer_version_is_kept_and_laid_as_normal(tmp_path: Path) -> None:
    reel = over("from the future")
    save_reel(reel, tmp_path / "p.tempik")
    again = load_reel(tmp_path / "p.tempik")
    assert again.clips[1].blend == "from the future" and lit(again, 45) == pytest.approx(1.0, abs=0.01)


@pytest.mark.parametrize("blend", BLENDS)
def test_every_mode_is_planned_and_painted(blend: str) -> None:
    assert 0 <= lit(over(blend, opacity=0.6), 45) <= 1.01


# Opacity and fades


def test_opacity_shows_so_much_and_what_lies_below_is_planned_too() -> None:
    reel = layers.with_opacity(over(), ["c2"], 0.25)
    assert lit(reel, 45) == pytest.approx(0.25, abs=0.01) and lit(reel, 100) == pytest.approx(0, abs=0.01)
    assert (
        len(plan(Timeline(reel), 45, W, H).layer_plans) == 2 and len(plan(Timeline(over()), 45, W, H).layer_plans) == 1
    )
    with pytest.raises(TempikError, match="give 0 to 100"):
        layers.with_opacity(reel, ["c2"], 1.2)


def test_fades_in_frames_and_beats_lie_within_the_slot_with_their_ease() -> None:
    reel = layers.with_fade(layers.with_fade(over(), ["c2"], False, 10), ["c2"], True, 1.0, "beats")
    timeline = Timeline(reel)
    into, out = timeline.transitions[1]
    assert (into.begin, into.end) == (30, 40) and (out.begin, out.end) == (75, 90)  # without beats one is half a second
    assert [round(lit(reel, f), 2) for f in (29, 30, 34, 39, 40, 74)] == pytest.approx(
        [0, 0.05, 0.45, 0.95, 1, 1], abs=0.02
    )
    assert lit(reel, 89) == pytest.approx(0.03, abs=0.02)
    slow = replace(
        reel,
        clips=(
            reel.clips[0],
            replace(reel.clips[1], transition=Transition("dissolve", 10.0, ease=(0.9, 0.0, 1.0, 0.5))),
        ),
    )
    assert lit(slow, 34) < 0.25
    assert layers.with_fade(reel, ["c2"], False, 0).clips[1].transition is None


# Keys


def test_keys_of_opacity_are_met_on_their_frames_and_eased_between() -> None:
    reel = layers.with_clip_key(over(), "c2", "opacity", 40, 0.2)
    reel = layers.with_clip_key(reel, "c2", "opacity", 60, 0.8, "even")
    assert [round(lit(reel, f), 2) for f in (35, 40, 50, 60, 70)] == pytest.approx([0.2, 0.2, 0.5, 0.8, 0.8], abs=0.02)
    reel = layers.with_opacity(reel, ["c2"], 0.4, 60)
    assert lit(reel, 60) == pytest.approx(0.4, abs=0.02) and lit(reel, 40) == pytest.approx(0.2, abs=0.02)
    reel = layers.without_clip_key(layers.without_clip_key(reel, "c2", ["opacity"], 40), "c2", ["opacity"], 60)
    assert reel.clips[1].keys == {} and reel.clips[1].opacity == pytest.approx(0.4)


def test_a_key_on_a_point_follows_it(reel: Reel) -> None:
    timeline = Timeline(reel)
    point = timeline.on_reel()[4]
    frame, clip = timeline.frame_of_point(point), timeline.placed[1].clip.id
    keyed = layers.with_clip_key(reel, clip, "zoom", frame, 2.0)
    keyed = layers.with_clip_key(keyed, clip, "zoom", frame - 10, 1.0)
    placed = Timeline(keyed).placed_clip(clip)
    assert placed is not None and Timeline(keyed).framing_at(placed, frame).start.zoom == pytest.approx(2.0)
    moved = nudged(keyed, [point.id], 0.1)
    there = Timeline(moved).point(point.id)
    assert there is not None
    later = Timeline(moved).frame_of_point(there)
    assert later == frame + 3
    found = Timeline(moved).placed_clip(clip)
    assert found is not None and Timeline(moved).framing_at(found, later).start.zoom == pytest.approx(2.0)
    assert Timeline(moved).framing_at(found, frame).start.zoom < 2.0


def test_keys_go_along_with_their_clip_and_with_its_copies() -> None:
    reel = layers.with_clip_key(over(), "c2", "opacity", 40, 0.2)
    reel = layers.with_clip_key(reel, "c2", "opacity", 50, 1.0)
    moved = moved_to(reel, ["c2"], 12)
    assert layers.key_frames(Timeline(moved), moved.clips[1], ["opacity"]) == [52, 62]
    copied, names = pieces.pasted(reel, pieces.copied(reel, ["c2"]), 60, track=1)
    made = next(c for c in copied.clips if c.id == names[0])
    assert layers.key_frames(Timeline(copied), made, ["opacity"]) == [70, 80]


@pytest.mark.parametrize(
    "change",
    [{"opacity": 1.5}, {"keys": {"opacity": (Key(1.0, 2.0),)}}, {"keys": {"zoom": (Key(1.0, 0.0),)}},
     {"keys": {"x": (Key(1.0, 1.0, "b999"),)}}, {"keys": {"opacity": ()}}],
)  # fmt: skip
def test_layers_that_cannot_be_are_refused_with_a_sentence(change: dict[str, object], tmp_path: Path) -> None:
    refused_both_ways(over(**change), tmp_path / "p.tempik", "Clip 'c2'")  # type: ignore[arg-type]


# By hand and from the command line


def test_the_layer_page_sets_mode_opacity_fades_and_keys(opened: Window) -> None:
    project = opened.project
    project.change("solid", lambda r: with_solid(with_new_track(r), 20, 60, "#ff8800", 1, insert=False))
    clip = project.reel.clips[-1].id
    project.selection.select_clip(clip)
    opened.commands["show_layer"].trigger()
    page, fields = opened.page(FramePage), opened.page(LayerPage).laid

    def record() -> Clip:
        return next(c for c in project.reel.clips if c.id == clip)

    fields.blend.setCurrentIndex(BLENDS.index("screen"))
    fields.blend.activated.emit(BLENDS.index("screen"))
    fields.opacity.setValue(60)
    fields.fades[False].setValue(8)
    assert (record().blend, record().opacity) == ("screen", 0.6)
    placed_transition = project.timeline.transition_of(clip)
    assert placed_transition is not None and (placed_transition.begin, placed_transition.end) == (20, 28)
    project.playhead.go(30)
    fields.key_opacity.click()
    project.playhead.go(50)
    fields.opacity.setValue(10)
    assert layers.key_frames(project.timeline, record(), ["opacity"]) == [30, 50]
    opened.commands["previous_key"].trigger()
    assert project.playhead.frame == 30 and fields.opacity.value() == 60
    fields.key_place.click()
    project.playhead.go(60)
    page.tool.press(QPointF(0.6, 0.6))
    page.tool.drag(QPointF(0.25, 0.0))
    page.tool.settle()
    placed = project.timeline.placed_clip(clip)
    assert placed is not None
    across = [project.timeline.framing_at(placed, f).start.x for f in (30, 45, 60)]
    assert across[0] == 0 and 0 < across[1] < across[2] == pytest.approx(0.25)
    opened.undo()
    assert layers.key_frames(project.timeline, record(), ["x"]) == [30]


def test_layers_are_added_and_changed_from_the_command_line(
    tmp_path: Path, capsys: pytest.CaptureFixture[str], media: Path
) -> None:
    project = tmp_path / "p.tempik"
    save_reel(over(), project)

    def run(*words: str) -> list[str]:
        assert main(["layers", str(project), *words]) == 0
        return capsys.readouterr().out.splitlines()

    run("--clips", "2", "--blend", "multiply", "--opacity", "40", "--fade-in", "6", "--fade-out", "0.5b")
    assert run()[2] == "2,2,solid #ffffff,30,90,multiply,0.40,6,8,,,,,"
    run(
        "--add", str(media / "a.mp4"), "--from", "1.5", "--length", "1", "--key", "opacity@50=0.3", "--key", "zoom@50=2"
    )
    assert run()[3] == "3,3,a.mp4,45,75,normal,1.00,,,opacity:1 zoom:1,,,,"
    run("--clips", "3", "--remove")
    assert len(run()) == 3
    for words, message in (
        (["--blend", "screen"], "Which clips"),
        (["--clips", "2", "--blend", "glow"], "no blend mode 'glow'"),
        (["--clips", "2", "--opacity", "140"], "give 0 to 100"),
        (["--clips", "2", "--key", "colour@3=1"], "cannot be keyed"),
        (["--clips", "2", "--key", "opacity=1"], "NAME@FRAME=VALUE"),
        (["--add", "#12", "--from", "1"], "no colour"),
        (["--add", "#112233", "--from", "9"], "one frame long"),
        (["--add", "#112233", "--track", "7"], "no track 7"),
    ):
        assert main(["layers", str(project), *words]) == 2
        error = capsys.readouterr().err
        assert message in error and error.count("\n") == 1


def test_two_layers_of_other_modes_meet_in_a_transition() -> None:
    reel = over("multiply", opacity=0.5)
    second = replace(
        reel.clips[1], id="c3", start=Edge(3.0), end=Edge(4.0), blend="screen", transition=Transition("dissolve", 10.0)
    )
    reel = replace(reel, clips=(*reel.clips, second))
    picture: Picture
    with PictureSource() as source:
        picture = source.render(plan(Timeline(reel), 90, W, H))
    # Multiplied white changes nothing, screened white at a half lifts black half way; a little past half of the transition.
    assert (int(picture.y[4, 4]) - 16) / 219 == pytest.approx(0.5 * 0.55, abs=0.02)


# Split picture


def coloured(count: int) -> Reel:
    """Clips of one second each, red, green, blue and white by turns, landscape and upright."""
    colours = ("#c02020", "#20a020", "#2020c0", "#e0e0e0")[:count]
    sizes = ((320, 180), (180, 320), (100, 100), (640, 480))
    footage = tuple(Footage(f"f{n}", c, *sizes[n], Fraction(30), 1.0, kind="solid") for n, c in enumerate(colours))
    clips = tuple(Clip(f"c{n}", f"f{n}", Edge(float(n)), Edge(n + 1.0)) for n in range(count))
    last = Clip("c9", "f0", Edge(float(count)), Edge(count + 1.0))
    return Reel(width=W, height=H, length_s=count + 1.0, footage=footage, clips=(*clips, last))


def seen(reel: Reel, x: float, y: float, frame: int = 5) -> str:
    """Return which colour is seen at a place: r, g, b, w, or - for black."""
    with PictureSource() as source:
        rgb = to_rgb(source.render(plan(Timeline(reel), frame, W, H)))
    r, g, b = (int(v) for v in rgb[int(y * H), int(x * W)])
    if max(r, g, b) < 40:
        return "-"
    return "w" if min(r, g, b) > 150 else "rgb"[(r, g, b).index(max(r, g, b))]


@pytest.mark.parametrize(
    ("count", "form", "spots"),
    [
        (2, "strips", {(0.25, 0.1): "r", (0.25, 0.9): "r", (0.75, 0.5): "g", (0.48, 0.5): "r", (0.52, 0.5): "g"}),
        (3, "rows", {(0.1, 0.1): "r", (0.9, 0.5): "g", (0.5, 0.9): "b"}),
        (3, "tiles", {(0.25, 0.9): "r", (0.75, 0.2): "g", (0.75, 0.8): "b"}),
        (4, "tiles", {(0.2, 0.2): "r", (0.8, 0.2): "g", (0.2, 0.8): "b", (0.8, 0.8): "w"}),
    ],
)
def test_clips_are_shown_at_once_each_in_its_part(count: int, form: str, spots: dict[tuple[float, float], str]) -> None:
    made = with_split_picture(coloured(count), [f"c{n}" for n in range(count)], form)
    timeline = Timeline(made)
    assert {(p.first, p.end) for p in timeline.placed if p.clip.id != "c9"} == {(0, 30)}
    assert timeline.placed_clip("c9").first == 30  # type: ignore[union-attr]  # what follows has closed up
    assert {spot: seen(made, *spot) for spot in spots} == spots


def test_a_border_is_left_between_the_parts_alone() -> None:
    made = with_split_picture(coloured(2), ["c0", "c1"], "strips", 0.1)
    assert [seen(made, x, 0.5) for x in (0.02, 0.42, 0.5, 0.58, 0.98)] == ["r", "r", "-", "g", "g"]
    shaken = with_rule(with_accent_lane(made, "shake", 0), "r1", Rule("frames", every=5))
    shaken = with_painted(shaken, "r1", "frame/5", 2.0)
    for reel in (made, shaken):  # no line of black along the frame's edges, shaken or not
        with PictureSource() as source:
            rgb = to_rgb(source.render(plan(Timeline(reel), 5, W, H)))
        for edge in (rgb[0, :20], rgb[-1, :20], rgb[:, 0], rgb[:, -1]):
            assert edge.max(axis=1).min() > 120
    assert Timeline(shaken).look_at(5).shift != (0, 0)
    with pytest.raises(TempikError, match="two to 4 clips"):
        with_split_picture(coloured(2), ["c0"], "strips")
    with pytest.raises(TempikError, match="no form 'star'"):
        with_split_picture(coloured(2), ["c0", "c1"], "star")
    with pytest.raises(TempikError, match="border"):
        with_split_picture(coloured(2), ["c0", "c1"], "rows", 0.5)
