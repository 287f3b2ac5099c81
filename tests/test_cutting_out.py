"""A subject cut out by a few strokes and carried through the clip: against drawn shapes whose every edge is known."""

import math
import threading
from collections.abc import Callable
from fractions import Fraction
from pathlib import Path

import cv2
import numpy as np
import pytest
from msgspec.structs import replace

from media_files import write_video
from tempik.cli.main import main
from tempik.edit.clips import place
from tempik.edit.footage import cutting_out
from tempik.edit.footage.facts import footage_from
from tempik.errors import TempikError
from tempik.media import FrameReader, probe
from tempik.project.file import load_reel, save_reel
from tempik.project.media_files import collect, media_paths
from tempik.reel import Cutout, Footage, Reel, Stroke
from tempik.reel.validate import problems
from tempik.render import PictureSource, plan
from tempik.timeline.timeline import Timeline

WIDE, TALL, FRAMES = 216, 384, 90


def shape(number: int) -> tuple[np.ndarray, tuple[float, float]]:  # type: ignore[type-arg]
    """Where the subject is on a frame, and its middle: an ellipse with a head, turning as it goes."""
    plane = np.zeros((TALL, WIDE), np.uint8)
    middle = (108 + 40 * math.sin(number / 25), 180 + 40 * math.cos(number / 30))
    turn = number * 1.2
    cv2.ellipse(plane, (round(middle[0]), round(middle[1])), (52, 30), turn, 0, 360, (255,), -1, cv2.LINE_AA)
    head = (middle[0] + 40 * math.cos(math.radians(turn)), middle[1] + 40 * math.sin(math.radians(turn)) - 30)
    cv2.circle(plane, (round(head[0]), round(head[1])), 24, (255,), -1, cv2.LINE_AA)
    return plane, middle


@pytest.fixture(scope="module")
def film(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """Three seconds of a patterned subject over patterned ground, drawn from a seed that nothing was tuned on."""
    draw = np.random.default_rng(71)
    ground = cv2.resize(
        draw.integers(60, 180, (40, 24, 3)).astype(np.uint8), (WIDE, TALL), interpolation=cv2.INTER_CUBIC
    )
    ground = np.clip(ground.astype(int) + draw.integers(-10, 10, (TALL, WIDE, 3)), 0, 255).astype(np.uint8)
    skin = cv2.resize(draw.integers(0, 255, (10, 10, 3)).astype(np.uint8), (WIDE, TALL), interpolation=cv2.INTER_CUBIC)

    def frame(number: int) -> np.ndarray:  # type: ignore[type-arg]
        plane, middle = shape(number)
        shift = np.array([[1.0, 0, middle[0] - 108], [0, 1.0, middle[1] - 180]])
        own = cv2.warpAffine(skin, shift, (WIDE, TALL), borderMode=cv2.BORDER_REFLECT)
        part = plane[..., None] / 255
        return np.round(own * part + ground * (1 - part)).astype(np.uint8)

    path = tmp_path_factory.mktemp("cut") / "subject.mp4"
    write_video(path, frame, FRAMES, 30)
    return path


def strokes(number: int = 30) -> tuple[Stroke, ...]:
    _, (x, y) = shape(number)
    at = number / 30
    return (
        Stroke(at, (((x - 30) / WIDE, y / TALL), ((x + 30) / WIDE, y / TALL))),
        Stroke(at, ((0.04, 0.05), (0.96, 0.05)), False, 0.02),
        Stroke(at, ((0.04, 0.1), (0.04, 0.95), (0.96, 0.95)), False, 0.02),
    )


@pytest.fixture(scope="module")
def cut(film: Path, tmp_path_factory: pytest.TempPathFactory) -> tuple[Footage, Cutout]:
    footage = footage_from(probe(str(film)), set())
    target = tmp_path_factory.mktemp("mattes") / "subject 1.mkv"
    return footage, cutting_out.cut_out(footage, Cutout("k1", strokes()), (0.0, 3.0), target)


def covers(cutout: Cutout, number: int) -> np.ndarray:  # type: ignore[type-arg]
    with FrameReader(cutout.path) as reader:
        plane = reader.frame(number - cutout.first).y
    return cv2.resize(plane, (WIDE, TALL), interpolation=cv2.INTER_LINEAR) > 16 + 110


def overlap(cutout: Cutout, number: int) -> float:
    found, truth = covers(cutout, number), shape(number)[0] > 127
    return float((found & truth).sum() / (found | truth).sum())


def test_the_cut_keeps_to_a_drawn_subject_through_three_seconds(cut: tuple[Footage, Cutout]) -> None:
    """Intersection over union with the known shape: 0.95 at least on every frame looked at."""
    scores = [overlap(cut[1], number) for number in range(0, FRAMES, 6)]
    assert min(scores) >= 0.95 and float(np.mean(scores)) >= 0.97


def test_a_clip_shows_its_subject_over_what_lies_below(cut: tuple[Footage, Cutout], tmp_path: Path) -> None:
    reel = replace(Reel(width=WIDE, height=TALL, length_s=3.0), footage=(cut[0],))
    reel = place.with_solid(reel, 0, 90, "#2060c0", 0, insert=False)
    reel = place.with_clip_at(place.with_new_track(reel), cut[0].id, 0, 1, frames=90)
    clip = reel.clips[-1].id
    made = cutting_out.with_cutout(reel, clip, cut[1])
    with PictureSource() as source:
        seen = source.render(plan(Timeline(made), 40, WIDE, TALL))
        below = source.render(plan(Timeline(replace(made, clips=made.clips[:1])), 40, WIDE, TALL))
    same = np.abs(seen.y.astype(int) - below.y) <= 3
    truth = shape(40)[0] > 127
    assert same[~cv2.dilate(truth.astype(np.uint8), np.ones((9, 9))).astype(bool)].mean() > 0.97
    assert same[cv2.erode(truth.astype(np.uint8), np.ones((9, 9))).astype(bool)].mean() < 0.2
    save_reel(made, tmp_path / "p.tempik")
    assert load_reel(tmp_path / "p.tempik") == made and cut[1].path in media_paths(made) and not problems(made)
    kept = collect(made, tmp_path / "p.tempik").reel
    assert Path(kept.footage[0].cutouts[0].path).parent.name == "p media"
    assert cutting_out.without_cutout(made, [clip]).footage[0].cutouts == ()


@pytest.mark.slow
def test_another_stroke_mends_where_the_cut_slips(cut: tuple[Footage, Cutout], tmp_path: Path) -> None:
    """Ground that was taken for the subject is carried on with it, until a stroke on a later frame says that it is not."""
    footage, whole = cut
    ground = tuple((x / WIDE, y / TALL) for x, y in ((30, 330), (100, 335), (180, 330)))
    wrong = Stroke(60 / 30, ground, True, 0.2)
    spoilt = cutting_out.cut_out(footage, replace(whole, strokes=(*strokes(), wrong)), (1.0, 2.4), tmp_path / "a.mkv")
    mend = Stroke(63 / 30, ground, False, 0.25)
    mended = cutting_out.cut_out(
        footage, replace(spoilt, strokes=(*spoilt.strokes, mend)), (1.0, 2.4), tmp_path / "b.mkv"
    )
    assert overlap(spoilt, 66) < 0.9 and overlap(mended, 66) > 0.95 and overlap(mended, 40) > 0.95


ACROSS, DOWN = ((0.0, 0.5), (1.0, 0.5)), ((0.5, 0.0), (0.5, 1.0))
ALL = (Stroke(1.0, ACROSS, True, 1.0), Stroke(1.0, DOWN, True, 1.0))


@pytest.mark.parametrize(
    ("options", "message"),
    [
        (Cutout("k", ()), "Stroke over the subject first"),
        (Cutout("k", (Stroke(1.0, ((0.1, 0.1),), False),)), "Stroke over the subject first"),
        (Cutout("k", ALL), "covers the whole picture"),
    ],
)
def test_strokes_that_cut_nothing_are_refused(
    cut: tuple[Footage, Cutout], options: Cutout, message: str, tmp_path: Path
) -> None:
    with pytest.raises(TempikError, match=message):
        cutting_out.cut_out(cut[0], options, (0.9, 1.1), tmp_path / "c.mkv")
    assert not list(tmp_path.iterdir())


def test_stopping_leaves_nothing_behind(cut: tuple[Footage, Cutout], tmp_path: Path) -> None:
    stop = threading.Event()
    with pytest.raises(TempikError, match="stopped"):
        cutting_out.cut_out(
            cut[0], Cutout("k", strokes()), (0.0, 3.0), tmp_path / "c.mkv", lambda share: stop.set(), stop
        )
    assert not list(tmp_path.iterdir())


def test_a_film_of_the_cut_is_never_written_over(tmp_path: Path) -> None:
    footage = Footage("f1", "/a/hammer.mp4", 10, 10, Fraction(30), 1.0)
    first = cutting_out.target_beside(tmp_path / "p.tempik", tmp_path, footage)
    assert first == tmp_path / "p cutouts" / "hammer 1.mkv"
    first.parent.mkdir()
    first.write_bytes(b"")
    assert cutting_out.target_beside(tmp_path / "p.tempik", tmp_path, footage).name == "hammer 2.mkv"
    assert cutting_out.target_beside(None, tmp_path, footage).parent == tmp_path / "cutouts"


@pytest.mark.slow
def test_cutting_out_on_the_command_line(film: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    footage = footage_from(probe(str(film)), set())
    reel = replace(Reel(width=WIDE, height=TALL, length_s=1.0), footage=(footage,))
    reel = place.with_clip_at(reel, footage.id, 0, 0, source_s=0.8, frames=24)
    save_reel(reel, tmp_path / "p.tempik")
    _, (x, y) = shape(30)
    a, b, h = 100 * (x - 28) / WIDE, 100 * (x + 28) / WIDE, 100 * y / TALL
    text = f"keep:{a:.1f},{h:.1f},{b:.1f},{h:.1f};drop:4,5,96,5;drop:4,10,4,95,96,95@6"
    assert main(["layers", str(tmp_path / "p.tempik"), "--clips", "1", "--cut-out", text]) == 0
    made = load_reel(tmp_path / "p.tempik")
    assert made.clips[0].cutout and overlap(made.footage[0].cutouts[0], 32) > 0.95
    assert list((tmp_path / "p cutouts").iterdir())
    for bad, message in (
        ("keep:1,1", "names no frame"),
        ("paint:1,1,2,2@6", "no kind of stroke"),
        ("keep:1,1@700", "not in clip"),
    ):
        assert main(["layers", str(tmp_path / "p.tempik"), "--clips", "1", "--cut-out", bad]) == 2
        assert message in capsys.readouterr().err


def test_turned_footage_is_cut_as_it_is_seen(film: Path, tmp_path: Path, cut: tuple[Footage, Cutout]) -> None:
    """The strokes are on the upright picture, the film of the cut lies as the footage is coded."""
    upright, _ = cut
    turned = replace(upright, rotation_deg=90, width=TALL, height=WIDE)
    swung: Callable[[tuple[float, float]], tuple[float, float]] = lambda p: (1 - p[1], p[0])  # noqa: E731
    marks = tuple(replace(s, points=tuple(swung(p) for p in s.points), width=s.width * WIDE / TALL) for s in strokes())
    made = cutting_out.cut_out(turned, Cutout("k", marks), (0.9, 1.2), tmp_path / "t.mkv")
    assert overlap(made, 33) > 0.94
