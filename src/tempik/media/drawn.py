"""Pictures that FFmpeg has no decoder for, drawn once as files that it has: SVG by resvg, animated WebP by Pillow. They are
kept by their contents, like all that is worked out of files."""

from __future__ import annotations

import io
import re
import zlib
from pathlib import Path

from tempik.disk.reading import opened_regular, printable, read_whole
from tempik.disk.writing import make_folders, write_whole
from tempik.errors import TempikError
from tempik.media.cache import cache_folder, content_key

FONTS = Path(__file__).parents[1] / "titles" / "fonts"
SVG_PX = 2160  # of the longer side: twice an upright frame's width
MOST_SVG_MB, MOST_WEBP_MB = 20, 200
MOST_FRAMES, MOST_PIXELS = 2000, 16_000_000
# What an SVG may refer to lies within it: another file is not looked at, whoever drew it.
_OUTSIDE = re.compile(r"""((?:xlink:)?href\s*=\s*)(["'])(?!#|data:)[^"']*\2""", re.IGNORECASE)


def stands_for(path: str) -> str:
    """Return the file to read in place of a picture: itself, or what was drawn of it. Raises TempikError where it is none."""
    kind = _kind(path)
    if kind is None:
        return path
    target = cache_folder() / "footage" / f"{content_key(path)}.drawn2.png"
    if not target.is_file():
        data = _svg(path) if kind == "svg" else _webp(path)
        try:
            make_folders(target.parent)
            write_whole(target, data)
        except OSError as error:
            raise TempikError(
                f"{path} could not be drawn into {target.parent} ({error}); free some space there."
            ) from error
    return str(target)


def _kind(path: str) -> str | None:
    ending = Path(path).suffix.lower()
    if ending in (".svg", ".svgz"):
        return "svg"
    if ending != ".webp":
        return None
    with opened_regular(path) as file:
        head = file.read(32)
    # RIFF, WEBP, an extended header, and in it the flag of an animation (WebP Container Specification).
    animated = head[:4] == b"RIFF" and head[8:16] == b"WEBPVP8X" and len(head) > 20 and bool(head[20] & 2)
    return "webp" if animated else None


def _svg(path: str) -> bytes:
    from PIL import Image  # none of these at start-up

    data = read_whole(path, MOST_SVG_MB)
    try:
        if data[:2] == b"\x1f\x8b":
            unpacked = zlib.decompressobj(31)
            data = unpacked.decompress(data, MOST_SVG_MB << 20)
        text = _OUTSIDE.sub(r"\1\2#\2", data.decode("utf-8", "replace"))
        first = _drawn(text, 64)
        with Image.open(io.BytesIO(first)) as small:
            shape = small.width / small.height
        wide = SVG_PX if shape >= 1 else max(2, round(SVG_PX * shape))
        return _drawn(text, wide // 2 * 2)
    except (ValueError, OSError, zlib.error, Image.DecompressionBombError, ZeroDivisionError) as error:
        raise TempikError(
            f"{printable(path)} is no SVG picture that can be drawn; export it again, or as PNG."
        ) from error


def _drawn(text: str, wide: int) -> bytes:
    """Return an SVG as a PNG so wide; letters of families that are not on this machine are set in ours."""
    import resvg_py

    made = resvg_py.svg_to_bytes(
        svg_string=text, width=wide, font_dirs=[str(FONTS)], font_family="DejaVu Sans", sans_serif_family="DejaVu Sans",
        serif_family="EB Garamond",
    )  # fmt: skip
    return bytes(made)


def _webp(path: str) -> bytes:
    from PIL import Image, ImageSequence

    data = read_whole(path, MOST_WEBP_MB)
    try:
        with Image.open(io.BytesIO(data)) as film:
            if film.width * film.height > MOST_PIXELS:
                raise ValueError("too large")
            frames, times = [], []
            for number, frame in enumerate(ImageSequence.Iterator(film)):
                if number >= MOST_FRAMES:
                    break
                frames.append(frame.convert("RGBA"))
                times.append(max(10, int(frame.info.get("duration", 100) or 100)))
            out = io.BytesIO()
            frames[0].save(
                out, "PNG", save_all=True, append_images=frames[1:], duration=times, loop=0, disposal=1, blend=0
            )
            return out.getvalue()
    except (ValueError, OSError, EOFError, IndexError, SyntaxError) as error:
        raise TempikError(
            f"{printable(path)} is no WebP animation that can be read; save it again, or as GIF."
        ) from error
