"""Every format: written whole, read back by others' libraries, on its points, within its limit, with its clear parts."""

import sys
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
import pyloudnorm
import pytest
import soundfile
from msgspec.structs import replace
from PIL import Image

from tempik.check import check_rendered
from tempik.errors import TempikError
from tempik.formats import FORMATS, Format, format_named, format_of, formats_list, named_for
from tempik.media.picture import to_rgb
from tempik.reel import Framing, Position, Reel
from tempik.reel.sound import MASTERED
from tempik.render import ExportSettings, PictureSource, export, plan
from tempik.render import encoding as encoders
from tempik.render.export import MB
from tempik.timeline.timeline import Timeline

exporting = sys.modules["tempik.render.export"]  # the package has a function of that name
FILMS = [kind for kind in FORMATS if kind.kind == "film"]
SOUNDING = [kind for kind in FILMS if not kind.silent]
# What the standards' own names of the codecs are, as FFmpeg tells them from the file.
CODECS = {
    "h264": "h264", "hevc": "hevc", "av1": "libdav1d", "vp9": "vp9", "prores422": "prores", "prores4444": "prores",
    "webp": "webp", "gif": "gif",
}  # fmt: skip
PART = (0.9, 2.6)  # seconds of the reel: its cut at 2.5 s and two beats


def target(folder: Path, kind: Format) -> Path:
    return folder / f"o{kind.suffixes[0]}"


@pytest.mark.film
@pytest.mark.parametrize("kind", SOUNDING, ids=lambda kind: kind.key)
def test_a_part_of_the_reel_lands_on_its_points_in_every_film_with_sound(
    reel: Reel, kind: Format, tmp_path: Path
) -> None:
    timeline = Timeline(reel)
    path = target(tmp_path, kind)
    done = export(timeline, path, ExportSettings(format=kind.key, quality="draft", part=PART))
    with av.open(str(path)) as read:
        assert read.streams.video[0].codec_context.name in (CODECS[kind.key], kind.key)
        assert sum(1 for _ in read.decode(video=0)) == 51
    report = check_rendered(timeline, path, PART)
    measured = [e for e in report.events if e.measured_ms is not None and e.tied]
    assert done.encoder == kind.video and done.size_bytes == path.stat().st_size
    assert report.ok and len(measured) >= 4, [e for e in report.events if not e.ok]
    assert report.sound_offset_ms == pytest.approx(0, abs=0.5)


@pytest.mark.parametrize("kind", FILMS, ids=lambda kind: kind.key)
def test_pictures_are_the_reels_own_in_every_film(reel: Reel, kind: Format, tmp_path: Path) -> None:
    timeline = Timeline(reel)
    path = target(tmp_path, kind)
    export(timeline, path, ExportSettings(format=kind.key, quality="high", part=(1.0, 1.4)))
    with PictureSource() as source:
        meant = [to_rgb(source.render(plan(timeline, n, 180, 320))) for n in range(30, 42)]
    if kind.key == "webp":
        read = Image.open(path)
        shown = []
        for n in range(read.n_frames):  # type: ignore[attr-defined]
            read.seek(n)
            shown.append(np.asarray(read.convert("RGB")))
    else:
        with av.open(str(path)) as film:
            shown = [to_rgb_of(frame) for frame in film.decode(video=0)]
    assert len(shown) == len(meant)
    worst = max(float(np.abs(a.astype(int) - b.astype(int)).mean()) for a, b in zip(shown, meant, strict=True))
    assert worst < (9 if kind.key == "gif" else 6), worst


def to_rgb_of(frame: av.VideoFrame) -> np.ndarray:
    """A decoded frame by BT.709 where it says nothing else (Rec. ITU-R BT.709-6)."""
    if frame.format.is_rgb or frame.format.name in ("pal8", "bgra", "rgb24"):
        return frame.to_ndarray(format="rgb24")
    return frame.reformat(
        format="rgb24", src_colorspace=1, dst_colorspace=1, src_color_range=1, dst_color_range=2
    ).to_ndarray()


def test_a_gif_shows_each_frame_at_its_instant_to_a_hundredth(reel: Reel, tmp_path: Path) -> None:
    # GIF counts in hundredths of a second (GIF89a, 23. Graphic Control Extension).
    export(Timeline(reel), tmp_path / "o.gif", ExportSettings(part=(0.0, 1.0)))
    with av.open(str(tmp_path / "o.gif")) as film:
        times = [float(frame.pts * frame.time_base) for frame in film.decode(video=0)]
    assert len(times) == 30 and max(abs(t - n / 30) for n, t in enumerate(times)) <= 0.0051


def test_gif_and_webp_go_round_for_ever(reel: Reel, tmp_path: Path) -> None:
    for name in ("o.gif", "o.webp"):
        export(Timeline(reel), tmp_path / name, ExportSettings(part=(0.0, 0.3)))
        assert Image.open(tmp_path / name).info["loop"] == 0


def test_hevc_has_the_mark_by_which_players_know_it(reel: Reel, tmp_path: Path) -> None:
    # ISO/IEC 14496-15: `hvc1`, parameter sets in the sample entry alone.
    export(Timeline(reel), tmp_path / "o.mp4", ExportSettings(format="hevc", quality="draft", part=(0.0, 0.5)))
    with av.open(str(tmp_path / "o.mp4")) as film:
        assert film.streams.video[0].codec_context.codec_tag == "hvc1"


@pytest.mark.film
@pytest.mark.parametrize("key", ["h264", "hevc", "av1", "vp9"])
def test_a_limit_of_size_is_kept_and_used(reel: Reel, key: str, tmp_path: Path) -> None:
    kind = format_named(key)
    path = target(tmp_path, kind)
    export(Timeline(reel), path, ExportSettings((360, 640), format=key, limit_mb=0.25, part=(0.0, 4.0)))
    assert 0.08 * MB < path.stat().st_size <= 0.25 * MB


@pytest.mark.film
def test_a_limit_that_is_missed_at_first_is_kept_by_another_attempt(
    reel: Reel, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    aims: list[float] = []
    share_out = exporting._share_out

    def too_much(limit: float, *rest: object) -> tuple[int, int | None]:
        aims.append(limit)
        bits, sound = share_out(limit, *rest)  # type: ignore[arg-type]
        return bits * 2, sound

    monkeypatch.setattr(exporting, "_share_out", too_much)
    done = export(Timeline(reel), tmp_path / "o.mp4", ExportSettings((360, 640), limit_mb=0.25, part=(0.0, 4.0)))
    assert len(aims) > 1 and aims[1] < aims[0] and done.size_bytes <= 0.25 * MB


def test_a_limit_that_cannot_be_kept_is_said_before_anything_is_written(reel: Reel, tmp_path: Path) -> None:
    with pytest.raises(TempikError, match=r"need .* MB in H\.264 .* raise the limit"):
        export(Timeline(reel), tmp_path / "o.mp4", ExportSettings((1080, 1920), limit_mb=0.1))
    with pytest.raises(TempikError, match=r"ProRes 422 cannot be told a size"):
        export(Timeline(reel), tmp_path / "o.mov", ExportSettings(format="prores422", limit_mb=50))
    assert not list(tmp_path.iterdir())


def overlay(reel: Reel) -> Reel:
    """The reel with its picture at half the size, nothing around it."""
    small = Framing(start=Position(zoom=0.5))
    return replace(reel, clips=tuple(replace(c, framing=small) for c in reel.clips), accent_lanes=())


def test_prores_4444_keeps_clear_what_no_picture_covers(reel: Reel, tmp_path: Path) -> None:
    timeline = Timeline(overlay(reel))
    export(timeline, tmp_path / "o.mov", ExportSettings(format="prores4444", clear=True, part=(0.0, 0.2)))
    with av.open(str(tmp_path / "o.mov")) as film:
        frame = next(film.decode(video=0))
    assert frame.format.name.startswith("yuva444p")
    alpha = frame.reformat(format="rgba").to_ndarray()[..., 3]
    assert alpha[160, 90] == 255 and alpha[20, 90] == 0
    export(timeline, tmp_path / "p.mov", ExportSettings(format="prores4444", part=(0.0, 0.2)))
    with av.open(str(tmp_path / "p.mov")) as film:
        assert not next(film.decode(video=0)).format.name.startswith("yuva")


def test_clear_parts_go_into_webp_and_png_and_out_where_they_are_not_wished(reel: Reel, tmp_path: Path) -> None:
    timeline = Timeline(overlay(reel))
    for name, settings in (
        ("o.webp", ExportSettings(clear=True, part=(0.0, 0.2))),
        ("o.png", ExportSettings(clear=True, at_s=0.1)),
    ):
        export(timeline, tmp_path / name, settings)
        alpha = np.asarray(Image.open(tmp_path / name).convert("RGBA"))[..., 3]
        assert alpha[160, 90] == 255 and alpha[20, 90] == 0, name
    export(timeline, tmp_path / "plain.png", ExportSettings(at_s=0.1))
    assert np.asarray(Image.open(tmp_path / "plain.png").convert("RGBA"))[..., 3].min() == 255


def test_png_frames_lose_nothing_and_come_whole_or_not_at_all(reel: Reel, tmp_path: Path) -> None:
    timeline = Timeline(reel)
    done = export(timeline, tmp_path / "frames", ExportSettings(format="png", part=(1.0, 1.2)))
    names = sorted(p.name for p in (tmp_path / "frames").iterdir())
    assert names == [f"frames_{n:05d}.png" for n in range(6)]
    with PictureSource() as source:
        meant = to_rgb(source.render(plan(timeline, 33, 180, 320)))
    assert np.array_equal(np.asarray(Image.open(tmp_path / "frames" / names[3])), meant)
    assert done.size_bytes == sum(p.stat().st_size for p in (tmp_path / "frames").iterdir())
    with pytest.raises(TempikError, match="is a folder"):
        export(timeline, tmp_path / "frames", ExportSettings(format="png", part=(1.0, 1.2)))
    assert len(list((tmp_path / "frames").iterdir())) == 6


def test_frames_that_are_cancelled_leave_no_folder(reel: Reel, tmp_path: Path) -> None:
    import threading

    stop = threading.Event()
    with pytest.raises(exporting.Cancelled):
        export(
            Timeline(reel),
            tmp_path / "f",
            ExportSettings(format="png"),
            lambda done, _: stop.set() if done > 3 else None,
            stop,
        )
    assert not list(tmp_path.iterdir())


def test_a_poster_is_the_frame_that_was_meant(reel: Reel, tmp_path: Path) -> None:
    timeline = Timeline(reel)
    export(timeline, tmp_path / "p.png", ExportSettings(at_s=2.0))
    with PictureSource() as source:
        assert np.array_equal(
            np.asarray(Image.open(tmp_path / "p.png")), to_rgb(source.render(plan(timeline, 60, 180, 320)))
        )
    export(timeline, tmp_path / "p.jpg", ExportSettings((90, 160), "high", at_s=2.0))
    assert Image.open(tmp_path / "p.jpg").size == (90, 160)


def test_sound_alone_is_the_sound_of_the_part_to_the_sample(reel: Reel, tmp_path: Path) -> None:
    timeline = Timeline(reel)
    export(timeline, tmp_path / "all.wav")
    done = export(timeline, tmp_path / "part.flac", ExportSettings(part=(1.0, 3.0), reel_level=True))
    whole, rate = soundfile.read(tmp_path / "all.wav")
    part, _ = soundfile.read(tmp_path / "part.flac")
    assert rate == 48000 and len(whole) == 480_000 and len(part) == 96_000 and done.loudness is not None
    assert np.array_equal(part, whole[48_000 : 3 * 48_000])
    assert soundfile.info(tmp_path / "all.wav").subtype == "PCM_24"


def test_a_part_is_as_loud_by_itself_as_reels_are(reel: Reel, tmp_path: Path) -> None:
    """Parts of a reel came out at -17 to -23 LUFS. Measured by a library of others (ITU-R BS.1770-4)."""
    assert reel.soundtrack is not None
    quiet = replace(reel, soundtrack=replace(reel.soundtrack, fade_in_s=4.0), mix=replace(MASTERED, loudness=-26.0))
    export(Timeline(quiet), tmp_path / "part.wav", ExportSettings(part=(0.5, 3.0)))
    export(Timeline(quiet), tmp_path / "as.wav", ExportSettings(part=(0.5, 3.0), reel_level=True))
    loud, soft = (
        pyloudnorm.Meter(48000).integrated_loudness(soundfile.read(tmp_path / name)[0])
        for name in ("part.wav", "as.wav")
    )
    assert loud == pytest.approx(-26.0, abs=0.3) and soft < loud - 2


# Encoders on a graphics chip: none is here, so one of the processor's stands in for it.


def test_a_chip_that_does_not_start_is_said_and_software_writes(reel: Reel, tmp_path: Path) -> None:
    if encoders.starts("h264_nvenc", (180, 320)) or encoders.starts("h264_qsv", (180, 320)):
        pytest.skip("a graphics chip encodes here")
    done = export(Timeline(reel), tmp_path / "o.mp4", ExportSettings(hardware=True, part=(0.0, 0.4), quality="draft"))
    assert done.encoder == "libx264" and "No encoder on a graphics chip starts here" in done.notes[0]


def stands_in(monkeypatch: pytest.MonkeyPatch, name: str) -> None:
    """Let an encoder of the processor be taken for one of a chip."""
    made = encoders.Encoder(name, {}, "yuv420p", 400_000, True)
    monkeypatch.setattr(exporting, "hardware", lambda *_: made)


@pytest.mark.slow
def test_a_chip_that_starts_writes_the_film(reel: Reel, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    stands_in(monkeypatch, "mpeg4")
    done = export(Timeline(reel), tmp_path / "o.mp4", ExportSettings(hardware=True, part=PART))
    assert done.encoder == "mpeg4" and check_rendered(Timeline(reel), tmp_path / "o.mp4", PART).ok


@pytest.mark.film
def test_a_chip_that_gives_up_on_the_way_is_followed_by_software(
    reel: Reel, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    stands_in(monkeypatch, "mpeg4")
    write = exporting.write_film
    tried: list[str] = []

    def fails_midway(path: Path, container, film, progress, cancel) -> None:  # type: ignore[no-untyped-def]
        tried.append(film.encoder.name)
        if film.encoder.hardware:
            path.write_bytes(b"half a film")
            raise exporting.EncoderFailed from av.error.FFmpegError(5, "it stopped")
        write(path, container, film, progress, cancel)

    monkeypatch.setattr(exporting, "write_film", fails_midway)
    done = export(Timeline(reel), tmp_path / "o.mp4", ExportSettings(hardware=True, part=PART, quality="draft"))
    assert tried == ["mpeg4", "libx264"] and done.encoder == "libx264"
    assert "gave up on the way" in done.notes[0] and check_rendered(Timeline(reel), tmp_path / "o.mp4", PART).ok


def test_each_encoder_is_tried_by_really_encoding() -> None:
    assert encoders.starts("libx264", (128, 128)) == "yuv420p" and encoders.starts("no_such_encoder", (128, 128)) == ""


# What does not fit


def test_what_a_format_cannot_have_is_said(reel: Reel, tmp_path: Path) -> None:
    fast = Timeline(replace(reel, rate=Fraction(60)))
    with pytest.raises(TempikError, match="GIF shows at most 50 frames a second"):
        export(fast, tmp_path / "o.gif")
    with pytest.raises(TempikError, match="begins at 64 pixels"):
        export(Timeline(reel), tmp_path / "o.mp4", ExportSettings((32, 48), format="hevc"))
    with pytest.raises(TempikError, match=r"is no name for ProRes 422; end it in \.mov"):
        export(Timeline(reel), tmp_path / "o.mp4", ExportSettings(format="prores422"))
    with pytest.raises(TempikError, match="choose a part of it that has a frame"):
        export(Timeline(reel), tmp_path / "o.mp4", ExportSettings(part=(90.0, 99.0)))
    with pytest.raises(TempikError, match="There is no format 'mpeg9'"):
        format_of(tmp_path / "o.mp4", "mpeg9")
    assert not list(tmp_path.iterdir())


def test_a_name_gets_the_ending_of_its_format() -> None:
    h264, prores, png = format_named("h264"), format_named("prores422"), format_named("png")
    assert named_for(Path("/a/b.mov"), h264) == Path("/a/b.mov")
    assert named_for(Path("/a/b.mp4"), prores) == Path("/a/b.mov")
    assert named_for(Path("/a/v1.2 final"), h264) == Path("/a/v1.2 final.mp4")
    assert named_for(Path("/a/b.mp4"), png) == Path("/a/b")


def test_every_row_of_the_table_is_whole() -> None:
    assert len({kind.key for kind in FORMATS}) == len(FORMATS)
    for kind in FORMATS:
        assert kind.purpose.endswith(".") and list(kind.qualities) == ["draft", "standard", "high"]
        if kind.kind == "film":
            assert kind.video and kind.pixels and av.codec.Codec(kind.video, "w").name == kind.video
        assert kind.limited is None or 0 < kind.fewest < 0.1


def test_the_page_on_formats_is_the_codes() -> None:
    page = (Path(__file__).parent.parent / "docs" / "formats.md").read_text()
    assert formats_list() in page, "run ./run shots"


@pytest.mark.film
def test_a_folder_that_vanishes_on_the_way_is_said(reel: Reel, tmp_path: Path) -> None:
    import shutil

    folder = tmp_path / "stick"
    folder.mkdir()

    def pulled_out(done: int, _: int) -> None:
        if done == 10:
            shutil.rmtree(folder)

    with pytest.raises(TempikError, match="its folder has gone"):
        export(Timeline(reel), folder / "o.mp4", ExportSettings(quality="draft"), pulled_out)
    with pytest.raises(TempikError, match="is not there; choose another place"):
        export(Timeline(reel), folder / "o.mp4", ExportSettings(quality="draft"))
