"""From plan to file: the right frame, the right place, nothing half-written."""

import sys
import threading
from collections.abc import Iterator
from fractions import Fraction
from pathlib import Path

import av
import msgspec
import numpy as np
import pytest

from media_files import number_in, numbered, write_video
from tempik.accents import Look, applied
from tempik.accents.light import exposed, wash
from tempik.accents.look import about, shifted, times
from tempik.edit.song.stretches import with_stretch
from tempik.edit.speed import speed as retiming
from tempik.errors import TempikError
from tempik.media import FrameReader, decode_sound
from tempik.media.picture import Picture, solid
from tempik.reel import Footage, Framing, Mix, Reel
from tempik.render import ExportSettings, PictureSource, compose, export, mix, plan
from tempik.render.ahead import WorkAhead
from tempik.render.compose import Source
from tempik.render.export import Cancelled
from tempik.render.framed import framed
from tempik.render.plan import FramePlan, LayerPlan, Matrix
from tempik.retime import constant
from tempik.timeline.covering import gaps
from tempik.timeline.timeline import Timeline


def footage(width: int, height: int, rotation: int = 0) -> Footage:
    return Footage("f1", "/f.mp4", width, height, Fraction(30), 10.0, rotation_deg=rotation)


def corners(matrix: np.ndarray) -> np.ndarray:
    return matrix @ np.array([[0, 1, 1, 0], [0, 0, 1, 1], [1, 1, 1, 1]])


@pytest.mark.parametrize(("w", "h"), [(1920, 1080), (1080, 1920), (640, 480), (1080, 1080)])
def test_footage_covers_the_upright_frame_centred(w: int, h: int) -> None:
    spots = corners(framed(Framing(), footage(w, h), 1080, 1920, Look()))
    left, right, top, bottom = spots[0].min(), spots[0].max(), spots[1].min(), spots[1].max()
    assert left <= 1e-6 and right >= 1080 - 1e-6 and top <= 1e-6 and bottom >= 1920 - 1e-6
    assert left + right == pytest.approx(1080) and top + bottom == pytest.approx(1920)
    assert (right - left) / (bottom - top) == pytest.approx(w / h)


def test_a_turned_file_is_shown_upright() -> None:
    # A quarter turn clockwise takes the coded top left corner to the top right of the frame.
    spots = corners(framed(Framing(), footage(1080, 1920, 90), 1080, 1920, Look()))
    assert spots[:, 0] == pytest.approx([1080, 0], abs=1e-6)
    assert spots[:, 1] == pytest.approx([1080, 1920], abs=1e-6)


def shot_at(affine: Matrix, **fields: object) -> LayerPlan:
    """A layer of one frame of a file, where an affine puts it."""
    return LayerPlan(path="/f.mp4", source_s=0.0, backward=False, affine=affine, longest_px=None, **fields)


def test_an_untouched_frame_passes_through_and_costs_no_warp() -> None:
    picture = solid(180, 320, 99)
    shot = shot_at(framed(Framing(), footage(180, 320), 180, 320, Look()))
    assert compose(FramePlan(0, 180, 320, (shot,), Look()), [Source(picture)]) is picture


def test_a_shaken_frame_mirrors_its_edge_rather_than_showing_black() -> None:
    bright = Picture(*(np.full_like(p, 200 if i == 0 else 128) for i, p in enumerate(solid(180, 320))))
    turned = Look(move=times(shifted(0.1, 0), about(0, 0, 1, 3)))
    shot = shot_at(framed(Framing(), footage(180, 320), 180, 320, turned))
    assert compose(FramePlan(0, 180, 320, (shot,), Look()), [Source(bright)]).y.min() >= 199


def test_a_flash_lays_white_over_in_its_share() -> None:
    lit = applied(solid(180, 320, 35, 90, 160), Look().toned(wash, "#ffffff", 0.75))
    assert int(lit.y[0, 0]) == pytest.approx(35 + 0.75 * 200, abs=1)
    assert int(lit.u[0, 0]) == pytest.approx(90 + 0.75 * 38, abs=1)


def test_one_stop_doubles_light_on_a_display_of_gamma_2_4() -> None:
    # Rec. ITU-R BT.1886: light is the code value to the power 2.4, so one stop is a factor of 2^(1/2.4).
    lit = applied(solid(180, 320, 16 + 80), Look().toned(exposed, 1.0))
    assert ((int(lit.y[0, 0]) - 16) / 80) ** 2.4 == pytest.approx(2.0, rel=0.03)


def test_a_shift_moves_the_picture_by_its_share_of_the_width() -> None:
    picture = solid(180, 320, 16)
    picture.y[:, 88:92] = 235
    shot = shot_at(framed(Framing(), footage(180, 320), 180, 320, Look(move=shifted(10 / 180, 0))))
    row = compose(FramePlan(0, 180, 320, (shot,), Look()), [Source(picture)]).y[100]
    assert np.flatnonzero(row > 200).mean() == pytest.approx(89.5 + 10, abs=0.1)


def test_preview_and_export_show_the_same_footage_frame(reel: Reel) -> None:
    timeline = Timeline(reel)
    with PictureSource() as source:
        for k in (40, 100, 200):
            large, small = plan(timeline, k, 180, 320, accents=False), plan(timeline, k, 90, 160, accents=False)
            assert len(large.layer_plans) == len(small.layer_plans) == 1
            assert large.layer_plans[0].source_s == small.layer_plans[0].source_s
            a, b = source.render(large).y, source.render(small).y
            assert abs(float(a.mean()) - float(b.mean())) < 3


@pytest.fixture
def upright(tmp_path: Path, reel: Reel) -> Reel:
    """The reel's clips all on one numbered upright file, so that exported frames can be read."""
    path = write_video(tmp_path / "n.mp4", numbered(180, 320), 300, 30, gop=12)
    piece = msgspec.structs.replace(
        reel.footage[0], path=str(path), width=180, height=320, rate=Fraction(30), length_s=10.0
    )
    clips = tuple(
        msgspec.structs.replace(c, footage=piece.id, pins=(), source_s=1.0, curve=constant(1.0)) for c in reel.clips
    )
    return msgspec.structs.replace(reel, footage=(piece,), clips=clips, accent_lanes=())


def exported_numbers(path: Path) -> list[int]:
    """The numbers in a file's frames, by PyAV's own decode."""
    with av.open(str(path)) as container:
        return [number_in(f.to_ndarray(format="gray")) for f in container.decode(video=0)]


@pytest.mark.film
@pytest.mark.parametrize("speed", [1.0, 0.5, 2.0, -1.0])
def test_every_exported_frame_shows_the_source_frame_of_the_map(upright: Reel, tmp_path: Path, speed: float) -> None:
    reel = upright
    for clip in upright.clips:
        reel = retiming.with_curve(reel, clip.id, constant(speed))
    export(Timeline(reel), tmp_path / "o.mp4")
    shown = exported_numbers(tmp_path / "o.mp4")
    assert len(shown) == 300
    for placed in Timeline(reel).placed:
        for k in range(placed.first, placed.end):
            source = placed.map.source_at((k - placed.begin) / 30)
            assert shown[k] == min(max(int(np.floor(source * 30 + 0.02)), 0), 299)


@pytest.mark.film
def test_the_file_is_what_was_asked_for(upright: Reel, tmp_path: Path) -> None:
    reel = msgspec.structs.replace(upright, rate=Fraction(30000, 1001))
    done: list[tuple[int, int]] = []
    export(Timeline(reel), tmp_path / "o.mp4", ExportSettings((120, 200), "draft"), lambda a, b: done.append((a, b)))
    with av.open(str(tmp_path / "o.mp4")) as container:
        video, audio = container.streams.video[0], container.streams.audio[0]
        assert (video.codec_context.name, audio.codec_context.name) == ("h264", "aac")
        assert (video.width, video.height, video.average_rate) == (120, 200, Fraction(30000, 1001))
        assert video.start_time == 0 and audio.start_time == 0
        assert audio.codec_context.sample_rate == 48000
    frames = Timeline(reel).frames
    assert done[-1] == (frames, frames)
    assert [p.name for p in tmp_path.iterdir() if p.suffix == ".part"] == []


def test_the_mix_is_the_stretch_of_song_to_the_sample(reel: Reel) -> None:
    assert reel.soundtrack is not None
    reel = msgspec.structs.replace(reel, mix=Mix())
    timeline = Timeline(with_stretch(reel, 2.25, 6.0))
    whole = decode_sound(reel.soundtrack.path)
    mixed = mix(timeline)
    assert len(mixed.samples) == 6 * 48000
    np.testing.assert_allclose(mixed.samples, whole.samples[108000 : 108000 + 288000], atol=1e-6)
    assert reel.soundtrack is not None
    quiet = msgspec.structs.replace(reel.soundtrack, gain_db=-6.0206, fade_out_s=1.0)
    faded = mix(Timeline(msgspec.structs.replace(reel, soundtrack=quiet)), whole).samples
    assert np.abs(faded[:48000]).max() == pytest.approx(0.5 * np.abs(whole.samples[:48000]).max(), rel=1e-3)
    assert np.abs(faded[-10:]).max() < 1e-3


@pytest.mark.film
def test_the_encoder_works_on_several_frames_at_once(upright: Reel, tmp_path: Path) -> None:
    # x264 writes its own settings into the stream as unregistered user data (Rec. ITU-T H.264, annex D)
    export(Timeline(upright), tmp_path / "reel.mp4")
    assert b"sliced_threads=0" in (tmp_path / "reel.mp4").read_bytes()


def test_work_ahead_comes_in_order_passes_on_failures_and_ends_when_left() -> None:
    def steps() -> Iterator[int]:
        yield from range(20)
        raise TempikError("steps.txt: no step 20.")

    taken = []
    with pytest.raises(TempikError, match="no step 20"), WorkAhead(steps(), 3, "steps") as ahead:
        for step in ahead:
            taken.append(step)
    assert taken == list(range(20))
    made: list[int] = []
    with WorkAhead((made.append(n) or n for n in range(1000)), 3, "left") as ahead:
        assert next(iter(ahead)) == 0
    assert len(made) < 20 and not any(t.name in ("left", "steps") for t in threading.enumerate())


def test_a_cancelled_export_leaves_nothing_and_the_old_file_alone(upright: Reel, tmp_path: Path) -> None:
    target = tmp_path / "o.mp4"
    target.write_bytes(b"yesterday's")
    stop = threading.Event()
    with pytest.raises(Cancelled):
        export(Timeline(upright), target, progress=lambda done, _: stop.set() if done > 20 else None, cancel=stop)
    assert target.read_bytes() == b"yesterday's"
    assert {p.name for p in tmp_path.iterdir() if p.is_file()} == {"o.mp4", "n.mp4"}


def test_footage_that_vanishes_is_named_before_anything_is_written(upright: Reel, tmp_path: Path) -> None:
    (tmp_path / "n.mp4").unlink()
    with pytest.raises(TempikError, match=r"n\.mp4 is missing"):
        export(Timeline(upright), tmp_path / "o.mp4")
    assert not (tmp_path / "o.mp4").exists()


@pytest.mark.parametrize(
    ("target", "sentence"),
    [("o.avi", "end it in .mp4"), ("none/o.mp4", "is not there"), ("n.mp4", "is a source of this reel")],
)
def test_a_target_that_does_not_serve_says_why(upright: Reel, tmp_path: Path, target: str, sentence: str) -> None:
    with pytest.raises(TempikError, match=sentence):
        export(Timeline(upright), tmp_path / target)


@pytest.mark.parametrize(
    ("number", "sentence"), [(13, "no permission"), (28, "no space is left"), (30, "no permission")]
)
def test_a_disk_that_refuses_gets_one_sentence(
    upright: Reel, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, number: int, sentence: str
) -> None:
    import os

    def refuse(*_: object) -> None:
        raise OSError(number, os.strerror(number))

    monkeypatch.setattr(sys.modules["tempik.render.export"], "write_film", refuse)
    with pytest.raises(TempikError, match=sentence):
        export(Timeline(upright), tmp_path / "o.mp4")
    assert [p.name for p in tmp_path.iterdir() if p.is_file()] == ["n.mp4"]


@pytest.mark.film
def test_a_gap_is_black_and_is_said(upright: Reel, tmp_path: Path) -> None:
    holed = msgspec.structs.replace(upright, clips=upright.clips[:1] + upright.clips[2:])
    (note,) = export(Timeline(holed), tmp_path / "o.mp4", ExportSettings(quality="draft")).notes
    assert "black" in note
    gap = gaps(Timeline(holed))[0]
    with FrameReader(str(tmp_path / "o.mp4")) as reader:
        assert reader.frame(gap[0] + 5).y.mean() < 18
