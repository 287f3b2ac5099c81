"""Attempts of a stranger: modules planted under every name that is imported, ids that lead elsewhere, sources that are to be written over."""

from __future__ import annotations

import os
import random
import subprocess
import sys
from pathlib import Path
from typing import NamedTuple

from bench.campaign.cases import small_reel
from bench.campaign.commands import _ran
from tempik import programs
from tempik.deliver import queue
from tempik.project.file import save_reel
from tempik.project.media_files import media_paths

SMALL = ["--size", "90x160", "--quality", "draft", "--to", "0.1"]


class Attempts(NamedTuple):
    """How often it was tried, and what came of it that should not."""

    tried: int
    wrong: list[str]


def run(folder: Path, count: int, seed: int = 0) -> Attempts:
    """Try `count` times."""
    rng, wrong = random.Random(seed), list[str]()
    reel = small_reel(folder / "m")
    ways = (_planted, _leading_elsewhere, _written_over)
    for number in range(count):
        own = folder / f"s{number}"
        own.mkdir()
        save_reel(reel, own / "r.tempik")
        message = ways[number % len(ways)](own, rng)
        if message:
            wrong.append(message)
    return Attempts(count, wrong)


def _planted(own: Path, rng: random.Random) -> str:
    names = sorted(
        {
            *sys.stdlib_module_names,
            *(n.partition(".")[0] for n in sys.modules),
            "tempik",
            "sitecustomize",
            "usercustomize",
        }
    )
    for name in rng.sample(names, 150):
        (own / f"{name}.py").write_text(f"open({str(own / 'ran')!r}, 'a').write({name!r} + ' ')\n")
    lines = (
        ["about"],
        ["check", "r.tempik"],
        ["export", "r.tempik", "-o", "o.mp4", *SMALL],
        ["speed", "r.tempik"],
        ["queue", "list"],
    )
    line = rng.choice(lines)
    clean = {n: v for n, v in os.environ.items() if not n.startswith("PYTHON")}
    command = [str(Path(sys.executable).parent / "tempik"), *line]
    if rng.random() < 0.5:  # as our own processes are started
        whole = [str(own / a) if a in ("r.tempik", "o.mp4") else a for a in line]
        command = programs.ours("tempik.cli", *whole)
        clean |= {"PYTHONPATH": f":{own}", "PYTHONSTARTUP": str(own / "os.py")}
    done = subprocess.run(command, cwd=own, env=clean, capture_output=True, text=True, check=False)
    if (own / "ran").exists():
        return f"{' '.join(line)} ran {(own / 'ran').read_text()[:80]}"
    return "" if done.returncode in (0, 1) else f"{' '.join(line)} ended with {done.returncode}: {done.stderr[-200:]}"


def _leading_elsewhere(own: Path, rng: random.Random) -> str:
    home = queue.folder().parent / "untitled"
    home.mkdir(parents=True, exist_ok=True)
    (home / "work.journal").write_bytes(b"work")
    name = rng.choice(
        (
            "..",
            ".",
            "../untitled",
            str(home),
            "../../x",
            "a/../..",
            "%2e%2e",
            "..\\untitled",
            "\0",
            "*",
            "a" * 12,
            "0" * 12,
        )
    )
    verb = rng.choice(("remove", "up", "down", "run"))
    code, _, err = _ran(["queue", verb, name])
    if code != 2 or not (home / "work.journal").is_file():
        return f"queue {verb} {name!r} ended with {code}: {err[:200]}"
    return ""


def _written_over(own: Path, rng: random.Random) -> str:
    from tempik.project.file import load_reel

    source = Path(rng.choice([p for p in media_paths(load_reel(own / "r.tempik")) if os.path.isfile(p)]))
    kept, kind = source.read_bytes(), rng.randrange(3)
    target = source
    if kind:
        target = own / f"same{source.suffix}"
        os.link(source, target) if kind == 1 else target.symlink_to(source)
    ways = (
        ["export", "r", "-o"], ["exchange", "write", "r", "-o"], ["sound", "r", "--write"], ["titles", "r", "--add", "x", "-o"],
        ["grade", "r", "--write-cube"], ["accents", "r", "--write"], ["speed", "r", "--reverse", "-o"], ["points", "r", "-o"],
    )  # fmt: skip
    way = rng.choice(ways)
    line = [str(own / "r.tempik") if a == "r" else a for a in way]
    _, _, err = _ran([*line, str(target)])
    if source.read_bytes() != kept:
        return f"{' '.join(way)} wrote over {source.name} ({err[:100]})"
    return ""
