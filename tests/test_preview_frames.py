"""Preview frames: the right picture for every plan, whatever happens on the thread that makes them."""

import threading
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from pytestqt.qtbot import QtBot

from examples import examples
from media_files import write_video
from tempik.accents import Look
from tempik.accents.light import exposed
from tempik.desktop.playback import preview_frames
from tempik.desktop.playback.at_rest import REST_S
from tempik.desktop.playback.preview_frames import PreviewFrames
from tempik.desktop.playback.scrub import Scrubber
from tempik.desktop.session.log import log_path
from tempik.desktop.shell.window import Window
from tempik.edit.accents.lanes import with_all_amounts, with_lane, with_setting
from tempik.errors import TempikError
from tempik.media import index_frames
from tempik.media.blend import BLENDS
from tempik.media.picture import solid, to_rgb
from tempik.reel import Clear, Reel, Rule, Title
from tempik.render import PictureSource, plan
from tempik.render.compose import Source, compose
from tempik.render.masks import MaskOutline
from tempik.render.plan import FramePlan, LayerPlan
from tempik.timeline.timeline import Timeline
from tempik.timeline.wording import TitlePart

WAIT = 30_000


def exposure(reel: Reel, stops: float) -> Timeline:
    made = with_lane(reel, "exposure", rule=Rule(of="points"))
    row = made.accent_lanes[-1].id
    return Timeline(with_setting(made, row, "stops", stops))


def plain(**fields: object) -> LayerPlan:
    whole = {"path": "/f.mp4", "source_s": 0.0, "backward": False, "longest_px": None}
    affine = np.array([[180.0, 0, 0], [0, 320, 0]])
    return LayerPlan(**{**whole, "affine": affine, **fields})


def test_exposures_whose_hashes_are_alike_are_not_taken_for_each_other() -> None:
    """hash(-1.0) and hash(-2.0) are the same number in Python; pictures were once kept by such hashes."""
    assert hash((-1.0,)) == hash((-2.0,))
    first, second = (FramePlan(0, 180, 320, (), Look().toned(exposed, stops)) for stops in (-1.0, -2.0))
    assert hash(first.key()) == hash(second.key()) and first.key() != second.key()


BOX = MaskOutline("rectangle", (1.0, 0, 0, 0, 1, 0), 50, 50, 20, 20, 0, (), 0, 0, 0, False, "add")

FIELDS = st.fixed_dictionaries(
    {
        "path": st.sampled_from(["/a.mp4", "/b.mp4"]),
        "source_s": st.sampled_from([0.0, 1 / 30, -1.0, -2.0]),
        "backward": st.booleans(),
        "opacity": st.sampled_from([1.0, 0.5]),
        "blend": st.sampled_from(BLENDS),
        "masks": st.sampled_from([(), (BOX,), (BOX._replace(invert=True),)]),
        "clear": st.sampled_from([None, Clear(), Clear(spill=0.1)]),
        "title": st.sampled_from([None, Title("a"), Title("a", size=0.2)]),
        "wording": st.sampled_from([(), (TitlePart("all"),), (TitlePart("word", 1),)]),
        "share": st.sampled_from([0.0, 0.25]),
        "number": st.sampled_from([None, 3]),
    }
)


@given(FIELDS, FIELDS)
@settings(max_examples=examples(200), deadline=None)
def test_unequal_shots_have_unequal_keys(a: dict[str, object], b: dict[str, object]) -> None:
    assert (plain(**a).key() == plain(**b).key()) == (a == b)
    moved = plain(**a, affine=np.array([[180.0, 0, 1e-9], [0, 320, 0]]))
    assert moved.key() != plain(**a).key()


def test_a_fault_of_any_kind_is_said_and_the_next_frame_made(
    qtbot: QtBot, reel: Reel, monkeypatch: pytest.MonkeyPatch
) -> None:
    timeline = Timeline(reel)
    made = PictureSource.render

    def faulty(self: PictureSource, meant: FramePlan) -> object:
        if meant.frame == 3:
            raise ValueError("a frame of clinker")
        if meant.frame == 4:
            raise RuntimeError("the decoder gave up")
        if meant.frame == 5:
            raise TempikError("x.mp4 is cut off.")
        return made(self, meant)

    monkeypatch.setattr(PictureSource, "render", faulty)
    frames = PreviewFrames()
    failed: dict[int, str] = {}
    frames.failed.connect(failed.__setitem__)
    try:
        frames.load(timeline, (90, 160))
        for number in (3, 4, 5, 6):
            frames.want(number, False)
            if number < 6:
                qtbot.waitUntil(lambda n=number: n in failed, timeout=WAIT)
            else:
                qtbot.waitUntil(lambda: frames.want(6, False) is not None, timeout=WAIT)
        assert "clinker" in failed[3] and "decoder gave up" in failed[4] and failed[5] == "x.mp4 is cut off."
        assert frames.fault(4) == failed[4] and frames.fault(6) == ""
        assert "clinker" in log_path().read_text()
    finally:
        frames.close()


def test_a_frame_made_for_an_older_reel_is_not_kept_for_the_newer(
    qtbot: QtBot, reel: Reel, monkeypatch: pytest.MonkeyPatch
) -> None:
    """While a frame is made another reel is loaded: what was being made is neither kept small nor shown."""
    before, after = Timeline(reel), Timeline(with_all_amounts(reel, 0.0))
    keys = [(plan(before, k, 90, 160).key(), plan(after, k, 90, 160).key()) for k in range(before.frames)]
    number = next(k for k, (a, b) in enumerate(keys) if a != b)
    began, go_on = threading.Event(), threading.Event()
    made = PictureSource.render

    def slow(self: PictureSource, meant: FramePlan) -> object:
        picture = made(self, meant)
        if not began.is_set():
            began.set()
            assert go_on.wait(10)
        return picture

    monkeypatch.setattr(PictureSource, "render", slow)
    monkeypatch.setattr(preview_frames, "HEAVY", 0.0)  # every frame is dear: it is kept small
    frames = PreviewFrames()
    try:
        frames.load(before, (90, 160))
        frames.want(number, False)
        assert began.wait(10)
        frames.load(after, (90, 160))
        go_on.set()
        qtbot.waitUntil(lambda: frames.want(number, False) is not None, timeout=WAIT)
        old, new = keys[number]
        assert old not in frames._stored and frames._keys[number] == new
    finally:
        go_on.set()
        frames.close()


# Proxies are for what moves


@pytest.fixture
def by_proxy(reel: Reel, tmp_path: Path) -> Iterator[PreviewFrames]:
    """Frames of the reel for whose files dark films stand: which of the two is shown can be seen."""
    dark = {}
    for number, piece in enumerate(reel.footage):
        frames = len(index_frames(piece.path).pts)
        film = write_video(tmp_path / f"{number}.mp4", lambda n: np.full((64, 64, 3), 20, np.uint8), frames, 30)
        dark[piece.path] = str(film)
    made = PreviewFrames(proxy=dark.get)
    yield made
    made.close()


def light(frames: PreviewFrames, number: int, playing: bool = False) -> float:
    """Return how light the frame is that is ready, −1 where none is."""
    image = frames.want(number, playing)
    if image is None:
        return -1.0
    grey = image.convertToFormat(image.Format.Format_Grayscale8)
    return float(np.mean(grey.constBits()))


def test_the_frame_at_rest_is_made_from_the_files_themselves(
    qtbot: QtBot, reel: Reel, by_proxy: PreviewFrames, monkeypatch: pytest.MonkeyPatch
) -> None:
    timeline = Timeline(reel)
    with PictureSource() as source:
        true = float(to_rgb(source.render(plan(timeline, 40, 180, 320))).mean())
    assert true > 60
    by_proxy.load(timeline, (180, 320))
    with qtbot.waitSignal(by_proxy.ready, timeout=WAIT):
        by_proxy.want(40, False)
    qtbot.waitUntil(lambda: light(by_proxy, 40) > -1, timeout=WAIT)
    assert light(by_proxy, 40) < 40, "the proxy at first: it is there at once"
    qtbot.waitUntil(lambda: abs(light(by_proxy, 40) - true) < 12, timeout=WAIT)
    by_proxy.want(41, False)
    assert abs(light(by_proxy, 40) - true) < 12, "and it stays sharp when it is gone back to"


@pytest.mark.slow
def test_what_plays_or_is_dragged_is_shown_by_proxies_alone(qtbot: QtBot, reel: Reel, by_proxy: PreviewFrames) -> None:
    for playing, dragged in ((True, False), (False, True)):
        by_proxy.load(Timeline(reel), (180, 320), quick=dragged)
        qtbot.waitUntil(lambda: light(by_proxy, 40) > -1, timeout=WAIT)
        by_proxy.want(40, playing)
        qtbot.wait(round(2500 * REST_S))
        assert light(by_proxy, 40, playing) < 40


def test_the_scrubber_goes_on_after_any_fault(qtbot: QtBot, media: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    from tempik.desktop.playback import scrub

    made = scrub.to_rgb  # type: ignore[attr-defined]
    faults = iter([True, False])

    def faulty(picture: object) -> object:
        if next(faults, False):
            raise ValueError("soot")
        return made(picture)  # type: ignore[arg-type]

    monkeypatch.setattr(scrub, "to_rgb", faulty)
    scrubber = Scrubber()
    failed: list[str] = []
    shown: list[float] = []
    scrubber.failed.connect(failed.append)
    scrubber.shown.connect(lambda path, time_s, image: shown.append(time_s))
    try:
        scrubber.want(str(media / "a.mp4"), 1.0, 0)
        qtbot.waitUntil(lambda: bool(failed), timeout=WAIT)
        scrubber.want(str(media / "a.mp4"), 2.0, 0)
        qtbot.waitUntil(lambda: shown == [2.0], timeout=WAIT)
        assert "soot" in failed[0] and "a.mp4" in failed[0]
    finally:
        scrubber.close()


# Layers


def test_half_a_layer_shows_half_of_it() -> None:
    below, above = plain(path="#000000", solid=True), plain(path="#ffffff", solid=True, opacity=0.5)
    picture = compose(FramePlan(0, 180, 320, (below, above), Look()), [None, None])
    assert int(picture.y[10, 10]) == pytest.approx((16 + 235) / 2, abs=2)


@pytest.mark.parametrize(
    ("blend", "expected"), [("screen", 1 - 0.5 * 0.5), ("multiply", 0.25), ("plus-lighter", 1.0), ("normal", 0.5)]
)
def test_blends_are_those_of_the_w3c(blend: str, expected: float) -> None:
    """W3C, Compositing and Blending Level 1, section 9.1: screen 1 − (1 − a)(1 − b), multiply a·b; add is a + b."""
    grey = plain(path="#808080", solid=True)
    over = plain(path="#808080", solid=True, blend=blend)
    picture = compose(FramePlan(0, 180, 320, (grey, over), Look()), [None, None])
    assert (int(picture.y[10, 10]) - 16) / 219 == pytest.approx(expected, abs=0.012)


def test_a_layers_tones_change_it_alone() -> None:
    dark = solid(180, 320, 60)
    one = compose(FramePlan(0, 180, 320, (plain(look=Look().toned(exposed, 1.0)),), Look()), [Source(dark)])
    assert int(one.y[5, 5]) > 70


def test_files_are_looked_over_once_the_picture_that_is_waited_for_is_there(
    opened: Window, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    """They were gone through beside it, and a picture that takes a third of a second took two."""
    held: list[bool] = []
    monkeypatch.setattr(opened.background, "hold", lambda on, why: held.append(on))
    opened.project.playhead.go(7 * opened.project.timeline.frames // 8)
    assert held == [True]
    qtbot.waitUntil(lambda: opened.transport.shown == opened.project.playhead.frame, timeout=20_000)
    assert held[-1] is False
