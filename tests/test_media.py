"""Source files: their true facts, and the exact frame at every source instant."""

from fractions import Fraction
from pathlib import Path

import av
import cv2
import numpy as np
import pytest

from media_files import SOUND_RATE, beat_song, number_in, numbered, write_sound, write_video
from tempik.errors import TempikError
from tempik.media import FrameReader, decode_sound, index_frames, probe, resampled
from tempik.media.filmstrip import make_filmstrip
from tempik.media.picture import Picture, shrunk, solid, to_rgb
from tempik.media.probe import cadence
from tempik.media.waveform import waveform


@pytest.mark.parametrize(
    "rate", [24, 25, 30, 60, 120, Fraction(24000, 1001), Fraction(30000, 1001), Fraction(60000, 1001)]
)
def test_the_true_rate_is_the_exact_fraction(tmp_path: Path, rate: Fraction) -> None:
    facts = probe(str(write_video(tmp_path / "v.mp4", numbered(96, 64, 8), 40, rate)))
    assert facts.rate == rate
    assert not facts.variable_rate
    assert facts.length_s == pytest.approx(40 / float(rate), abs=1e-3)


def test_a_varying_rate_goes_by_the_files_own_timestamps(tmp_path: Path) -> None:
    stamps = np.cumsum([0, *(20 if i % 2 else 60 for i in range(59))]).tolist()
    path = str(write_video(tmp_path / "v.mkv", numbered(192, 96), 60, 30, stamps_ms=stamps))
    assert probe(path).variable_rate
    with FrameReader(path) as reader:
        for number in (0, 1, 7, 30, 59):
            assert number_in(reader.at(stamps[number] / 1000).y) == number
            assert number_in(reader.at(stamps[number] / 1000 + 0.015).y) == number


@pytest.mark.parametrize(("turn", "clockwise"), [(0, 0), (90, 270), (180, 180), (270, 90)])
def test_rotation_is_honoured_in_the_size_shown(tmp_path: Path, turn: int, clockwise: int) -> None:
    facts = probe(str(write_video(tmp_path / "v.mp4", numbered(160, 96, 8), 5, rotate=turn)))
    assert facts.rotation_deg == clockwise
    assert (facts.width, facts.height) == ((160, 96) if turn % 180 == 0 else (96, 160))


def test_pixels_that_are_not_square_are_shown_at_their_true_width(tmp_path: Path) -> None:
    # 720×480 at 8:9 is shown 640 wide (SMPTE 125M's 4:3 raster).
    facts = probe(str(write_video(tmp_path / "v.mov", numbered(720, 480), 3, aspect=Fraction(8, 9))))
    assert (facts.width, facts.height) == (640, 480)


def test_footage_without_sound_says_so(media: Path) -> None:
    assert not probe(str(media / "a.mp4")).has_sound
    with pytest.raises(TempikError, match=r"a\.mp4 has no sound"):
        decode_sound(str(media / "a.mp4"))


def test_every_frame_is_found_forward_backward_and_jumping(media: Path) -> None:
    with FrameReader(str(media / "a.mp4"), cache_bytes=1 << 20) as reader:
        assert [number_in(reader.frame(k).y) for k in range(0, 150, 3)] == list(range(0, 150, 3))
        assert [number_in(reader.frame(k, backward=True).y) for k in range(149, -1, -1)] == list(range(149, -1, -1))
        for k in (100, 3, 149, 0, 75, 74, 76, 14, 15, 16):
            assert number_in(reader.frame(k).y) == k


def test_a_frame_is_on_screen_from_its_timestamp_to_the_next(media: Path) -> None:
    with FrameReader(str(media / "c.mp4")) as reader:
        step = 1001 / 30000
        assert number_in(reader.at(60 * step).y) == 60
        assert number_in(reader.at(60.9 * step).y) == 60
        assert number_in(reader.at(-1.0).y) == 0
        assert number_in(reader.at(99.0).y) == 119


def test_a_broken_tail_shows_the_last_frame_that_can_be_decoded(tmp_path: Path) -> None:
    whole = write_video(tmp_path / "v.mkv", numbered(320, 180), 90, gop=10)
    cut = tmp_path / "cut.mkv"
    cut.write_bytes(whole.read_bytes()[: int(whole.stat().st_size * 0.6)])
    facts = probe(str(cut))
    assert 1.0 < facts.length_s < 2.6
    with FrameReader(str(cut)) as reader:
        assert number_in(reader.at(0.5).y) == 15
        last = number_in(reader.at(60.0).y)
        assert 30 <= last < 90


@pytest.mark.parametrize(
    ("name", "content", "sentence"),
    [
        ("gone.mp4", None, "is not there"),
        ("empty.mp4", b"", "is empty"),
        ("text.mp4", b"not a film at all\n" * 40, "is not a media file"),
    ],
)
def test_what_is_no_media_file_gets_one_sentence(
    tmp_path: Path, name: str, content: bytes | None, sentence: str
) -> None:
    if content is not None:
        (tmp_path / name).write_bytes(content)
    with pytest.raises(TempikError, match=sentence) as caught:
        probe(str(tmp_path / name))
    assert name in str(caught.value) and str(caught.value).endswith(".")


def test_a_truncated_mp4_is_called_cut_off(tmp_path: Path, media: Path) -> None:
    data = (media / "a.mp4").read_bytes()
    (tmp_path / "half.mp4").write_bytes(data[: len(data) // 2])
    with pytest.raises(TempikError, match="cut off"):
        probe(str(tmp_path / "half.mp4"))


def test_a_file_of_ten_bits_or_other_chroma_is_shown_alike(tmp_path: Path) -> None:
    for pixel_format in ("yuv420p10le", "yuv444p", "yuv422p"):
        path = write_video(tmp_path / f"{pixel_format}.mp4", numbered(320, 180), 12, pixel_format=pixel_format)
        with FrameReader(str(path)) as reader:
            assert number_in(reader.frame(9).y) == 9


def test_colours_follow_rec_709() -> None:
    # Rec. ITU-R BT.709-6 in video range: Y 63 U 102 V 240 is full red, Y 235 U 128 V 128 is white.
    assert to_rgb(solid(4, 4, 63, 102, 240))[0, 0].tolist() == pytest.approx([255, 0, 0], abs=3)
    assert to_rgb(solid(4, 4, 235))[0, 0].tolist() == pytest.approx([255, 255, 255], abs=1)
    assert to_rgb(solid(4, 4, 16))[0, 0].tolist() == pytest.approx([0, 0, 0], abs=1)


def test_repeated_frames_are_counted_and_their_pattern_named(tmp_path: Path) -> None:
    shown = numbered(160, 96, 8)
    path = str(write_video(tmp_path / "v.mp4", lambda n: shown(n - n // 5 - 1 if n % 5 == 4 else n - n // 5), 100))
    found = cadence(path, index_frames(path))
    assert found.pattern == "one in 5"  # 24 frames a second in a file of 30
    assert found.distinct_rate == pytest.approx(24, abs=0.5)
    plain = str(write_video(tmp_path / "p.mp4", shown, 60))
    assert cadence(plain, index_frames(plain)).repeated == 0


def test_sound_begins_at_the_files_own_time_zero(tmp_path: Path) -> None:
    samples = np.zeros(SOUND_RATE * 2, np.float32)
    samples[SOUND_RATE] = 0.9
    wav = decode_sound(str(write_sound(tmp_path / "s.wav", samples)))
    assert int(np.abs(wav.samples[:, 0]).argmax()) == SOUND_RATE
    path = write_video(tmp_path / "v.mp4", numbered(96, 64, 8), 60, sound=samples)
    heard = decode_sound(str(path)).samples[:, 0]
    assert int(np.abs(heard).argmax()) == pytest.approx(SOUND_RATE, abs=4)  # AAC's own delay is taken out


def test_resampling_keeps_length_and_instant() -> None:
    samples, times = beat_song(120, 1)
    from tempik.media import Sound

    sound = Sound(samples[:, None], SOUND_RATE)
    other = resampled(sound, 44100)
    assert other.length_s == pytest.approx(sound.length_s, abs=1e-3)
    first = int(np.flatnonzero(np.abs(other.samples[:, 0]) > 0.1)[0]) / 44100
    assert first == pytest.approx(times[0], abs=1e-3)


def test_the_outline_shows_each_peak_where_it_is() -> None:
    from tempik.media import Sound

    samples = np.zeros((SOUND_RATE, 2), np.float32)
    samples[SOUND_RATE // 2] = 0.5
    outline = waveform(Sound(samples, SOUND_RATE))
    assert not outline.columns(-2.0, 0.0, 20).any(), "before a sound there is none"
    columns = outline.columns(0.0, 2.0, 20)
    assert columns.argmax() == 5 and columns.max() == 1.0
    assert columns[10:].max() == 0.0


def test_a_filmstrip_spans_the_file_and_shrinks_it(media: Path) -> None:
    path = str(media / "b.mp4")
    strip = make_filmstrip(path, index_frames(path), 0)
    assert strip.pictures.shape[1] <= 112
    assert strip.times_s[0] == 0.0 and strip.times_s[-1] > 3.9
    assert strip.nearest(2.0) == int(np.abs(strip.times_s - 2.0).argmin())
    turned = make_filmstrip(path, index_frames(path), 90)
    assert turned.pictures.shape[1:3] == strip.pictures.shape[1:3][::-1]
    assert isinstance(shrunk(solid(400, 200), 100), Picture)


def test_the_cover_picture_of_a_song_is_not_footage(tmp_path: Path) -> None:
    path = tmp_path / "song.m4a"
    samples, _ = beat_song(120, 2)
    with av.open(str(path), "w", format="mp4") as container:
        audio = container.add_stream("aac", rate=SOUND_RATE, layout="mono")
        block = av.AudioFrame.from_ndarray(samples[None, :], "fltp", "mono")
        block.sample_rate = SOUND_RATE
        container.mux(audio.encode(block))
        container.mux(audio.encode(None))
    facts = probe(str(path))
    assert facts.has_sound and not facts.has_picture


def test_a_sound_that_there_is_no_decoder_for_is_passed_over(tmp_path: Path) -> None:
    """Cameras write sounds of their own beside the usual one; such a file failed with an exception of ours."""
    samples = np.zeros(48000, np.float32)
    path = write_video(tmp_path / "a.mp4", numbered(96, 64), 20, sound=samples)
    data = path.read_bytes()
    assert data.count(b"mp4a") == 1
    made = bytearray(data.replace(b"mp4a", b"xxxx"))
    made[made.index(b"\x04\x80\x80\x80", made.index(b"esds")) + 5] = 0xFE  # ISO/IEC 14496-1: what the object is
    path.write_bytes(made)
    facts = probe(str(path))
    assert facts.has_picture and not facts.has_sound
    with pytest.raises(TempikError, match="has no sound"):
        decode_sound(str(path))
    video = write_video(tmp_path / "b.mp4", numbered(96, 64), 20)
    video.write_bytes(video.read_bytes().replace(b"avc1", b"xxxx"))
    with pytest.raises(TempikError, match="no decoder for"):
        probe(str(video))


@pytest.mark.parametrize("size", [(1280, 720), (540, 960), (1919, 1079), (397, 640), (135, 240)])
@pytest.mark.parametrize("longest", [112, 200, 333, 480, 960])
def test_a_picture_made_small_is_the_mean_of_what_it_covers_and_stays_in_its_place(
    size: tuple[int, int], longest: int
) -> None:
    wide, height_px = size
    blots = np.random.default_rng(5).integers(40, 220, (9, 7), dtype=np.uint8)
    plane = np.asarray(cv2.resize(blots, size, interpolation=cv2.INTER_CUBIC), np.uint8)
    small = shrunk(Picture(plane, plane[: height_px // 2, : wide // 2], plane[: height_px // 2, : wide // 2]), longest)
    # OpenCV's own mean over areas: exact, and far slower.
    meant = cv2.resize(plane, small.size, interpolation=cv2.INTER_AREA).astype(int)
    assert np.abs(small.y.astype(int) - meant).mean() < 0.6
    assert np.abs(small.y.astype(int) - meant).max() < 8
