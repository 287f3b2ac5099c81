"""Footage of every odd kind is taken for what it is, converted sensibly and said, or refused in one clear sentence."""

import math
import os
import shutil
import threading
from collections.abc import Callable
from fractions import Fraction
from pathlib import Path

import av
import cv2
import numpy as np
import pytest
from msgspec.structs import replace

from media_files import numbered, write_sound, write_video
from tempik.edit.clips import place
from tempik.edit.clips.pieces import with_framing
from tempik.edit.footage import facts as message_of
from tempik.edit.footage.facts import footage_from, with_footage
from tempik.errors import TempikError
from tempik.media import FrameReader, index_frames, probe, study
from tempik.media.cache import cache_folder, clear_cache, make_room
from tempik.media.filmstrip import make_filmstrip
from tempik.media.inspecting import look_over, looked_before
from tempik.media.picture import REFERENCE_WHITE, Picture, shrunk, to_rgb
from tempik.media.proxy import make_proxy, proxy_longest, proxy_path, sound_proxy, worth_a_proxy
from tempik.project.file import load_reel, save_reel
from tempik.project.media_files import collect, found_in, missing_media, replaced_media
from tempik.reel import Footage, Framing, Position, Reel
from tempik.render import ExportSettings, PictureSource, export, plan
from tempik.timeline.framing import frame_matrix, standing
from tempik.timeline.timeline import Timeline
from test_cutting import made


def shown(reel: Reel, frame: int = 5, width: int = 180, height: int = 320) -> np.ndarray:
    with PictureSource() as source:
        return to_rgb(source.render(plan(Timeline(reel), frame, width, height, accents=False)))


def with_file(path: Path, frames: int = 60) -> Reel:
    reel = with_footage(replace(made(), clips=(), width=180, height=320), probe(str(path)))
    return place.with_clip_at(reel, reel.footage[-1].id, 0, frames=frames)


def test_a_still_is_a_clip_of_any_length(tmp_path: Path) -> None:
    image = np.zeros((900, 1600, 3), np.uint8)
    image[:, :800] = (40, 60, 200)
    cv2.imwrite(str(tmp_path / "Müller's “plan”.png"), image)
    reel = with_file(tmp_path / "Müller's “plan”.png", 300)
    placed = Timeline(reel).placed[0]
    assert placed.footage.kind == "still" and placed.frames == 300 and placed.short_after_s == 0
    assert abs(shown(reel, 299)[160, 20].astype(int) - [200, 60, 40]).max() < 12
    save_reel(reel, tmp_path / "r.tempik")
    assert load_reel(tmp_path / "r.tempik") == reel


def test_clear_parts_of_a_picture_show_what_lies_below(tmp_path: Path) -> None:
    image = np.zeros((320, 180, 4), np.uint8)
    image[:160] = (0, 0, 250, 255)
    image[160:, :90] = (0, 250, 0, 128)
    cv2.imwrite(str(tmp_path / "logo.png"), image)
    reel = with_file(tmp_path / "logo.png")
    assert reel.footage[-1].alpha
    reel = place.on_other_track(reel, [reel.clips[0].id], 1)
    reel = place.with_solid(reel, 0, 60, "#ffffff", track=0, insert=False)
    rgb = shown(reel).astype(int)
    assert abs(rgb[60, 90] - [250, 0, 0]).max() < 12, "solid part"
    assert rgb[250, 150].min() > 240, "clear part"
    assert abs(rgb[250, 40] - [127, 252, 127]).max() < 14, "half clear"


def test_an_8k_still_is_shown_within_memory_and_sharp(tmp_path: Path) -> None:
    image = np.full((4320, 7680, 3), 90, np.uint8)
    image[2000:2320, 3800:3880] = 255
    cv2.imwrite(str(tmp_path / "big.jpg"), image)
    reel = with_file(tmp_path / "big.jpg")
    assert reel.footage[-1].width == 7680 and shown(reel).max() > 240


def hdr(path: Path, trc: int, level: float) -> Path:
    """A grey ground of a code value 0 to 1 in BT.2020 with PQ or HLG, ten bits."""
    with av.open(str(path), "w") as out:
        stream = out.add_stream("libx265", rate=30, options={"preset": "ultrafast", "x265-params": "log-level=error"})
        stream.width, stream.height, stream.pix_fmt = 320, 180, "yuv420p10le"
        context = stream.codec_context
        context.color_trc, context.color_primaries, context.colorspace, context.color_range = trc, 9, 9, 1
        for number in range(12):
            frame = av.VideoFrame(320, 180, "yuv420p10le")
            for plane, value in zip(frame.planes, (64 + 876 * level, 512, 512), strict=True):
                rows = np.frombuffer(memoryview(plane), np.uint16)
                rows[:] = round(value)
            frame.pts, frame.time_base = number, Fraction(1, 30)
            out.mux(stream.encode(frame))
        out.mux(stream.encode(None))
    return path


def test_high_dynamic_range_is_brought_down_and_said(tmp_path: Path) -> None:
    # Rep. ITU-R BT.2408: diffuse white is 203 cd/m², 58 % of the PQ signal and 75 % of the HLG signal. It must come
    # out bright but not clipped; a fifth of its light (38 % PQ) at about the code value of a fifth: 0.2^(1/2.4) = 51 %.
    assert REFERENCE_WHITE == 203
    for trc, white in ((16, 0.58), (18, 0.75)):
        path = hdr(tmp_path / f"w{trc}.mp4", trc, white)
        assert "high dynamic range" in probe(str(path)).message
        value = float(shown(with_file(path)).mean())
        assert 200 < value < 250, (trc, value)
    # PQ code value of 40.6 cd/m², from ST 2084's equation.
    m1, m2, c1, c2, c3 = 0.1593017578125, 78.84375, 0.8359375, 18.8515625, 18.6875
    y = (203 * 0.2 / 10000) ** m1
    fifth = ((c1 + c2 * y) / (1 + c3 * y)) ** m2
    value = float(shown(with_file(hdr(tmp_path / "fifth.mp4", 16, fifth))).mean())
    assert value == pytest.approx(255 * 0.2 ** (1 / 2.4), abs=6)


@pytest.mark.parametrize(
    ("pixels", "message"), [("yuv420p10le", "10 bits"), ("yuv422p", "half its fineness"), ("yuv444p", "half its")]
)
def test_deep_and_fine_pixels_are_said(tmp_path: Path, pixels: str, message: str) -> None:
    path = write_video(tmp_path / "p.mp4", numbered(320, 180), 30, pixel_format=pixels)
    assert message in probe(str(path)).message
    assert shown(with_file(path), 10).std() > 10


def test_interlaced_lines_do_not_comb(tmp_path: Path) -> None:
    path = tmp_path / "i.mp4"
    with av.open(str(path), "w") as out:
        stream = out.add_stream("mpeg2video", rate=25, options={"flags": "+ilme+ildct", "qscale": "2"})
        stream.width, stream.height, stream.pix_fmt = 320, 240, "yuv420p"
        for number in range(20):
            image = np.full((240, 320, 3), 60, np.uint8)
            image[0::2, 40 + 8 * number : 80 + 8 * number] = 220  # the two fields are a fiftieth of a second apart
            image[1::2, 44 + 8 * number : 84 + 8 * number] = 220
            frame = av.VideoFrame.from_ndarray(image, "rgb24").reformat(format="yuv420p")
            frame.pts, frame.time_base = number, Fraction(1, 25)
            out.mux(stream.encode(frame))
        out.mux(stream.encode(None))
    facts = probe(str(path))
    if "interlaced" not in facts.message:
        pytest.skip("this build of the encoder does not mark its frames")
    luma = FrameReader(str(path)).frame(5).y.astype(int)
    assert np.abs(np.diff(luma[60:180], axis=0)).max() < 110, "without blending lines differ by 160"


@pytest.mark.slow
def test_a_proxy_has_the_same_frames_and_is_never_exported(tmp_path: Path) -> None:
    stamps = [0, 33, 67, 100, 180, 213, 247, 300, 333, 366, 400, 500, 533, 567, 600, 633]
    path = write_video(tmp_path / "vfr.mp4", numbered(1280, 720), 16, stamps_ms=stamps, gop=16)
    index = index_frames(str(path))
    assert worth_a_proxy(1280, 720, index) and not worth_a_proxy(320, 180, index)
    proxy = str(make_proxy(str(path)))
    theirs = index_frames(proxy)
    assert np.allclose(theirs.times_s, index.times_s) and len(theirs.keys) == len(theirs.pts), (
        "every frame stands alone"
    )
    reel = replace(with_file(path, 15), rate=Fraction(30), soundtrack=None)
    timeline = Timeline(reel)
    asked: list[str] = []

    def stands(name: str) -> str:
        asked.append(name)
        return proxy

    with PictureSource(proxy=stands) as small, PictureSource() as whole:
        for frame in (14, 3, 9, 0):
            a, b = (
                to_rgb(s.render(plan(timeline, frame, 180, 320, accents=False))).astype(int) for s in (small, whole)
            )
            assert np.abs(a - b).mean() < 6
    count = len(asked)
    export(timeline, tmp_path / "o.mp4", ExportSettings((90, 160), "draft"))
    assert len(asked) == count
    # The same contents elsewhere have the same proxy; clearing removes it.
    shutil.copy(path, tmp_path / "renamed.mp4")
    assert proxy_path(str(tmp_path / "renamed.mp4")) == Path(proxy)
    assert clear_cache() > 0 and not Path(proxy).exists()


def test_proxies_are_bounded_cancelled_and_say_when_the_disk_is_full(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    path = write_video(tmp_path / "a.mp4", numbered(1280, 720), 40, gop=40)

    class Enough(Exception):
        pass

    def stop(share: float) -> None:
        raise Enough

    with pytest.raises(Enough):
        make_proxy(str(path), stop)
    assert not list((cache_folder() / "proxies").glob("*"))
    folder = cache_folder() / "proxies"
    for number in range(4):
        (folder / f"{number}.mp4").write_bytes(bytes(100))
        os.utime(folder / f"{number}.mp4", (number, number))
    make_room(folder, 250)
    assert sorted(p.name for p in folder.glob("*")) == ["2.mp4", "3.mp4"], "the longest unused go first"

    def full(*_: object, **__: object) -> None:
        raise OSError(28, "No space left on device")

    monkeypatch.setattr("tempik.media.proxy.ProxyWriter.take", full)
    with pytest.raises(TempikError, match=r"No space left.*can be used all the same"):
        make_proxy(str(path))


def test_24_in_30_is_found_and_left_out_evenly(tmp_path: Path) -> None:
    draw = numbered(320, 180)
    path = write_video(tmp_path / "p.mp4", lambda n: draw(n - n // 5 - (n % 5 == 4)), 150, 30)
    found = study(str(path)).cadence
    assert found.regular and found.distinct_rate == pytest.approx(24, abs=0.5) and len(found.numbers) >= 28
    piece = footage_from(probe(str(path)), set())
    reel = replace(made(), footage=(piece,), clips=(), rate=Fraction(24), width=320, height=180)
    reel = message_of.with_around(reel, piece.id, True, found.numbers)
    assert float(reel.footage[0].true_rate) == pytest.approx(24, abs=0.3)
    reel = place.with_clip_at(reel, piece.id, 0, frames=100)
    numbers = []
    from media_files import number_in

    with PictureSource() as source:
        for frame in range(90):
            numbers.append(number_in(source.render(plan(Timeline(reel), frame, 320, 180, accents=False)).y))
    steps = np.diff(numbers)
    assert (steps == 1).mean() > 0.95, "on a reel of 24 every frame is another, none is left out"


@pytest.mark.parametrize("times", [3, 4])
def test_a_slow_camera_in_a_fast_file_is_found_and_its_frames_are_shown_once(tmp_path: Path, times: int) -> None:
    draw = numbered(320, 180)
    found = study(str(write_video(tmp_path / "p.mp4", lambda n: draw(n // times), 180, 60))).cadence
    assert found.pattern == f"{times - 1} in {times}" and found.regular
    assert found.distinct_rate == pytest.approx(60 / times, abs=1) and {n % times for n in found.numbers} == {
        *range(1, times)
    }


@pytest.mark.film
@pytest.mark.parametrize("turn_s", [1.0, 1.43, 2.2])
def test_what_swings_stands_still_where_it_turns_and_repeats_no_frame(tmp_path: Path, turn_s: float) -> None:
    def film(name: str, source: Callable[[int], int]) -> Path:
        def draw(n: int) -> np.ndarray:
            picture = ground.copy()
            x = round(160 + 90 * math.sin(2 * math.pi * source(n) / 30 / turn_s))
            cv2.circle(picture, (x, 90), 17, (230, 230, 230), -1, cv2.LINE_AA)
            return picture

        return write_video(tmp_path / name, draw, 120, 30)

    ground = np.kron(np.random.default_rng(8).integers(20, 120, (23, 40, 1)), np.ones((8, 8, 3))).astype(np.uint8)[:180]
    found = study(str(film("swing.mp4", lambda n: n))).cadence
    assert found.repeated == 0 and found.pattern == "none"
    found = study(str(film("padded.mp4", lambda n: n - n // 5 - (n % 5 == 4)))).cadence
    assert found.pattern == "one in 5" and found.repeated >= 16
    assert {number % 5 for number in found.numbers} == {4}
    found = study(str(film("held.mp4", lambda n: n // 4 * 4))).cadence
    assert found.pattern == "3 in 4" and found.repeated >= 75 and {number % 4 for number in found.numbers} == {1, 2, 3}


def test_a_stall_is_found_with_its_place(tmp_path: Path) -> None:
    draw = numbered(320, 180)
    path = write_video(tmp_path / "s.mp4", lambda n: draw(n if n < 40 else 40 if n < 52 else n), 90, 30)
    stalls = study(str(path)).cadence.stalls
    assert len(stalls) == 1 and stalls[0].frames == 11 and stalls[0].time_s == pytest.approx(41 / 30, abs=0.04)


def test_a_picture_that_comes_to_rest_is_no_stall(tmp_path: Path) -> None:
    draw = numbered(320, 180)
    path = write_video(tmp_path / "s.mp4", lambda n: draw(min(max(n, 20), 50)), 90, 30)
    found = study(str(path)).cadence
    assert not found.stalls and not found.repeated


def test_timestamps_in_milliseconds_do_not_hide_a_true_rate(tmp_path: Path) -> None:
    # Matroska keeps whole milliseconds: 30 frames/s is 33, 33, 34 ms, whose median says 30.3.
    path = write_video(tmp_path / "a.mkv", numbered(320, 180), 90, 30)
    data = path.read_bytes()
    path.write_bytes(data[: len(data) * 7 // 10])
    assert probe(str(path)).rate == 30


@pytest.mark.parametrize(
    ("footage", "reel", "even"),
    [("24", "30", 125), ("25", "30", 120), ("50", "30", 120), ("30", "30", None), ("60", "30", None), ("120", "24", None),
     ("15", "30", None), ("30000/1001", "30", None)],
)  # fmt: skip
def test_rates_that_repeat_unevenly_are_warned_of(footage: str, reel: str, even: int | None) -> None:
    # 24 in 30 shows every fourth frame twice (3:2 pattern's cause, common practice); whole multiples do not.
    piece = Footage("f1", "/a.mp4", 1920, 1080, Fraction(footage), 10.0)
    message = message_of.uneven(piece, Fraction(reel))
    assert (f"at {even} %" in message) if even else not message


def test_moved_files_are_found_by_name_size_and_contents(tmp_path: Path) -> None:
    (tmp_path / "old").mkdir()
    (tmp_path / "new" / "deeper").mkdir(parents=True)
    a = write_video(tmp_path / "old" / "a.mp4", numbered(320, 180), 20)
    b = write_video(tmp_path / "old" / "b.mp4", numbered(320, 180), 31)
    reel = with_footage(with_footage(replace(made(), clips=(), footage=()), probe(str(a))), probe(str(b)))
    reel = replace(reel, soundtrack=None)
    shutil.move(a, tmp_path / "new" / "deeper" / "a.mp4")
    shutil.move(b, tmp_path / "new" / "renamed by someone.mp4")
    (tmp_path / "new" / "b.mp4").write_bytes(b"another file of that name")
    assert len(missing_media(reel)) == 2
    found = found_in(reel, tmp_path / "new")
    assert [Path(f.path).name for f in found.footage] == ["a.mp4", "renamed by someone.mp4"] and not missing_media(
        found
    )
    Path(found.footage[0].path).write_bytes(b"replaced")
    assert replaced_media(found) == [found.footage[0].path]


def test_media_are_collected_beside_the_project_under_names_of_their_own(tmp_path: Path, media: Path) -> None:
    (tmp_path / "x").mkdir()
    (tmp_path / "y").mkdir()
    a = write_video(tmp_path / "x" / "shot.mp4", numbered(320, 180), 20)
    b = write_video(tmp_path / "y" / "shot.mp4", numbered(320, 180), 31)
    song = write_sound(tmp_path / "x" / "song.wav", np.zeros(4800, np.float32))
    reel = with_footage(with_footage(replace(made(), clips=(), footage=()), probe(str(a))), probe(str(b)))
    assert reel.soundtrack is not None
    reel = replace(reel, soundtrack=replace(reel.soundtrack, path=str(song)))
    project = tmp_path / "open day.tempik"
    collected = collect(reel, project).reel
    folder = tmp_path / "open day media"
    assert sorted(p.name for p in folder.iterdir()) == ["shot 2.mp4", "shot.mp4", "song.wav"]
    assert not missing_media(collected) and collect(collected, project) == (collected, ())
    save_reel(collected, project)
    shutil.move(tmp_path / "open day.tempik", tmp_path / "y" / "open day.tempik")
    shutil.move(folder, tmp_path / "y" / "open day media")
    assert not missing_media(load_reel(tmp_path / "y" / "open day.tempik")), "the two travel together"
    os.unlink(a)
    with pytest.raises(TempikError, match="say where it is"):
        collect(reel, project)


@pytest.mark.parametrize("fit", ["cover", "contain", "stretch"])
def test_each_fit_places_the_picture_as_it_says(fit: str) -> None:
    piece = Footage("f1", "/a.mp4", 1920, 1080, Fraction(30), 10.0)
    corners = frame_matrix(Framing(fit=fit), piece, 1080, 1920) @ np.array([[0, 1], [0, 1], [1, 1.0]])  # type: ignore[arg-type]
    wide, height_px = corners[:2, 1] - corners[:2, 0]
    expected = {"cover": (1920 * 1920 / 1080, 1920), "contain": (1080, 1080 * 1080 / 1920), "stretch": (1080, 1920)}[
        fit
    ]
    assert (wide, height_px) == pytest.approx(expected) and corners[0, 0] + corners[0, 1] == pytest.approx(1080)


def test_a_push_goes_evenly_in_ratio_and_a_crop_shows_what_is_below(tmp_path: Path) -> None:
    piece = Footage("f1", "/a.mp4", 1080, 1920, Fraction(30), 10.0)
    push = Framing(start=Position(), end=Position(zoom=4.0, x=0.25, turn_deg=90), ease="even")
    middle = frame_matrix(standing(push, 0.5), piece, 1080, 1920)
    assert np.hypot(middle[0, 0], middle[1, 0]) == pytest.approx(1080 * 2)
    flipped = frame_matrix(Framing(flip_x=True), piece, 1080, 1920) @ [0.25, 0.5, 1]
    assert flipped[:2] == pytest.approx([810, 960])
    path = write_video(tmp_path / "w.mp4", lambda n: np.full((320, 180, 3), 250, np.uint8), 30)
    reel = with_file(path)
    reel = with_framing(reel, [reel.clips[0].id], Framing(crop=(0.5, 0.0, 0.0, 0.25)))
    rgb = shown(reel).astype(int)
    assert rgb[100, 140].min() > 230 and rgb[100, 40].max() < 20 and rgb[300, 140].max() < 20


def test_sound_alone_no_frames_and_no_file_are_refused_in_a_sentence(tmp_path: Path, media: Path) -> None:
    song = probe(str(media / "song.wav"))
    with pytest.raises(TempikError, match="only sound"):
        footage_from(song, set())
    (tmp_path / "empty.mp4").write_bytes(b"")
    with pytest.raises(TempikError, match="is empty"):
        probe(str(tmp_path / "empty.mp4"))
    whole = (media / "a.mp4").read_bytes()
    (tmp_path / "cut.mp4").write_bytes(whole[: len(whole) // 3])
    with pytest.raises(TempikError, match="cut off"):
        probe(str(tmp_path / "cut.mp4"))


def test_footage_removed_or_replaced_while_it_is_read(tmp_path: Path) -> None:
    path = write_video(tmp_path / "a.mp4", lambda n: np.full((320, 180, 3), 200, np.uint8), 30)
    reel = with_file(path)
    timeline = Timeline(reel)
    with PictureSource() as source:
        bright = source.render(plan(timeline, 5, 180, 320, accents=False)).y.mean()
        write_video(tmp_path / "b.mp4", lambda n: np.full((320, 180, 3), 40, np.uint8), 30)
        os.replace(tmp_path / "b.mp4", path)
        dark = source.render(plan(timeline, 6, 180, 320, accents=False)).y.mean()
        assert bright > 150 > dark, "the new file is what is shown"
        os.unlink(path)
        with pytest.raises(TempikError, match="is not there"):
            source.render(plan(timeline, 7, 180, 320, accents=False))


def gliding(number: int) -> np.ndarray:
    """A texture that glides, halts at frame 45 and goes on the other way."""
    blots = np.random.default_rng(8).integers(60, 200, (15, 25, 3), dtype=np.uint8)
    at = 8 * min(number, 45) - 6 * max(0, number - 45)
    return cv2.resize(blots, (2000, 1200), interpolation=cv2.INTER_CUBIC)[200:920, at : at + 1280]


@pytest.mark.film
def test_one_look_finds_what_looks_of_their_own_find(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    path = str(write_video(tmp_path / "a.mp4", gliding, 90, gop=40, rotate=90))
    looked = look_over(path, 90, proxy=True)
    index = index_frames(path)
    alone = make_filmstrip(path, index, 90)
    assert np.array_equal(looked.filmstrip.times_s, alone.times_s)
    assert np.abs(looked.filmstrip.pictures.astype(int) - alone.pictures).mean() < 2.0
    proxy = proxy_path(path)
    assert sound_proxy(path, proxy) and list(index_frames(str(proxy)).times_s) == pytest.approx(list(index.times_s))
    size = probe(str(proxy)).width, probe(str(proxy)).height
    proxy.unlink()
    by_itself = probe(str(make_proxy(path)))
    assert size == (by_itself.width, by_itself.height) == (960, 540)
    known = looked_before(path, 90)
    assert known is not None and known.study == looked.study
    assert np.abs(known.filmstrip.pictures.astype(int) - looked.filmstrip.pictures).mean() < 3.0
    assert looked_before(path, 0) is None  # turned otherwise the strip is another
    before = study(path)  # what was kept serves the others
    assert before == looked.study
    monkeypatch.setenv("TEMPIK_CACHE", str(tmp_path / "other"))
    again = study(path)
    assert again.cadence == before.cadence
    assert {c.time_s for c in again.cues[:3]} == {c.time_s for c in before.cues[:3]}
    assert again.course.motion == pytest.approx(before.course.motion, abs=0.02)


@pytest.mark.parametrize(
    ("width", "height", "wanted"),
    [
        (1920, 1080, (960, 540)),
        (1080, 1920, (540, 960)),
        (3840, 2160, (1280, 720)),
        (1280, 720, (960, 540)),
        (404, 720, (404, 720)),  # no larger than the file
        (1280, 535, (1280, 534)),  # and of even sides, which a whole picture need not have
        (853, 480, (852, 480)),
    ],
)
def test_a_proxy_is_small_but_not_so_small_that_the_preview_has_to_enlarge_it(
    width: int, height: int, wanted: tuple[int, int]
) -> None:
    planes = [np.zeros((-(-height // n), -(-width // n)), np.uint8) for n in (1, 2, 2)]
    picture = Picture(*planes)
    assert shrunk(picture, proxy_longest(picture)).size == wanted


def test_a_look_that_is_stopped_leaves_nothing_half_made(tmp_path: Path) -> None:
    path = str(write_video(tmp_path / "a.mp4", numbered(1280, 720), 60, gop=40))

    def stop(share: float) -> None:
        if share > 0.1:
            raise KeyError

    with pytest.raises(KeyError):
        look_over(path, 0, True, stop)
    assert looked_before(path, 0) is None and not list((cache_folder() / "proxies").glob("*"))
    assert not [t for t in threading.enumerate() if t.name == "Looking over"]


@pytest.mark.film
def test_a_look_ends_where_a_file_is_broken(tmp_path: Path) -> None:
    path = write_video(tmp_path / "a.mkv", numbered(1280, 720), 120, gop=30)
    whole = path.read_bytes()
    path.write_bytes(whole[: len(whole) // 2])
    looked = look_over(str(path), 0, True)
    assert 20 < len(looked.filmstrip.times_s) < 110 and 5 < len(looked.study.course.motion) < 15
    assert sound_proxy(str(path), proxy_path(str(path)))
