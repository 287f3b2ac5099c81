"""Files of others' making: edits, lyrics, drawings, zips, moods, damaged and made to hurt. Each is opened as what it says, or refused."""

from __future__ import annotations

import io
import json
import random
import zipfile
from pathlib import Path

from bench.campaign.cases import OrderedFile, small_reel
from bench.campaign.damage import bent, flipped
from tempik.edit.drafting.moods import MOODS
from tempik.edit.titles import with_title
from tempik.exchange import all as exchange
from tempik.project.moods import write_mood
from tempik.reel import Title
from tempik.reel.nests import all_closed

SVG = '<svg xmlns="http://www.w3.org/2000/svg" xmlns:xlink="http://www.w3.org/1999/xlink" width="60" height="100">{}</svg>'
DRAWN = (
    '<defs><filter id="f"><feGaussianBlur stdDeviation="3"/></filter></defs><g filter="url(#f)"><circle cx="30" cy="50" r="20"/></g>'
    '<text x="5" y="20">open day</text>'
)
SUFFIXES = (".otio", ".edl", ".srt", ".vtt", ".lrc", ".zip")


def sources(folder: Path) -> list[tuple[str, bytes]]:
    """Return a sound file of every kind."""
    reel = all_closed(small_reel(folder))
    reel, _ = with_title(reel, Title("strike the iron\nopen day"), 10, 60)
    out = []
    for suffix in SUFFIXES:
        exchange.write(reel, folder / f"case{suffix}")
        out.append((f"case{suffix}", (folder / f"case{suffix}").read_bytes()))
    write_mood(MOODS[0], folder / "case.tempikmood")
    return [
        *out,
        ("case.tempikmood", (folder / "case.tempikmood").read_bytes()),
        ("case.svg", SVG.format(DRAWN).encode()),
    ]


def hostile() -> OrderedFile:
    """Yield whole files that are malice: each of these, or its like, ended the window, hung it or read a file outside."""
    nested = "<g>" * 1000 + "</g>" * 1000
    entities = '<!DOCTYPE a [<!ENTITY a "aaaaaaaaaa"><!ENTITY b "&a;&a;&a;&a;&a;&a;&a;&a;">]>'
    for how, text in (
        ("a picture of 1 by 100,000,000", '<svg xmlns="http://www.w3.org/2000/svg" width="1" height="100000000"/>'),
        ("1,000 nested groups", SVG.format(nested)),
        ("a file named with an apostrophe", SVG.format("<image xlink:href='/etc/passwd' width=\"9\" height=\"9\"/>")),
        ("a file named by a filter", SVG.format('<filter id="a"><feImage href="/dev/stdin"/></filter><rect filter="url(#a)" width="9" height="9"/>')),
        ("a huge blur", SVG.format('<filter id="a"><feGaussianBlur stdDeviation="1e9"/></filter><rect filter="url(#a)" width="60" height="99"/>')),
        ("octaves", SVG.format('<filter id="a"><feTurbulence numOctaves="100000"/></filter><rect filter="url(#a)" width="60" height="99"/>')),
        ("a million letters", SVG.format(f"<text>{'x' * 1_000_000}</text>")),
        ("entities", entities + SVG.format("<text>&b;</text>")),
        ("a file as an entity", '<!DOCTYPE a [<!ENTITY a SYSTEM "file:///etc/passwd">]>' + SVG.format("<text>&a;</text>")),
        ("uses of uses", SVG.format('<g id="a"><use xlink:href="#a"/></g>')),
    ):  # fmt: skip
        yield "odd.svg", text.encode(), how
    for suffix in (".srt", ".vtt", ".lrc"):
        head = "WEBVTT\n\n" if suffix == ".vtt" else ""
        cue = "1\n00:00:01,000 --> 00:00:02,000\n" if suffix != ".lrc" else "[00:01.00]"
        for how, text in (("200 kB of <", "<" * 200_000), ("<b <b <b", "<b " * 60_000), ("one line", "x" * 2_000_000),
                          ("empty lines", "\n" * 1_000_000), ("braces", "{\\" * 100_000), ("stamps", "<00:" * 50_000)):  # fmt: skip
            yield f"odd{suffix}", (head + cue + text).encode(), f"{suffix}, {how}"
    yield "odd.otio", b"[" * 3_000_000, "3 MB of ["
    yield (
        "odd.otio",
        b'{"OTIO_SCHEMA":"Timeline.1","global_start_time":{"OTIO_SCHEMA":"RationalTime.1","rate":1e300,"value":1}}',
        "a rate",
    )
    yield "odd.otio", b'{"OTIO_SCHEMA":"Timeline.1","metadata":{"tempik":{"rate":"1e10000000"}}}', "a rate without end"
    clip = {
        "OTIO_SCHEMA": "Clip.1",
        "name": "n" * 100_000,
        "media_reference": {"OTIO_SCHEMA": "ExternalReference.1", "target_url": "/"},
    }
    track = {"OTIO_SCHEMA": "Track.1", "kind": "Video", "children": [clip]}
    stack = {"OTIO_SCHEMA": "Stack.1", "children": [track]}
    yield "odd.otio", json.dumps({"OTIO_SCHEMA": "Timeline.1", "tracks": stack}).encode(), "names of 100,000 letters"
    event = "{0:03d}  AX  V  C  00:00:00:00 00:00:00:01 00:00:{1:02d}:{2:02d} 00:00:{1:02d}:{2:02d}\n* FROM CLIP NAME: {3}\n"
    yield (
        "odd.edl",
        "".join(event.format(n % 999, n // 30 % 60, n % 30, "/") for n in range(60_000)).encode(),
        "60,000 events",
    )
    yield "odd.edl", ("001  AX  V  C  " + "9" * 3_000_000).encode(), "one line of an EDL"
    yield "odd.cube", b"A\n" * 20_000_000, "20 million lines"
    yield "odd.cube", b"LUT_3D_SIZE 2\n" + b"1 " * 30_000_000, "one line of a LUT"
    yield (
        "odd.mid",
        b"MThd\0\0\0\x06\0\0\0\x01\x01\xe0MTrk" + (15_000_000).to_bytes(4, "big") + b"\0\x90\x40\x40" * 3_700_000,
        "15 MB of notes",
    )
    yield "bomb.zip", _bomb(), "a zip of 20 GB"
    for name in ("../../out.tempik", "/tmp/out.tempik", "a/../../b.tempik", "a\\..\\b.tempik"):
        made = io.BytesIO()
        with zipfile.ZipFile(made, "w") as packed:
            packed.writestr(name, b"{}")
        yield "out.zip", made.getvalue(), f"a zip that names {name}"


def _bomb() -> bytes:
    made = io.BytesIO()
    with zipfile.ZipFile(made, "w", zipfile.ZIP_DEFLATED) as packed:
        packed.writestr("r/r.tempik", b"0" * 60_000_000)
    data = bytearray(made.getvalue())
    at = data.rindex(b"PK\x01\x02")
    data[at + 24 : at + 28] = (0xF0000000).to_bytes(4, "little")  # says that it is larger than it is
    return bytes(data)


def other_cases(count: int, folder: Path, seed: int) -> OrderedFile:
    """Yield hostile files, and damaged ones of every kind."""
    rng = random.Random(seed)
    yield from hostile()
    found = sources(folder)
    for number in range(count):
        name, data = rng.choice(found)
        if name.endswith((".otio", ".tempikmood")) and number % 2:
            made = json.dumps(bent(json.loads(data), rng)).encode(errors="surrogatepass")
        else:
            made = flipped(data, rng)
        yield name, made, f"{name} {number}"


def open_other(path: Path) -> str:
    """Open a file of another program as the window does. Return what is wrong, '' for nothing."""
    from tempik.grade.cube import read_cube
    from tempik.media import probe
    from tempik.project.file import load_reel
    from tempik.project.lyrics import read_lyrics
    from tempik.project.moods import read_mood
    from tempik.rhythm.exchange import read_marks

    if path.suffix in (".srt", ".vtt", ".lrc"):
        lines = read_lyrics(path).lines
        return (
            "" if all(a.start_s <= b.start_s for a, b in zip(lines, lines[1:], strict=False)) else "lines out of order"
        )
    if path.suffix == ".svg":
        probe(str(path))
    elif path.suffix == ".cube":
        read_cube(path)
    elif path.suffix == ".mid":
        read_marks(path)
    elif path.suffix == ".tempikmood":
        read_mood(path)
    else:
        made, _ = exchange.read(path, path.with_name("made.tempik"))
        inside = {p.name for p in path.parent.parent.iterdir()} - {"m", "cache", "state", path.parent.name}
        load_reel(made)
        return "something was written outside" if "out.tempik" in inside or Path("/tmp/out.tempik").exists() else ""
    return ""
