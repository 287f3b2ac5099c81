"""Damaged and hostile files of every kind that is read: each must be opened as what it says, or refused in one sentence."""

from __future__ import annotations

import json
import random
import subprocess
import sys
import tempfile
import time
from collections import Counter
from collections.abc import Callable, Iterator
from copy import deepcopy
from pathlib import Path
from typing import Any, NamedTuple

import numpy as np

from tempik.errors import TempikError

LONGEST_S = 10.0
MOST_MB = 1536

# Values that no editing makes, put in the place of any other.
ODD: tuple[Any, ...] = (
    None, True, False, 0, -1, 1, 2**31, 2**63, 2**64, -(2**63), 10**18, 10**400, 0.0, -0.0, 1e308, -1e308, 5e-324, 0.5,
    "", "x", "\0", "a\0b", "é" * 200, "1e10000000", "1/0", "0/1", "-1/3", "99999999999999999999/3", "inf", "NaN",
    "../../../../etc/passwd", "/dev/zero", "/proc/self/mem", "http://a/b.mp4", "concat:a|b", "<img src=x>", "%s%n", "o99999",
    "b1+1/3", "b99999999", "p1", "f1", "c1", "²", [], {}, [[]], [{}], [0], [None], {"": 0}, [1e308, 1], "a" * 5000,
)  # fmt: skip


class Case(NamedTuple):
    """A file to be opened, and what it was made of."""

    path: Path
    how: str


class Count(NamedTuple):
    """What became of the cases of one kind."""

    cases: int
    opened: int
    refused: int
    wrong: list[str]
    slowest_s: float
    most_mb: float


# Damage


def flipped(data: bytes, rng: random.Random) -> bytes:
    """Return bytes with a few of them changed, lost, doubled or swapped."""
    made = bytearray(data)
    for _ in range(rng.choice((1, 1, 1, 2, 5, 40))):
        if not made:
            break
        at = rng.randrange(len(made))
        match rng.randrange(7):
            case 0:
                made[at] ^= 1 << rng.randrange(8)
            case 1:
                made[at] = rng.randrange(256)
            case 2:
                del made[at:]
            case 3:
                del made[at : at + rng.randrange(1, 64)]
            case 4:
                made[at:at] = made[at : at + rng.randrange(1, 200)]
            case 5:
                made[at:at] = rng.randbytes(rng.randrange(1, 32))
            case 6:
                made[at : at + 16] = b"\0" * 16
    return bytes(made)


def places(value: Any, way: tuple[Any, ...] = ()) -> Iterator[tuple[Any, ...]]:
    """Yield the way to everything inside a document."""
    inner = value.items() if isinstance(value, dict) else enumerate(value) if isinstance(value, list) else ()
    for key, each in inner:
        yield (*way, key)
        yield from places(each, (*way, key))


def bent(document: Any, rng: random.Random) -> Any:
    """Return a document with a few of its values replaced, dropped, renamed, or repeated many times."""
    made = json.loads(json.dumps(document))
    for _ in range(rng.choice((1, 1, 2, 4))):
        ways = list(places(made))
        if not ways:
            break
        way = rng.choice(ways)
        holder = made
        for step in way[:-1]:
            holder = holder[step]
        match rng.randrange(6):
            case 0 | 1 | 2:
                holder[way[-1]] = deepcopy(rng.choice(ODD))
            case 3:
                del holder[way[-1]]
            case 4 if isinstance(holder, dict):
                holder[rng.choice(("x", "id", "path", "Path", way[-1] + "s"))] = holder.pop(way[-1])
            case _ if isinstance(holder, list):
                holder.extend([holder[way[-1]]] * rng.choice((1, 50, 3000)))
    return made


# What is tried


def open_project(path: Path) -> str:
    """Open a project, work out all that the window shows of it, and see that saving it and opening it again changes
    nothing. Return what is wrong, '' for nothing."""
    from tempik.check.landing import check_reel
    from tempik.media import Sound
    from tempik.project.file import load_reel, save_reel
    from tempik.render.mixdown import Mixdown
    from tempik.render.plan import plan
    from tempik.render.sound_bank import SoundBank
    from tempik.sounds.loudness import RATE
    from tempik.timeline.timeline import Timeline

    reel = load_reel(path)
    timeline = Timeline(reel)
    check_reel(timeline)
    turns = [min(s.turn, timeline.frames - 1) for row in timeline.transitions for s in row[:2]]
    for frame in {0, timeline.frames // 2, max(0, timeline.frames - 1), *turns}:
        plan(timeline, frame, 90, 160)
    mixdown = Mixdown(timeline, Sound(np.zeros((0, 2), np.float32), RATE), sound_bank=SoundBank())
    if mixdown.count and not np.isfinite(mixdown.block(0, 1.0)).all():
        return "what is heard is no number"
    again = path.with_name("again.tempik")
    save_reel(reel, again)
    return "" if load_reel(again) == reel else "saved and opened again it is another reel"


def open_journal(path: Path) -> str:
    from tempik.project.journal import left_behind
    from tempik.reel.validate import problems

    project = path.with_name("r.tempik")
    path.rename(path.with_name(".r.tempik.journal"))
    found = left_behind(project)
    if found is None:
        return ""
    wrong = [p for step in found.history.steps for p in problems(step.reel)]
    return wrong[0] if wrong else ""


def open_points(path: Path) -> str:
    from tempik.rhythm.exchange import read_marks

    marks = read_marks(path).marks
    ordered = all(a.time_s <= b.time_s for a, b in zip(marks, marks[1:], strict=False))
    return "" if ordered else "points out of order"


def open_shape(path: Path) -> str:
    from tempik.grade.cube import read_cube
    from tempik.project.bundles import read_bundle
    from tempik.project.looks import read_look
    from tempik.project.shapes import read_shape
    from tempik.project.transitions import read_transition

    readers: dict[str, Callable[[Path], object]] = {
        ".tempikshape": read_shape, ".tempikjoin": read_transition, ".tempiklook": read_look, ".cube": read_cube,
    }  # fmt: skip
    readers.get(path.suffix, read_bundle)(path)
    return ""


def open_media(path: Path) -> str:
    """Look through a media file as the window does when it is added."""
    from tempik.media import probe, study
    from tempik.media.filmstrip import make_filmstrip
    from tempik.render.pictures import shared_index
    from tempik.rhythm import analyse

    facts = probe(str(path))
    if facts.has_picture:
        make_filmstrip(str(path), shared_index(str(path)), facts.rotation_deg, lambda: False)
        study(str(path))
    elif facts.has_sound:
        analyse(str(path))
    return ""


def open_other(path: Path) -> str:
    from bench.campaign import others  # which takes what damages from here

    return others.open_other(path)


OPENERS: dict[str, Callable[[Path], str]] = {
    "other": open_other,
    "project": open_project,
    "journal": open_journal,
    "points": open_points,
    "shape": open_shape,
    "media": open_media,
}


def judged(kind: str, path: Path, how: str) -> dict[str, Any]:
    """Open one case and return what became of it."""
    began = time.process_time()
    wrong, became = "", "opened"
    name = path.name
    try:
        wrong = OPENERS[kind](path)
    except TempikError as error:
        became, text = "refused", str(error)
        if name not in text and "r.tempik" not in text and "again" not in text:
            wrong = f"the sentence does not name the file: {text[:200]}"
        elif not text.endswith((".", ")")) or len(text) > 1200 or "\n" in text:
            wrong = f"not one sentence: {text[:200]!r}"
    except BaseException as error:
        became, wrong = "wrong", f"{type(error).__name__}: {str(error)[:160]}"
    took = time.process_time() - began
    if took > LONGEST_S:
        wrong = wrong or f"{took:.1f} s of processor time"
    return {"became": became, "wrong": f"{how}: {wrong}" if wrong else "", "took": took}


def work(kind: str) -> None:
    """In a process of its own: judge the cases named on standard input, one a line, and print what became of each."""
    for line in sys.stdin:
        path, _, how = line.rstrip("\n").partition("\t")
        answer = judged(kind, Path(path), how)
        answer["mb"] = most_memory_mb()
        print(json.dumps(answer), flush=True)


def most_memory_mb() -> float:
    """Return the most that this process has held, without what the one that began it did."""
    with open("/proc/self/status", encoding="ascii") as status:
        return next(int(line.split()[1]) / 1024 for line in status if line.startswith("VmHWM"))


def tried(kind: str, cases: Iterator[tuple[str, bytes, str]], folder: Path, report: bool = True) -> Count:
    """Try cases (name, contents, how they were made), each in a folder of its own, in a process that is begun anew when
    it dies or hangs."""
    process: subprocess.Popen[str] | None = None
    became: Counter[str] = Counter()
    wrong: list[str] = []
    slowest, most, done = 0.0, 0.0, 0
    for name, data, how in cases:
        with tempfile.TemporaryDirectory(dir=folder) as own:
            path = Path(own) / name
            path.write_bytes(data)
            if process is None or process.poll() is not None:
                process = _begun(kind, folder)
            answer = _asked(process, f"{path}\t{how}\n")
            if answer is None:
                wrong.append(f"{how}: the process died or hung")
                became["wrong"] += 1
                process.kill()
                process = None
                (folder / f"kept-{len(wrong)}-{name}").write_bytes(data)
            else:
                became[answer["became"]] += 1
                slowest, most = max(slowest, answer["took"]), max(most, answer["mb"])
                if answer["wrong"]:
                    wrong.append(answer["wrong"])
                    (folder / f"kept-{len(wrong)}-{name}").write_bytes(data)
        done += 1
        if report and done % 500 == 0:
            print(f"  {kind}: {done} …", file=sys.stderr, flush=True)
    if process is not None:
        process.kill()
    return Count(done, became["opened"], became["refused"], wrong, slowest, most)


def _begun(kind: str, folder: Path) -> subprocess.Popen[str]:
    import os

    code = f"from bench.campaign.damage import work; work({kind!r})"
    cache = {"TEMPIK_CACHE": str(folder / "cache"), "TEMPIK_STATE": str(folder / "state")}
    return subprocess.Popen(
        [sys.executable, "-c", code],
        stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True,
        env={**os.environ, **cache, "OPENBLAS_NUM_THREADS": "1"}, cwd=Path(__file__).parents[2],
    )  # fmt: skip


def _asked(process: subprocess.Popen[str], line: str) -> dict[str, Any] | None:
    """Return a process's answer, or None when it died or did not answer for a minute."""
    import select

    assert process.stdin is not None and process.stdout is not None
    try:
        process.stdin.write(line)
        process.stdin.flush()
        if not select.select([process.stdout], [], [], 60)[0]:
            return None
        out: dict[str, Any] = json.loads(process.stdout.readline())
        return out
    except (OSError, ValueError):
        return None
