"""Pictures that FFmpeg has no decoder for, drawn once as files that it has: SVG by resvg in a closed room, animated WebP by Pillow. They are
kept by their contents, like all that is worked out of files."""

from __future__ import annotations

import io
import zlib
from pathlib import Path

from tempik.closed import REFUSED
from tempik.disk.reading import opened_regular, printable, read_whole
from tempik.disk.writing import make_folders, write_whole
from tempik.errors import TempikError
from tempik.media.cache import cache_folder, content_key
from tempik.programs import fed, ours

FONTS = Path(__file__).parents[1] / "titles" / "fonts"
SVG_S = 15.0
MOST_SVG_MB, MOST_WEBP_MB = 20, 200
MOST_FRAMES, MOST_PIXELS = 2000, 16_000_000


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
    data = read_whole(path, MOST_SVG_MB)
    if data[:2] == b"\x1f\x8b":
        try:
            data = zlib.decompressobj(31).decompress(data, MOST_SVG_MB << 20)
        except zlib.error:
            data = b""
    try:
        code, made = fed(ours("tempik.closed", str(FONTS)), data, SVG_S)
    except OSError as error:
        raise TempikError(
            f"{printable(path)} could not be drawn ({error.strerror}); try again, or use it as PNG."
        ) from error
    if code == 0 and made[:8] == b"\x89PNG\r\n\x1a\n":
        return made
    if code in (REFUSED, 0):
        raise TempikError(f"{printable(path)} is no SVG picture that can be drawn; export it again, or as PNG.")
    raise TempikError(
        f"{printable(path)} asks for more than a picture needs, such as groups or blurs without end; export it as PNG."
    )


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
