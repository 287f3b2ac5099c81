"""Command lines drawn from the parsers themselves: options with values, nonsense and in any combination. What is asked is done, or refused
in one sentence with nothing changed; a project that was written is one that opens."""

from __future__ import annotations

import argparse
import contextlib
import io
import os
import random
import shutil
import time
from collections import Counter
from pathlib import Path
from typing import NamedTuple

from msgspec.structs import replace

from bench.campaign.cases import small_reel
from tempik.cli.main import VERBS, _parser, main
from tempik.cli.options import Parser
from tempik.edit.titles import with_title
from tempik.errors import TempikError
from tempik.project.file import load_reel, save_reel
from tempik.reel import Title

LEFT_OUT = ("demo", "menu", "moods", "report")  # they act on the user's own folders, or take minutes
NONSENSE = (
    "", "x", "-1", "0", "1", "2", "1.5", "1e9", "1e400", "nan", "inf", "-inf", "9" * 40, "²", "1,2", "1-2", "1-99", "2-1", "all", ",", "=",
    "a=b", "=1", "1=", "1:1", "0.5,0.5", "1@2=3", "opacity@30=0.5", "opacity@9999=1", "level@1=1", "x" * 5000, "é", "\t", "../..", "/",
    "/dev/null", "/proc/self/mem", "off", "on", "auto", "song", "30/0", "1e10000000", "1920x1080", "7x7", "#ff0000", "#zz", "50,50@10",
    "keep:40,50,60,50@3", "rectangle:50,50", "ellipse:50,50,20,20", "polygon:1,1,9,1,9,9", "1.1", "1.1=50", "9.9=1", "cuts", "bars:1,3",
    "points:2", "drops", "flash", "whip", "dissolve", "ember", "clips:1", "footage:1", "reel", "matrix=BT.709", "exposure=0.3", "size=0.2",
    "font=Nowhere", "feather=2", "luma=0:0,0:1", "10+5", "10-40@200", "12", "0.5b", "120ms", "0.5gap", "kick,snare", "whoosh", "quiet", "2=30",
    "whoosh=99", "5-6", "5-6:9", "10,20", "driving", "swing",
)  # fmt: skip


class Tried(NamedTuple):
    """What became of the command lines: how many ended with each code, and what was wrong."""

    lines: int
    ended: Counter[int]
    wrong: list[str]
    slowest_s: float


def actions_of(parser: argparse.ArgumentParser) -> tuple[list[argparse.Action], list[str]]:
    """Return the options of a verb, and the verbs that it has in turn."""
    own = [
        a
        for a in parser._actions
        if not isinstance(a, argparse._SubParsersAction | argparse._HelpAction | argparse._VersionAction)
    ]
    inner = next((a for a in parser._actions if isinstance(a, argparse._SubParsersAction)), None)
    return own, list(inner.choices) if inner is not None else []


def _value(action: argparse.Action, rng: random.Random, files: dict[str, str]) -> str:
    if action.choices is not None and rng.random() < 0.8:
        return str(rng.choice(list(action.choices)))
    if rng.random() < 0.3 or action.type is Path:
        return rng.choice(list(files.values()))
    return rng.choice(NONSENSE)


def drawn(parser: Parser, verb: str, rng: random.Random, files: dict[str, str]) -> list[str]:
    """Return a command line of a verb."""
    chosen = next(a for a in parser._actions if isinstance(a, argparse._SubParsersAction)).choices[verb]
    actions, inner = actions_of(chosen)
    line = [verb]
    if inner:
        way = rng.choice(inner)
        line.append(way)
        actions = actions_of(
            next(a for a in chosen._actions if isinstance(a, argparse._SubParsersAction)).choices[way]
        )[0]
    for action in actions:
        if not action.option_strings and (action.nargs != "?" or rng.random() < 0.85):
            usual = files["song"] if action.dest in ("song", "file", "footage") else files["project"]
            line.append(usual if rng.random() < 0.85 else _value(action, rng, files))
    options = [a for a in actions if a.option_strings]
    for action in rng.sample(options, min(len(options), rng.choice((0, 1, 1, 2, 2, 3, 5)))):
        if action.dest in ("output", "write", "write_shape", "write_cube", "with_parent"):
            continue
        line.append(rng.choice(action.option_strings))
        count = action.nargs if isinstance(action.nargs, int) else 1
        if action.nargs == 0:
            continue
        line += [_value(action, rng, files) for _ in range(count)]
    if any(a.dest == "output" for a in options) and (rng.random() < 0.6 or verb in ("export", "draft", "exchange")):
        line += [
            "-o",
            rng.choice([files["out"]] * 6 + [files["project"], files["song"], files["film"], "/dev/null", "/", ""]),
        ]
    if verb == "export":
        line += ["--quality", "draft", "--short", "90", "--to", "0.2"]
    return line


def run(folder: Path, count: int, seed: int = 0) -> Tried:
    """Run command lines one after the other, each on the same project laid anew."""
    media = folder / "m"
    media.mkdir(exist_ok=True)
    reel = small_reel(media)
    reel, _ = with_title(reel, Title("strike the iron"), 10, 60)
    save_reel(replace(reel, width=90, height=160, mix=replace(reel.mix, loudness=None)), folder / "kept.tempik")
    rng, parser, ended, wrong, slowest = random.Random(seed), _parser(), Counter[int](), list[str](), 0.0
    verbs = [v for v in VERBS if v not in LEFT_OUT]
    for number in range(count):
        own = folder / f"n{number}"
        own.mkdir()
        shutil.copy(folder / "kept.tempik", own / "r.tempik")
        save_reel(load_reel(folder / "kept.tempik"), own / "r.tempik")
        for name in ("song.wav", "one.mp4"):
            os.link(media / name, own / name)
        files = {
            "project": str(own / "r.tempik"), "song": str(own / "song.wav"), "film": str(own / "one.mp4"),
            "out": str(own / rng.choice(("o.tempik", "o.mp4", "o.csv", "o.wav", "o.png", "o.otio", "o.mid", "o.srt", "o"))),
        }  # fmt: skip
        line = drawn(parser, verbs[number % len(verbs)], rng, files)
        before = _state(own)
        began = time.process_time()
        code, out, err = _ran(line)
        took = time.process_time() - began
        slowest = max(slowest, took)
        ended[code] += 1
        message = _judged(line, code, out, err, before, own) or (f"{took:.1f} s of processor time" if took > 20 else "")
        if message:
            wrong.append(f"{' '.join(a[:60] for a in line)}: {message}")
        shutil.rmtree(own, ignore_errors=True)
    return Tried(count, ended, wrong, slowest)


def _ran(line: list[str]) -> tuple[int, str, str]:
    out, err = io.StringIO(), io.StringIO()
    with contextlib.redirect_stdout(out), contextlib.redirect_stderr(err):
        try:
            code = main(line)
        except SystemExit as stop:
            code = int(stop.code or 0)
        except Exception as error:
            return 70, out.getvalue(), f"{type(error).__name__}: {str(error)[:200]}"
    return code, out.getvalue(), err.getvalue()


def _state(folder: Path) -> dict[str, bytes]:
    return {str(p.relative_to(folder)): p.read_bytes() for p in folder.rglob("*") if p.is_file()}


def _judged(line: list[str], code: int, out: str, err: str, before: dict[str, bytes], folder: Path) -> str:
    """Return what is wrong with how a command line ended, '' for nothing."""
    after = _state(folder)
    sentences = [s for s in err.splitlines() if s.strip() and not s.startswith(("note: ", "encoder: ", "# "))]
    if any(after.get(name) != before[name] for name in ("song.wav", "one.mp4")):
        return "a source was written over"
    if code not in (0, 1, 2):
        return f"it ended with {code}: {err[-300:]}"
    if code == 2:
        if len(sentences) != 1 or not sentences[0].startswith("tempik: ") or len(sentences[0]) > 1500:
            return f"not one sentence: {err[:300]!r}"
        if after != before:
            return (
                f"it was refused and changed {sorted(set(after) ^ set(before)) or 'the project'}: {sentences[0][:200]}"
            )
    if code == 0 and not out.strip() and not err.strip() and after == before and line[0] not in ("queue", "check"):
        return "it did nothing and said nothing"
    for name in after:
        if name.endswith(".tempik"):
            try:
                load_reel(folder / name)
            except TempikError as error:
                return f"{name} does not open: {str(error)[:200]}"
    return ""
