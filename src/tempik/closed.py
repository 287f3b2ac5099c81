"""A closed room for what strangers draw: a process of its own, with little memory and time, that is given a picture's text and gives a
PNG back, and reads and writes nothing else.

An SVG is a program in disguise: groups without end, filters over billions of samples, names of other files. What it may be is looked at as
XML; whatever it does then ends with this process and not with the window.
"""

from __future__ import annotations

import re
import resource
import struct
import sys
from xml.etree import ElementTree
from xml.parsers import expat

SVG_PX = 2160  # of the longer side: twice an upright frame's width
MOST_MEMORY, MOST_CPU_S = 3 << 30, 12
DEEPEST, MOST_ELEMENTS, MOST_TEXT = 200, 100_000, 100_000
MOST_ASPECT = 100.0
REFUSED, BEYOND = 3, 4  # exit codes: it is no SVG, or is beyond what is drawn
_SVG = "{http://www.w3.org/2000/svg}"
_HREF = ("href", "{http://www.w3.org/1999/xlink}href")
_PICTURE = re.compile(r"data:image/(png|jpe?g|gif|webp)[;,]", re.IGNORECASE)
_URL = re.compile(r"url\(\s*[\"']?\s*(?!#)[^)]*\)", re.IGNORECASE)


class Beyond(Exception):
    """An SVG that no picture needs: too deep, too long, too narrow."""


def looked_over(data: bytes) -> bytes:
    """Return an SVG's text as it may be drawn: what it refers to lies within it. Raises ParseError, ValueError and Beyond."""
    root = _parsed(data)
    if root.tag not in (f"{_SVG}svg", "svg"):
        raise ValueError("no SVG")
    for element in root.iter():
        for name in _HREF:
            named = element.get(name)
            if named is not None and not named.strip().startswith("#") and not _PICTURE.match(named.strip()):
                del element.attrib[name]
        for name, value in element.attrib.items():
            if "url(" in value.lower():
                element.set(name, _URL.sub("none", value))
        if element.tag in (f"{_SVG}style", "style") and element.text:
            element.text = _URL.sub("none", re.sub("@import[^;]*;?", "", element.text, flags=re.IGNORECASE))
    text: str = ElementTree.tostring(root, encoding="unicode")
    return text.encode()


def _parsed(data: bytes) -> ElementTree.Element:
    """Return a document's root. Nothing outside it is read: entities that name files are refused, and so is what is deeper or longer than
    a picture is, before it is built."""
    builder = ElementTree.TreeBuilder()
    reader = expat.ParserCreate(namespace_separator="}")
    depth = [0, 0, 0]

    def full(name: str) -> str:
        return "{" + name if "}" in name else name

    def begin(name: str, attributes: dict[str, str]) -> None:
        depth[0] += 1
        depth[1] += 1
        if depth[0] > DEEPEST or depth[1] > MOST_ELEMENTS:
            raise Beyond
        builder.start(full(name), {full(n): v for n, v in attributes.items()})

    def end(name: str) -> None:
        depth[0] -= 1
        builder.end(full(name))

    def text(part: str) -> None:
        depth[2] += len(part)
        builder.data(part)

    def entity(*_: object) -> None:
        raise Beyond

    reader.StartElementHandler, reader.EndElementHandler, reader.CharacterDataHandler = begin, end, text
    reader.EntityDeclHandler = entity
    reader.Parse(data, True)
    root = builder.close()
    drawn = sum(
        len(e.text or "") + len(e.tail or "")
        for e in root.iter()
        if e.tag.rpartition("}")[2] in ("text", "tspan", "textPath")
    )
    if drawn > MOST_TEXT:
        raise Beyond
    return root


def drawn(data: bytes, fonts: str) -> bytes:
    """Return an SVG as a PNG, its longer side SVG_PX; letters of families that are not on this machine are set in ours. Raises ValueError
    and Beyond."""
    text = looked_over(data).decode()
    small = _png(text, fonts, 64)
    width, height = struct.unpack(">II", small[16:24])  # of the header chunk (PNG, 11.2.2)
    shape = width / max(height, 1)
    if not 1 / MOST_ASPECT <= shape <= MOST_ASPECT:
        raise Beyond
    wide = SVG_PX if shape >= 1 else max(2, round(SVG_PX * shape))
    return _png(text, fonts, wide // 2 * 2)


def _png(text: str, fonts: str, wide: int) -> bytes:
    import resvg_py

    made = resvg_py.svg_to_bytes(
        svg_string=text, width=wide, font_dirs=[fonts], font_family="DejaVu Sans", sans_serif_family="DejaVu Sans",
        serif_family="EB Garamond",
    )  # fmt: skip
    return bytes(made)


def main() -> int:
    """Read an SVG from standard input and write the PNG to standard output; `argv[1]` is where our fonts are."""
    resource.setrlimit(resource.RLIMIT_AS, (MOST_MEMORY, MOST_MEMORY))
    resource.setrlimit(resource.RLIMIT_CPU, (MOST_CPU_S, MOST_CPU_S + 1))
    resource.setrlimit(resource.RLIMIT_FSIZE, (0, 0))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    try:
        made = drawn(sys.stdin.buffer.read(), sys.argv[1])
    except (Beyond, MemoryError):
        return BEYOND
    except (ValueError, OSError, expat.ExpatError, RecursionError, AssertionError):
        return REFUSED
    sys.stdout.buffer.write(made)
    return 0


if __name__ == "__main__":
    sys.exit(main())
