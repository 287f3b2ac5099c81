"""Pictures with clear parts, still and animated, of every kind: PNG, JPEG, WebP, GIF, SVG, seen over what lies below."""

import gzip
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
from PIL import Image, ImageDraw

from tempik.edit.clips import place
from tempik.edit.footage.facts import with_footage
from tempik.errors import TempikError
from tempik.media import FrameReader, probe
from tempik.media.picture import to_rgb
from tempik.reel import Reel
from tempik.render import PictureSource, plan
from tempik.timeline.timeline import Timeline

SVG = '<svg xmlns="http://www.w3.org/2000/svg" xmlns:xlink="http://www.w3.org/1999/xlink" width="60" height="100">{}</svg>'
DOT = '<circle cx="30" cy="50" r="20" fill="#ff5028"/>'


def dot(number: int) -> Image.Image:
    picture = Image.new("RGBA", (60, 100), (0, 0, 0, 0))
    ImageDraw.Draw(picture).ellipse((10 + number, 30, 50 + number, 70), fill=(255, 80, 40, 255))
    return picture


def still(path: Path) -> None:
    dot(0).save(path, lossless=True) if path.suffix == ".webp" else dot(0).save(path)


def animated(path: Path) -> None:
    options = {"lossless": True} if path.suffix == ".webp" else {"disposal": 2} if path.suffix == ".gif" else {}
    frames = [dot(n) for n in range(0, 10, 2)]
    frames[0].save(path, save_all=True, append_images=frames[1:], duration=100, loop=0, **options)


def drawn(path: Path) -> None:
    text = SVG.format(DOT)
    path.write_bytes(gzip.compress(text.encode()) if path.suffix == ".svgz" else text.encode())


@pytest.mark.parametrize(
    ("name", "make", "frames"),
    [("a.png", still, 1), ("a.webp", still, 1), ("m.webp", animated, 5), ("m.gif", animated, 5), ("m.png", animated, 5),
     ("a.svg", drawn, 1), ("a.svgz", drawn, 1)],
)  # fmt: skip
def test_clear_parts_show_what_lies_below(name: str, make: Callable[[Path], None], frames: int, tmp_path: Path) -> None:
    path = tmp_path / name
    make(path)
    found = probe(str(path))
    assert found.alpha and found.frames == frames and found.width / found.height == pytest.approx(0.6, abs=0.01)
    reel = with_footage(Reel(width=60, height=100, length_s=2.0), found)
    reel = place.with_solid(reel, 0, 60, "#2060c0", 0, insert=False)
    reel = place.with_clip_at(place.with_new_track(reel), reel.footage[0].id, 0, 1, frames=10)
    with PictureSource() as source:
        rgb = to_rgb(source.render(plan(Timeline(reel), 1, 60, 100))).astype(int)
    assert np.abs(rgb[50, 30] - (255, 80, 40)).max() < 30 and np.abs(rgb[6, 6] - (0x20, 0x60, 0xC0)).max() < 8


def test_an_svg_is_sharp_however_small_it_says_that_it_is(tmp_path: Path) -> None:
    drawn(tmp_path / "a.svg")
    with FrameReader(str(tmp_path / "a.svg")) as reader:
        reader.frame(0)
        alpha = reader.alpha(0)
    assert alpha is not None and max(alpha.shape) > 2100
    row = alpha[alpha.shape[0] // 2].astype(int)
    assert ((row > 12) & (row < 243)).sum() <= 6


def test_an_animation_runs_at_its_own_pace(tmp_path: Path) -> None:
    animated(tmp_path / "m.webp")
    assert probe(str(tmp_path / "m.webp")).length_s == pytest.approx(0.5, abs=0.02)
    with FrameReader(str(tmp_path / "m.webp")) as reader:
        middles = []
        for time_s in (0.05, 0.25, 0.45):
            reader.at(time_s)
            alpha = reader.alpha(reader.index.frame_at(time_s))
            assert alpha is not None
            middles.append(float(np.nonzero(alpha > 128)[1].mean()))
    assert np.diff(middles) == pytest.approx([4, 4], abs=0.3)


@pytest.mark.slow
def test_an_svg_that_names_another_file_does_not_get_it(tmp_path: Path) -> None:
    Image.new("RGB", (60, 100), (255, 0, 0)).save(tmp_path / "secret.png")
    for number, name in enumerate(("secret.png", str(tmp_path / "secret.png"), f"file://{tmp_path}/secret.png")):
        path = tmp_path / f"{number}.svg"
        path.write_text(SVG.format(f'<image xlink:href="{name}" width="60" height="100"/>{DOT}'))
        with FrameReader(str(path)) as reader:
            reader.frame(0)
            alpha = reader.alpha(0)
        assert alpha is not None and alpha[10, 10] == 0


@pytest.mark.parametrize("data", [b"<svg", b"\x1f\x8bbroken", b"<html></html>", b"\x00" * 100])
def test_what_is_no_svg_is_said_in_a_sentence(data: bytes, tmp_path: Path) -> None:
    (tmp_path / "b.svg").write_bytes(data)
    with pytest.raises(TempikError, match=r"b\.svg"):
        probe(str(tmp_path / "b.svg"))


def test_a_cut_off_animation_is_said_in_a_sentence(tmp_path: Path) -> None:
    animated(tmp_path / "m.webp")
    whole = (tmp_path / "m.webp").read_bytes()
    (tmp_path / "c.webp").write_bytes(whole[:40])
    with pytest.raises(TempikError, match=r"c\.webp"):
        probe(str(tmp_path / "c.webp"))
